package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"

	"visator/core/contact"
	"visator/core/frame"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/optics"
)

// clipLine is the range of a camera, as JSON; distances are metres along its axis.
type clipLine struct {
	File   string     `json:"file"`
	Camera string     `json:"camera"`
	Depth  string     `json:"depth"`
	Fitted clipRange  `json:"fitted"`
	Given  clipRange  `json:"given"` // the file's own planes
	First  string     `json:"nearestThing"`
	Last   string     `json:"farthestThing"`
	Seen   clipSeen   `json:"seen"` // from where to where anything is in the picture
	Steps  []clipStep `json:"depthSteps"`
}

type clipRange struct {
	Near      float64  `json:"near"`
	Far       float64  `json:"far"`
	CutByNear []string `json:"cutByNear"`
	CutByFar  []string `json:"cutByFar"`
}

type clipSeen struct {
	Near float64 `json:"near"`
	Far  float64 `json:"far"`
}

type clipStep struct {
	At    float64 `json:"at"`
	Step  float64 `json:"step"`
	Given float64 `json:"stepAsGiven"` // with the file's own planes
}

// nearestFit is the nearest that a fitted near plane comes, in metres.
const nearestFit = 0.001

func clip(ctx context.Context, args []string) error {
	fs := newFlags("clip", "SCENE [--camera INDEX|NAME] [--depth 24|32f|reversed] [--at M,M,...] [--json]",
		"Fits the near and far plane of a camera to what it sees, by the true triangles; tells what its own planes "+
			"and the fitted ones cut, and how much a depth buffer tells apart at given distances.")
	var camera, depth, at string
	var asJSON bool
	fs.StringVar(&camera, "camera", "0", "`INDEX|NAME` of the camera")
	fs.StringVar(&depth, "depth", optics.Buffers[0], "depth buffer: "+strings.Join(optics.Buffers, ", "))
	fs.StringVar(&at, "at", "1,10,100,1000", "distances in `METRES`, parted by commas")
	fs.BoolVar(&asJSON, "json", false, "one line of JSON")
	files, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(files) != 1 {
		return usagef("name one scene with a camera")
	}
	if !slices.Contains(optics.Buffers, depth) {
		return usagef("--depth is one of %s", strings.Join(optics.Buffers, ", "))
	}
	var distances []float64
	for _, t := range strings.Split(at, ",") {
		d, err := strconv.ParseFloat(strings.TrimSpace(t), 64)
		if err != nil || !(d > 0 && d < 1e9) {
			return usagef("--at %q: %q is not a distance in metres", at, t)
		}
		distances = append(distances, d)
	}
	m, err := readModel(ctx, files[0])
	if err != nil {
		return err
	}
	v, name, err := cameraOf(m, files[0], camera)
	if err != nil {
		return err
	}
	v.Depth = depth
	s := sceneOf(m)
	r := frame.RangeOf([]frame.Moment{{View: v, Scene: s}})
	if !r.Seen {
		return fmt.Errorf("%s: camera %s sees nothing: there is no range to fit", files[0], name)
	}
	l := clipLine{File: files[0], Camera: name, Depth: depth, First: s.Things[r.NearThing].Name,
		Last: s.Things[r.FarThing].Name, Seen: clipSeen{r.Near, r.Far}}
	spans := s.Spans(&v)
	near, far := optics.FitClip(r.Near, r.Far, nearestFit)
	l.Fitted, l.Given = cutOf(s, spans, near, far), cutOf(s, spans, v.Near, v.Far)
	for _, d := range distances {
		l.Steps = append(l.Steps, clipStep{d, optics.DepthStep(depth, d, near, max(far, d)),
			optics.DepthStep(depth, d, v.Near, max(v.Far, d))})
	}
	if asJSON {
		return json.NewEncoder(os.Stdout).Encode(l)
	}
	fmt.Printf("%s, camera %s, depth buffer %s\n", l.File, l.Camera, l.Depth)
	fmt.Printf("seen   from %.4g m (%s) to %.4g m (%s)\n", l.Seen.Near, l.First, l.Seen.Far, l.Last)
	for _, k := range []struct {
		name string
		r    *clipRange
	}{{"fitted", &l.Fitted}, {"given ", &l.Given}} {
		fmt.Printf("%s near %.4g m cuts %d, far %.4g m cuts %d%s\n", k.name, k.r.Near, len(k.r.CutByNear), k.r.Far,
			len(k.r.CutByFar), told(append(slices.Clone(k.r.CutByNear), k.r.CutByFar...)))
	}
	for _, st := range l.Steps {
		fmt.Printf("at %.4g m the buffer tells %.3g m apart, with the planes as given %.3g m\n", st.At, st.Step,
			st.Given)
	}
	return ctx.Err()
}

func told(names []string) string {
	if len(names) == 0 {
		return ""
	}
	const most = 5
	if len(names) > most {
		return fmt.Sprintf(": %s and %d more", strings.Join(names[:most], ", "), len(names)-most)
	}
	return ": " + strings.Join(names, ", ")
}

// cameraOf is the camera that is asked for, by its number or its name.
func cameraOf(m *model.Model, file, which string) (v optics.View, name string, err error) {
	n, found := -1, false
	index, isNumber := strconv.Atoi(which)
	m.Walk(func(_ int, node *model.Node, world geom.M) {
		if node.Camera == model.None || found {
			return
		}
		n++
		c := &m.Cameras[node.Camera]
		called := node.Name
		if called == "" {
			called = c.Name
		}
		if isNumber == nil && n != index || isNumber != nil && called != which && c.Name != which {
			return
		}
		found = true
		ok := false
		if name = called; name == "" {
			name = strconv.Itoa(n)
		}
		if v, ok = optics.FromCamera(c, world, 1); !ok {
			err = fmt.Errorf("%s: camera %s is orthographic or has no direction: it has no range to fit", file, name)
		}
	})
	if !found {
		err = fmt.Errorf("%s: it has no camera %q; it has %d", file, which, n+1)
	}
	return v, name, err
}

// sceneOf takes every node with a mesh as a thing of its name.
func sceneOf(m *model.Model) *frame.Scene {
	var things []frame.Thing
	bodies := map[int]*contact.Body{}
	m.Walk(func(i int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		b, ok := bodies[n.Mesh]
		if !ok {
			one := *m
			node := model.NewNode("")
			node.Mesh = n.Mesh
			one.Nodes, one.Roots = []model.Node{node}, []int{0}
			b = contact.New(&one, geom.Identity)
			bodies[n.Mesh] = b
		}
		name := n.Name
		if name == "" {
			name = m.Meshes[n.Mesh].Name
		}
		if name == "" {
			name = fmt.Sprintf("node %d", i)
		}
		things = append(things, frame.Thing{ID: strconv.Itoa(i), Name: name, Body: contact.Stand(b, world)})
	})
	return frame.NewScene(things)
}

// cutOf is what planes at near and far cut of what is seen.
func cutOf(s *frame.Scene, spans []optics.Span, near, far float64) clipRange {
	r := clipRange{Near: near, Far: far, CutByNear: []string{}, CutByFar: []string{}}
	for i, span := range spans {
		if !span.Seen || math.IsInf(span.Near, 1) {
			continue
		}
		if span.Near < near {
			r.CutByNear = append(r.CutByNear, s.Things[i].Name)
		}
		if span.Far > far {
			r.CutByFar = append(r.CutByFar, s.Things[i].Name)
		}
	}
	return r
}
