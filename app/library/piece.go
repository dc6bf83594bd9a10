package library

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"path"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/measure"
	"visator/convert"
	"visator/core/exchange"
	"visator/core/intake"
	"visator/core/intake/credit"
	"visator/core/intake/gltf"
	"visator/core/intake/mend"
	"visator/core/intake/parts"
	"visator/core/intake/recipe"
	"visator/core/model"
	"visator/core/proxy"
	"visator/core/sizing"
	"visator/core/surface"
	"visator/store"
)

// MakeArgs is the job that makes a piece anew after a decision about it.
type MakeArgs struct {
	Piece string `json:"piece"`
}

// Kind is the job's name in the queue.
func (MakeArgs) Kind() string { return "make" }

// making is the version of how pieces are made: results of another version
// are not taken for the same.
const making = "11"

// Made is all that follows from a source and a recipe.
type Made struct {
	Blob      string           `json:"blob"` // the model, as GLB in its own unit
	Picture   string           `json:"picture"`
	Before    string           `json:"before"` // the picture without the repairs, when there are any
	After     []mend.Fault     `json:"after"`  // what is left after them
	Facts     measure.Facts    `json:"facts"`
	Weight    recipe.Weight    `json:"weight"`
	Inventory recipe.Inventory `json:"inventory"`
	Parts     []PartState      `json:"parts"`
	Levels    []measure.Level  `json:"levels"`
	Front     json.RawMessage  `json:"front"`
	Top       json.RawMessage  `json:"top"`
	Right     json.RawMessage  `json:"right"`
	Subject   json.RawMessage  `json:"subject"` // what a proposal of its size goes by
}

// PartState is a part as the parts list shows it.
type PartState struct {
	parts.Part
	Thumb string `json:"thumb"`
}

// inventory is what is kept beside a piece for Intake.
type inventory struct {
	recipe.Inventory
	Rearranged []PartState  `json:"rearranged"`
	Before     string       `json:"before"`
	After      []mend.Fault `json:"after"`
}

// digest names what a piece is made from.
func digest(content, source string, up model.Axis, recipe json.RawMessage) string {
	h := sha256.New()
	for _, s := range []string{making, content, source, string(up)} {
		fmt.Fprintf(h, "%d:%s", len(s), s)
	}
	h.Write(recipe)
	return hex.EncodeToString(h.Sum(nil))
}

func digestOf(ar *store.Arrival, p *store.Piece) (string, error) {
	var s sizing.Sizing
	err := json.Unmarshal(p.Sizing, &s)
	return digest(ar.Blob, p.Source, s.Up, p.Recipe), err
}

// Levels of detail that browsers get, in triangles, and their largest map.
var (
	levelTriangles = []int{60_000, 12_000, 2_000}
	levelSides     = []int{1024, 512, 128}
)

const outlineSide = 256 // pixels of maps that cut a silhouette out: about its own resolution on a leaf

