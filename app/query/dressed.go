package query

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"math"
	"slices"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/exchange"
	"visator/core/lay"
	"visator/core/optics"
	"visator/core/snag"
	"visator/store"
)

// dressed fills in what is described, how everything stands and what it weighs.
// What takes long is left to the background, which announces it.
func (a *Pages) dressed(ctx context.Context, st *State, w *measure.Snapshot) error {
	set, rows, elements := &w.SetRow, w.PlacementRows, w.ElementRows
	later, err := w.LaidOut(ctx, true)
	if errors.Is(err, act.ErrBroke) { // what cannot be laid out is opened all the same, so that it can be undone
		st.Snags = append(st.Snags, snag.Snag{Step: "dress", Kind: "unmeasured",
			What: "What is described in this set " +
				"cannot be laid out, by a fault of the program. Undo what was done last."})
	} else if err != nil {
		return err
	}
	st.Elements = []ElementState{}
	for i := range elements {
		st.Elements = append(st.Elements, elementState(w, &elements[i].Element, slices.Contains(later, elements[i].ID)))
	}
	st.Budget = w.Budget()
	m := a.Last(set.ID)
	st.Measured = m
	st.Meant = []snag.Snag{}
	if m == nil || m.Revision != st.Revision || len(later) > 0 {
		a.Watch(set.ID)
	}
	if m == nil {
		return nil
	}
	if m.Failed != "" {
		st.Snags = append(st.Snags, snag.Snag{Step: "dress", Kind: "unmeasured", What: m.Failed})
	}
	st.Budget.Savings = m.Savings
	there := map[string]bool{}
	for i := range rows {
		there[rows[i].ID] = true
	}
	var list []snag.Snag
	for i := range elements {
		there[elements[i].ID] = true
	}
	for _, s := range m.Snags {
		if s.ID == "" || there[s.ID] || there[s.ID[:min(len(s.ID), 16)]] { // else it is gone since
			list = append(list, s)
		}
	}
	st.tell(list, elements)
	return nil
}

// tell adds snags: those that somebody said are meant are told apart.
func (st *State) tell(list []snag.Snag, elements []store.ElementRow) {
	meant := map[string]string{}
	for i := range elements {
		if elements[i].Kind != "meant" {
			continue
		}
		if s, err := elements[i].Read(); err == nil {
			meant[s.(*lay.Meant).Snag] = elements[i].ID
		}
	}
	for _, s := range list {
		if s.Meant = meant[s.Key]; s.Meant != "" {
			st.Meant = append(st.Meant, s)
		} else {
			st.Snags = append(st.Snags, s)
		}
	}
}

func elementState(w *measure.Snapshot, e *lay.Element, later bool) ElementState {
	s := ElementState{Element: *e, Laying: later, Pieces: []string{}}
	var l *assembly.Laid
	if w.Kept.Shows(e.Layer) {
		l = w.Laid(e.ID)
	}
	if spec, err := e.Read(); err != nil {
		s.Error = err.Error()
	} else if c, ok := spec.(*lay.Card); ok {
		s.Distant = c.At.Sub(w.SetRow.View.Eye).Len()
		from := safe(w, c)
		s.Safe = &from
	}
	if l == nil || later {
		return s
	}
	if l.Err != nil {
		s.Error = l.Err.Error()
	}
	s.Said, s.Key, s.Model, s.Count, s.Swings, s.Strips = l.Said, l.Key, l.Model != nil, len(l.Instances), l.Swings,
		l.Strips
	s.Pools, s.Lit = l.Pools, litOf(l.Hung)
	if l.Body != nil {
		s.Box = &l.Body.Box
	}
	s.Pieces = l.Pieces()
	return s
}

// safe is from how far on a card is safe for the working view's move: by how far
// the lens moves across the way to the card, at most, in the picture's pixels.
func safe(w *measure.Snapshot, c *lay.Card) float64 {
	if w.SetRow.Move == nil {
		return 0
	}
	to := c.At.Sub(w.SetRow.View.Eye).Unit()
	across := 0.0
	for _, v := range w.Along(&w.SetRow.ShotSettings) {
		d := v.Eye.Sub(w.SetRow.View.Eye)
		across = max(across, d.Sub(to.Mul(d.Dot(to))).Len())
	}
	wide, _ := w.SetRow.View.Window().Half()
	return lay.Safe(across, c.Relief, optics.Delivery/(2*wide)) // pixels of a frame of full HD
}

// laidNow is one element of a set as it is laid out now.
func (a *Pages) laidNow(ctx context.Context, set, element string) (*assembly.Laid, error) {
	w, err := a.LaidOut(ctx, set)
	if err != nil {
		return nil, err
	}
	if l := w.Laid(element); l != nil {
		return l, nil
	}
	return nil, act.NotThere(store.ErrNotFound, "The element")
}

// ElementModel is an element's own model as GLB, in the set's coordinates.
func (a *Pages) ElementModel(ctx context.Context, set, element string) ([]byte, error) {
	l, err := a.laidNow(ctx, set, element)
	if err != nil {
		return nil, err
	}
	if l.Model == nil {
		return nil, act.NotThere(store.ErrNotFound, "The element's model")
	}
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, l.Model); err != nil {
		return nil, err
	}
	return buf.Bytes(), nil
}

// ElementInstances are the pieces that an element lays, at most most of them,
// evenly chosen. Each is, little-endian: the number of its piece in the element's
// list (32 bits), its place, its turn as a quaternion x, y, z, w and its scale, as
// 32-bit floats: 36 bytes.
func (a *Pages) ElementInstances(ctx context.Context, set, element string, most int) ([]byte, error) {
	l, err := a.laidNow(ctx, set, element)
	if err != nil {
		return nil, err
	}
	number := map[string]uint32{}
	for i, p := range l.Pieces() {
		number[p] = uint32(i)
	}
	n := len(l.Instances)
	step := 1.0
	if most > 0 && n > most {
		step = float64(n) / float64(most)
	}
	out := make([]byte, 0, 36*int(float64(n)/step+1))
	for f := 0.0; int(f) < n; f += step {
		in := &l.Instances[int(f)]
		out = binary.LittleEndian.AppendUint32(out, number[in.Piece])
		for _, v := range []float64{in.At.X, in.At.Y, in.At.Z, in.Turn.X, in.Turn.Y, in.Turn.Z, in.Turn.W, in.Scale} {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(float32(v)))
		}
	}
	return out, nil
}
