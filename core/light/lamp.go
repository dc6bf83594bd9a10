package light

import (
	"errors"
	"fmt"
	"math"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/photometry"
)

// Lamp is a lamp of a set. What it gives is typed as artists and makers of lamps tell it; Luminous says
// what it is in candela.
type Lamp struct {
	Shape string  `json:"shape"` // ball, cone, tube, rectangle, disc or measured
	At    geom.V  `json:"at"`    // its middle
	To    geom.V  `json:"to"`    // what a cone, rectangle or disc is aimed at; the way that a tube lies along
	Turn  float64 `json:"turn"`  // of a rectangle about its aim, radians

	Radius float64 `json:"radius"` // metres; 0 is a point, of a ball or a cone
	Length float64 `json:"length"` // of a tube
	Width  float64 `json:"width"`  // of a rectangle
	Height float64 `json:"height"`
	Angle  float64 `json:"angle"` // of a cone, from edge to edge, radians
	Edge   float64 `json:"edge"`  // the share of a cone over which it fades out

	On     bool    `json:"on"`
	Output float64 `json:"output"`
	In     string  `json:"in"`   // lm, cd: in the middle of its beam; lx: there, away metres off
	Away   float64 `json:"away"` // metres
	Dim    float64 `json:"dim"`  // the share of its output that it gives
	Kelvin float64 `json:"kelvin"`
	Mired  float64 `json:"mired"` // by which a gel shifts that
	Tint   string  `json:"tint"`  // what its light is filtered by, #rrggbb; "": nothing
	Seen   bool    `json:"seen"`  // by the camera
	Reach  float64 `json:"reach"` // metres beyond which it gives nothing; 0: none

	File     string          `json:"file"` // of a measured one the content's hash, and what it is called
	FileName string          `json:"fileName"`
	Web      *photometry.Web `json:"-"` // that file, once it is read

	Group      string         `json:"group"`      // with which it is balanced after the render; "": by itself
	Shadowless bool           `json:"shadowless"` // nothing keeps its light back
	Only       document.Names `json:"only"`       // ids of the only things that it lights; none: all
	Except     document.Names `json:"except"`     // ids of those that it does not light

	// In a moving shot.
	Begins float64 `json:"begins"` // seconds at which it goes on
	Ends   float64 `json:"ends"`   // seconds at which it goes out; 0: never
	Hertz  float64 `json:"hertz"`  // about how often a second it flickers; 0: not
	Depth  float64 `json:"depth"`  // the share of its light that comes and goes
	Seed   uint64  `json:"seed"`
}

// maxLamp is how far from the middle of a set a lamp hangs at most, in metres: as for all that is described.
const maxLamp = 1e6

// maxDim is how far a lamp is dimmed up: what was balanced after a render may ask for more than it gives.
const maxDim = 100

// maxLinked is how many things a lamp is told to light, or not: each is looked up for every path.
const maxLinked = 1000

// DefaultLamp is a bulb of 60 W as they were, 2.2 m above the floor (IEC 60064: 710 lm at 230 V).
func DefaultLamp() Lamp {
	return Lamp{Shape: "ball", At: geom.V{Y: 2.2}, Radius: 0.03, Length: 1.2, Width: 1, Height: 1, Angle: 1, Edge: 0.3,
		On: true, Output: 710, In: "lm", Away: 1, Dim: 1, Kelvin: 2700, Seen: true, Depth: 0.3,
		Only: document.Names{}, Except: document.Names{}}
}

