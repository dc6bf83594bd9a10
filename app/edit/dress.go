package edit

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/stage"
	"visator/store"
)

// dressing arranges what stands in the set.
var dressing = family{
	"put down": of[PutDown], "rest": of[Rest], "set against": of[SetAgainst], "follow slope": of[FollowSlope],
	"move out": of[MoveOut], "set apart": of[SetApart], "align": of[Align], "distribute": of[Distribute],
	"face": of[Face], "swap": of[Swap], "mirror": of[Mirror], "rename": of[Rename], "recast": of[Recast],
	"vary": func() desk.Op { return &Vary{VaryBy: Varied} },
}

// PutDown lets placements down onto what is beneath them, or lifts them out of it, by
// their true triangles. Here means that their height was pointed at: what they reach into
// by more than the hand is off is left as it is.
type PutDown struct {
	feeling
	IDs  []string `json:"ids"`
	Here bool     `json:"here"`
}

func (d *PutDown) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "what is to be put down")
	if err != nil {
		return err
	}
	things, err := e.Felt(ctx)
	if err != nil {
		return err
	}
	e.Say("put down %s", rows[0].Name)
	waiting := map[string]bool{}
	for _, r := range rows {
		waiting[r.ID] = true
	}
	for _, unit := range e.Units(rows, things) {
		others, _ := desk.Obstacles(things, func(id string) bool { return waiting[id] })
		up := math.Inf(-1)
		for _, r := range unit {
			b, err := e.Body(ctx, &r.Placement)
			if err != nil {
				return err
			}
			if b == nil {
				continue
			}
			y, on := contact.Down(b, others)
			if d.Here && y > desk.Touched {
				y = 0 // it reaches into a wall: that is told, it is not put on top of it
			}
			if on >= 0 || math.IsInf(up, -1) {
				up = max(up, y)
			}
		}
		if math.IsInf(up, -1) {
			return act.Wrong("%s has no shape yet to be put down; wait until it is made", unit[0].Name)
		}
		for _, r := range unit {
			before := r.Placement
			r.At.Y += up
			if err := e.Keep(ctx, r, before); err != nil {
				return err
			}
			delete(waiting, r.ID)
		}
		if things, err = e.Felt(ctx); err != nil {
			return err
		}
	}
	return nil
}

// SetAgainst moves placements along one of their own sides, or up, until they touch:
// against a wall, or under a ceiling.
type SetAgainst struct {
	feeling
	IDs  []string `json:"ids"`
	Side string   `json:"side"` // back, front, left, right or up
}

func (d *SetAgainst) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "what is to be moved")
	if err != nil {
		return err
	}
	dirs := map[string]geom.V{"back": {Z: -1}, "front": {Z: 1}, "left": {X: -1}, "right": {X: 1}, "up": {Y: 1}}
	dir, ok := dirs[d.Side]
	if !ok {
		return act.Wrong("It moves back, front, left, right or up, not %q.", d.Side)
	}
	things, err := e.Felt(ctx)
	if err != nil {
		return err
	}
	others, _ := desk.Obstacles(things, func(id string) bool { return slices.Contains(d.IDs, id) })
	for _, r := range rows {
		b, err := e.Body(ctx, &r.Placement)
		if err != nil {
			return err
		}
		if b == nil {
			return act.Wrong("%s has no shape yet; wait until it is made", r.Name)
		}
		world := geom.Turn(geom.V{Y: 1}, r.Yaw).Rotate(dir)
		// What carries it is touched by the way: a hair above it.
		t, _, ok := contact.Toward(b.Moved(geom.V{Y: 5e-4}), others, world, wallReach)
		if !ok {
			return act.Wrong("Nothing stands within %d m on that side of %s.", wallReach, r.Name)
		}
		before := r.Placement
		r.At = r.At.Add(world.Mul(max(t-1e-4, 0)))
		e.Say("set %s against what is %s of it", r.Name, map[string]string{"back": "behind", "front": "in front",
			"left": "left", "right": "right", "up": "above"}[d.Side])
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

const wallReach = 100 // metres: no wall that is meant is farther

// FollowSlope turns placements so that they stand square on the surface beneath.
type FollowSlope struct {
	feeling
	IDs []string `json:"ids"`
}

func (d *FollowSlope) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "what is to follow the slope")
	if err != nil {
		return err
	}
	things, err := e.Felt(ctx)
	if err != nil {
		return err
	}
	others, _ := desk.Obstacles(things, func(id string) bool { return slices.Contains(d.IDs, id) })
	for _, r := range rows {
		before := r.Placement
		b, err := e.Body(ctx, &r.Placement)
		if err != nil {
			return err
		}
		from := r.At.Y + 0.5
		if b != nil {
			from = b.Box.Max.Y
		}
		y, n, ok := (&assembly.Ground{Bodies: others}).Under(r.At.X, r.At.Z, from)
		if !ok {
			return act.Wrong("Nothing lies beneath %s.", r.Name)
		}
		q := lay.Lean(n, 1).Mul(geom.Turn(geom.V{Y: 1}, r.Yaw))
		m := geom.Compose(geom.V{X: r.At.X, Y: y, Z: r.At.Z}, q, r.Scale)
		r.SetTransform(&m)
		e.Say("stand %s on the slope", r.Name)
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// MoveOut moves a placement out of what it reaches into, by the shortest way.
type MoveOut struct {
	feeling
	ID string `json:"id"`
}

func (d *MoveOut) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, []string{d.ID}, 1, "what is to be moved out")
	if err != nil {
		return err
	}
	things, err := e.Felt(ctx)
	if err != nil {
		return err
	}
	r := rows[0]
	others, of := desk.Obstacles(things, func(id string) bool { return id == r.ID })
	b, err := e.Body(ctx, &r.Placement)
	if err != nil || b == nil {
		return err
	}
	before := r.Placement
	for range 8 { // out of one may be into the next
		deepest, way := 0.0, geom.V{}
		for i, o := range others {
			if of[i].Land {
				continue
			}
			if t, out := contact.Depth(b, o); t > deepest {
				deepest, way = t, out
			}
		}
		if deepest == 0 {
			break
		}
		way = way.Mul(1 + 1e-6/deepest)
		r.At, b = r.At.Add(way), b.Moved(way)
	}
	e.Say("move %s out of what it reached into", r.Name)
	return e.Keep(ctx, r, before)
}

