package finish

import (
	"encoding/json"
	"fmt"
	"image"
	"slices"
	"strings"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/optics"
	"visator/core/plain"
)

// Place is where in the chain a step stands: the chain has the order of light, whatever
// order steps are named in. Exposure comes before all, the screen's encoding after all.
type Place int

// The places of steps. Up to Tone values are linear, 1 is what exposure makes white; from
// Shown on they are what tone mapping made of them, 0 to 1, linear still.
const (
	Set     Place = iota // what stands about
	Balance              // the colour of light
	Glass                // what the lens does to it
	Grade                // what a person makes of it
	Tone                 // how what is brighter than white comes within it
	Shown                // what is done to what a screen shows
	Grain                // what a film or sensor does to it
	Mask                 // what is cut off
)

// Step is one operation of the chain with its settings. As it begins it changes nothing.
type Step interface {
	document.Fielded
	Apply(p *Pixels)
}

// Pixels is a picture on its way through the chain.
type Pixels struct {
	Width, Height int
	RGB           []float32     // 3 linear values a pixel, rows from the top
	Unhidden      []float32     // the share of the sky that nothing near by hides, where that is known; else nil
	Window        optics.Window // what it shows at a metre
}

// At is where a pixel's middle lies in the window, metres at a metre before the lens.
func (p *Pixels) At(x, y int) (right, up float64) {
	u, v := (float64(x)+0.5)/float64(p.Width), (float64(y)+0.5)/float64(p.Height)
	return p.Window.Left + u*(p.Window.Right-p.Window.Left), p.Window.Top - v*(p.Window.Top-p.Window.Bottom)
}

// kind is a step that is known: each stands in a file of its own and puts itself in.
type kind struct {
	name  string
	place Place
	new   func() Step
}

var kinds []kind

// step puts a step in; new makes one as it begins.
func step(name string, at Place, new func() Step) bool {
	kinds = append(kinds, kind{name, at, new})
	slices.SortStableFunc(kinds, func(a, b kind) int {
		if a.place != b.place {
			return int(a.place - b.place)
		}
		return strings.Compare(a.name, b.name)
	})
	return true
}

// Chain is what is done to a picture beside exposure, tone mapping and encoding: the
// settings of steps by their names. What is not named is as it begins: nothing is done.
type Chain map[string]json.RawMessage

// read are the steps that are named, in the order of the chain.
func (c Chain) read() (steps []Step, places []Place, err error) {
	known := 0
	for _, k := range kinds {
		raw, named := c[k.name]
		if !named {
			continue
		}
		known++
		s := k.new()
		if err := plain.Read(raw, s); err != nil {
			return nil, nil, fmt.Errorf("finish: %s cannot be read: %w", k.name, err)
		}
		if err := document.Check(s); err != nil {
			return nil, nil, err
		}
		steps, places = append(steps, s), append(places, k.place)
	}
	if known != len(c) {
		for name := range c {
			if !slices.ContainsFunc(kinds, func(k kind) bool { return k.name == name }) {
				return nil, nil, fmt.Errorf("finish: %.40q is no step of it", name)
			}
		}
	}
	return steps, places, nil
}

// Check says what is impossible about a chain.
func (c Chain) Check() error {
	_, _, err := c.read()
	return err
}

// Described is a step as a panel shows it.
type Described struct {
	Name   string           `json:"name"`
	Fields []document.Field `json:"fields"`
}

// Schema is all steps, in the order of the chain.
func Schema() (list []Described) {
	for _, k := range kinds {
		list = append(list, Described{k.name, document.Schema(k.new())})
	}
	return list
}

// Linear is a picture as it was rendered.
type Linear struct {
	Width, Height int
	Color         []float32 // 3 a pixel, cd/m², rows from the top
	Unhidden      []float32 // as in Pixels; or nil
}

// Develop finishes a picture as a view was exposed, with the steps of a chain, which was checked before; the picture
// stays as it is.
func Develop(l *Linear, v *optics.View, c Chain) *image.NRGBA {
	w, h := l.Width, l.Height
	if steps, _, err := c.read(); err != nil || len(steps) == 0 {
		return Picture(l.Color, w, h, v.EV)
	}
	p := c.applied(l, v, true)
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		for c := range 3 {
			img.Pix[4*i+c] = encoded(float64(p.RGB[3*i+c]))
		}
		img.Pix[4*i+3] = 255
	}
	return img
}

// applied is a picture with all steps of a chain, linear; toned says whether what is brighter than white is brought
// within it.
func (c Chain) applied(l *Linear, v *optics.View, toned bool) *Pixels {
	p := &Pixels{Width: l.Width, Height: l.Height, RGB: make([]float32, len(l.Color)), Unhidden: l.Unhidden,
		Window: v.Window()}
	k := float32(Scale(v.EV))
	for i, x := range l.Color {
		p.RGB[i] = x * k
	}
	c.onto(p, toned, func(Place) bool { return false })
	return p
}

// onto does the steps of a chain to a picture that is exposed, but those of places that are left out.
func (c Chain) onto(p *Pixels, toned bool, without func(Place) bool) {
	steps, places, err := c.read()
	if err != nil {
		steps = nil
	}
	done := !toned
	for i, s := range steps {
		if without(places[i]) || places[i] == Tone && !toned {
			continue
		}
		if places[i] > Tone && !done {
			p.tone()
		}
		done = done || places[i] >= Tone
		s.Apply(p)
	}
	if !done {
		p.tone()
	}
}

// tone brings what is brighter than white within 1.
func (p *Pixels) tone() {
	p.each(func(c geom.V) geom.V {
		r, g, b := Neutral(c.X, c.Y, c.Z)
		return geom.V{X: r, Y: g, Z: b}
	})
}