// Fields are what a lamp is described by.
func (l *Lamp) Fields() []document.Field {
	return []document.Field{
		document.Of(&l.On, document.Yes, "on", "burns", ""),
		document.Of(&l.Shape, document.Choice, "shape", "shape", "a lamp is").Among("ball", "cone", "tube", "rectangle",
			"disc", "measured"),
		document.Of(&l.Output, document.Number, "output", "output", "its output").In(0, 1e9).Told("", 0),
		document.Of(&l.In, document.Choice, "in", "told in", "its output is told in").Among("lm", "cd", "lx"),
		document.Of(&l.Away, document.Length, "away", "at a distance of", "the distance").
			In(0.01, 10_000).If("in", "lx"),
		document.Of(&l.Dim, document.Percent, "dim", "dimmed to", "how far it is dimmed").In(0, maxDim).Sliding(0, 100,
			1),
		document.Of(&l.Kelvin, document.Number, "kelvin", "colour", "colour temperature").In(1000, 40000).Told("K", 0),
		document.Of(&l.Mired, document.Number, "mired", "gel, shifts by", "a gel's shift").In(-300, 300).
			Told("mired", 0).Hinting("above 0 warmer: 131 makes daylight of 5500 K lamp light of 3200 K"),
		document.Of(&l.Tint, document.Color, "tint", "filter", ""),
		document.Of(&l.Radius, document.Length, "radius", "radius", "its radius").In(0, 1000),
		document.Of(&l.Length, document.Length, "length", "length", "its length").In(0.01, 1000).If("shape", "tube"),
		document.Of(&l.Width, document.Length, "width", "width", "its width").In(0.001, 1000).If("shape", "rectangle"),
		document.Of(&l.Height, document.Length, "height", "height", "its height").In(0.001, 1000).
			If("shape", "rectangle"),
		document.Of(&l.Turn, document.Angle, "turn", "turned", "its turn").In(-100, 100).If("shape", "rectangle"),
		document.Of(&l.Angle, document.Angle, "angle", "beam, across", "its beam").
			In(0.01, math.Pi).If("shape", "cone"),
		document.Of(&l.Edge, document.Percent, "edge", "soft edge", "its soft edge").In(0, 1).If("shape", "cone"),
		document.Of(&l.At.X, document.Length, "at.x", "across", "its place").In(-maxLamp, maxLamp).Drawn(),
		document.Of(&l.At.Y, document.Length, "at.y", "above zero", "its height above zero").
			In(-maxLamp, maxLamp).Drawn(),
		document.Of(&l.At.Z, document.Length, "at.z", "down the plan", "its place").In(-maxLamp, maxLamp).Drawn(),
		document.Of(&l.To.X, document.Length, "to.x", "aimed across", "its aim").In(-maxLamp, maxLamp).Drawn(),
		document.Of(&l.To.Y, document.Length, "to.y", "aimed at height", "its aim").In(-maxLamp, maxLamp).Drawn(),
		document.Of(&l.To.Z, document.Length, "to.z", "aimed down the plan", "its aim").In(-maxLamp, maxLamp).Drawn(),
		document.Of(&l.Seen, document.Yes, "seen", "the camera sees it", ""),
		document.Of(&l.Reach, document.Length, "reach", "reaches", "its reach").In(0, maxLamp),
		document.Of(&l.Shadowless, document.Yes, "shadowless", "casts no shadows", ""),
		document.Of(&l.Group, document.Text, "group", "group", "a group of lamps").In(0, 40).
			Named("Group with which it is balanced after the render"),
		document.Of(&l.Only, document.List, "only", "lights only", "what a lamp lights").In(0, maxLinked).On("links"),
		document.Of(&l.Except, document.List, "except", "does not light", "what a lamp does not light").
			In(0, maxLinked).On("links"),
		document.Of(&l.Begins, document.Number, "begins", "in a move, on at", "when it goes on").In(0, 3600).Told("s",
			2),
		document.Of(&l.Ends, document.Number, "ends", "out at", "when it goes out").In(0, 3600).Told("s", 2).
			Named("Out at so many seconds of a move, 0 is never"),
		document.Of(&l.Hertz, document.Number, "hertz", "flickers", "how often it flickers").In(0,
			120).Told("a second", 2),
		document.Of(&l.Depth, document.Percent, "depth", "by", "how far it flickers").In(0, 1).
			Named("Share of its light that comes and goes"),
		document.Of(&l.Seed, document.Count, "seed", "seed", "the seed").In(0, 1e9).Named("Seed of its flicker"),
	}
}

