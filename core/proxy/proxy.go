// Package proxy makes light versions of models for drawing in a browser:
// fewer triangles, smaller pictures, the same look from a distance.
package proxy

import (
	"bytes"
	"image"
	"image/jpeg"
	"image/png"
	"math"

	"golang.org/x/image/draw"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/simplify"
)

// huge is the number of triangles beyond which vertices are joined in cells
// before edges are collapsed: quadrics of ten million triangles take gigabytes.
const huge = 4_000_000

// Make returns a version of m of about triangles triangles (never fewer than
// one a part that has any) with maps of at most side pixels, and how far its
// surface may lie from m's, in m's unit. m is not changed.
func Make(m *model.Model, triangles, side int) (*model.Model, float64) {
	out := *m
	out.Meshes = make([]model.Mesh, len(m.Meshes))
	copy(out.Meshes, m.Meshes)
	off := 0.0
	total := m.Weigh().Triangles
	if total > huge && triangles < huge/2 {
		off += clusters(&out, m.Bounds().Size().Len(), huge/2)
		total = out.Weigh().Triangles
	}
	if total > triangles && triangles > 0 {
		off = collapse(&out, float64(triangles)/float64(total))
		// Meshes whose every face stands alone cannot be collapsed: clusters
		// can always be made.
		if box := m.Bounds(); out.Weigh().Triangles > triangles*3/2 && !box.IsEmpty() {
			off += clusters(&out, box.Size().Len(), triangles)
		}
	}
	out.Maps = make([]model.Map, len(m.Maps))
	for i := range m.Maps {
		out.Maps[i] = shrink(m.Maps[i], side)
	}
	return &out, off
}

// collapse simplifies every mesh to its share of its triangles, and returns
// the largest error in the model's unit.
func collapse(m *model.Model, share float64) (off float64) {
	scale := meshScales(m)
	for i := range m.Meshes {
		n := 0
		for k := range m.Meshes[i].Parts {
			n += m.Meshes[i].Parts[k].Triangles()
		}
		if scale[i] == 0 || n == 0 {
			continue
		}
		const least = 8 // triangles: what every mesh may keep
		small, r := simplify.Mesh(&m.Meshes[i], max(int(float64(n)*share), least))
		off = max(off, r.Error*scale[i])
		m.Meshes[i] = small
	}
	return off
}

// clusters joins vertices in cells until the budget is kept.
func clusters(m *model.Model, diagonal float64, triangles int) (off float64) {
	cell := findCell(m, diagonal, triangles)
	scale := meshScales(m)
	for i := range m.Meshes {
		mesh := model.Mesh{Name: m.Meshes[i].Name}
		for _, p := range m.Meshes[i].Parts {
			if p.Kind == model.Triangles && scale[i] > 0 {
				p = cluster(&p, cell/scale[i])
			}
			mesh.Parts = append(mesh.Parts, p)
		}
		m.Meshes[i] = mesh
	}
	return cell * math.Sqrt(3)
}

// meshScales is how large one unit of each mesh becomes in the model.
func meshScales(m *model.Model) []float64 {
	out := make([]float64, len(m.Meshes))
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Mesh != model.None {
			out[n.Mesh] = max(out[n.Mesh], math.Cbrt(math.Abs(world.Det3())))
		}
	})
	return out
}

// findCell finds the smallest cell whose clusters keep to the budget.
func findCell(m *model.Model, diagonal float64, triangles int) float64 {
	scale := meshScales(m)
	uses := make([]int, len(m.Meshes))
	m.Walk(func(_ int, n *model.Node, _ geom.M) {
		if n.Mesh != model.None {
			uses[n.Mesh]++
		}
	})
	count := func(cell float64) (n int) {
		for i := range m.Meshes {
			for k := range m.Meshes[i].Parts {
				if p := &m.Meshes[i].Parts[k]; p.Kind == model.Triangles && scale[i] > 0 && uses[i] > 0 {
					n += survivors(p, cell/scale[i]) * uses[i]
				}
			}
		}
		return n
	}
	lo, hi := diagonal*1e-5, diagonal*0.5
	for range 9 { // to a factor of 1.02 of the best cell
		mid := math.Sqrt(lo * hi)
		if count(mid) > triangles {
			lo = mid
		} else {
			hi = mid
		}
	}
	return hi
}

