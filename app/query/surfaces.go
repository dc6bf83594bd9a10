package query

import (
	"visator/app/measure"
	"visator/core/geom"
	"visator/core/lay/keep"
	"visator/core/optics"
	"visator/core/snag"
	"visator/core/surface"
	"visator/core/unit"
	"visator/store"
)

// surfaceSnags are the faults of what stands is made of: of each piece where it stands nearest to the lens.
func surfaceSnags(in unit.Ruler, w *measure.Snapshot, things []snag.Thing, spans []optics.Span,
	of map[string]*store.PlacementRow) ([]snag.Snag, error) {
	worn, _, err := keep.Worn(w.Elements)
	if err != nil {
		return nil, err
	}
	palette, err := keep.Palette(w.Elements)
	if err != nil {
		return nil, err
	}
	best, order := map[string]int{}, []string{}
	for i := range things {
		piece := of[things[i].ID].Piece
		was, known := best[piece]
		if piece != "" && !known {
			order = append(order, piece)
		}
		if !known || spans[i].Seen && (!spans[was].Seen || spans[i].Near < spans[was].Near) {
			best[piece] = i
		}
	}
	var list []snag.Dressing
	for _, piece := range order {
		row := w.PieceOf[piece]
		if row == nil {
			continue
		}
		facts, sizing, err := measure.PieceFacts(row)
		if err != nil {
			return nil, err
		}
		t := &things[best[piece]]
		matches := surface.Matching(worn, t.ID, piece)
		top := sizing.Transform(facts.Box())
		metres := top.Dir(geom.V{X: 1}).Len()
		for _, f := range facts.Surfaces {
			d := snag.Dressing{Piece: piece, Name: row.Name, Thing: t.ID, Ground: t.Ground, Span: spans[best[piece]],
				Size: max(t.Size.X, t.Size.Z), Scale: t.World.Dir(geom.V{X: 1}).Len(),
				Surface: f.Surface, Material: f.Material, Maps: f.Maps, Mean: f.Mean}
			d.Tile *= metres
			if of := surface.For(matches, f.Surface); of != nil {
				d.Decided, d.Material, d.Maps, d.Mean = true, *of, nil, ""
				if of.Maps["base"] == (surface.Map{}) {
					d.Mean = of.Base
				}
			}
			list = append(list, d)
		}
	}
	return snag.Surfaces(in, &w.SetRow.View, list, palette), nil
}