// Check says what is impossible about a lamp.
func (l *Lamp) Check() error {
	if err := document.Check(l); err != nil {
		return err
	}
	if l.Ends > 0 && l.Ends <= l.Begins {
		return errors.New("a lamp goes out after it goes on; 0 is never")
	}
	switch l.Shape {
	case "measured":
		if l.File != "" && len(l.File) != 64 || len(l.FileName) > document.MaxName {
			return errors.New("a measured lamp shines as its photometric file says: choose one")
		}
	case "tube", "disc":
		if l.Radius < 0.001 {
			return fmt.Errorf("a %s has a radius of 1 mm or more: what is smaller is a ball", l.Shape)
		}
	}
	if l.In == "lx" && l.Shape != "ball" && l.Shape != "cone" && l.Away < l.size() {
		return errors.New("illuminance is told at a distance beyond the lamp's own size")
	}
	return nil
}

// size is the radius of the sphere about a lamp.
func (l *Lamp) size() float64 {
	switch l.Shape {
	case "tube":
		return math.Hypot(l.Length/2, l.Radius)
	case "rectangle":
		return math.Hypot(l.Width, l.Height) / 2
	}
	return l.Radius
}

// Dir is the unit vector along which a lamp shines, or lies; straight down where it is aimed at itself.
func (l *Lamp) Dir() geom.V {
	d := l.To.Sub(l.At)
	if !(d.Len() > 1e-9) {
		return geom.V{Y: -1}
	}
	return d.Unit()
}

// Axes are the directions of a rectangle's width and height: upright where it can be, and turned.
func (l *Lamp) Axes() (u, v geom.V) {
	d := l.Dir()
	up := geom.V{Y: 1}
	if math.Abs(d.Y) > 0.999 {
		up = geom.V{Z: -1}
	}
	u = d.Cross(up).Unit()
	v = u.Cross(d)
	sin, cos := math.Sincos(l.Turn)
	return u.Mul(cos).Add(v.Mul(sin)), v.Mul(cos).Sub(u.Mul(sin))
}

// Cone is the cosines of half the angle within which a cone is at its full, and beyond which it is dark.
func (l *Lamp) Cone() (inner, outer float64) {
	return math.Cos(l.Angle / 2 * (1 - l.Edge)), math.Cos(l.Angle / 2)
}

// Span is how many steradians a lamp's light fills at the candela of its middle: lumen over candela. Of a
// ball 4π; of a flat face π, of a tube π² across it, both by Lambert's cosine law (IES Lighting Handbook);
// of a cone the integral over its edge.
func (l *Lamp) Span() float64 {
	switch l.Shape {
	case "cone":
		inner, outer := l.Cone()
		return 2 * math.Pi * (1 - inner + (inner-outer)/3)
	case "tube":
		return math.Pi * math.Pi
	case "rectangle", "disc":
		return math.Pi
	case "measured":
		if l.Web != nil {
			return l.Web.Lumens() / l.Web.Largest()
		}
	}
	return 4 * math.Pi
}

// Luminous is what a lamp gives in the middle of its beam, in candela of each channel, before its tint
// 1/683 W: nothing while it is off.
func (l *Lamp) Luminous() geom.V {
	if !l.On || l.Shape == "measured" && l.Web == nil {
		return geom.V{}
	}
	cd := l.Output
	switch l.In {
	case "lm":
		cd = l.Output / l.Span()
	case "lx":
		cd = l.Output / l.luxOf()
	}
	kelvin, passes := l.gelled()
	c := Color(kelvin).Mul(cd * l.Dim * passes)
	if l.Tint != "" {
		c = c.Times(Hex(l.Tint))
	}
	if !c.Finite() {
		return geom.V{}
	}
	return c
}

