package lay

import (
	"errors"
	"fmt"
	"math"

	"visator/core/crew"
	"visator/core/document"
	"visator/core/geom"
)

var _ = Kind("drift", func() Spec { return &Scatter{} })

// Scatter scatters pieces over an area.
type Scatter struct {
	Area    []P     `json:"area"`
	Keep    [][]P   `json:"keep"` // areas that stay free
	Pieces  []Share `json:"pieces"`
	Density float64 `json:"density"` // a square metre, where nothing thins it
	Least   float64 `json:"least"`   // least distance between two; 0: as even as the density allows
	Strokes []Brush `json:"strokes"` // by hand, in their order
	Edge    float64 `json:"edge"`    // it thins out over so many metres from the edge inwards
	Clump   float64 `json:"clump"`   // 0..1: how much it gathers
	Clumps  float64 `json:"clumps"`  // metres from one clump to the next
	Turn    float64 `json:"turn"`    // radians, each way; π is any
	Tilt    float64 `json:"tilt"`    // radians, in any direction
	SizeMin float64 `json:"sizeMin"`
	SizeMax float64 `json:"sizeMax"`
	Follow  float64 `json:"follow"`  // 0 stands upright, 1 follows the slope
	Sink    float64 `json:"sink"`    // metres into the ground
	SlopeTo float64 `json:"slopeTo"` // radians; steeper ground stays free; 0: any
	Lowest  float64 `json:"lowest"`  // height of the ground that it grows on
	Highest float64 `json:"highest"` // both 0: any
	Seen    bool    `json:"seen"`    // only where the shot's camera sees it
	Margin  float64 `json:"margin"`  // or as many metres beside the picture
	Shadows bool    `json:"shadows"` // or where it can cast a shadow into the picture
	Seed    uint64  `json:"seed"`

	// Avoid are areas of others that stay free: paths. They are not stored.
	Avoid []func(P) bool `json:"-"`
}

// Brush is a stroke by hand: it adds, also outside of the area, or takes away.
type Brush struct {
	Take   bool    `json:"take"`
	Points []P     `json:"points"`
	Radius float64 `json:"radius"`
}

// MaxDrift is how many instances one drift lays down: what a picture of a
// forest needs, and a machine still holds.
const MaxDrift = 4_000_000

// Jammed is how much of a plain discs cover that were put down by chance until
// no more fitted: 0.547, so that there are Packed / d² of them a square metre, d
// apart (Feder, Random sequential adsorption, J. Theor. Biol. 87, 1980).
const (
	Jammed = 0.547
	Packed = Jammed * 4 / math.Pi
)

// Default is a drift as it begins.
func (*Scatter) Default() Spec {
	return &Scatter{Density: 0.5, Clumps: 4, Turn: math.Pi, SizeMin: 0.8, SizeMax: 1.2, Margin: 2, Seed: 1}
}

// Fields are what a drift is described by.
func (d *Scatter) Fields() []document.Field {
	return []document.Field{
		document.Of(&d.Density, document.Number, "density", "density, per m²", "the density").In(0, 1e12).Drawn(),
		document.Of(&d.Least, document.Length, "least", "least distance", "the least distance").In(0, 10_000),
		document.Of(&d.Edge, document.Length, "edge", "thins at edge over", "thinning at the edge").In(0, 10_000),
		document.Of(&d.Clump, document.Percent, "clump", "gathers", "clumping").In(0, 1),
		document.Of(&d.Clumps, document.Length, "clumps", "clumps apart", "the clumps' distance").In(0, 10_000),
		document.Of(&d.Turn, document.Angle, "turn", "turn, each way", "the turn").In(0, 7),
		document.Of(&d.Tilt, document.Angle, "tilt", "tilt", "the tilt").In(0, 1.6),
		document.Of(&d.SizeMin, document.Percent, "sizeMin", "size from", "the least size").In(0, 1000),
		document.Of(&d.SizeMax, document.Percent, "sizeMax", "size to", "the largest size").In(0, 1000),
		document.Of(&d.Follow, document.Percent, "follow", "follows slope", "following").In(0, 1),
		document.Of(&d.Sink, document.Length, "sink", "stands in by", "the sink").In(-10, 10),
		document.Of(&d.SlopeTo, document.Angle, "slopeTo", "slope at most", "the slope").In(0, 1.6),
		document.Of(&d.Lowest, document.Length, "lowest", "ground from", "the lowest ground").In(-maxPlace, maxPlace),
		document.Of(&d.Highest, document.Length, "highest", "ground to", "the highest ground").In(-maxPlace, maxPlace),
		document.Of(&d.Seen, document.Yes, "seen", "only what shots see", ""),
		document.Of(&d.Margin, document.Length, "margin", "beside the picture", "the margin").In(0, 10_000),
		document.Of(&d.Shadows, document.Yes, "shadows", "or casts shadows into it", ""),
		document.Of(&d.Seed, document.Count, "seed", "chance", "its chance"),
	}
}

