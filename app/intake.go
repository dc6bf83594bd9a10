package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake"
	"visator/core/intake/archive"
	"visator/core/model"
	"visator/core/proxy"
	"visator/core/sizing"
	"visator/store"
)

// MaxUpload bounds one file that comes in: larger than any model on sale,
// smaller than most disks.
const MaxUpload = 8 << 30

// IntakeArgs is the job that reads an arrival.
type IntakeArgs struct {
	Arrival string `json:"arrival" river:"unique"`
}

func (IntakeArgs) Kind() string { return "intake" }

// Arrive keeps what r gives and starts its intake. The same content in the
// same production is recognised: its arrival is returned, and twice is true.
func (a *App) Arrive(ctx context.Context, production, name string, r io.Reader) (ar store.Arrival, twice bool, err error) {
	name = path.Base(strings.ReplaceAll(strings.TrimSpace(name), "\\", "/"))
	if name == "" || name == "." || name == "/" || len(name) > 255 {
		return ar, false, wrong("The file needs a name of 1 to 255 characters.")
	}
	if ext := strings.ToLower(path.Ext(name)); ext != ".zip" && ext != ".glb" && ext != ".gltf" && ext != ".obj" {
		return ar, false, wrong("%s is of a kind that is not read here. Drop a .glb, .gltf, .obj, or a .zip with one of these and its textures.", name)
	}
	if _, err := store.GetProduction(ctx, a.Store.Pool, production); err != nil {
		return ar, false, notThere(err, "The production")
	}
	hash, size, err := a.Store.PutBlob(ctx, r, MaxUpload)
	if err != nil {
		return ar, false, &Problem{fmt.Sprintf("%s could not be kept: %v. Nothing of it was taken in.", name, err), ErrWrong}
	}
	if size == 0 {
		return ar, false, wrong("%s is empty; fetch it again.", name)
	}
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if _, err := store.LockProduction(ctx, tx, production); err != nil {
			return err
		}
		var err error
		if ar, err = store.ArrivalOf(ctx, tx, production, hash); err == nil {
			twice = true
			return nil
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		ar = store.Arrival{ID: store.NewID(), ProductionID: production, Name: name, Blob: hash, Bytes: size, State: "waiting"}
		if err := store.InsertArrival(ctx, tx, ar); err != nil {
			return err
		}
		if _, err := a.Queue.InsertTx(ctx, tx, IntakeArgs{ar.ID}, &river.InsertOpts{Queue: QueueIntake, MaxAttempts: 5}); err != nil {
			return err
		}
		a.tell(ctx, tx, production, "arrival")
		return nil
	})
	return ar, twice, err
}

// RunIntake reads an arrival into pieces. It can be run again at any time:
// the same arrival gives the same pieces.
func (a *App) RunIntake(ctx context.Context, id string) error {
	ar, err := a.Store.Arrival(ctx, id)
	if err != nil {
		return err
	}
	if ar.State == "done" {
		return nil
	}
	step := func(progress float64, note string) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		err := a.Store.SetArrival(ctx, id, "working", progress, note)
		a.tell(ctx, a.Store.Pool, ar.ProductionID, "arrival")
		return err
	}
	if err := step(0.05, "reading"); err != nil {
		return err
	}
	data, err := a.Store.ReadBlob(ctx, ar.Blob)
	if err != nil {
		return err
	}
	m, source, report, err := readArrival(ar.Name, data)
	if err != nil {
		// What is wrong with the file stays wrong: say so and do not try again.
		a.failArrival(ctx, &ar, err.Error())
		return nil
	}
	if err := step(0.4, fmt.Sprintf("%d triangles, drawing them smaller", report.Triangles)); err != nil {
		return err
	}
	piece, look, err := a.makePiece(ctx, &ar, m, source, report)
	if err != nil {
		return err
	}
	raw, err := json.Marshal(report)
	if err != nil {
		return err
	}
	return a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if err := store.InsertPiece(ctx, tx, *piece); err != nil {
			return err
		}
		if err := store.PutLook(ctx, tx, *look); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "update arrival set state = 'done', progress = 1, note = '', report = $2 where id = $1", id, raw); err != nil {
			return err
		}
		a.tell(ctx, tx, ar.ProductionID, "arrival")
		return nil
	})
}

func (a *App) failArrival(ctx context.Context, ar *store.Arrival, note string) {
	_ = a.Store.SetArrival(ctx, ar.ID, "failed", ar.Progress, note)
	a.tell(ctx, a.Store.Pool, ar.ProductionID, "arrival")
}

