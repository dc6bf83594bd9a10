package shoot

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/app/library"
	"visator/core/bands"
	"visator/core/exchange"
	"visator/core/finish"
	"visator/core/optics"
	"visator/core/render"
	"visator/core/stage"
	"visator/store"
)

// TakeSettings is everything that makes a take, kept with it.
type TakeSettings struct {
	Width   int     `json:"width"`
	Height  int     `json:"height"` // 0: from the width and the shot's aspect
	Samples int     `json:"samples"`
	Seconds float64 `json:"seconds"` // time limit of a picture; 0: none
	Seed    uint64  `json:"seed"`
	Bounces int     `json:"bounces"`
	Denoise bool    `json:"denoise"`
	Quietly bool    `json:"quietly,omitempty"` // it waits while somebody is at work
	Apart   bool    `json:"apart,omitempty"`   // of a still: what each group of lights gives is kept apart
	stage.ShotSettings
}

// TakeResult is what came of a take. Blobs are content hashes.
type TakeResult struct {
	Preview string   `json:"preview,omitempty"` // while it is made
	PNG     string   `json:"png,omitempty"`
	EXR     string   `json:"exr,omitempty"`
	Frames  []string `json:"frames,omitempty"` // PNGs of a move, in order
	Zip     string   `json:"zip,omitempty"`
	MP4     string   `json:"mp4,omitempty"`
	Samples int      `json:"samples"`
	Seconds float64  `json:"seconds"`
	Noise   float64  `json:"noise"` // mean relative standard error before denoising
	// What was kept apart, as the layers of the EXR: groups of lamps, then sun, sky and glow.
	Groups []ShareGroup `json:"groups,omitempty"`
}

// ShareGroup is a kind of light that a take keeps apart.
type ShareGroup struct {
	Name  string   `json:"name"`
	Lamps []string `json:"lamps,omitempty"` // by id, as a shot's light has them
	Tints []string `json:"tints,omitempty"` // of each its filter, as it was rendered
	Kind  string   `json:"kind,omitempty"`  // sun, sky or glow; "": lamps
}

// maxQueued is how many takes of one production wait or are made: a storyboard's
// worth, for a night and more.
const maxQueued = 200

// TakeArgs is the job that renders a take.
type TakeArgs struct {
	Take string `json:"take" river:"unique"`
}

func (TakeArgs) Kind() string { return "take" }

// Shoot starts a take: of the shot, or of the working view when shot is "".
func (a *Studio) Shoot(ctx context.Context, setID, shotID, kind string, s TakeSettings) (t store.Take, err error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return t, act.NotThere(err, "The set")
	}
	from := stage.Shot{Name: "working view", ShotSettings: set.ShotSettings}
	if shotID != "" {
		shots, err := store.Shots(ctx, a.Store.Pool, setID)
		if err != nil {
			return t, err
		}
		found := false
		for _, k := range shots {
			if k.ID == shotID {
				from, found = k.Shot, true
			}
		}
		if !found {
			return t, act.NotThere(store.ErrNotFound, "The shot")
		}
	}
	s.ShotSettings = from.ShotSettings
	switch kind {
	case "still":
		s.Move = nil
	case "move":
		if from.Move == nil {
			return t, act.Wrong("%s has no move: set its end view in Frame first.", from.Name)
		}
	default:
		return t, act.Wrong("A take is a still or a move.")
	}
	if s.Height == 0 {
		s.Height = max(int(float64(s.Width)/s.View.Aspect+0.5), 1)
	}
	if s.Move != nil { // video wants even sides
		s.Width, s.Height = s.Width+s.Width%2, s.Height+s.Height%2
	}
	if s.Seed == 0 {
		s.Seed = 1
	}
	o := s.options()
	if err := o.Check(); err != nil {
		return t, act.Wrong("%v", err)
	}
	if err := a.FitsMemory(o.Width, o.Height); err != nil {
		return t, err
	}
	if !(s.Seconds >= 0 && s.Seconds <= 1e6) {
		return t, act.Wrong("The time limit is 0 to 1 000 000 seconds.")
	}
	raw, err := json.Marshal(s)
	if err != nil {
		return t, err
	}
	t = store.Take{ID: store.NewID(), SetID: setID, ShotID: shotID, Name: from.Name, Kind: kind, State: "waiting",
		Settings: raw, Result: json.RawMessage("{}")}
	done, err := a.Turn(ctx, set.ProductionID)
	if err != nil {
		return t, err
	}
	defer done()
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		var queued int
		if err := tx.QueryRow(ctx, `select count(*) from take t join sets s on s.id = t.set_id
			where s.production_id = $1 and t.binned is null and t.state in ('waiting',
			'working')`, set.ProductionID).Scan(&queued); err != nil {
			return err
		}
		if queued >= maxQueued {
			return act.Wrong("%d takes of this production are waiting or being made; at most %d do. Wait for some, "+
				"or stop some.", queued, maxQueued)
		}
		job, err := a.Queue.InsertTx(ctx, tx, TakeArgs{t.ID},
			&river.InsertOpts{Queue: QueueTakes, MaxAttempts: TakeTries})
		if err != nil {
			return err
		}
		t.JobID = &job.Job.ID
		if err := store.InsertTake(ctx, tx, t); err != nil {
			return err
		}
		w, err := a.Snapshot(ctx, tx, setID)
		if err != nil {
			return err
		}
		world, err := w.Freeze()
		if err != nil {
			return err
		}
		if err := store.SetWorld(ctx, tx, t.ID, world); err != nil {
			return err
		}
		act.Tell(ctx, tx, set.ProductionID, "take")
		return nil
	})
	return t, err
}