// Swap lets two placements change their places.
type Swap struct {
	IDs []string `json:"ids"`
}

func (d *Swap) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 2, "two things")
	if err != nil {
		return err
	}
	if len(rows) != 2 {
		return act.Wrong("Two things swap their places; %d are selected.", len(rows))
	}
	a, b := rows[0].Placement, rows[1].Placement
	rows[0].At, rows[0].Yaw = b.At, b.Yaw
	rows[1].At, rows[1].Yaw = a.At, a.Yaw
	e.Say("swap %s and %s", a.Name, b.Name)
	return cmp.Or(e.Keep(ctx, rows[0], a), e.Keep(ctx, rows[1], b))
}

// blockout is the layer that stand-ins go to when they were recast.
const blockout = "blockout"

// Recast puts a piece in the place of stand-ins: turned by quarters so that its box fits
// best, standing where the stand-in stood.
type Recast struct {
	IDs   []string `json:"ids"`
	Piece string   `json:"piece"`
	Fill  bool     `json:"fill"` // as large as the stand-in, not at its true size
}

func (d *Recast) Do(ctx context.Context, e *desk.Editor) error {
	rows, err := e.Free(ctx, d.IDs, 1, "a stand-in")
	if err != nil {
		return err
	}
	piece, err := store.GetPiece(ctx, e.Tx, d.Piece)
	if err != nil || piece.Gone || piece.ProductionID != e.Set.ProductionID {
		return act.NotThere(store.ErrNotFound, "The piece")
	}
	facts, s, err := measure.PieceFacts(&piece)
	if err != nil {
		return err
	}
	box := facts.Box().Apply(s.Transform(facts.Box()))
	if err := e.NeedLayer(ctx, blockout); err != nil {
		return err
	}
	if _, err := e.Placements(ctx); err != nil {
		return err
	}
	fits := 0.0
	for _, r := range rows {
		if r.Piece != "" {
			return act.Wrong("%s is a piece already; only stand-ins are recast.", r.Name)
		}
		room := r.Size.Times(r.Scale)
		turn, scale, fit := stage.BestFit(room, box.Size(), d.Fill)
		p := stage.Placement{ID: store.NewID(), Piece: piece.ID, Name: stage.NextName(piece.Name, e.Taken),
			Yaw: r.Yaw + turn, Pitch: r.Pitch, Roll: r.Roll, Scale: scale, Recast: r.ID, Group: r.Group, Order: r.Order}
		// The middle of its base comes to where the stand-in's base is.
		base := geom.V{X: (box.Min.X + box.Max.X) / 2, Y: box.Min.Y, Z: (box.Min.Z + box.Max.Z) / 2}
		at := p.World()
		p.At = r.At.Sub(at.Dir(base))
		fits += fit
		e.Say("recast %s by %s, it fits %.0f %%", r.Name, piece.Name, 100*fit)
		if err := e.Add(ctx, p); err != nil {
			return err
		}
		r, err := e.Placement(ctx, r.ID) // the list may have grown
		if err != nil {
			return err
		}
		before := r.Placement
		r.Hidden, r.Layer = true, blockout
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	if n := len(rows); n > 1 {
		e.Label = fmt.Sprintf("recast %d stand-ins by %s, they fit %.0f %% on average", n, piece.Name,
			100*fits/float64(n))
	}
	return nil
}
