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
		r := d * (1 + sizeSlack)
		for x := math.Floor((mid.X-r)/planCell) * planCell; x <= mid.X+r; x += planCell {
			for z := math.Floor((mid.Z-r)/planCell) * planCell; z <= mid.Z+r; z += planCell {
				if away := math.Hypot(x-mid.X, z-mid.Z); math.Abs(away-d) <= d*sizeSlack+planCell/2 && len(cells) < maxCells {
					cells = append(cells, Cell{x, z})
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
			l.Free += planCell * planCell
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
	free := func(c geom.V, room float64, heights ...float64) bool {
		const around = 10
		for _, y := range heights {
			o := geom.V{X: c.X, Y: floor + y, Z: c.Z}
			for k := range around {
				sin, cos := math.Sincos(2 * math.Pi * float64(k) / around)
				if _, met := s.Ray(o, geom.V{X: cos, Z: sin}, 0, room, nil); met {
					return false
				}
			}
		}
		// Up and down through the middle, for what the spokes miss.
		_, met := s.Ray(geom.V{X: c.X, Y: floor + 0.1, Z: c.Z}, geom.V{Y: 1}, 0, max(heights[len(heights)-1], 0.2), nil)
		return !met
	}
	if !free(at, cameraRoom, 0.4, up) || !free(man, operatorRoom, 0.5, 1.2, operatorHead) {
		return eye, false
	}
	// The operator has a floor too, on about the same level.
	if g, ok := s.Ray(geom.V{X: man.X, Y: floor + 1, Z: man.Z}, geom.V{Y: -1}, 0, 1.4, nil); !ok || math.Abs(g.T-1) > 0.35 {
		return eye, false
	}
	d := subject.Sub(eye)
	if _, met := s.Ray(eye, d, 0, 0.999, own); met {
		return eye, false
	}
	return eye, true
}
