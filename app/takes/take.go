// Package takes is the pictures that are asked for: their queue, their making, and what is laid aside of them.
package takes

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/app/shoot"
	"visator/core/film"
	"visator/core/layers"
	"visator/core/render"
	"visator/core/stage"
	"visator/store"
)

// Operator makes takes of a studio's sets.
type Operator struct {
	*shoot.Studio
	id    string   // of this process among those that share a take
	leads sync.Map // takes that are shared and that this process puts together
}

// New is the operator of a studio.
func New(s *shoot.Studio) *Operator { return &Operator{Studio: s, id: store.NewID()} }

// Queue is the queue of renders: a download does not wait for a night of them.
const Queue = "takes"

// Tries is how often a take is tried that fails by no fault of its own.
const Tries = 10

// Job is how the job of a take is queued, to be done at a time or, nil, as soon as it is its turn.
func Job(at *time.Time) *river.InsertOpts {
	o := &river.InsertOpts{Queue: Queue, MaxAttempts: Tries}
	if at != nil {
		o.ScheduledAt = *at
	}
	return o
}

// Settings is everything that makes a take, kept with it.
type Settings struct {
	Width   int      `json:"width"`
	Height  int      `json:"height"` // 0: from the width and the shot's aspect
	Samples int      `json:"samples"`
	Seconds float64  `json:"seconds"` // time limit of a picture; 0: none
	Seed    uint64   `json:"seed"`
	Bounces int      `json:"bounces"`
	Denoise bool     `json:"denoise"`
	Quietly bool     `json:"quietly,omitempty"` // it waits while somebody is at work
	Layers  []string `json:"layers,omitempty"`  // of a still, in its OpenEXR; see core/layers
	Halves  bool     `json:"halves,omitempty"`  // its layers have 16 bits a value where that is enough
	Apart   bool     `json:"apart,omitempty"`   // of a still: what each group of lights gives is kept apart
	Noise   float64  `json:"noise,omitempty"`   // is little enough, as film.Noise tells it; 0: all samples are made
	Blur    bool     `json:"blur,omitempty"`    // of a move: what moves while the shutter is open is blurred
	Even    bool     `json:"even,omitempty"`    // as many samples everywhere, not more where noise is left
	Keep    bool     `json:"keep,omitempty"`    // of a still: its film is laid aside, to go on with
	Packed  bool     `json:"packed,omitempty"`  // its OpenEXR is packed as DWAA, with a loss that is hardly seen
	Shared  bool     `json:"shared,omitempty"`  // it is made in parts, by all workers that are there
	Linear  bool     `json:"linear,omitempty"`  // of a move: each frame is kept as OpenEXR with its layers too
	Editing bool     `json:"editing,omitempty"` // of a move: a video for editing is made too
	Around  string   `json:"around,omitempty"`  // of a still: all around, as "sphere" or "cube"; "": as the lens sees
	// Of a turntable: what it goes around, by id; "": what is in focus in the middle of the picture.
	About string  `json:"about,omitempty"`
	Lasts float64 `json:"lasts,omitempty"` // seconds of a turntable
	// Of a still: the part of the picture that is made, in pixels right and down, from the first two to before the
	// last two; the rest is that of the shot's newest still of that size, or black. Nil: all of it.
	Region *[4]int `json:"region,omitempty"`
	stage.ShotSettings
}

// Result is what came of a take. Blobs are content hashes.
type Result struct {
	Preview string   `json:"preview,omitempty"` // while it is made
	PNG     string   `json:"png,omitempty"`
	EXR     string   `json:"exr,omitempty"`
	Frames  []string `json:"frames,omitempty"` // PNGs of a move, in order; "" of those that are not made yet
	Zip     string   `json:"zip,omitempty"`
	MP4     string   `json:"mp4,omitempty"`
	Linears []string `json:"linears,omitempty"` // OpenEXRs of a move's frames, as Frames
	EXRs    string   `json:"exrs,omitempty"`    // a zip of them
	Cut     string   `json:"cut,omitempty"`     // a video for editing
	Samples int      `json:"samples"`
	Seconds float64  `json:"seconds"`
	Left    float64  `json:"left,omitempty"`   // seconds that it takes still, about; while it is made
	Noise   float64  `json:"noise"`            // before its removal, as film.Noise tells it
	Film    string   `json:"film,omitempty"`   // laid aside
	Around  string   `json:"around,omitempty"` // of a region: the take that the rest of the picture is of
	// What was kept apart, as the layers of the EXR: groups of lamps, then sun, sky and glow.
	Groups []shoot.ShareGroup `json:"groups,omitempty"`
	Layers []layers.Line      `json:"layers,omitempty"` // of the EXR, what each is
}

// Of are the settings of a take and what came of it.
func Of(t *store.Take) (s Settings, r Result, err error) {
	return s, r, cmp.Or(json.Unmarshal(t.Settings, &s), json.Unmarshal(t.Result, &r))
}

// maxQueued is how many takes of one production wait or are made: a storyboard's
// worth, for a night and more.
const maxQueued = 200

// Args is the job that renders a take.
type Args struct {
	Take string `json:"take" river:"unique"`
}

func (Args) Kind() string { return "take" }