// Check says what is impossible about a drift.
func (d *Scatter) Check() error {
	if err := checkArea("the drift's area", d.Area); err != nil {
		return err
	}
	for i, k := range d.Keep {
		if err := checkArea(fmt.Sprintf("keep-out area %d", i+1), k); err != nil {
			return err
		}
	}
	for i := range d.Strokes {
		if err := firstOf(checkPoints("a brush stroke", d.Strokes[i].Points, 1),
			within("the brush's radius", d.Strokes[i].Radius, 0.01, 10_000)); err != nil {
			return err
		}
	}
	if err := firstOf(checkShares(d.Pieces), document.Check(d)); err != nil {
		return err
	}
	if !(d.Density > 0) {
		return errors.New("the density is above 0 a square metre")
	}
	if !(d.SizeMin > 0.001) || !(d.SizeMax >= d.SizeMin) || d.SizeMax > 1000 {
		return errors.New("sizes go from a share above 0 to one that is no smaller")
	}
	if !(d.Highest >= d.Lowest && d.Lowest >= -maxPlace && d.Highest <= maxPlace) {
		return errors.New("the highest ground lies above the lowest")
	}
	if d.Least > 0 && d.Density > Packed/(d.Least*d.Least)*1.0001 {
		return fmt.Errorf("%.3g m apart at most %.3g fit on a square metre, not %.3g", d.Least,
			Packed/(d.Least*d.Least), d.Density)
	}
	if n := d.Density * d.square(); n > MaxDrift {
		return fmt.Errorf("that would be %s things; a drift lays at most %s. Lower the density below %.3g per m², or "+
			"the area", counted(n), counted(MaxDrift), MaxDrift/d.square())
	}
	// What is tried is more than what stays.
	if r := d.radius(); 2*d.box().area()/(r*r) > 64*MaxDrift {
		return errors.New("the least distance is too small for an area of this size; raise it")
	}
	sides := len(d.Area)
	for _, k := range d.Keep {
		sides += len(k)
	}
	for i := range d.Strokes {
		sides += len(d.Strokes[i].Points)
	}
	r := d.radius()
	return tooMuch(d.box().area() / (r * r) * float64(sides))
}

func counted(n float64) string {
	switch {
	case n >= 1e9:
		return fmt.Sprintf("%.3g billion", n/1e9)
	case n >= 1e6:
		return fmt.Sprintf("%.3g million", n/1e6)
	}
	return fmt.Sprintf("%.0f", n)
}

// square is the area in m², with what brushes add.
func (d *Scatter) square() float64 {
	a := math.Abs(Area(d.Area))
	for i := range d.Strokes {
		if s := &d.Strokes[i]; !s.Take {
			a += math.Pi*s.Radius*s.Radius + 2*s.Radius*newCourse(s.Points, false, false).length()
		}
	}
	return a
}

type rect struct{ x0, z0, x1, z1 float64 }

func (r rect) area() float64 { return (r.x1 - r.x0) * (r.z1 - r.z0) }

func boxAbout(list []P, by float64, r rect) rect {
	for _, p := range list {
		r = rect{min(r.x0, p.X-by), min(r.z0, p.Z-by), max(r.x1, p.X+by), max(r.z1, p.Z+by)}
	}
	return r
}

var noRect = rect{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}

