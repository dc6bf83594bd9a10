package simplify

import (
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/model"
)

// Distance is the Hausdorff distance between two surfaces, from below: the
// largest distance from any vertex or middle of a face of either to the other.
func Distance(a, b *model.Part) float64 {
	return max(oneSided(a, newTree(b)), oneSided(b, newTree(a)))
}

func oneSided(p *model.Part, t *tree) (worst float64) {
	if len(t.triangles) == 0 {
		return math.Inf(1)
	}
	try := func(q geom.V) {
		if d := t.nearest(q); d > worst {
			worst = d
		}
	}
	for i := range p.Vertices() {
		try(p.Position(uint32(i)))
	}
	for i := 0; i+2 < len(p.Indices); i += 3 {
		try(p.Position(p.Indices[i]).Add(p.Position(p.Indices[i+1])).Add(p.Position(p.Indices[i+2])).Mul(1.0 / 3))
	}
	return worst
}

// tree is a hierarchy of boxes over triangles, halved at the middle of their
// centres along the longest side.
type tree struct {
	triangles []geom.Triangle
	nodes     []treeNode
}

type treeNode struct {
	box         geom.Box
	left, right int // children; left < 0: triangles from first to last
	first, last int
}

func newTree(p *model.Part) *tree {
	t := &tree{}
	for i := 0; i+2 < len(p.Indices); i += 3 {
		t.triangles = append(t.triangles, geom.Triangle{p.Position(p.Indices[i]), p.Position(p.Indices[i+1]),
			p.Position(p.Indices[i+2])})
	}
	if len(t.triangles) > 0 {
		t.split(0, len(t.triangles))
	}
	return t
}

func (t *tree) split(first, last int) int {
	box, mid := geom.Empty(), geom.Empty()
	for _, x := range t.triangles[first:last] {
		for _, v := range x {
			box = box.Add(v)
		}
		mid = mid.Add(x[0].Add(x[1]).Add(x[2]))
	}
	at := len(t.nodes)
	t.nodes = append(t.nodes, treeNode{box: box, left: -1, first: first, last: last})
	if last-first <= 4 {
		return at
	}
	size, axis := mid.Size(), 0
	if size.Y > size.X {
		axis = 1
	}
	if size.Z > max(size.X, size.Y) {
		axis = 2
	}
	slices.SortFunc(t.triangles[first:last], func(x, y geom.Triangle) int {
		a, b := x[0].Add(x[1]).Add(x[2]).At(axis), y[0].Add(y[1]).Add(y[2]).At(axis)
		if a < b {
			return -1
		}
		if a > b {
			return 1
		}
		return 0
	})
	half := (first + last) / 2
	left := t.split(first, half)
	right := t.split(half, last)
	t.nodes[at].left, t.nodes[at].right = left, right
	return at
}

func boxDistance(b *geom.Box, q geom.V) float64 {
	d := geom.V{X: max(b.Min.X-q.X, 0, q.X-b.Max.X), Y: max(b.Min.Y-q.Y, 0, q.Y-b.Max.Y),
		Z: max(b.Min.Z-q.Z, 0, q.Z-b.Max.Z)}
	return d.Dot(d)
}

// nearest is the distance of q to the nearest triangle.
func (t *tree) nearest(q geom.V) float64 {
	best := math.Inf(1)
	var stack [64]int
	n := 1
	for n > 0 {
		n--
		node := &t.nodes[stack[n]]
		if boxDistance(&node.box, q) >= best {
			continue
		}
		if node.left < 0 {
			for i := node.first; i < node.last; i++ {
				d := q.Sub(t.triangles[i].Nearest(q))
				best = min(best, d.Dot(d))
			}
			continue
		}
		near, far := node.left, node.right
		if boxDistance(&t.nodes[far].box, q) < boxDistance(&t.nodes[near].box, q) {
			near, far = far, near
		}
		stack[n], stack[n+1] = far, near
		n += 2
	}
	return math.Sqrt(best)
}
