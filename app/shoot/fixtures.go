package shoot

import (
	"context"
	"fmt"

	"visator/core/fixture"
	"visator/core/lay"
)

// ProposedFixture is a lamp that a piece of the set may carry.
type ProposedFixture struct {
	fixture.Found
	ID     string `json:"id"` // of the proposal
	Piece  string `json:"piece"`
	Of     string `json:"of"`     // the piece's name
	Things int    `json:"things"` // that carry it then
}

// Fixtures proposes lamps for the pieces that stand in a set and carry none yet.
func (a *Studio) Fixtures(ctx context.Context, setID string) ([]ProposedFixture, error) {
	w, err := a.LaidOut(ctx, setID)
	if err != nil {
		return nil, err
	}
	count := map[string]int{}
	var order []string
	stands := func(piece string, n int) {
		if piece != "" && count[piece] == 0 {
			order = append(order, piece)
		}
		count[piece] += n
	}
	carries := map[string]bool{}
	for t := range w.Filmed {
		if p := t.Placement; p != nil {
			stands(p.Piece, 1)
			continue
		}
		for _, c := range t.Laid.Counts {
			stands(c.Piece, c.N)
		}
		if t.Kind == "fixture" {
			if s, err := t.Element.Read(); err == nil {
				carries[s.(*lay.Fixture).Piece] = true
			}
		}
	}
	l := newLoaded(a)
	out := []ProposedFixture{}
	for _, id := range order {
		if carries[id] {
			continue
		}
		name := id
		if row := w.PieceOf[id]; row != nil {
			name = row.Name
		}
		if err := l.load(ctx, w, id, name); err != nil {
			return nil, err
		}
		for i, f := range fixture.Find(l.models[id], l.top[id]) {
			out = append(out, ProposedFixture{f, fmt.Sprintf("%s %d", id, i+1), id, name, count[id]})
		}
		delete(l.models, id) // one at a time
	}
	return out, nil
}
