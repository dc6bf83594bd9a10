package shoot

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"image/png"
	"math"
	"slices"
	"sync"
	"time"

	"visator/app/act"
	"visator/app/library"
	"visator/app/measure"
	"visator/core/finish"
	"visator/core/ladder"
	"visator/core/model"
	"visator/core/plain"
	"visator/core/render"
	"visator/store"
)

// TrueView is the working view of a set as it is rendered, as far as it has come.
type TrueView struct {
	Number   int           `json:"number"`   // of the picture: another for every one that is better, or of another set
	Revision int64         `json:"revision"` // of the set that it shows
	State    string        `json:"state"`    // loading, waiting (for the processors), refining, clean, failed
	Said     string        `json:"said"`     // why it failed
	Width    int           `json:"width"`
	Height   int           `json:"height"`
	Samples  int           `json:"samples"`         // a pixel
	Noise    float64       `json:"noise"`           // mean relative standard error, not smoothed; 0: not known yet
	Clean    float64       `json:"clean"`           // the noise at which it is clean enough
	Seconds  float64       `json:"seconds"`         // that it was worked at
	Left     float64       `json:"left"`            // seconds to go until it is clean, about; 0: not known yet
	Part     [4]float64    `json:"part"`            // of the picture that is shown; zero: all
	Ruler    *ladder.Ruler `json:"ruler,omitempty"` // how bright it is where
	PNG      []byte        `json:"-"`               // nil before the first, and where what was seen is the newest
	drawn    int           // the number with which PNG came
}

// Limits of true views. One is made at a time: it uses all processors. One that nobody asks for is let go of soon,
// with all that it holds of the set.
const (
	maxTrue       = 1
	maxTrueKept   = 4 // sets that are held in memory for it
	trueLeave     = 20 * time.Second
	trueAnswer    = 20 * time.Second // that an answer waits for something new
	trueEvery     = 400 * time.Millisecond
	trueLook      = 100 * time.Millisecond // that an edit is waited for
	maxTrueSide   = 1920
	maxTrueClears = 4096 // samples: beyond, a view is as clean as it gets
	// MinClean and MaxClean are what noise can be asked for.
	MinClean, MaxClean = 0.005, 0.5
)

// trues are the true views that somebody looks at, by set.
type trues struct {
	mu   sync.Mutex
	kept map[string]*trueView
	room chan struct{}
	all  sync.WaitGroup
	life context.Context
	stop context.CancelFunc
	over bool
}

// trueView is one in the making.
type trueView struct {
	mu    sync.Mutex
	now   TrueView
	news  chan struct{} // closed with every change of now
	asked time.Time
	look  Look
	stage *setting // what is looked at; nil before it is loaded
	last  *exposed // what the picture is made of; nil before the first
}

// exposed are the linear values of a picture.
type exposed struct {
	color, albedo []float32 // albedo nil where it is not known
	w, h          int
	white         float64 // cd/m²
}

// Look is how a true view is looked at: how wide the whole picture is, in pixels, until which noise, and which part of
// it alone is made, from left, top to right, bottom as shares of it; all zero: all of it.
type Look struct {
	Width int
	Clean float64
	Part  [4]float64
}

// whole says whether all of the picture is made.
func (k *Look) whole() bool { return k.Part == [4]float64{} }

func (k *Look) check() error {
	if k.Width < 16 || k.Width > maxTrueSide {
		return act.Wrong("A true view is 16 to %d pixels wide.", maxTrueSide)
	}
	if !(k.Clean >= MinClean && k.Clean <= MaxClean) {
		return act.Wrong("A true view is made until its noise is %g to %g %%.", 100*MinClean, 100*MaxClean)
	}
	const least = 0.01 // of a side
	if p := k.Part; !k.whole() && !(p[0] >= 0 && p[1] >= 0 && p[2] <= 1 && p[3] <= 1 && p[2]-p[0] >= least &&
		p[3]-p[1] >= least) {
		return act.Wrong("A part of a true view lies within the picture, and is a hundredth of a side or more.")
	}
	return nil
}

