package lay

import (
	"errors"
	"fmt"
	"math"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/light"
)

var _ = Kind("ground", func() Spec { return &Ground{} })

// Ground is terrain: heights over a rectangle.
type Ground struct {
	Middle  P        `json:"middle"`
	Width   float64  `json:"width"`
	Depth   float64  `json:"depth"`
	Base    float64  `json:"base"`  // its mean height
	Cell    float64  `json:"cell"`  // from height to height
	Rough   float64  `json:"rough"` // how high its swell is
	Grain   float64  `json:"grain"` // how wide its swell is
	Seed    uint64   `json:"seed"`
	Strokes []Sculpt `json:"strokes"`
	Color   string   `json:"color"` // of what lies flat, "#8a8a7a"
	Steep   string   `json:"steep"` // of what is steeper than Slope
	High    string   `json:"high"`  // of what lies above Above
	Slope   float64  `json:"slope"` // radians
	Above   float64  `json:"above"` // height; 0: nothing is high
}

// Sculpt is one stroke on the ground.
type Sculpt struct {
	Do     string  `json:"do"`     // raise, lower, smooth, flatten; pad: flatten an outline
	Points []P     `json:"points"` // the stroke, or the outline
	Radius float64 `json:"radius"` // of the brush; of a pad: over which it goes back
	Height float64 `json:"height"` // raise and lower: by; flatten and pad: to
}

// maxHeights bounds a ground: a million heights are two million triangles.
const maxHeights = 1_100_000

// Default is a ground as it begins.
func (*Ground) Default() Spec {
	return &Ground{Width: 40, Depth: 40, Cell: 0.2, Rough: 0.4, Grain: 12, Seed: 1, Color: "#6f7460", Steep: "#77736c",
		Slope: 35 * math.Pi / 180}
}

// Fields are what a ground is described by.
func (g *Ground) Fields() []document.Field {
	return []document.Field{
		document.Of(&g.Width, document.Length, "width", "width", "its width").In(0.1, 100_000).Drawn(),
		document.Of(&g.Depth, document.Length, "depth", "depth", "its depth").In(0.1, 100_000).Drawn(),
		document.Of(&g.Base, document.Length, "base", "height", "its height").In(-maxPlace, maxPlace),
		document.Of(&g.Cell, document.Length, "cell", "detail", "its cells").In(0.01, 1000).Drawn(),
		document.Of(&g.Rough, document.Length, "rough", "swell, high", "its swell").In(0, 10_000),
		document.Of(&g.Grain, document.Length, "grain", "swell, wide", "its swell's width").In(-maxPlace,
			maxPlace).Drawn(),
		document.Of(&g.Color, document.Color, "color", "colour", ""),
		document.Of(&g.Steep, document.Color, "steep", "where steep", ""),
		document.Of(&g.Slope, document.Angle, "slope", "steep from", "its slope limit").In(0, 1.6),
		document.Of(&g.High, document.Color, "high", "where high", ""),
		document.Of(&g.Above, document.Length, "above", "high from", "where it is high").In(-maxPlace, maxPlace),
		document.Of(&g.Seed, document.Count, "seed", "chance", "its chance"),
	}
}

// Check says what is impossible about a ground.
func (g *Ground) Check() error {
	if err := firstOf(checkPoints("the ground", []P{g.Middle}, 1), document.Check(g)); err != nil {
		return err
	}
	if g.Rough > 0 && !(g.Grain > 0.01 && g.Grain <= 100_000) {
		return errors.New("a swell is more than 1 cm wide and less than 100 km")
	}
	if n := (g.Width/g.Cell + 1) * (g.Depth/g.Cell + 1); n > maxHeights {
		return fmt.Errorf("%.0f heights; a ground has at most %d. Make its cells larger than %.2f m", n, maxHeights,
			math.Sqrt(g.Width*g.Depth/maxHeights))
	}
	if len(g.Strokes) > 2000 {
		return errors.New("2000 strokes are kept; level it out before going on")
	}
	work, whole := 0.0, rect{g.Middle.X - g.Width/2, g.Middle.Z - g.Depth/2, g.Middle.X + g.Width/2,
		g.Middle.Z + g.Depth/2}
	for i := range g.Strokes {
		s := &g.Strokes[i]
		least := 1
		switch s.Do {
		case "raise", "lower", "smooth", "flatten":
		case "pad":
			if err := checkArea("the pad", s.Points); err != nil {
				return err
			}
		default:
			return fmt.Errorf("a brush raises, lowers, smooths or flattens; it does not %q", s.Do)
		}
		if err := firstOf(checkPoints("the stroke", s.Points, least), within("the brush's radius", s.Radius, 0, 10_000),
			within("the stroke's height", s.Height, -maxPlace, maxPlace)); err != nil {
			return err
		}
		b := boxAbout(s.Points, s.Radius+g.Cell, noRect)
		b = rect{max(b.x0, whole.x0), max(b.z0, whole.z0), min(b.x1, whole.x1), min(b.z1, whole.z1)}
		if b.x1 > b.x0 && b.z1 > b.z0 {
			work += b.area() / (g.Cell * g.Cell) * float64(len(s.Points))
		}
	}
	if err := tooMuch(work); err != nil {
		return err
	}
	for _, c := range []string{g.Color, g.Steep, g.High} {
		if _, err := colorOf(c); err != nil {
			return err
		}
	}
	return nil
}

