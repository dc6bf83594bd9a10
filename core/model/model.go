// Package model is the one in-memory form of a 3D model: every reader fills
// it, every writer reads it. Coordinates stay in the file's own unit and up
// axis as far as Unit and Up say; angles are radians, colours linear Rec.709,
// light photometric (lux, candela).
package model

import (
	"fmt"
	"math"
	"slices"

	"visator/core/geom"
)

// Model is what one file holds.
type Model struct {
	Name      string
	Format    string // "glTF", "GLB", "OBJ"
	Unit      Unit
	Up        Axis
	Nodes     []Node
	Roots     []int // nodes of the scene that is shown
	Meshes    []Mesh
	Surfaces  []Surface
	Maps      []Map
	Cameras   []Camera
	Lights    []Light
	Generator string // the program that wrote the file, as the file says
	Copyright string
	Author    string
	Warnings  []string
	Variants  []string // in which it comes, by name: its surfaces are those of the first unless it is chosen
}

// Unit is the unit of length of the coordinates and how it is known.
type Unit struct {
	Name          string  `json:"name"`
	MetresPerUnit float64 `json:"metresPerUnit"`
	From          string  `json:"from"` // "format", "header" or "assumed"
}

// StatedUnit is a unit of so many metres that a file's header states.
func StatedUnit(metres float64) Unit {
	name := map[float64]string{1: "metre", 0.01: "centimetre", 0.001: "millimetre", 0.0254: "inch",
		0.3048: "foot"}[metres]
	if name == "" {
		name = fmt.Sprintf("%g m", metres)
	}
	return Unit{Name: name, MetresPerUnit: metres, From: "header"}
}

// Axis is the direction that points up: "Y" or "Z" (or "X", rarely).
type Axis string

// Node places a mesh, a camera or a light; None where it has none.
type Node struct {
	Name                string
	Local               geom.M
	Children            []int
	Mesh, Camera, Light int
}

// None is the index of nothing.
const None = -1

// NewNode returns a node that stands at the origin and holds nothing.
func NewNode(name string) Node {
	return Node{Name: name, Local: geom.Identity, Mesh: None, Camera: None, Light: None}
}

// Mesh is a named collection of parts that share one place.
type Mesh struct {
	Name  string
	Parts []Part
}

// Kind is what a part's indices join.
type Kind uint8

const (
	Triangles Kind = iota // three indices a triangle
	Lines                 // two indices a line
	Points                // one index a point
)

// Part is a run of triangles (or lines, or points) with one surface.
type Part struct {
	Name      string
	Kind      Kind
	Positions []float32 // x, y, z per vertex
	Normals   []float32 // x, y, z per vertex, or nil
	UV        []float32 // u, v per vertex (v down, as in glTF), or nil
	UV1       []float32 // the second set, or nil
	Colors    []float32 // r, g, b, a per vertex, linear, or nil
	Indices   []uint32
	Surface   int         // None: the default surface
	Variants  map[int]int // its surface by the number of a variant; where it has none, Surface
}

// Variant is the model in one of the variants in which it comes; unknown names leave it as it is. What does not change
// is shared.
func (m *Model) Variant(name string) *Model {
	at := slices.Index(m.Variants, name)
	if at < 0 {
		return m
	}
	out := *m
	out.Meshes = slices.Clone(m.Meshes)
	for i := range out.Meshes {
		parts := slices.Clone(out.Meshes[i].Parts)
		for k := range parts {
			if s, ok := parts[k].Variants[at]; ok {
				parts[k].Surface = s
			}
		}
		out.Meshes[i].Parts = parts
	}
	return &out
}

// Vertices is the number of vertices of the part.
func (p *Part) Vertices() int { return len(p.Positions) / 3 }

// Triangles is the number of triangles of the part.
func (p *Part) Triangles() int {
	if p.Kind != Triangles {
		return 0
	}
	return len(p.Indices) / 3
}

