package lay

import (
	"errors"
	"fmt"
	"math"

	"visator/core/document"
	"visator/core/geom"
)

var _ = Kind("line", func() Spec { return &Garland{} })

// Garland is a cable, a rope or a chain that hangs from support to support, with
// things on it.
type Garland struct {
	Points []geom.V `json:"points"` // the supports
	// of the longest span at its middle, below the straight line; the others hang as heavy
	Sag     float64 `json:"sag"`
	Thick   float64 `json:"thick"`  // diameter
	Pieces  []Share `json:"pieces"` // hung on it; none: only the line
	InTurn  bool    `json:"inTurn"`
	Spacing float64 `json:"spacing"` // of the things, along the line
	Start   float64 `json:"start"`   // kept clear at each support
	Drop    float64 `json:"drop"`    // how far the pivots of the things hang below the line
	Vary    Vary    `json:"vary"`
	Seed    uint64  `json:"seed"`
}

// Default is a line as it begins.
func (*Garland) Default() Spec {
	return &Garland{Sag: 0.3, Thick: 0.012, Spacing: 1, Start: 0.5, Seed: 1}
}

// Fields are what a line is described by.
func (l *Garland) Fields() []document.Field {
	return []document.Field{
		document.Of(&l.Sag, document.Length, "sag", "sag", "the sag").In(0, 1000),
		document.Of(&l.Thick, document.Length, "thick", "thick", "the thickness").In(0.0005, 2),
		document.Of(&l.Spacing, document.Length, "spacing", "things apart", "the things' distance").In(-maxPlace,
			maxPlace),
		document.Of(&l.Start, document.Length, "start", "ends kept clear", "what is kept clear").In(0, 1000),
		document.Of(&l.Drop, document.Length, "drop", "things hang lower", "the drop").In(-100, 100),
		document.Of(&l.InTurn, document.Yes, "inTurn", "one after the other", ""),
		document.Of(&l.Vary.Turn, document.Angle, "vary.turn", "vary turn", "variation of the turn").In(0, 7),
		document.Of(&l.Vary.Size, document.Percent, "vary.size", "vary size", "variation of the size").In(0, 0.95),
		document.Of(&l.Seed, document.Count, "seed", "chance", "its chance"),
	}
}

// Check says what is impossible about a line.
func (l *Garland) Check() error {
	if len(l.Points) < 2 || len(l.Points) > 1000 {
		return errors.New("a line hangs from 2 to 1000 supports")
	}
	for i, p := range l.Points {
		if !p.Finite() || p.Len() > maxPlace {
			return fmt.Errorf("support %d is not within 1000 km of the middle", i+1)
		}
		if i > 0 && math.Hypot(p.X-l.Points[i-1].X, p.Z-l.Points[i-1].Z) < 0.01 {
			return fmt.Errorf("supports %d and %d stand above one another: nothing hangs between them", i, i+1)
		}
	}
	if err := document.Check(l); err != nil {
		return err
	}
	if len(l.Pieces) == 0 {
		return nil
	}
	if !(l.Spacing > 0.001 && l.Spacing <= maxPlace) {
		return errors.New("things hang more than 1 mm apart")
	}
	length := 0.0
	for i := 1; i < len(l.Points); i++ {
		length += l.Points[i].Sub(l.Points[i-1]).Len()
	}
	if n := (length + 4*l.Sag) / l.Spacing; n > MaxRow {
		return fmt.Errorf("that would be %.0f things; a line carries at most %d", n, MaxRow)
	}
	return checkShares(l.Pieces)
}

// Catenary is the curve in which a chain hangs: y = A cosh((x - X0) / A) + C.
type Catenary struct{ A, X0, C float64 }

// Hang is the catenary through (0, 0) and (d, v) whose middle hangs sag below
// the straight line between them; d and sag are more than 0. The middle of the
// chord lies above the curve by a (cosh w - 1) cosh u, with w = d / 2a and
// sinh u = v / (2a sinh w), which falls with a (from y = a cosh(x/a), e.g.
// Lockwood, A Book of Curves, 1961, chapter 13).
func Hang(d, v, sag float64) Catenary {
	at := func(a float64) (below, u, w float64) {
		w = d / (2 * a)
		u = math.Asinh(v / (2 * a * math.Sinh(w)))
		half := math.Sinh(w / 2) // cosh w - 1 = 2 sinh² w/2 keeps its digits
		return 2 * a * half * half * math.Cosh(u), u, w
	}
	lo, hi := d/1400, d // cosh overflows beyond 700
	for below, _, _ := at(hi); below > sag && hi < 1e12*d; below, _, _ = at(hi) {
		hi *= 2
	}
	for range 200 {
		mid := math.Sqrt(lo * hi)
		if below, _, _ := at(mid); below > sag {
			lo = mid
		} else {
			hi = mid
		}
	}
	a := math.Sqrt(lo * hi)
	_, u, w := at(a)
	x0 := a * (w - u)
	return Catenary{a, x0, -a * math.Cosh(x0/a)}
}

// At is the height at x.
func (c Catenary) At(x float64) float64 {
	// cosh p - cosh q = 2 sinh (p+q)/2 sinh (p-q)/2: tight lines have a huge A.
	p, q := (x-c.X0)/c.A, c.X0/c.A
	return 2 * c.A * math.Sinh((p+q)/2) * math.Sinh((p-q)/2)
}

