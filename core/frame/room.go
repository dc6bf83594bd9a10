package frame

import (
	"cmp"
	"math"
	"slices"

	"visator/core/geom"
	"visator/core/optics"
)

// What it takes to stand somewhere with a camera, in metres (ours, from memory of
// tripods and people: legs spread to 0.9 m, a person behind of 0.6 m).
const (
	cameraRoom   = 0.45 // free about the lens
	operatorBack = 0.65 // of the operator behind the lens
	operatorRoom = 0.3  // free about the operator
	operatorHead = 1.8
	sizeSlack    = 0.05 // the subject may be so much larger or smaller
	planCell     = 0.15
)

// StandAsk is what a lens is asked for.
type StandAsk struct {
	View    optics.View // sensor, aspect, height of the eye, aperture
	Subject []geom.V    // points of it
	ID      string      // it does not stand in its own way
	Share   float64     // of the picture's height that it is to fill
	Focals  []float64   // mm
}

// LensPlace is where a lens works.
type LensPlace struct {
	Focal     float64   `json:"focal"`    // mm
	Distance  float64   `json:"distance"` // metres from the subject's middle
	Free      float64   `json:"free"`     // m² of floor where camera and operator fit
	Cell      float64   `json:"cell"`     // metres
	Cells     []Cell    `json:"cells"`
	Best      *BestView `json:"best"` // the one nearest to where the camera is now
	SharpNear float64   `json:"sharpNear"`
	SharpFar  *float64  `json:"sharpFar"` // null: to infinity
}

// Cell is a place on the floor.
type Cell struct {
	X float64 `json:"x"`
	Z float64 `json:"z"`
}

// BestView is a camera.
type BestView struct {
	Eye   geom.V  `json:"eye"`
	Yaw   float64 `json:"yaw"`
	Pitch float64 `json:"pitch"`
	Focus float64 `json:"focus"`
}

// Stands finds for each lens where it shows the subject as large as asked, with
// room for camera and operator, over a floor, and with nothing between. up is how
// high the eye is above the floor.
func (s *Scene) Stands(a StandAsk, up float64) []LensPlace {
	b := geom.Empty()
	for _, p := range a.Subject {
		b = b.Add(p)
	}
	mid, high := b.Center(), b.Size().Y
	own := func(i int) bool { return s.Things[i].ID == a.ID }
	out := make([]LensPlace, len(a.Focals))
	for n, focal := range a.Focals {
		v := a.View
		v.Focal = focal
		_, tall := v.Window().Half()
		d := high / (2 * tall * a.Share)
		l := LensPlace{Focal: focal, Distance: d, Cell: planCell, Cells: []Cell{}}
		v.Focus = d
		near, far := v.SharpZone()
		l.SharpNear = near
		if !math.IsInf(far, 1) {
			l.SharpFar = &far
		}
		var cells []Cell
		var shares []float64 // of the cell's floor that is at the right distance
		r := d * (1 + sizeSlack)
		for x := math.Floor((mid.X-r)/planCell) * planCell; x <= mid.X+r; x += planCell {
			for z := math.Floor((mid.Z-r)/planCell) * planCell; z <= mid.Z+r; z += planCell {
				if share := inRing(x-mid.X, z-mid.Z, d); share > 0 && len(cells) < maxCells {
					cells, shares = append(cells, Cell{x, z}), append(shares, share)
				}
			}
		}
		eyes := make([]*geom.V, len(cells))
		rows(len(cells), func(i int) {
			if eye, ok := s.room(geom.V{X: cells[i].X, Z: cells[i].Z}, mid, up, own); ok {
				eyes[i] = &eye
			}
		})
		best := math.Inf(1)
		for i, eye := range eyes {
			if eye == nil {
				continue
			}
			l.Cells = append(l.Cells, cells[i])
			l.Free += planCell * planCell * shares[i]
			if away := eye.Sub(a.View.Eye).Len(); away < best {
				best = away
				w := v
				w.Eye = *eye
				w.AimAt(mid)
				l.Best = &BestView{*eye, w.Yaw, w.Pitch, mid.Sub(*eye).Len()}
			}
		}
		out[n] = l
	}
	slices.SortFunc(out, func(p, q LensPlace) int { return cmp.Compare(p.Focal, q.Focal) })
	return out
}