// known is a set that is in memory as it was rendered last; nil: none is.
func (t *trues) known(set string) *setting {
	t.mu.Lock()
	v := t.kept[set]
	t.mu.Unlock()
	if v == nil {
		return nil
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.stage
}

// revisionOf asks for the revision of a set's production.
const revisionOf = "select p.revision from production p join sets s on s.production_id = p.id where s.id = $1"

func errTooMany() error {
	return act.Wrong("%d true views are looked at here already, as many as are made at a time: wait until one is left.",
		maxTrueKept)
}

// TrueView waits until there is something newer than the picture number seen, for some seconds, and tells it. The
// first who asks has it begun; it goes on while it is asked for.
func (a *Studio) TrueView(ctx context.Context, setID string, seen int, look Look) (TrueView, error) {
	if err := look.check(); err != nil {
		return TrueView{}, err
	}
	if _, err := store.GetSet(ctx, a.Store.Pool, setID); err != nil {
		return TrueView{}, act.NotThere(err, "The set")
	}
	a.Touch() // takes that wait for hands wait for eyes too
	v := a.trues.of(a, setID, look)
	if v == nil {
		return TrueView{}, errTooMany()
	}
	late := time.NewTimer(trueAnswer)
	defer late.Stop()
	for {
		v.mu.Lock()
		now, news := v.now, v.news
		v.asked = time.Now()
		v.mu.Unlock()
		if now.Number != seen || now.State == "failed" { // a lower one is of before a restart
			if now.Number > seen && now.drawn <= seen {
				now.PNG = nil // there is another word only
			}
			return now, nil
		}
		select {
		case <-news:
		case <-late.C:
			now.PNG = nil
			return now, nil
		case <-ctx.Done():
			return now, ctx.Err()
		}
	}
}

// False is the picture of the true view that was made last, drawn by its brightness.
func (a *Studio) False(setID string, way ladder.Way) ([]byte, error) {
	a.trues.mu.Lock()
	v := a.trues.kept[setID]
	a.trues.mu.Unlock()
	if v == nil {
		return nil, act.Wrong("There is no true view to draw: look at it first.")
	}
	v.mu.Lock()
	last := v.last
	v.mu.Unlock()
	switch {
	case last == nil:
		return nil, act.Wrong("The true view has no picture yet: wait a moment.")
	case way == ladder.Lux && last.albedo == nil:
		return nil, act.Wrong("What falls on things is known from the first full picture on: wait a moment.")
	case way != ladder.Stops && way != ladder.Cd && way != ladder.Lux:
		return nil, act.Wrong("A picture is drawn by stops, cd or lux.")
	}
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	err := enc.Encode(&out, ladder.Picture(way, last.color, last.albedo, last.w, last.h, last.white))
	return out.Bytes(), err
}

// of is the true view of a set, of a width unless that is 0, begun where it is not; nil when there are too many, or
// the server ends.
func (ts *trues) of(a *Studio, set string, look Look) *trueView {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	if ts.over {
		return nil
	}
	if ts.kept == nil {
		ts.kept, ts.room = map[string]*trueView{}, make(chan struct{}, maxTrue)
		ts.life, ts.stop = context.WithCancel(context.Background())
	}
	v := ts.kept[set]
	if v == nil {
		if len(ts.kept) >= maxTrueKept {
			return nil
		}
		v = &trueView{news: make(chan struct{}), asked: time.Now(), look: Look{Width: 64, Clean: MaxClean}}
		v.now.State = "loading"
		ts.kept[set] = v
		ts.all.Add(1)
		go func() {
			defer ts.all.Done()
			err := act.Guarded("the true view of", set, func() error { return a.keepTrue(ts.life, set, v) })
			ts.mu.Lock()
			delete(ts.kept, set)
			ts.mu.Unlock()
			v.tell(func(t *TrueView) { // who asked at the last moment asks again
				if err != nil {
					t.State, t.Said = "failed", err.Error()
				}
			})
		}()
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	v.asked = time.Now()
	if look.Width > 0 {
		v.look = look
	}
	return v
}

// Close ends what goes on in the background, and waits for it.
func (a *Studio) Close() {
	a.trues.mu.Lock()
	a.trues.over = true
	if a.trues.stop != nil {
		a.trues.stop()
	}
	a.trues.mu.Unlock()
	a.trues.all.Wait()
	a.Library.Close()
}

// tell changes what is told, as a new picture or word.
func (v *trueView) tell(change func(t *TrueView)) {
	v.mu.Lock()
	defer v.mu.Unlock()
	change(&v.now)
	v.now.Number++
	close(v.news)
	v.news = make(chan struct{})
}

// wanted is how wide and how clean it is to be, and whether anybody still asks.
func (v *trueView) wanted() (look Look, ok bool) {
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.look, time.Since(v.asked) < trueLeave
}

// sight is a set as it is to be seen at a moment, and names for what parts of the work depend on.
type sight struct {
	w                   *measure.Snapshot
	things, light, view string
}

// see reads the set as it is.
func (a *Studio) see(ctx context.Context, set string) (s sight, err error) {
	w, err := a.LaidOut(ctx, set)
	if err != nil {
		return s, err
	}
	s.w = w
	var things, lamps []any
	for t := range w.Filmed {
		switch {
		case t.Placement == nil && len(t.Laid.Hung)+len(t.Laid.Air) > 0:
			lamps = append(lamps, t.ID, t.Laid.Key)
		case t.Placement == nil:
			things = append(things, t.ID, t.Laid.Key)
			for _, c := range t.Laid.Counts {
				things = append(things, w.Made(c.Piece))
			}
		default:
			p := t.Placement
			things = append(things, p.ID, w.Made(p.Piece), p.Tint, p.StandIn, p.Size, t.World)
		}
	}
	for _, e := range w.Elements {
		switch {
		case e.Hidden:
		case e.Kind == "material":
			things = append(things, e.Spec)
		case e.Kind == "wear":
			lamps = append(lamps, e.Spec)
		}
	}
	s.things = plain.Name(things...)
	kept := &w.SetRow.ShotSettings
	raw, err := json.Marshal([]any{kept.Light, lamps})
	if err != nil {
		return s, err
	}
	s.light = plain.Name(raw)
	view, err := json.Marshal([]any{kept.View, kept.Finish, kept.Move})
	s.view = plain.Name(view, s.things, s.light)
	return s, err
}

// keepTrue makes a true view again and again, as the set changes, until nobody asks for it.
func (a *Studio) keepTrue(ctx context.Context, set string, v *trueView) error {
	var was sight
	var l *Loaded
	var scene *render.Scene
	s, err := a.see(ctx, set)
	for {
		if err != nil {
			return err
		}
		look, ok := v.wanted()
		if !ok || ctx.Err() != nil {
			return ctx.Err()
		}
		if s.things != was.things || s.light != was.light {
			if l, err = a.loadFilmed(ctx, s.w, true); err != nil {
				return err
			}
			if scene, err = l.Scene(ctx, &s.w.SetRow.Light); err != nil {
				return err
			}
		}
		was = s
		v.mu.Lock()
		v.stage = &setting{s, l, scene}
		v.mu.Unlock()
		s, err = a.makeTrue(ctx, set, v, l, scene, s, look)
	}
}

// prune forgets meshes that nothing shows any more.
func (l *Loaded) prune() {
	used := map[*model.Model]bool{}
	for i := range l.stands {
		used[l.models[l.stands[i].key]] = true
	}
	l.lib.Keep(used)
}

// makeTrue makes one true view, and returns when another is to be made: the set as it is to be seen then.
func (a *Studio) makeTrue(ctx context.Context, set string, v *trueView, l *Loaded, scene *render.Scene, s sight,
	look Look) (next sight, err error) {
	life := ctx
	ctx, other := context.WithCancel(ctx)
	edited := make(chan struct{})
	end := func() (sight, error) {
		other()
		<-edited
		return next, cmp.Or(err, life.Err())
	}
	go func() {
		defer close(edited)
		defer other()
		next, err = a.awaitEdit(ctx, set, v, &s, look)
	}()
	select {
	case a.trues.room <- struct{}{}:
	default:
		v.tell(func(t *TrueView) { t.State, t.Left = "waiting", 0 })
		select {
		case a.trues.room <- struct{}{}:
		case <-ctx.Done():
			return end()
		}
	}
	leave := sync.OnceFunc(func() { <-a.trues.room })
	defer leave()
	kept := s.w.SetRow.ShotSettings
	if err := a.Learned(ctx, kept.Finish); err != nil {
		_, _ = end()
		return s, err
	}
	view := kept.At(0, l.Cast.Where)
	width, clean := look.Width, look.Clean
	height := min(max(int(float64(width)/view.Aspect+0.5), 1), maxTrueSide)
	cam := RenderCamera(&view)
	scene = Falling(scene, &kept.Light, &view, 0)
	if !look.whole() {
		p := look.Part
		width, height = max(int(float64(width)*(p[2]-p[0])+0.5), 1), max(int(float64(height)*(p[3]-p[1])+0.5), 1)
		cam.MidX, cam.MidY = cam.MidX+cam.TanX*(p[0]+p[2]-1), cam.MidY+cam.TanY*(1-p[1]-p[3])
		cam.TanX, cam.TanY = cam.TanX*(p[2]-p[0]), cam.TanY*(p[3]-p[1])
	}
	o := render.Options{Width: width, Height: height, Samples: maxTrueClears, Seed: 1, Bounces: render.DefaultBounces,
		Denoise: true}
	began, due := time.Now(), time.Time{}
	show := func(f *render.Film, state string, noise float64) error {
		picture, err := QuickPNG(f, &view, kept.Finish)
		if err != nil {
			return err
		}
		took := time.Since(began).Seconds()
		last := &exposed{color: slices.Clone(f.Color), w: f.Width, h: f.Height, white: 1 / finish.Scale(view.EV)}
		if len(f.Albedo) == len(f.Color) {
			last.albedo = slices.Clone(f.Albedo)
		}
		ruler := ladder.Of(last.color, last.white)
		v.mu.Lock()
		v.last = last
		v.mu.Unlock()
		v.tell(func(t *TrueView) {
			n := t.Number
			*t = TrueView{Number: n, Revision: s.w.Production.Revision, State: state, Width: f.Width, Height: f.Height,
				Samples: f.Samples, Noise: noise, Clean: clean, Seconds: took, Ruler: &ruler, Part: look.Part,
				PNG:   picture.Bytes(),
				drawn: n + 1}
			if k := noise / clean; state == "refining" && k > 1 {
				t.Left = took * (k*k - 1) // noise falls with the root of the samples
			}
		})
		return nil
	}
	// Small pictures come at once.
	coarse := 4
	if scene.Air != nil { // what is scattered on the way takes its time
		coarse = 6
	}
	for _, k := range []int{coarse, 2} {
		small := o
		small.Width, small.Height, small.Samples, small.Bounces = max(width/k, 1), max(height/k, 1), max(4/k, 1), 2
		if k == 2 { // the first is what the hand waits for, and soon done
			small.Enter = act.GiveWay
		}
		if f, err := render.Render(ctx, scene, &cam, small); err == nil {
			f.Samples = 0
			if err := show(f, "refining", 0); err != nil {
				_, _ = end()
				return s, err
			}
		}
	}
	noise, counted := math.Inf(1), 0
	o.Enter = act.GiveWay
	o.Stop = func(int) bool { return noise <= clean }
	o.Progress = func(n, of int, f *render.Film) {
		library.Samples.Add(int64(max(n-counted, 0)) * int64(f.Width*f.Height))
		counted = n
		told := 0.0
		if x := f.Noise(); x == x {
			noise, told = x, x
		}
		if noise <= clean || n == of || time.Now().Before(due) {
			return
		}
		at := time.Now()
		g := f
		if n < 8 { // half as wide is quicker, and as good as so few samples are
			g = f.Glimpse(true)
			g.Samples = n
		} else {
			f.Show(true)
		}
		if show(g, "refining", told) != nil {
			other()
		}
		due = time.Now().Add(max(trueEvery, 4*time.Since(at)))
	}
	f, broke := render.Render(ctx, scene, &cam, o)
	leave()
	if broke == nil {
		broke = show(f, "clean", noise)
	}
	if broke != nil && ctx.Err() == nil {
		_, _ = end()
		return s, broke
	}
	<-ctx.Done()
	return end()
}

// awaitEdit returns when the set is to be seen in another way than s, in another size, or by nobody any more: how it is
// to be seen then.
func (a *Studio) awaitEdit(ctx context.Context, set string, v *trueView, s *sight, look Look) (sight,
	error) {
	tick := time.NewTicker(trueLook)
	defer tick.Stop()
	known := s.w.Production.Revision
	for {
		select {
		case <-ctx.Done():
			return *s, nil
		case <-tick.C:
		}
		if now, ok := v.wanted(); !ok || now != look {
			return *s, nil
		}
		var revision int64
		err := a.Store.Pool.QueryRow(ctx, revisionOf, set).Scan(&revision)
		if err != nil || revision == known { // while the database is away it stays as it is
			continue
		}
		now, err := a.see(ctx, set)
		if err != nil || now.view != s.view {
			return now, err
		}
		known = revision // the edit was of something that is not seen
		v.tell(func(t *TrueView) { t.Revision = revision })
	}
}
