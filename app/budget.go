package app

import (
	"encoding/json"
	"fmt"
	"slices"

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
}

// BudgetLine is the share of one piece or layer.
type BudgetLine struct {
	ID        string  `json:"id"` // of a piece
	Name      string  `json:"name"`
	Triangles int     `json:"triangles"`
	Instances int     `json:"instances"`
	Megabytes float64 `json:"megabytes"`
}

// budget weighs what is seen: every copy has its triangles, textures are there
// once.
func (w *world) budget() (b BudgetState) {
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
	weigh := func(piece, layer string, n int) {
		p := w.pieces[piece]
		if p == nil {
			return
		}
		var t recipe.Weight
		_ = json.Unmarshal(p.Weight, &t) // of the program's own making; none weighs nothing
		add(piece, p.Name, layer, t.Triangles, n)
		pieces[piece].Megabytes = float64(t.TextureBytes) / 1e6
	}
	for i := range w.rows {
		if p := &w.rows[i].Placement; !w.hidden(p.Hidden, p.Layer) && p.Piece != "" {
			weigh(p.Piece, p.Layer, 1)
		}
	}
	for i := range w.elements {
		e := &w.elements[i].Element
		if e.Kind == "limit" {
			if s, err := e.Read(); err == nil {
				b.Limit = *s.(*lay.Limit)
			}
		}
		l := w.laid[e.ID]
		if l == nil || w.hidden(e.Hidden, e.Layer) {
			continue
		}
		if l.Model != nil {
			add(e.ID, e.Name, e.Layer, l.Model.Weigh().Triangles, 1)
		}
		count := map[string]int{}
		for k := range l.Instances {
			count[l.Instances[k].Piece]++
		}
		for piece, n := range count {
			weigh(piece, e.Layer, n)
		}
	}
	sorted := func(m map[string]*BudgetLine) (list []BudgetLine) {
		for _, l := range m {
			list = append(list, *l)
		}
		slices.SortFunc(list, func(x, y BudgetLine) int {
			if x.Triangles != y.Triangles {
				return y.Triangles - x.Triangles
			}
			return slices.Compare([]byte(x.Name), []byte(y.Name))
		})
		return list
	}
	b.ByPiece, b.ByLayer = sorted(pieces), sorted(layers)
	for _, l := range b.ByPiece {
		b.Megabytes += l.Megabytes
	}
	return b
}

// overBudget says which limits are passed.
func (w *world) overBudget() (list []snag.Snag) {
	b := w.budget()
	tell := func(what string, is, may float64, unit string) {
		if may > 0 && is > may {
			list = append(list, snag.Snag{Step: "dress", Kind: "budget", IDs: []string{}, Key: "budget:" + what, Number: is / may,
				What: fmt.Sprintf("%.0f%s %s of %.0f: the heaviest is %s", is, unit, what, may, heaviest(b.ByPiece))})
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
