package shoot

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/air"
	"visator/core/assembly"
	"visator/core/document"
	"visator/core/footage"
	"visator/core/geom"
	"visator/core/lamp"
	"visator/core/layers"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/render"
	"visator/core/rig"
	"visator/core/sizing/kinds"
	"visator/core/sky"
	"visator/core/stage"
	"visator/core/subdivide"
	"visator/core/surface"
	"visator/store"
)

// loaded is a set with its models in memory.
type Loaded struct {
	a        *Studio
	stands   []loadedThing
	lamps    []hungLamp
	models   map[string]*model.Model      // by key
	of       map[string]string            // what the model of a piece was made of, by key
	top      map[string]geom.M            // from the model to metres about the pivot
	lib      render.Library               // their meshes
	before   *Loaded                      // whose models of pieces are taken again where they are the same; nil: none
	set      string                       // by its id
	bare     *render.Scene                // of what stands, as it stands; nil before it was made
	after    *render.Scene                // what stood before, from which it goes on; nil: it is made from nothing
	Cast     *stage.Cast                  // what stands, as the shot's move moves it
	Groups   []ShareGroup                 // of the lamps that burn
	air      []air.Part                   // of bodies of fog
	plants   map[string]bool              // by name, whether wind bends it
	worn     []*surface.Worn              // what surfaces of the set are made of
	wornBy   map[*surface.Material]string // by which element
	weathers []surface.Wear
	near     nearness
	smooth   map[string]*subdivide.Smooth // of pieces that are smoother near the lens, by key; nil: of others
}

// falling is a scene with what falls before a camera, t seconds into a shot.
func Falling(s *render.Scene, ls *light.State, v *optics.View, t float64) *render.Scene {
	f, of := ls.Drops(v.Eye, v.Open(), t)
	if f == nil {
		return s
	}
	return s.Falling(f, of)
}

// loadedThing is a model standing in the set: a placement, what an element is
// made of, or one of the pieces that an element lays.
type loadedThing struct {
	id     string // of the placement or the element
	groups []string
	key    string
	name   string
	place  geom.M  // from metres about the pivot to the set
	bends  float64 // how high it is, if wind bends it
	piece  string  // by name; "": of none
	layer  string  // of the set; "": none
}

// hungLamp is a lamp of the set.
type hungLamp struct {
	id, name string // of the element; of a fixture with the thing that carries it
	of       string // what it rides with
	light.Lamp
}

// loadScene reads what is seen of a set, with its models.
func (a *Studio) loadScene(ctx context.Context, set *store.Set) (*Loaded, error) {
	w, err := a.SnapshotOf(ctx, set.ID)
	if err != nil {
		return nil, err
	}
	return a.LoadAs(ctx, w, set.ShotSettings)
}

// LoadAs reads the models of what a shot, which may not be the working one, sees of a set.
func (a *Studio) LoadAs(ctx context.Context, w *measure.Snapshot, s stage.ShotSettings) (*Loaded, error) {
	w.SetRow.ShotSettings = s
	if _, err := w.LayOut(ctx, false); err != nil {
		return nil, err
	}
	return a.loadFilmed(ctx, w, false)
}

// SnapshotOf reads a set as it is.
func (a *Studio) SnapshotOf(ctx context.Context, setID string) (w *measure.Snapshot, err error) {
	err = a.Store.View(ctx, func(tx pgx.Tx) (err error) {
		w, err = a.Snapshot(ctx, tx, setID)
		return err
	})
	return w, err
}

// loadFilmed reads the models of what stands before the lens of a set that is laid out. Those that were loaded
// before, where they are the same, are taken again, and so is what was built of them where all stands as it stood; if
// it is to be quick, also where a few things stand otherwise.
func (a *Studio) loadFilmed(ctx context.Context, w *measure.Snapshot, quick bool) (*Loaded, error) {
	before, _ := readies.Get(w.SetRow.ID)
	l := newLoaded(a)
	l.set, l.Cast = w.SetRow.ID, w.Cast(w.SetRow.Move)
	l.near = nearOf(w)
	if err := l.wear(w); err != nil {
		return nil, err
	}
	if l.before = before; before != nil {
		l.lib = before.lib.Clone()
	}
	for t := range w.Filmed {
		if err := l.stand(ctx, w, t); err != nil {
			return nil, err
		}
	}
	if l.before = nil; before != nil {
		l.follow(before, quick)
	}
	return l, nil
}

func newLoaded(a *Studio) *Loaded {
	l := &Loaded{a: a, models: map[string]*model.Model{}, of: map[string]string{}, top: map[string]geom.M{},
		plants: map[string]bool{}, smooth: map[string]*subdivide.Smooth{}}
	if a != nil && a.kept != nil {
		l.lib.Kept = a.kept
	}
	return l
}

