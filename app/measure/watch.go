package measure

import (
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"visator/app/act"
	"visator/app/cache"
	"visator/core/contact"
	"visator/core/geom"
	"visator/core/sizing/kinds"
	"visator/core/snag"
	"visator/core/unit"
	"visator/store"
)

// watches measure the sets that are looked at, each in the background, so that
// no hand waits for it; a few at a time.
type watches struct {
	mu   sync.Mutex
	kept map[string]*watch
	room chan struct{} // one for each that is being measured
	all  sync.WaitGroup
	over bool // nothing is begun any more
	stop context.CancelFunc
	life context.Context
}

// maxMeasured is how many sets are measured at a time: one uses all processors.
const maxMeasured = 1

// watch is what is known about how one set stands.
type watch struct {
	mu      sync.Mutex
	again   bool
	asked   int // how often
	running bool
	since   time.Time          // when what is measured now was begun
	cut     context.CancelFunc // stops it
	waits   time.Time          // since when it is behind; zero when it is not
	broke   int                // how often in a row it broke off
	used    time.Time
	result  *Result

	// Of the one who measures:
	contacts snag.Contacts
	placed   map[string]*snag.Solid
	framed   map[string][]snag.Snag // of shots, by all that they depend on
	grown    map[string]int         // how many things of a drift grow through a thing, by both
}

// Result is the outcome for one revision.
type Result struct {
	Revision int64       `json:"revision"`
	Snags    []snag.Snag `json:"-"`
	Solids   int         `json:"solids"` // things that were measured
	Took     float64     `json:"took"`   // seconds
	Failed   string      `json:"failed"` // why it could not be measured; what is told is of before then

	Savings []Saving     `json:"-"`
	Things  []snag.Solid `json:"-"` // as they stood then
	World   *Snapshot    `json:"-"`
}

// maxWatches bounds the sets that are remembered.
const maxWatches = 8

func (ws *watches) of(set string) *watch {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	if ws.kept == nil {
		ws.kept = map[string]*watch{}
	}
	w := ws.kept[set]
	if w == nil {
		w = &watch{placed: map[string]*snag.Solid{}, framed: map[string][]snag.Snag{}, grown: map[string]int{}}
		ws.kept[set] = w
	}
	w.used = time.Now()
	for len(ws.kept) > maxWatches {
		oldest := ""
		for id, o := range ws.kept {
			if oldest == "" || o.used.Before(ws.kept[oldest].used) {
				oldest = id
			}
		}
		delete(ws.kept, oldest)
	}
	return w
}

// seen is the newest outcome; nil before the first.
func (w *watch) seen() *Result {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.result
}

// Last is the newest outcome of a set; nil before the first.
func (a *Sets) Last(set string) *Result { return a.watches.of(set).seen() }

// How long an edit lets what is being measured go on: an edit stops what was
// measured for the one before, unless that has already waited for so long. A set on
// which many hands work is measured too.
const patient = 5 * time.Second

// Watch has a set measured in the background. What is under way is stopped, since it
// is of a revision that is no more.
func (a *Sets) Watch(set string) {
	w := a.watches.of(set)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.again = true
	w.asked++
	if w.waits.IsZero() {
		w.waits = time.Now()
	}
	if w.running {
		if w.cut != nil && time.Since(w.waits) < patient {
			w.cut()
		}
		return
	}
	if !a.watches.begin() {
		return
	}
	w.running = true
	go func() {
		defer a.watches.all.Done()
		act.GiveWay() // hands and pages come first
		a.watch(set, w)
	}()
}

// begin counts one more that measures; false when the App ends.
func (ws *watches) begin() bool {
	ws.mu.Lock()
	defer ws.mu.Unlock()
	if ws.over {
		return false
	}
	if ws.life == nil {
		ws.room = make(chan struct{}, maxMeasured)
		ws.life, ws.stop = context.WithCancel(context.Background())
	}
	ws.all.Add(1)
	return true
}

// Close ends what goes on in the background, and waits for it.
func (a *Sets) Close() {
	ws := &a.watches
	ws.mu.Lock()
	ws.over = true
	if ws.stop != nil {
		ws.stop()
	}
	ws.mu.Unlock()
	ws.all.Wait()
}

