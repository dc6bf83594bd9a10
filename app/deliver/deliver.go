// Package deliver hands a production over as one file: pictures, the set for other programs, papers, and a list of all
// of it with checksums.
package deliver

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/app/library"
	"visator/app/sheet"
	"visator/app/shoot"
	"visator/core/exchange"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/plain"
	"visator/store"
)

// Post is where parcels are made.
type Post struct {
	studio *shoot.Studio
	office *sheet.Office
}

// New is that of a studio and its office.
func New(s *shoot.Studio, o *sheet.Office) *Post { return &Post{s, o} }

// Parts are what a parcel may hold, each with what it is.
var Parts = [][2]string{
	{"pictures", "the take of each shot as PNG"},
	{"linear", "the same as OpenEXR, with its layers"},
	{"videos", "moves as MP4, and their frames"},
	{"finish", "what was done to each picture, and its light"},
	{"glb", "the set as glTF binary, with cameras and lights"},
	{"usd", "the set as USD text, with cameras and lights"},
	{"obj", "the set as OBJ"},
	{"papers", "shot sheets and contact sheets"},
	{"credits", "credits, licences and costs"},
}

// Settings are what goes into a parcel.
type Settings struct {
	Set   string   `json:"set"`   // "": all sets of the production
	Parts []string `json:"parts"` // names of Parts
}

// Check says what cannot go into a parcel.
func (s *Settings) Check() error {
	if len(s.Parts) == 0 {
		return act.Wrong("Choose what goes into the parcel.")
	}
	for _, part := range s.Parts {
		if !slices.ContainsFunc(Parts, func(k [2]string) bool { return k[0] == part }) {
			return act.Wrong("%.40q is no part of a parcel.", part)
		}
	}
	return nil
}

// Result is what came of it.
type Result struct {
	Zip   string `json:"zip,omitempty"` // blob
	Bytes int64  `json:"bytes,omitempty"`
	Files int    `json:"files,omitempty"`
}

// Args is the job that makes a parcel.
type Args struct {
	Parcel string `json:"parcel" river:"unique"`
}

// Kind is that of the job.
func (Args) Kind() string { return "parcel" }

// Tries is how often a parcel is tried that fails by no fault of its own.
const Tries = 5

// Deliver asks for a parcel of a production.
func (a *Post) Deliver(ctx context.Context, production string, s Settings) (p store.Parcel, err error) {
	row, err := store.GetProduction(ctx, a.studio.Store.Pool, production)
	if err != nil {
		return p, act.NotThere(err, "The production")
	}
	if err := s.Check(); err != nil {
		return p, err
	}
	name := row.Name
	if s.Set != "" {
		set, err := store.GetSet(ctx, a.studio.Store.Pool, s.Set)
		if err != nil || set.ProductionID != production {
			return p, act.NotThere(store.ErrNotFound, "The set")
		}
		name += ", " + set.Name
	}
	raw, err := json.Marshal(s)
	if err != nil {
		return p, err
	}
	p = store.Parcel{ID: store.NewID(), ProductionID: production, Name: name, State: "waiting", Settings: raw,
		Result: json.RawMessage("{}")}
	return p, a.studio.Store.Tx(ctx, func(tx pgx.Tx) error {
		job, err := a.studio.Queue.InsertTx(ctx, tx, Args{p.ID}, Job())
		if err != nil {
			return err
		}
		p.JobID = &job.Job.ID
		act.Tell(ctx, tx, production, "parcel")
		return store.InsertParcel(ctx, tx, &p)
	})
}

// Job is how the job of a parcel is queued.
func Job() *river.InsertOpts { return &river.InsertOpts{Queue: library.QueueHeavy, MaxAttempts: Tries} }

// Parcels are those of a production, the newest first.
func (a *Post) Parcels(ctx context.Context, production string) ([]store.Parcel, error) {
	list, err := store.Parcels(ctx, a.studio.Store.Pool, production)
	if list == nil {
		list = []store.Parcel{}
	}
	return list, err
}

// CancelParcel stops one that is not done.
func (a *Post) CancelParcel(ctx context.Context, id string) error {
	p, err := store.GetParcel(ctx, a.studio.Store.Pool, id)
	if err != nil {
		return act.NotThere(err, "The parcel")
	}
	if err := store.SetParcel(ctx, a.studio.Store.Pool, id, "cancelled", p.Progress, "stopped by hand",
		Result{}); err != nil {
		return err
	}
	if p.JobID != nil {
		if _, err := a.studio.Queue.JobCancel(ctx, *p.JobID); err != nil && !errors.Is(err, river.ErrNotFound) {
			return err
		}
	}
	act.Tell(ctx, a.studio.Store.Pool, p.ProductionID, "parcel")
	return nil
}

