package snag

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"visator/core/contact"
	"visator/core/frame"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/optics"
	"visator/core/stage"
	"visator/core/unit"
)

// box is a thing of the picture: a box that stands with its middle at a place.
func boxAt(id string, at, half geom.V, land bool) frame.Thing {
	world := geom.Compose(at, geom.Q{W: 1}, half.Mul(2))
	body := contact.New(stage.ShapeModel("box"), geom.Identity)
	// The stand-in's box of one metre stands on its foot.
	world = world.Mul(geom.Translation(geom.V{Y: -0.5}))
	return frame.Thing{ID: id, Name: id, Body: contact.Place(body, world), Land: land}
}

// What is wrong with light is found, and nothing where it is right: each case changes one thing of a shot that is lit
// well.
func TestWhatIsWrongWithLight(t *testing.T) {
	at := func(x, y, z float64) geom.V { return geom.V{X: x, Y: y, Z: z} }
	bulb := func(p geom.V, lm float64) LitLamp {
		l := light.DefaultLamp()
		l.At, l.Output, l.Seen = p, lm, false
		return LitLamp{ID: "bulb", Name: "bulb", Hung: light.Hung{Lamp: l}}
	}
	for name, c := range map[string]struct {
		do   func(s *Seen)
		kind string
	}{
		"as it is":     {func(*Seen) {}, ""},
		"held by hand": {func(s *Seen) { s.View.EV = s.Metered + 4 }, "exposure"},
		"held by hand, of lamps": {func(s *Seen) {
			s.View.EV = s.Metered + 4
			for x := -8.0; x <= 8; x += 2 {
				l := bulb(at(x, 6, -4), 4e7)
				l.Carried = true
				s.Lamps = append(s.Lamps, l)
			}
		}, "!exposure"},
		"by the camera": {func(s *Seen) { s.View.EV, s.View.ByCamera = s.Metered+4, true }, ""},
		"within a box":  {func(s *Seen) { s.Lamps = append(s.Lamps, bulb(at(0, 0.5, 0), 5000)) }, "lamp within"},
		"within its piece": {func(s *Seen) {
			l := bulb(at(0, 0.5, 0),
				5e4)
			l.Carried = true
			s.Lamps = append(s.Lamps, l)
		}, ""},
		"in mid-air": {func(s *Seen) {
			l := bulb(at(2, 2, 0), 90000)
			l.Seen = true
			s.Lamps = append(s.Lamps,
				l)
		}, "lamp seen"},
		"too weak": {func(s *Seen) { s.Lamps = append(s.Lamps, bulb(at(5, 4, -20), 0.5)) }, "lamp lost"},
		"out": {func(s *Seen) {
			l := bulb(at(0, 0.5, 0), 5e7)
			l.On = false
			s.Lamps = append(s.Lamps,
				l)
		}, ""},
		"from the lens": {func(s *Seen) { s.Light.Azimuth, s.Light.Elevation = 3.1416, 0.1 }, "flat"},
		"burnt":         {func(s *Seen) { s.View.EV -= 4; s.Metered -= 4 }, "burnt"},
		"drowned":       {func(s *Seen) { s.View.EV += 8; s.Metered += 8 }, "drowned"},
		"before a floor that a lamp lights": {func(s *Seen) {
			l := bulb(at(0, 1, -4), 3e8)
			l.Carried, l.To, l.Shape, l.Angle = true, at(0, 0, -4), "cone", 2.6
			s.Light.SunOn = false
			s.Sky = 300
			s.Lamps = append(s.Lamps, l)
		}, "against"},
		"in haze":     {func(s *Seen) { s.Light.Haze, s.Light.HazeHigh = 15, 1000 }, "haze"},
		"nobody asks": {func(s *Seen) { s.Light = nil; s.View.EV += 9 }, ""},
		"the panorama's sun where the set's is, taken out": {func(s *Seen) {
			s.Own = &OwnSun{To: light.Direction(1.6, 0.65), Lux: 40_000}
			s.Light.SunOut = true
		}, ""},
		"lit by both": {func(s *Seen) { s.Own = &OwnSun{To: light.Direction(1.6, 0.65), Lux: 40_000} }, "suns"},
		"two suns":    {func(s *Seen) { s.Own = &OwnSun{To: light.Direction(-1, 0.65), Lux: 40_000} }, "suns"},
		"taken out, from another side": {func(s *Seen) {
			s.Own = &OwnSun{To: light.Direction(-1, 0.65), Lux: 40_000}
			s.Light.SunOut = true
		}, "sun aside"},
		"a weak one beside": {func(s *Seen) { s.Own = &OwnSun{To: light.Direction(-1, 0.65), Lux: 150} }, "sun aside"},
		"no sun of the set": {func(s *Seen) {
			s.Own = &OwnSun{To: light.Direction(-1, 0.65), Lux: 40_000}
			s.Light.SunOn = false
		}, ""},
	} {
		ls := light.Default()
		ls.Azimuth, ls.Elevation, ls.Lux = 1.6, 0.6, 50_000
		v := optics.Default()
		v.Eye, v.Subject = at(0, 1, 8), "subject"
		v.AimAt(at(0, 0.5, 0))
		v.EV = 14
		scene := frame.NewScene([]frame.Thing{boxAt("floor", at(0, -0.5, 0), at(20, 0.5, 20), true),
			boxAt("subject", at(0, 0.5, 0), at(0.5, 0.5, 0.5), false)})
		s := &Seen{In: unit.InMetres, Name: "shot", View: v, Now: frame.Moment{Scene: scene, View: v}, Light: &ls,
			Sky:     10_000,
			Metered: 14, Picture: scene.Draw(&v, 48, 32)}
		s.Figures = scene.FiguresOf(&v, s.Picture, scene.Spans(&v))
		c.do(s)
		var kinds []string
		put := func(kind, id, fix, label, format string, args ...any) {
			kinds = append(kinds, kind)
			if said := fmt.Sprintf(format, args...); strings.Contains(said, "%!") {
				t.Errorf("%s: %s", name, said)
			}
		}
		lit(s, put)
		suns(s, put)
		if no, is := strings.CutPrefix(c.kind, "!"); is {
			if slices.Contains(kinds, no) {
				t.Errorf("%s: found %v", name, kinds)
			}
			continue
		}
		if c.kind == "" && len(kinds) > 0 || c.kind != "" && !slices.Contains(kinds, c.kind) {
			t.Errorf("%s: found %v, want %q", name, kinds, c.kind)
		}
	}
}

