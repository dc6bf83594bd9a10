package measure

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"

	"visator/core/geom"
	"visator/core/intake/recipe"
	"visator/core/lay"
	"visator/core/snag"
)

// BudgetState is what a set weighs, against what it may.
type BudgetState struct {
	Triangles int          `json:"triangles"`
	Instances int          `json:"instances"`
	Megabytes float64      `json:"megabytes"` // of textures on a graphics card
	Limit     lay.Limit    `json:"limit"`
	ByPiece   []BudgetLine `json:"byPiece"` // the heaviest first
	ByLayer   []BudgetLine `json:"byLayer"`
	Savings   []Saving     `json:"savings"` // what would save most, as it was measured last
}

// Saving is a piece that is more detailed than any shot can show.
type Saving struct {
	Piece     string  `json:"piece"`
	Name      string  `json:"name"`
	Light     int     `json:"light"`     // the lighter version that would do
	Triangles int     `json:"triangles"` // saved, in all copies
	Pixels    float64 `json:"pixels"`    // how tall it is at most in a picture 1080 high
	Off       float64 `json:"off"`       // how far its surface would be off there, in pixels
}

// BudgetLine is the share of one piece or layer.
type BudgetLine struct {
	ID        string  `json:"id"` // of a piece
	Name      string  `json:"name"`
	Triangles int     `json:"triangles"`
	Instances int     `json:"instances"`
	Megabytes float64 `json:"megabytes"`
}

// Budget weighs what is seen: every copy has its triangles, textures are there
// once.
func (w *Snapshot) Budget() (b BudgetState) {
	pieces, layers := map[string]*BudgetLine{}, map[string]*BudgetLine{}
	line := func(m map[string]*BudgetLine, id, name string) *BudgetLine {
		if m[id] == nil {
			m[id] = &BudgetLine{ID: id, Name: name}
		}
		return m[id]
	}
	add := func(piece, name, layer string, triangles, n int) {
		b.Triangles, b.Instances = b.Triangles+triangles*n, b.Instances+n
		if layer == "" {
			layer = "no layer"
		}
		for _, l := range []*BudgetLine{line(pieces, piece, name), line(layers, layer, layer)} {
			l.Triangles, l.Instances = l.Triangles+triangles*n, l.Instances+n
		}
	}
	weights := map[string]recipe.Weight{}
	weigh := func(piece, layer string, n int) {
		p := w.PieceOf[piece]
		if p == nil {
			return
		}
		t, ok := weights[piece]
		if !ok {
			_ = json.Unmarshal(p.Weight, &t) // of the program's own making; none weighs nothing
			if levels, light := w.Lightness(piece); light > 0 && light < len(levels) {
				t.Triangles = min(t.Triangles, levels[light].Triangles)
			}
			weights[piece] = t
		}
		add(piece, p.Name, layer, t.Triangles, n)
		pieces[piece].Megabytes = float64(t.TextureBytes) / 1e6
	}
	for _, e := range w.Elements {
		if e.Kind == "limit" {
			if s, err := e.Read(); err == nil {
				b.Limit = *s.(*lay.Limit)
			}
		}
	}
	for t := range w.Seen {
		if t.Piece() != "" {
			weigh(t.Piece(), t.Layer, 1)
		}
		if t.Laid == nil {
			continue
		}
		if t.Laid.Model != nil {
			add(t.ID, t.Name, t.Layer, t.Laid.Model.Weigh().Triangles, 1)
		}
		for _, c := range t.Laid.Counts {
			weigh(c.Piece, t.Layer, c.N)
		}
	}
	sorted := func(m map[string]*BudgetLine) (list []BudgetLine) {
		for _, l := range m {
			list = append(list, *l)
		}
		slices.SortFunc(list, func(x, y BudgetLine) int {
			return cmp.Or(cmp.Compare(y.Triangles, x.Triangles), cmp.Compare(x.Name, y.Name))
		})
		return list
	}
	b.ByPiece, b.ByLayer = sorted(pieces), sorted(layers)
	for _, l := range b.ByPiece {
		b.Megabytes += l.Megabytes
	}
	return b
}