// luxOf is the lux that a lamp of one candela gives to a plane that faces it, away in the middle of its beam.
func (l *Lamp) luxOf() float64 {
	if l.Shape == "measured" { // along its largest
		return 1 / (l.Away * l.Away)
	}
	one := *l
	one.To, one.At = geom.V{}, geom.V{X: l.Away}
	if l.Shape == "tube" {
		one.To = geom.V{X: l.Away, Z: 1}
	}
	return one.onto(geom.V{}, geom.V{X: 1})
}

// Lumen is what it gives in all directions, in lm; 0 while it is off.
func (l *Lamp) Lumen() float64 { return Luminance(l.Luminous()) * l.Span() }

// Shining is a lamp as it is traced.
func (l *Lamp) Shining() lamp.Lamp {
	out := lamp.Lamp{At: l.At, Dir: l.Dir(), Candela: l.Luminous(), Radius: l.Radius, Seen: l.Seen, Range: l.Reach}
	out.Blind = l.Shadowless
	switch l.Shape {
	case "measured":
		out.Web = l.Web
		out.X, out.Y, out.Z = l.webAxes()
	case "cone":
		out.Spot = true
		out.CosInner, out.CosOuter = l.Cone()
	case "tube":
		out.Shape, out.U = lamp.Tube, out.Dir.Mul(l.Length/2)
	case "disc":
		out.Shape = lamp.Disc
	case "rectangle":
		u, v := l.Axes()
		out.Shape, out.U, out.V = lamp.Rectangle, u.Mul(l.Width/2), v.Mul(l.Height/2)
	default:
		if l.Radius > 0 {
			out.Shape = lamp.Ball
		}
	}
	return out
}

// webAxes are the axes of a measured luminaire in the set: it is aimed along what its file calls the middle.
func (l *Lamp) webAxes() (x, y, z geom.V) {
	d := l.Dir()
	u, v := l.Axes()
	if l.Web.Type == 'C' { // straight down is its middle
		return u, d.Mul(-1), u.Cross(d.Mul(-1))
	}
	return u, v, d.Mul(-1)
}

// Lux is the illuminance that a lamp gives to a surface at p with the normal n, with nothing between.
func (l *Lamp) Lux(p, n geom.V) float64 { return l.Gives()(p, n) }

// Gives is Lux for many places: what the lamp gives in the middle of its beam is worked out once.
func (l *Lamp) Gives() func(p, n geom.V) float64 {
	cd := Luminance(l.Luminous())
	return func(p, n geom.V) float64 {
		if l.Reach > 0 && p.Sub(l.At).Len() >= l.Reach {
			return 0
		}
		return cd * l.onto(p, n)
	}
}

// parts is how many parts a side of a lamp is cut into where its light is added up.
const parts = 8

// onto is the lux at p of a lamp of one candela: the sum over its parts, each by the inverse square and both
// cosines.
func (l *Lamp) onto(p, n geom.V) (lux float64) {
	d := l.Dir()
	one := func(q geom.V, share func(way geom.V) float64) {
		to := q.Sub(p)
		r := to.Len()
		if r < 1e-9 {
			return
		}
		way := to.Mul(1 / r)
		lux += max(way.Dot(n), 0) * max(share(way), 0) / (r * r)
	}
	switch l.Shape {
	case "rectangle", "disc":
		u, v := l.Axes()
		for i := range parts {
			for k := range parts {
				s, t := (float64(i)+0.5)/parts, (float64(k)+0.5)/parts
				at := l.At.Add(u.Mul((s - 0.5) * l.Width)).Add(v.Mul((t - 0.5) * l.Height))
				if l.Shape == "disc" { // rings of the same area
					sin, cos := math.Sincos(2 * math.Pi * t)
					at = l.At.Add(u.Mul(l.Radius * math.Sqrt(s) * cos)).Add(v.Mul(l.Radius * math.Sqrt(s) * sin))
				}
				one(at, func(way geom.V) float64 { return -way.Dot(d) / (parts * parts) })
			}
		}
	case "tube":
		for i := range parts * parts {
			at := l.At.Add(d.Mul(l.Length * ((float64(i)+0.5)/(parts*parts) - 0.5)))
			one(at, func(way geom.V) float64 {
				c := way.Dot(d)
				return math.Sqrt(max(1-c*c, 0)) / (parts * parts)
			})
		}
	case "cone":
		inner, outer := l.Cone()
		one(l.At, func(way geom.V) float64 { return lamp.Fade(-way.Dot(d), inner, outer) })
	case "measured":
		if l.Web == nil {
			return 0
		}
		x, y, z := l.webAxes()
		one(l.At, func(way geom.V) float64 {
			return l.Web.Toward(geom.V{X: -way.Dot(x), Y: -way.Dot(y), Z: -way.Dot(z)}) / l.Web.Largest()
		})
	default:
		one(l.At, func(geom.V) float64 { return 1 }) // as from its middle (a ball's law)
	}
	return lux
}