// Position returns vertex i.
func (p *Part) Position(i uint32) geom.V {
	return geom.V{X: float64(p.Positions[3*i]), Y: float64(p.Positions[3*i+1]), Z: float64(p.Positions[3*i+2])}
}

// Alpha is how a surface treats its opacity.
type Alpha uint8

const (
	Opaque Alpha = iota
	Mask         // cut out below Cutoff
	Blend        // partly see-through
)

// Surface is a physically based material in the metallic-roughness form of
// glTF 2.0. The zero value is not useful; start from DefaultSurface.
type Surface struct {
	Name         string
	BaseColor    [4]float64 // linear, with opacity
	Metallic     float64    // 0..1
	Roughness    float64    // 0..1
	Emissive     [3]float64 // linear; cd/m² when rendered
	NormalScale  float64
	Occlusion    float64 // strength 0..1
	Alpha        Alpha
	Cutoff       float64
	DoubleSided  bool
	Transmission float64 // 0..1
	IOR          float64
	Unlit        bool

	Specular        float64    // strength of what no metal mirrors, 0..1
	SpecularTint    [3]float64 // linear, and its colour seen straight on
	Coat            float64    // of clear lacquer, 0..1
	CoatRoughness   float64
	CoatNormalScale float64
	Sheen           [3]float64 // linear, of fibres
	SheenRoughness  float64
	Brush           float64 // how much wider highlights are along one way, 0..1
	BrushTurn       float64 // radians of that way from the tangent, counter-clockwise
	Film            float64 // thin film, 0..1
	FilmIndex       float64
	FilmLeast       float64    // nanometres where its map is 0; without one FilmMost counts
	FilmMost        float64    // nanometres where it is 1
	Solid           bool       // what goes in is bent, and taken up on its way: a body, not a sheet
	Absorb          [3]float64 // linear colour that is left
	AbsorbOver      float64    // metres after which; 0: nothing is taken up
	Dispersion      float64    // 20 over the Abbe number
	Leaf            float64    // share of what is scattered that leaves on the other side, 0..1
	LeafTint        [3]float64 // linear

	Pattern Pattern
	Bevel   float64 // metres over which hard edges look rounded
	Slots   [SlotCount]Slot
}

// Pattern is how the pictures of a surface lie over many things. No file says it.
type Pattern struct {
	Broken   bool    // they do not repeat: see core/texture
	Apart    bool    // each thing shows another place of them
	World    bool    // they run on from thing to thing: their coordinates are metres of the set
	Seed     uint64  //
	Vary     float64 // by which share the colour is lighter and darker, 0..1
	VaryOver float64 // over so many metres
	Thrown   *Throw  // they are seen as a projector throws them; nil: none does
}

// Patterned reports whether pictures of the model lie, or its edges look, in a way that no file tells.
func (m *Model) Patterned() bool {
	for i := range m.Surfaces {
		s := &m.Surfaces[i]
		p := &s.Pattern
		if p.Broken || p.Apart || p.World || p.Vary > 0 || p.Thrown != nil || s.Bevel > 0 {
			return true
		}
	}
	return false
}

// Throw is how a projector throws a picture onto a set: from a place, with unit vectors to the right and up of its
// picture, and how wide and high that is a metre before it.
type Throw struct {
	From  geom.V  `json:"from"`
	Right geom.V  `json:"right"`
	Up    geom.V  `json:"up"`
	Wide  float64 `json:"wide"`
	High  float64 `json:"high"`
	MidX  float64 `json:"midX"` // the middle of the picture, a metre before it
	MidY  float64 `json:"midY"`
}

// At is where a place lies in the picture, of which 0 to 1 is seen, right and down; what is behind the projector lies
// as if it were before it.
func (t *Throw) At(p geom.V) (u, v float64) {
	d := p.Sub(t.From)
	far := max(math.Abs(d.Dot(t.Up.Cross(t.Right))), 1e-9)
	return 0.5 + (d.Dot(t.Right)/far-t.MidX)/t.Wide, 0.5 - (d.Dot(t.Up)/far-t.MidY)/t.High
}