// FailParcel says why one cannot be made.
func (a *Post) FailParcel(ctx context.Context, id, why string) error {
	p, err := store.GetParcel(ctx, a.studio.Store.Pool, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	err = store.SetParcel(ctx, a.studio.Store.Pool, id, "failed", p.Progress, why, Result{})
	act.Tell(ctx, a.studio.Store.Pool, p.ProductionID, "parcel")
	return err
}

// RunParcel makes a parcel: written as it is made, whole or not at all.
func (a *Post) RunParcel(ctx context.Context, id string) error {
	p, err := store.GetParcel(ctx, a.studio.Store.Pool, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if p.State != "waiting" && p.State != "working" {
		return nil
	}
	var s Settings
	if err := json.Unmarshal(p.Settings, &s); err != nil {
		return err
	}
	files := 0
	kept, err := a.studio.Store.PutWritten(ctx, func(w io.Writer) (err error) {
		files, err = a.write(ctx, &packing{id: id, production: p.ProductionID}, &s, w)
		return err
	})
	if err != nil {
		var wrong *act.Problem
		if errors.As(err, &wrong) { // no other try makes it better
			return a.FailParcel(ctx, id, err.Error())
		}
		return err
	}
	err = store.SetParcel(ctx, a.studio.Store.Pool, id, "done", 1, "", Result{Zip: kept.Hash, Bytes: kept.Bytes,
		Files: files})
	act.Tell(ctx, a.studio.Store.Pool, p.ProductionID, "parcel")
	return err
}

// Write makes a parcel at once, beside the queue.
func (a *Post) Write(ctx context.Context, production string, s Settings, w io.Writer) (files int, err error) {
	return a.write(ctx, &packing{production: production}, &s, w)
}

// write writes a parcel.
func (a *Post) write(ctx context.Context, p *packing, s *Settings, w io.Writer) (files int, err error) {
	p.a, p.z, p.taken = a, zip.NewWriter(w), map[string]bool{}
	err = p.pack(ctx, p.production, s)
	return len(p.list), errors.Join(err, p.z.Close())
}

// packing is a parcel in the making.
type packing struct {
	a              *Post
	id, production string
	z              *zip.Writer
	list           []Content
	taken          map[string]bool
	done, of       int
}

// Content is a file of a parcel.
type Content struct {
	File  string `json:"file"`
	Is    string `json:"is"`
	Bytes int64  `json:"bytes"`
	SHA   string `json:"sha256"`
}

// file adds a file, with what it is.
func (p *packing) file(name, is string, write func(w io.Writer) error) error {
	base, dot := name, ""
	if k := strings.LastIndexByte(name, '.'); k > strings.LastIndexByte(name, '/') {
		base, dot = name[:k], name[k:]
	}
	for n := 2; p.taken[name]; n++ {
		name = fmt.Sprintf("%s %d%s", base, n, dot)
	}
	p.taken[name] = true
	h := &zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Now()}
	switch dot {
	case ".png", ".exr", ".mp4", ".mov", ".zip", ".jpg", ".webp":
		h.Method = zip.Store // compressed already
	}
	to, err := p.z.CreateHeader(h)
	if err != nil {
		return err
	}
	sum := sha256.New()
	count := &counter{}
	if err := write(io.MultiWriter(to, sum, count)); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	p.list = append(p.list, Content{name, is, count.n, hex.EncodeToString(sum.Sum(nil))})
	return nil
}

type counter struct{ n int64 }

func (c *counter) Write(b []byte) (int, error) { c.n += int64(len(b)); return len(b), nil }

// blob adds a file that is kept already.
func (p *packing) blob(ctx context.Context, name, is, hash string) error {
	if hash == "" {
		return nil
	}
	return p.file(name, is, func(w io.Writer) error { return p.a.studio.Store.Verified(ctx, w, hash) })
}

// step tells how far it is.
func (p *packing) step(ctx context.Context, note string) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	if p.done++; p.id == "" { // nobody waits for its row
		return nil
	}
	share := min(float64(p.done)/float64(max(p.of, 1)), 0.99)
	err := store.SetParcel(ctx, p.a.studio.Store.Pool, p.id, "working", share, note, Result{})
	act.Tell(ctx, p.a.studio.Store.Pool, p.production, "parcel")
	return err
}

