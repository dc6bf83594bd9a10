package query

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"math"
	"path"
	"strings"
	"sync"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/geom"
	"visator/core/intake/recipe"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/sizing"
	"visator/core/sizing/kinds"
	"visator/core/snag"
	"visator/core/unit"
	"visator/store"
)

// ProposalState is what is proposed for the size of a piece.
type ProposalState struct {
	Candidates []CandidateState `json:"candidates"`
	Sure       bool             `json:"sure"`
	Group      string           `json:"group"` // of pieces that may share a mistake: the supplier or the arrival
	// Rest is how far above its lowest point the piece would rest as it is sized,
	// in units of the file.
	Rest float64 `json:"rest"`
	// Under is how far it goes into the ground then, in metres as it is sized.
	Under float64 `json:"under"`
	// Patterns are the surfaces that bear maps, as large as they are now.
	Patterns []PatternState `json:"patterns"`
}

// PatternState is how large the picture on a surface is.
type PatternState struct {
	Surface string  `json:"surface"` // name
	Repeat  float64 `json:"repeat"`  // metres
	Texels  float64 `json:"texels"`  // a metre; 0: not known
	Wrong   string  `json:"wrong"`   // what cannot be right about it
	Picture string  `json:"picture"` // blob of a smaller one; "" when none is at hand
	Width   float64 `json:"width"`   // metres that the whole picture is wide
	Height  float64 `json:"height"`
	pixels  int
}

// ProposalBrief is a proposal as the state of a set has it: the likeliest
// candidate, without its reasons.
type ProposalBrief struct {
	CandidateState
	Sure  bool   `json:"sure"`
	Group string `json:"group"`
}

// wrongPatterns are the snags of the pictures on a piece.
func (p *ProposalState) wrongPatterns(id, name string) (out []snag.Snag) {
	if p != nil {
		for _, t := range p.Patterns {
			if t.Wrong != "" {
				out = append(out, snag.Snag{Step: "size", What: name + ": " + t.Wrong, ID: id})
			}
		}
	}
	return out
}

// textureSnags are the pictures on things that are too coarse from where they
// stand, or finer than is ever seen.
func textureSnags(in unit.Ruler, v *optics.View, things []snag.Thing, spans []optics.Span,
	of map[string]*store.PlacementRow, all map[string]*ProposalState) []snag.Snag {
	var list []snag.Texture
	for i := range things {
		row := of[things[i].ID]
		p := all[row.Piece]
		if p == nil {
			continue
		}
		scale := math.Cbrt(math.Abs(row.Scale.X * row.Scale.Y * row.Scale.Z))
		for _, t := range p.Patterns {
			list = append(list, snag.Texture{Thing: i, Piece: row.Piece, Surface: t.Surface, Pixels: t.pixels,
				Texels: t.Texels / scale})
		}
	}
	return snag.TooCoarse(in, v, things, spans, list)
}

func (p *ProposalState) brief() *ProposalBrief {
	if p == nil || len(p.Candidates) == 0 {
		return nil
	}
	b := &ProposalBrief{p.Candidates[0], p.Sure, p.Group}
	b.Reasons = nil
	return b
}

// Proposal is what is proposed for a piece, with the reasons.
func (a *Pages) Proposal(ctx context.Context, piece string) (*ProposalState, error) {
	p, err := store.GetPiece(ctx, a.Store.Pool, piece)
	if err != nil {
		return nil, act.NotThere(err, "The piece")
	}
	production, err := store.GetProduction(ctx, a.Store.Pool, p.ProductionID)
	if err != nil {
		return nil, err
	}
	in := unit.RulerOf(production.Unit)
	pieces, err := store.Pieces(ctx, a.Store.Pool, p.ProductionID)
	if err != nil {
		return nil, err
	}
	arrivals, err := store.Arrivals(ctx, a.Store.Pool, p.ProductionID)
	if err != nil {
		return nil, err
	}
	all, err := a.proposals(ctx, in, a.Store.Pool, pieces, arrivals)
	if err != nil || all[piece] == nil {
		return nil, cmp.Or(err, act.NotThere(store.ErrNotFound, "The piece"))
	}
	return all[piece], nil
}

// CandidateState is a unit and an up axis for a piece.
type CandidateState struct {
	MetresPerUnit float64    `json:"metresPerUnit"`
	Unit          string     `json:"unit"` // its name
	Up            model.Axis `json:"up"`
	Size          geom.V     `json:"size"` // metres
	Score         float64    `json:"score"`
	Kind          string     `json:"kind"`
	Reasons       []string   `json:"reasons"`
	Now           bool       `json:"now"` // it is what the piece has
}