// stand adds a thing.
func (l *Loaded) stand(ctx context.Context, w *measure.Snapshot, t *assembly.Thing) error {
	if t.Placement == nil {
		return l.standLaid(ctx, w, t)
	}
	p := t.Placement
	if p.Piece == "" {
		key := "stand-in " + p.Shape()
		if l.top[key], l.of[key] = geom.Identity, key; l.models[key] == nil && !l.again(key, key) {
			l.models[key] = stage.ShapeModel(p.Shape())
		}
		at := assembly.StandInWorld(p)
		key, err := l.coated(ctx, key, p.ID, "", l.near.far(l.models[key].Bounds().Apply(at)))
		if err != nil {
			return err
		}
		l.stands = append(l.stands, loadedThing{p.ID, t.Groups, key, p.Name, at, 0, p.Shape(), t.Layer})
		return nil
	}
	if err := l.load(ctx, w, p.Piece, p.Name); err != nil {
		return err
	}
	far := l.near.far(w.Box(p.Piece).Apply(t.World))
	key, err := l.smoother(w.PieceOf[p.Piece], p.Piece, far)
	if err != nil {
		return err
	}
	if p.Tint != "" {
		plain := key
		key += p.Tint
		if l.top[key] = l.top[p.Piece]; l.models[key] == nil && !l.again(key, p.Piece) {
			l.models[key] = tinted(l.models[plain], p.Tint)
		}
	}
	if key, err = l.coated(ctx, key, p.ID, p.Piece, far); err != nil {
		return err
	}
	l.stands = append(l.stands, loadedThing{p.ID, t.Groups, key, p.Name, t.World,
		l.bent(w, p.Piece, p.Bends, p.Scale.Y), w.PieceOf[p.Piece].Name, t.Layer})
	return nil
}

// standLaid adds what an element is made of and what it lays.
func (l *Loaded) standLaid(ctx context.Context, w *measure.Snapshot, t *assembly.Thing) error {
	if t.Laid.Model != nil {
		if l.top[t.ID], l.of[t.ID] = geom.Identity, t.Laid.Key; !l.again(t.ID, t.ID) {
			l.models[t.ID] = t.Laid.Model
		}
		key, err := l.coated(ctx, t.ID, t.ID, "", l.near.far(t.Laid.Model.Bounds()))
		if err != nil {
			return err
		}
		l.stands = append(l.stands, loadedThing{t.ID, nil, key, t.Name, geom.Identity, 0, t.Kind, t.Layer})
	}
	l.air = append(l.air, t.Laid.Air...)
	for _, h := range t.Laid.Hung {
		l.lamps = append(l.lamps, hungLamp{light.Carried(t.ID, h.Of), t.Name, cmp.Or(h.Of, t.ID), h.Lamp})
	}
	for k := range t.Laid.Instances {
		in := &t.Laid.Instances[k]
		if err := l.load(ctx, w, in.Piece, t.Name); err != nil {
			return err
		}
		at := in.World()
		far := l.near.far(w.Box(in.Piece).Apply(at))
		key, err := l.smoother(w.PieceOf[in.Piece], in.Piece, far)
		if err != nil {
			return err
		}
		if key, err = l.coated(ctx, key, t.ID, in.Piece, far); err != nil {
			return err
		}
		l.stands = append(l.stands, loadedThing{t.ID, nil, key, t.Name, at,
			l.bent(w, in.Piece, "", float64(in.Scale)), w.PieceOf[in.Piece].Name, t.Layer})
	}
	return nil
}

// bent is how high a piece stands at a scale, if wind bends it: as its placement says, or what it is called.
func (l *Loaded) bent(w *measure.Snapshot, piece, says string, scale float64) float64 {
	p := w.PieceOf[piece]
	if says == "no" || says != "yes" && (p == nil || !l.plant(p.Name)) {
		return 0
	}
	return w.Box(piece).Size().Y * scale
}

// plant says whether what is called so is one; names are looked up once.
func (l *Loaded) plant(name string) bool {
	is, known := l.plants[name]
	if !known {
		is = kinds.Bends(name)
		l.plants[name] = is
	}
	return is
}

// load reads the model of a piece, once; of is what needs it.
func (l *Loaded) load(ctx context.Context, w *measure.Snapshot, piece, of string) error {
	if l.models[piece] != nil {
		return nil
	}
	row := w.PieceOf[piece]
	if row == nil { // taken out of the library, but still standing
		p, err := store.GetPiece(ctx, l.a.Store.Pool, piece)
		if err != nil {
			return fmt.Errorf("%s: its piece: %w", of, err)
		}
		row = &p
	}
	f, s, err := measure.PieceFacts(row)
	if err != nil {
		return err
	}
	if levels, light := w.Lightness(piece); light > 0 && light < len(levels) {
		lighter := *row
		lighter.Blob = levels[light].Blob // the piece itself stays in the library
		row = &lighter
	}
	l.top[piece], l.of[piece] = s.Transform(f.Box()), row.Blob
	if l.again(piece, piece) {
		return nil
	}
	l.models[piece], err = l.a.PieceModel(ctx, row)
	return err
}