func (s *TakeSettings) options() render.Options {
	return render.Options{Width: s.Width, Height: s.Height, Samples: s.Samples, Seed: s.Seed, Bounces: s.Bounces,
		Denoise: s.Denoise, Shares: s.Apart && s.Move == nil}
}

// CancelTake stops a take; what is there of it stays.
func (a *Studio) CancelTake(ctx context.Context, id string) error {
	t, err := a.Store.Take(ctx, id)
	if err != nil {
		return act.NotThere(err, "The take")
	}
	if t.State != "waiting" && t.State != "working" {
		return nil
	}
	if _, err := a.Store.Pool.Exec(ctx, "update take set state = 'cancelled', note = 'stopped by hand' where id = $1 "+
		"and state in ('waiting', 'working')", id); err != nil {
		return err
	}
	if t.JobID != nil {
		if _, err := a.Queue.JobCancel(ctx, *t.JobID); err != nil && !errors.Is(err, river.ErrNotFound) {
			return err
		}
	}
	if set, err := store.GetSet(ctx, a.Store.Pool, t.SetID); err == nil {
		act.Tell(ctx, a.Store.Pool, set.ProductionID, "take")
	}
	return nil
}

// shooting is a take in the making.
type shooting struct {
	a          *Studio
	t          store.Take
	s          TakeSettings
	r          TakeResult
	production string
	scene      *render.Scene
	groups     []ShareGroup // of its lamps
	start      time.Time
	next       time.Time  // when the picture so far is shown again
	older      store.Kept // the preview before the last
	newer      store.Kept // the last
	turn       int64      // that writes are made with
}

