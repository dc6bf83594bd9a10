package assembly

import (
	"math"

	"visator/core/geom"
	"visator/core/lay"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/stage"
)

// Moments is how often the views of a move are looked at.
const Moments = 9

// Views are what the kept shots see, moves at several moments, with the names of their
// shots; the working view when none is kept.
func (s *Set) Views() (list []optics.View, names []string) {
	for _, k := range s.Shots {
		along := s.Along(&k.ShotSettings)
		list = append(list, along...)
		for range along {
			names = append(names, k.Name)
		}
	}
	if len(list) == 0 {
		return []optics.View{s.Kept.View}, []string{"the view"}
	}
	return list, names
}

// Along are the views of a shot at several moments of its move.
func (s *Set) Along(k *stage.ShotSettings) (list []optics.View) {
	if k.Move == nil {
		return []optics.View{k.View}
	}
	cast := s.Cast(k.Move)
	for i := range Moments {
		list = append(list, k.At(k.Move.Duration()*float64(i)/(Moments-1), cast.Where))
	}
	return list
}

// Cast is what stands in the set, hidden or not, as a move moves it. The set must be
// laid out.
func (s *Set) Cast(m *motion.Move) *stage.Cast {
	members := make([]stage.Member, 0, len(s.Placements)+len(s.Elements))
	for _, p := range s.Placements {
		world, box := p.World(), s.BoxOf(p)
		members = append(members, stage.Member{ID: p.ID, Groups: s.Groups.Of(p.Group),
			Middle: world.Point(box.Center())})
	}
	for _, e := range s.Elements {
		if l := s.laid[e.ID]; l != nil && (l.Body != nil || len(l.Instances) > 0) {
			members = append(members, stage.Member{ID: e.ID, Middle: l.Middle()})
		}
	}
	return stage.NewCast(m, members)
}

// wanted says whether a thing of a drift is seen by one of the views, or as far
// beside as its margin, or casts a shadow there. high is how tall it is, sun the way to
// the sun.
func wanted(views []optics.View, sun geom.V, d *lay.Scatter, high float64) func(geom.V) bool {
	eyes := make([]eye, len(views))
	for i := range views {
		eyes[i] = eyeOf(&views[i])
	}
	return func(p geom.V) bool {
		for i := range eyes {
			v := &eyes[i]
			if v.sees(p, d.Margin+high) {
				return true
			}
			if !d.Shadows || sun.Y < 0.02 {
				continue
			}
			// Its shadow lies from its foot to as far as the light falls on.
			tip := geom.V{X: -sun.X, Z: -sun.Z}.Mul(high / sun.Y)
			for k := 1; k <= 4; k++ {
				if v.sees(p.Add(tip.Mul(float64(k)/4)), d.Margin) {
					return true
				}
			}
		}
		return false
	}
}

// eye is the pyramid that a view sees.
type eye struct {
	inv    geom.M
	tx, ty float64
	far    float64
}

func eyeOf(v *optics.View) eye {
	inv, tx, ty := v.Upright()
	return eye{inv, tx, ty, v.Far}
}

// sees says whether a place is in the picture, or at most margin metres beside
// the pyramid of what it sees.
func (e *eye) sees(p geom.V, margin float64) bool {
	q := e.inv.Point(p)
	depth := -q.Z
	if depth < -margin || depth > e.far+margin {
		return false
	}
	// Distance to the side planes through the lens.
	return (math.Abs(q.X)-depth*e.tx)/math.Hypot(1, e.tx) <= margin && (math.Abs(q.Y)-depth*e.ty)/math.Hypot(1,
		e.ty) <= margin
}