type key [3]int32

func cellOf(p *model.Part, i uint32, cell float64) key {
	inv := float32(1 / cell)
	q := p.Positions[3*i : 3*i+3]
	return key{int32(math.Floor(float64(q[0] * inv))), int32(math.Floor(float64(q[1] * inv))),
		int32(math.Floor(float64(q[2] * inv)))}
}

// survivors counts the triangles that keep three cells.
func survivors(p *model.Part, cell float64) int {
	n := 0
	for t := 0; t+2 < len(p.Indices); t += 3 {
		a, b, c := cellOf(p, p.Indices[t], cell), cellOf(p, p.Indices[t+1], cell), cellOf(p, p.Indices[t+2], cell)
		if a != b && b != c && c != a {
			n++
		}
	}
	return n
}

// cluster joins the vertices in each cell (Rossignac and Borrel,
// Multi-resolution 3D approximations, 1993): the one nearest to their mean
// stands for all.
func cluster(p *model.Part, cell float64) model.Part {
	type group struct {
		sum  geom.V
		n    float64
		best uint32
		dist float64
	}
	groups := map[key]*group{}
	for i := uint32(0); i < uint32(p.Vertices()); i++ {
		k := cellOf(p, i, cell)
		g := groups[k]
		if g == nil {
			g = &group{dist: math.Inf(1)}
			groups[k] = g
		}
		g.sum = g.sum.Add(p.Position(i))
		g.n++
	}
	for i := uint32(0); i < uint32(p.Vertices()); i++ {
		g := groups[cellOf(p, i, cell)]
		if d := p.Position(i).Sub(g.sum.Mul(1 / g.n)).Len(); d < g.dist {
			g.dist, g.best = d, i
		}
	}
	out := model.Part{Name: p.Name, Kind: p.Kind, Surface: p.Surface}
	at := map[uint32]uint32{}
	take := func(i uint32) uint32 {
		if k, ok := at[i]; ok {
			return k
		}
		k := uint32(len(at))
		at[i] = k
		copyOf := func(to, from []float32, n uint32) []float32 {
			if from == nil {
				return nil
			}
			return append(to, from[n*i:n*i+n]...)
		}
		out.Positions = copyOf(out.Positions, p.Positions, 3)
		out.Normals = copyOf(out.Normals, p.Normals, 3)
		out.UV = copyOf(out.UV, p.UV, 2)
		out.UV1 = copyOf(out.UV1, p.UV1, 2)
		out.Colors = copyOf(out.Colors, p.Colors, 4)
		return k
	}
	for t := 0; t+2 < len(p.Indices); t += 3 {
		var v [3]uint32
		for c := range v {
			v[c] = groups[cellOf(p, p.Indices[t+c], cell)].best
		}
		if v[0] != v[1] && v[1] != v[2] && v[2] != v[0] {
			out.Indices = append(out.Indices, take(v[0]), take(v[1]), take(v[2]))
		}
	}
	return out
}

// shrink reduces a map's picture to at most side pixels. A picture that
// cannot be decoded is left out: the browser could not draw it either.
// Fit is a picture at most side pixels wide and high, in its proportions: itself
// when it is no larger.
func Fit(img *image.NRGBA, side int) *image.NRGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	if w <= side && h <= side {
		return img
	}
	k := float64(side) / float64(max(w, h))
	small := image.NewNRGBA(image.Rect(0, 0, max(int(float64(w)*k), 1), max(int(float64(h)*k), 1)))
	draw.ApproxBiLinear.Scale(small, small.Rect, img, img.Rect, draw.Src, nil)
	return small
}

func shrink(mp model.Map, side int) model.Map {
	if mp.Data == nil {
		return mp
	}
	img, err := mp.Picture()
	if err != nil {
		mp.Data = nil
		return mp
	}
	small := Fit(img, side)
	if small == img && mp.Mime != "image/webp" {
		return mp
	}
	img = small
	var buf bytes.Buffer
	if img.Opaque() {
		err, mp.Mime = jpeg.Encode(&buf, img, &jpeg.Options{Quality: 88}), "image/jpeg"
	} else {
		err, mp.Mime = png.Encode(&buf, img), "image/png"
	}
	if err != nil {
		mp.Data = nil
		return mp
	}
	mp.Data = buf.Bytes()
	return mp
}