// DefaultSurface is glTF's default material.
func DefaultSurface() Surface {
	one := [3]float64{1, 1, 1}
	s := Surface{BaseColor: [4]float64{1, 1, 1, 1}, Metallic: 1, Roughness: 1, NormalScale: 1, Occlusion: 1,
		Cutoff: 0.5, IOR: 1.5, Specular: 1, SpecularTint: one, CoatNormalScale: 1, FilmIndex: 1.3, FilmLeast: 100,
		FilmMost: 400, Absorb: one, LeafTint: one}
	for i := range s.Slots {
		s.Slots[i] = EmptySlot
	}
	return s
}

// Role is what a map says about a surface; it is also the index of its slot.
type Role int

const (
	BaseColorMap  Role = iota
	MetalRoughMap      // roughness in green, metallic in blue
	NormalMap
	OcclusionMap
	EmissiveMap
	TransmissionMap
	OpacityMap   // from OBJ: grey, multiplies the opacity
	RoughnessMap // from OBJ: grey
	MetallicMap  // from OBJ: grey
	HeightMap    // becomes relief where a material of the set says how high
	SpecularMap  // strength in alpha
	SpecularTintMap
	CoatMap           // in red
	CoatRoughnessMap  // in green
	CoatNormalMap     // the lacquer's own
	SheenMap          // colour
	SheenRoughnessMap // in alpha
	BrushMap          // the way in red and green, strength in blue
	FilmMap           // in red
	FilmThicknessMap  // in green
	LeafMap           // in alpha
	LeafTintMap
	SlotCount
)

var roleNames = [...]string{"base colour", "metallic-roughness", "normal", "occlusion", "emissive", "transmission",
	"opacity", "roughness", "metallic", "height", "specular", "specular colour", "coat", "coat roughness",
	"coat normal", "sheen", "sheen roughness", "brushed", "film", "film thickness", "leaf", "leaf colour"}

func (r Role) String() string {
	if r < 0 || int(r) >= len(roleNames) {
		return "unknown"
	}
	return roleNames[r]
}

// Slot is where a surface uses a map, with the transform of its coordinates
// (KHR_texture_transform: scale, then rotate, then offset).
type Slot struct {
	Map           int // None: no map
	Set           int // 0: UV, 1: UV1
	Offset, Scale [2]float64
	Rotation      float64 // radians, counter-clockwise in the picture with v down
	WrapS, WrapT  Wrap
	Nearest       bool
}

// Coordinates are the texture coordinates that a slot goes by; nil when the part
// has none.
func (p *Part) Coordinates(s *Slot) []float32 {
	if s.Set == 1 {
		return p.UV1
	}
	return p.UV
}

// At is where in the picture, in 0..1 with v down, texture coordinates of the
// slot's set lie: after the transform, which is that of KHR_texture_transform, and
// wrapped as the slot says.
func (s *Slot) At(u, v float64) (x, y float64) {
	u, v = s.Place(u, v)
	return wrap(u, s.WrapS), wrap(v, s.WrapT)
}

// Place is the same before it is wrapped.
func (s *Slot) Place(u, v float64) (x, y float64) {
	u, v = u*s.Scale[0], v*s.Scale[1]
	if s.Rotation != 0 {
		sin, cos := math.Sincos(s.Rotation)
		u, v = cos*u+sin*v, -sin*u+cos*v
	}
	return u + s.Offset[0], v + s.Offset[1]
}

// wrap brings a coordinate into 0..1.
func wrap(u float64, mode Wrap) float64 {
	if !(math.Abs(u) < 1e15) { // not a number, or far beyond any
		return 0
	}
	whole := math.Floor(u)
	switch {
	case mode == Clamp:
		return min(max(u, 0), 1)
	case mode == Mirror && math.Mod(whole, 2) != 0:
		return 1 - (u - whole)
	}
	return u - whole
}

