package shoot

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"

	"visator/app/act"
	"visator/app/cache"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/lay/keep"
	"visator/core/light"
	"visator/core/model"
	"visator/core/plain"
	"visator/core/render"
	"visator/core/surface"
)

// Shown is a thing of a set as it came, and what its surfaces may be made of.
type Shown struct {
	Name   string
	Piece  string // "": of a stand-in, and of what an element is made of
	Linked int    // how many placements and copies show the piece
	Model  *model.Model
	Top    geom.M      // from it to metres about its pivot
	Metres float64     // of a unit of it
	Made   string      // names what its model was made of
	Light  light.State // that the set is seen in
	Worn   []*surface.Worn
	By     map[*surface.Material]string // by which element
}

// Show loads a thing of a set; piece is which, of an element that lays several.
func (a *Studio) Show(ctx context.Context, setID, thing, piece string) (*Shown, error) {
	w, err := a.SnapshotOf(ctx, setID)
	if err != nil {
		return nil, err
	}
	if _, err := w.LayOut(ctx, false); err != nil {
		return nil, err
	}
	l := newLoaded(a)
	if err := l.wear(w); err != nil {
		return nil, err
	}
	var found *assembly.Thing
	for i := range w.Things {
		t := &w.Things[i]
		if t.ID == thing {
			found = t
		}
	}
	if found == nil {
		return nil, act.Wrong("The thing is not there any more, or it is hidden.")
	}
	out := &Shown{Name: found.Name, Light: w.SetRow.Light, Worn: l.worn, By: l.wornBy}
	key := ""
	switch p := found.Placement; {
	case p != nil && p.Piece == "":
		key = "stand-in " + p.Shape()
		err = l.stand(ctx, w, found)
	case p != nil:
		key, out.Piece = p.Piece, p.Piece
		err = l.load(ctx, w, p.Piece, p.Name)
	default:
		for _, c := range found.Laid.Counts {
			if piece == "" && found.Laid.Model == nil || piece == c.Piece {
				key, out.Piece = c.Piece, c.Piece
				err = l.load(ctx, w, c.Piece, found.Name)
				break
			}
		}
		if key == "" && found.Laid.Model != nil {
			key, l.models[thing], l.top[thing] = thing, found.Laid.Model, geom.Identity
		}
	}
	if err != nil {
		return nil, err
	}
	if l.models[key] == nil {
		return nil, act.Wrong("%s is made of nothing that shows.", found.Name)
	}
	out.Linked, out.Model = linked(w, out.Piece), l.models[key]
	out.Top, out.Made = l.top[key], l.of[key]+" "+key
	if key == thing { // made for it alone, by what it says now
		out.Made = fmt.Sprintf("%s at %d", key, w.Production.Revision)
	}
	out.Metres = out.Top.Dir(geom.V{X: 1}).Len()
	return out, nil
}

// linked is how many things of a set show a piece.
func linked(w *measure.Snapshot, piece string) (n int) {
	if piece == "" {
		return 1
	}
	for i := range w.Things {
		t := &w.Things[i]
		if t.Placement != nil {
			if t.Placement.Piece == piece {
				n++
			}
			continue
		}
		for _, c := range t.Laid.Counts {
			if c.Piece == piece {
				n += c.N
			}
		}
	}
	return n
}

// wear reads what surfaces of a set are made of.
func (l *Loaded) wear(w *measure.Snapshot) (err error) {
	if l.worn, l.wornBy, err = keep.Worn(w.Elements); err != nil {
		return err
	}
	l.weathers, err = keep.Weathers(w.Elements)
	return err
}

// Coat is a model whose surfaces are made of what matches, with pictures that are kept; see surface.Coat.
func (a *Studio) Coat(ctx context.Context, m *model.Model, top geom.M, matches []surface.Match, fine float64) (
	*model.Model, error) {
	return surface.Coat(m, top, matches, fine,
		func(hash string) ([]byte, error) { return a.Store.ReadBlob(ctx, hash) })
}