// RunTake renders a take. After an interruption a still begins anew, a move
// goes on with the first frame that is missing.
func (a *Studio) RunTake(ctx context.Context, id string) error {
	t, err := a.Store.Take(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil // deleted meanwhile
	}
	if err != nil {
		return err
	}
	if t.State == "done" || t.State == "cancelled" || t.State == "failed" {
		return nil
	}
	// From here on whoever had it before, and only lost its connection, is refused.
	turn, err := a.Store.BeginTake(ctx, id)
	if err != nil {
		return err
	}
	// What was written until then is what it goes on with.
	if t, err = a.Store.Take(ctx, id); err != nil {
		return err
	}
	sh := &shooting{a: a, t: t, start: time.Now(), turn: turn}
	if err := cmp.Or(json.Unmarshal(t.Settings, &sh.s), json.Unmarshal(t.Result, &sh.r)); err != nil {
		return err
	}
	if len(sh.r.Frames) > 0 { // what was made before the interruption took its time too
		sh.start = sh.start.Add(-time.Duration(sh.r.Seconds * float64(time.Second)))
	}
	set, err := store.GetSet(ctx, a.Store.Pool, t.SetID)
	if errors.Is(err, store.ErrNotFound) {
		return sh.save(ctx, "cancelled", t.Progress, "its set lies in the bin")
	}
	if err != nil {
		return err
	}
	sh.production = set.ProductionID
	note := "loading the set"
	if t.State == "working" {
		note = "was interrupted, goes on"
	}
	if err := sh.save(ctx, "working", t.Progress, note); err != nil {
		return err
	}
	err = sh.run(ctx)
	switch {
	case err == nil:
		sh.r.Preview = ""
		return sh.save(ctx, "done", 1, "")
	case errors.Is(err, store.ErrOvertaken):
		return nil // another has it
	case store.Full(err):
		_ = sh.save(context.WithoutCancel(ctx), "waiting", sh.t.Progress, act.WaitsForRoom)
		return err
	case store.Away(err):
		return err // it is tried again when the database is back
	case ctx.Err() != nil:
		// Cancelled by hand (the row says so and stays so), or shut down: then
		// it goes on later.
		_ = sh.save(context.WithoutCancel(ctx), "waiting", sh.t.Progress, "was interrupted, goes on")
		return err
	}
	return sh.save(ctx, "failed", sh.t.Progress, err.Error())
}

func (sh *shooting) save(ctx context.Context, state string, progress float64, note string) error {
	sh.t.Progress = progress
	err := sh.a.Store.SetTake(ctx, sh.t.ID, sh.turn, state, progress, note, &sh.r)
	act.Tell(ctx, sh.a.Store.Pool, sh.production, "take")
	return err
}

func (sh *shooting) run(ctx context.Context) error {
	l, err := sh.load(ctx)
	if err != nil {
		return err
	}
	if sh.scene, err = l.renderScene(ctx, &sh.s.Light); err != nil {
		return err
	}
	if sh.s.Move != nil {
		return sh.move(ctx, l)
	}
	sh.groups = l.groups
	sh.s.View = sh.s.At(0, l.cast.Where) // focused on where its thing stands now
	sh.scene = falling(sh.scene, &sh.s.Light, &sh.s.View, 0)
	return sh.still(ctx)
}

// expose renders one view.
func (sh *shooting) expose(ctx context.Context, v *optics.View,
	progress func(done, of int, f *render.Film)) (*render.Film, error) {
	cam := renderCamera(v)
	o := sh.s.options()
	o.Enter = act.GiveWay
	began := time.Now()
	counted := 0
	o.Progress = func(done, of int, f *render.Film) {
		library.Samples.Add(int64(max(done-counted, 0)) * int64(f.Width*f.Height))
		counted = done
		sh.r.Samples, sh.r.Noise = done, 0
		if n := f.Noise(); n == n {
			sh.r.Noise = n
		}
		sh.r.Seconds = time.Since(sh.start).Seconds()
		if progress != nil {
			progress(done, of, f)
		}
		if sh.s.Quietly {
			sh.stand(ctx)
		}
	}
	if sh.s.Seconds > 0 {
		o.Stop = func(int) bool { return time.Since(began).Seconds() > sh.s.Seconds }
	}
	return bands.Render(ctx, sh.scene, &cam, o, sh.a.memory())
}

// leave is for how long after the last thing that a person did a quiet take waits.
const leave = 15 * time.Second

// Touch is called when a person does something.
func (a *Studio) Touch() { a.touched.Store(time.Now().UnixNano()) }