// colorOf reads "#rrggbb" as linear light; "" is a middle grey.
func colorOf(s string) ([3]float64, error) {
	if s == "" {
		return [3]float64{0.25, 0.25, 0.25}, nil
	}
	c := light.Hex(s)
	if c == (geom.V{}) && s != "#000000" {
		return [3]float64{}, fmt.Errorf("%q is not a colour such as #8a8a7a", s)
	}
	return [3]float64{c.X, c.Y, c.Z}, nil
}

// Field is heights in a grid, metres.
type Field struct {
	X0, Z0, Cell float64
	NX, NZ       int // heights along X and Z
	H            []float32
}

// Field works out the heights of the ground, before paths.
func (g *Ground) Field() *Field {
	f := &Field{Cell: g.Cell, NX: int(g.Width/g.Cell+0.5) + 1, NZ: int(g.Depth/g.Cell+0.5) + 1}
	f.NX, f.NZ = max(f.NX, 2), max(f.NZ, 2)
	f.X0, f.Z0 = g.Middle.X-float64(f.NX-1)*g.Cell/2, g.Middle.Z-float64(f.NZ-1)*g.Cell/2
	f.H = make([]float32, f.NX*f.NZ)
	octaves := 1
	for o := g.Grain; o > 2*g.Cell && octaves < 9; o /= 2 {
		octaves++
	}
	each(f.NZ, 2, func(j int) {
		for i := range f.NX {
			h := g.Base
			if g.Rough > 0 {
				h += g.Rough * rough(g.Seed, (f.X0+float64(i)*g.Cell)/g.Grain, (f.Z0+float64(j)*g.Cell)/g.Grain,
					octaves)
			}
			f.H[j*f.NX+i] = float32(h)
		}
	})
	for i := range g.Strokes {
		f.sculpt(&g.Strokes[i])
	}
	return f
}

// over calls do for every height within by of the points' box.
func (f *Field) over(points []P, by float64, do func(k int, p P)) {
	b := boxAbout(points, by, noRect)
	i0, i1 := max(int((b.x0-f.X0)/f.Cell), 0), min(int((b.x1-f.X0)/f.Cell)+1, f.NX-1)
	j0, j1 := max(int((b.z0-f.Z0)/f.Cell), 0), min(int((b.z1-f.Z0)/f.Cell)+1, f.NZ-1)
	for j := j0; j <= j1; j++ {
		for i := i0; i <= i1; i++ {
			do(j*f.NX+i, P{f.X0 + float64(i)*f.Cell, f.Z0 + float64(j)*f.Cell})
		}
	}
}

// smoothStep goes from 0 to 1 without a corner.
func smoothStep(t float64) float64 {
	t = min(max(t, 0), 1)
	return t * t * (3 - 2*t)
}

func (f *Field) sculpt(s *Sculpt) {
	weight := func(p P) float64 {
		if s.Do == "pad" {
			if Holds(s.Points, p) {
				return 1
			}
			if s.Radius == 0 {
				return 0
			}
			return smoothStep(1 - Distance(s.Points, p, true)/s.Radius)
		}
		d := p.sub(s.Points[0]).len()
		if len(s.Points) > 1 {
			d = Distance(s.Points, p, false)
		}
		return smoothStep(1 - d/max(s.Radius, 1e-9))
	}
	old := f.H
	if s.Do == "smooth" {
		old = append([]float32{}, f.H...)
	}
	f.over(s.Points, s.Radius+f.Cell, func(k int, p P) {
		w := float32(weight(p))
		if w == 0 {
			return
		}
		switch s.Do {
		case "raise":
			f.H[k] += w * float32(s.Height)
		case "lower":
			f.H[k] -= w * float32(s.Height)
		case "flatten", "pad":
			f.H[k] += w * (float32(s.Height) - f.H[k])
		case "smooth":
			i, j := k%f.NX, k/f.NX
			var sum, n float32
			for dj := -2; dj <= 2; dj++ {
				for di := -2; di <= 2; di++ {
					if a, b := i+di, j+dj; a >= 0 && b >= 0 && a < f.NX && b < f.NZ {
						sum += old[b*f.NX+a]
						n++
					}
				}
			}
			f.H[k] += w * (sum/n - f.H[k])
		}
	})
}

