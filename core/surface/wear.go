package surface

import (
	"errors"
	"fmt"
	"image"
	"math"

	"visator/core/bsdf"
	"visator/core/document"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/points"
	"visator/core/texture"
)

// Wear is what weather does to what stands: each by one amount, within limits.
type Wear struct {
	Wet     float64 `json:"wet"`
	Puddles float64 `json:"puddles"`
	Dust    float64 `json:"dust"`
	Snow    float64 `json:"snow"`
	Moss    float64 `json:"moss"`
	Edges   float64 `json:"edges"`   // rubbed bare along edges
	Corners float64 `json:"corners"` // dirt where nothing wipes it away
	DustOf  string  `json:"dustOf"`  // colours
	MossOf  string  `json:"mossOf"`
	EdgesOf string  `json:"edgesOf"` // of what shows where it is rubbed bare
	Bare    bool    `json:"bare"`    // that is metal
	DirtOf  string  `json:"dirtOf"`

	EdgeReach   float64 `json:"edgeReach"` // metres from an edge, and from a corner
	CornerReach float64 `json:"cornerReach"`

	From  float64 `json:"from"` // metres of the set, between which it counts
	To    float64 `json:"to"`
	Side  float64 `json:"side"`  // radians, from where moss is thickest: as the sun's direction
	Sided bool    `json:"sided"` // it counts on that side alone
	Grain float64 `json:"grain"` // metres over which it varies
	Seed  uint64  `json:"seed"`

	AreaX    float64 `json:"areaX"` // the middle of an area of the plan within which alone it counts
	AreaZ    float64 `json:"areaZ"`
	AreaWide float64 `json:"areaWide"`     // metres; 0: everywhere
	AreaDeep float64 `json:"areaDeep"`     // 0: as wide
	AreaTurn float64 `json:"areaTurn"`     // radians about the upright, as things are turned
	Map      Map     `json:"map,omitzero"` // laid over the area: white has all of it, black none

	Only  document.Names `json:"only"`  // things that it counts on; none: all
	Spots []Spot         `json:"spots"` // where it was brushed on; none: everywhere
}

// Spot is a ball within which wear was brushed on, or taken away again.
type Spot struct {
	At     geom.V  `json:"at"`
	Radius float64 `json:"radius"`
	Take   bool    `json:"take"`
}

// MaxSpots bounds what is brushed on: each is asked about at every place that is looked at.
const MaxSpots = 2000

// NewWear is none, as it begins.
func NewWear() Wear {
	return Wear{DustOf: "#9a8b74", MossOf: "#4b5a24", EdgesOf: "#b5a68c", DirtOf: "#2e261d",
		EdgeReach: 0.01, CornerReach: 0.1, From: -1000, To: 10000, Grain: 0.4, Seed: 1,
		Only: document.Names{}, Spots: []Spot{}}
}

