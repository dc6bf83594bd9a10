// Package rig is the light of a shot as a file, and as the renderer has it: sun, sky, air, and lamps of every kind.
package rig

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/light"
	"visator/core/photometry"
	"visator/core/render"
	"visator/core/sky"
)

// Form names the form of the file and its version.
const Form = "visator light 1"

// Limits of a rig: more lamps than a street has, and their photometric files.
const (
	MaxLamps = 10_000
	MaxFile  = 64 << 20
)

// Rig is the light of a shot.
type Rig struct {
	Form     string      `json:"form"`
	Light    light.State `json:"light"`
	Panorama string      `json:"panorama,omitempty"` // the file of the sky's picture, beside the rig
	Behind   string      `json:"behind,omitempty"`   // that of the picture behind
	Lamps    []Lamp      `json:"lamps"`
}

// Lamp is a lamp with its name. What it lights or does not is told by the names of nodes; a measured one brings its
// file.
type Lamp struct {
	Name string `json:"name"`
	light.Lamp
	Photometry string `json:"photometry,omitempty"` // the text of the file
}

// UnmarshalJSON reads a lamp; what is not told of it is as it begins.
func (l *Lamp) UnmarshalJSON(raw []byte) error {
	type plain struct {
		Name string `json:"name"`
		light.Lamp
		Photometry string `json:"photometry"`
	}
	p := plain{Lamp: light.DefaultLamp()}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(&p); err != nil {
		return err
	}
	*l = Lamp(p)
	return nil
}

// Read reads a rig. What it does not tell of a light or a lamp is as that begins. The error names the lamp.
func Read(r io.Reader) (*Rig, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxFile+1))
	if err != nil {
		return nil, err
	}
	if len(data) > MaxFile {
		return nil, fmt.Errorf("a rig is at most %d MB", MaxFile>>20)
	}
	out := &Rig{Light: light.Default()}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(out); err != nil {
		return nil, fmt.Errorf("it is no rig of light: %w", told(data, err))
	}
	if out.Form != Form {
		return nil, fmt.Errorf("its form is %.40q: a rig of light says \"form\": %q", out.Form, Form)
	}
	if len(out.Lamps) > MaxLamps {
		return nil, fmt.Errorf("it has %d lamps: at most %d are read", len(out.Lamps), MaxLamps)
	}
	if out.Light.Sky == "panorama" && out.Panorama != "" {
		out.Light.Panorama = strings.Repeat("0", 64) // there is one, though not in a store
	}
	if out.Light.Behind.Behind == "picture" && out.Behind != "" {
		out.Light.Picture = strings.Repeat("0", 64)
	}
	if err := out.Light.Check(); err != nil {
		return nil, fmt.Errorf("its light: %w", err)
	}
	for i := range out.Lamps {
		l := &out.Lamps[i]
		if err := l.ready(); err != nil {
			return nil, fmt.Errorf("lamp %d, %.60q: %w", i+1, l.Name, err)
		}
	}
	return out, nil
}

// told is an error of JSON with its line.
func told(data []byte, err error) error {
	var s *json.SyntaxError
	if errors.As(err, &s) {
		return fmt.Errorf("line %d: %w", 1+bytes.Count(data[:min(int(s.Offset), len(data))], []byte("\n")), err)
	}
	return err
}

// ready reads the photometric file of a lamp and checks it.
func (l *Lamp) ready() error {
	if len(l.Name) > document.MaxName {
		return fmt.Errorf("its name is longer than %d characters", document.MaxName)
	}
	if !l.At.Finite() || !l.To.Finite() {
		return errors.New("its place is none")
	}
	if l.Photometry != "" {
		w, err := photometry.Read(strings.NewReader(l.Photometry))
		if err != nil {
			return fmt.Errorf("its photometric file: %w", err)
		}
		l.Web = w
	}
	l.File = ""
	if err := l.Check(); err != nil {
		return err
	}
	if l.Shape == "measured" && l.Web == nil {
		return errors.New("a measured lamp brings the text of its file as \"photometry\"")
	}
	return nil
}

// Write writes a rig.
func (r *Rig) Write(w io.Writer) error {
	r.Form = Form
	e := json.NewEncoder(w)
	e.SetIndent("", "\t")
	return e.Encode(r)
}

// MaxGroups is how many groups of lamps are kept apart after a render: each takes 12 bytes a pixel. Further lamps
// share the last.
const MaxGroups = 24

// Burning is a lamp that burns, with its name.
type Burning struct {
	Name string
	*light.Lamp
}