// masks are pictures of wear, by their content: each frame of a move asks for them anew.
var masks = cache.Of("mask of wear", func(m *image.NRGBA) int { return len(m.Pix) })

// mask is the picture of some wear; nil of none.
func (a *Studio) mask(ctx context.Context, m surface.Map) (*image.NRGBA, error) {
	if m.Blob == "" {
		return nil, nil
	}
	return masks.Make(m.Blob, func() (*image.NRGBA, error) {
		data, err := a.Store.ReadBlob(ctx, m.Blob)
		if err != nil {
			return nil, fmt.Errorf("the picture %s of wear: %w", m.Name, err)
		}
		return model.DecodePicture(data, m.Name)
	})
}

// coated is the key of what is shown by a key, made of what it is made of there: as a thing of the set, of a piece, so
// far from the lens.
func (l *Loaded) coated(ctx context.Context, key, thing, piece string, far float64) (string, error) {
	matches := surface.Matching(l.worn, thing, piece)
	if len(matches) == 0 {
		return key, nil
	}
	name, fine := key+" of "+plain.Name(matches), l.near.fine(far)
	if slices.ContainsFunc(matches, func(m surface.Match) bool { return m.Relief != 0 }) {
		name += fmt.Sprintf(" to %g m", fine)
	}
	l.top[name], l.of[name] = l.top[key], l.of[key]
	if l.models[name] != nil || l.again(name, key) {
		return name, nil
	}
	m, err := l.a.Coat(ctx, l.models[key], l.top[key], matches, fine)
	l.models[name] = m
	return name, err
}

// Seen is a surface in the working view's picture.
type Seen struct {
	Thing, Name, Surface string
	Color                geom.V // on the mean where it is seen
	Rays                 int
}

// Survey is what is seen in the working view's picture.
type Survey struct {
	Seen       []Seen
	Wide, High int
	At         []int  // for each ray, row by row, which of Seen it meets; -1: none
	Through    []byte // and which share of its light the air leaves, of 255
	Scene      *render.Scene
	Camera     render.Camera
	EV         float64
}

// Survey looks at the working view's picture by so many rays along its width: what they meet, without its light.
func (a *Studio) Survey(ctx context.Context, setID string, wide int) (*Survey, error) {
	st, _, err := a.staged(ctx, setID)
	if err != nil {
		return nil, err
	}
	v := &st.s.w.SetRow.View
	s := &Survey{Wide: wide, High: max(int(float64(wide)/v.Aspect+0.5), 1), Scene: st.scene, Camera: RenderCamera(v),
		EV: v.EV}
	sharp := s.Camera
	sharp.LensRadius = 0
	type key struct {
		id      uint32
		surface string
	}
	known := map[key]int{}
	for y := range s.High {
		for x := range s.Wide {
			px, py := (float64(x)+0.5)/float64(s.Wide), (float64(y)+0.5)/float64(s.High)
			f, ok := s.Scene.Find(sharp.Ray(px, py, 0.5, 0.5))
			i, n := int(f.ID)-1, -1
			if ok && i >= 0 && i < len(st.l.stands) {
				var there bool
				if n, there = known[key{f.ID, f.Surface}]; !there {
					n = len(s.Seen)
					known[key{f.ID, f.Surface}] = n
					t := &st.l.stands[i]
					s.Seen = append(s.Seen, Seen{Thing: t.id, Name: t.name, Surface: f.Surface})
				}
				c := &s.Seen[n]
				c.Color, c.Rays = c.Color.Add(f.Base), c.Rays+1
			}
			s.At, s.Through = append(s.At, n), append(s.Through, byte(math.Round(255*min(max(f.Through, 0), 1))))
		}
	}
	for i := range s.Seen {
		s.Seen[i].Color = s.Seen[i].Color.Mul(1 / float64(s.Seen[i].Rays))
	}
	return s, nil
}