// make applies a recipe to a model and derives all that is drawn of it. src
// is as read; files are the paths of what came along.
func (a *Library) make(ctx context.Context, src *model.Model, inv recipe.Inventory, source string, up model.Axis,
	rec *recipe.Recipe, tell func(share float64, what string) error) (*Made, error) {
	out := &Made{Inventory: inv}
	if err := a.thumbs(ctx, src, &out.Inventory); err != nil {
		return nil, err
	}
	if err := tell(0.2, "applying what was decided"); err != nil {
		return nil, err
	}
	fetch := func(blob string) ([]byte, error) { return a.Store.ReadBlob(ctx, blob) }
	m, err := rec.Apply(src, fetch)
	if err != nil {
		return nil, err
	}
	if m.Bounds().IsEmpty() {
		return nil, fmt.Errorf("%s: no part is left; keep at least one", path.Base(source))
	}
	out.Facts = measure.Facts{Report: intake.Describe(source, m), Surfaces: surface.Seen(m, 1)}
	out.Weight = recipe.Weigh(m)
	if out.Parts, err = a.partStates(ctx, src, up, rec); err != nil {
		return nil, err
	}
	// Heavy models are drawn from one lighter version of themselves.
	drawn := m
	if out.Facts.Triangles > pictureTriangles {
		drawn, _ = proxy.Make(m, pictureTriangles, pictureSide)
	}
	if out.Picture = rec.Portrait; out.Picture != "" {
		if there, err := a.Store.HasBlob(ctx, out.Picture); err != nil || !there {
			return nil, fmt.Errorf("%s: its picture in the library: %w", path.Base(source),
				cmp.Or(err, store.ErrNotFound))
		}
	} else if out.Picture, err = a.picture(ctx, drawn, model.UpTurn(up), 320, 240, pictureSamples); err != nil {
		return nil, err
	}
	if len(rec.Mend) > 0 {
		plain := *rec
		plain.Mend = nil
		raw, err := plain.Apply(src, fetch)
		if err != nil {
			return nil, err
		}
		if out.Before, err = a.picture(ctx, mend.Marked(raw), model.UpTurn(up), 320, 240, pictureSamples); err != nil {
			return nil, err
		}
		out.After = mend.Measure(m)
	}
	exchange.PackMaps(m)
	if out.Blob, _, err = a.putGLB(ctx, m); err != nil {
		return nil, err
	}
	if err := tell(0.5, fmt.Sprintf("%d triangles, drawing them smaller", out.Facts.Triangles)); err != nil {
		return nil, err
	}
	small, off := m, 0.0
	for i, n := range levelTriangles {
		if i > 0 && out.Facts.Triangles <= n {
			break
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		var more float64
		small, more = proxy.Make(small, n, levelSides[i]) // each from the one before: errors add up at most
		off += more
		hash, bytes, err := a.putGLB(ctx, small)
		if err != nil {
			return nil, err
		}
		out.Levels = append(out.Levels, measure.Level{Blob: hash, Triangles: small.Weigh().Triangles, Bytes: bytes,
			Off: off})
	}
	front, top, right := map[model.Axis]string{}, map[model.Axis]string{}, map[model.Axis]string{}
	outline, _ := proxy.Make(drawn, 40_000, outlineSide)
	for _, up := range []model.Axis{"X", "Y", "Z"} {
		front[up] = sizing.Silhouette(outline, model.UpTurn(up), sizing.Front)
		top[up] = sizing.Silhouette(outline, model.UpTurn(up), sizing.Top)
		right[up] = sizing.Silhouette(outline, model.UpTurn(up), sizing.Right)
	}
	subject := subjectAsItCame(m, source, rec)
	if err := a.patternPictures(ctx, m, subject); err != nil {
		return nil, err
	}
	var errs [4]error
	out.Subject, errs[2] = json.Marshal(subject)
	out.Front, errs[0] = json.Marshal(front)
	out.Top, errs[1] = json.Marshal(top)
	out.Right, errs[3] = json.Marshal(right)
	return out, cmp.Or(errs[:]...)
}

// putMade stores what was made of a piece, and remembers it for going back.
func (a *Library) putMade(ctx context.Context, q store.Querier, id, digest string, made *Made) error {
	result, err := json.Marshal(made)
	if err != nil {
		return err
	}
	if err := store.KeepMade(ctx, q, digest, result); err != nil {
		return err
	}
	facts, err := json.Marshal(made.Facts)
	if err != nil {
		return err
	}
	levels, err := json.Marshal(made.Levels)
	if err != nil {
		return err
	}
	weight, err := json.Marshal(made.Weight)
	if err != nil {
		return err
	}
	inventory, err := json.Marshal(inventory{made.Inventory, made.Parts, made.Before, made.After})
	if err != nil {
		return err
	}
	if err := store.PutMade(ctx, q, id, digest, made.Blob, made.Picture, facts, weight, inventory,
		made.Subject); err != nil {
		return err
	}
	return store.PutLook(ctx, q, store.Look{PieceID: id, Levels: levels, Front: made.Front, Top: made.Top,
		Right: made.Right})
}

// firstMake makes a new piece.
func (r *reading) firstMake(ctx context.Context, t Taking, m *model.Model, tell func(float64, string) error) error {
	var rec recipe.Recipe
	inv := recipe.Take(m, r.o.Files())
	if err := r.ownMaps(ctx, m, &inv, &rec); err != nil {
		return err
	}
	made, err := r.a.make(ctx, m, inv, t.Source, m.Up, &rec, tell)
	if err != nil {
		return err
	}
	made.Facts.Warnings = append(made.Facts.Warnings, r.o.Said...)
	var known credit.Credit
	if err := json.Unmarshal(r.ar.Credit, &known); err != nil {
		return err
	}
	known = known.Join(credit.Credit{Author: m.Author, Licence: credit.OneLicence(m.Copyright)})
	p := store.Piece{ID: t.Piece, ProductionID: r.ar.ProductionID, ArrivalID: r.ar.ID, Source: t.Source,
		Blob: made.Blob, Tags: json.RawMessage("[]")}
	name := path.Base(t.Source)
	p.Name = tidyName(strings.TrimSuffix(name, path.Ext(name)))
	var errs [4]error
	p.Facts, errs[0] = json.Marshal(made.Facts)
	p.Sizing, errs[1] = json.Marshal(sizing.From(m.Unit, m.Up))
	p.Recipe, errs[2] = json.Marshal(&rec)
	p.Credit, errs[3] = json.Marshal(known)
	if err := cmp.Or(errs[:]...); err != nil {
		return err
	}
	return r.a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if err := store.InsertPiece(ctx, tx, p); err != nil {
			return err
		}
		// The recipe may be spelled differently once it was in the database.
		row, err := store.GetPiece(ctx, tx, p.ID)
		if err != nil {
			return err
		}
		if err := r.a.putMade(ctx, tx, p.ID, digest(r.ar.Blob, t.Source, m.Up, row.Recipe), made); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "update arrival set report = $2 where id = $1", r.ar.ID, p.Facts); err != nil {
			return err
		}
		act.Tell(ctx, tx, r.ar.ProductionID, "arrival")
		return nil
	})
}