// stand waits while somebody is at work.
func (sh *shooting) stand(ctx context.Context) {
	atWork := func() bool { return time.Since(time.Unix(0, sh.a.touched.Load())) < leave }
	if !atWork() {
		return
	}
	_ = sh.save(ctx, "working", sh.t.Progress, "waits while you are at work")
	tick := time.NewTicker(250 * time.Millisecond)
	defer tick.Stop()
	for atWork() {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// A picture in the making is shown often enough to judge it, and seldom
// enough not to slow it: showing takes at most a sixteenth of the time.
const (
	previewEvery = 1500 * time.Millisecond
	previewShare = 16
)

// glance makes a small picture at once, for something to look at while the
// first pass of the large one is made.
func (sh *shooting) glance(ctx context.Context) {
	cam, o := renderCamera(&sh.s.View), sh.s.options()
	o.Shares = false
	o.Width, o.Height, o.Samples, o.Bounces = max(o.Width/4, 1), max(o.Height/4, 1), 1, min(o.Bounces, 2)
	f, err := render.Render(ctx, sh.scene, &cam, o)
	if err != nil {
		return
	}
	if k, err := sh.keepPNG(ctx, f, &sh.s.View); err == nil {
		sh.newer, sh.r.Preview = k, k.Hash
		_ = sh.save(ctx, "working", 0, "a first glance")
	}
}

func (sh *shooting) still(ctx context.Context) error {
	if room := sh.a.memory(); bands.Need(sh.s.Width, sh.s.Height) > room {
		return sh.banded(ctx)
	}
	sh.glance(ctx)
	ctx, overtaken := context.WithCancelCause(ctx)
	defer overtaken(nil)
	f, err := sh.expose(ctx, &sh.s.View, func(done, of int, f *render.Film) {
		if done < of && (done == 1 || time.Now().After(sh.next)) {
			began := time.Now()
			defer func() {
				sh.next = time.Now().Add(max(previewEvery, previewShare*time.Since(began)))
			}()
			f := f.Glimpse(sh.s.Denoise)
			if k, err := sh.keepPNG(ctx, f, &sh.s.View); err == nil {
				old := sh.older // pages may still show the one after it
				sh.older, sh.newer, sh.r.Preview = sh.newer, k, k.Hash
				share := float64(done) / float64(of)
				if sh.s.Seconds > 0 {
					share = max(share, min(sh.r.Seconds/sh.s.Seconds, 1))
				}
				if errors.Is(sh.save(ctx, "working", share, fmt.Sprintf("%d of %d samples", done, of)),
					store.ErrOvertaken) {
					overtaken(store.ErrOvertaken)
				}
				if old.New && old.Hash != k.Hash && old.Hash != sh.older.Hash {
					sh.a.Store.DropBlob(ctx, old.Hash, old.Put)
				}
			}
		}
	})
	if cause := context.Cause(ctx); errors.Is(cause, store.ErrOvertaken) {
		return cause
	}
	if err != nil {
		return err
	}
	return sh.develop(ctx, f)
}

// banded makes a still that does not fit into memory as a whole. What is there is
// told, not shown.
func (sh *shooting) banded(ctx context.Context) error {
	ctx, overtaken := context.WithCancelCause(ctx)
	defer overtaken(nil)
	f, err := sh.expose(ctx, &sh.s.View, func(done, of int, _ *render.Film) {
		if done < of && time.Now().After(sh.next) {
			sh.next = time.Now().Add(previewEvery)
			share := float64(done) / float64(of)
			if errors.Is(sh.save(ctx, "working", share,
				fmt.Sprintf("%.0f %%, in bands: it does not fit into memory as a whole",
					100*share)), store.ErrOvertaken) {
				overtaken(store.ErrOvertaken)
			}
		}
	})
	if cause := context.Cause(ctx); errors.Is(cause, store.ErrOvertaken) {
		return cause
	}
	if err != nil {
		return err
	}
	return sh.develop(ctx, f)
}

// develop keeps the pictures of a still that was made.
func (sh *shooting) develop(ctx context.Context, f *render.Film) (err error) {
	if sh.r.PNG, err = sh.putPNG(ctx, f, &sh.s.View); err != nil {
		return err
	}
	channels := append(exchange.RGB("", f.Color), exchange.Channel{Name: "Z", Data: f.Depth, Stride: 1})
	if len(f.Shares) > 0 {
		sh.r.Groups = append(slices.Clone(sh.groups), ShareGroup{Name: "sun", Kind: "sun"},
			ShareGroup{Name: "sky", Kind: "sky"}, ShareGroup{Name: "what glows", Kind: "glow"})
		names := make([]string, len(sh.groups))
		for i := range names {
			names[i] = sh.groups[i].Name
		}
		channels = append(channels, exchange.Shares(f.Shares, names)...)
	}
	var buf bytes.Buffer
	if err := exchange.WriteEXR(&buf, f.Width, f.Height, channels); err != nil {
		return err
	}
	sh.r.EXR, _, err = sh.a.Store.PutBlob(ctx, &buf, 0)
	return err
}

func (sh *shooting) putPNG(ctx context.Context, f *render.Film, v *optics.View) (string, error) {
	k, err := sh.keepPNG(ctx, f, v)
	return k.Hash, err
}

func (sh *shooting) keepPNG(ctx context.Context, f *render.Film, v *optics.View) (store.Kept, error) {
	picture, err := quickPNG(f, v, sh.s.Finish)
	if err != nil {
		return store.Kept{}, err
	}
	return sh.a.Store.Put(ctx, picture, 0)
}

// quickPNG is a film developed, as PNG that takes little time to write.
func quickPNG(f *render.Film, v *optics.View, c finish.Chain) (*bytes.Buffer, error) {
	return QuickPicture(f.Color, f.Width, f.Height, v, c)
}

// QuickPicture is quickPNG of linear values, 3 a pixel.
func QuickPicture(color []float32, w, h int, v *optics.View, c finish.Chain) (*bytes.Buffer, error) {
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	return &out, enc.Encode(&out, finish.Develop(color, w, h, v, c))
}

func (sh *shooting) move(ctx context.Context, l *loaded) error {
	first, last := sh.s.Frames()
	n := last - first + 1
	cast := l.cast
	for i := len(sh.r.Frames); i < n; i++ {
		t := float64(first+i) / sh.s.Move.Rate
		v := sh.s.At(t, cast.Where)
		if !l.still(sh.s.Move, &sh.s.Light) {
			var err error
			if sh.scene, err = l.posed(ctx, &sh.s.ShotSettings, cast, t); err != nil {
				return err
			}
		}
		sh.scene = falling(sh.scene, &sh.s.Light, &v, t)
		f, err := sh.expose(ctx, &v, nil)
		if err != nil {
			return err
		}
		hash, err := sh.putPNG(ctx, f, &v)
		if err != nil {
			return err
		}
		sh.r.Frames, sh.r.Preview = append(sh.r.Frames, hash), hash
		if err := sh.save(ctx, "working", float64(i+1)/float64(n+1), fmt.Sprintf("frame %d of %d", i+1,
			n)); err != nil {
			return err
		}
	}
	dir, err := os.MkdirTemp("", "visator-move-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := sh.pack(ctx, dir); err != nil {
		return err
	}
	return sh.video(ctx, dir)
}

// pack writes the frames to dir and keeps them as a zip. Pictures are
// compressed already: they are stored as they are.
func (sh *shooting) pack(ctx context.Context, dir string) error {
	zipped, err := os.Create(filepath.Join(dir, "frames.zip"))
	if err != nil {
		return err
	}
	defer zipped.Close()
	z := zip.NewWriter(zipped)
	for i, hash := range sh.r.Frames {
		data, err := sh.a.Store.ReadBlob(ctx, hash)
		if err != nil {
			return err
		}
		name := fmt.Sprintf("frame-%05d.png", i+1)
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o600); err != nil {
			return err
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	if _, err := zipped.Seek(0, io.SeekStart); err != nil {
		return err
	}
	sh.r.Zip, _, err = sh.a.Store.PutBlob(ctx, zipped, 0)
	return err
}

func (sh *shooting) video(ctx context.Context, dir string) error {
	ffmpeg, err := exec.LookPath("ffmpeg")
	if err != nil {
		return errors.New("the frames are made, but for a video Debian's package ffmpeg must be installed")
	}
	out := filepath.Join(dir, "move.mp4")
	cmd := exec.CommandContext(ctx, ffmpeg, "-nostdin", "-loglevel", "error", "-y", "-framerate",
		fmt.Sprint(sh.s.Move.Rate),
		"-i", filepath.Join(dir, "frame-%05d.png"), "-c:v", "libx264", "-crf", "16", "-pix_fmt", "yuv420p", "-movflags",
		"+faststart", out)
	if text, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("making the video: %w: %s", err, strings.TrimSpace(string(text)))
	}
	f, err := os.Open(out)
	if err != nil {
		return err
	}
	defer f.Close()
	sh.r.MP4, _, err = sh.a.Store.PutBlob(ctx, f, 0)
	return err
}
