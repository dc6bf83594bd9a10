package library

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/convert"
	"visator/core/intake"
	"visator/core/intake/archive"
	"visator/core/intake/credit"
	"visator/core/intake/maps"
	"visator/core/intake/parts"
	"visator/core/model"
	"visator/store"
)

// Limits of what comes in.
const (
	MaxUpload    = 8 << 30   // bytes of one file: larger than any model on sale, smaller than most disks
	MaxFiles     = 20_000    // of one folder
	maxFolder    = 16 << 30  // bytes of one folder
	maxLooked    = 40        // models of one arrival that are read to tell them apart
	heavyArrival = 128 << 20 // bytes beyond which memory is spared, and one at a time is worked on
	maxGlance    = 64 << 20  // bytes of one of them: larger ones are told apart by name
)

// Found is a model in an arrival, with what tells it from the others.
type Found struct {
	Path      string  `json:"path"`
	Format    string  `json:"format"`
	Bytes     int64   `json:"bytes"`
	Read      bool    `json:"read"` // whether the numbers below are known
	Triangles int     `json:"triangles"`
	Parts     int     `json:"parts"`
	Surfaces  int     `json:"surfaces"`
	Maps      int     `json:"maps"`
	Missing   int     `json:"missing"`
	Width     float64 `json:"width"` // metres, as the file says
	Height    float64 `json:"height"`
	Depth     float64 `json:"depth"`
	Picture   string  `json:"picture"`
	Error     string  `json:"error"`
	Group     string  `json:"group"` // what is the same model in other forms has the same
	Proposed  bool    `json:"proposed"`
	Why       string  `json:"why"`
	Renews    string  `json:"renews"`    // a piece that this may be a newer version of, by its name
	RenewsWhy string  `json:"renewsWhy"` // what speaks for it
	Sure      bool    `json:"sure"`      // enough to propose it: more than its name

	parts []parts.Part // of one that was read
}

// Taking is a model that is taken as a piece.
type Taking struct {
	Source string `json:"source"`
	Piece  string `json:"piece"`
	Renews bool   `json:"renews"` // the piece is there: this is its newer version
	Done   bool   `json:"done"`   // it was made: what became of the piece since is not undone
}

// opened is an arrival with its files at hand.
type opened struct {
	*archive.Archive
	from  store.Arrival
	files []*blobAt
}

func (o *opened) Close() {
	if o.Archive != nil {
		o.Archive.Close()
	}
	for _, f := range o.files {
		f.close()
	}
}

// OpenArrival opens an arrival by its name in the database, for a person.
func (a *Library) OpenArrival(ctx context.Context, id string) (*opened, error) {
	ar, err := a.Store.Arrival(ctx, id)
	if err != nil {
		return nil, act.NotThere(err, "The arrival")
	}
	o, err := a.open(ctx, &ar)
	if err != nil {
		return nil, act.Wrong("%v", err)
	}
	return o, nil
}

// open makes the file tree of an arrival.
func (a *Library) open(ctx context.Context, ar *store.Arrival) (*opened, error) {
	var files []arrivedFile
	if err := json.Unmarshal(ar.Files, &files); err != nil {
		return nil, err
	}
	if len(files) == 0 {
		files = []arrivedFile{{ar.Name, ar.Blob, ar.Bytes}}
	}
	o := &opened{from: *ar}
	var list []archive.File
	for _, f := range files {
		b := &blobAt{ctx: ctx, store: a.Store, hash: f.Blob, size: f.Bytes}
		o.files = append(o.files, b)
		list = append(list, archive.File{Path: f.Path, Size: f.Bytes, At: b})
	}
	tree, err := archive.OpenAll(list)
	if err != nil {
		o.Close()
		return nil, err
	}
	o.Archive = tree
	return o, nil
}

