package measure

import (
	"context"
	"encoding/json"
	"errors"
	"sync"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/cache"
	"visator/core/assembly"
	"visator/core/contact"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/lay"
	"visator/core/model"
	"visator/core/stage"
	"visator/store"
)

// Snapshot is a set as it is read, with the assembly that it resolves to. It is of one
// revision.
type Snapshot struct {
	*assembly.Set
	*Library
	PieceList     []store.Piece // of the library, in its order
	LookList      []store.LookLevels
	Stamps        store.Stamps // of the production; none of one that was kept
	SetRow        store.Set
	Production    store.Production
	PlacementRows []store.PlacementRow
	ElementRows   []store.ElementRow
	ShotRows      []store.ShotRow
}

// Library is what of a production's pieces a set needs to stand.
type Library struct {
	a       *Sets
	PieceOf map[string]*store.Piece
	looks   map[string]*store.LookLevels
	boxes   map[string]geom.Box // in metres about their pivots
	made    sync.Map            // bodies' names by piece, once asked for
}

// madeBody names what a piece is felt by.
type madeBody struct {
	key   string
	level Level
}

// NewLibrary is what is known of pieces.
func (a *Sets) NewLibrary(pieces []store.Piece, looks []store.LookLevels) (*Library, error) {
	boxes, err := PieceBoxes(pieces)
	return a.newLibrary(pieces, looks, boxes), err
}

// newLibrary is NewLibrary where the boxes are known.
func (a *Sets) newLibrary(pieces []store.Piece, looks []store.LookLevels, boxes map[string]geom.Box) *Library {
	l := &Library{a: a, PieceOf: make(map[string]*store.Piece, len(pieces)), looks: LookByPiece(looks), boxes: boxes}
	for i := range pieces {
		l.PieceOf[pieces[i].ID] = &pieces[i]
	}
	return l
}

// Boxed knows of pieces their boxes alone.
func (a *Sets) Boxed(boxes map[string]geom.Box) *Library { return &Library{a: a, boxes: boxes} }

// newSnapshot is a set of what was read of it, not laid out yet.
func newSnapshot(l *Library, set store.Set, production store.Production, rows []store.PlacementRow,
	elements []store.ElementRow, shots []store.ShotRow) *Snapshot {
	w := &Snapshot{Library: l, SetRow: set, Production: production, PlacementRows: rows, ElementRows: elements,
		ShotRows: shots}
	w.Set = &assembly.Set{Pieces: l, Memory: memory{}, Kept: &w.SetRow.ShotSettings, Elements: ElementsOf(elements)}
	for i := range rows {
		w.Placements = append(w.Placements, &rows[i].Placement)
	}
	for i := range shots {
		w.Shots = append(w.Shots, &shots[i].Shot)
	}
	w.Resolve()
	return w
}

