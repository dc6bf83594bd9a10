package query

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"visator/app/cache"
	"visator/app/measure"
	"visator/core/intake/credit"
	"visator/core/model"
	"visator/core/plain"
	"visator/core/snag"
	"visator/core/unit"
	"visator/store"
)

// What is told of a production's pieces, proposed for them, and what came in is worked out once for all sets and all
// edits that leave them as they are. It is shared, and not to be changed.
var (
	bareKept     = cache.Of("pieces", func(l *bareList) int { return 4000 * len(l.states) })
	arrivalsKept = cache.Of("arrivals", func(l []store.Arrival) int { return 2000 * len(l) })
	proposalKept = cache.Of("proposals", func(m map[string]*ProposalState) int { return 100 * len(m) })
	libraryKept  = cache.Of("library", func(l library) int { return len(l.raw) })
)

// library is the topic of that name as JSON, and what that is called.
type library struct {
	raw  []byte
	name string
}

// bareList are the pieces of a production without what a set says of them.
type bareList struct {
	states    []PieceState
	triangles [][]int // of the levels of each
	snags     []snag.Snag
}

// made is what is kept under a name, made anew where that was of another. Who waits for it makes it alone: it is read
// within a transaction that may be cut off.
func made[V any](f cache.Family[V], name, of string, work func() (V, error)) (V, error) {
	v, ok := f.GetOf(name, of)
	if ok {
		return v, nil
	}
	v, err := work()
	if err == nil {
		f.PutOf(name, of, v)
	}
	return v, err
}

// arrivals are what came into the production of a set.
func (a *Pages) arrivals(ctx context.Context, q store.Querier, w *measure.Snapshot) ([]store.Arrival, error) {
	id := w.SetRow.ProductionID
	list, err := made(arrivalsKept, id, w.Stamps.Arrivals, func() ([]store.Arrival, error) {
		return store.Arrivals(ctx, q, id)
	})
	return slices.Clone(list), err
}

// proposalsOf are the proposals for the pieces of the production of a set.
func (a *Pages) proposalsOf(ctx context.Context, in unit.Ruler, q store.Querier, w *measure.Snapshot,
	arrivals []store.Arrival) (map[string]*ProposalState, error) {
	of := fmt.Sprint(in, " ", w.Stamps.Pieces)
	return made(proposalKept, w.SetRow.ProductionID, of, func() (map[string]*ProposalState, error) {
		return a.proposals(ctx, in, q, w.PieceList, arrivals)
	})
}

// piecesOf are the pieces of the production of a set.
func piecesOf(w *measure.Snapshot) (*bareList, error) {
	return made(bareKept, w.SetRow.ProductionID, w.Stamps.Pieces, func() (*bareList, error) {
		lookOf := measure.LookByPiece(w.LookList)
		l := &bareList{}
		for i := range w.PieceList {
			p := &w.PieceList[i]
			if err := l.add(p, lookOf[p.ID]); err != nil {
				return nil, err
			}
		}
		return l, nil
	})
}

func (l *bareList) add(p *store.Piece, look *store.LookLevels) error {
	f, s, err := measure.PieceFacts(p)
	if err != nil {
		return err
	}
	ps := PieceState{ID: p.ID, Name: p.Name, Arrival: p.ArrivalID, Size: s.Size(f.Box()), AsRead: f.Box().Size(),
		Unit: f.Unit, Sizing: s, World: s.Transform(f.Box()), Facts: f.Report, Levels: []measure.Level{}}
	ps.Box, ps.Stretched = f.Box().Apply(ps.World), s.Stretched()
	ps.Making, ps.Picture, ps.Marked, ps.News = p.Making, p.Picture, p.Favourite, len(p.News) > 0
	if err := cmp.Or(json.Unmarshal(p.Tags, &ps.Tags), json.Unmarshal(p.Credit, &ps.Credit),
		json.Unmarshal(p.Weight, &ps.Weight)); err != nil {
		return fmt.Errorf("piece %s: %w", p.ID, err)
	}
	ps.Terms, ps.Unknown = credit.TermsOf(ps.Credit.Licence), ps.Credit.Unknown()
	for _, c := range s.Choices(f.Box()) {
		chosen := s.Is(c.Unit.Metres, s.Up)
		ps.Choices = append(ps.Choices, UnitChoice{c.Unit.Name, c.Unit.Metres, c.Size, chosen})
	}
	if look != nil {
		if err := json.Unmarshal(look.Levels, &ps.Levels); err != nil {
			return fmt.Errorf("look of piece %s: %w", p.ID, err)
		}
		for i := range ps.Levels {
			ps.Levels[i].Off *= 1000 * s.Scale().Max()
		}
		ps.Outline = outlineOf(p.Made, &s, &ps.World)
	}
	var tri []int
	for _, v := range ps.Levels {
		tri = append(tri, v.Triangles)
	}
	for _, t := range f.Textures {
		if t.Status == model.Missing {
			ps.Lacks++
		}
	}
	if ps.Lacks > 0 {
		l.snags = append(l.snags,
			snag.Snag{Step: "intake", What: fmt.Sprintf("%s lacks %d of its maps", p.Name, ps.Lacks), ID: p.ID})
	}
	if why, ok := strings.CutPrefix(p.Making, "failed: "); ok {
		l.snags = append(l.snags, snag.Snag{Step: "intake", What: p.Name + ": " + why, ID: p.ID})
	}
	l.states, l.triangles = append(l.states, ps), append(l.triangles, tri)
	return nil
}

// library is the topic of that name: worked out anew when pieces, what came in, or how many stand where is
// another.
func (st *State) library() (library, error) {
	var of strings.Builder
	fmt.Fprint(&of, st.stamps, unit.RulerOf(st.Production.Unit))
	for i := range st.Pieces {
		if p := &st.Pieces[i]; p.Copies+p.Elsewhere+p.OtherSets > 0 {
			fmt.Fprint(&of, " ", i, " ", p.Copies, " ", p.Elsewhere, " ", p.OtherSets)
		}
	}
	return made(libraryKept, st.id, of.String(), func() (library, error) {
		raw, err := Finite(st.Topic("library"))
		return library{raw, plain.Name(raw)}, err
	})
}