// Shoot starts a take: of the shot, or of the working view when shot is "".
func (a *Operator) Shoot(ctx context.Context, setID, shotID, kind string, s Settings) (t store.Take, err error) {
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
	if kind != "still" {
		s.Region, s.Keep, s.Around = nil, false, ""
	}
	switch kind {
	case "still":
		s.Move = nil
		if err := s.allAround(); err != nil {
			return t, err
		}
	case "move":
		if from.Move == nil {
			return t, act.Wrong("%s has no move: set its end view in Frame first.", from.Name)
		}
	case "turntable":
		if err := a.turntable(ctx, setID, &s); err != nil {
			return t, err
		}
		kind, from.Name = "move", from.Name+", around"
	default:
		return t, act.Wrong("A take is a still, a move or a turntable.")
	}
	if s.Height == 0 {
		s.Height = max(int(float64(s.Width)/s.View.Aspect+0.5), 1)
	}
	if s.Move != nil { // video wants even sides
		s.Width, s.Height = s.Width+s.Width%2, s.Height+s.Height%2
	}
	if s.Editing && s.Move != nil && (s.Width < leastEditing[0] || s.Height < leastEditing[1]) {
		return t, act.Wrong("A video for editing has at least %d x %d pixels, this one would have %d x %d: choose a "+
			"larger width, or leave it out.", leastEditing[0], leastEditing[1], s.Width, s.Height)
	}
	if s.Seed == 0 {
		s.Seed = 1
	}
	o := s.options()
	if err := o.Check(); err != nil {
		return t, act.Wrong("%v", err)
	}
	if err := a.Learned(ctx, s.Finish); err != nil {
		return t, err
	}
	if err := layers.Check(s.Layers); err != nil {
		return t, act.Wrong("%v.", err)
	}
	if slices.Contains(s.Layers, "lights") {
		s.Apart, o.Shares = true, true
	}
	if s.Region != nil && *s.Region == [4]int{} {
		return t, act.Wrong("The region has no pixels: draw it in the picture.")
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
		job, err := a.queue(ctx, tx, set.ProductionID, t.ID, nil)
		if err != nil {
			return err
		}
		t.JobID = &job
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

// queue puts a take into the queue, to be made at a time or, nil, as soon as it is its turn, and returns its job.
func (a *Operator) queue(ctx context.Context, tx pgx.Tx, production, take string, at *time.Time) (int64, error) {
	var queued int
	if err := tx.QueryRow(ctx, `select count(*) from take t join sets s on s.id = t.set_id
		where s.production_id = $1 and t.binned is null and t.state in ('waiting',
		'working')`, production).Scan(&queued); err != nil {
		return 0, err
	}
	if queued >= maxQueued {
		return 0, act.Wrong("%d takes of this production are waiting or being made; at most %d do. Wait for some, "+
			"or stop some.", queued, maxQueued)
	}
	job, err := a.Queue.InsertTx(ctx, tx, Args{take}, Job(at))
	if err != nil {
		return 0, err
	}
	return job.Job.ID, nil
}

// More is what a still goes on for.
type More struct {
	Samples int     `json:"samples"` // a pixel in all
	Seconds float64 `json:"seconds"` // more, at most; 0 no limit
	Noise   float64 `json:"noise"`   // is little enough; 0: all samples are made
}

// GoOn has a still that ended made better, from where it ended.
func (a *Operator) GoOn(ctx context.Context, id string, m More) error {
	t, err := a.Store.Take(ctx, id)
	if err != nil {
		return act.NotThere(err, "The take")
	}
	s, r, err := Of(&t)
	if err != nil {
		return err
	}
	if t.State == "waiting" || t.State == "working" {
		return act.Wrong("%s is not done yet: stop it first, or wait.", t.Name)
	}
	if r.Film == "" {
		return act.Wrong("Nothing was laid aside of %s to go on with: render it with “to go on with later”.", t.Name)
	}
	s.Samples, s.Seconds, s.Noise = m.Samples, m.Seconds, m.Noise
	if s.Samples <= r.Samples {
		return act.Wrong("%s has %d samples a pixel already: ask for more.", t.Name, r.Samples)
	}
	o := s.options()
	if err := o.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	if !(s.Seconds >= 0 && s.Seconds <= 1e6) {
		return act.Wrong("The time limit is 0 to 1 000 000 seconds.")
	}
	if t.Settings, err = json.Marshal(s); err != nil {
		return err
	}
	return a.again(ctx, &t, nil)
}

func (s *Settings) options() render.Options {
	return render.Options{Width: s.Width, Height: s.Height, Samples: s.Samples, Seed: s.Seed, Bounces: s.Bounces,
		Denoise: s.Denoise, Shares: s.Apart && (s.Move == nil || s.Linear), Noise: s.Noise, Adaptive: !s.Even,
		Region: s.part(), Keep: true, Extra: s.extra()}
}

// extra is what its film keeps beside.
func (s *Settings) extra() film.Extra {
	if s.Move != nil && !s.Linear || s.Region != nil {
		return film.Extra{}
	}
	return layers.Extra(s.Layers)
}

// part is what is made of the picture: nothing is all of it.
func (s *Settings) part() (part [4]int) {
	if s.Region != nil {
		part = *s.Region
	}
	return part
}

// CancelTake stops a take; what is there of it stays.
func (a *Operator) CancelTake(ctx context.Context, id string) error {
	t, err := a.Store.Take(ctx, id)
	if err != nil {
		return act.NotThere(err, "The take")
	}
	if t.State != "waiting" && t.State != "working" && t.State != "held" {
		return nil
	}
	if _, err := a.Store.Pool.Exec(ctx, "update take set state = 'cancelled', note = 'stopped by hand' where id = $1 "+
		"and state in ('waiting', 'working', 'held')", id); err != nil {
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