// Light from below comes under a roof where the floor ends before the wall, and nowhere else: the same room with the
// floor drawn to the wall has no gap.
func TestLightThroughAGapUnderTheSet(t *testing.T) {
	at := func(x, y, z float64) geom.V { return geom.V{X: x, Y: y, Z: z} }
	for wide, want := range map[float64]bool{4: false, 3.4: true} {
		ls := light.Default()
		v := optics.Default()
		v.Eye = at(0, 1.5, 3)
		v.AimAt(at(0, 1, -3))
		scene := frame.NewScene([]frame.Thing{boxAt("floor", at(0, -0.05, 0), at(wide, 0.05, 4), true),
			boxAt("roof", at(0, 3.05, 0), at(4.2, 0.05, 4.2), false), boxAt("left", at(-4.1, 1.5, 0), at(0.1, 1.6, 4.2), false),
			boxAt("right", at(4.1, 1.5, 0), at(0.1, 1.6, 4.2), false), boxAt("far", at(0, 1.5, -4.1), at(4.2, 1.6, 0.1), false),
			boxAt("near", at(0, 1.5, 4.1), at(4.2, 1.6, 0.1), false)})
		s := &Seen{In: unit.InMetres, View: v, Now: frame.Moment{Scene: scene, View: v}, Light: &ls,
			Picture: scene.Draw(&v, 48, 32)}
		found := false
		gap(s, func(kind, id, fix, label, format string, args ...any) {
			found = kind == "gap"
			if said := fmt.Sprintf(format, args...); strings.Contains(said, "%!") {
				t.Error(said)
			}
		})
		if found != want {
			t.Errorf("a floor %.1f m to each side: found %v", wide, found)
		}
	}
}