// Fields are what wear is described by.
func (w *Wear) Fields() []document.Field {
	of := document.Of
	share := func(at *float64, key, label string) document.Field {
		return of(at, document.Percent, key, label, label).In(0, 1).Sliding(0, 100, 1)
	}
	return []document.Field{
		share(&w.Wet, "wet", "wet"),
		share(&w.Puddles, "puddles", "puddles").Hinting("where it is level: water stands on so much of it"),
		share(&w.Dust, "dust", "dust"),
		of(&w.DustOf, document.Swatch, "dustOf", "of the colour", ""),
		share(&w.Snow, "snow", "snow"),
		share(&w.Moss, "moss", "moss"),
		of(&w.MossOf, document.Swatch, "mossOf", "of the colour", ""),
		share(&w.Edges, "edges", "worn edges"),
		of(&w.EdgesOf, document.Swatch, "edgesOf", "bare, of the colour", ""),
		of(&w.Bare, document.Yes, "bare", "bare metal", ""),
		of(&w.EdgeReach, document.Length, "edgeReach", "from the edge", "a way").In(1e-4, 1),
		share(&w.Corners, "corners", "dirt in corners"),
		of(&w.DirtOf, document.Swatch, "dirtOf", "of the colour", ""),
		of(&w.CornerReach, document.Length, "cornerReach", "from the corner", "a way").In(1e-3, 10),
		of(&w.Side, document.Angle, "side", "thickest towards", "a side").In(-7, 7).Sliding(0, 360, 5),
		of(&w.Sided, document.Yes, "sided", "on that side alone", "").
			Hinting("else the side counts for moss, which is thickest there"),
		of(&w.From, document.Length, "from", "from the height", "a height").In(-1e5, 1e5),
		of(&w.To, document.Length, "to", "to the height", "a height").In(-1e5, 1e5),
		of(&w.AreaWide, document.Length, "areaWide", "in an area, wide", "an area").In(1e-3, 1e5).Or("everywhere"),
		of(&w.AreaDeep, document.Length, "areaDeep", "and deep", "an area").In(1e-3, 1e5).Or("as wide"),
		of(&w.AreaX, document.Length, "areaX", "its middle, along x", "a place").In(-1e5, 1e5),
		of(&w.AreaZ, document.Length, "areaZ", "and along z", "a place").In(-1e5, 1e5),
		of(&w.AreaTurn, document.Angle, "areaTurn", "turned by", "a turn").In(-7, 7).Sliding(0, 360, 5),
		of(&w.Grain, document.Length, "grain", "varies over", "a size").In(0.01, 100),
		of(&w.Seed, document.Count, "seed", "seed", "a seed").In(0, math.MaxInt32),
		of(&w.Only, document.List, "only", "only on", "what it counts on").In(0, MaxOn).On("links"),
	}
}

// Check says what is impossible about it.
func (w *Wear) Check() error {
	if err := document.Check(w); err != nil {
		return err
	}
	if len(w.Spots) > MaxSpots {
		return fmt.Errorf("wear is brushed on by at most %d touches: add another for more", MaxSpots)
	}
	if w.Map.Blob != "" && w.AreaWide == 0 || max(len(w.Map.Blob), len(w.Map.Name)) > document.MaxName {
		return errors.New("a picture of wear is laid over an area: say how wide that is")
	}
	for _, s := range w.Spots {
		if !s.At.Finite() || !(s.Radius > 0 && s.Radius <= 1000) || s.At.Len() > 1e6 {
			return errors.New("a touch of the brush lies within 1,000 km and is up to 1 km wide")
		}
	}
	return nil
}

// inside is the chance that light within a wet surface is mirrored back into it: 1 − (1−R)/n², with water's index and
// the 6.6 % that it mirrors of light from all around (Lekner and Dorf, Why some things are darker when wet, 1988).
const (
	water  = 1.33
	inside = 1 - (1-0.066)/(water*water)
)

// Wetted is the albedo of a porous surface below a film of water, without what the water itself mirrors: light that is
// mirrored back into it meets the surface again.
func Wetted(albedo float64) float64 { return albedo * (1 - inside) / (1 - inside*albedo) }

// Weather is wear of a set with where it counts.
type Weather struct {
	Wear
	On                     map[uint32]bool  // objects; nil: all
	mask                   *texture.Texture // laid over its area; nil: all of it
	dust, moss, bare, dirt geom.V           // its colours
}

// Place is where wear is asked about.
type Place struct {
	P, N, Bent geom.V         // the place, its smooth normal and the bent one
	Open       func() float64 // how open the sky is above it, 0 to 1
	// Edge and Corner tell how near it is to an edge of what it is on, or in a corner, 0 to 1, by what is met within so
	// many metres.
	Edge, Corner func(reach float64) float64
}

