package main

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/motion"
	"visator/core/openexr"
	"visator/core/optics"
	scenery "visator/core/stage"
)

// Frames of a recorded move: each is a file of its own; what moves while the shutter is open is spread over its way,
// evenly, so that the silhouette of a crate that goes aside is that of each time by an equal part; the layer of motion
// says how far it goes until the next frame.
func TestFramesOfAMove(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	box := scenery.ShapeModel("box")
	m := exchange.Together("yard", []exchange.Stand{{Key: "box", Name: "crate", Place: geom.Identity, Top: geom.Identity,
		Model: box}})
	glb, err := os.Create(path("set.glb"))
	if err != nil {
		t.Fatal(err)
	}
	if err := exchange.WriteGLB(glb, m); err != nil {
		t.Fatal(err)
	}
	glb.Close()
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch, v.Roll = geom.V{Y: 0.5, Z: 6}, 0, 0, 0
	v.Focus, v.FNumber, v.Near, v.Far = 6, 64, 0.1, 100
	const step = 0.6 // metres that it goes in a frame
	move := motion.Recorded{Rate: 24}
	for i := range 4 {
		move.Frames = append(move.Frames, motion.RecordedFrame{View: v,
			Moved: map[string]geom.M{"crate": geom.Translation(geom.V{X: step * float64(i)})}})
	}
	keep := func(name string, m motion.Recorded) string {
		raw, err := json.Marshal(m)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path(name), raw, 0o600); err != nil {
			t.Fatal(err)
		}
		return path(name)
	}
	file := keep("move.json", move)
	args := func(more ...string) []string {
		return append([]string{"render", path("set.glb"), "--move", file, "--size", "90x60", "--background", "1,1,1",
			"--bounces", "0", "--no-denoise", "--even", "--layers", "motion,objectId", "--out", path("f.exr")}, more...)
	}
	planes := func(n int, names ...string) [][]float32 {
		t.Helper()
		f, err := os.Open(path(fmt.Sprintf("f-%05d.exr", n)))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		e, err := openexr.Open(f)
		if err != nil {
			t.Fatal(err)
		}
		p, err := e.Planes(names...)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	if status, _, errs := call(t, args("--samples", "64", "--shutter", "360", "--frames", "2-3")...); status != 0 {
		t.Fatal(errs)
	}
	blurred := planes(2, "G")[0]
	// The same by hand: the frame at each of the times in which the shutter is looked at.
	sum := make([]float64, len(blurred))
	const times = 8
	for k := range times {
		at := 1 - 0.5 + (float64(k)+0.5)/times
		still := motion.Recorded{Rate: 24, Frames: []motion.RecordedFrame{move.At(at)}}
		asked := append(args("--samples", "64"), "--move", keep("still.json", still))
		if status, _, errs := call(t, asked...); status != 0 {
			t.Fatal(errs)
		}
		for i, x := range planes(1, "G")[0] {
			sum[i] += float64(x) / times
		}
	}
	grey := 0
	for i, x := range blurred {
		if math.Abs(float64(x)-sum[i]) > 0.1 {
			t.Fatalf("pixel %d, %d is %v, the mean over the time is %v", i%90, i/90, x, sum[i])
		}
		if x > 0.5 && x < 0.95 {
			grey++
		}
	}
	if grey < 30 {
		t.Errorf("%d pixels are between", grey)
	}
	p := planes(2, "motion.X", "motion.Y", "objectId.V")
	wide := 90 / (2 * math.Tan(math.Atan(v.SensorW/2/v.Focal))) // pixels at a metre, of a metre
	seen := false
	for i, object := range p[2] {
		if object == 0 {
			continue
		}
		seen = true
		if x := float64(p[0][i]); math.Abs(x-step*wide/5.5) > 0.15*step*wide/5.5 || math.Abs(float64(p[1][i])) > 0.2 {
			t.Fatalf("pixel %d, %d moves by %v, %v; %v was to be expected", i%90, i/90, x, p[1][i], step*wide/5.5)
		}
	}
	if !seen {
		t.Error("the crate is not to be seen")
	}
	for says, more := range map[string][]string{"the frames 1 to 4": {"--frames", "3-2"}, "1-24": {"--frames", "few"},
		"0 to 360": {"--shutter", "400"}, "no --region": {"--region", "0,0,4,4"},
		"nothing of that name": {"--move", keep("other.json", motion.Recorded{Rate: 24, Frames: []motion.RecordedFrame{
			{View: v, Moved: map[string]geom.M{"cart": geom.Identity}}}})},
		"has no frames": {"--move", keep("none.json", motion.Recorded{Rate: 24})}} {
		if status, _, errs := call(t, args(append([]string{"--samples", "1"}, more...)...)...); status == 0 ||
			!strings.Contains(errs, says) {
			t.Errorf("%v: %d, %q", more, status, errs)
		}
	}
}
