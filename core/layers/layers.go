// Package layers writes what a picture is made of beside it, for compositing: as layers of one OpenEXR file, with a
// list that says what each is and how they add up again.
package layers

import (
	"fmt"
	"slices"
	"strings"

	"visator/core/exchange"
	"visator/core/film"
	"visator/core/geom"
	"visator/core/identity"
	"visator/core/render"
)

// Kinds are the layers that can be asked for, each with what it is.
var Kinds = [][2]string{
	{"depth", "metres along the view axis; infinite where nothing stands"},
	{"position", "metres in the set, of what is met first in the middle of the pixel"},
	{"normal", "where its surface looks, in the set"},
	{"cameraNormal", "the same, to the right, up and towards the lens"},
	{"albedo", "its base colour, linear"},
	{"objectId", "a number for each thing"},
	{"ways", "what came of the light by each way: they add up to the picture"},
	{"lights", "what each group of lights gave: they add up to the picture"},
	{"occlusion", "share of the sky that nothing within a metre hides"},
	{"shadow", "share of the light that is sent straight to what is met first and does not come: a shadow catcher"},
	{"motion", "of frames of a move: pixels right and down by which what is met moves until the next frame"},
	{"identity", "which things, pieces, layers and surfaces a pixel holds, and how much each takes (Cryptomatte)"},
	{"noise", "standard error of the luminance, over it and a tenth of the picture's mean"},
}

// occlusion is the channel of the layer of that name.
const occlusion = "occlusion.V"

// Wanted are layers by name; an error for one that is none.
func Wanted(text string) (list []string, err error) {
	for _, name := range strings.Split(text, ",") {
		name = strings.TrimSpace(name)
		if name == "all" {
			for _, k := range Kinds {
				list = append(list, k[0])
			}
			continue
		}
		if err := Check([]string{name}); err != nil {
			return nil, err
		}
		list = append(list, name)
	}
	slices.Sort(list)
	return slices.Compact(list), nil
}

// Check says which of some names is no layer.
func Check(list []string) error {
	for _, name := range list {
		if !slices.ContainsFunc(Kinds, func(k [2]string) bool { return k[0] == name }) {
			var all []string
			for _, k := range Kinds {
				all = append(all, k[0])
			}
			return fmt.Errorf("%.40q is no layer: there are %s, and all", name, strings.Join(all, ", "))
		}
	}
	return nil
}

// Extra is what a film keeps for them.
func Extra(list []string) film.Extra {
	has := func(name string) bool { return slices.Contains(list, name) }
	return film.Extra{Ways: has("ways"), Held: has("identity"), Surfaces: has("identity"),
		Unhidden: has("occlusion"), Shadow: has("shadow")}
}

// Called is what the things of a picture are called, for identity: by thing, by piece, by layer.
type Called struct {
	Kind string // "Thing", "Piece", "Layer"
	Of   func(object uint32) string
}

// Line is what is told of a layer in the list.
type Line struct {
	Channels []string `json:"channels"`
	Is       string   `json:"is"`
	AddsUp   string   `json:"addsUp,omitempty"` // what it is a part of
}

// Picture is a picture with its layers, ready to be written.
type Picture struct {
	Width, Height int
	Channels      []exchange.Channel
	Texts         map[string]string // of the file's head
	Lines         []Line
}

// Later is a frame on: its camera, and where what a thing has at a place now has come to.
type Later struct {
	Camera *render.Camera
	Moved  func(object uint32, at geom.V) geom.V
}

// Of takes layers of a film that was rendered with Extra of them, seen by a camera. groups names its groups of lights;
// later is nil of a still.
func Of(f *render.Film, cam *render.Camera, list, groups []string, called []Called, later *Later) (*Picture, error) {
	p := &Picture{Width: f.Width, Height: f.Height, Texts: map[string]string{}}
	p.add("scene-linear cd/m², Rec.709 primaries, the picture", "", exchange.RGB("", f.Color)...)
	is := map[string]string{}
	for _, k := range Kinds {
		is[k[0]] = k[1]
	}
	exact := []string{"depth", "position", "objectId"}
	vector := func(name string, data []float32) {
		var c []exchange.Channel
		for k, axis := range []string{"X", "Y", "Z"} {
			c = append(c, exchange.Channel{Name: name + "." + axis, Data: data, Stride: 3, Offset: k,
				Exact: slices.Contains(exact, name)})
		}
		p.add(is[name], "", c...)
	}
	one := func(name, channel string, data []float32) {
		if data != nil {
			p.add(is[name], "", exchange.Channel{Name: channel, Data: data, Stride: 1,
				Exact: slices.Contains(exact, name)})
		}
	}
	for _, name := range list {
		switch name {
		case "depth":
			one(name, "Z", f.Depth)
		case "position":
			vector(name, positions(f, cam))
		case "normal":
			vector(name, f.Normal)
		case "cameraNormal":
			vector(name, turned(f.Normal, cam))
		case "albedo":
			p.add(is[name], "", exchange.RGB("albedo.", f.Albedo)...)
		case "objectId":
			one(name, "objectId.V", f.Object)
		case "occlusion":
			one(name, occlusion, f.Unhidden)
		case "shadow":
			one(name, "shadow.V", f.Shadow)
		case "motion":
			if later != nil {
				data := motion(f, cam, later)
				p.add(is[name], "", exchange.Channel{Name: "motion.X", Data: data, Stride: 2, Exact: true},
					exchange.Channel{Name: "motion.Y", Data: data, Stride: 2, Offset: 1, Exact: true})
			}
		case "noise":
			one(name, "noise.V", f.Errors())
		case "ways":
			for g, data := range f.Ways {
				p.add("what came by this way: "+film.WayNames[g], "with the other ways the picture",
					exchange.RGB(film.WayNames[g]+".", data)...)
			}
		case "lights":
			c := exchange.Shares(f.Shares, groups)
			for i := 0; i < len(c); i += 3 {
				p.add("what this group of lights gave", "with the other groups the picture", c[i:i+3]...)
			}
		case "identity":
			for _, k := range called {
				if err := p.identify(k, f.Coverage); err != nil {
					return nil, err
				}
			}
			of := Called{Kind: "Surface", Of: func(n uint32) string { return f.SurfaceNames[n-1] }}
			if err := p.identify(of, f.SurfaceCoverage); err != nil {
				return nil, err
			}
		}
	}
	return p, nil
}