// RunIntake opens an arrival, finds what is in it, and makes pieces of what is
// taken. It can be run again at any time: what is done already is not done
// again.
func (a *Library) RunIntake(ctx context.Context, id string) error {
	ar, err := a.Store.Arrival(ctx, id)
	if err != nil {
		return err
	}
	if ar.State == "cancelled" || ar.State == "done" {
		return nil
	}
	r := &reading{a: a, ar: &ar}
	if ar.Bytes > heavyArrival {
		// Memory is collected sooner while it is worked on, and given back after.
		old := debug.SetGCPercent(25)
		defer debug.FreeOSMemory()
		defer debug.SetGCPercent(old)
	}
	if err := r.step(ctx, 0.02, "opening"); err != nil {
		return err
	}
	var o *opened
	if ar.Fetch != "" {
		err = r.fetch(ctx)
	}
	if err == nil {
		o, err = a.open(ctx, &ar)
	}
	if err == nil {
		defer o.Close()
		r.o = o
		if ar.Found == nil {
			err = r.look(ctx)
		}
	}
	if err == nil {
		err = r.take(ctx)
	}
	if store.Full(err) {
		_ = a.Store.SetArrival(context.WithoutCancel(ctx), id, "waiting", ar.Progress, act.WaitsForRoom)
		act.Tell(ctx, a.Store.Pool, ar.ProductionID, "arrival")
		return err
	}
	if err != nil && ctx.Err() == nil && !store.Away(err) {
		// What is wrong with the file stays wrong: say so and do not try again.
		if err := a.Store.SetArrival(ctx, id, "failed", ar.Progress, err.Error()); err != nil {
			return err
		}
		act.Tell(ctx, a.Store.Pool, ar.ProductionID, "arrival")
		return nil
	}
	return err
}

// reading is an arrival in the work.
type reading struct {
	a  *Library
	ar *store.Arrival
	o  *opened
}

func (r *reading) step(ctx context.Context, progress float64, note string) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	r.ar.Progress = progress
	err := r.a.Store.SetArrival(ctx, r.ar.ID, "working", progress, note)
	act.Tell(ctx, r.a.Store.Pool, r.ar.ProductionID, "arrival")
	return err
}

// look lists the models of the arrival, tells them apart and proposes which to
// take. One alone is taken at once.
func (r *reading) look(ctx context.Context) error {
	list, err := intake.Candidates(r.o)
	if err != nil {
		return err
	}
	pictures := maps.Pictures(r.o.Files())
	r.ar.Pictures = len(pictures)
	if len(list) == 0 && len(pictures) == 0 {
		note := ""
		if len(r.o.Said) > 0 {
			note = "; " + strings.Join(r.o.Said[:min(3, len(r.o.Said))], ", ")
		}
		return fmt.Errorf("%s: no model and no pictures in it: %w%s", r.ar.Name, intake.ErrFormat, note)
	}
	pieces, err := store.Pieces(ctx, r.a.Store.Pool, r.ar.ProductionID)
	if err != nil {
		return err
	}
	var known credit.Credit
	if err := json.Unmarshal(r.ar.Credit, &known); err != nil {
		return err
	}
	known = known.Join(r.credits())
	found := make([]Found, 0, len(list))
	for i, c := range list {
		f := Found{Path: c.Path, Bytes: c.Size, Format: strings.ToUpper(strings.TrimPrefix(path.Ext(c.Path), ".")),
			Group: intake.Group(c.Path)}
		alone := len(list) == 1 && !r.hasNamesake(pieces, c.Path) // it is taken at once
		if !alone && i < maxLooked && c.Size <= maxGlance {
			if err := r.step(ctx, 0.05+0.4*float64(i)/float64(len(list)),
				fmt.Sprintf("looking at %d of %d models: %s", i+1, len(list), path.Base(c.Path))); err != nil {
				return err
			}
			r.glance(ctx, &f)
		}
		found = append(found, f)
	}
	propose(found)
	if err := r.newer(ctx, pieces, found, known.Author); err != nil {
		return err
	}
	var taking []Taking
	if len(found) == 1 && found[0].Renews == "" {
		taking = []Taking{{Source: found[0].Path, Piece: pieceID(r.ar.ID, 0)}}
	}
	var errs [3]error
	r.ar.Found, errs[0] = json.Marshal(found)
	r.ar.Taking, errs[1] = json.Marshal(append([]Taking{}, taking...))
	r.ar.Credit, errs[2] = json.Marshal(known)
	if err := cmp.Or(errs[:]...); err != nil {
		return err
	}
	return store.PutFound(ctx, r.a.Store.Pool, r.ar)
}

func pieceID(arrival string, n int) string {
	if n == 0 {
		return "p" + arrival
	}
	return fmt.Sprintf("p%s-%d", arrival, n)
}