func (d *Scatter) box() rect {
	r := boxAbout(d.Area, 0, noRect)
	for i := range d.Strokes {
		if !d.Strokes[i].Take {
			r = boxAbout(d.Strokes[i].Points, d.Strokes[i].Radius, r)
		}
	}
	return r
}

// radius is how far apart things stand at least.
func (d *Scatter) radius() float64 {
	if d.Least > 0 {
		return d.Least
	}
	return math.Sqrt(0.9 * Packed / d.Density) // what the trials reach before it is jammed
}

// share is how much of the density there is at p, 0..1.
func (d *Scatter) share(p P) float64 {
	s := 0.0
	if Holds(d.Area, p) {
		s = 1
		if d.Edge > 0 {
			s = min(Distance(d.Area, p, true)/d.Edge, 1)
		}
		if d.Clump > 0 && d.Clumps > 0 {
			// Noise about 0 becomes gathered and free places about as often.
			n := noise(d.Seed+77, p.X/d.Clumps, p.Z/d.Clumps) * 3
			s *= 1 - d.Clump + d.Clump*min(max(0.5+n, 0), 1)
		}
	}
	for i := range d.Strokes {
		b := &d.Strokes[i]
		near := false
		if len(b.Points) == 1 {
			near = p.sub(b.Points[0]).len() < b.Radius
		} else {
			near = Distance(b.Points, p, false) < b.Radius
		}
		if near && b.Take {
			s = 0
		} else if near {
			s = 1
		}
	}
	if s > 0 {
		for _, k := range d.Keep {
			if Holds(k, p) {
				return 0
			}
		}
		for _, covers := range d.Avoid {
			if covers(p) {
				return 0
			}
		}
	}
	return s
}

// Lay scatters the drift over what is beneath, on threads threads: the same on
// any number. seen says whether a place is wanted by the shot; nil: all are.
func (d *Scatter) Lay(on Beneath, seen func(at geom.V) bool, threads int) (*Laid, error) {
	r, box := d.radius(), d.box()
	g := scatter(d.Seed, box, r, threads)
	// So many of them are kept that the density is what was asked for.
	keep := d.Density * float64(g.nx) * float64(g.nz) * g.cell * g.cell / max(float64(g.count), 1)
	rows := make([][]Instance, g.nz)
	each(g.nz, threads, func(row int) {
		for c := range g.nx {
			i := row*g.nx + c
			q := g.at[i]
			if q == (spot{}) {
				continue
			}
			p := P{g.x0 + (float64(c)+float64(q.x))*g.cell, g.z0 + (float64(row)+float64(q.z))*g.cell}
			if hash(d.Seed+1, int64(c), int64(row)) >= keep*d.share(p) {
				continue
			}
			if in, ok := d.stand(p, int64(c), int64(row), on); ok && (seen == nil || seen(in.At)) {
				rows[row] = append(rows[row], in)
			}
		}
	})
	total := 0
	for _, l := range rows {
		total += len(l)
	}
	out := &Laid{Instances: make([]Instance, 0, total)}
	for _, l := range rows {
		out.Instances = append(out.Instances, l...)
	}
	out.Said = fmt.Sprintf("%s, at least %.3g m apart", count(total, "thing"), r)
	return out, nil
}

// stand puts one thing down at p; chance goes by its cell.
func (d *Scatter) stand(p P, c, row int64, on Beneath) (in Instance, ok bool) {
	y, n, ok := on.Under(p.X, p.Z, math.Inf(1))
	if !ok {
		y, n = 0, geom.V{Y: 1}
	}
	if d.SlopeTo > 0 && math.Acos(min(max(n.Y, -1), 1)) > d.SlopeTo || (d.Lowest != 0 || d.Highest != 0) &&
		(y < d.Lowest || y > d.Highest) {
		return in, false
	}
	u := func(k uint64) float64 { return hash(d.Seed+2+k, c, row) }
	in.Piece = pick(d.Pieces, u(0))
	in.Scale = d.SizeMin + (d.SizeMax-d.SizeMin)*u(1)
	q := geom.Turn(geom.V{Y: 1}, d.Turn*(2*u(2)-1))
	if d.Tilt > 0 {
		sin, cos := math.Sincos(2 * math.Pi * u(3))
		q = geom.Turn(geom.V{X: cos, Z: sin}, d.Tilt*u(4)).Mul(q)
	}
	if d.Follow > 0 {
		q = Lean(n, d.Follow).Mul(q)
	}
	in.Turn, in.At = q, geom.V{X: p.X, Y: y - d.Sink, Z: p.Z}
	return in, true
}