// watch measures a set until it is measured as it is.
func (a *Sets) watch(set string, w *watch) {
	life := a.watches.life
	for {
		select {
		case a.watches.room <- struct{}{}:
		case <-life.Done():
		}
		w.mu.Lock()
		if !w.again || life.Err() != nil {
			w.running = false
			asked := w.asked
			w.mu.Unlock()
			if life.Err() == nil {
				<-a.watches.room
				a.drawAtRest(life, set, w, asked)
			}
			return
		}
		ctx, cut := context.WithTimeout(life, 10*time.Minute)
		w.again, w.since, w.cut = false, time.Now(), cut
		w.mu.Unlock()
		production, err := a.measureWhole(ctx, set, w)
		cut()
		<-a.watches.room
		w.mu.Lock()
		w.cut = nil
		if err == nil {
			w.broke = 0
			w.waits = time.Time{}
			if w.again {
				w.waits = time.Now()
			}
		}
		w.mu.Unlock()
		if err == nil {
			act.Tell(life, a.Store.Pool, production, "measured")
		}
	}
}

// restful is for how long nothing is done to a set before it is drawn for the next page
// that is opened: a drawing costs more than most edits.
const restful = 3 * time.Second

// drawAtRest draws a set when nothing was done to it for a while; else it is drawn for the
// page that asks.
func (a *Sets) drawAtRest(life context.Context, set string, w *watch, asked int) {
	rest := time.NewTimer(restful)
	defer rest.Stop()
	select {
	case <-rest.C:
	case <-life.Done():
		return
	}
	w.mu.Lock()
	still := w.asked == asked
	w.mu.Unlock()
	if still {
		_ = act.Guarded("drawing a set", set, func() error {
			_, err := a.Sketch(life, set)
			return err
		})
	}
}

