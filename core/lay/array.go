package lay

import (
	"errors"
	"fmt"
	"math"

	"visator/core/document"
	"visator/core/geom"
)

var _ = Kind("row", func() Spec { return &Array{} })

// Array repeats pieces along a line, in a grid, on a circle or along a path.
type Array struct {
	Shape   string  `json:"shape"`  // line, grid, circle or path
	Points  []P     `json:"points"` // line: its ends; grid: two opposite corners; circle: its middle and a place on it
	Smooth  bool    `json:"smooth"` // the path is a curve through its points
	Closed  bool    `json:"closed"` // the path ends where it began
	Height  float64 `json:"height"` // when it does not rest on what is beneath
	Rest    bool    `json:"rest"`   // on what is beneath
	Pieces  []Share `json:"pieces"`
	InTurn  bool    `json:"inTurn"`  // one after the other, not by chance
	By      string  `json:"by"`      // count, spacing or fill
	Count   int     `json:"count"`   // how many
	Spacing float64 `json:"spacing"` // from middle to middle; for fill the gap between them
	Rows    float64 `json:"rows"`    // grid: from row to row
	Start   float64 `json:"start"`   // kept clear at the beginning
	End     float64 `json:"end"`     // and at the end
	Follow  bool    `json:"follow"`  // turn with the path
	Turn    float64 `json:"turn"`    // added to every turn
	Vary    Vary    `json:"vary"`
	Seed    uint64  `json:"seed"`
}

// Vary is how far chance may go, each way.
type Vary struct {
	Along float64 `json:"along"` // metres
	Aside float64 `json:"aside"`
	Turn  float64 `json:"turn"` // radians
	Tilt  float64 `json:"tilt"`
	Size  float64 `json:"size"` // share: 0.1 is 0.9 to 1.1
}

// MaxRow is how many things one row lays down: beyond, a drift is meant.
const MaxRow = 20_000

// Default is a row as it begins.
func (*Array) Default() Spec {
	return &Array{Shape: "line", Rest: true, By: "spacing", Count: 5, Spacing: 1, Rows: 1, Follow: true, Seed: 1}
}

// Fields are what a row is described by.
func (r *Array) Fields() []document.Field {
	return []document.Field{
		document.Of(&r.By, document.Choice, "by", "goes by", "a row goes by").Among("count", "spacing", "fill"),
		document.Of(&r.Count, document.Count, "count", "how many", "the number of things").In(-1e9, 1e9),
		document.Of(&r.Spacing, document.Length, "spacing", "apart", "the spacing").In(-maxPlace, maxPlace).Drawn(),
		document.Of(&r.Rows, document.Length, "rows", "rows apart", "the rows' distance").In(-maxPlace,
			maxPlace).Drawn(),
		document.Of(&r.Start, document.Length, "start", "start kept clear", "the start kept clear").In(0, maxPlace),
		document.Of(&r.End, document.Length, "end", "end kept clear", "the end kept clear").In(0, maxPlace),
		document.Of(&r.Follow, document.Yes, "follow", "turns along", ""),
		document.Of(&r.Turn, document.Angle, "turn", "turned by", "the turn").In(-100, 100),
		document.Of(&r.Rest, document.Yes, "rest", "rests on what is beneath", ""),
		document.Of(&r.Height, document.Length, "height", "height", "the height").In(-maxPlace, maxPlace),
		document.Of(&r.Smooth, document.Yes, "smooth", "a curve", ""),
		document.Of(&r.InTurn, document.Yes, "inTurn", "one after the other", ""),
		document.Of(&r.Vary.Along, document.Length, "vary.along", "vary along", "variation along").In(0, 1000),
		document.Of(&r.Vary.Aside, document.Length, "vary.aside", "vary aside", "variation aside").In(0, 1000),
		document.Of(&r.Vary.Turn, document.Angle, "vary.turn", "vary turn", "variation of the turn").In(0, 7),
		document.Of(&r.Vary.Tilt, document.Angle, "vary.tilt", "vary tilt", "variation of the tilt").In(0, 1.6),
		document.Of(&r.Vary.Size, document.Percent, "vary.size", "vary size", "variation of the size").In(0, 0.95),
		document.Of(&r.Seed, document.Count, "seed", "chance", "its chance"),
	}
}

// Check says what is impossible about a row.
func (r *Array) Check() error {
	least := 2
	switch r.Shape {
	case "line", "grid", "circle":
		if len(r.Points) != 2 {
			return fmt.Errorf("a %s is drawn by two points, not %d", r.Shape, len(r.Points))
		}
	case "path":
	default:
		return fmt.Errorf("a row is a line, a grid, a circle or a path, not %q", r.Shape)
	}
	if err := firstOf(checkPoints("the row", r.Points, least), checkShares(r.Pieces), document.Check(r)); err != nil {
		return err
	}
	switch r.By {
	case "count":
		if r.Count < 1 || r.Count > MaxRow {
			return fmt.Errorf("a row has 1 to %d things", MaxRow)
		}
	case "spacing":
		if !(r.Spacing > 0.001 && r.Spacing <= maxPlace) {
			return errors.New("the spacing is more than 1 mm")
		}
	case "fill":
		if !(r.Spacing >= 0 && r.Spacing <= maxPlace) {
			return errors.New("the gap between two is 0 or more")
		}
	}
	if r.Shape == "grid" && !(r.Rows > 0.001 && r.Rows <= maxPlace) {
		return errors.New("the rows of a grid are more than 1 mm apart")
	}
	if r.course().length() < 1e-6 {
		return errors.New("the row has no length; draw it longer")
	}
	if n := r.estimate(); n > MaxRow {
		return fmt.Errorf("that would be %.0f things; a row has at most %d. Set them farther apart, or lay a drift", n,
			MaxRow)
	}
	return nil
}

