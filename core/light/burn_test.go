package light

import "testing"

// A carried lamp burns as the shot says of it, else as it says of its fixture, else as it does by itself; what is out
// on its thing is out in every shot.
func TestALampBurnsAsItsShotSays(t *testing.T) {
	h := Hung{Of: "post", Own: Burn{On: true, Dim: 0.8}, Lamp: DefaultLamp()}
	h.On, h.Dim = false, 0.1 // as the shot that is open has it
	for name, c := range map[string]struct {
		lamps map[string]Burn
		out   bool
		want  Burn
	}{
		"by itself":        {nil, false, Burn{true, 0.8}},
		"of another":       {map[string]Burn{"other": {false, 0}, "row/other": {false, 0}}, false, Burn{true, 0.8}},
		"as its fixture":   {map[string]Burn{"row": {false, 0.5}}, false, Burn{false, 0.5}},
		"alone":            {map[string]Burn{"row": {false, 0.5}, "row/post": {true, 2}}, false, Burn{true, 2}},
		"out on its thing": {map[string]Burn{"row/post": {true, 2}}, true, Burn{false, 2}},
	} {
		h.Out = c.out
		got := h.InShot(&State{Lamps: c.lamps}, "row")
		if got.Burn() != c.want {
			t.Errorf("%s: %+v, not %+v", name, got.Burn(), c.want)
		}
	}
	if h.On || h.Dim != 0.1 {
		t.Error("the lamp of the open shot has changed")
	}
	if Element(Carried("row", "post#2")) != "row" || Carried("row", "") != "row" || Element("row") != "row" {
		t.Error("what carries a lamp is not told from its fixture")
	}
}
