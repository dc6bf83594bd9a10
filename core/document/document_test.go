package document

import (
	"encoding/json"
	"math"
	"strings"
	"testing"
)

type lamp struct {
	Lumen  float64
	Turned float64
	Bulbs  int
	Seed   uint64
	On     bool
	Tint   string
	Shape  string
}

func (l *lamp) Fields() []Field {
	return []Field{
		Of(&l.Lumen, Number, "lumen", "strength, lm", "its strength").In(0, 1e5),
		Of(&l.Turned, Angle, "turned", "turned", "its turn").In(-math.Pi, math.Pi).Drawn(),
		Of(&l.Bulbs, Count, "bulbs", "bulbs", "their number").In(1, 12),
		Of(&l.Seed, Count, "seed", "chance", "its chance"),
		Of(&l.On, Yes, "on", "burns", ""),
		Of(&l.Tint, Color, "tint", "colour", ""),
		Of(&l.Shape, Choice, "shape", "shape", "a lamp is").Among("ball", "disc", "tube"),
	}
}

func whole() lamp {
	return lamp{Lumen: 800, Bulbs: 1, Seed: 1, On: true, Tint: "#ffeecc", Shape: "ball"}
}

// Each field is checked where it is, at both ends of its range and beyond.
func TestWhatIsImpossibleIsSaid(t *testing.T) {
	for say, change := range map[string]func(*lamp){
		"": func(*lamp) {},
		"its strength must be 0 to 100000, not -1":      func(l *lamp) { l.Lumen = -1 },
		"its strength must be 0 to 100000, not NaN":     func(l *lamp) { l.Lumen = math.NaN() },
		"its strength must be 0 to 100000, not 1e+308":  func(l *lamp) { l.Lumen = 1e308 },
		"their number must be 1 to 12, not 13":          func(l *lamp) { l.Bulbs = 13 },
		`"red" is not a colour such as #8a8a7a`:         func(l *lamp) { l.Tint = "red" },
		`"#ffeecc\x00" is not a colour such as #8a8a7a`: func(l *lamp) { l.Tint = "#ffeecc\x00" },
		`a lamp is ball, disc or tube, not "cube"`:      func(l *lamp) { l.Shape = "cube" },
		"its turn must be -180 to 180°, not 229.1831":   func(l *lamp) { l.Turned = 4 },
	} {
		l := whole()
		change(&l)
		got := ""
		if err := Check(&l); err != nil {
			got = err.Error()
		}
		if got != say {
			t.Errorf("want %q, got %q", say, got)
		}
	}
	for _, edge := range []func(*lamp){func(l *lamp) { l.Lumen = 0 }, func(l *lamp) { l.Lumen = 1e5 },
		func(l *lamp) { l.Bulbs = 12 }, func(l *lamp) { l.Tint = "" }, func(l *lamp) { l.Seed = math.MaxUint64 }} {
		l := whole()
		edge(&l)
		if err := Check(&l); err != nil {
			t.Error(err)
		}
	}
}

// What pages are told of a document is what it begins with, as JSON.
func TestTheSchemaIsWhatItBeginsWith(t *testing.T) {
	l := whole()
	raw, err := json.Marshal(Schema(&l))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{`{"key":"lumen","label":"strength, lm","kind":"number","min":0,"max":100000,"default":800}`,
		`{"key":"turned","label":"turned","kind":"angle","min":-3.141592653589793,"max":3.141592653589793,"default":null}`,
		`{"key":"on","label":"burns","kind":"yes","min":null,"max":null,"default":true}`,
		`{"key":"shape","label":"shape","kind":"choice","min":null,"max":null,"choices":["ball","disc","tube"],"default":"ball"}`} {
		if !strings.Contains(string(raw), want) {
			t.Errorf("%s lacks %s", raw, want)
		}
	}
}
