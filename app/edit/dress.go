package edit

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/snag"
	"visator/core/stage"
	"visator/store"
)

// dressing arranges what stands in the set.
var dressing = family{
	"put down": of[PutDown], "rest": of[Rest], "set against": of[SetAgainst], "follow slope": of[FollowSlope],
	"move out": of[MoveOut], "set apart": of[SetApart], "align": of[Align], "distribute": of[Distribute],
	"face": of[Face],
	"swap": of[Swap], "mirror": of[Mirror], "vary": func() Op { return &Vary{VaryBy: Varied} }, "rename": of[Rename],
	"recast": of[Recast],
}

// felt is everything that is seen as it is felt, with what this edit changed; it
// is taken from what was measured last when that is still true.
func (e *Editor) felt(ctx context.Context) ([]snag.Solid, error) {
	if e.now == nil {
		if m := e.a.Last(e.Set.ID); m != nil && m.World != nil && m.Revision == e.rev-1 {
			e.now, e.solids = m.World, m.Things
		} else {
			w, err := e.a.Snapshot(ctx, e.Tx, e.Set.ID)
			if err != nil {
				return nil, err
			}
			if _, err := w.LayOut(ctx, false); err != nil {
				return nil, err
			}
			if e.solids, err = w.Solids(ctx, map[string]*snag.Solid{}); err != nil {
				return nil, err
			}
			e.now = w
			return e.solids, nil // it has this edit's own changes
		}
	}
	if len(e.moved) == 0 {
		return e.solids, nil
	}
	list := slices.DeleteFunc(slices.Clone(e.solids), func(s snag.Solid) bool { return e.moved[s.ID] })
	for id := range e.moved {
		row := e.byID[id]
		if row == nil || e.now.Layers.Hide(row.Hidden, row.Layer) || !e.now.Kept.Shows(row.Layer) {
			continue
		}
		body, err := e.body(ctx, &row.Placement)
		if err != nil {
			return nil, err
		}
		list = append(list, snag.Solid{ID: id, Name: row.Name, Piece: row.Piece, Group: row.Group, Body: body,
			Land: e.now.IsLand(&row.Placement)})
	}
	e.solids = list
	e.moved = nil
	return list, nil
}

// body is a placement as it is felt, wherever it is now.
func (e *Editor) body(ctx context.Context, p *stage.Placement) (*contact.Placed, error) {
	if p.Piece != "" && e.now.PieceOf[p.Piece] == nil { // newer than what was measured
		w, err := e.a.Snapshot(ctx, e.Tx, e.Set.ID)
		if err != nil {
			return nil, err
		}
		now, set := *e.now, *e.now.Set // what was measured stays as it was
		set.Pieces = w.Library
		now.Set, now.Library = &set, w.Library
		e.now = &now
	}
	return e.now.Felt(ctx, p)
}

// free are the rows of ids that may be moved, in the order of ids.
func (e *Editor) free(ctx context.Context, ids []string, least int, what string) ([]*store.PlacementRow, error) {
	var rows []*store.PlacementRow
	for _, id := range ids {
		row, err := e.placement(ctx, id)
		if err != nil {
			return nil, err
		}
		if row.Locked || e.lockedLayer(ctx, row.Layer) {
			return nil, act.Wrong("%s is locked; unlock it first", row.Name)
		}
		rows = append(rows, row)
	}
	if len(rows) < least {
		return nil, act.Wrong("Select %s first.", what)
	}
	return rows, nil
}

// Free are the placements of a set that may be moved, in the order of ids.
func (a *Desk) Free(ctx context.Context, tx pgx.Tx, set store.Set, ids []string,
	what string) ([]*store.PlacementRow, error) {
	return (&Editor{a: a, Tx: tx, Set: set, seen: -1}).free(ctx, ids, 1, what)
}

func (e *Editor) lockedLayer(ctx context.Context, name string) bool {
	if name == "" {
		return false
	}
	list, err := e.elements(ctx)
	if err != nil {
		return false
	}
	l := assembly.LayersOf(measure.ElementsOf(list))[name]
	return l != nil && l.Locked
}

// keep stores what was done to a placement.
func (e *Editor) keep(ctx context.Context, row *store.PlacementRow, before stage.Placement) error {
	if err := row.Check(); err != nil {
		return act.Wrong("%s: %v", before.Name, err)
	}
	return e.putPlacement(ctx, row, before)
}