// Ready is weather that can be asked at places: on are the objects that it counts on, nil of all; mask is its picture,
// nil of none.
func (w Wear) Ready(on map[uint32]bool, mask *image.NRGBA) Weather {
	out := Weather{Wear: w, On: on}
	if mask != nil {
		slot := model.EmptySlot
		slot.WrapS, slot.WrapT = model.Clamp, model.Clamp
		out.mask = texture.New(mask, slot, true)
	}
	out.dust, _ = ParseColor(w.DustOf)
	out.moss, _ = ParseColor(w.MossOf)
	out.bare, _ = ParseColor(w.EdgesOf)
	out.dirt, _ = ParseColor(w.DirtOf)
	return out
}

// step goes from 0 to 1 between two values, smoothly.
func step(from, to, x float64) float64 {
	t := min(max((x-from)/(to-from), 0), 1)
	return t * t * (3 - 2*t)
}

// covered is which share is covered where an amount lies by chance: none of 0, all of 1, and between them what the
// chance says, with soft edges.
func covered(amount, chance float64) float64 {
	if amount <= 0 {
		return 0
	}
	const edge = 0.15
	return step(1-edge, 1+edge, amount*(1+2*edge)+(1-edge)-chance)
}

// brushed is how much of it was brushed on at a place, 0 to 1.
func (w *Wear) brushed(p geom.V) float64 {
	if len(w.Spots) == 0 {
		return 1
	}
	there := 0.0
	if w.Spots[0].Take { // all but what was taken away
		there = 1
	}
	for i := range w.Spots {
		s := &w.Spots[i]
		d := p.Sub(s.At)
		if q := d.Dot(d); q >= s.Radius*s.Radius {
			continue
		}
		share := 1 - step(0.6, 1, d.Len()/s.Radius)
		if s.Take {
			there *= 1 - share
		} else {
			there = max(there, share)
		}
	}
	return there
}

// soft is over which share of an area's shorter side wear ends.
const soft = 0.1

// within is how much of it there is at a place of the plan, 0 to 1.
func (w *Weather) within(p geom.V) float64 {
	if w.AreaWide <= 0 {
		return 1
	}
	deep := w.AreaDeep
	if deep == 0 {
		deep = w.AreaWide
	}
	sin, cos := math.Sincos(w.AreaTurn)
	x, z := p.X-w.AreaX, p.Z-w.AreaZ
	x, z = x*cos-z*sin, x*sin+z*cos
	in := min(w.AreaWide/2-math.Abs(x), deep/2-math.Abs(z))
	if in <= 0 {
		return 0
	}
	if w.mask != nil {
		r, g, b, _ := w.mask.At(0.5+x/w.AreaWide, 0.5+z/deep)
		return float64(r+g+b) / 3
	}
	return step(0, soft*min(w.AreaWide, deep), in)
}

