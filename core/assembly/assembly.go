// Package assembly is a set as it stands: one list of all that is there, resolved from
// placements and described elements. Contact, snags, framing, rendering, paper and
// export read it; none resolves a set by itself. Lengths are metres.
package assembly

import (
	"context"
	"slices"
	"strings"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/stage"
)

// Pieces is what an assembly asks about the models that stand in it.
type Pieces interface {
	// Box is the box of a piece about its pivot; empty while it is not known.
	Box(piece string) geom.Box
	// Key names the body of a piece: another for every change of it; "" while it has none.
	Key(piece string) string
	// Body is what a piece is felt by; nil while it is being made.
	Body(ctx context.Context, piece string) (*contact.Body, error)
	// StandIn is the body of a stand-in of one metre.
	StandIn(shape string) *contact.Body
	// Picture is the content of the picture of a card, or of the photometric file of a lamp.
	Picture(ctx context.Context, hash string) ([]byte, error)
}

// Kinds of things beside those of elements.
const (
	Piece   = "piece"
	StandIn = "stand-in"
)

// Thing is something that stands in a set: a placement, or an element with what it lays.
type Thing struct {
	ID, Name string
	Kind     string   // Piece, StandIn, or that of an element
	Layer    string   // "": none
	Groups   []string // that it is in, the innermost first
	Land     bool     // ground that others stand on
	Plain    bool     // land, water, floor and walls: it has no shape of its own in a picture
	Figure   bool     // a person, or what stands for one

	Placement *stage.Placement // nil of an element
	Box       geom.Box         // of a placement about its pivot, before its scale; empty while it is not known
	World     geom.M           // of a placement: from there to the set

	Element *lay.Element // nil of a placement
	Laid    *Laid        // what became of an element; nil of a placement, and while it is laid out later
}

// Outermost is the group that all others of a thing lie in; "" without one.
func (t *Thing) Outermost() string {
	if len(t.Groups) == 0 {
		return ""
	}
	return t.Groups[len(t.Groups)-1]
}

// In says whether a thing is id, or in the group id.
func (t *Thing) In(id string) bool { return t.ID == id || slices.Contains(t.Groups, id) }

// Piece is whose model a placement shows; "" of a stand-in and of an element.
func (t *Thing) Piece() string {
	if t.Placement == nil {
		return ""
	}
	return t.Placement.Piece
}

// Span is how large a placement is, along its own axes.
func (t *Thing) Span() geom.V { return t.Box.Size().Times(t.Placement.Scale) }

// Set is what a set is resolved from, and what it resolves to. It is of one moment:
// what it was made of must not change any more.
type Set struct {
	Pieces Pieces
	Memory Memory

	Kept       *stage.ShotSettings // the working view, or the shot that it is for
	Shots      []*stage.Shot
	Placements []*stage.Placement
	Elements   []*lay.Element

	// Things are all that the set itself does not hide: placements in their order, and
	// once it is laid out the elements in theirs. What a shot does without is among them.
	Things []Thing
	Layers Layers
	Groups Groups

	laid  map[string]*Laid // by element; nil before it is laid out
	land  *landscape
	count int // instances laid by drifts so far
}

// Resolve fills Things with what is placed, and finds layers and groups.
func (s *Set) Resolve() {
	s.Layers, s.Groups = LayersOf(s.Elements), GroupsOf(s.Elements)
	s.laid, s.land, s.count = nil, nil, 0
	s.Things = make([]Thing, 0, len(s.Placements)+len(s.Elements))
	for _, p := range s.Placements {
		if s.Layers.Hide(p.Hidden, p.Layer) {
			continue
		}
		t := Thing{ID: p.ID, Name: p.Name, Kind: Piece, Layer: p.Layer, Groups: s.Groups.Of(p.Group), Placement: p,
			Box: s.BoxOf(p), World: p.World()}
		if p.StandIn != "" {
			t.Kind = StandIn
		}
		t.Land = wide(t.Span())
		t.Plain, t.Figure = t.Land, p.StandIn == "person" || isFigure(p.Name)
		s.Things = append(s.Things, t)
	}
}

// groundSpan is how wide a thing is that carries others: beyond it, it is land or a
// building and not a prop.
const groundSpan = 30

// IsLand says whether a placement is ground that others stand on.
func (s *Set) IsLand(p *stage.Placement) bool {
	box := s.BoxOf(p)
	return wide(box.Size().Times(p.Scale))
}

func wide(size geom.V) bool { return max(size.X, size.Z) > groundSpan }

// BoxOf is the box of a placement about its pivot, before its own scale.
func (s *Set) BoxOf(p *stage.Placement) geom.Box {
	return p.Box(s.Pieces.Box)
}

// figureNames are words in names of pieces that are people.
var figureNames = []string{"person", "people", "man", "woman", "child", "figure", "traveller", "passenger", "actor",
	"mannequin"}

// isFigure says whether a name is that of a person.
func isFigure(name string) bool {
	for _, word := range strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return r < 'a' || r > 'z' }) {
		if slices.Contains(figureNames, word) {
			return true
		}
	}
	return false
}

// addElements puts what is described behind what is placed.
func (s *Set) addElements() {
	for _, e := range s.Elements {
		l := s.laid[e.ID]
		if l == nil || s.Layers.Hide(e.Hidden, e.Layer) {
			continue
		}
		land := e.Kind == "ground" || e.Kind == "path"
		s.Things = append(s.Things, Thing{ID: e.ID, Name: e.Name, Kind: e.Kind, Layer: e.Layer, Element: e, Laid: l,
			World: geom.Identity,
			Land:  land, Plain: land || e.Kind == "water" || e.Kind == "room"})
	}
}

// Seen visits what the working view, or the shot that the set is for, does not do
// without by its layers.
func (s *Set) Seen(visit func(t *Thing) bool) {
	for i := range s.Things {
		if t := &s.Things[i]; s.Kept.Shows(t.Layer) && !visit(t) {
			return
		}
	}
}

// Filmed visits what stands before the shot's lens: Seen, without what it cuts.
func (s *Set) Filmed(visit func(t *Thing) bool) {
	for t := range s.Seen {
		if !s.Kept.View.Cut(t.ID) && !visit(t) {
			return
		}
	}
}

// Laid is what became of an element; nil when it is hidden, or laid out later.
func (s *Set) Laid(element string) *Laid { return s.laid[element] }

// Felt is a placement as it is felt; nil when there is nothing to it.
func (s *Set) Felt(ctx context.Context, p *stage.Placement) (*contact.Placed, error) {
	return s.stand(ctx, p, contact.Place)
}

// Stood is Felt with a looser box, which is made faster.
func (s *Set) Stood(ctx context.Context, p *stage.Placement) (*contact.Placed, error) {
	return s.stand(ctx, p, contact.Stand)
}

func (s *Set) stand(ctx context.Context, p *stage.Placement,
	how func(*contact.Body, geom.M) *contact.Placed) (*contact.Placed, error) {
	if p.Piece == "" {
		return how(s.Pieces.StandIn(p.Shape()), StandInWorld(p)), nil
	}
	b, err := s.Pieces.Body(ctx, p.Piece)
	return how(b, p.World()), err
}

// StandInWorld is the transform of a stand-in of one metre to the set.
func StandInWorld(p *stage.Placement) geom.M {
	return p.World().Mul(geom.Compose(geom.V{}, geom.Q{}, p.StandInScale()))
}

// ToSun is the way to the sun.
func (s *Set) ToSun() geom.V { return light.Direction(s.Kept.Light.Azimuth, s.Kept.Light.Elevation) }