// Obstacles are the bodies of all things but some.
func Obstacles(things []snag.Solid, but func(id string) bool) (list []*contact.Placed, of []*snag.Solid) {
	for i := range things {
		if s := &things[i]; s.Body != nil && !s.Soft && !but(s.ID) {
			list, of = append(list, s.Body), append(of, s)
		}
	}
	return list, of
}

// units are placements that move as one: those of one group, else each alone;
// the lowest first.
func (e *Editor) units(rows []*store.PlacementRow, things []snag.Solid) [][]*store.PlacementRow {
	height := map[string]float64{}
	for i := range things {
		if b := things[i].Body; b != nil {
			height[things[i].ID] = b.Box.Min.Y
		}
	}
	var out [][]*store.PlacementRow
	at := map[string]int{}
	for _, r := range rows {
		if k, ok := at[r.Group]; ok && r.Group != "" {
			out[k] = append(out[k], r)
			continue
		}
		at[r.Group] = len(out)
		out = append(out, []*store.PlacementRow{r})
	}
	low := func(list []*store.PlacementRow) float64 {
		y := math.Inf(1)
		for _, r := range list {
			y = min(y, height[r.ID])
		}
		return y
	}
	slices.SortStableFunc(out, func(a, b []*store.PlacementRow) int { return cmp.Compare(low(a), low(b)) })
	return out
}

// PutDown lets placements down onto what is beneath them, or lifts them out of it, by
// their true triangles. Here means that their height was pointed at: what they reach into
// by more than the hand is off is left as it is.
type PutDown struct {
	IDs  []string `json:"ids"`
	Here bool     `json:"here"`
}