func (p *packing) pack(ctx context.Context, production string, s *Settings) error {
	sets, err := p.a.studio.Store.Sets(ctx, production)
	if err != nil {
		return err
	}
	if s.Set != "" {
		sets = slices.DeleteFunc(sets, func(x store.Set) bool { return x.ID != s.Set })
	}
	p.of = len(sets) * len(s.Parts)
	for i := range sets {
		folder := clean(sets[i].Name)
		for n := 2; p.taken[folder]; n++ {
			folder = fmt.Sprintf("%s %d", clean(sets[i].Name), n)
		}
		p.taken[folder] = true
		for _, part := range Parts {
			if !slices.Contains(s.Parts, part[0]) {
				continue
			}
			if err := p.step(ctx, sets[i].Name+": "+part[0]); err != nil {
				return err
			}
			if err := p.part(ctx, &sets[i], folder+"/", part[0]); err != nil {
				return err
			}
		}
	}
	return p.contents()
}

// contents adds the lists of all that is in the parcel.
func (p *packing) contents() error {
	list := p.list
	if err := p.file("contents.json", "this list", asJSON(map[string]any{
		"made": time.Now().UTC().Format(time.RFC3339), "by": "Visator", "files": list})); err != nil {
		return err
	}
	return p.file("CONTENTS.txt", "this list, to read", func(w io.Writer) error {
		for _, c := range list {
			if _, err := fmt.Fprintf(w, "%s\n  %s, %d bytes, SHA-256 %s\n", c.File, c.Is, c.Bytes, c.SHA); err != nil {
				return err
			}
		}
		return nil
	})
}

// clean is a name as files can be called.
func clean(name string) string {
	name = plain.FileName(strings.TrimSpace(name))
	if name = strings.Trim(name, "."); name == "" {
		return "unnamed"
	}
	const longest = 80
	return strings.ToValidUTF8(name[:min(len(name), longest)], "")
}

// part adds one part of a set.
func (p *packing) part(ctx context.Context, set *store.Set, at, part string) error {
	switch part {
	case "pictures", "linear", "finish":
		return p.stills(ctx, set, at, part)
	case "videos":
		return p.videos(ctx, set, at)
	case "papers":
		return p.papers(ctx, set, at)
	case "credits":
		for kind, is := range map[string]string{"txt": "credits and licences, to read", "csv": "the same as a table"} {
			data, err := p.a.studio.Credits(ctx, set.ID, kind)
			if err != nil {
				return err
			}
			if err := p.file(at+"credits."+kind, is, bytesOf(data)); err != nil {
				return err
			}
		}
	case "glb":
		return p.file(at+"set.glb", "the set as glTF 2.0 binary: metres, y up, cameras, lights in lux and candela",
			func(w io.Writer) error { return p.a.studio.Export(ctx, set.ID, false, w) })
	case "usd", "obj":
		return p.models(ctx, set, at, part)
	}
	return nil
}

func bytesOf(data []byte) func(w io.Writer) error {
	return func(w io.Writer) error { _, err := w.Write(data); return err }
}

func asJSON(v any) func(w io.Writer) error {
	return func(w io.Writer) error {
		enc := json.NewEncoder(w)
		enc.SetIndent("", "  ")
		return enc.Encode(v)
	}
}