// again takes a model that shows a piece from before, where the piece is the same.
func (l *Loaded) again(key, piece string) bool {
	if l.before == nil || l.before.of[piece] != l.of[piece] || l.before.models[key] == nil {
		return false
	}
	l.models[key] = l.before.models[key]
	return true
}

// tinted is a model whose colours are multiplied by a tint; meshes and maps are
// shared.
func tinted(m *model.Model, tint string) *model.Model {
	out := *m
	c := light.Hex(tint)
	out.Surfaces = append([]model.Surface{}, m.Surfaces...)
	for i := range out.Surfaces {
		b := &out.Surfaces[i].BaseColor
		b[0], b[1], b[2] = b[0]*c.X, b[1]*c.Y, b[2]*c.Z
	}
	return &out
}

// Called is what things are called in the layers of a picture, by object ID.
func (l *Loaded) Called() []layers.Called {
	of := func(name func(t *loadedThing) string) func(uint32) string {
		return func(object uint32) string {
			if i := int(object) - 1; i >= 0 && i < len(l.stands) {
				return name(&l.stands[i])
			}
			return ""
		}
	}
	return []layers.Called{
		{Kind: "Thing", Of: of(func(t *loadedThing) string { return cmp.Or(t.name, t.id) })},
		{Kind: "Piece", Of: of(func(t *loadedThing) string { return t.piece })},
		{Kind: "Layer", Of: of(func(t *loadedThing) string { return cmp.Or(t.layer, "no layer") })},
	}
}

// build makes the scene of stands in a light.
func (l *Loaded) build(ctx context.Context, stands []loadedThing, ls *light.State) (*render.Scene, error) {
	s, err := l.structure(ctx, stands, nil)
	if err != nil {
		return nil, err
	}
	return l.illuminate(ctx, s, ls)
}

// structure makes the scene of stands, with the light that they bring, after what stood before if that is not nil.
// Object IDs count what stands from 1.
func (l *Loaded) structure(ctx context.Context, stands []loadedThing, after *render.Scene) (*render.Scene, error) {
	s := &render.Scene{}
	l.lib.Threads = 2
	ordinal := map[string]int{} // how many of a thing stand already
	for i := range stands {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		t := &stands[i]
		world := t.place.Mul(l.top[t.key])
		first := len(s.Instances)
		if err := s.Place(&l.lib, l.models[t.key], world, func(int) uint32 { return uint32(i + 1) }); err != nil {
			return nil, fmt.Errorf("%s: %w", t.name, err)
		}
		for k := first; k < len(s.Instances); k++ {
			s.Instances[k].Seed = surface.SeedOf(t.id, ordinal[t.id])
		}
		ordinal[t.id]++
		s.PlaceLights(l.models[t.key], world)
	}
	s.BuildAfter(after)
	return s, nil
}

// illuminate is a scene with the set's lamps, sun and sky.
func (l *Loaded) illuminate(ctx context.Context, s *render.Scene, ls *light.State) (*render.Scene, error) {
	burning, lamps, names, err := l.tracedLamps()
	if err != nil {
		return nil, err
	}
	l.Groups = make([]ShareGroup, len(names))
	for i, name := range names {
		l.Groups[i].Name = name
	}
	for i := range lamps {
		g := &l.Groups[lamps[i].Group]
		g.Lamps, g.Tints = append(g.Lamps, burning[i].id), append(g.Tints, burning[i].Tint)
	}
	suns := rig.Suns(ls)
	env, err := rig.Sky(ls, l.a.SkyFrom(ctx, ls.Panorama))
	if err != nil {
		return nil, err
	}
	out := s.Relit(lamps, suns, env, l.medium(ls))
	for _, wear := range l.weathers {
		on, err := l.numbered(wear.Only)
		if err != nil {
			return nil, err
		}
		mask, err := l.a.mask(ctx, wear.Map)
		if err != nil {
			return nil, err
		}
		out.Weathers = append(out.Weathers, wear.Ready(on, mask))
	}
	out.Behind, err = rig.Behind(ls, env, l.a.SkyFrom(ctx, ls.Picture))
	return out, err
}

// SkyFrom reads the picture of a sky by its blob.
func (a *Studio) SkyFrom(ctx context.Context, blob string) rig.Picture {
	return func() (pix []float32, w, h int, err error) {
		p, err := a.SkyPicture(ctx, blob)
		if err != nil {
			return nil, 0, 0, err
		}
		return p.Pix, p.W, p.H, nil
	}
}

