package edit

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/geom"
	"visator/core/stage"
)

// SetApart lifts a placement by 2 mm out of the plane that it shares with another.
type SetApart struct {
	feeling
	ID string `json:"id"`
}

func (d *SetApart) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, []string{d.ID}, 1, "what is to be set apart")
	if err != nil {
		return err
	}
	before := rows[0].Placement
	rows[0].At.Y += 0.002
	e.Say("set %s 2 mm apart", before.Name)
	return e.Keep(ctx, rows[0], before)
}

func setAt(v *geom.V, axis int, to float64) {
	*[]*float64{&v.X, &v.Y, &v.Z}[axis] = to
}

// axisName is the axis of a name such as x or z-min.
func axisName(of string) (axis int, edge string, err error) {
	name, edge, _ := strings.Cut(of, "-")
	axis = strings.Index("xyz", name)
	if axis < 0 || len(name) != 1 || edge != "" && edge != "min" && edge != "mid" && edge != "max" {
		return 0, "", act.Wrong("%q is not an axis such as x, or an edge of one such as z-min", of)
	}
	return axis, edge, nil
}

// Align brings an edge or the middle of all to that of the first.
type Align struct {
	feeling
	IDs []string `json:"ids"`
	To  string   `json:"to"` // x, y or z, with -min or -max for an edge
}

func (d *Align) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 2, "two or more things; the first is what the others are aligned to")
	if err != nil {
		return err
	}
	axis, edge, err := axisName(d.To)
	if err != nil {
		return err
	}
	boxes, err := e.Spans(ctx, rows)
	if err != nil {
		return err
	}
	of := func(b *geom.Box) float64 {
		switch edge {
		case "min":
			return b.Min.At(axis)
		case "max":
			return b.Max.At(axis)
		}
		return b.Center().At(axis)
	}
	e.Say("align %d things to %s", len(rows)-1, rows[0].Name)
	for i, r := range rows[1:] {
		before := r.Placement
		setAt(&r.At, axis, r.At.At(axis)+of(&boxes[0])-of(&boxes[i+1]))
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// Distribute makes the gaps between things along an axis equal; the outermost stay.
type Distribute struct {
	feeling
	IDs   []string `json:"ids"`
	Along string   `json:"along"` // x, y or z
}

func (d *Distribute) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 3, "three or more things")
	if err != nil {
		return err
	}
	axis, _, err := axisName(d.Along)
	if err != nil {
		return err
	}
	boxes, err := e.Spans(ctx, rows)
	if err != nil {
		return err
	}
	order := make([]int, len(rows))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int {
		return cmp.Compare(boxes[i].Center().At(axis), boxes[j].Center().At(axis))
	})
	first, last := order[0], order[len(order)-1]
	room := boxes[last].Max.At(axis) - boxes[first].Min.At(axis)
	for _, b := range boxes {
		room -= b.Size().At(axis)
	}
	gap := room / float64(len(rows)-1)
	e.Say("spread %d things evenly", len(rows))
	at := boxes[first].Max.At(axis)
	for _, i := range order[1 : len(order)-1] {
		before := rows[i].Placement
		setAt(&rows[i].At, axis, before.At.At(axis)+at+gap-boxes[i].Min.At(axis))
		if err := e.Keep(ctx, rows[i], before); err != nil {
			return err
		}
		at += gap + boxes[i].Size().At(axis)
	}
	return nil
}

// Face turns the fronts of placements to a place, or to the camera.
type Face struct {
	IDs    []string `json:"ids"`
	At     geom.V   `json:"at"`
	Camera bool     `json:"camera"` // instead of the place
}