// Lightness is which of a piece's lighter versions is used, and what there are.
func (w *Snapshot) Lightness(piece string) (levels []Level, light int) {
	p, look := w.PieceOf[piece], w.looks[piece]
	if p == nil || look == nil {
		return nil, 0
	}
	_, s, err := PieceFacts(p)
	if err != nil || json.Unmarshal(look.Levels, &levels) != nil {
		return nil, 0
	}
	return levels, s.Light
}

// Judged is the picture that detail is judged in: a frame of full HD.
const (
	judgedHigh = 1080 // pixels
	judgedOff  = 0.5  // of one: less is not seen
)

// savings finds pieces for which a lighter version is off by less than half a
// pixel wherever a shot sees them, the largest saving first. Things in drifts are
// looked at by samples.
func (w *Snapshot) savings() (list []Saving) {
	views, _ := w.Views()
	type seen struct {
		copies int
		tall   float64 // share of the picture
		size   float64 // metres that are so tall
	}
	of := map[string]*seen{}
	look := func(piece string, box geom.Box, world geom.M, n int) {
		s := of[piece]
		if s == nil {
			s = &seen{}
			of[piece] = s
		}
		s.copies += n
		high := box.Apply(world).Size().Y
		for i := range views {
			if span := views[i].SpanOf(box, world); span.Seen && high > 0 &&
				(s.size == 0 || span.Height/high > s.tall/s.size) {
				s.tall, s.size = span.Height, high
			}
		}
	}
	const samples = 3000 // of one drift: the nearest is hardly missed by much
	for t := range w.Seen {
		if t.Piece() != "" && !t.Land {
			look(t.Piece(), t.Box, t.World, 1)
		}
		if t.Laid == nil {
			continue
		}
		list := t.Laid.Instances
		step := max(len(list)/samples, 1)
		for k := 0; k < len(list); k += step {
			in := &list[k]
			look(in.Piece, w.Box(in.Piece), in.World(), step)
		}
	}
	for id, s := range of {
		levels, now := w.Lightness(id)
		if w.PieceOf[id] == nil || s.size == 0 || now > 0 {
			continue
		}
		_, sz, err := PieceFacts(w.PieceOf[id])
		if err != nil {
			continue
		}
		pixel := s.size / (s.tall * judgedHigh) // metres, where it is largest
		for n := len(levels) - 1; n > 0; n-- {
			off := levels[n].Off * sz.Scale().Max() / pixel
			saved := (levels[0].Triangles - levels[n].Triangles) * s.copies
			if off > judgedOff || saved <= 0 {
				continue
			}
			list = append(list, Saving{id, w.PieceOf[id].Name, n, saved, s.tall * judgedHigh, off})
			break
		}
	}
	slices.SortFunc(list, func(a, b Saving) int {
		return cmp.Or(cmp.Compare(b.Triangles, a.Triangles), cmp.Compare(a.Name, b.Name))
	})
	return list
}

// overBudget says which limits are passed.
func (w *Snapshot) overBudget() (list []snag.Snag) {
	b := w.Budget()
	tell := func(what string, is, may float64, unit string) {
		if may > 0 && is > may {
			list = append(list, snag.Snag{Step: "dress", Kind: "budget", IDs: []string{}, Key: "budget:" + what,
				Number: is / may,
				What:   fmt.Sprintf("%.0f%s %s of %.0f: the heaviest is %s", is, unit, what, may, heaviest(b.ByPiece))})
		}
	}
	tell("triangles", float64(b.Triangles), float64(b.Limit.Triangles), "")
	tell("things", float64(b.Instances), float64(b.Limit.Instances), "")
	tell("textures", b.Megabytes, float64(b.Limit.Megabytes), " MB of")
	return list
}

func heaviest(list []BudgetLine) string {
	if len(list) == 0 {
		return "nothing"
	}
	return fmt.Sprintf("%s, %d triangles in %d copies", list[0].Name, list[0].Triangles, list[0].Instances)
}