// readArrival reads the likeliest model of a file or archive.
func readArrival(name string, data []byte) (m *model.Model, source string, r intake.Report, err error) {
	source = name
	if archive.IsArchive(data) {
		tree, err := intake.Unpack(name, data)
		if err != nil {
			return nil, "", r, err
		}
		found, err := intake.Candidates(tree)
		if err != nil {
			return nil, "", r, err
		}
		if len(found) == 0 {
			return nil, "", r, fmt.Errorf("%s: no model in it: %w", name, intake.ErrFormat)
		}
		source = found[0].Path
		if m, err = intake.ReadFrom(tree, source); err != nil {
			return nil, "", r, err
		}
		for _, c := range found[1:] {
			m.Warn("also in it, not taken: %s", c.Path)
		}
		for _, s := range tree.Skipped {
			m.Warn("left out: %s", s)
		}
	} else if m, err = intake.Read(name, data, model.Folder{}); err != nil {
		return nil, "", r, err
	}
	r = intake.Describe(source, m)
	if m.Bounds().IsEmpty() {
		return nil, "", r, fmt.Errorf("%s: the file places nothing in its scene; export the model again", source)
	}
	return m, source, r, nil
}

// Levels of detail that browsers get, in triangles, and their largest map.
var (
	levelTriangles = []int{60_000, 12_000, 2_000}
	levelSides     = []int{1024, 512, 128}
)

func (a *App) makePiece(ctx context.Context, ar *store.Arrival, m *model.Model, source string, r intake.Report) (*store.Piece, *store.Look, error) {
	exchange.PackMaps(m)
	blob, _, err := a.putGLB(ctx, m)
	if err != nil {
		return nil, nil, err
	}
	facts, err := json.Marshal(r)
	if err != nil {
		return nil, nil, err
	}
	size, err := json.Marshal(sizing.From(m.Unit, m.Up))
	if err != nil {
		return nil, nil, err
	}
	name := strings.TrimSuffix(path.Base(source), path.Ext(source))
	p := &store.Piece{ID: "p" + ar.ID, ProductionID: ar.ProductionID, ArrivalID: ar.ID, Name: tidyName(name), Source: source, Blob: blob, Facts: facts, Sizing: size}
	look := &store.Look{PieceID: p.ID}
	var levels []Level
	for i, n := range levelTriangles {
		if i > 0 && r.Triangles <= n {
			break
		}
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		small := proxy.Make(m, n, levelSides[i])
		hash, bytes, err := a.putGLB(ctx, small)
		if err != nil {
			return nil, nil, err
		}
		levels = append(levels, Level{hash, small.Weigh().Triangles, bytes})
	}
	front, top := map[model.Axis]string{}, map[model.Axis]string{}
	outline := proxy.Make(m, 40_000, 1)
	for _, up := range []model.Axis{"X", "Y", "Z"} {
		front[up] = sizing.Silhouette(outline, model.UpTurn(up), sizing.Front)
		top[up] = sizing.Silhouette(outline, model.UpTurn(up), sizing.Top)
	}
	var errs [3]error
	look.Levels, errs[0] = json.Marshal(levels)
	look.Front, errs[1] = json.Marshal(front)
	look.Top, errs[2] = json.Marshal(top)
	return p, look, firstError(errs[:]...)
}

// tidyName makes a label of a file name: "lamp_post-v2" becomes "lamp post v2".
func tidyName(s string) string {
	s = strings.Join(strings.Fields(strings.NewReplacer("_", " ", "-", " ", ".", " ").Replace(s)), " ")
	if s == "" {
		return "piece"
	}
	return s[:min(len(s), 200)]
}

func (a *App) putGLB(ctx context.Context, m *model.Model) (hash string, size int, err error) {
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		return "", 0, err
	}
	hash, n, err := a.Store.PutBlob(ctx, &buf, 0)
	return hash, int(n), err
}

// Panorama takes in a Radiance picture for the sky and returns its blob.
func (a *App) Panorama(ctx context.Context, r io.Reader) (string, error) {
	const limit = 512 << 20 // the largest panoramas on sale
	hash, _, err := a.Store.PutBlob(ctx, r, limit)
	if err != nil {
		return "", wrong("The panorama could not be kept: %v", err)
	}
	data, err := a.Store.ReadBlob(ctx, hash)
	if err != nil {
		return "", err
	}
	if _, _, _, err := exchange.ReadHDR(bytes.NewReader(data)); err != nil {
		return "", wrong("%v", err)
	}
	return hash, nil
}

// Export writes a set as GLB: every visible placement, linked copies sharing
// their meshes, the shots as cameras and the sun as a light.
func (a *App) Export(ctx context.Context, setID string, w io.Writer) error {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return notThere(err, "The set")
	}
	s, err := a.loadScene(ctx, &set)
	if err != nil {
		return err
	}
	shots, err := store.Shots(ctx, a.Store.Pool, setID)
	if err != nil {
		return err
	}
	return exchange.WriteGLB(w, s.merge(set.Name, shots, &set.Light))
}

func node(name string, local geom.M) model.Node {
	n := model.NewNode(name)
	n.Local = local
	return n
}