func (d *Face) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "what is to be turned")
	if err != nil {
		return err
	}
	to := d.At
	if d.Camera {
		to = e.Set.View.Eye
	}
	for _, r := range rows {
		before := r.Placement
		if x, z := to.X-r.At.X, to.Z-r.At.Z; math.Hypot(x, z) > 1e-6 {
			r.Yaw = math.Atan2(x, z)
		}
		e.Say("turn %s to face it", r.Name)
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// Mirror sets placements to the other side of their common middle, and turns them as a
// mirror would; the pieces themselves are not turned over.
type Mirror struct {
	IDs    []string `json:"ids"`
	Across string   `json:"across"` // x or z
}

func (d *Mirror) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "what is to be mirrored")
	if err != nil {
		return err
	}
	axis, _, err := axisName(d.Across)
	if err != nil || axis == 1 {
		return cmp.Or(err, act.Wrong("Things are mirrored across x or z."))
	}
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, r := range rows {
		lo, hi = min(lo, r.At.At(axis)), max(hi, r.At.At(axis))
	}
	for _, r := range rows {
		before := r.Placement
		setAt(&r.At, axis, lo+hi-r.At.At(axis))
		if axis == 0 {
			r.Yaw = -r.Yaw
		} else {
			r.Yaw = math.Pi - r.Yaw
		}
		r.Roll = -r.Roll
		e.Say("mirror %s", r.Name)
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// VaryBy is how far things may be varied, each way.
type VaryBy struct {
	Turn float64 `json:"turn"` // radians
	Size float64 `json:"size"` // share
	Tint float64 `json:"tint"` // share of brightness
}

// Varied is how far things are varied where nothing is said.
var Varied = VaryBy{Turn: math.Pi, Size: 0.12, Tint: 0.1}

// Vary makes copies differ: turn, size and tint, by chance within limits. What stands
// stays standing: the turn is about the upright.
type Vary struct {
	IDs  []string `json:"ids"`
	Seed uint64   `json:"seed"`
	VaryBy
}

func (d *Vary) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "what is to be varied")
	if err != nil {
		return err
	}
	by := d.VaryBy
	if !(by.Turn >= 0 && by.Turn <= 2*math.Pi && by.Size >= 0 && by.Size < 0.95 && by.Tint >= 0 && by.Tint <= 1) {
		return act.Wrong("Turns vary by up to a full one, sizes by less than 95 %%, tints by up to 100 %%.")
	}
	chance := rand.New(rand.NewPCG(d.Seed, 3))
	each := func() float64 { return 2*chance.Float64() - 1 }
	for _, r := range rows {
		before := r.Placement
		r.Yaw += by.Turn * each()
		r.Scale = r.Scale.Mul(1 + by.Size*each())
		if by.Tint > 0 {
			var c [3]int
			warm := each()
			for k := range c {
				c[k] = int(min(max(255*(1-by.Tint*(chance.Float64()*0.5+0.25)+0.25*by.Tint*warm*float64(1-k)), 0), 255))
			}
			r.Tint = fmt.Sprintf("#%02x%02x%02x", c[0], c[1], c[2])
		}
		e.Say("vary %s", r.Name)
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// Rename names many by a pattern: # is a number, ## one of two digits; without one,
// numbers are added where needed.
type Rename struct {
	IDs     []string `json:"ids"`
	Pattern string   `json:"pattern"`
}

func (d *Rename) Do(ctx context.Context, e *desk.Editor) error {
	if _, err := e.Placements(ctx); err != nil {
		return err
	}
	pattern := strings.TrimSpace(d.Pattern)
	first, last := strings.Index(pattern, "#"), strings.LastIndex(pattern, "#")
	if pattern == "" || first >= 0 && strings.Trim(pattern[first:last+1], "#") != "" {
		return act.Wrong("A pattern is a name with one run of # for the number, such as lamp ##.")
	}
	for i, id := range d.IDs {
		row, err := e.Placement(ctx, id)
		if err != nil {
			return err
		}
		before := row.Placement
		if first >= 0 {
			row.Name = fmt.Sprintf("%s%0*d%s", pattern[:first], last-first+1, i+1, pattern[last+1:])
		} else {
			row.Name = ""
			row.Name = stage.NextName(pattern, e.Taken)
		}
		e.Say("rename %s to %s", before.Name, row.Name)
		if err := e.Keep(ctx, row, before); err != nil {
			return err
		}
	}
	return nil
}