// stills adds the takes of shots.
func (p *packing) stills(ctx context.Context, set *store.Set, at, part string) error {
	chosen, err := p.a.office.ChosenOf(ctx, set.ID, "still")
	if err != nil {
		return err
	}
	for i := range chosen {
		c := &chosen[i]
		if c.Take == nil {
			continue
		}
		name := clean(c.Shot)
		switch part {
		case "pictures":
			is := fmt.Sprintf("%s, %d × %d pixels, sRGB", c.Shot, c.Settings.Width, c.Settings.Height)
			err = p.blob(ctx, at+"pictures/"+name+".png", is, c.Result.PNG)
		case "linear":
			err = p.blob(ctx, at+"linear/"+name+".exr", c.Shot+", scene-linear cd/m², Rec.709 primaries", c.Result.EXR)
			if err == nil && len(c.Result.Layers) > 0 {
				err = p.file(at+"linear/"+name+".layers.json", "its layers, and how they add up",
					asJSON(map[string]any{"picture": name + ".exr", "layers": c.Result.Layers}))
			}
		case "finish":
			if c.Settings.Finish == nil {
				c.Settings.Finish = finish.Chain{}
			}
			at := at + "finish/" + name
			if err := p.a.studio.Learned(ctx, c.Settings.Finish); err != nil {
				return err
			}
			table, broken := c.Settings.Finish.Cube(c.Shot)
			if broken != nil {
				return broken
			}
			is := "the colours of what was done to " + c.Shot + ", to be laid over the picture without it"
			if err := p.file(at+".cube", is, table.Write); err != nil {
				return err
			}
			err = errors.Join(
				p.file(at+".json", "what was done to "+c.Shot+", for visator finish --chain",
					asJSON(c.Settings.Finish)),
				p.file(at+" settings.json", "lens, light and all else that "+c.Shot+" was made with",
					asJSON(c.Settings)),
				p.file(at+".rig.json", "the light of "+c.Shot+", for visator render --light", func(w io.Writer) error {
					return p.a.studio.WriteRig(ctx, set.ID, c.ID, w)
				}))
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (p *packing) videos(ctx context.Context, set *store.Set, at string) error {
	chosen, err := p.a.office.ChosenOf(ctx, set.ID, "move")
	if err != nil {
		return err
	}
	for i := range chosen {
		c := &chosen[i]
		name := at + "videos/" + clean(c.Shot)
		if err := p.blob(ctx, name+".mp4", c.Shot+", H.264", c.Result.MP4); err != nil {
			return err
		}
		if err := p.blob(ctx, name+".mov", c.Shot+", for editing: VC-3", c.Result.Cut); err != nil {
			return err
		}
		if err := p.blob(ctx, name+" linear.zip", c.Shot+", a frame an OpenEXR, with its layers",
			c.Result.EXRs); err != nil {
			return err
		}
		if c.Settings.Move != nil {
			move, err := p.a.studio.Recorded(ctx, set.ID, &c.Settings.ShotSettings)
			if err != nil {
				return err
			}
			is := "the move of " + c.Shot + " frame by frame, for visator render --move"
			if err := p.file(name+".move.json", is, asJSON(move)); err != nil {
				return err
			}
		}
		for k, frame := range c.Result.Frames {
			is := fmt.Sprintf("frame %d of %s", k+1, c.Shot)
			if err := p.blob(ctx, fmt.Sprintf("%s/frame-%05d.png", name, k+1), is, frame); err != nil {
				return err
			}
		}
	}
	return nil
}

func (p *packing) papers(ctx context.Context, set *store.Set, at string) error {
	shots, err := store.Shots(ctx, p.a.studio.Store.Pool, set.ID)
	if err != nil || len(shots) == 0 {
		return err
	}
	for _, s := range shots {
		sheet, err := p.a.office.ShotSheet(ctx, set.ID, s.ID, "pdf")
		if err != nil {
			return err
		}
		if err := p.file(at+"papers/"+sheet.Name, "shot sheet of "+s.Name, bytesOf(sheet.Data)); err != nil {
			return err
		}
	}
	sheets, err := p.a.office.ContactSheets(ctx, set.ID, "pdf")
	if err != nil {
		return err
	}
	for _, s := range sheets {
		if err := p.file(at+"papers/"+s.Name, "all shots side by side", bytesOf(s.Data)); err != nil {
			return err
		}
	}
	return nil
}

// models adds the set for programs that read no glTF, with its maps beside it.
func (p *packing) models(ctx context.Context, set *store.Set, at, part string) error {
	m, err := p.a.studio.Merged(ctx, set.ID, false)
	if err != nil {
		return err
	}
	if part == "usd" {
		err = p.file(at+"set.usda", "the set as USD text: metres, y up, cameras, lights",
			func(w io.Writer) error { return exchange.WriteUSDA(w, m, "maps/") })
	} else {
		for i := range m.Maps {
			m.Maps[i].Name = exchange.MapFile(m, i)
		}
		err = errors.Join(p.file(at+"set.obj", "the set as Wavefront OBJ, metres, y up", func(w io.Writer) error {
			return exchange.WriteOBJ(w, m, geom.Identity, "set.mtl")
		}), p.file(at+"set.mtl", "its materials", func(w io.Writer) error { return exchange.WriteMTL(w, m, "maps/") }))
	}
	if err != nil {
		return err
	}
	for i := range m.Maps {
		name := at + "maps/" + exchange.MapFile(m, i)
		if part == "obj" {
			name = at + "maps/" + m.Maps[i].Name
		}
		if m.Maps[i].Data == nil || p.taken[name] {
			continue
		}
		if err := p.file(name, "a map of the set", bytesOf(m.Maps[i].Data)); err != nil {
			return err
		}
	}
	return nil
}