// glance reads one of several models, to tell what distinguishes it.
func (r *reading) glance(ctx context.Context, f *Found) {
	m, err := convert.Any(ctx, r.o, f.Path, f.Path)
	if err != nil {
		f.Error = err.Error()
		return
	}
	d := intake.Describe(f.Path, m)
	f.Read, f.Format, f.Triangles, f.Parts, f.Surfaces, f.Maps = true, d.Format, d.Triangles, d.Parts, d.Materials,
		len(d.Textures)
	f.parts = parts.List(m)
	f.Width, f.Height, f.Depth = d.Size.Width, d.Size.Height, d.Size.Depth
	for _, t := range d.Textures {
		if t.Status == model.Missing {
			f.Missing++
		}
	}
	if pic, err := r.a.picture(ctx, m, model.UpTurn(m.Up), 240, 160, pictureSamples); err == nil {
		f.Picture = pic
	}
}

// propose marks the likeliest model of each group and says why: one that can
// be read, lacks the fewest maps, states what it is, and is the finest that is
// not beyond reason.
func propose(found []Found) {
	const heavy = 5_000_000 // triangles: beyond it a lighter version is proposed
	better := func(x, y *Found) int {
		lod := func(f *Found) int { return intake.LevelOfDetail(f.Path) }
		tri := func(f *Found) int {
			if f.Triangles > heavy {
				return -f.Triangles
			}
			return f.Triangles
		}
		flag := func(b bool) int { return map[bool]int{true: 1}[b] }
		return cmp.Or(cmp.Compare(flag(x.Error != ""), flag(y.Error != "")), cmp.Compare(x.Missing, y.Missing),
			cmp.Compare(flag(x.Maps == 0), flag(y.Maps == 0)),
			cmp.Compare(lod(x), lod(y)), cmp.Compare(intake.Rank(x.Path), intake.Rank(y.Path)),
			cmp.Compare(tri(y), tri(x)),
			cmp.Compare(y.Bytes, x.Bytes), cmp.Compare(x.Path, y.Path))
	}
	best := map[string]int{}
	for i := range found {
		if k, ok := best[found[i].Group]; !ok || better(&found[i], &found[k]) < 0 {
			best[found[i].Group] = i
		}
	}
	for _, i := range best {
		f := &found[i]
		if f.Proposed = f.Error == ""; !f.Proposed {
			continue
		}
		why := []string{intake.Why(f.Path)}
		if f.Read && f.Missing == 0 && f.Maps > 0 {
			why = append(why, "all its maps are there")
		}
		if intake.LevelOfDetail(f.Path) == 0 &&
			slices.ContainsFunc(found,
				func(o Found) bool { return o.Group == f.Group && intake.LevelOfDetail(o.Path) > 0 }) {
			why = append(why, "it is the finest level of detail")
		}
		f.Why = strings.Join(why, "; ")
	}
}

// credits reads the texts that came along.
func (r *reading) credits() credit.Credit {
	var known credit.Credit
	for _, f := range r.o.Files() {
		if !credit.IsText(f) {
			continue
		}
		data, err := model.Folder{Root: r.o, Limit: credit.MaxText}.Read(f)
		if err == nil {
			known = known.Join(credit.Read(path.Base(f), data))
		}
	}
	return known
}

// Take makes pieces of the chosen models of an arrival. renew names, by path,
// the piece that a model is a newer version of.
func (a *Library) Take(ctx context.Context, arrival string, paths []string, renew map[string]string) error {
	known, err := a.Store.Arrival(ctx, arrival)
	if err != nil {
		return act.NotThere(err, "The arrival")
	}
	return a.Locked(ctx, known.ProductionID, func(tx pgx.Tx, _ store.Production) error {
		ar, err := store.GetArrival(ctx, tx, arrival)
		if err != nil {
			return act.NotThere(err, "The arrival")
		}
		var found []Found
		var taking []Taking
		if err := cmp.Or(json.Unmarshal(ar.Found, &found), json.Unmarshal(ar.Taking, &taking)); err != nil {
			return act.Wrong("%s has not been looked through yet.", ar.Name)
		}
		for _, p := range paths {
			if !slices.ContainsFunc(found, func(f Found) bool { return f.Path == p }) {
				return act.Wrong("%s is not in %s.", p, ar.Name)
			}
			// What is a piece already can still be declared the newer version of another.
			if slices.ContainsFunc(taking, func(t Taking) bool {
				return t.Source == p && (renew[p] == "" || renew[p] == t.Piece)
			}) {
				continue
			}
			t := Taking{Source: p, Piece: pieceID(ar.ID, len(taking))}
			if id := renew[p]; id != "" {
				old, err := store.GetPiece(ctx, tx, id)
				if err != nil || old.ProductionID != ar.ProductionID {
					return act.NotThere(store.ErrNotFound, "The piece")
				}
				if k := slices.IndexFunc(taking, func(t Taking) bool { return t.Piece == id }); k >= 0 {
					return act.Wrong("%s follows %s of this download already: only one model can be its newer version.",
						old.Name, taking[k].Source)
				}
				t.Piece, t.Renews = id, true
			}
			taking = append(taking, t)
		}
		raw, err := json.Marshal(taking)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "update arrival set taking = $2, state = 'waiting' where id = $1", arrival,
			raw); err != nil {
			return err
		}
		act.Tell(ctx, tx, ar.ProductionID, "arrival")
		return a.QueueIntake(ctx, tx, &ar)
	})
}

