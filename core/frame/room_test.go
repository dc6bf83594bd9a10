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
	person := Thing{ID: "person", Body: at(block(geom.V{X: -0.25, Z: -0.15}, geom.V{X: 0.25, Y: 1.75, Z: 0.15}),
		geom.V{X: -2.3})}
	things := []Thing{{ID: "ground", Body: at(sheet(50), geom.V{}), Land: true}, person,
		wall("north", -half, -deep-0.2, half, -deep), wall("south", -half, deep, half, deep+0.2),
		wall("west", -half-0.2, -deep, -half, deep), wall("east", half, -deep, half+0.2, deep),
		wall("door", 1, -deep, 1.04, -deep+0.9)}
	s := NewScene(things)
	v := optics.Default()
	v.Eye = geom.V{X: 1, Y: 1.5}
	ask := StandAsk{View: v, Subject: person.Body.Outer(), ID: "person", Share: 0.75, Focals: []float64{24, 35, 85,
		200}}
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

// On an open plain the floor for a lens is the ring of a tenth of the distance about it,
// 0.2 π d²; a pole of 3 cm, of which hardly any line of sight would tell, keeps the camera
// 0.45 m away.
func TestTheFreeFloorIsNoLargerThanThereIs(t *testing.T) {
	person := Thing{ID: "person", Body: at(block(geom.V{X: -0.25, Z: -0.15}, geom.V{X: 0.25, Y: 1.75, Z: 0.15}),
		geom.V{})}
	pole := Thing{ID: "pole", Body: at(block(geom.V{X: -0.015, Z: -0.015}, geom.V{X: 0.015, Y: 3, Z: 0.015}),
		geom.V{X: 3.1, Z: 0.07})}
	v := optics.Default()
	v.Eye = geom.V{X: 1, Y: 1.5}
	ask := StandAsk{View: v, Subject: person.Body.Outer(), ID: "person", Share: 0.75, Focals: []float64{24, 35}}
	ground := Thing{ID: "ground", Body: at(sheet(50), geom.V{}), Land: true}
	for _, r := range NewScene([]Thing{ground, person}).Stands(ask, 1.5) {
		if want := 0.2 * math.Pi * r.Distance * r.Distance; math.Abs(r.Free-want) > 0.03*want {
			t.Errorf("%v mm: %v m² of %v", r.Focal, r.Free, want)
		}
	}
	near := 0
	for _, r := range NewScene([]Thing{ground, person, pole}).Stands(ask, 1.5) {
		for _, c := range r.Cells {
			if d := math.Hypot(c.X-3.1, c.Z-0.07); d < cameraRoom-0.02 {
				t.Errorf("%v mm: a camera %v m from the pole", r.Focal, d)
			} else if d < cameraRoom+0.15 {
				near++
			}
		}
	}
	if near == 0 {
		t.Error("no camera is anywhere near the pole: nothing was tried")
	}
}