// measureWhole measures a set. What breaks off is begun anew once; the second time
// it is told, and not tried again until the next edit.
func (a *Sets) measureWhole(ctx context.Context, set string, w *watch) (production string, err error) {
	production, err = a.recovered(ctx, set, w)
	if !errors.Is(err, act.ErrBroke) {
		return production, err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	// What it goes by may be what it broke at.
	w.contacts, w.placed, w.framed = snag.Contacts{}, map[string]*snag.Solid{}, map[string][]snag.Snag{}
	if w.broke++; w.broke < 2 {
		w.again = true
		return "", err
	}
	s, found := store.GetSet(ctx, a.Store.Pool, set)
	if found != nil {
		return "", found
	}
	p, found := store.GetProduction(ctx, a.Store.Pool, s.ProductionID)
	if found != nil {
		return "", found
	}
	w.result = &Result{Revision: p.Revision,
		Failed: err.Error() + ". Undo what was done last, or hide it, and it is tried again."}
	return p.ID, nil
}

// recovered is measureSet with an error instead of a panic.
func (a *Sets) recovered(ctx context.Context, set string, w *watch) (production string, err error) {
	err = act.Guarded("measuring a set", set, func() (err error) {
		production, err = a.measureSet(ctx, set, w)
		return err
	})
	return production, err
}

// Measured is of which revision a set was measured last, and how many seconds that
// took; 0 before the first time.
func (a *Sets) Measured(set string) (revision int64, seconds float64) {
	if m := a.Last(set); m != nil {
		return m.Revision, m.Took
	}
	return 0, 0
}

// Measure measures a set now, from what is known of it.
func (a *Sets) Measure(ctx context.Context, set string) ([]snag.Snag, error) {
	w := &watch{placed: map[string]*snag.Solid{}, framed: map[string][]snag.Snag{}, grown: map[string]int{}}
	_, err := a.measureSet(ctx, set, w)
	if err != nil {
		return nil, err
	}
	return w.result.Snags, nil
}

// measureSet brings a watch to the set's newest revision.
func (a *Sets) measureSet(ctx context.Context, set string, w *watch) (production string, err error) {
	start := time.Now()
	w.contacts.Enter = act.GiveWay
	var now *Snapshot
	err = a.Store.View(ctx, func(tx pgx.Tx) error {
		now, err = a.Snapshot(ctx, tx, set)
		return err
	})
	if err != nil {
		return "", err
	}
	if _, err := now.LayOut(ctx, false); err != nil {
		return "", err
	}
	solids, err := now.Solids(ctx, w.placed)
	if err != nil {
		return "", err
	}
	if err := w.contacts.Update(ctx, solids); err != nil {
		return "", err
	}
	in := unit.RulerOf(now.Production.Unit)
	list := w.contacts.Find(in, solids)
	list = append(list, now.pictured(in, solids)...)
	grown, err := now.grown(ctx, solids, w.grown)
	if err != nil {
		return "", err
	}
	list = append(list, grown...)
	framed, err := now.framed(ctx, in, w.framed)
	if err != nil {
		return "", err
	}
	list = append(list, framed...)
	slices.SortStableFunc(list, func(x, y snag.Snag) int { return cmp.Compare(x.Kind, y.Kind) })
	savings := now.savings()
	w.mu.Lock()
	defer w.mu.Unlock()
	w.result = &Result{Revision: now.Production.Revision, Snags: list, Solids: len(solids),
		Took: time.Since(start).Seconds(), Savings: savings, Things: solids, World: now}
	return now.Production.ID, nil
}

// maxLaidSolids is how many things of one row are felt one by one.
const maxLaidSolids = 2000

// Solids is everything that is seen, as it is felt. kept are those of before:
// what did not move is taken from there.
func (w *Snapshot) Solids(ctx context.Context, kept map[string]*snag.Solid) ([]snag.Solid, error) {
	list := make([]snag.Solid, 0, len(w.PlacementRows)+len(w.ElementRows))
	type waiting struct {
		at    int
		place func() (*contact.Placed, error)
	}
	var later []waiting
	put := func(s snag.Solid, place func() (*contact.Placed, error)) {
		if old := kept[s.ID]; old != nil && old.Key == s.Key {
			s.Body = old.Body
		} else {
			later = append(later, waiting{len(list), place})
		}
		list = append(list, s)
	}
	if err := w.makeBodies(ctx); err != nil {
		return nil, err
	}
	for t := range w.Seen {
		p := t.Placement
		if p == nil {
			continue
		}
		key, _, err := w.bodyKey(p.Piece)
		if err != nil {
			return nil, err
		}
		s := snag.Solid{ID: p.ID, Name: p.Name, Piece: p.Piece, Group: t.Outermost(), Land: t.Land,
			Wild: wild(w.PieceOf[p.Piece]), StandIn: p.StandIn != "" && p.StandIn != "person",
			Key: standKey(key+p.StandIn, p.Size, p.At, geom.V{X: p.Yaw, Y: p.Pitch, Z: p.Roll}, p.Scale)}
		put(s, func() (*contact.Placed, error) { return w.Felt(ctx, p) })
	}
	for e := range w.Seen {
		l := e.Laid
		if l == nil || e.Kind == "drift" {
			continue
		}
		felt := e.Name
		if len(l.Instances) > maxLaidSolids {
			felt = fmt.Sprintf("%s, of whose %d the first %d are measured", e.Name, len(l.Instances), maxLaidSolids)
		}
		if l.Body != nil && e.Kind != "card" {
			s := snag.Solid{ID: e.ID, Name: e.Name, Key: l.Key, Fixed: true, Land: e.Land, Soft: e.Kind == "water",
				Rope: e.Kind == "line"}
			put(s, func() (*contact.Placed, error) { return contact.Place(l.Body, geom.Identity), nil })
		}
		for k := range l.Instances {
			if k == maxLaidSolids {
				break
			}
			in := &l.Instances[k]
			s := snag.Solid{ID: fmt.Sprintf("%s %d", e.ID, k), Name: fmt.Sprintf("%s, %d", e.Name, k+1),
				Key: fmt.Sprintf("%s %d", l.Key, k), Fixed: true, Piece: in.Piece, Group: e.ID, Row: e.ID,
				RowName: felt,
				Wild:    wild(w.PieceOf[in.Piece])}
			if e.Kind == "room" {
				s.Row = "" // windows that stand in a facade: what does not fit is told of the opening
			}
			put(s, func() (*contact.Placed, error) {
				b, err := w.Body(ctx, in.Piece)
				return contact.Place(b, in.World()), err
			})
		}
	}
	if err := severally(len(later), func(i int) (err error) {
		list[later[i].at].Body, err = later[i].place()
		return cmp.Or(err, ctx.Err())
	}); err != nil {
		return nil, err
	}
	clear(kept)
	for i := range list {
		kept[list[i].ID] = &list[i]
	}
	return list, nil
}

// makeBodies makes the bodies of all pieces that stand in the set, several at a
// time.
func (w *Snapshot) makeBodies(ctx context.Context) error {
	var pieces []string
	had := map[string]bool{}
	for i := range w.Things {
		piece := w.Things[i].Piece()
		if piece == "" || had[piece] {
			continue
		}
		had[piece] = true
		if key, _, err := w.bodyKey(piece); err != nil {
			return err
		} else if key != "" && !bodies.Has(key) {
			pieces = append(pieces, piece)
		}
	}
	return severally(len(pieces), func(i int) error {
		_, err := w.Body(ctx, pieces[i])
		return cmp.Or(err, ctx.Err())
	})
}

// severally does n things on all processors, in runs of neighbours.
func severally(n int, do func(i int) error) error {
	var g errgroup.Group
	g.SetLimit(runtime.NumCPU())
	const run = 8
	for from := 0; from < n; from += run {
		g.Go(func() error {
			return act.Guarded("measuring a thing", "", func() error {
				for i := from; i < min(from+run, n); i++ {
					if err := do(i); err != nil {
						return err
					}
				}
				return nil
			})
		})
	}
	return g.Wait()
}

// standKey is another for every change of where a thing stands and what it is.
func standKey(what string, where ...geom.V) string {
	b := make([]byte, 0, len(what)+24*len(where))
	b = append(b, what...)
	for _, v := range where {
		for _, x := range []float64{v.X, v.Y, v.Z} {
			b = binary.LittleEndian.AppendUint64(b, math.Float64bits(x))
		}
	}
	return string(b)
}

// wildKinds are what grows or lies in soil.
var wildKinds = []string{"tree", "conifer", "sapling", "bush", "hedge", "grass", "flower", "fern", "cactus", "ivy",
	"mushroom", "log", "stump", "branch", "root", "leaf", "rock", "pebble", "cliff", "haystack"}

// wild says whether a piece is a plant or a stone, by its name.
func wild(p *store.Piece) bool {
	if p == nil {
		return false
	}
	known, _ := wilds.Make(p.Name, func() (bool, error) {
		list, _ := kinds.Recognise(p.Name)
		return len(list) > 0 && slices.Contains(wildKinds, list[0].Kind.Name), nil
	})
	return known
}

// wilds are which names are those of plants and stones.
var wilds = cache.Of("wild", func(bool) int { return 300 })

// pictured are the snags that the shots' pictures, the doors and the budget tell.
func (w *Snapshot) pictured(in unit.Ruler, solids []snag.Solid) []snag.Snag {
	views, names := w.Views()
	set := &snag.Set{In: in, Solids: solids, Stands: w.standing(), Views: views, Names: names,
		Kept: len(w.ShotRows) > 0, Floor: w.SetRow.Light.Sky == "two"} // a panorama has a ground of its own
	for e := range w.Seen {
		if e.Laid != nil && len(e.Laid.Swings) > 0 {
			set.Rooms = append(set.Rooms, snag.Room{ID: e.ID, Name: e.Name, Swings: e.Laid.Swings})
		}
	}
	return slices.Concat(snag.Dressed(set), w.unfit(in), w.overBudget())
}

// standing are the visible placements as pictures judge them.
func (w *Snapshot) standing() (list []snag.Stand) {
	for t := range w.Seen {
		if p := t.Placement; p != nil {
			list = append(list, snag.Stand{ID: t.ID, Name: t.Name, Piece: p.Piece, Box: t.Box, World: t.World,
				Yaw: p.Yaw, Pitch: p.Pitch,
				Roll: p.Roll, Scale: math.Cbrt(p.Scale.X * p.Scale.Y * p.Scale.Z), Tint: p.Tint, Land: t.Land})
		}
	}
	return list
}

// FeltNow is everything that is seen in a set as it is felt: what was measured last where
// that is still true.
func (a *Sets) FeltNow(ctx context.Context, w *Snapshot) ([]snag.Solid, error) {
	if m := a.Last(w.SetRow.ID); m != nil && m.World != nil && m.Revision == w.Production.Revision {
		return m.Things, nil
	}
	if _, err := w.LayOut(ctx, false); err != nil {
		return nil, err
	}
	return w.Solids(ctx, map[string]*snag.Solid{})
}

// MeasuringLag is how long the set that waits longest has not been measured as it
// is; 0 when none waits.
func (a *Sets) MeasuringLag() (lag time.Duration) {
	ws := &a.watches
	ws.mu.Lock()
	defer ws.mu.Unlock()
	for _, w := range ws.kept {
		w.mu.Lock()
		if w.running && !w.waits.IsZero() {
			lag = max(lag, time.Since(w.waits))
		}
		w.mu.Unlock()
	}
	return lag
}
