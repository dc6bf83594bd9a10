package snag

import (
	"math"
	"strings"
	"testing"

	"visator/core/contact"
	"visator/core/frame"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/optics"
)

// cube is a closed box of a size, standing on its middle.
func cube(at, size geom.V) *contact.Placed {
	p := model.Part{Kind: model.Triangles}
	for i := range 8 {
		c := geom.Box{Min: geom.V{X: -0.5, Z: -0.5}, Max: geom.V{X: 0.5, Y: 1, Z: 0.5}}.Corner(i)
		p.Positions = append(p.Positions, float32(c.X), float32(c.Y), float32(c.Z))
	}
	for _, q := range [][4]uint32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		p.Indices = append(p.Indices, q[0], q[1], q[2], q[0], q[2], q[3])
	}
	node := model.NewNode("cube")
	node.Mesh = 0
	m := &model.Model{Meshes: []model.Mesh{{Parts: []model.Part{p}}}, Nodes: []model.Node{node}, Roots: []int{0}}
	return contact.Place(contact.New(m, geom.Identity), geom.Compose(at, geom.Q{W: 1}, size))
}

// looked measures a view of a man, a wall and a floor as the application does.
func looked(v optics.View) *Seen {
	s := frame.NewScene([]frame.Thing{
		{ID: "floor", Name: "floor", Body: cube(geom.V{Y: -0.2}, geom.V{X: 60, Y: 0.2, Z: 60}), Land: true},
		{ID: "man", Name: "man", Body: cube(geom.V{Z: -4}, geom.V{X: 0.5, Y: 1.75, Z: 0.3}), Figure: true},
		{ID: "wall", Name: "wall", Body: cube(geom.V{X: 10, Z: -2}, geom.V{X: 4, Y: 3, Z: 0.3})},
	})
	out := &Seen{Shot: "s", Name: "one", View: v, Now: frame.Moment{View: v, Scene: s}, Height: math.Inf(1),
		Still: true}
	out.Range = frame.RangeOf([]frame.Moment{out.Now})
	out.Figures = s.FiguresOf(&v, s.Draw(&v, 96, 54), s.Spans(&v))
	if h, on := s.Below(v.Eye); on >= 0 {
		out.Height, out.On = h, s.Things[on].Name
	}
	return out
}

func TestWhatIsWrongWithAShotIsNamed(t *testing.T) {
	base := optics.Default()
	base.Eye, base.Yaw, base.Pitch = geom.V{Y: 1.6, Z: 6}, 0, 0
	deg := math.Pi / 180
	for name, c := range map[string]struct {
		change func(v *optics.View)
		kinds  string
		words  string
	}{
		"nothing":            {func(*optics.View) {}, "", ""},
		"tilted a little":    {func(v *optics.View) { v.Pitch = 1.5 * deg }, "converge", "1.5°"},
		"tilted much":        {func(v *optics.View) { v.Pitch = 12 * deg }, "", ""},
		"rolled a little":    {func(v *optics.View) { v.Roll = -0.6 * deg }, "horizon", "-0.6°"},
		"rolled much":        {func(v *optics.View) { v.Roll = 15 * deg }, "", ""},
		"higher than people": {func(v *optics.View) { v.Eye.Y = 2.2 }, "eye", "2.20 m above floor"},
		"from a crane":       {func(v *optics.View) { v.Eye.Y = 4 }, "", ""},
		"a mouse's view":     {func(v *optics.View) { v.Eye.Y = 0.05 }, "eye", "above floor"},
		"inside the wall":    {func(v *optics.View) { v.Eye = geom.V{X: 10, Y: 1, Z: -2} }, "within", "inside wall"},
		"under the floor":    {func(v *optics.View) { v.Eye.Y = -0.1 }, "under", "floor"},
		"against the wall":   {func(v *optics.View) { v.Eye = geom.V{X: 10, Y: 1.6, Z: -1.2} }, "wall", "fills"},
		"subject beside": {func(v *optics.View) { v.Subject, v.Yaw = "man", 2 }, "hidden",
			"man, the subject, is not in the picture"},
		"subject soft": {func(v *optics.View) { v.Subject, v.Focal, v.FNumber, v.Focus = "man", 85, 1.4, 3 }, "soft",
			"out of focus"},
		"subject behind a man": {func(v *optics.View) {
			v.Subject, v.Eye = "man", geom.V{X: 10, Y: 1.6, Z: -3}
			v.AimAt(geom.V{Y: 1, Z: -4})
		}, "", ""},
	} {
		v := base
		c.change(&v)
		var kinds, words []string
		for _, n := range Framing(looked(v)) {
			if n.Kind != "converge" || v.Pitch != 0 {
				kinds, words = append(kinds, n.Kind), append(words, n.What)
			}
			if n.Step != "frame" || n.Shot != "s" || n.Key == "" || !strings.HasPrefix(n.What, "one: ") {
				t.Errorf("%s: %+v", name, n)
			}
		}
		if name == "subject behind a man" {
			continue // only that nothing panics with the eye beside the wall
		}
		if got := strings.Join(kinds, " "); got != c.kinds || !strings.Contains(strings.Join(words, " "), c.words) {
			t.Errorf("%s: %q, want %q: %v", name, got, c.kinds, words)
		}
	}
}

// What is cut is told once for each plane, with a few names; not where it is meant.
func TestCutThingsAreToldOnceForEachPlane(t *testing.T) {
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch = geom.V{Y: 1.6, Z: 6}, 0, 0
	s := looked(v)
	s.CutNear, s.CutFar = []string{"a"}, []string{"b", "c", "d", "e", "f"}
	list := Framing(s)
	if len(list) != 2 || !strings.Contains(list[0].What, "cuts a") || !strings.Contains(list[1].What,
		"b, c, d and 2 more") || list[0].Fix != "fit" {
		t.Errorf("%+v", list)
	}
	s.View.CutMeant = true
	if list := Framing(s); len(list) != 0 {
		t.Errorf("cut on purpose: %+v", list)
	}
}