// Snapshot reads a set.
func (a *Sets) Snapshot(ctx context.Context, q store.Querier, setID string) (*Snapshot, error) {
	set, err := store.GetSet(ctx, q, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	production, err := store.GetProduction(ctx, q, set.ProductionID)
	if err != nil {
		return nil, err
	}
	rows, err := readPlaced(ctx, q, setID, production.Revision)
	if err != nil {
		return nil, err
	}
	elements, err := store.Elements(ctx, q, setID)
	if err != nil {
		return nil, err
	}
	shots, err := store.Shots(ctx, q, setID)
	if err != nil {
		return nil, err
	}
	stamps, err := store.StampsOf(ctx, q, set.ProductionID)
	if err != nil {
		return nil, err
	}
	shelf, err := shelfOf(ctx, q, set.ProductionID, stamps.Pieces)
	if err != nil {
		return nil, err
	}
	w := newSnapshot(a.newLibrary(shelf.Pieces, shelf.Looks, shelf.boxes), set, production, rows, elements, shots)
	w.PieceList, w.LookList, w.Stamps = shelf.Pieces, shelf.Looks, stamps
	return w, nil
}

// ElementsOf are elements without their revisions.
func ElementsOf(rows []store.ElementRow) (list []*lay.Element) {
	for i := range rows {
		list = append(list, &rows[i].Element)
	}
	return list
}

// LaidOut is LayOut with an error instead of a panic.
func (w *Snapshot) LaidOut(ctx context.Context, quick bool) (later []string, err error) {
	err = act.Guarded("laying out a set", w.SetRow.ID, func() (err error) {
		later, err = w.LayOut(ctx, quick)
		return err
	})
	return later, err
}

// bodies are those of pieces and stand-ins by what they are made of.
var bodies = cache.Of("body", func(b *contact.Body) int {
	if b == nil {
		return 0
	}
	return bodyBytes * b.Triangles()
})

const (
	bodyBytes   = 24     // a triangle takes, about
	maxFeltEach = 60_000 // triangles of one piece that are felt: of its finest level that is no heavier
)

// bodyKey names the body of a piece with its sizing, and says from which level
// it is made; "" while it has none.
func (l *Library) bodyKey(piece string) (key string, level Level, err error) {
	if m, ok := l.made.Load(piece); ok {
		m := m.(madeBody)
		return m.key, m.level, nil
	}
	defer func() {
		if err == nil {
			l.made.Store(piece, madeBody{key, level})
		}
	}()
	p, look := l.PieceOf[piece], l.looks[piece]
	if p == nil || look == nil {
		return "", level, nil
	}
	var levels []Level
	if err := json.Unmarshal(look.Levels, &levels); err != nil || len(levels) == 0 {
		return "", level, err
	}
	level = levels[len(levels)-1]
	for _, l := range levels {
		if l.Triangles <= maxFeltEach {
			level = l
			break
		}
	}
	return level.Blob + string(p.Sizing), level, nil
}

// Made names what the model of a piece is made of, and how it is sized; "" while it is not known.
func (l *Library) Made(piece string) string {
	p := l.PieceOf[piece]
	if p == nil {
		return ""
	}
	return p.Blob + " " + string(p.Sizing)
}

// Key names the body of a piece; "" while it has none.
func (l *Library) Key(piece string) string {
	key, _, _ := l.bodyKey(piece)
	return key
}

// Box is the box of a piece about its pivot.
func (l *Library) Box(piece string) geom.Box { return l.boxes[piece] }

// Body is what a piece is felt by; nil while it is being made.
func (l *Library) Body(ctx context.Context, piece string) (*contact.Body, error) {
	key, level, err := l.bodyKey(piece)
	if err != nil || key == "" {
		return nil, err
	}
	return bodies.Make(key, func() (*contact.Body, error) {
		f, s, err := PieceFacts(l.PieceOf[piece])
		if err != nil {
			return nil, err
		}
		data, err := l.a.Store.ReadBlob(context.WithoutCancel(ctx), level.Blob) // others may be waiting for it
		if err != nil {
			return nil, err
		}
		m, err := gltf.Read(level.Blob, data, model.Folder{})
		if err != nil {
			return nil, err
		}
		return contact.New(m, s.Transform(f.Box())), nil
	})
}

// StandIn is the body of a stand-in of one metre.
func (l *Library) StandIn(shape string) *contact.Body {
	b, _ := bodies.Make("stand-in "+shape, func() (*contact.Body, error) {
		return contact.New(stage.ShapeModel(shape), geom.Identity), nil
	})
	return b
}

// Picture is the picture of a card.
func (l *Library) Picture(ctx context.Context, hash string) ([]byte, error) {
	return l.a.Store.ReadBlob(ctx, hash)
}

// laid is what was laid out, by its key: an undo finds again what was there before.
var laid = cache.Of("laid", assembly.Weighty.Bytes)

// memory is where an assembly keeps what it laid out.
type memory struct{}

var errNothing = errors.New("nothing was laid out")

// Get makes what is not there, once for all who ask at the same time.
func (memory) Get(key string, compute func() assembly.Weighty) assembly.Weighty {
	v, _ := laid.Make(key, func() (assembly.Weighty, error) {
		if v := compute(); v != nil {
			return v, nil
		}
		return nil, errNothing // and nothing is kept
	})
	return v
}

// Has says whether something is kept under a key.
func (memory) Has(key string) bool { return laid.Has(key) }

// LaidOut is a set with everything in it laid out, as it is now.
func (a *Sets) LaidOut(ctx context.Context, set string) (w *Snapshot, err error) {
	err = a.Store.View(ctx, func(tx pgx.Tx) error {
		w, err = a.Snapshot(ctx, tx, set)
		return err
	})
	if err == nil {
		_, err = w.LayOut(ctx, false)
	}
	return w, err
}
