package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"log/slog"
	"math"
	"runtime"
	"runtime/debug"
	"slices"
	"sync"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/lay"
	"visator/core/model"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/stage"
	"visator/store"
)

// world is a set with what is described in it laid out, and everything as it is
// felt. It is of one revision.
type world struct {
	a          *App
	set        store.Set
	production store.Production
	rows       []store.PlacementRow
	elements   []store.ElementRow
	shots      []store.ShotRow
	pieces     map[string]*store.Piece
	looks      map[string]*store.LookLevels
	boxes      map[string]geom.Box     // of pieces, in metres about their pivots
	layers     map[string]*lay.Element // by name

	laid map[string]*laidElement // by element
	many int                     // instances laid by drifts so far
	land *landscape
	made *sync.Map // bodies' names by piece, once asked for
}

// madeBody names what a piece is felt by.
type madeBody struct {
	key   string
	level Level
}

// laidElement is an element with what became of it.
type laidElement struct {
	*lay.Laid
	key  string // names this result: another when anything that it depends on changes
	err  error  // why it cannot be laid out
	body *contact.Body

	counts []pieceCount // its instances, in the order in which their pieces first come
	herd   *herded
}

// herded keeps the tree over the copies of an element, which outlives edits of other
// things.
type herded struct {
	mu   sync.Mutex
	key  string // of the bodies that it was made with
	herd *contact.Herd
}

// herdOf is the tree over what an element lays.
func (w *world) herdOf(ctx context.Context, l *laidElement) (*contact.Herd, error) {
	bodies := make([]*contact.Body, len(l.counts))
	at, key := map[string]uint32{}, make([]any, len(l.counts))
	for i, c := range l.counts {
		b, err := w.body(ctx, c.piece)
		if err != nil {
			return nil, err
		}
		bodies[i], at[c.piece] = b, uint32(i)
		key[i], _, _ = w.bodyKey(c.piece)
	}
	name := nameOf(key...)
	l.herd.mu.Lock()
	defer l.herd.mu.Unlock()
	if l.herd.key == name {
		return l.herd.herd, nil
	}
	which := make([]uint32, len(l.Instances))
	for i := range l.Instances {
		which[i] = at[l.Instances[i].Piece]
	}
	list := l.Instances
	l.herd.key, l.herd.herd = name, contact.NewHerd(len(list), func(i int32) contact.Copy {
		in := &list[i]
		return contact.Copy{Body: bodies[which[i]], At: in.At, Turn: in.Turn, Scale: in.Scale}
	})
	return l.herd.herd, nil
}

// pieceCount is how many instances of a piece an element lays.
type pieceCount struct {
	piece string
	n     int
}

// counted adds how many instances there are of each piece: a drift may have
// millions, and is asked after every edit.
func counted(l *laidElement) *laidElement {
	l.herd = &herded{}
	at := map[string]int{}
	for i := range l.Instances {
		piece := l.Instances[i].Piece
		k, ok := at[piece]
		if !ok {
			k = len(l.counts)
			at[piece] = k
			l.counts = append(l.counts, pieceCount{piece: piece})
		}
		l.counts[k].n++
	}
	return l
}

// landscape is all ground of a set with its paths.
type landscape struct {
	key    string
	fields []*lay.Field
	laid   map[string]*laidElement
}

// world reads a set. Hidden and locked layers have their say on what is in them.
func (a *App) world(ctx context.Context, q store.Querier, setID string) (*world, error) {
	w := &world{a: a, made: &sync.Map{}, pieces: map[string]*store.Piece{}, laid: map[string]*laidElement{}}
	var err error
	if w.set, err = store.GetSet(ctx, q, setID); err != nil {
		return nil, notThere(err, "The set")
	}
	if w.production, err = store.GetProduction(ctx, q, w.set.ProductionID); err != nil {
		return nil, err
	}
	if w.rows, err = store.Placements(ctx, q, setID); err != nil {
		return nil, err
	}
	if w.elements, err = store.Elements(ctx, q, setID); err != nil {
		return nil, err
	}
	if w.shots, err = store.Shots(ctx, q, setID); err != nil {
		return nil, err
	}
	pieces, err := store.Pieces(ctx, q, w.set.ProductionID)
	if err != nil {
		return nil, err
	}
	for i := range pieces {
		w.pieces[pieces[i].ID] = &pieces[i]
	}
	if w.boxes, err = pieceBoxes(pieces); err != nil {
		return nil, err
	}
	looks, err := store.Looks(ctx, q, w.set.ProductionID)
	if err != nil {
		return nil, err
	}
	w.looks = lookByPiece(looks)
	w.layers = layersOf(w.elements, w.set.Hide)
	return w, nil
}

