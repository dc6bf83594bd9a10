package assembly

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"runtime"
	"slices"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/photometry"
	"visator/core/plain"
	"visator/core/stage"
)

// Limits of what is laid out.
const (
	maxDrifted = 8_000_000 // instances that the drifts of one set lay together: about a gigabyte
	slowDrift  = 30_000    // from how many instances on a drift is laid in the background
	slowLand   = 150_000   // heights of ground, likewise
)

// LayOut lays out every element that the set itself does not hide, and puts them among
// Things. With quick, those that take long and are not remembered are left for later;
// they are the ones it returns.
func (s *Set) LayOut(ctx context.Context, quick bool) (later []string, err error) {
	if s.laid != nil || s.Things == nil { // what was resolved is laid out once
		s.Resolve()
	}
	s.laid = map[string]*Laid{}
	on, standing, err := s.landed(ctx)
	if err != nil {
		return nil, err
	}
	if later = s.layLand(on, standing, quick); len(later) > 0 {
		return later, nil
	}
	on.fields = s.land.fields
	for _, e := range s.Elements {
		if lay.IsPlain(e.Kind) || e.Kind == "card" {
			s.layPlain(ctx, e)
		}
	}
	for _, e := range s.Elements {
		switch {
		case s.Layers.Hide(e.Hidden, e.Layer):
		case e.Kind == "row":
			if err := s.layRow(ctx, e, on); err != nil {
				return nil, err
			}
		case e.Kind == "lamp":
			s.layLamp(ctx, e, on)
		case e.Kind == "drift":
			if !s.layDrift(e, on, standing, quick) {
				later = append(later, e.ID)
			}
		}
	}
	for _, e := range s.Elements {
		if e.Kind == "fixture" && !s.Layers.Hide(e.Hidden, e.Layer) {
			s.layFixture(ctx, e, on)
		}
	}
	s.addElements()
	return later, nil
}

// landed is the land among the placements, with a name for where it stands.
func (s *Set) landed(ctx context.Context) (on *Ground, standing string, err error) {
	on = &Ground{}
	var lands []*stage.Placement
	for i := range s.Things {
		t := &s.Things[i]
		if !t.Land {
			continue
		}
		lands = append(lands, t.Placement)
		b, err := s.Felt(ctx, t.Placement)
		if err != nil {
			return nil, "", err
		}
		if b != nil {
			on.Bodies = append(on.Bodies, b)
		}
	}
	return on, s.stands(lands), nil
}

