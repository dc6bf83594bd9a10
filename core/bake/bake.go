package bake

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"math"
	"slices"
	"sync"

	"visator/core/finish"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/render"
)

// Limits of what is baked.
const (
	MostSide = 2048 // texels that the picture of one thing is wide: 130,000 triangles fit into it
	Texel    = 0.01 // metres that a texel is wide, where there is room
)

// Thing makes of a model that stands in a scene one whose surfaces are in pictures as they are there: instances are
// those of its nodes that have meshes, in the order in which the model is walked. What its materials say beside colour,
// opacity, metal, roughness, lacquer and the bent normal stays as it is, in its own coordinates; the pictures lie in
// the second. of names it in errors.
func Thing(ctx context.Context, s *render.Scene, m *model.Model, instances []int, of string) (*model.Model, error) {
	out := *m
	out.Nodes, out.Surfaces, out.Maps = slices.Clone(m.Nodes), nil, slices.Clone(m.Maps)
	out.Meshes = slices.Clone(m.Meshes)
	b := &baking{s: s}
	k := 0
	m.Walk(func(i int, n *model.Node, _ geom.M) {
		if n.Mesh == model.None || b.err != nil {
			return
		}
		mesh := model.Mesh{Name: m.Meshes[n.Mesh].Name}
		triangles := 0
		for p := range m.Meshes[n.Mesh].Parts {
			triangles += m.Meshes[n.Mesh].Parts[p].Triangles()
		}
		if triangles == 0 {
			return
		}
		if k++; k > len(instances) {
			return
		}
		mesh.Parts = b.parts(m, m.Meshes[n.Mesh].Parts, instances[k-1])
		out.Nodes[i].Mesh = len(out.Meshes)
		out.Meshes = append(out.Meshes, mesh)
	})
	if b.err != nil {
		return nil, fmt.Errorf("%s: %w", of, b.err)
	}
	if k != len(instances) {
		return nil, fmt.Errorf("%s has %d bodies in the scene and %d in its model", of, len(instances), k)
	}
	if len(b.legs) == 0 {
		return m, nil
	}
	cells, side, _ := atlas(b.legs, Texel, MostSide)
	if side == 0 {
		return nil, fmt.Errorf("%s has %d triangles, too many for one picture of what it is made of: hand it out with "+
			"fewer, or without wear", of, len(b.legs))
	}
	pics := b.expose(ctx, cells, side)
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	first := len(out.Maps)
	for i, role := range bakedRoles {
		var buf bytes.Buffer
		if err := png.Encode(&buf, pics[i]); err != nil {
			return nil, err
		}
		out.Maps = append(out.Maps, model.Map{Name: fmt.Sprintf("%s as it stands, %s", of, role), Role: role.String(),
			Status: model.Embedded, Mime: "image/png", Data: buf.Bytes()})
	}
	out.Surfaces = make([]model.Surface, len(m.Surfaces))
	for i := range m.Surfaces {
		out.Surfaces[i] = b.baked(&m.Surfaces[i], first)
	}
	if len(m.Surfaces) == 0 {
		d := model.DefaultSurface()
		out.Surfaces = []model.Surface{b.baked(&d, first)}
	}
	b.lay(out.Meshes[len(m.Meshes):], cells, side, len(m.Surfaces) == 0)
	return &out, nil
}

// baking is a thing that is being baked: its triangles, one after the other.
type baking struct {
	s        *render.Scene
	legs     [][2]float64 // metres
	instance []int
	triangle []uint32
	turned   []int // which corner of the instance's triangle comes first
	frames   []frame
	coated   bool
	err      error
}

// frame is that of a triangle's coordinates in the atlas, in the set: what its normals are told in.
type frame struct {
	world   geom.M
	normals [3]geom.V // of its corners, in its own mesh
	e1, e2  geom.V
}