// layersOf are the layers by name; those that a shot does without are hidden.
func layersOf(elements []store.ElementRow, without []string) map[string]*lay.Element {
	out := map[string]*lay.Element{}
	for i := range elements {
		if elements[i].Kind != "layer" {
			continue
		}
		l := &elements[i].Element
		if slices.Contains(without, l.Name) {
			hidden := *l
			hidden.Hidden = true
			l = &hidden
		}
		out[l.Name] = l
	}
	return out
}

// hidden says whether a thing is hidden by itself or by its layer.
func (w *world) hidden(own bool, layer string) bool { return hidden(w.layers, own, layer) }

func hidden(layers map[string]*lay.Element, own bool, layer string) bool {
	l := layers[layer]
	return own || l != nil && l.Hidden
}

// bodies are those of pieces and stand-ins by what they are made of.
type bodies struct {
	mu    sync.Mutex
	kept  map[string]*contact.Body
	count int // triangles
}

// Limits of what is kept to be felt: about 60 bytes a triangle.
const (
	maxFelt     = 8_000_000 // triangles in all
	maxFeltEach = 60_000    // of one piece: its finest level that is no heavier
)

func (b *bodies) get(key string, make func() (*contact.Body, error)) (*contact.Body, error) {
	b.mu.Lock()
	body, ok := b.kept[key]
	b.mu.Unlock()
	if ok {
		return body, nil
	}
	body, err := make()
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.kept == nil || b.count > maxFelt {
		b.kept, b.count = map[string]*contact.Body{}, 0
	}
	b.kept[key] = body
	if body != nil {
		b.count += body.Triangles()
	}
	return body, nil
}

// has says whether a body is at hand.
func (b *bodies) has(key string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	_, ok := b.kept[key]
	return ok
}