// Wrap is how a map goes on beyond its edges.
type Wrap uint8

const (
	Repeat Wrap = iota
	Clamp       // the edge goes on
	Mirror      // every other repeat is turned over
)

// EmptySlot holds no map.
var EmptySlot = Slot{Map: None, Scale: [2]float64{1, 1}}

// Status is whether a map's picture is at hand.
type Status string

const (
	Found    Status = "found"
	Embedded Status = "embedded"
	Missing  Status = "missing"
)

// Map is a picture that surfaces refer to, with its file's bytes.
type Map struct {
	Name   string // as the file writes it: a path, or a name
	Role   string // what it is used as first
	Status Status
	Mime   string
	Data   []byte // encoded PNG, JPEG or WebP; nil when missing
}

// Camera is a camera that came with a file. It looks along -Z of its node.
type Camera struct {
	Name         string
	Orthographic bool
	YFov         float64 // radians
	Aspect       float64 // 0: not given
	Near, Far    float64 // in the file's unit; Far 0: infinite
	XMag, YMag   float64 // half width and height when orthographic
	Focus        float64 // distance that is sharp, in the file's unit; 0: not given
	FNumber      float64 // 0: not given
}

// LightKind is the shape of a lamp.
type LightKind string

const (
	Directional LightKind = "directional" // Intensity in lux
	Point       LightKind = "point"       // Intensity in candela
	Spot        LightKind = "spot"        // Intensity in candela
)

// Light is a lamp of KHR_lights_punctual. It shines along -Z of its node.
type Light struct {
	Name         string
	Kind         LightKind
	Color        [3]float64
	Intensity    float64
	Range        float64 // 0: no limit
	Inner, Outer float64 // cone half angles in radians
}

// Warn notes something that is wrong with the file but could be lived with.
// Repeats of one warning are noted once, and no more than maxWarnings.
func (m *Model) Warn(format string, args ...any) {
	const maxWarnings = 200 // a person reads no more, and a hostile file could make millions
	text := fmt.Sprintf(format, args...)
	for _, w := range m.Warnings {
		if w == text {
			return
		}
	}
	if len(m.Warnings) < maxWarnings {
		m.Warnings = append(m.Warnings, text)
	}
}

// Walk calls visit for every node below the roots, with the transform from
// the node to the model. Readers make sure that nodes form a forest.
func (m *Model) Walk(visit func(index int, n *Node, world geom.M)) {
	type item struct {
		index int
		world geom.M
	}
	stack := make([]item, 0, len(m.Roots))
	for i := len(m.Roots) - 1; i >= 0; i-- {
		stack = append(stack, item{m.Roots[i], geom.Identity})
	}
	for len(stack) > 0 {
		it := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		n := &m.Nodes[it.index]
		world := it.world.Mul(n.Local)
		visit(it.index, n, world)
		for i := len(n.Children) - 1; i >= 0; i-- {
			stack = append(stack, item{n.Children[i], world})
		}
	}
}

// Weight counts what a model holds, each instance of a mesh counted.
type Weight struct {
	Triangles, Vertices, Parts int
}

// Weigh counts triangles, vertices and parts as placed by the nodes.
func (m *Model) Weigh() Weight {
	var w Weight
	m.Walk(func(_ int, n *Node, _ geom.M) {
		if n.Mesh == None {
			return
		}
		for i := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[i]
			w.Triangles += p.Triangles()
			w.Vertices += p.Vertices()
			w.Parts++
		}
	})
	return w
}

// Bytes is what the model takes in memory, about: its triangles and its pictures.
func (m *Model) Bytes() int {
	n := 2000 + 120*m.Weigh().Triangles
	for i := range m.Maps {
		n += len(m.Maps[i].Data)
	}
	return n
}