func (p *Picture) add(is, addsUp string, list ...exchange.Channel) {
	l := Line{Is: is, AddsUp: addsUp}
	for _, c := range list {
		l.Channels = append(l.Channels, c.Name)
	}
	p.Channels, p.Lines = append(p.Channels, list...), append(p.Lines, l)
}

// motion is by how many pixels what is met first moves until a frame later, right and down; 0 where nothing stands, but
// for the turning of the camera.
func motion(f *render.Film, cam *render.Camera, later *Later) []float32 {
	out := make([]float32, 2*len(f.Depth))
	for i, d := range f.Depth {
		x, y := (float64(f.Left+i%f.Width)+0.5)/float64(f.Whole[0]), (float64(f.Top+i/f.Width)+0.5)/float64(f.Whole[1])
		depth, object := float64(d), uint32(f.Object[i])
		if d-d != 0 { // the background is far away
			depth, object = farAway, 0
		}
		at := cam.Point(x, y, depth)
		if object != 0 {
			at = later.Moved(object, at)
		}
		if u, v, ok := later.Camera.Pixel(at); ok {
			out[2*i] = float32((u - x) * float64(f.Whole[0]))
			out[2*i+1] = float32((v - y) * float64(f.Whole[1]))
		}
	}
	return out
}

// farAway is how far the background is, in metres: as good as without end.
const farAway = 1e7

// identify adds who is who, by what tells how much of a pixel each takes.
func (p *Picture) identify(k Called, coverage func(int, func(uint32) uint32) ([]uint32, []float32)) error {
	l := &identity.Layer{Name: "Visator" + k.Kind}
	known := map[uint32]uint32{}
	l.IDs, l.Shares = coverage(identity.Ranks, func(object uint32) uint32 {
		id, ok := known[object]
		if !ok {
			if name := k.Of(object); name != "" {
				id = identity.ID(name)
				if !slices.Contains(l.Names, name) {
					l.Names = append(l.Names, name)
				}
			}
			known[object] = id
		}
		return id
	})
	if l.IDs == nil {
		return nil
	}
	texts, err := l.Attributes()
	if err != nil {
		return err
	}
	for name, t := range texts {
		p.Texts[name] = t
	}
	p.add("by "+strings.ToLower(k.Kind)+": numbers and how much of the pixel each takes, in pairs (Cryptomatte 1.2)",
		"", l.Channels()...)
	return nil
}

// positions are where what is met first stands.
func positions(f *render.Film, cam *render.Camera) []float32 {
	out := make([]float32, 3*len(f.Depth))
	for i, d := range f.Depth {
		if d-d != 0 {
			continue
		}
		at := cam.Point((float64(f.Left+i%f.Width)+0.5)/float64(f.Whole[0]),
			(float64(f.Top+i/f.Width)+0.5)/float64(f.Whole[1]), float64(d))
		out[3*i], out[3*i+1], out[3*i+2] = float32(at.X), float32(at.Y), float32(at.Z)
	}
	return out
}

// turned are directions as the camera has them.
func turned(list []float32, cam *render.Camera) []float32 {
	out := make([]float32, len(list))
	var axes [3]geom.V
	for k := range axes {
		axes[k] = geom.V{X: cam.World[4*k], Y: cam.World[4*k+1], Z: cam.World[4*k+2]}
	}
	for i := 0; i < len(list); i += 3 {
		v := geom.V{X: float64(list[i]), Y: float64(list[i+1]), Z: float64(list[i+2])}
		for k, a := range axes {
			out[i+k] = float32(a.Dot(v))
		}
	}
	return out
}