// stands names where placements stand and what they are.
func (s *Set) stands(list []*stage.Placement) string {
	h := sha256.New()
	for _, p := range list {
		fmt.Fprint(h, s.Pieces.Key(p.Piece), p.StandIn, p.Size, p.World())
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// Ground is what things are laid on: fields and bodies.
type Ground struct {
	fields []*lay.Field
	Bodies []*contact.Placed
}

// Under is the highest surface beneath a point, at most at height from, with its normal
// turned upwards.
func (g *Ground) Under(x, z, from float64) (y float64, n geom.V, ok bool) {
	y = math.Inf(-1)
	for _, f := range g.fields {
		if h, m, on := f.Under(x, z, from); on && h > y {
			y, n, ok = h, m, true
		}
	}
	for _, b := range g.Bodies {
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

// layLand lays out ground and paths together: paths lie on ground, and ground
// goes along with paths.
func (s *Set) layLand(on *Ground, standing string, quick bool) (later []string) {
	var grounds, paths []*lay.Element
	key := []any{standing}
	heights := 0.0
	for _, e := range s.Elements {
		if s.Layers.Hide(e.Hidden, e.Layer) || e.Kind != "ground" && e.Kind != "path" {
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
	named := "land " + plain.Name(key...)
	if quick && heights > slowLand && !s.Memory.Has(named) {
		s.land = &landscape{laid: map[string]*Laid{}}
		for _, e := range append(grounds, paths...) {
			later = append(later, e.ID)
		}
		return later
	}
	s.land = s.Memory.Get(named, func() Weighty { return landOf(named, grounds, paths, on.Bodies) }).(*landscape)
	for id, l := range s.land.laid {
		s.laid[id] = l
	}
	return nil
}

func landOf(named string, grounds, paths []*lay.Element, bodies []*contact.Placed) *landscape {
	l := &landscape{key: named, laid: map[string]*Laid{}}
	own := map[string]*lay.Field{}
	for _, e := range grounds {
		spec, err := e.Read()
		if err != nil {
			l.laid[e.ID] = failed(err)
			continue
		}
		f := spec.(*lay.Ground).Field()
		own[e.ID] = f
		l.fields = append(l.fields, f)
	}
	here := &Ground{l.fields, bodies}
	for _, e := range paths {
		spec, err := e.Read()
		if err != nil {
			l.laid[e.ID] = failed(err)
			continue
		}
		l.laid[e.ID] = felt(&Laid{Laid: spec.(*lay.Path).Lay(here, l.fields), Key: plain.Name(named, e.ID)})
	}
	for _, e := range grounds {
		if f := own[e.ID]; f != nil {
			spec, _ := e.Read() // it could be read above
			l.laid[e.ID] = felt(&Laid{Laid: spec.(*lay.Ground).Lay(f), Key: plain.Name(named, e.ID)})
		}
	}
	return l
}

// layPlain lays out what depends on nothing else than the camera.
func (s *Set) layPlain(ctx context.Context, e *lay.Element) {
	if s.Layers.Hide(e.Hidden, e.Layer) {
		return
	}
	spec, err := e.Read()
	if err != nil {
		s.laid[e.ID] = failed(err)
		return
	}
	key := []any{e.Kind, e.Spec}
	if c, ok := spec.(*lay.Card); ok && c.Facing {
		key = append(key, s.Kept.View.Eye)
	}
	named := plain.Name(key...)
	s.laid[e.ID] = s.Memory.Get(named, func() Weighty {
		l := &Laid{Key: named}
		switch spec := spec.(type) {
		case lay.Plain:
			l.Laid = spec.Lay()
		case *lay.Card:
			var picture []byte
			if spec.Shape == "picture" {
				var err error
				if picture, err = s.Pieces.Picture(ctx, spec.Picture); err != nil {
					return failed(fmt.Errorf("%s: its picture: %w", e.Name, err))
				}
			}
			mime := "image/png"
			if len(picture) > 2 && picture[0] == 0xff && picture[1] == 0xd8 {
				mime = "image/jpeg"
			}
			l.Laid = spec.Lay(s.Kept.View.Eye, picture, mime)
		}
		return felt(l)
	}).(*Laid)
}

// layLamp lays a lamp over the land beneath it.
func (s *Set) layLamp(ctx context.Context, e *lay.Element, on *Ground) {
	spec, err := e.Read()
	if err != nil {
		s.laid[e.ID] = failed(err)
		return
	}
	l := spec.(*lay.Lamp)
	own := l.Burn()
	l.Lamp = s.Kept.Light.InShot(l.Lamp, e.ID)
	floor := l.Floor(on)
	named := plain.Name(e.Spec, l.On, l.Dim, floor)
	s.laid[e.ID] = s.Memory.Get(named, func() Weighty {
		if err := s.measured(ctx, e, &l.Lamp); err != nil {
			return failed(err)
		}
		laid := l.LayOver(floor)
		laid.Hung[0].Own = own
		return counted(&Laid{Laid: laid, Key: named})
	}).(*Laid)
}

// measured reads the photometric file of a lamp that has one.
func (s *Set) measured(ctx context.Context, e *lay.Element, l *light.Lamp) error {
	if l.Shape != "measured" || l.File == "" {
		return nil
	}
	data, err := s.Pieces.Picture(ctx, l.File)
	if err == nil {
		l.Web, err = photometry.Read(bytes.NewReader(data))
	}
	if err != nil {
		return fmt.Errorf("%s: its photometric file: %w", e.Name, err)
	}
	return nil
}

// layFixture hangs the lamps of a piece wherever it stands: it comes last.
func (s *Set) layFixture(ctx context.Context, e *lay.Element, on *Ground) {
	spec, err := e.Read()
	if err != nil {
		s.laid[e.ID] = failed(err)
		return
	}
	f := spec.(*lay.Fixture)
	var stands []lay.Stand
	add := func(id string, world geom.M) {
		as := s.Kept.Light.InShot(f.Lamp, e.ID, light.Carried(e.ID, id))
		stands = append(stands, lay.Stand{ID: id, World: world, By: math.Cbrt(math.Abs(world.Det3())),
			Out: slices.Contains(f.Out, id), Burn: as.Burn()})
	}
	for i := range s.Things {
		if t := &s.Things[i]; t.Placement != nil && t.Placement.Piece == f.Piece && s.Kept.Shows(t.Layer) &&
			!s.Kept.View.Cut(t.ID) {
			add(t.ID, t.World)
		}
	}
	for _, other := range s.Elements {
		l := s.laid[other.ID]
		if l == nil || l.Laid == nil || other.Kind == "fixture" || !s.Kept.Shows(other.Layer) {
			continue
		}
		for k := range l.Instances {
			if in := &l.Instances[k]; in.Piece == f.Piece && len(stands) <= lay.MaxHung {
				add(fmt.Sprintf("%s#%d", other.ID, k+1), in.World())
			}
		}
	}
	if f.Group == "" {
		f.Group = e.Name // all of a fixture are balanced together
	}
	named := plain.Name(e.Spec, e.Name, stands)
	s.laid[e.ID] = s.Memory.Get(named, func() Weighty {
		if err := s.measured(ctx, e, &f.Lamp); err != nil {
			return failed(err)
		}
		return counted(&Laid{Laid: f.Hang(stands, on), Key: named})
	}).(*Laid)
}

// layRow lays a row on ground, floors and the things beneath it.
func (s *Set) layRow(ctx context.Context, e *lay.Element, g *Ground) error {
	spec, err := e.Read()
	if err != nil {
		s.laid[e.ID] = failed(err)
		return nil
	}
	r := spec.(*lay.Array)
	on := &Ground{fields: g.fields, Bodies: slices.Clone(g.Bodies)}
	key := []any{e.Spec, s.land.key}
	if r.Rest {
		beneath, err := s.beneath(ctx, r, on)
		if err != nil {
			return err
		}
		key = append(key, beneath...)
	}
	for _, share := range r.Pieces {
		key = append(key, s.Pieces.Box(share.Piece))
	}
	named := plain.Name(key...)
	s.laid[e.ID] = s.Memory.Get(named, func() Weighty {
		l, err := r.Lay(on, func(piece string) float64 { return s.Pieces.Box(piece).Size().X })
		if err != nil {
			return failed(fmt.Errorf("%s: %w", e.Name, err))
		}
		return counted(&Laid{Laid: l, Key: named})
	}).(*Laid)
	return nil
}

// beneath adds to on what a row rests on beside the land, and says what names it.
func (s *Set) beneath(ctx context.Context, r *lay.Array, on *Ground) (key []any, err error) {
	box := geom.Empty()
	for _, p := range r.Points {
		box = box.Add(geom.V{X: p.X, Z: p.Z})
	}
	grow := 0.0
	if r.Shape == "circle" {
		grow = box.Size().Len()
	}
	for _, o := range s.Elements {
		l := s.laid[o.ID]
		if l == nil || l.Body == nil || o.Kind == "line" || o.Kind == "card" { // these carry nothing that stands
			continue
		}
		on.Bodies = append(on.Bodies, contact.Place(l.Body, geom.Identity))
		key = append(key, l.Key)
	}
	var under []*stage.Placement
	for i := range s.Things {
		t := &s.Things[i]
		if t.Land {
			continue
		}
		b := t.Box.Apply(t.World)
		if b.Max.X < box.Min.X-grow || b.Min.X > box.Max.X+grow || b.Max.Z < box.Min.Z-grow || b.Min.Z > box.Max.Z+
			grow {
			continue
		}
		placed, err := s.Felt(ctx, t.Placement)
		if err != nil {
			return nil, err
		}
		if placed != nil {
			under, on.Bodies = append(under, t.Placement), append(on.Bodies, placed)
		}
	}
	return append(key, s.stands(under)), nil
}

// layDrift lays a drift on ground, beside paths; false when it is to be laid
// later.
func (s *Set) layDrift(e *lay.Element, g *Ground, standing string, quick bool) bool {
	spec, err := e.Read()
	if err != nil {
		s.laid[e.ID] = failed(err)
		return true
	}
	d := spec.(*lay.Scatter)
	key := []any{e.Spec, s.land.key, standing}
	var seen func(geom.V) bool
	if d.Seen {
		views, _ := s.Views()
		key = append(key, views, s.Kept.Light.Azimuth, s.Kept.Light.Elevation)
		high := 0.0
		for _, share := range d.Pieces {
			high = max(high, s.Pieces.Box(share.Piece).Size().Y*d.SizeMax)
		}
		seen = wanted(views, s.ToSun(), d, high)
	}
	named := plain.Name(key...)
	if quick && d.Density*math.Abs(lay.Area(d.Area)) > slowDrift && !s.Memory.Has(named) {
		return false
	}
	l := s.Memory.Get(named, func() Weighty {
		for _, o := range s.Elements { // nothing grows on a path
			if o.Kind == "path" && !s.Layers.Hide(o.Hidden, o.Layer) {
				if spec, err := o.Read(); err == nil {
					d.Avoid = append(d.Avoid, spec.(*lay.Path).Covers())
				}
			}
		}
		l, err := d.Lay(g, seen, runtime.GOMAXPROCS(0))
		if err != nil {
			return failed(fmt.Errorf("%s: %w", e.Name, err))
		}
		return counted(&Laid{Laid: l, Key: named})
	}).(*Laid)
	if s.count += len(l.Instances); s.count > maxDrifted {
		l = failed(fmt.Errorf("the drifts of this set lay %d things together, at most %d are drawn; lower a density "+
			"or hide one", s.count, maxDrifted))
	}
	s.laid[e.ID] = l
	return true
}
