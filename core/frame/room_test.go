package frame

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
)

// In a room of 6 x 4 m with a person at one end, short lenses have a place and
// long ones have none; no place is in a wall, behind one, or in an open door.
func TestLensesThatFitIntoARoom(t *testing.T) {
	const half, deep = 3.0, 2.0
	wall := func(id string, x0, z0, x1, z1 float64) Thing {
		return Thing{ID: id, Name: id, Body: at(block(geom.V{X: x0, Z: z0}, geom.V{X: x1, Y: 2.6, Z: z1}), geom.V{})}
	}
	person := Thing{ID: "person", Body: at(block(geom.V{X: -0.25, Z: -0.15}, geom.V{X: 0.25, Y: 1.75, Z: 0.15}), geom.V{X: -2.3})}
	things := []Thing{{ID: "ground", Body: at(sheet(50), geom.V{}), Land: true}, person,
		wall("north", -half, -deep-0.2, half, -deep), wall("south", -half, deep, half, deep+0.2), wall("west", -half-0.2, -deep, -half, deep), wall("east", half, -deep, half+0.2, deep),
		wall("door", 1, -deep, 1.04, -deep+0.9)}
	s := NewScene(things)
	v := optics.Default()
	v.Eye = geom.V{X: 1, Y: 1.5}
	ask := StandAsk{View: v, Subject: person.Body.Outer(), ID: "person", Share: 0.75, Focals: []float64{24, 35, 85, 200}}
	rows := s.Stands(ask, 1.5)
	if len(rows) != 4 || rows[0].Free == 0 || rows[1].Free == 0 || rows[3].Free != 0 {
		t.Fatalf("%+v", rows)
	}
	for _, r := range rows {
		// The whole of 1.75 m in three quarters of the height: d = 1.75·f/(0.75·20.25).
		if want := 1.75 * r.Focal / (0.75 * 20.25); math.Abs(r.Distance-want) > 1e-3*want {
			t.Errorf("%v mm from %v m, want %v", r.Focal, r.Distance, want)
		}
		for _, c := range r.Cells {
			if math.Abs(c.X) > half-cameraRoom+1e-6 || math.Abs(c.Z) > deep-cameraRoom+1e-6 {
				t.Errorf("%v mm: a camera in a wall at %v", r.Focal, c)
			}
			if c.X > 1-cameraRoom && c.X < 1.04+cameraRoom && c.Z < -deep+0.9 {
				t.Errorf("%v mm: a camera in the door at %v", r.Focal, c)
			}
		}
		if r.Best == nil {
			continue
		}
		w := v
		w.Focal, w.Eye, w.Yaw, w.Pitch = r.Focal, r.Best.Eye, r.Best.Yaw, r.Best.Pitch
		_, _, top, bottom, _, ok := w.Extent(ask.Subject)
		if !ok || math.Abs(bottom-top-0.75) > 0.12 {
			t.Errorf("%v mm: from there it fills %v", r.Focal, bottom-top)
		}
	}
}

// A sketch is dark where one thing ends and white where there is nothing.
func TestSketchDrawsEdges(t *testing.T) {
	s := NewScene([]Thing{{ID: "box", Body: at(block(geom.V{X: -1, Y: -1}, geom.V{X: 1, Y: 1, Z: 1}), geom.V{Z: -6})}})
	v := optics.Default()
	v.Eye = geom.V{}
	m := s.Sketch(&v, 160, 90)
	x, _, _, _ := v.Project(geom.V{X: -1, Z: -5})
	edge := int(x * 160)
	dark := false
	for k := -2; k <= 2; k++ {
		dark = dark || m.GrayAt(edge+k, 45).Y < 100
	}
	if !dark || m.GrayAt(2, 2).Y != 255 || m.GrayAt(80, 45).Y > 250 {
		t.Errorf("edge dark %v, sky %d, face %d", dark, m.GrayAt(2, 2).Y, m.GrayAt(80, 45).Y)
	}
}