// parts are those of a mesh that stands as an instance, with corners that no triangles share; their triangles are
// noted.
func (b *baking) parts(m *model.Model, list []model.Part, instance int) []model.Part {
	out := make([]model.Part, 0, len(list))
	world := b.s.Instances[instance].World
	count := uint32(0) // of triangles before, as the instance counts them
	for i := range list {
		p := list[i]
		n := p.Triangles()
		if n == 0 {
			continue
		}
		turns := make([]int, n)
		p.Indices = slices.Clone(p.Indices[:3*n])
		for t := range turns {
			idx := p.Indices[3*t : 3*t+3]
			turns[t] = longest(&p, idx, &world)
			copy(idx, append(slices.Clone(idx[turns[t]:]), idx[:turns[t]]...))
		}
		apart := p.Apart()
		if p.Surface != model.None {
			switch first, second := needs(&m.Surfaces[p.Surface]); {
			case first && second:
				b.err = fmt.Errorf("the surface %q has pictures in both of its coordinates, and what it is made of "+
					"as it stands needs one: hand it out without wear", m.Surfaces[p.Surface].Name)
				return nil
			case second:
				apart.UV = apart.UV1
			}
		}
		for t := range n {
			at := apart.Position(uint32(3 * t))
			e1, e2 := apart.Position(uint32(3*t+1)).Sub(at), apart.Position(uint32(3*t+2)).Sub(at)
			f := frame{world: world, e1: e1, e2: e2}
			face := e1.Cross(e2).Unit()
			for k := range f.normals {
				f.normals[k] = face
				if nl := apart.Normals; nl != nil {
					at := nl[9*t+3*k:]
					f.normals[k] = geom.V{X: float64(at[0]), Y: float64(at[1]), Z: float64(at[2])}
				}
			}
			b.legs = append(b.legs, [2]float64{world.Dir(e1).Len(), world.Dir(e2).Len()})
			b.instance, b.triangle = append(b.instance, instance), append(b.triangle, count+uint32(t))
			b.frames = append(b.frames, f)
		}
		b.turned = append(b.turned, turns...)
		count += uint32(n)
		out = append(out, apart)
	}
	return out
}

// longest is the corner that is opposite of the longest side of a triangle, as it stands.
func longest(p *model.Part, idx []uint32, world *geom.M) (corner int) {
	far := -1.0
	for k := range 3 {
		if d := world.Dir(p.Position(idx[(k+2)%3]).Sub(p.Position(idx[(k+1)%3]))).Len(); d > far {
			corner, far = k, d
		}
	}
	return corner
}

// expose works out all texels: colour with opacity, roughness and metal as glTF packs them, the normal, and lacquer.
func (b *baking) expose(ctx context.Context, cells []cell, side int) (pics [4]*image.NRGBA) {
	for i := range pics {
		pics[i] = image.NewNRGBA(image.Rect(0, 0, side, side))
	}
	var wait sync.WaitGroup
	coated := make([]bool, 2)
	for w := range 2 {
		wait.Go(func() {
			for i := w; i < len(cells) && ctx.Err() == nil; i += 2 {
				coated[w] = b.cell(&cells[i], &pics) || coated[w]
			}
		})
	}
	wait.Wait()
	b.coated = coated[0] || coated[1]
	return pics
}

// cell works out the texels of one, and whether there is lacquer.
func (b *baking) cell(c *cell, pics *[4]*image.NRGBA) (coated bool) {
	set := func(pic, x, y int, r, g, bl, a float64) {
		p := pics[pic]
		to := p.Pix[p.PixOffset(x, y):]
		for k, v := range [4]float64{r, g, bl, a} {
			to[k] = uint8(math.Round(255 * min(max(v, 0), 1)))
		}
	}
	for y := c.y; y < c.y+c.high; y++ {
		for x := c.x; x < c.x+c.wide; x++ {
			u, v, upper := c.place(x, y)
			k := 0
			if upper {
				k = 1
			}
			t := c.of[k]
			if t < 0 {
				continue
			}
			var of [3]float64 // of the instance's corners
			for k, share := range [3]float64{1 - u - v, u, v} {
				of[(k+b.turned[t])%3] = share
			}
			m := b.s.Made(b.instance[t], b.triangle[t], float32(of[1]), float32(of[2]))
			set(0, x, y, finish.Encode(m.Base.X), finish.Encode(m.Base.Y), finish.Encode(m.Base.Z), m.Opacity)
			set(1, x, y, 0, m.Rough, m.Metal, 1)
			q := b.frames[t].local(m.Normal, u, v, upper)
			set(2, x, y, q.X/2+0.5, q.Y/2+0.5, q.Z/2+0.5, 1)
			set(3, x, y, m.Coat, 0, 0, 1)
			coated = coated || m.Coat > 0.5/255
		}
	}
	return coated
}