// medium is the air of a light with the bodies of fog of the set; nil where all is clear.
func (l *Loaded) medium(ls *light.State) *air.Air {
	parts := append(ls.Weather.Parts(), l.air...)
	if len(parts) == 0 {
		return nil
	}
	return &air.Air{Parts: parts}
}

// numbered are the object IDs of things, of which groups may be; nil of none.
func (l *Loaded) numbered(ids document.Names) (map[uint32]bool, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	out := map[uint32]bool{}
	for i := range l.stands {
		if t := &l.stands[i]; slices.Contains(ids, t.id) ||
			slices.ContainsFunc(t.groups, func(g string) bool { return slices.Contains(ids, g) }) {
			out[uint32(i+1)] = true
		}
	}
	return out, nil
}

// tracedLamps are those that burn as the renderer has them, with the names of their groups.
func (l *Loaded) tracedLamps() (burning []hungLamp, lamps []lamp.Lamp, groups []string, err error) {
	burning = l.burning()
	list := make([]rig.Burning, len(burning))
	for i := range burning {
		list[i] = rig.Burning{Name: burning[i].name, Lamp: &burning[i].Lamp}
	}
	lamps, groups, err = rig.Traced(list, l.numbered)
	return burning, lamps, groups, err
}

// burning are the lamps that give light.
func (l *Loaded) burning() (list []hungLamp) {
	for _, h := range l.lamps {
		if h.Luminous().Max() > 0 {
			list = append(list, h)
		}
	}
	return list
}

// ShareGroup is a kind of light that a take keeps apart.
type ShareGroup struct {
	Name  string   `json:"name"`
	Lamps []string `json:"lamps,omitempty"` // by id, as a shot's light has them
	Tints []string `json:"tints,omitempty"` // of each its filter, as it was rendered
	Kind  string   `json:"kind,omitempty"`  // sun, sky or glow; "": lamps
}

// RenderCamera is the camera of a view.
func RenderCamera(v *optics.View) render.Camera { return footage.Camera(v) }

// airWide is how many pixels wide a picture is of what the air scatters: it is smooth, and worked out step by step.
const airWide = 256

// scattered is what the air of a set scatters along each way to its sky.
func (a *Studio) scattered(set *store.Set, shining []render.Shining, medium *air.Air,
	glow *light.Glow) *sky.Environment {
	eye := set.View.Eye
	pix := make([]float32, 0, 3*airWide*airWide/2)
	for y := range airWide / 2 {
		for x := range airWide {
			d := sky.Toward(x, y, airWide, airWide/2)
			c := set.Light.Through(medium, glow, eye, d, geom.V{})
			for i := range shining {
				h := &shining[i]
				k := medium.Halo(eye, d, math.Inf(1), h.At, h.Along)
				c = c.Add(h.Candela.Times(glow.Albedo()).Mul(k))
			}
			pix = append(pix, float32(c.X), float32(c.Y), float32(c.Z))
		}
	}
	return sky.New(pix, airWide, airWide/2, 1, 0)
}

// Sky is the working light's sky as a small picture for the browser: linear RGB in cd/m², latitude-longitude, turned as
// it will be seen; or what is seen behind from where the camera is. What shines in the air is in it if that is asked
// for, once the set is loaded, or if it is.
func (a *Studio) Sky(ctx context.Context, setID string, behind, shining bool) (pix []float32, w, h int, err error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, 0, 0, act.NotThere(err, "The set")
	}
	s := &Loaded{a: a}
	scene, err := s.Scene(ctx, &set.Light)
	if err != nil {
		return nil, 0, 0, err
	}
	medium := set.Light.Medium()
	glow, foggy := set.Light.AirGlow(set.View.Eye, scene.Env.At)
	w, h = 64, 256 // a two-colour sky needs height, not width
	if set.Light.Sky != "two" {
		w, h = 512, 256
	}
	var scattered *sky.Environment
	if foggy {
		w, h = airWide, airWide/2
		st := a.trues.known(setID)
		if shining {
			if st, _, err = a.staged(ctx, setID); err != nil {
				return nil, 0, 0, err
			}
		}
		var lamps []render.Shining
		if st != nil {
			lamps = st.scene.Shining(true)
		}
		scattered = a.scattered(&set, lamps, medium, &glow)
	}
	seen := func(_, d geom.V) geom.V { return scene.Env.At(d) }
	if behind && scene.Behind != nil {
		w, h, seen = 1024, 512, scene.Behind // it is looked at, and lights nothing
	}
	for y := range h {
		for x := range w {
			d := sky.Toward(x, y, w, h)
			c := seen(set.View.Eye, d)
			if foggy { // as it is seen through the air
				c = c.Mul(medium.Through(set.View.Eye, d, math.Inf(1))).Add(scattered.At(d))
			}
			pix = append(pix, float32(c.X), float32(c.Y), float32(c.Z))
		}
	}
	return pix, w, h, nil
}