// Under is the height of the field at a place, with its normal: two triangles a
// cell, as it is drawn.
func (f *Field) Under(x, z, from float64) (y float64, normal geom.V, ok bool) {
	u, w := (x-f.X0)/f.Cell, (z-f.Z0)/f.Cell
	if !(u >= 0 && w >= 0 && u <= float64(f.NX-1) && w <= float64(f.NZ-1)) {
		return 0, geom.V{}, false
	}
	i, j := min(int(u), f.NX-2), min(int(w), f.NZ-2)
	u, w = u-float64(i), w-float64(j)
	k := j*f.NX + i
	a, b, c, d := float64(f.H[k]), float64(f.H[k+1]), float64(f.H[k+f.NX]), float64(f.H[k+f.NX+1])
	var dx, dz float64
	if u+w <= 1 {
		dx, dz = b-a, c-a
		y = a + u*dx + w*dz
	} else {
		dx, dz = d-c, d-b
		y = d - (1-u)*dx - (1-w)*dz
	}
	return y, geom.V{X: -dx, Y: f.Cell, Z: -dz}.Unit(), y <= from
}

// Lay makes the ground's model of its heights.
func (g *Ground) Lay(f *Field) *Laid {
	s := newShape("ground")
	white := paint{name: "ground", color: [3]float64{1, 1, 1}, rough: 0.95}
	p := s.into(white)
	flat, _ := colorOf(g.Color)
	steep, high := flat, flat
	if g.Steep != "" {
		steep, _ = colorOf(g.Steep)
	}
	if g.High != "" {
		high, _ = colorOf(g.High)
	}
	lowest, highest := math.Inf(1), math.Inf(-1)
	for j := range f.NZ {
		for i := range f.NX {
			h := func(i, j int) float64 {
				return float64(f.H[min(max(j, 0), f.NZ-1)*f.NX+min(max(i, 0), f.NX-1)])
			}
			x, z, y := f.X0+float64(i)*f.Cell, f.Z0+float64(j)*f.Cell, h(i, j)
			lowest, highest = min(lowest, y), max(highest, y)
			n := geom.V{X: h(i-1, j) - h(i+1, j), Y: 2 * f.Cell, Z: h(i, j-1) - h(i, j+1)}.Unit()
			vertex(p, geom.V{X: x, Y: y, Z: z}, n, x, z)
			c := flat
			if g.Above != 0 {
				c = mix(c, high, smoothStep((y-g.Above)/max(0.2*g.Rough, 0.5)+0.5))
			}
			if g.Slope > 0 {
				c = mix(c, steep, smoothStep((math.Acos(min(n.Y, 1))-g.Slope)/0.12+0.5))
			}
			p.Colors = append(p.Colors, float32(c[0]), float32(c[1]), float32(c[2]), 1)
		}
	}
	for j := range uint32(f.NZ - 1) {
		for i := range uint32(f.NX - 1) {
			a := j*uint32(f.NX) + i
			b, c := a+1, a+uint32(f.NX)
			p.Indices = append(p.Indices, a, c, b, b, c, c+1)
		}
	}
	return &Laid{Model: s.made(), Said: fmt.Sprintf("%d heights, from %.2f m to %.2f m", len(f.H), lowest, highest)}
}

func mix(a, b [3]float64, t float64) [3]float64 {
	for i := range a {
		a[i] += (b[i] - a[i]) * t
	}
	return a
}

var _ = Kind("path", func() Spec { return &Path{} })

// Path is a way or a road on the ground, which follows it.
type Path struct {
	Points   []P     `json:"points"`
	Smooth   bool    `json:"smooth"`
	Width    float64 `json:"width"`
	Crown    float64 `json:"crown"`    // how much higher its middle is than its edges
	Kerb     float64 `json:"kerb"`     // height of its kerbs; 0: none
	KerbWide float64 `json:"kerbWide"` // and their width
	Shoulder float64 `json:"shoulder"` // over which the ground goes back to its own height
	Level    float64 `json:"level"`    // over which its heights are evened out, along it
	Color    string  `json:"color"`
}