func (r *Array) course() *course {
	switch r.Shape {
	case "circle":
		c, rim := r.Points[0], r.Points[1]
		d := rim.sub(c)
		var list []P
		for i := range 180 {
			s, k := math.Sincos(2 * math.Pi * float64(i) / 180)
			list = append(list, c.add(P{d.X*k - d.Z*s, d.X*s + d.Z*k}))
		}
		return newCourse(list, false, true)
	case "grid":
		a, b := r.Points[0], r.Points[1]
		return newCourse([]P{a, {b.X, a.Z}}, false, false)
	}
	return newCourse(r.Points, r.Smooth, r.Closed && r.Shape == "path")
}

// lines is how many rows a grid has.
func (r *Array) lines() int {
	if r.Shape != "grid" {
		return 1
	}
	return int(min(math.Abs(r.Points[1].Z-r.Points[0].Z)/r.Rows, 1e7)+1e-9) + 1
}

func (r *Array) estimate() float64 {
	n := float64(r.Count)
	if r.By == "spacing" {
		n = max(r.course().length()-r.Start-r.End, 0)/r.Spacing + 1
	}
	if r.By == "fill" {
		n = 1
	}
	return n * float64(r.lines())
}

// Lay stands the row on what is beneath. width is how wide a piece is along its
// own X, in metres: what fill goes by.
func (r *Array) Lay(on Beneath, width func(piece string) float64) (*Laid, error) {
	c := r.course()
	out := &Laid{}
	sign := 1.0
	if r.Shape == "grid" && r.Points[1].Z < r.Points[0].Z {
		sign = -1
	}
	for line := range r.lines() {
		chance := random(r.Seed, uint64(line))
		places, pieces, err := r.places(c, width, line)
		if err != nil {
			return nil, err
		}
		for i, s := range places {
			vary := func(by float64) float64 { return by * (2*chance.Float64() - 1) }
			p, dir := c.walk(s + vary(r.Vary.Along))
			right := P{-dir.Z, dir.X}
			p = p.add(right.mul(vary(r.Vary.Aside)))
			p.Z += sign * float64(line) * r.Rows
			turn := r.Turn + vary(r.Vary.Turn)
			if r.Follow || r.Shape == "circle" {
				turn += math.Atan2(-dir.Z, dir.X)
			}
			in := Instance{pieces[i], geom.V{X: p.X, Y: r.Height, Z: p.Z}, geom.Turn(geom.V{Y: 1}, turn),
				1 + vary(r.Vary.Size)}
			if tilt := r.Vary.Tilt; tilt > 0 {
				a := 2 * math.Pi * chance.Float64()
				in.Turn = geom.Turn(geom.V{X: math.Cos(a), Z: math.Sin(a)}, tilt*chance.Float64()).Mul(in.Turn)
			}
			if r.Rest {
				if y, _, ok := on.Under(p.X, p.Z, math.Inf(1)); ok {
					in.At.Y = y
				} else {
					in.At.Y = 0
				}
			}
			out.Instances = append(out.Instances, in)
		}
	}
	for line := range r.lines() {
		strip := append([]P{}, c.points...)
		for i := range strip {
			strip[i].Z += sign * float64(line) * r.Rows
		}
		out.Strips = append(out.Strips, strip)
	}
	out.Said = fmt.Sprintf("%s along %.2f m", count(len(out.Instances), "thing"), c.length())
	return out, nil
}

// places are how far along the things of one line stand, and what they are.
func (r *Array) places(c *course, width func(string) float64, line int) (at []float64, pieces []string, err error) {
	from, to := r.Start, c.length()-r.End
	if to < from-1e-9 {
		return nil, nil, fmt.Errorf("%.2f m of the row are to stay clear, and it is %.2f m long", r.Start+r.End,
			c.length())
	}
	round := c.closed && r.Start == 0 && r.End == 0
	of := random(r.Seed+1, uint64(line))
	next := func(i int) string {
		if r.InTurn {
			return r.Pieces[i%len(r.Pieces)].Piece
		}
		return pick(r.Pieces, of.Float64())
	}
	switch r.By {
	case "count":
		gaps := float64(r.Count - 1)
		if round {
			gaps = float64(r.Count)
		}
		for i := range r.Count {
			t := 0.5
			if gaps > 0 {
				t = float64(i) / gaps
			}
			at = append(at, from+(to-from)*t)
			pieces = append(pieces, next(i))
		}
	case "spacing":
		n := int((to-from)/r.Spacing + 1e-9)
		if !round || to-from-float64(n)*r.Spacing > 0.5*r.Spacing {
			n++
		}
		for i := range n {
			at = append(at, from+float64(i)*r.Spacing)
			pieces = append(pieces, next(i))
		}
	case "fill":
		s := from
		for i := 0; ; i++ {
			piece := next(i)
			w := width(piece)
			if !(w > 1e-4) {
				return nil, nil, errors.New("one of its pieces has no width to fill by")
			}
			if s+w > to+1e-9 {
				break
			}
			at = append(at, s+w/2)
			pieces = append(pieces, piece)
			if len(at) > MaxRow {
				return nil, nil, fmt.Errorf("more than %d things fill it; choose larger ones", MaxRow)
			}
			s += w + r.Spacing
		}
		// What is left is shared out, so that it ends where it should.
		if n := len(at); n > 1 {
			spare := to - (s - r.Spacing)
			for i := range at {
				at[i] += spare * float64(i) / float64(n-1)
			}
		}
	}
	return at, pieces, nil
}