// local is a normal of the set as a normal map tells it at a place of a triangle: along the way in which the first
// coordinate of the atlas grows there, against that of the second, and outwards.
func (f *frame) local(n geom.V, u, v float64, upper bool) geom.V {
	own := f.world.NormalDir(n).Unit()
	up := f.normals[0].Mul(1 - u - v).Add(f.normals[1].Mul(u)).Add(f.normals[2].Mul(v)).Unit()
	tan, down := f.e1, f.e2
	if upper { // it is turned by half there
		tan, down = tan.Mul(-1), down.Mul(-1)
	}
	// Where the legs are not at right angles the way in which one coordinate alone grows is their own.
	tan = tan.Sub(up.Mul(up.Dot(tan))).Unit()
	bit := up.Cross(tan)
	if bit.Dot(down) > 0 {
		bit = bit.Mul(-1)
	}
	return geom.V{X: own.Dot(tan), Y: own.Dot(bit), Z: own.Dot(up)}
}

// baked is a surface with the pictures from first on.
func (b *baking) baked(s *model.Surface, first int) model.Surface {
	out := *s
	out.BaseColor, out.Metallic, out.Roughness, out.NormalScale = [4]float64{1, 1, 1, 1}, 1, 1, 1
	out.Pattern, out.Bevel = model.Pattern{}, 0
	here, second := needs(s)
	for i := range out.Slots {
		if k := &out.Slots[i]; k.Map != model.None && k.Set == 1 {
			if k.Set = 0; !second || here {
				*k = model.EmptySlot
			}
		}
	}
	for i, role := range bakedRoles {
		out.Slots[role] = model.EmptySlot
		if role == model.CoatMap && !b.coated {
			out.Coat = 0
			continue
		}
		out.Slots[role] = model.Slot{Map: first + i, Scale: [2]float64{1, 1}, Set: 1, WrapS: model.Clamp,
			WrapT: model.Clamp}
	}
	if b.coated {
		out.Coat, out.CoatRoughness = 1, 0.05
	}
	for _, role := range gone {
		out.Slots[role] = model.EmptySlot
	}
	return out
}

// bakedRoles are what is in the pictures, in their order, and gone what is in them by another name.
var (
	bakedRoles = []model.Role{model.BaseColorMap, model.MetalRoughMap, model.NormalMap, model.CoatMap}
	gone       = []model.Role{model.OpacityMap, model.RoughnessMap, model.MetallicMap, model.HeightMap,
		model.CoatRoughnessMap, model.CoatNormalMap}
)

// needs tells which coordinates the pictures of a surface need that stay. Occlusion in the second is given up.
func needs(s *model.Surface) (first, second bool) {
	for i, k := range s.Slots {
		role := model.Role(i)
		if k.Map == model.None || slices.Contains(bakedRoles, role) || slices.Contains(gone, role) {
			continue
		}
		first = first || k.Set == 0
		second = second || k.Set == 1 && role != model.OcclusionMap
	}
	return first, second
}

// lay gives the corners of all parts their places in the atlas. Colours of corners are in the pictures.
func (b *baking) lay(meshes []model.Mesh, cells []cell, side int, bare bool) {
	at := make([][3][2]float64, len(b.legs))
	for i := range cells {
		for k, t := range cells[i].of {
			if t >= 0 {
				at[t] = cells[i].corners(k == 1)
			}
		}
	}
	t := 0
	for i := range meshes {
		for k := range meshes[i].Parts {
			p := &meshes[i].Parts[k]
			p.UV1, p.Colors = make([]float32, 0, len(p.Positions)/3*2), nil
			if bare {
				p.Surface = 0
			}
			if p.UV == nil { // the first coordinates come before the second
				p.UV = make([]float32, len(p.Positions)/3*2)
			}
			for range p.Triangles() {
				for _, q := range at[t] {
					p.UV1 = append(p.UV1, float32(q[0]/float64(side)), float32(q[1]/float64(side)))
				}
				t++
			}
		}
	}
}
