package stage

import (
	"fmt"
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/motion"
)

func train() *motion.Move {
	return &motion.Move{Rate: 24, Seconds: 4, Rides: []motion.Animation{
		{IDs: []string{"train"}, Points: []geom.V{{}, {X: 10}}, Seconds: 4, Easing: "linear"},
		{IDs: []string{"lamp"}, Points: []geom.V{{}, {Y: 1}}, Start: 1, Seconds: 2, Easing: "linear"}}}
}

// What belongs to a group rides with it, and what rides itself moves on top of that.
func TestWhatRidesMovesWithItsGroup(t *testing.T) {
	c := NewCast(train(), []Member{{ID: "car", Groups: []string{"inner", "train"}, Middle: geom.V{Z: 3}},
		{ID: "lamp", Groups: []string{"train"}, Middle: geom.V{Y: 2}}, {ID: "tree", Middle: geom.V{X: 5}}})
	for id, want := range map[string]geom.V{"car": {X: 5, Z: 3}, "lamp": {X: 5, Y: 2.5}, "tree": {X: 5}} {
		got, ok := c.Where(id, 2)
		if !ok || got.Sub(want).Len() > 1e-9 {
			t.Errorf("%s is at %v, want %v", id, got, want)
		}
	}
	pose := c.Pose(2)
	if _, moves := pose["tree"]; moves || len(pose) != 2 || c.Rides("tree") || !c.Rides("car") {
		t.Errorf("%v", pose)
	}
	if p := pose["lamp"]; p.Point(geom.V{Y: 2}).Sub(geom.V{X: 5, Y: 2.5}).Len() > 1e-9 {
		t.Errorf("the lamp is moved to %v", p.Point(geom.V{Y: 2}))
	}
	if _, ok := c.Where("nobody", 1); ok || NewCast(nil, nil).Pose(1) != nil {
		t.Error("what is not there moves")
	}
}

func TestFramesOfAShot(t *testing.T) {
	k := ShotSettings{Move: &motion.Move{Rate: 10, Seconds: 3}}
	for _, c := range [][4]int{{0, 0, 0, 29}, {5, 12, 4, 11}, {1, 900, 0, 29}, {200, 0, 29, 29}} {
		k.First, k.Last = c[0], c[1]
		if first, last := k.Frames(); first != c[2] || last != c[3] {
			t.Errorf("%d to %d are %d to %d", c[0], c[1], first, last)
		}
	}
}

func BenchmarkPose(b *testing.B) {
	var members []Member
	for i := range 5000 {
		m := Member{ID: fmt.Sprint(i), Middle: geom.V{X: float64(i)}}
		if i%2 == 0 {
			m.Groups = []string{"train"}
		}
		members = append(members, m)
	}
	c := NewCast(train(), members)
	for b.Loop() {
		if p := c.Pose(math.Pi); len(p) != 2500 {
			b.Fatal(len(p))
		}
	}
}