// proposer remembers proposals: they are asked for with every look at a set,
// and change only with the pieces.
type proposer struct {
	mu    sync.Mutex
	known map[[32]byte][]*ProposalState
	// What pieces go by, with the evidence weighed: after a decision only the
	// agreement within a group is worked out anew.
	subjects map[string]*sizing.Subject
}

const (
	maxKnown    = 10_000 // groups; one is some kilobytes, most are of one piece
	maxSubjects = 10_000 // pieces; one is some kilobytes
)

// subject is what a piece goes by; it is read when it is not known.
func (p *proposer) subject(ctx context.Context, q store.Querier, piece *store.Piece,
	arrival string) (*sizing.Subject, error) {
	key := strings.Join([]string{piece.ID, piece.Made, piece.Name, piece.Source, arrival}, "\x00")
	p.mu.Lock()
	s := p.subjects[key]
	p.mu.Unlock()
	if s != nil {
		return s, nil
	}
	raw, err := store.Subject(ctx, q, piece.ID)
	if err != nil {
		return nil, err
	}
	if s, err = subjectOf(piece, raw, arrival); err != nil {
		return nil, err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.subjects == nil || len(p.subjects) >= maxSubjects {
		p.subjects = map[string]*sizing.Subject{}
	}
	p.subjects[key] = s
	return s, nil
}

func (p *proposer) get(key [32]byte) []*ProposalState {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.known[key]
}

func (p *proposer) put(key [32]byte, list []*ProposalState) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.known == nil || len(p.known) >= maxKnown {
		p.known = map[[32]byte][]*ProposalState{}
	}
	p.known[key] = list
}

// proposals are those for the pieces of a production, by piece; they are shared
// and not to be changed. Pieces of one author, or else of one arrival, are taken
// as one supplier's.
func (a *Pages) proposals(ctx context.Context, in unit.Ruler, q store.Querier, pieces []store.Piece,
	arrivals []store.Arrival) (map[string]*ProposalState, error) {
	came := map[string]string{}
	for i := range arrivals {
		came[arrivals[i].ID] = arrivals[i].Name
	}
	groups := map[string][]*store.Piece{}
	for i := range pieces {
		var c struct {
			Author string `json:"author"`
		}
		if err := json.Unmarshal(pieces[i].Credit, &c); err != nil {
			return nil, fmt.Errorf("piece %s: %w", pieces[i].ID, err)
		}
		group := cmp.Or(c.Author, came[pieces[i].ArrivalID])
		groups[group] = append(groups[group], &pieces[i])
	}
	out := map[string]*ProposalState{}
	for name, group := range groups {
		h := sha256.New()
		fmt.Fprintf(h, "%d:%d:%s", in, len(name), name)
		for _, p := range group {
			for _, s := range [][]byte{[]byte(p.ID), []byte(p.Name), []byte(p.Source), []byte(came[p.ArrivalID]),
				[]byte(p.Made), p.Sizing, p.Recipe} {
				fmt.Fprintf(h, "%d:", len(s))
				h.Write(s)
			}
		}
		key := [32]byte(h.Sum(nil))
		list := a.proposer.get(key)
		if list == nil {
			var err error
			if list, err = a.proposeSizes(ctx, in, q, name, group, came); err != nil {
				return nil, err
			}
			a.proposer.put(key, list)
		}
		for i, p := range group {
			out[p.ID] = list[i]
		}
	}
	return out, nil
}

// proposeSizes makes the proposals of one group.
func (a *Pages) proposeSizes(ctx context.Context, in unit.Ruler, q store.Querier, name string, group []*store.Piece,
	came map[string]string) ([]*ProposalState, error) {
	subjects, sizes, decided := make([]*sizing.Subject, len(group)), make([]sizing.Sizing, len(group)),
		map[*sizing.Subject]*sizing.Sizing{}
	for i, p := range group {
		var err error
		if subjects[i], err = a.proposer.subject(ctx, q, p, came[p.ArrivalID]); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(p.Sizing, &sizes[i]); err != nil {
			return nil, fmt.Errorf("piece %s: %w", p.ID, err)
		}
		if sizes[i].Decided {
			decided[subjects[i]] = &sizes[i]
		}
	}
	var out []*ProposalState
	for i, p := range sizing.Propose(in, subjects, decided) {
		var rec recipe.Recipe
		if err := json.Unmarshal(group[i].Recipe, &rec); err != nil {
			return nil, fmt.Errorf("piece %s: %w", group[i].ID, err)
		}
		out = append(out, proposalState(in, &p, subjects[i], name, &sizes[i], &rec))
	}
	return out, nil
}