// RunMake makes a piece anew by its recipe as it stands now.
func (a *Library) RunMake(ctx context.Context, id string) error {
	p, err := store.GetPiece(ctx, a.Store.Pool, id)
	if err != nil {
		return err
	}
	ar, err := a.Store.Arrival(ctx, p.ArrivalID)
	if err != nil {
		return err
	}
	want, err := digestOf(&ar, &p)
	if err != nil {
		return err
	}
	if p.Made == want {
		return store.SetMaking(ctx, a.Store.Pool, id, "")
	}
	tell := func(_ float64, what string) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		err := store.SetMaking(ctx, a.Store.Pool, id, what)
		act.Tell(ctx, a.Store.Pool, p.ProductionID, "piece")
		return err
	}
	made, err := a.remake(ctx, &ar, &p, tell)
	if err != nil {
		if ctx.Err() != nil || store.Away(err) {
			return err
		}
		if store.Full(err) {
			_ = store.SetMaking(ctx, a.Store.Pool, id, act.WaitsForRoom)
			return err
		}
		// It stays as it was; what was decided can be taken back.
		_ = store.SetMaking(ctx, a.Store.Pool, id, "failed: "+err.Error())
		act.Tell(ctx, a.Store.Pool, p.ProductionID, "piece")
		return nil
	}
	return a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if err := a.putMade(ctx, tx, id, want, made); err != nil {
			return err
		}
		now, err := store.GetPiece(ctx, tx, id)
		if err != nil {
			return err
		}
		// Decided anew meanwhile: another job is on its way.
		if d, err := digestOf(&ar, &now); err != nil || d != want || now.ArrivalID != p.ArrivalID {
			if err := store.SetMaking(ctx, tx, id, "waiting"); err != nil {
				return err
			}
		}
		act.Tell(ctx, tx, p.ProductionID, "piece")
		return nil
	})
}

func (a *Library) remake(ctx context.Context, ar *store.Arrival, p *store.Piece,
	tell func(float64, string) error) (*Made, error) {
	if err := tell(0, "reading"); err != nil {
		return nil, err
	}
	var rec recipe.Recipe
	if err := json.Unmarshal(p.Recipe, &rec); err != nil {
		return nil, err
	}
	o, err := a.open(ctx, ar)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	m, err := convert.Any(ctx, o, p.Source, p.Source)
	if err != nil {
		return nil, err
	}
	var s sizing.Sizing
	if err := json.Unmarshal(p.Sizing, &s); err != nil {
		return nil, err
	}
	return a.make(ctx, m, recipe.Take(m, o.Files()), p.Source, s.Up, &rec, tell)
}

