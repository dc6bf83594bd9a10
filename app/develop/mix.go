// Package develop is what is done to a take once it is rendered: its lights balanced anew.
package develop

import (
	"bytes"
	"context"
	"fmt"
	"sync"

	"visator/app/act"
	"visator/app/shoot"
	"visator/app/takes"
	"visator/core/document"
	"visator/core/exchange"
	"visator/core/finish"
	"visator/core/light"
	"visator/core/openexr"
	"visator/store"
)

// Lab is where takes are developed.
type Lab struct {
	*takes.Operator
	mixing     lately[*shown]
	developing lately[*finish.Linear]
}

// NewLab is that of an operator.
func NewLab(o *takes.Operator) *Lab { return &Lab{Operator: o} }

// Gain is what is done to a kind of light of a finished take.
type Gain struct {
	By   float64 `json:"by"`   // as strong as it was rendered
	Tint string  `json:"tint"` // what it is filtered by, #rrggbb; "": nothing
}

// maxGain is as far as a light is brought up: ten stops, beyond which its noise is the picture.
const maxGain = 1024

// widestMix is how wide a balanced picture is shown: as wide as a page shows it.
const widestMix = 960

// shown is a picture with its layers, as small as it is shown.
type shown struct {
	w, h   int
	layers [][]float32 // 3 a pixel
}

// lately keeps the picture that was asked for last, and the name of what it was read for.
type lately[T any] struct {
	mu   sync.Mutex
	of   string
	last T
}

// get is what was read for of, or reads it.
func (l *lately[T]) get(of string, read func() (T, error)) (T, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.of == of {
		return l.last, nil
	}
	p, err := read()
	if err == nil {
		l.of, l.last = of, p
	}
	return p, err
}

// take reads a take with its settings and what it was rendered to.
func (a *Lab) take(ctx context.Context, id string) (t store.Take, s takes.Settings, r takes.Result, err error) {
	if t, err = a.Store.Take(ctx, id); err != nil {
		return t, s, r, act.NotThere(err, "The take")
	}
	s, r, err = takes.Of(&t)
	return t, s, r, err
}

// taken are the settings and the result of a take that kept lights apart.
func (a *Lab) taken(ctx context.Context, id string) (s takes.Settings, r takes.Result, set string, err error) {
	t, s, r, err := a.take(ctx, id)
	if err == nil && (len(r.Groups) == 0 || r.EXR == "") {
		err = act.Wrong("This take did not keep its lights apart: render it with “keep lights apart”.")
	}
	return s, r, t.SetID, err
}

// check says what cannot be done to the kinds of light of a take.
func check(r *takes.Result, gains []Gain) error {
	if len(gains) != len(r.Groups) {
		return act.Wrong("This take has %d kinds of light, not %d.", len(r.Groups), len(gains))
	}
	for i, g := range gains {
		if !(g.By >= 0 && g.By <= maxGain) {
			return act.Wrong("%s is brought to 0 to %d times what it was, not %v.", r.Groups[i].Name, maxGain, g.By)
		}
		if g.Tint != "" && !document.IsColor(g.Tint) {
			return act.Wrong("%q is not a colour such as #8a8a7a.", g.Tint)
		}
	}
	return nil
}

// Mix is a finished take, its lights balanced anew, as PNG: finished as the take was.
func (a *Lab) Mix(ctx context.Context, id string, gains []Gain) ([]byte, error) {
	s, r, _, err := a.taken(ctx, id)
	if err != nil {
		return nil, err
	}
	if err := check(&r, gains); err != nil {
		return nil, err
	}
	if err := a.Learned(ctx, s.Finish); err != nil {
		return nil, err
	}
	p, err := a.mixing.get(id, func() (*shown, error) { return a.layers(ctx, &r) })
	if err != nil {
		return nil, err
	}
	color := make([]float32, 3*p.w*p.h)
	for g, layer := range p.layers {
		k := [3]float32{float32(gains[g].By), float32(gains[g].By), float32(gains[g].By)}
		if gains[g].Tint != "" {
			c := light.Hex(gains[g].Tint)
			k[0], k[1], k[2] = k[0]*float32(c.X), k[1]*float32(c.Y), k[2]*float32(c.Z)
		}
		for i, v := range layer {
			color[i] += v * k[i%3]
		}
	}
	f := s.View
	out, err := shoot.QuickPicture(&finish.Linear{Width: p.w, Height: p.h, Color: color}, &f, s.Finish)
	if err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// layers reads the lights that a take kept apart, averaged to as wide as they are shown.
func (a *Lab) layers(ctx context.Context, r *takes.Result) (*shown, error) {
	var groups, names []string
	for _, g := range r.Groups {
		if g.Kind == "" {
			groups = append(groups, g.Name)
		}
	}
	for _, c := range exchange.Shares(make([][]float32, len(r.Groups)), groups) {
		names = append(names, c.Name)
	}
	e, err := a.open(ctx, r.EXR, widestMix)
	if err != nil {
		return nil, err
	}
	p := &shown{}
	p.w, p.h, p.layers, err = e.Averaged(names, widestMix)
	return p, err
}

// open reads the head of a take's picture, which is to be read at most so wide.
func (a *Lab) open(ctx context.Context, exr string, widest int) (*openexr.Reader, error) {
	data, err := a.Store.ReadBlob(ctx, exr)
	if err != nil {
		return nil, err
	}
	e, err := openexr.Open(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the take: %w", err)
	}
	if widest >= e.Width {
		if err := a.FitsMemory(e.Width, e.Height); err != nil {
			return nil, err
		}
	}
	return e, nil
}

// Balanced is the light of a take with what was done to its kinds of light written into it: which lamps burn how
// strong, the sun and the sky. What glows by itself cannot be written back; tints are told by lamp.
func (a *Lab) Balanced(ctx context.Context, id string, gains []Gain,
	own func(set, lamp string) (light.Burn, bool)) (set string, l light.State, tints map[string]string, err error) {
	s, r, set, err := a.taken(ctx, id)
	if err != nil {
		return "", l, nil, err
	}
	if err := check(&r, gains); err != nil {
		return "", l, nil, err
	}
	l = s.Light
	burns := map[string]light.Burn{}
	for id, b := range l.Lamps {
		burns[id] = b
	}
	tints = map[string]string{}
	for g, group := range r.Groups {
		by := gains[g].By
		switch group.Kind {
		case "sun":
			l.From, l.Lux, l.SunOn = "hand", l.Lux*by, l.SunOn && by > 0
			l.SunFilter = light.Filtered(l.SunFilter, gains[g].Tint)
		case "sky":
			l.Level, l.Strength = l.Level*by, l.Strength*by
			if l.Times == 0 {
				l.Times = 1
			}
			l.Times = max(l.Times*by, 0.001)
			l.SkyFilter = light.Filtered(l.SkyFilter, gains[g].Tint)
		case "":
			for i, lamp := range group.Lamps {
				b, ok := burns[lamp]
				if !ok {
					if b, ok = own(set, lamp); !ok {
						continue // taken away since
					}
				}
				burns[lamp] = light.Burn{On: b.On && by > 0, Dim: min(b.Dim*max(by, 0), 100)}
				if gains[g].Tint != "" {
					tints[lamp] = gains[g].Tint
					if i < len(group.Tints) { // before what it had when the take was made
						tints[lamp] = light.Filtered(group.Tints[i], gains[g].Tint)
					}
				}
			}
		}
	}
	l.Lamps = burns
	return set, l, tints, nil
}