// At changes the values of a place. It returns the normal that shows: water stands level.
func (w *Weather) At(at *Place, v *bsdf.Values) geom.V {
	p, n, bent := at.P, at.N, at.Bent
	if p.Y < w.From || p.Y > w.To {
		return bent
	}
	there := w.within(p)
	if there == 0 {
		return bent
	}
	if there *= w.brushed(p); there == 0 {
		return bent
	}
	if w.Sided {
		// From a right angle to that side on, all of it from 60° on; what lies level has no side.
		if there *= step(0, 0.5, n.X*math.Sin(w.Side)-n.Z*math.Cos(w.Side)); there == 0 {
			return bent
		}
	}
	q := p.Mul(1 / max(w.Grain, 1e-3))
	chance := func(seed uint64) float64 { return clouds(q, w.Seed+seed) }
	mix := func(c geom.V, share, rough float64) {
		if share *= there; share <= 0 {
			return
		}
		k := 1 - share
		v.Base = v.Base.Lerp(c, share)
		v.Rough += (rough - v.Rough) * share
		v.Metal, v.Clear, v.Coat, v.Film.Share = v.Metal*k, v.Clear*k, v.Coat*k, v.Film.Share*k
		v.Sheen = v.Sheen.Mul(k)
	}
	if w.Edges > 0 && at.Edge != nil {
		if near := at.Edge(w.EdgeReach); near > 0 {
			rubbed := covered(w.Edges*near, chance(5))
			mix(w.bare, rubbed, 0.5)
			if w.Bare {
				v.Metal = max(v.Metal, rubbed*there)
			}
		}
	}
	if w.Corners > 0 && at.Corner != nil {
		mix(w.dirt, covered(w.Corners*at.Corner(w.CornerReach), 0.7*chance(6)), 0.9)
	}
	if w.Moss > 0 {
		side := geom.V{X: math.Sin(w.Side), Z: -math.Cos(w.Side)}
		grows := (0.5 + 0.35*n.Dot(side) + 0.35*max(n.Y, -0.3)) * step(-0.4, 0.1, n.Y)
		mix(w.moss.Mul(0.7+0.6*chance(11)), covered(w.Moss*grows, chance(1)), 1)
	}
	if w.Dust > 0 {
		mix(w.dust, w.Dust*step(0.05, 0.9, n.Y)*at.Open()*(0.45+0.55*chance(2)), 1)
	}
	if w.Wet > 0 || w.Puddles > 0 {
		wet := there * w.Wet * (0.25 + 0.75*max(n.Y, 0)) * (0.3 + 0.7*at.Open())
		stands := 0.0
		if w.Puddles > 0 {
			stands = covered(there*w.Puddles*at.Open(), chance(3)) * step(0.96, 0.995, n.Y)
			wet = max(wet, step(0, 0.3, stands))
		}
		soaks := wet * (1 - v.Metal) * (1 - v.Clear)
		v.Base = v.Base.Lerp(geom.V{X: Wetted(v.Base.X), Y: Wetted(v.Base.Y), Z: Wetted(v.Base.Z)}, soaks)
		film := max(step(0.5, 1, wet)*0.6, stands)
		if film > v.Coat {
			v.Coat, v.CoatRough = film, 0.25*(1-stands)
		}
		v.Rough *= 1 - 0.35*soaks
		if stands > 0 {
			bent = bent.Lerp(n, stands).Unit()
		}
	}
	if w.Snow > 0 {
		lies := step(0.25, 0.7, n.Y) * at.Open()
		mix(geom.V{X: 0.87, Y: 0.88, Z: 0.9}, covered(w.Snow*lies*1.2, chance(4)), 0.9)
	}
	return bent
}

// clouds is a smooth chance from 0 to 1 in space, of three sizes, evenly spread.
func clouds(p geom.V, seed uint64) float64 {
	s := 0.55*lattice(p, seed) + 0.3*lattice(p.Mul(2.7), seed+101) + 0.15*lattice(p.Mul(6.9), seed+202)
	return step(0.2, 0.8, s)
}

// lattice is value noise: random at whole places, smooth between them.
func lattice(p geom.V, seed uint64) float64 {
	fx, fy, fz := math.Floor(p.X), math.Floor(p.Y), math.Floor(p.Z)
	smooth := func(t float64) float64 { return t * t * (3 - 2*t) }
	x, y, z := smooth(p.X-fx), smooth(p.Y-fy), smooth(p.Z-fz)
	at := func(i, j, k int64) float64 {
		h := uint64(int64(fx)+i)*0x9e3779b97f4a7c15 ^ uint64(int64(fy)+j)*0xc2b2ae3d27d4eb4f ^
			uint64(int64(fz)+k)*0x165667b19e3779f9 ^ seed*0xd6e8feb86659fd93
		return float64(points.Mix(h)>>11) / (1 << 53)
	}
	lerp := func(a, b, t float64) float64 { return a + (b-a)*t }
	return lerp(lerp(lerp(at(0, 0, 0), at(1, 0, 0), x), lerp(at(0, 1, 0), at(1, 1, 0), x), y),
		lerp(lerp(at(0, 0, 1), at(1, 0, 1), x), lerp(at(0, 1, 1), at(1, 1, 1), x), y), z)
}