// bodyKey names the body of a piece with its sizing, and says from which level
// it is made; "" while it has none.
func (w *world) bodyKey(piece string) (key string, level Level, err error) {
	if m, ok := w.made.Load(piece); ok {
		m := m.(madeBody)
		return m.key, m.level, nil
	}
	defer func() {
		if err == nil {
			w.made.Store(piece, madeBody{key, level})
		}
	}()
	p, look := w.pieces[piece], w.looks[piece]
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

// body is what a placement is felt by; nil while its piece is being made.
func (w *world) body(ctx context.Context, piece string) (*contact.Body, error) {
	key, level, err := w.bodyKey(piece)
	if err != nil || key == "" {
		return nil, err
	}
	return w.a.bodies.get(key, func() (*contact.Body, error) {
		f, s, err := pieceFacts(w.pieces[piece])
		if err != nil {
			return nil, err
		}
		data, err := w.a.Store.ReadBlob(ctx, level.Blob)
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

// standInBody is that of a stand-in of one metre.
func (a *App) standInBody(shape string) *contact.Body {
	b, _ := a.bodies.get("stand-in "+shape, func() (*contact.Body, error) {
		return contact.New(stage.ShapeModel(shape), geom.Identity), nil
	})
	return b
}

// placed is a placement as it is felt; nil when there is nothing to it.
func (w *world) placed(ctx context.Context, p *stage.Placement) (*contact.Placed, error) {
	if p.Piece == "" {
		return contact.Place(w.a.standInBody(p.Shape()), p.World().Mul(geom.Compose(geom.V{}, geom.Q{}, p.StandInScale()))), nil
	}
	b, err := w.body(ctx, p.Piece)
	return contact.Place(b, p.World()), err
}

// isLand says whether a placement is ground that others stand on.
func (w *world) isLand(p *stage.Placement) bool {
	s := boxOf(p, w.boxes).Size().Times(p.Scale)
	return max(s.X, s.Z) > groundSpan
}

func nameOf(parts ...any) string {
	h := sha256.New()
	enc := json.NewEncoder(h)
	for _, p := range parts {
		_ = enc.Encode(p) // of the program's own types
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// stands names where placements stand and what they are.
func (w *world) stands(list []*stage.Placement) string {
	h := sha256.New()
	for _, p := range list {
		key, _, _ := w.bodyKey(p.Piece)
		fmt.Fprint(h, key, p.StandIn, p.Size, p.World())
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// ground is what things are laid on: fields and bodies.
type ground struct {
	fields []*lay.Field
	bodies []*contact.Placed
}

func (g *ground) Under(x, z, from float64) (y float64, n geom.V, ok bool) {
	y = math.Inf(-1)
	for _, f := range g.fields {
		if h, m, on := f.Under(x, z, from); on && h > y {
			y, n, ok = h, m, true
		}
	}
	for _, b := range g.bodies {
		top := min(b.Box.Max.Y+1, from)
		if top <= y || x < b.Box.Min.X || x > b.Box.Max.X || z < b.Box.Min.Z || z > b.Box.Max.Z {
			continue
		}
		if t, m, hit := b.Ray(geom.V{X: x, Y: top, Z: z}, geom.V{Y: -1}, math.Inf(1)); hit && top-t > y {
			if m.Y < 0 {
				m = m.Mul(-1)
			}
			y, n, ok = top-t, m, true
		}
	}
	return y, n, ok
}

// laids keeps what was laid out, by its key: an undo finds again what was there
// before.
type laids struct {
	mu    sync.Mutex
	kept  map[string]weighty
	order []string
	bytes int
	busy  map[string]chan struct{}
}

// weighty is something that is kept, and how many bytes it takes, about.
type weighty interface{ bytes() int }

// maxLaid bounds what is kept, in bytes; what was made last always is.
const maxLaid = 1 << 30

func (l *laidElement) bytes() int {
	n := 2000
	if l.Laid != nil {
		n += 96 * len(l.Instances)
		if l.Model != nil {
			n += 120 * l.Model.Weigh().Triangles
		}
	}
	return n
}

func (l *landscape) bytes() int {
	n := 2000
	for _, f := range l.fields {
		n += 4 * len(f.H)
	}
	for _, e := range l.laid {
		n += e.bytes()
	}
	return n
}

// get makes what is not there, once for all who ask at the same time.
func (l *laids) get(key string, make_ func() weighty) weighty {
	for {
		l.mu.Lock()
		if v, ok := l.kept[key]; ok {
			l.mu.Unlock()
			return v
		}
		wait := l.busy[key]
		if wait == nil {
			if l.kept == nil {
				l.kept, l.busy = map[string]weighty{}, map[string]chan struct{}{}
			}
			l.busy[key] = make(chan struct{})
			l.mu.Unlock()
			return l.fill(key, make_)
		}
		l.mu.Unlock()
		<-wait
	}
}

// fill makes what others may be waiting for, and lets them go on however it ends.
func (l *laids) fill(key string, make_ func() weighty) (v weighty) {
	defer func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		close(l.busy[key])
		delete(l.busy, key)
		if v == nil {
			return
		}
		l.kept[key] = v
		l.order = append(l.order, key)
		l.bytes += v.bytes()
		for l.bytes > maxLaid && len(l.order) > 1 {
			l.bytes -= l.kept[l.order[0]].bytes()
			delete(l.kept, l.order[0])
			l.order = l.order[1:]
		}
	}()
	return make_()
}

// has says whether something is kept under a key.
func (l *laids) has(key string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	_, ok := l.kept[key]
	return ok
}

// laidOut is layOut with an error instead of a panic.
func (w *world) laidOut(ctx context.Context, quick bool) (later []string, err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("laying out a set broke off", "set", w.set.ID, "panic", r, "stack", string(debug.Stack()))
			err = errBroke
		}
	}()
	return w.layOut(ctx, quick)
}

// layOut lays out every element that is seen. With quick, those that take long
// and are not at hand are left for later; they are the ones it returns.
func (w *world) layOut(ctx context.Context, quick bool) (later []string, err error) {
	var lands []*stage.Placement
	for i := range w.rows {
		p := &w.rows[i].Placement
		if !w.hidden(p.Hidden, p.Layer) && w.isLand(p) {
			lands = append(lands, p)
		}
	}
	standing := w.stands(lands)
	g := &ground{}
	for _, p := range lands {
		b, err := w.placed(ctx, p)
		if err != nil {
			return nil, err
		}
		if b != nil {
			g.bodies = append(g.bodies, b)
		}
	}
	if later = w.layLand(g, standing, quick); len(later) > 0 {
		return later, nil
	}
	g.fields = w.land.fields
	for i := range w.elements {
		e := &w.elements[i].Element
		if e.Kind == "room" || e.Kind == "water" || e.Kind == "card" || e.Kind == "line" {
			w.layPlain(ctx, e)
		}
	}
	for i := range w.elements {
		e := &w.elements[i].Element
		switch {
		case w.hidden(e.Hidden, e.Layer):
		case e.Kind == "row":
			if err := w.layRow(ctx, e, g); err != nil {
				return nil, err
			}
		case e.Kind == "drift":
			if !w.layDrift(e, g, standing, quick) {
				later = append(later, e.ID)
			}
		}
	}
	return later, nil
}

// layLand lays out ground and paths together: paths lie on ground, and ground
// goes along with paths.
func (w *world) layLand(on *ground, standing string, quick bool) (later []string) {
	var grounds, paths []*lay.Element
	key := []any{standing}
	heights := 0.0
	for i := range w.elements {
		e := &w.elements[i].Element
		if w.hidden(e.Hidden, e.Layer) || e.Kind != "ground" && e.Kind != "path" {
			continue
		}
		key = append(key, e.ID, e.Spec)
		if e.Kind == "path" {
			paths = append(paths, e)
			continue
		}
		grounds = append(grounds, e)
		if spec, err := e.Read(); err == nil {
			g := spec.(*lay.Ground)
			heights += g.Width / g.Cell * g.Depth / g.Cell
		}
	}
	named := "land " + nameOf(key...)
	if quick && heights > 150_000 && !w.a.laids.has(named) {
		w.land = &landscape{laid: map[string]*laidElement{}}
		for _, e := range append(grounds, paths...) {
			later = append(later, e.ID)
		}
		return later
	}
	w.land = w.a.laids.get(named, func() weighty {
		l := &landscape{key: named, laid: map[string]*laidElement{}}
		own := map[string]*lay.Field{}
		for _, e := range grounds {
			spec, err := e.Read()
			if err != nil {
				l.laid[e.ID] = &laidElement{Laid: &lay.Laid{}, err: err}
				continue
			}
			f := spec.(*lay.Ground).Field()
			own[e.ID] = f
			l.fields = append(l.fields, f)
		}
		here := &ground{l.fields, on.bodies}
		for _, e := range paths {
			spec, err := e.Read()
			if err != nil {
				l.laid[e.ID] = &laidElement{Laid: &lay.Laid{}, err: err}
				continue
			}
			l.laid[e.ID] = felt(&laidElement{Laid: spec.(*lay.Path).Lay(here, l.fields), key: nameOf(named, e.ID)})
		}
		for _, e := range grounds {
			if f := own[e.ID]; f != nil {
				spec, _ := e.Read() // it could be read above
				l.laid[e.ID] = felt(&laidElement{Laid: spec.(*lay.Ground).Lay(f), key: nameOf(named, e.ID)})
			}
		}
		return l
	}).(*landscape)
	for id, l := range w.land.laid {
		w.laid[id] = l
	}
	return nil
}

// felt adds the body of what an element is made of.
func felt(l *laidElement) *laidElement {
	if l.Model != nil {
		l.body = contact.New(l.Model, geom.Identity)
	}
	return counted(l)
}

// layPlain lays out what depends on nothing else than the camera.
func (w *world) layPlain(ctx context.Context, e *lay.Element) {
	if w.hidden(e.Hidden, e.Layer) {
		return
	}
	spec, err := e.Read()
	if err != nil {
		w.laid[e.ID] = &laidElement{Laid: &lay.Laid{}, err: err}
		return
	}
	key := []any{e.Kind, e.Spec}
	if c, ok := spec.(*lay.Card); ok && c.Facing {
		key = append(key, w.set.View.Eye)
	}
	named := nameOf(key...)
	w.laid[e.ID] = w.a.laids.get(named, func() weighty {
		l := &laidElement{key: named}
		switch s := spec.(type) {
		case *lay.Room:
			l.Laid = s.Lay()
		case *lay.Water:
			l.Laid = s.Lay()
		case *lay.Line:
			l.Laid = s.Lay()
		case *lay.Card:
			var picture []byte
			if s.Shape == "picture" {
				if picture, err = w.a.Store.ReadBlob(ctx, s.Picture); err != nil {
					return &laidElement{Laid: &lay.Laid{}, err: fmt.Errorf("%s: its picture: %w", e.Name, err)}
				}
			}
			mime := "image/png"
			if len(picture) > 2 && picture[0] == 0xff && picture[1] == 0xd8 {
				mime = "image/jpeg"
			}
			l.Laid = s.Lay(w.set.View.Eye, picture, mime)
		}
		return felt(l)
	}).(*laidElement)
}

// layRow lays a row on ground, floors and the things beneath it.
func (w *world) layRow(ctx context.Context, e *lay.Element, g *ground) error {
	spec, err := e.Read()
	if err != nil {
		w.laid[e.ID] = &laidElement{Laid: &lay.Laid{}, err: err}
		return nil
	}
	r := spec.(*lay.Row)
	on := &ground{fields: g.fields, bodies: slices.Clone(g.bodies)}
	key := []any{e.Spec, w.land.key}
	if r.Rest {
		box := geom.Empty()
		for _, p := range r.Points {
			box = box.Add(geom.V{X: p.X, Z: p.Z})
		}
		grow := 0.0
		if r.Shape == "circle" {
			grow = box.Size().Len()
		}
		for i := range w.elements {
			o := &w.elements[i].Element
			l := w.laid[o.ID]
			if l == nil || l.body == nil || o.Kind == "line" || o.Kind == "card" { // these carry nothing that stands
				continue
			}
			on.bodies = append(on.bodies, contact.Place(l.body, geom.Identity))
			key = append(key, l.key)
		}
		var beneath []*stage.Placement
		for i := range w.rows {
			p := &w.rows[i].Placement
			if w.hidden(p.Hidden, p.Layer) || w.isLand(p) {
				continue
			}
			b := boxOf(p, w.boxes).Apply(p.World())
			if b.Max.X < box.Min.X-grow || b.Min.X > box.Max.X+grow || b.Max.Z < box.Min.Z-grow || b.Min.Z > box.Max.Z+grow {
				continue
			}
			placed, err := w.placed(ctx, p)
			if err != nil {
				return err
			}
			if placed != nil {
				beneath, on.bodies = append(beneath, p), append(on.bodies, placed)
			}
		}
		key = append(key, w.stands(beneath))
	}
	for _, s := range r.Pieces {
		key = append(key, w.boxes[s.Piece])
	}
	named := nameOf(key...)
	w.laid[e.ID] = w.a.laids.get(named, func() weighty {
		l, err := r.Lay(on, func(piece string) float64 { return w.boxes[piece].Size().X })
		if err != nil {
			return &laidElement{Laid: &lay.Laid{}, err: fmt.Errorf("%s: %w", e.Name, err)}
		}
		return counted(&laidElement{Laid: l, key: named})
	}).(*laidElement)
	return nil
}

// maxDrifted is how many instances the drifts of one set lay together: about a
// gigabyte.
const maxDrifted = 8_000_000

// slowDrift is from how many instances on a drift is laid in the background.
const slowDrift = 30_000

// layDrift lays a drift on ground, beside paths; false when it is to be laid
// later.
func (w *world) layDrift(e *lay.Element, g *ground, standing string, quick bool) bool {
	spec, err := e.Read()
	if err != nil {
		w.laid[e.ID] = &laidElement{Laid: &lay.Laid{}, err: err}
		return true
	}
	d := spec.(*lay.Drift)
	key := []any{e.Spec, w.land.key, standing}
	var seen func(geom.V) bool
	if d.Seen {
		views := w.views()
		key = append(key, views, w.set.Light.Azimuth, w.set.Light.Elevation)
		high := 0.0
		for _, s := range d.Pieces {
			high = max(high, w.boxes[s.Piece].Size().Y*d.SizeMax)
		}
		seen = w.wanted(views, d, high)
	}
	named := nameOf(key...)
	if quick && d.Density*math.Abs(lay.Area(d.Area)) > slowDrift && !w.a.laids.has(named) {
		return false
	}
	w.laid[e.ID] = w.a.laids.get(named, func() weighty {
		for i := range w.elements { // nothing grows on a path
			if o := &w.elements[i].Element; o.Kind == "path" && !w.hidden(o.Hidden, o.Layer) {
				if spec, err := o.Read(); err == nil {
					d.Avoid = append(d.Avoid, spec.(*lay.Path).Covers())
				}
			}
		}
		l, err := d.Lay(g, seen, runtime.GOMAXPROCS(0))
		if err != nil {
			return &laidElement{Laid: &lay.Laid{}, err: fmt.Errorf("%s: %w", e.Name, err)}
		}
		return counted(&laidElement{Laid: l, key: named})
	}).(*laidElement)
	if w.many += len(w.laid[e.ID].Instances); w.many > maxDrifted {
		w.laid[e.ID] = &laidElement{Laid: &lay.Laid{}, err: fmt.Errorf("the drifts of this set lay %d things together, at most %d are drawn; lower a density or hide one", w.many, maxDrifted)}
	}
	return true
}

// moments is how often the views of a move are looked at.
const moments = 9

// views are what the kept shots see, moves at several moments; the working view
// when none is kept.
func (w *world) views() (list []optics.View) {
	for i := range w.shots {
		list = append(list, w.along(&w.shots[i].Kept)...)
	}
	if len(list) == 0 {
		list = append(list, w.set.View)
	}
	return list
}

// along are the views of a shot at several moments of its move.
func (w *world) along(k *stage.Kept) (list []optics.View) {
	if k.Move == nil {
		return []optics.View{k.View}
	}
	cast := w.cast(k.Move)
	for i := range moments {
		list = append(list, k.At(k.Move.Duration()*float64(i)/(moments-1), cast.Where))
	}
	return list
}

// cast is what stands in the set, as a move moves it.
func (w *world) cast(m *motion.Move) *stage.Cast {
	up := w.parents()
	members := make([]stage.Member, 0, len(w.rows)+len(w.elements))
	for i := range w.rows {
		p := &w.rows[i].Placement
		world := p.World()
		b := boxOf(p, w.boxes)
		members = append(members, stage.Member{ID: p.ID, Groups: groupsOf(up, p.Group), Middle: world.Point(b.Center())})
	}
	for id, l := range w.laid {
		if l != nil && l.body != nil {
			members = append(members, stage.Member{ID: id, Middle: l.body.Box.Center()})
		}
	}
	return stage.NewCast(m, members)
}

// groupsOf are a group and all that it is in, the innermost first; up are the
// parents of groups.
func groupsOf(up map[string]string, group string) (list []string) {
	for g := group; g != "" && len(list) < 100; g = up[g] {
		list = append(list, g)
	}
	return list
}

// parents are the groups that groups are in.
func (w *world) parents() map[string]string { return parentsOf(w.elements) }

func parentsOf(elements []store.ElementRow) map[string]string {
	up := map[string]string{}
	for i := range elements {
		if e := &elements[i].Element; e.Kind == "group" {
			if s, err := e.Read(); err == nil {
				up[e.ID] = s.(*lay.Group).Parent
			}
		}
	}
	return up
}

// wanted says whether a thing of a drift is seen by one of the views, or as far
// beside as its margin, or casts a shadow there. high is how tall it is.
func (w *world) wanted(views []optics.View, d *lay.Drift, high float64) func(geom.V) bool {
	sun := lightState(&w.set.Light).ToSun
	eyes := make([]eye, len(views))
	for i := range views {
		eyes[i] = eyeOf(&views[i])
	}
	return func(p geom.V) bool {
		for i := range eyes {
			v := &eyes[i]
			if v.sees(p, d.Margin+high) {
				return true
			}
			if !d.Shadows || sun.Y < 0.02 {
				continue
			}
			// Its shadow lies from its foot to as far as the light falls on.
			tip := geom.V{X: -sun.X, Z: -sun.Z}.Mul(high / sun.Y)
			for k := 1; k <= 4; k++ {
				if v.sees(p.Add(tip.Mul(float64(k)/4)), d.Margin) {
					return true
				}
			}
		}
		return false
	}
}

// eye is the pyramid that a view sees.
type eye struct {
	inv    geom.M
	tx, ty float64
	far    float64
}

func eyeOf(v *optics.View) eye {
	inv, tx, ty := v.Upright()
	return eye{inv, tx, ty, v.Far}
}

// sees says whether a place is in the picture, or at most margin metres beside
// the pyramid of what it sees.
func (e *eye) sees(p geom.V, margin float64) bool {
	q := e.inv.Point(p)
	depth := -q.Z
	if depth < -margin || depth > e.far+margin {
		return false
	}
	// Distance to the side planes through the lens.
	return (math.Abs(q.X)-depth*e.tx)/math.Hypot(1, e.tx) <= margin && (math.Abs(q.Y)-depth*e.ty)/math.Hypot(1, e.ty) <= margin
}
