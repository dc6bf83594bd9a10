package library

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/cache"
	"visator/app/measure"
	"visator/core/intake/credit"
	"visator/store"
)

// Shelf is what a search of the library asks for. Zero fields do not matter.
type Shelf struct {
	Find    string // words: all must occur in name, tags, parts, surfaces or author
	Licence string // "free", "paid work" or "unknown"
	Format  string
	Weight  int     // triangles at most
	Size    float64 // metres of height at most
	Price   *float64
	Marked  bool
	All     bool // of all productions
}

// Good is a piece on the shelf.
type Good struct {
	ID         string  `json:"id"`
	Name       string  `json:"name"`
	Production string  `json:"production"`
	Here       bool    `json:"here"`
	Picture    string  `json:"picture"`
	Format     string  `json:"format"`
	Triangles  int     `json:"triangles"`
	Height     float64 `json:"height"`
	Licence    string  `json:"licence"`
	Price      float64 `json:"price"`
	Currency   string  `json:"currency"`
	Marked     bool    `json:"marked"`
	Lacks      int     `json:"lacks"`
}

// maxShelf bounds what one search shows: nobody scrolls further, they search.
const maxShelf = 500

// Search looks through the library: that of one production, or all.
func (a *Library) Search(ctx context.Context, setID string, s Shelf) ([]Good, error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	where := set.ProductionID
	if s.All {
		where = ""
	}
	rows, err := store.Shelf(ctx, a.Store.Pool, where, strings.Fields(strings.ToLower(s.Find)))
	if err != nil {
		return nil, err
	}
	known, err := a.goods(ctx, rows)
	if err != nil {
		return nil, err
	}
	out := []Good{}
	for _, r := range rows {
		k, ok := known[r.ID]
		if !ok {
			continue // it was taken away meanwhile
		}
		g := k.Good
		g.Production, g.Here = r.ProductionName, k.production == set.ProductionID
		if s.fits(&g) && len(out) < maxShelf {
			out = append(out, g)
		}
	}
	slices.SortStableFunc(out, func(x, y Good) int { return MarkedFirst(x.Marked, y.Marked) })
	return out, nil
}

// good is what the shelf shows of a piece, whoever looks.
type good struct {
	Good
	production string
}

// goodsKept are those of pieces that were looked at before, each by its version.
var goodsKept = cache.Of("goods", func(good) int { return 500 })

// goods are what the shelf shows of pieces, by piece; those that are not known are read.
func (a *Library) goods(ctx context.Context, rows []store.ShelfRow) (map[string]good, error) {
	out := make(map[string]good, len(rows))
	var lack []string
	version := map[string]string{}
	for _, r := range rows {
		if g, ok := goodsKept.GetOf(r.ID, r.Version); ok {
			out[r.ID] = g
			continue
		}
		lack, version[r.ID] = append(lack, r.ID), r.Version
	}
	if len(lack) == 0 {
		return out, nil
	}
	pieces, err := store.PiecesBy(ctx, a.Store.Pool, lack)
	if err != nil {
		return nil, err
	}
	for i := range pieces {
		g, err := goodOf(&pieces[i])
		if err != nil {
			return nil, err
		}
		out[g.ID] = g
		goodsKept.PutOf(g.ID, version[g.ID], g)
	}
	return out, nil
}

func goodOf(p *store.Piece) (good, error) {
	facts, size, err := measure.PieceFacts(p)
	if err != nil {
		return good{}, err
	}
	var c credit.Credit
	if err := json.Unmarshal(p.Credit, &c); err != nil {
		return good{}, fmt.Errorf("piece %s: %w", p.ID, err)
	}
	g := good{Good{ID: p.ID, Name: p.Name, Picture: p.Picture, Format: facts.Format, Triangles: facts.Triangles,
		Height: size.Size(facts.Box()).Y, Licence: c.Licence, Price: c.Price, Currency: c.Currency,
		Marked: p.Favourite}, p.ProductionID}
	for _, t := range facts.Textures {
		if t.Status == "missing" {
			g.Lacks++
		}
	}
	return g, nil
}

// MarkedFirst orders favourites before all else.
func MarkedFirst(x, y bool) int {
	switch {
	case x == y:
		return 0
	case x:
		return -1
	}
	return 1
}

func (s *Shelf) fits(g *Good) bool {
	t := credit.TermsOf(g.Licence)
	licence := map[string]bool{"": true, "free": t.Known && !t.Attribution && !t.ShareAlike && !t.NonCommercial &&
		!t.NoDerivatives, "paid work": t.Known && !t.NonCommercial, "unknown": g.Licence == ""}
	return licence[s.Licence] && (s.Format == "" || s.Format == g.Format) &&
		(s.Weight == 0 || g.Triangles <= s.Weight) &&
		(s.Size == 0 || g.Height <= s.Size) && (s.Price == nil || g.Currency != "" && g.Price <= *s.Price) &&
		(!s.Marked || g.Marked)
}

// Bring makes a piece of another production one of this one, with all that was
// decided about it. Its files are not copied: they are kept by content.
func (a *Library) Bring(ctx context.Context, production, piece string) (id string, err error) {
	err = a.Locked(ctx, production, func(tx pgx.Tx, _ store.Production) error {
		p, err := store.GetPiece(ctx, tx, piece)
		if err != nil || p.Gone {
			return act.NotThere(store.ErrNotFound, "The piece")
		}
		if p.ProductionID == production {
			return act.Wrong("%s is here already.", p.Name)
		}
		from, err := store.GetArrival(ctx, tx, p.ArrivalID)
		if err != nil {
			return err
		}
		to, err := store.ArrivalOf(ctx, tx, production, from.Blob)
		if errors.Is(err, store.ErrNotFound) {
			to = from
			to.ID, to.ProductionID, to.State, to.JobID, to.ForPiece = store.NewID(), production, "done", nil, ""
			to.Taking = json.RawMessage("[]")
			if err := cmp.Or(store.InsertArrival(ctx, tx, to), store.PutFound(ctx, tx, &to)); err != nil {
				return err
			}
		} else if err != nil {
			return err
		}
		here, err := store.Pieces(ctx, tx, production)
		if err != nil {
			return err
		}
		for i := range here { // brought before, and nothing decided otherwise since
			if h := &here[i]; h.ArrivalID == to.ID && h.Source == p.Source && bytes.Equal(h.Recipe, p.Recipe) {
				return act.Wrong("%s is here already, as %s.", p.Name, h.Name)
			}
		}
		p.ID, p.ProductionID, p.ArrivalID = store.NewID(), production, to.ID
		id = p.ID
		if err := store.InsertPiece(ctx, tx, p); err != nil {
			return err
		}
		act.Tell(ctx, tx, production, "arrival")
		return a.askMake(ctx, tx, &p)
	})
	return id, err
}