// Traced are lamps as the renderer has them, and the groups of them that are kept apart, by name: lamps without a group
// are one each. numbered are the object IDs of what a lamp lights, or does not; nil of none.
func Traced(list []Burning, numbered func(of document.Names) (map[uint32]bool, error)) (lamps []lamp.Lamp,
	groups []string, err error) {
	known := map[string]int{}
	for i, l := range list {
		key, said := l.Group, l.Group
		if key == "" {
			key, said = fmt.Sprintf("\x00%d", i), l.Name
		}
		g, ok := known[key]
		switch {
		case ok:
		case len(groups) < MaxGroups:
			g = len(groups)
			groups = append(groups, said)
		default:
			g = MaxGroups - 1
			groups[g] = "other lamps"
		}
		known[key] = g
		one := l.Shining()
		one.Group = g
		if one.Only, err = numbered(l.Only); err == nil {
			one.Except, err = numbered(l.Except)
		}
		if err != nil {
			return nil, nil, fmt.Errorf("lamp %q lights or does not light: %w", l.Name, err)
		}
		lamps = append(lamps, one)
	}
	return lamps, groups, nil
}

// Suns are the suns of a light.
func Suns(s *light.State) []render.Sun {
	if lux := s.Sunlight(); lux.Max() > 0 {
		return []render.Sun{{To: light.Direction(s.Azimuth, s.Elevation), Lux: lux, Radius: s.Size / 2}}
	}
	return nil
}

// Picture reads a panorama, 3 linear values a pixel.
type Picture func() (pix []float32, w, h int, err error)

// Sky is the sky of a light; picture reads its panorama.
func Sky(s *light.State, picture Picture) (*sky.Environment, error) {
	if s.Sky != "panorama" {
		w, h := s.SkySize()
		return sky.New(s.BakeSky(w, h), w, h, 1, 0), nil
	}
	pix, w, h, err := picture()
	if err != nil {
		return nil, fmt.Errorf("the panorama: %w", err)
	}
	if s.SunOut {
		if own, ok := sky.FindSun(pix, w, h); ok {
			pix = sky.WithoutSun(pix, w, h, own)
		}
	}
	strength := Strength(s, pix, w, h)
	if s.SkyFilter != "" {
		c := light.Lets(s.SkyFilter)
		k := c.Float32()
		pix = slices.Clone(pix)
		for i := range pix {
			pix[i] *= k[i%3]
		}
	}
	return sky.New(pix, w, h, strength, s.Turn), nil
}

// Behind is what the camera sees behind everything, of a light whose sky is env; nil where that is suns and sky.
// picture reads the panorama behind, where there is one of its own.
func Behind(s *light.State, env *sky.Environment, picture Picture) (func(o, d geom.V) geom.V, error) {
	if !s.Own() {
		return nil, nil
	}
	var own *sky.Environment
	if s.Behind.Behind == "picture" {
		pix, w, h, err := picture()
		if err != nil {
			return nil, fmt.Errorf("the picture behind: %w", err)
		}
		own = sky.New(pix, w, h, s.Bright, s.Turned)
	}
	return s.Seen(env, own), nil
}

// Strength is how many cd/m² a value of 1 of a panorama is: told, or so that level ground gets so many lux.
func Strength(s *light.State, pix []float32, w, h int) float64 {
	if s.GroundLux > 0 {
		one := sky.New(pix, w, h, 1, 0)
		if lux := sky.OnGround(func(d geom.V) float64 { return light.Luminance(one.At(d)) }, 180); lux > 0 {
			return s.GroundLux / lux
		}
	}
	return s.Strength
}

// Lit is a scene in the light of a rig; picture reads its panoramas by their files, ids are the instances of a node by
// name, of which there may be several. It names the groups of lamps that are kept apart.
func (r *Rig) Lit(s *render.Scene, picture func(file string) Picture,
	ids func(name string) []uint32) (*render.Scene, []string, error) {
	env, err := Sky(&r.Light, picture(r.Panorama))
	if err != nil {
		return nil, nil, err
	}
	behind, err := Behind(&r.Light, env, picture(r.Behind))
	if err != nil {
		return nil, nil, err
	}
	var burning []Burning
	for i := range r.Lamps {
		if l := &r.Lamps[i]; l.Luminous().Max() > 0 {
			burning = append(burning, Burning{l.Name, &l.Lamp})
		}
	}
	numbered := func(list document.Names) (map[uint32]bool, error) {
		if len(list) == 0 {
			return nil, nil
		}
		out := map[uint32]bool{}
		for _, name := range list {
			found := ids(name)
			if len(found) == 0 {
				return nil, fmt.Errorf("no node is called %q", name)
			}
			for _, id := range found {
				out[id] = true
			}
		}
		return out, nil
	}
	lamps, names, err := Traced(burning, numbered)
	if err != nil {
		return nil, nil, err
	}
	out := s.Relit(lamps, Suns(&r.Light), env, r.Light.Medium())
	out.Behind = behind
	return out, names, nil
}