// Penumbra is how wide the soft edge is, in metres, of the shadow that something above a level floor throws on it, with
// the lamp high above the floor: as wide as the lamp is across, by the ratio of both distances; 0 where it is above the
// lamp, or of a point.
func (l *Lamp) Penumbra(high, above float64) float64 {
	across := 2 * l.size()
	if l.Shape == "tube" {
		across = l.Length
	}
	if !(high > above) || above <= 0 {
		return 0
	}
	return across * above / (high - above)
}

// Pool is the light of a lamp on a level floor: where it gives at least so much.
type Pool struct {
	Share   float64      `json:"share"` // of the most that it gives there
	Lux     float64      `json:"lux"`
	Outline [][2]float64 `json:"outline"` // x and z, around; as far as it was looked for
}

// Pools are where a lamp gives half and a tenth of the most that it gives to a level floor at height y, with
// nothing between; none where it gives nothing. most is that, in lux, beneath or before it.
func (l *Lamp) Pools(y float64) (pools []Pool, most float64) {
	high := l.At.Y - y
	if !(high > 1e-3) || !(Luminance(l.Luminous()) > 0) {
		return nil, 0
	}
	up := geom.V{Y: 1}
	give := l.Gives()
	lux := func(x, z float64) float64 { return give(geom.V{X: x, Y: y, Z: z}, up) }
	// The brightest place lies on the line from beneath it to where its axis meets the floor.
	axis := l.Dir()
	mid := geom.V{X: l.At.X, Z: l.At.Z}
	if l.Shape != "ball" && l.Shape != "tube" {
		ahead := geom.V{X: axis.X, Z: axis.Z}
		far := 10 * high
		if axis.Y < -1e-6 {
			far = min(high*ahead.Len()/-axis.Y, far)
		}
		if ahead = ahead.Unit(); far > 0 && ahead.Len() > 0 {
			best := mid
			for i := range 129 {
				q := geom.V{X: l.At.X, Z: l.At.Z}.Add(ahead.Mul(far * float64(i) / 128))
				if e := lux(q.X, q.Z); e > most {
					most, best = e, q
				}
			}
			mid = best
		}
	}
	if most = max(most, lux(mid.X, mid.Z)); !(most > 0) {
		return nil, 0
	}
	for _, share := range []float64{0.5, 0.1} {
		p := Pool{Share: share, Lux: most * share}
		for i := range 64 {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / 64)
			lo, hi := 0.0, high/8
			for hi < 100*high && lux(mid.X+hi*cos, mid.Z+hi*sin) >= p.Lux {
				lo, hi = hi, hi*1.25
			}
			for range 24 {
				if m := (lo + hi) / 2; lux(mid.X+m*cos, mid.Z+m*sin) >= p.Lux {
					lo = m
				} else {
					hi = m
				}
			}
			p.Outline = append(p.Outline, [2]float64{mid.X + lo*cos, mid.Z + lo*sin})
		}
		pools = append(pools, p)
	}
	return pools, most
}