// Default is a path as it begins.
func (*Path) Default() Spec {
	return &Path{Width: 3, Crown: 0.06, KerbWide: 0.15, Shoulder: 2, Level: 8, Color: "#807a70"}
}

// Fields are what a path is described by.
func (p *Path) Fields() []document.Field {
	return []document.Field{
		document.Of(&p.Width, document.Length, "width", "width", "its width").In(0.05, 500),
		document.Of(&p.Crown, document.Length, "crown", "crown", "its crown").In(-5, 5),
		document.Of(&p.Kerb, document.Length, "kerb", "kerbs, high", "its kerbs").In(0, 5),
		document.Of(&p.KerbWide, document.Length, "kerbWide", "kerbs, wide", "its kerbs' width").In(0, 10),
		document.Of(&p.Shoulder, document.Length, "shoulder", "shoulder", "its shoulder").In(0, 1000),
		document.Of(&p.Level, document.Length, "level", "evened over", "its level").In(0, 10_000),
		document.Of(&p.Smooth, document.Yes, "smooth", "a curve", "").Drawn(),
		document.Of(&p.Color, document.Color, "color", "colour", ""),
	}
}

// Check says what is impossible about a path.
func (p *Path) Check() error {
	if err := checkPoints("the path", p.Points, 2); err != nil {
		return err
	}
	if i, j, ok := crossing(p.Points, false); ok {
		return fmt.Errorf("the path crosses itself: stretch %d and stretch %d meet; make two paths of it", i+1, j+1)
	}
	if c := newCourse(p.Points, p.Smooth, false); c.length() < 0.01 || c.length() > 200_000 {
		return errors.New("a path is 1 cm to 200 km long")
	}
	return document.Check(p)
}

// profile is the heights of the path's edges every step metres along it.
type profile struct {
	c    *course
	step float64
	h    []float64
}

func (p *Path) profile(on Beneath) *profile {
	pr := &profile{c: newCourse(p.Points, p.Smooth, false)}
	n := min(max(int(pr.c.length()/0.5)+1, 2), 200_000)
	pr.step = pr.c.length() / float64(n-1)
	raw := make([]float64, n)
	for i := range raw {
		q, _ := pr.c.walk(float64(i) * pr.step)
		if y, _, ok := on.Under(q.X, q.Z, math.Inf(1)); ok {
			raw[i] = y
		} else if i > 0 {
			raw[i] = raw[i-1]
		}
	}
	// The mean over Level metres, by running sums.
	sums := make([]float64, n+1)
	for i, y := range raw {
		sums[i+1] = sums[i] + y
	}
	w := int(p.Level / 2 / pr.step)
	pr.h = make([]float64, n)
	for i := range raw {
		k := min(w, i, n-1-i) // ends keep their height
		pr.h[i] = (sums[i+k+1] - sums[i-k]) / float64(2*k+1)
	}
	return pr
}

func (pr *profile) at(s float64) float64 {
	t := min(max(s/pr.step, 0), float64(len(pr.h)-1))
	i := min(int(t), len(pr.h)-2)
	return pr.h[i] + (pr.h[i+1]-pr.h[i])*(t-float64(i))
}

// under is how far the ground lies below the path, so that it is not seen
// through it.
const under = 0.04

// Lay makes the path's model on what is beneath, and brings the fields to it.
func (p *Path) Lay(on Beneath, fields []*Field) *Laid {
	pr := p.profile(on)
	half := p.Width / 2
	out := half
	if p.Kerb > 0 {
		out += p.KerbWide
	}
	for _, f := range fields {
		p.press(f, pr, out)
	}
	color, _ := colorOf(p.Color)
	sh := newShape("path")
	road := sh.into(paint{name: "path", color: color, rough: 0.85})
	const across = 8
	n := min(max(int(pr.c.length()/1)+1, 2), 20_000)
	for i := range n {
		s := pr.c.length() * float64(i) / float64(n-1)
		q, dir := pr.c.walk(s)
		right := P{-dir.Z, dir.X}
		for k := range across + 1 {
			a := half * (2*float64(k)/across - 1)
			e := q.add(right.mul(a))
			slope := -8 * p.Crown * a / (p.Width * p.Width) // of the parabola
			nrm := geom.V{X: -slope * right.X, Y: 1, Z: -slope * right.Z}.Unit()
			vertex(road, geom.V{X: e.X, Y: pr.at(s) + p.Crown*(1-a*a/(half*half)), Z: e.Z}, nrm, a, s)
		}
		if i == 0 {
			continue
		}
		for k := range uint32(across) {
			b := uint32(i-1)*(across+1) + k
			c := b + across + 1
			road.Indices = append(road.Indices, b, b+1, c+1, b, c+1, c)
		}
	}
	if p.Kerb > 0 && p.KerbWide > 0 {
		p.kerbs(sh, pr, n, half)
	}
	return &Laid{Model: sh.made(), Strips: [][]P{pr.c.points}, Said: fmt.Sprintf("%.2f m long", pr.c.length())}
}

