package model

import (
	"slices"

	"visator/core/geom"
)

// Cut turns faces into triangles: sizes is the number of corners of each face,
// at least 3, and corners are their vertices of p one face after the other. A
// face of n corners gives n-2 triangles, also where it is concave. Where all are
// triangles the corners themselves come back.
func Cut(p *Part, corners, sizes []uint32) []uint32 {
	total := 0
	for _, n := range sizes {
		total += int(n-2) * 3
	}
	if total == len(corners) && !slices.ContainsFunc(sizes, func(n uint32) bool { return n != 3 }) {
		return corners
	}
	out := make([]uint32, 0, total)
	for _, n := range sizes {
		face := corners[:n]
		corners = corners[n:]
		if n == 3 {
			out = append(out, face...)
			continue
		}
		out = ears(p, face, out)
	}
	return out
}

// effort bounds the corner tests for one polygon, a corner of it: a hostile
// file must not make reading cubic. Real polygons need a few dozen.
const effort = 2000

// ears triangulates one polygon, concave ones too, by cutting ears (Meisters,
// Polygons Have Ears, 1975) in the plane of its Newell normal. What is left
// of a polygon that crosses itself is cut as a fan, so that n-2 triangles
// come out always.
func ears(p *Part, face []uint32, out []uint32) []uint32 {
	var normal geom.V
	pts := make([]geom.V, len(face))
	for i, v := range face {
		pts[i] = p.Position(v)
	}
	for i, a := range pts {
		b := pts[(i+1)%len(pts)]
		normal = normal.Add(geom.V{X: (a.Y - b.Y) * (a.Z + b.Z), Y: (a.Z - b.Z) * (a.X + b.X),
			Z: (a.X - b.X) * (a.Y + b.Y)})
	}
	t, b := geom.Frame(normal.Unit())
	if normal == (geom.V{}) {
		t, b = geom.V{X: 1}, geom.V{Y: 1}
	}
	flat := make([][2]float64, len(pts))
	ring := make([]int, len(pts))
	for i, q := range pts {
		q = q.Sub(pts[0])
		flat[i] = [2]float64{q.Dot(t), q.Dot(b)}
		ring[i] = i
	}
	if convex(flat) {
		for i := 1; i+1 < len(face); i++ {
			out = append(out, face[0], face[i], face[i+1])
		}
		return out
	}
	work := effort * len(face)
	for len(ring) > 3 && work > 0 {
		found := false
		for i := range ring {
			a, c, d := ring[(i+len(ring)-1)%len(ring)], ring[i], ring[(i+1)%len(ring)]
			if side(flat[a], flat[c], flat[d]) <= 0 {
				continue
			}
			if work -= len(ring); holds(flat, ring, a, c, d) {
				continue
			}
			out = append(out, face[a], face[c], face[d])
			ring = append(ring[:i], ring[i+1:]...)
			found = true
			break
		}
		if !found {
			break
		}
	}
	for i := 1; i+1 < len(ring); i++ {
		out = append(out, face[ring[0]], face[ring[i]], face[ring[i+1]])
	}
	return out
}

func convex(f [][2]float64) bool {
	n := len(f)
	for i := range f {
		if side(f[i], f[(i+1)%n], f[(i+2)%n]) < 0 {
			return false
		}
	}
	// A star turns left at every corner too, but more than once around.
	turns := 0
	for i := range f {
		if (f[i][1] < f[(i+1)%n][1]) != (f[(i+1)%n][1] < f[(i+2)%n][1]) {
			turns++
		}
	}
	return turns <= 2
}

// side is positive when a, b, c turn left.
func side(a, b, c [2]float64) float64 {
	return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
}

// holds reports whether another corner of the ring lies in triangle a, c, d.
func holds(flat [][2]float64, ring []int, a, c, d int) bool {
	for _, k := range ring {
		if k == a || k == c || k == d || flat[k] == flat[a] || flat[k] == flat[c] || flat[k] == flat[d] {
			continue
		}
		q := flat[k]
		if side(flat[a], flat[c], q) >= 0 && side(flat[c], flat[d], q) >= 0 && side(flat[d], flat[a], q) >= 0 {
			return true
		}
	}
	return false
}