// Length is that of the curve from x = 0 to x = d.
func (c Catenary) Length(d float64) float64 {
	return c.A * (math.Sinh((d-c.X0)/c.A) + math.Sinh(c.X0/c.A))
}

// Lay hangs the line.
func (l *Garland) Lay() *Laid {
	out := &Laid{}
	s := newShape("line")
	long := 0.0
	for i := 1; i < len(l.Points); i++ {
		long = max(long, math.Hypot(l.Points[i].X-l.Points[i-1].X, l.Points[i].Z-l.Points[i-1].Z))
	}
	length, n := 0.0, 0
	var strip []P
	for i := 1; i < len(l.Points); i++ {
		a, b := l.Points[i-1], l.Points[i]
		d := math.Hypot(b.X-a.X, b.Z-a.Z)
		dir := P{b.X - a.X, b.Z - a.Z}.mul(1 / d)
		at := func(x float64) geom.V { return geom.V{X: a.X + dir.X*x, Y: a.Y + (b.Y-a.Y)*x/d, Z: a.Z + dir.Z*x} }
		span := b.Sub(a).Len()
		if l.Sag > 0 {
			// The same rope: the sag goes with the square of the span.
			c := Hang(d, b.Y-a.Y, l.Sag*d*d/(long*long))
			at = func(x float64) geom.V { return geom.V{X: a.X + dir.X*x, Y: a.Y + c.At(x), Z: a.Z + dir.Z*x} }
			span = c.Length(d)
		}
		const pieces = 32
		curve := make([]geom.V, pieces+1)
		for k := range curve {
			curve[k] = at(d * float64(k) / pieces)
		}
		s.tube(paint{name: "line", color: [3]float64{0.05, 0.05, 0.05}, rough: 0.7}, curve, l.Thick/2)
		strip = append(strip, P{a.X, a.Z})
		if len(l.Pieces) > 0 {
			n += l.hang(out, curve, dir, i, n)
		}
		length += span
	}
	last := l.Points[len(l.Points)-1]
	out.Model, out.Strips = s.made(), [][]P{append(strip, P{last.X, last.Z})}
	out.Said = fmt.Sprintf("%.2f m of line, %s on it", length, count(n, "thing"))
	return out
}

// hang hangs things on one span.
func (l *Garland) hang(out *Laid, curve []geom.V, dir P, span, done int) (n int) {
	at := make([]float64, len(curve))
	for k := 1; k < len(curve); k++ {
		at[k] = at[k-1] + curve[k].Sub(curve[k-1]).Len()
	}
	room := at[len(at)-1] - 2*l.Start
	if room < 0 {
		return 0
	}
	chance := random(l.Seed, uint64(span))
	count := int(room/l.Spacing+1e-9) + 1
	first := l.Start + (room-float64(count-1)*l.Spacing)/2 // as much left at both ends
	k := 1
	for ; n < count; n++ {
		s := first + float64(n)*l.Spacing
		for k < len(at)-1 && at[k] < s {
			k++
		}
		p := curve[k-1].Lerp(curve[k], (s-at[k-1])/(at[k]-at[k-1]))
		p.Y -= l.Drop
		vary := func(by float64) float64 { return by * (2*chance.Float64() - 1) }
		piece := pick(l.Pieces, chance.Float64())
		if l.InTurn {
			piece = l.Pieces[(done+n)%len(l.Pieces)].Piece
		}
		q := geom.Turn(geom.V{Y: 1}, math.Atan2(-dir.Z, dir.X)+vary(l.Vary.Turn))
		out.Instances = append(out.Instances, Instance{piece, p, q, 1 + vary(l.Vary.Size)})
	}
	return n
}

// tube is a round bar along a curve, closed at both ends.
func (s *shape) tube(with paint, curve []geom.V, r float64) {
	const sides = 8
	p := s.into(with)
	base := uint32(len(p.Positions) / 3)
	run := 0.0
	for i, c := range curve {
		dir := curve[min(i+1, len(curve)-1)].Sub(curve[max(i-1, 0)]).Unit()
		side := dir.Cross(geom.V{Y: 1}).Unit()
		if side == (geom.V{}) {
			side = geom.V{X: 1}
		}
		up := side.Cross(dir)
		if i > 0 {
			run += c.Sub(curve[i-1]).Len()
		}
		for k := range sides {
			sin, cos := math.Sincos(2 * math.Pi * float64(k) / sides)
			n := side.Mul(cos).Add(up.Mul(sin))
			vertex(p, c.Add(n.Mul(r)), n, float64(k)/sides*2*math.Pi*r, run)
		}
	}
	for i := range uint32(len(curve) - 1) {
		for k := range uint32(sides) {
			a, b := base+i*sides+k, base+i*sides+(k+1)%sides
			p.Indices = append(p.Indices, a, b, b+sides, a, b+sides, a+sides)
		}
	}
	end := base + uint32(len(curve)-1)*sides
	for k := uint32(1); k+1 < sides; k++ {
		p.Indices = append(p.Indices, base, base+k+1, base+k, end, end+k, end+k+1)
	}
}