// press brings the heights under the path, out to its kerbs, to it, and those of
// its shoulders towards it.
func (p *Path) press(f *Field, pr *profile, out float64) {
	// Whole cells under the edge are brought down, or they would cut it.
	edge := out + f.Cell*math.Sqrt2
	type foot struct{ along, aside float64 }
	near := map[int]foot{} // of each height the nearest place of the path
	c := pr.c
	for i := 0; i+1 < len(c.points); i++ {
		a, b := c.points[i], c.points[i+1]
		f.over(c.points[i:i+2], edge+p.Shoulder, func(k int, q P) {
			n := nearest(a, b, q)
			d := q.sub(n).len()
			if old, ok := near[k]; d <= edge+p.Shoulder && (!ok || d < old.aside) {
				near[k] = foot{c.at[i] + n.sub(a).len(), d}
			}
		})
	}
	for k, at := range near {
		w := 1.0
		if at.aside > edge {
			w = smoothStep(1 - (at.aside-edge)/max(p.Shoulder, 1e-9))
		}
		f.H[k] += float32(w) * (float32(pr.at(at.along)-under) - f.H[k])
	}
}

// kerbs are stones on both sides: a profile of four faces drawn along.
func (p *Path) kerbs(sh *shape, pr *profile, n int, half float64) {
	stone := paint{name: "kerb", color: [3]float64{0.4, 0.4, 0.4}, rough: 0.8}
	for _, side := range []float64{-1, 1} {
		ring := func(i int) [4]geom.V {
			s := pr.c.length() * float64(i) / float64(n-1)
			q, dir := pr.c.walk(s)
			right := P{-dir.Z, dir.X}.mul(side)
			in, out := q.add(right.mul(half)), q.add(right.mul(half+p.KerbWide))
			y := pr.at(s)
			return [4]geom.V{{X: in.X, Y: y - 0.15, Z: in.Z}, {X: in.X, Y: y + p.Kerb, Z: in.Z},
				{X: out.X, Y: y + p.Kerb, Z: out.Z}, {X: out.X, Y: y - 0.15, Z: out.Z}}
		}
		turn := func(a, b, c, d geom.V) {
			if side < 0 {
				a, b, c, d = d, c, b, a
			}
			sh.face(stone, a, b, c, d)
		}
		last := ring(0)
		turn(last[0], last[1], last[2], last[3])
		for i := 1; i < n; i++ {
			next := ring(i)
			for k := range 4 {
				m := (k + 1) % 4
				turn(last[k], next[k], next[m], last[m])
			}
			last = next
		}
		turn(last[3], last[2], last[1], last[0])
	}
}

// Covers says of any place whether the path, with its kerbs, lies there.
func (p *Path) Covers() func(P) bool {
	c := newCourse(p.Points, p.Smooth, false)
	half := p.Width / 2
	if p.Kerb > 0 {
		half += p.KerbWide
	}
	// Stretches by the squares that they come near.
	side := max(2*half, c.length()/5000, 1)
	near := map[[2]int][]int{}
	for i := 0; i+1 < len(c.points); i++ {
		b := boxAbout(c.points[i:i+2], half, noRect)
		for x := int(math.Floor(b.x0 / side)); x <= int(math.Floor(b.x1/side)); x++ {
			for z := int(math.Floor(b.z0 / side)); z <= int(math.Floor(b.z1/side)); z++ {
				near[[2]int{x, z}] = append(near[[2]int{x, z}], i)
			}
		}
	}
	return func(q P) bool {
		for _, i := range near[[2]int{int(math.Floor(q.X / side)), int(math.Floor(q.Z / side))}] {
			if q.sub(nearest(c.points[i], c.points[i+1], q)).len() <= half {
				return true
			}
		}
		return false
	}
}