// inRing is how much of a cell about a place lies about d from the middle, 0 to 1: as many
// of 25 points of it.
func inRing(x, z, d float64) float64 {
	n := 0
	for i := range 5 {
		for j := range 5 {
			if away := math.Hypot(x+planCell*(float64(i)-2)/5,
				z+planCell*(float64(j)-2)/5); math.Abs(away-d) <= d*sizeSlack {
				n++
			}
		}
	}
	return float64(n) / 25
}

// stands reports whether anything stands within room of the upright from floor to high
// over a place: what is no higher than a step on the ground is stepped over.
func (s *Scene) stands(c geom.V, room, floor, high float64) bool {
	for i := range s.Things {
		t := &s.Things[i]
		b := &t.Body.Box
		low := floor + 0.05
		if t.Land {
			low = floor + 0.4 // it slopes
		}
		if b.Min.X > c.X+room || b.Max.X < c.X-room || b.Min.Z > c.Z+room || b.Max.Z < c.Z-room || b.Min.Y > high ||
			b.Max.Y < low {
			continue
		}
		met := false
		t.Body.Reach(geom.Identity, func(m, h geom.V) bool {
			return met || m.X-h.X > c.X+room || m.X+h.X < c.X-room || m.Z-h.Z > c.Z+room || m.Z+h.Z < c.Z-room ||
				m.Y-h.Y > high || m.Y+h.Y < low
		}, func(tri [3]geom.V) { met = met || within(tri, c, room, low, high) })
		if met {
			return true
		}
	}
	return false
}

// within reports whether a triangle comes within room of the upright from low to high over
// c: it is cut at both heights, and what is left is looked at from above.
func within(tri [3]geom.V, c geom.V, room, low, high float64) bool {
	var space, other [6]geom.V
	list := append(space[:0], tri[:]...)
	for k, plane := range [2]float64{low, high} {
		next := other[:0]
		in := func(p geom.V) float64 { return (p.Y - plane) * float64(1-2*k) }
		for i, p := range list {
			q := list[(i+1)%len(list)]
			if in(p) >= 0 {
				next = append(next, p)
			}
			if in(p)*in(q) < 0 {
				next = append(next, p.Lerp(q, in(p)/(in(p)-in(q))))
			}
		}
		list = append(space[:0], next...)
	}
	sides := 0
	for i, p := range list {
		q := list[(i+1)%len(list)]
		ex, ez, px, pz := q.X-p.X, q.Z-p.Z, c.X-p.X, c.Z-p.Z
		t := 0.0
		if l := ex*ex + ez*ez; l > 0 {
			t = min(max((ex*px+ez*pz)/l, 0), 1)
		}
		if math.Hypot(px-t*ex, pz-t*ez) < room {
			return true
		}
		if ex*pz-ez*px > 0 {
			sides++
		} else {
			sides--
		}
	}
	return len(list) > 2 && (sides == len(list) || sides == -len(list))
}

// maxCells bounds the floor that is looked at for one lens: a ring of 12 m.
const maxCells = 6000

// room says whether a camera fits at a place, and where its eye is.
func (s *Scene) room(at, subject geom.V, up float64, own func(int) bool) (eye geom.V, ok bool) {
	// The floor: beneath a point at the height of the subject's middle, so that the
	// roof is not taken for it.
	h, ok := s.Ray(geom.V{X: at.X, Y: subject.Y + 0.3, Z: at.Z}, geom.V{Y: -1}, 0, 100, own)
	if !ok {
		return eye, false
	}
	floor := subject.Y + 0.3 - h.T
	eye = geom.V{X: at.X, Y: floor + up, Z: at.Z}
	back := geom.V{X: at.X - subject.X, Z: at.Z - subject.Z}.Unit()
	man := at.Add(back.Mul(operatorBack))
	if s.stands(at, cameraRoom, floor, floor+up+0.2) || s.stands(man, operatorRoom, floor, floor+operatorHead) {
		return eye, false
	}
	// The operator has a floor too, on about the same level.
	if g, ok := s.Ray(geom.V{X: man.X, Y: floor + 1, Z: man.Z}, geom.V{Y: -1}, 0, 1.4, nil); !ok ||
		math.Abs(g.T-1) > 0.35 {
		return eye, false
	}
	d := subject.Sub(eye)
	if _, met := s.Ray(eye, d, 0, 0.999, own); met {
		return eye, false
	}
	return eye, true
}
