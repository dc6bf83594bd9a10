package layers

import (
	"bytes"
	"context"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/openexr"
	"visator/core/render"
	"visator/core/sky"
	"visator/core/stage"
)

// Where what is met goes until the next frame, told by its layer, is where it is found there: the picture of the next
// frame has the same thing at that place, at the depth that it has come to.
func TestMotionLeadsToTheNextFrame(t *testing.T) {
	const w, h = 60, 40
	s, cam := boxes(t)
	by := geom.Translation(geom.V{X: 0.5, Y: 0.1, Z: 0.4}).Mul(geom.Compose(geom.V{}, geom.Turn(geom.V{Y: 1}, 0.2),
		geom.V{X: 1, Y: 1, Z: 1}))
	then, lib := &render.Scene{Env: s.Env}, &render.Library{}
	for i, top := range []geom.M{by, geom.Scaling(20).Mul(geom.Translation(geom.V{Y: -1}))} {
		if err := then.Place(lib, stage.ShapeModel("box"), top, func(int) uint32 { return uint32(i + 1) }); err != nil {
			t.Fatal(err)
		}
	}
	then.Build()
	next := *cam
	next.World = geom.Compose(geom.V{X: 2.1, Y: 1.6, Z: 4.7}, geom.Turn(geom.V{Y: 1}, 0.34), geom.V{X: 1, Y: 1, Z: 1})
	f, err := render.Render(context.Background(), s, cam, render.Options{Width: w, Height: h, Samples: 1, Seed: 1})
	if err != nil {
		t.Fatal(err)
	}
	p, err := Of(f, cam, []string{"motion"}, nil, nil, &Later{Camera: &next,
		Moved: func(object uint32, at geom.V) geom.V {
			if object == 1 {
				return by.Point(at)
			}
			return at
		}})
	if err != nil {
		t.Fatal(err)
	}
	data := p.Channels[slices.IndexFunc(p.Channels, func(c exchange.Channel) bool { return c.Name == "motion.X" })].Data
	found, of, crate, far := 0, 0, 0, 0.0
	for i := range w * h {
		object := uint32(f.Object[i])
		if object == 0 {
			continue
		}
		dx, dy := float64(data[2*i]), float64(data[2*i+1])
		far = max(far, math.Hypot(dx, dy))
		x, y := (float64(i%w)+0.5+dx)/w, (float64(i/w)+0.5+dy)/h
		if x < 0 || y < 0 || x > 1 || y > 1 {
			continue
		}
		ray := next.Ray(x, y, 0.5, 0.5)
		hit, ok := then.Closest(ray)
		if !ok || then.Instances[hit.Instance].ID != object {
			continue // it has gone behind something
		}
		of++
		at := cam.Point((float64(i%w)+0.5)/w, (float64(i/w)+0.5)/h, float64(f.Depth[i]))
		if object == 1 {
			at = by.Point(at)
		}
		if at.Sub(ray.O.Add(ray.D.Mul(hit.T))).Len() < 2e-3*hit.T {
			found++
			if object == 1 {
				crate++
			}
		}
	}
	if crate < 100 || of < 600 || found < of-of/50 || far < 2 { // a few come to be on another side
		t.Errorf("%d of %d are found again, %d of the crate; the farthest went %v pixels", found, of, crate, far)
	}
}