// take makes the pieces that were chosen, and looks for maps when the arrival
// was meant for a piece.
func (r *reading) take(ctx context.Context) error {
	var taking []Taking
	if err := json.Unmarshal(r.ar.Taking, &taking); err != nil {
		return err
	}
	for i, t := range taking {
		if t.Done {
			continue
		}
		old, err := store.GetPiece(ctx, r.a.Store.Pool, t.Piece)
		if err == nil && old.ArrivalID == r.ar.ID && old.Source == t.Source && old.Made != "" {
			continue
		}
		note := path.Base(t.Source)
		at := func(share float64, what string) error {
			return r.step(ctx, 0.5+0.5*(float64(i)+share)/float64(len(taking)), note+": "+what)
		}
		if err := at(0, "reading"); err != nil {
			return err
		}
		m, err := convert.Any(ctx, r.o, t.Source, t.Source)
		if err != nil {
			return err
		}
		if m.Bounds().IsEmpty() {
			return fmt.Errorf("%s: the file places nothing in its scene; export the model again", t.Source)
		}
		if t.Renews {
			err = r.renew(ctx, t, m, at)
		} else {
			err = r.firstMake(ctx, t, m, at)
		}
		if err != nil {
			return err
		}
		if _, err := r.a.Store.Pool.Exec(ctx,
			"update arrival set taking = jsonb_set(taking, array[$2, 'done'], 'true') "+
				"where id = $1",
			r.ar.ID, strconv.Itoa(i)); err != nil {
			return err
		}
	}
	if r.ar.ForPiece != "" {
		if _, err := r.a.FindMaps(ctx, r.ar.ForPiece, r.ar.ID); err != nil {
			return err
		}
	}
	state := "done"
	var found []Found
	if err := json.Unmarshal(r.ar.Found, &found); err != nil {
		return err
	}
	if len(found) > 0 && len(taking) == 0 && r.ar.ForPiece == "" {
		state = "choose"
	}
	_, err := r.a.Store.Pool.Exec(ctx,
		"update arrival set state = $2, progress = 1, note = '' where id = $1 and state "+
			"<> 'cancelled'", r.ar.ID, state)
	act.Tell(ctx, r.a.Store.Pool, r.ar.ProductionID, "arrival")
	return err
}

// tidyName makes a label of a file name: "lamp_post-v2" becomes "lamp post v2".
func tidyName(s string) string {
	s = strings.Join(strings.Fields(strings.NewReplacer("_", " ", "-", " ", ".", " ").Replace(s)), " ")
	if s == "" {
		return "piece"
	}
	return strings.ToValidUTF8(s[:min(len(s), 200)], "")
}

// blobAt reads a blob at any place, as archives need it.
type blobAt struct {
	ctx   context.Context
	store *store.Store
	hash  string
	size  int64
	r     io.ReadSeekCloser
	at    int64
}

// ReadAt implements io.ReaderAt, for one caller at a time.
func (b *blobAt) ReadAt(p []byte, off int64) (int, error) {
	if b.r == nil {
		r, _, err := b.store.Blob(b.ctx, b.hash)
		if err != nil {
			return 0, err
		}
		b.r = r
	}
	if b.at != off {
		if _, err := b.r.Seek(off, io.SeekStart); err != nil {
			return 0, err
		}
	}
	n, err := io.ReadFull(b.r, p)
	b.at = off + int64(n)
	if errors.Is(err, io.ErrUnexpectedEOF) {
		err = io.EOF
	}
	return n, err
}

func (b *blobAt) close() {
	if b.r != nil {
		_ = b.r.Close()
		b.r = nil
	}
}