func (d *PutDown) do(ctx context.Context, e *Editor) error {
	rows, err := e.free(ctx, d.IDs, 1, "what is to be put down")
	if err != nil {
		return err
	}
	things, err := e.felt(ctx)
	if err != nil {
		return err
	}
	e.Say("put down %s", rows[0].Name)
	waiting := map[string]bool{}
	for _, r := range rows {
		waiting[r.ID] = true
	}
	for _, unit := range e.units(rows, things) {
		others, _ := Obstacles(things, func(id string) bool { return waiting[id] })
		up := math.Inf(-1)
		for _, r := range unit {
			b, err := e.body(ctx, &r.Placement)
			if err != nil {
				return err
			}
			if b == nil {
				continue
			}
			y, on := contact.Down(b, others)
			if d.Here && y > touched {
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
			if err := e.keep(ctx, r, before); err != nil {
				return err
			}
			delete(waiting, r.ID)
		}
		if things, err = e.felt(ctx); err != nil {
			return err
		}
	}
	return nil
}

// restAt finds the height at which a placement rests at its place: on the
// highest thing beneath, within a room below its ceiling. here says that its height
// was pointed at: what lies above it, such as a table top, does not carry it.
func (e *Editor) restAt(ctx context.Context, p *stage.Placement, here bool) error {
	things, err := e.felt(ctx)
	if err != nil {
		return err
	}
	from := math.Inf(1)
	if here {
		from = p.At.Y + touched
	}
	for i := range e.now.ElementRows {
		if el := &e.now.ElementRows[i].Element; el.Kind == "room" && !el.Hidden {
			if s, err := el.Read(); err == nil {
				if r := s.(*lay.Room); !r.Open && lay.Holds(r.Outline, lay.P{X: p.At.X, Z: p.At.Z}) {
					from = min(from, r.Floor+r.Height-0.02)
				}
			}
		}
	}
	others, _ := Obstacles(things, func(id string) bool { return id == p.ID })
	g := assembly.Ground{Bodies: others}
	if y, _, ok := g.Under(p.At.X, p.At.Z, from); ok {
		p.At.Y = y
	} else {
		p.At.Y = 0
	}
	b, err := e.body(ctx, p)
	if err != nil || b == nil {
		return err
	}
	p.At.Y += p.At.Y - b.Box.Min.Y // its base, wherever its pivot is
	if b, err = e.body(ctx, p); err != nil {
		return err
	}
	if up, on := contact.Down(b, others); on >= 0 {
		p.At.Y += up
	}
	return nil
}

// touched is how far above the place that was pointed at a surface may lie, in
// metres: what is drawn is a light version of what is felt.
const touched = 0.05

// SetAgainst moves placements along one of their own sides, or up, until they touch:
// against a wall, or under a ceiling.
type SetAgainst struct {
	IDs  []string `json:"ids"`
	Side string   `json:"side"` // back, front, left, right or up
}

func (d *SetAgainst) do(ctx context.Context, e *Editor) error {
	rows, err := e.free(ctx, d.IDs, 1, "what is to be moved")
	if err != nil {
		return err
	}
	dirs := map[string]geom.V{"back": {Z: -1}, "front": {Z: 1}, "left": {X: -1}, "right": {X: 1}, "up": {Y: 1}}
	dir, ok := dirs[d.Side]
	if !ok {
		return act.Wrong("It moves back, front, left, right or up, not %q.", d.Side)
	}
	things, err := e.felt(ctx)
	if err != nil {
		return err
	}
	others, _ := Obstacles(things, func(id string) bool { return slices.Contains(d.IDs, id) })
	for _, r := range rows {
		b, err := e.body(ctx, &r.Placement)
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
		if err := e.keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

const wallReach = 100 // metres: no wall that is meant is farther

// FollowSlope turns placements so that they stand square on the surface beneath.
type FollowSlope struct {
	IDs []string `json:"ids"`
}

func (d *FollowSlope) do(ctx context.Context, e *Editor) error {
	rows, err := e.free(ctx, d.IDs, 1, "what is to follow the slope")
	if err != nil {
		return err
	}
	things, err := e.felt(ctx)
	if err != nil {
		return err
	}
	others, _ := Obstacles(things, func(id string) bool { return slices.Contains(d.IDs, id) })
	for _, r := range rows {
		before := r.Placement
		b, err := e.body(ctx, &r.Placement)
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
		if err := e.keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// MoveOut moves a placement out of what it reaches into, by the shortest way.
type MoveOut struct {
	ID string `json:"id"`
}

func (d *MoveOut) do(ctx context.Context, e *Editor) error {
	rows, err := e.free(ctx, []string{d.ID}, 1, "what is to be moved out")
	if err != nil {
		return err
	}
	things, err := e.felt(ctx)
	if err != nil {
		return err
	}
	r := rows[0]
	others, of := Obstacles(things, func(id string) bool { return id == r.ID })
	b, err := e.body(ctx, &r.Placement)
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
	return e.keep(ctx, r, before)
}

// Swap lets two placements change their places.
type Swap struct {
	IDs []string `json:"ids"`
}

func (d *Swap) do(ctx context.Context, e *Editor) error {
	rows, err := e.free(ctx, d.IDs, 2, "two things")
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
	return cmp.Or(e.keep(ctx, rows[0], a), e.keep(ctx, rows[1], b))
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

func (d *Recast) do(ctx context.Context, e *Editor) error {
	rows, err := e.free(ctx, d.IDs, 1, "a stand-in")
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
	if err := e.needLayer(ctx, blockout); err != nil {
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
		p := stage.Placement{ID: store.NewID(), Piece: piece.ID, Name: stage.NextName(piece.Name, e.taken),
			Yaw: r.Yaw + turn, Pitch: r.Pitch, Roll: r.Roll, Scale: scale, Recast: r.ID, Group: r.Group, Order: r.Order}
		// The middle of its base comes to where the stand-in's base is.
		base := geom.V{X: (box.Min.X + box.Max.X) / 2, Y: box.Min.Y, Z: (box.Min.Z + box.Max.Z) / 2}
		at := p.World()
		p.At = r.At.Sub(at.Dir(base))
		fits += fit
		e.Say("recast %s by %s, it fits %.0f %%", r.Name, piece.Name, 100*fit)
		if err := e.add(ctx, p); err != nil {
			return err
		}
		r, err := e.placement(ctx, r.ID) // the list may have grown
		if err != nil {
			return err
		}
		before := r.Placement
		r.Hidden, r.Layer = true, blockout
		if err := e.keep(ctx, r, before); err != nil {
			return err
		}
	}
	if n := len(rows); n > 1 {
		e.label = fmt.Sprintf("recast %d stand-ins by %s, they fit %.0f %% on average", n, piece.Name,
			100*fits/float64(n))
	}
	return nil
}