// Bounds is the box around every vertex that is used, after node transforms,
// in the file's unit and axes.
func (m *Model) Bounds() geom.Box {
	return m.BoundsUnder(geom.Identity)
}

// BoundsUnder is Bounds after the transform top, exact for every vertex.
func (m *Model) BoundsUnder(top geom.M) geom.Box {
	box := geom.Empty()
	m.Walk(func(_ int, n *Node, world geom.M) {
		if n.Mesh == None {
			return
		}
		world = top.Mul(world)
		for i := range m.Meshes[n.Mesh].Parts {
			box = box.Union(m.Meshes[n.Mesh].Parts[i].Bounds(&world))
		}
	})
	return box
}

// Bounds is the box around the part's vertices under a transform.
func (p *Part) Bounds(world *geom.M) geom.Box {
	if *world == geom.Identity { // by far the commonest, and files are large
		lo, hi := [3]float32{}, [3]float32{}
		for i := 0; i+2 < len(p.Positions); i += 3 {
			q := [3]float32(p.Positions[i : i+3])
			if i == 0 {
				lo, hi = q, q
				continue
			}
			for k, x := range q {
				lo[k], hi[k] = min(lo[k], x), max(hi[k], x)
			}
		}
		if len(p.Positions) == 0 {
			return geom.Empty()
		}
		return geom.Box{Min: geom.V{X: float64(lo[0]), Y: float64(lo[1]), Z: float64(lo[2])},
			Max: geom.V{X: float64(hi[0]), Y: float64(hi[1]), Z: float64(hi[2])}}
	}
	box := geom.Empty()
	for i := 0; i < p.Vertices(); i++ {
		box = box.Add(world.Point(p.Position(uint32(i))))
	}
	return box
}

// UpTurn is the rotation that brings the given up axis to +Y.
func UpTurn(up Axis) geom.M {
	switch up {
	case "Z":
		return geom.M{0: 1, 6: -1, 9: 1, 15: 1} // x, z, -y
	case "X":
		return geom.M{1: 1, 4: -1, 10: 1, 15: 1} // -y, x, z
	}
	return geom.Identity
}

// SmoothNormals returns angle-weighted vertex normals for a part that has none. Vertices that share a place but not an
// index stay separate.
func (p *Part) SmoothNormals() []float32 {
	own := make([]uint32, p.Vertices())
	for i := range own {
		own[i] = uint32(i)
	}
	list := p.NormalsOf(own, len(own))
	out := make([]float32, 0, len(p.Positions))
	for _, n := range list {
		if n == (geom.V{}) {
			n.Y = 1
		}
		out = append(out, float32(n.X), float32(n.Y), float32(n.Z))
	}
	return out
}

// NormalsOf are the normals of groups of vertices, as the faces at all vertices of a group tell, weighted by their
// angles there (Thürmer and Wüthrich, Computing Vertex Normals from Polygonal Facets, 1998): of says which group each
// vertex is in, count how many groups there are; zero where no face tells any.
func (p *Part) NormalsOf(of []uint32, count int) []geom.V {
	out := make([]geom.V, count)
	for t := 0; t+2 < len(p.Indices) && p.Kind == Triangles; t += 3 {
		var v [3]geom.V
		for k := range v {
			v[k] = p.Position(p.Indices[t+k])
		}
		n := v[1].Sub(v[0]).Cross(v[2].Sub(v[0])).Unit()
		for k := range v {
			a, b := v[(k+1)%3].Sub(v[k]).Unit(), v[(k+2)%3].Sub(v[k]).Unit()
			to := &out[of[p.Indices[t+k]]]
			*to = to.Add(n.Mul(math.Atan2(a.Cross(b).Len(), a.Dot(b))))
		}
	}
	for i := range out {
		out[i] = out[i].Unit()
	}
	return out
}