// Before a wall of light a crate hides the half of a floor behind it: the share of the light that does not come is what
// a picture with the crate lacks of one without.
func TestShadowIsWhatIsMissing(t *testing.T) {
	const w, h, n = 24, 16, 256
	made := func(crate bool) *render.Film {
		s, lib := &render.Scene{Env: &sky.Environment{Constant: geom.V{X: 1, Y: 1, Z: 1}}}, &render.Library{}
		s.Suns = []render.Sun{{To: geom.V{X: 1, Y: 1.2, Z: 0.4}.Unit(), Lux: geom.V{X: 3, Y: 3, Z: 3}, Radius: 0.05}}
		for i, top := range []geom.M{geom.Scaling(20).Mul(geom.Translation(geom.V{Y: -1})), geom.Identity} {
			if i == 1 && !crate {
				break
			}
			if err := s.Place(lib, stage.ShapeModel("box"), top, func(int) uint32 { return uint32(i + 1) }); err != nil {
				t.Fatal(err)
			}
		}
		s.Build()
		down := geom.Compose(geom.V{Y: 9}, geom.Turn(geom.V{X: 1}, -math.Pi/2), geom.V{X: 1, Y: 1, Z: 1})
		f, err := render.Render(context.Background(), s, &render.Camera{World: down, Near: 0.1, TanX: 0.4, TanY: 0.27},
			render.Options{Width: w, Height: h, Samples: n, Seed: 3, Extra: Extra([]string{"shadow"})})
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	with, without := made(true), made(false)
	dark := 0
	for i := range w * h {
		if with.Object[i] != 1 || without.Shadow[i] > 0.02 {
			if with.Object[i] == 1 {
				t.Errorf("pixel %d of the bare floor is shadowed by %v", i, without.Shadow[i])
			}
			continue
		}
		want := 1 - float64(with.Color[3*i+1])/float64(without.Color[3*i+1])
		if math.Abs(want-float64(with.Shadow[i])) > 0.08 {
			t.Errorf("pixel %d lacks %v of its light, the layer says %v", i, want, with.Shadow[i])
		}
		if want > 0.3 {
			dark++
		}
	}
	if dark < 10 {
		t.Errorf("%d pixels are in the shadow", dark)
	}
}

// Coverage by surface: each pixel of the crate is of its surface, and the names are those of the surfaces.
func TestIdentityBySurface(t *testing.T) {
	s, cam := boxes(t)
	f, err := render.Render(context.Background(), s, cam, render.Options{Width: 30, Height: 20, Samples: 8, Seed: 1,
		Extra: Extra([]string{"identity"})})
	if err != nil {
		t.Fatal(err)
	}
	if len(f.SurfaceNames) != 1 {
		t.Fatalf("surfaces %v", f.SurfaceNames)
	}
	numbers, shares := f.SurfaceCoverage(2, func(n uint32) uint32 { return n })
	_, things := f.Coverage(8, func(uint32) uint32 { return 7 })
	for i := range 30 * 20 {
		if shares[2*i] > 0 != (numbers[2*i] == 1) || shares[2*i] != things[8*i] {
			t.Fatalf("pixel %d: surface %d takes %v, things %v", i, numbers[2*i], shares[2*i], things[8*i])
		}
	}
}

// A cube of all around is that which the tool of the format's own library makes of the picture by longitude and
// latitude: places of the same way have the same colour.
func TestTheCubeIsThatOfTheFormat(t *testing.T) {
	tool, err := exec.LookPath("exrenvmap")
	if err != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("install Debian's package openexr")
		}
		t.Skip("needs Debian's package openexr")
	}
	const side = 32
	s := &render.Scene{Env: &sky.Environment{}}
	s.Behind = func(_, d geom.V) geom.V { return geom.V{X: 2 + d.X, Y: 2 + d.Y, Z: 2 + d.Z} }
	s.Build()
	write := func(name, as string, w, h int, cube bool) string {
		f, err := render.Render(context.Background(), s, &render.Camera{World: geom.Identity, Around: true, Cube: cube},
			render.Options{Width: w, Height: h, Samples: 64, Seed: 5})
		if err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		if err := exchange.WriteEXRWith(&out, w, h, exchange.RGB("", f.Color),
			map[string]string{exchange.EnvMap: as}); err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, out.Bytes(), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	round, cube := write("round.exr", "latlong", 256, 128, false), write("cube.exr", "cube", side, 6*side, true)
	theirs := filepath.Join(t.TempDir(), "theirs.exr")
	if out, err := exec.Command(tool, "-c", "-w", "32", round, theirs).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	read := func(path string) [][]float32 {
		data, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		e, err := openexr.Open(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		planes, err := e.Planes("R", "G", "B")
		if err != nil || e.Width != side || e.Height != 6*side {
			t.Fatalf("%d x %d: %v", e.Width, e.Height, err)
		}
		return planes
	}
	ours, other := read(cube), read(theirs)
	for i := range side * 6 * side {
		for c := range 3 {
			if math.Abs(float64(ours[c][i]-other[c][i])) > 0.12 {
				t.Fatalf("row %d, column %d, channel %d: %v, theirs is %v", i/side, i%side, c, ours[c][i], other[c][i])
			}
		}
	}
}