// subjectOf is what a proposal for a piece goes by.
func subjectOf(p *store.Piece, raw json.RawMessage, arrival string) (s *sizing.Subject, err error) {
	s = &sizing.Subject{}
	if err := json.Unmarshal(raw, s); err != nil {
		return nil, fmt.Errorf("piece %s: %w", p.ID, err)
	}
	if s.Format == "" { // made before there were proposals: its facts must do
		f, _, err := measure.PieceFacts(p)
		if err != nil {
			return nil, err
		}
		s.Format, s.Unit, s.Up, s.Box = f.Format, f.Unit, f.UpAxis, f.Box()
	}
	// The first of these names that tells something: what the artist calls it,
	// its file, its folder, what it came in.
	for _, name := range []string{p.Name, path.Base(p.Source), path.Base(path.Dir(p.Source)), arrival} {
		s.Name = strings.TrimSuffix(name, path.Ext(name))
		if m, _ := kinds.Recognise(s.Name); len(m) > 0 {
			break
		}
	}
	return s, nil
}

func proposalState(in unit.Ruler, p *sizing.Proposal, s *sizing.Subject, group string, now *sizing.Sizing,
	rec *recipe.Recipe) *ProposalState {
	out := &ProposalState{Sure: p.Sure, Group: group, Candidates: []CandidateState{}}
	out.Rest = s.Shape.RestWith(now.Up)
	out.Under = cmp.Or(now.Sunk, out.Rest) * now.Scale().Y
	out.Patterns = PatternStates(in, s, now, rec)
	for _, c := range p.Candidates {
		same := now.Is(c.MetresPerUnit, c.Up)
		out.Candidates = append(out.Candidates, CandidateState{c.MetresPerUnit, sizing.UnitName(c.MetresPerUnit), c.Up,
			c.Size, c.Score, c.Kind, c.Reasons, same})
	}
	return out
}

// PatternStates are the pictures on a piece, as it is sized now.
func PatternStates(in unit.Ruler, s *sizing.Subject, now *sizing.Sizing, rec *recipe.Recipe) []PatternState {
	out := []PatternState{}
	k := now.Mean()
	for i := range s.Patterns {
		p := s.Patterns[i]
		p.Repeat *= cmp.Or(rec.Repeat[p.Key], 1)
		st := PatternState{Surface: p.Surface, Repeat: p.Repeat * k, Wrong: p.Judge(in, p.Repeat*k), Picture: p.Picture,
			pixels: p.Pixels}
		if p.Aspect > 0 { // its texels are square on what it lies on, as near as makes no difference
			st.Width, st.Height = st.Repeat*math.Sqrt(p.Aspect), st.Repeat/math.Sqrt(p.Aspect)
		}
		if p.Pixels > 0 {
			st.Texels = p.Texels() / k
		}
		out = append(out, st)
	}
	return out
}

// sizeSnags are the sizes that cannot be right, or are still to be decided.
func sizeSnags(in unit.Ruler, p *PieceState) []snag.Snag {
	b, list := p.Proposal, snag.Distorted(p.ID, p.Name, p.Sizing.Distortion())
	switch {
	case p.Sizing.Decided:
		return append(list, snag.Implausible(in, p.ID, p.Name, p.Size)...)
	case b == nil:
		return append(list, snag.Sizes(in, p.ID, p.Name, p.Size)...)
	case !b.Now && b.Score > 0.5:
		list = append(list,
			snag.Snag{Step: "size", What: fmt.Sprintf("%s, %s high as it came, is likely to be in %s: %s "+
				"high", p.Name, in.Distance(p.Size.Y), sizing.Units(b.MetresPerUnit), in.Distance(b.Size.Y)), ID: p.ID,
				Fix: "propose", Label: "take that"})
	case !b.Sure:
		list = append(list,
			snag.Snag{Step: "size", What: fmt.Sprintf("%s: nothing is sure about its size of %s; look at it", p.Name,
				in.Distance(p.Size.Max())), ID: p.ID, Fix: "sized", Label: "it is right"})
	}
	return list
}