// Lean is the turn that brings up towards n by a share of the way.
func Lean(n geom.V, share float64) geom.Q {
	axis := geom.V{Y: 1}.Cross(n)
	l := axis.Len()
	if l < 1e-9 {
		return geom.Q{W: 1}
	}
	return geom.Turn(axis.Mul(1/l), share*math.Atan2(l, n.Y))
}

// spot is a place within its cell, 0..1; cells without one hold the zero.
type spot struct{ x, z float32 }

// cells is a plain of cells in each of which at most one point fits.
type cells struct {
	x0, z0, cell float64
	nx, nz       int
	at           []spot
	count        int
}

// scatter fills a rectangle with points that are at least r apart, by chance
// until hardly any fits: darts are thrown into the cells of a grid, cells that
// cannot disturb one another at the same time (Wei, Parallel Poisson Disk
// Sampling, SIGGRAPH 2008).
func scatter(seed uint64, box rect, r float64, threads int) *cells {
	g := &cells{x0: box.x0, z0: box.z0, cell: r / math.Sqrt2}
	g.nx, g.nz = max(int(math.Ceil((box.x1-box.x0)/g.cell)), 1), max(int(math.Ceil((box.z1-box.z0)/g.cell)), 1)
	g.at = make([]spot, g.nx*g.nz)
	const trials = 14 // beyond, less than a hundredth more is gained each time
	counts := make([]int, g.nz)
	for t := range trials {
		for phase := range 9 {
			// The order of the phases changes from trial to trial, so that no
			// pattern of them is seen.
			ph := (phase*4 + t*5 + int(seed%9)) % 9
			px, pz := ph%3, ph/3
			each((g.nz-pz+2)/3, threads, func(k int) {
				z := 3*k + pz
				for x := px; x < g.nx; x += 3 {
					i := z*g.nx + x
					if g.at[i] != (spot{}) {
						continue
					}
					s := spot{float32(hash(seed+uint64(t)*2+100, int64(x), int64(z))),
						float32(hash(seed+uint64(t)*2+101, int64(x), int64(z)))}
					if s != (spot{}) && g.free(x, z, s) {
						g.at[i] = s
						counts[z]++
					}
				}
			})
		}
	}
	for _, n := range counts {
		g.count += n
	}
	return g
}

// about are the cells in which a point may be nearer than r, the likeliest first;
// those at the corners of the five by five are farther.
var about = [20][2]int{{-1, 0}, {1, 0}, {0, -1}, {0, 1}, {-1, -1}, {1, -1}, {-1, 1}, {1, 1}, {-2, 0}, {2, 0}, {0, -2},
	{0, 2},
	{-2, -1}, {-2, 1}, {2, -1}, {2, 1}, {-1, -2}, {1, -2}, {-1, 2}, {1, 2}}

// free says whether no point of the cells about is nearer than r, which is √2
// cells.
func (g *cells) free(x, z int, s spot) bool {
	const rr = 2 * (1 + 1e-6)
	for _, d := range about {
		dx, dz := x+d[0], z+d[1]
		if uint(dx) >= uint(g.nx) || uint(dz) >= uint(g.nz) {
			continue
		}
		o := g.at[dz*g.nx+dx]
		if o == (spot{}) {
			continue
		}
		ex, ez := float32(d[0])+o.x-s.x, float32(d[1])+o.z-s.z
		if ex*ex+ez*ez < rr {
			return false
		}
	}
	return true
}

// each does n things on threads threads.
func each(n, threads int, do func(i int)) {
	if threads < 2 || n < 2 {
		for i := range n {
			do(i)
		}
		return
	}
	var wg crew.Group
	for t := range threads {
		wg.Go(func() {
			for i := t; i < n; i += threads {
				do(i)
			}
		})
	}
	wg.Wait()
}
