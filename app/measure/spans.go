package measure

import (
	"context"
	"encoding/json"

	"visator/app/cache"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/snag"
	"visator/store"
)

// shapes are models that were read for measuring, by the hash of their blob.
var shapes = cache.Of("shape", func(m *model.Model) int { return m.Bytes() })

func (a *Sets) readShape(ctx context.Context, blob string) (*model.Model, error) {
	return shapes.Make(blob, func() (*model.Model, error) {
		data, err := a.Store.ReadBlob(context.WithoutCancel(ctx), blob) // others may be waiting for it
		if err != nil {
			return nil, err
		}
		return gltf.Read(blob, data, model.Folder{})
	})
}

// Spans measures the things in a view: by their boxes, and what carries
// others by its triangles, since a land's box begins at the lens. looks are
// those of pieces.
func (a *Sets) Spans(ctx context.Context, v *optics.View, pieces []store.Piece, looks []store.LookLevels,
	list []store.PlacementRow, things []snag.Thing) ([]optics.Span, error) {
	pieceOf, byID, lookOf := map[string]string{}, map[string]*store.Piece{}, LookByPiece(looks)
	for i := range list {
		pieceOf[list[i].ID] = list[i].Piece
	}
	for i := range pieces {
		byID[pieces[i].ID] = &pieces[i]
	}
	spans := make([]optics.Span, len(things))
	for i := range things {
		t := &things[i]
		spans[i] = v.SpanOf(t.Box, t.World)
		piece := byID[pieceOf[t.ID]]
		if !t.Ground || !spans[i].Seen || piece == nil || lookOf[piece.ID] == nil {
			continue
		}
		m, top, err := a.shape(ctx, piece, lookOf[piece.ID])
		if err != nil {
			return nil, err
		}
		if m != nil {
			spans[i] = v.SpanOfModel(m, t.World.Mul(top))
		}
	}
	return spans, nil
}

// LookByPiece finds looks by the pieces that they are of.
func LookByPiece(looks []store.LookLevels) map[string]*store.LookLevels {
	of := map[string]*store.LookLevels{}
	for i := range looks {
		of[looks[i].PieceID] = &looks[i]
	}
	return of
}

// shape is a piece's finest proxy with the transform to metres about its
// pivot; nil while there is none.
func (a *Sets) shape(ctx context.Context, p *store.Piece, look *store.LookLevels) (*model.Model, geom.M, error) {
	var levels []Level
	if err := json.Unmarshal(look.Levels, &levels); err != nil || len(levels) == 0 {
		return nil, geom.M{}, err
	}
	f, s, err := PieceFacts(p)
	if err != nil {
		return nil, geom.M{}, err
	}
	m, err := a.readShape(ctx, levels[0].Blob)
	return m, s.Transform(f.Box()), err
}