// askMake makes a piece follow its recipe: at once when that was made before,
// else by a job.
func (a *Library) askMake(ctx context.Context, tx pgx.Tx, p *store.Piece) error {
	// As the database spells it, so that equal recipes have equal digests.
	row, err := store.GetPiece(ctx, tx, p.ID)
	if err != nil {
		return err
	}
	ar, err := store.GetArrival(ctx, tx, row.ArrivalID)
	if err != nil {
		return err
	}
	want, err := digestOf(&ar, &row)
	if err != nil {
		return err
	}
	if row.Made == want {
		return store.SetMaking(ctx, tx, p.ID, "")
	}
	if result, err := store.Made(ctx, tx, want); err == nil {
		var made Made
		if err := json.Unmarshal(result, &made); err != nil {
			return err
		}
		return a.putMade(ctx, tx, p.ID, want, &made)
	}
	if err := store.SetMaking(ctx, tx, p.ID, "waiting"); err != nil || a.Queue == nil {
		return err
	}
	_, err = a.Queue.InsertTx(ctx, tx, MakeArgs{p.ID}, &river.InsertOpts{Queue: laneOf(ar.Bytes),
		MaxAttempts: MakeTries})
	return err
}

// renew makes a piece follow a newer version of its file. Placements, size and
// decisions stay, as far as the newer version has what they are about; the
// whole is one edit that can be undone.
func (r *reading) renew(ctx context.Context, t Taking, m *model.Model, tell func(float64, string) error) error {
	old, err := store.GetPiece(ctx, r.a.Store.Pool, t.Piece)
	if err != nil {
		return err
	}
	raw, err := store.Inventory(ctx, r.a.Store.Pool, t.Piece)
	if err != nil {
		return err
	}
	var before recipe.Inventory
	var rec recipe.Recipe
	if err := cmp.Or(json.Unmarshal(raw, &before), json.Unmarshal(old.Recipe, &rec)); err != nil {
		return err
	}
	_, size, err := measure.PieceFacts(&old)
	if err != nil {
		return err
	}
	after := recipe.Take(m, r.o.Files())
	carried, news := rec.CarryOver(&before, &after)
	if err := r.ownMaps(ctx, m, &after, &carried); err != nil {
		return err
	}
	made, err := r.a.make(ctx, m, after, t.Source, size.Up, &carried, tell)
	if err != nil {
		return err
	}
	// Numbers that all grew by a usual factor are another unit, not another
	// size: what was true stays true.
	if k := unitChange(news.Scale); k != 1 {
		size.MetresPerUnit /= k
		news.Changed = append(news.Changed,
			fmt.Sprintf("its numbers are %.4g times larger: it was exported in another "+
				"unit; the true size stays", k))
	}
	return r.a.EditProduction(ctx, r.ar.ProductionID, func(e *desk.Editor) error {
		result, err := json.Marshal(made)
		if err != nil {
			return err
		}
		// Known before the edit asks for it, so that it is at once.
		carriedRaw, err := json.Marshal(&carried)
		if err != nil {
			return err
		}
		if err := e.Tx.QueryRow(ctx, "select $1::jsonb", carriedRaw).Scan(&carriedRaw); err != nil {
			return err
		}
		if err := store.KeepMade(ctx, e.Tx, digest(r.ar.Blob, t.Source, size.Up, carriedRaw), result); err != nil {
			return err
		}
		return e.Piece(ctx, t.Piece, func(pe *desk.PieceEdit, _ *store.Piece) error {
			pe.Arrival, pe.Source, pe.Recipe, pe.Sizing, pe.News = r.ar.ID, t.Source, carried, size, &news
			e.Say("renew %s", pe.Name)
			return nil
		})
	})
}

// unitChange tells whether parts grew by a factor that a change of unit gives:
// that factor, or 1.
func unitChange(grew float64) float64 {
	best, off := 1.0, 0.02
	for _, k := range []float64{1, 10, 100, 1000, 12, 1 / 0.0254, 1 / 0.3048, 2.54, 30.48, 25.4, 304.8} {
		for _, f := range []float64{k, 1 / k} {
			if d := math.Abs(grew/f - 1); d < off {
				best, off = f, d
			}
		}
	}
	return best
}

func (a *Library) putGLB(ctx context.Context, m *model.Model) (hash string, size int, err error) {
	k, err := a.Store.PutWritten(ctx, func(w io.Writer) error {
		return act.Guarded("writing a model", "", func() error { return exchange.WriteGLB(w, m) })
	})
	return k.Hash, int(k.Bytes), err
}

// PieceModel reads a piece's model as it was made.
func (a *Library) PieceModel(ctx context.Context, p *store.Piece) (*model.Model, error) {
	data, err := a.Store.ReadBlob(ctx, p.Blob)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.Name, err)
	}
	return gltf.Read(p.Name, data, model.Folder{})
}
