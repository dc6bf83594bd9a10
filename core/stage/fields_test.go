package stage

import (
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/optics"
)

type kind interface {
	document.Fielded
	Check() error
}

// kinds are documents that are possible, made anew, and what of their JSON is told elsewhere.
var kinds = map[string]struct {
	make func() kind
	but  []string
}{
	"view": {func() kind { v := optics.Default(); v.Eye = geom.V{}; return &v }, nil},
	"settings": {func() kind {
		return &ShotSettings{View: optics.Default(), Light: light.Default()}
	}, []string{"view", "light", "move", "match", "finish"}},
	"placement": {func() kind { p := Person(geom.V{}); return &p },
		[]string{"id", "piece", "standIn"}},
	"shot": {func() kind {
		return &Shot{ID: "s", Name: "a", ShotSettings: ShotSettings{View: optics.Default(), Light: light.Default()}}
	}, []string{"id", "view", "light", "move", "match", "finish", "first", "last", "hide"}},
	"set": {func() kind {
		return &Scene{ID: "s", Name: "a", ShotSettings: ShotSettings{View: optics.Default(), Light: light.Default()}}
	}, []string{"id", "view", "light", "move", "match", "finish", "first", "last", "hide"}},
	"production": {func() kind { o := Usual(); return &o }, nil},
}

// patched is a document with one field set to a value.
func patched(t *testing.T, k kind, key string, value any) error {
	t.Helper()
	patch := value
	parts := strings.Split(key, ".")
	for i := len(parts) - 1; i >= 0; i-- {
		patch = map[string]any{parts[i]: patch}
	}
	raw, err := json.Marshal(patch)
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(raw, k); err != nil {
		t.Fatalf("%s: %v", key, err)
	}
	return k.Check()
}

// Each number is possible at both ends of its range and impossible beyond; what else a field cannot
// hold is refused too, and what is possible is not changed by being checked.
func TestFieldsHoldWhatTheySay(t *testing.T) {
	apart := map[string]bool{"near": true, "far": true, "first": true, "last": true} // of which each bounds the other
	for name, kind := range kinds {
		for _, f := range kind.make().Fields() {
			try := func(value any) error { return patched(t, kind.make(), f.Key, value) }
			switch f.Kind {
			case document.Text, document.Thing:
				most := 200
				if f.Max != nil {
					most = int(*f.Max)
				}
				if err := try(strings.Repeat("x", most)); err != nil {
					t.Errorf("%s %s: %v", name, f.Key, err)
				}
				if try(strings.Repeat("x", most+1)) == nil {
					t.Errorf("%s %s holds more than %d bytes", name, f.Key, most)
				}
				if f.Min != nil && *f.Min > 0 && try(" ") == nil {
					t.Errorf("%s %s may be blank", name, f.Key)
				}
			case document.List:
				if err := try(make([]string, int(*f.Max))); err != nil {
					t.Errorf("%s %s: %v", name, f.Key, err)
				}
				if try(make([]string, int(*f.Max)+1)) == nil || try([]string{strings.Repeat("x", 201)}) == nil {
					t.Errorf("%s %s holds too much", name, f.Key)
				}
			case document.Color, document.Choice, document.Unit:
				if try("no such thing") == nil {
					t.Errorf("%s %s is no such thing", name, f.Key)
				}
			case document.Yes:
			default:
				if f.Min == nil {
					t.Errorf("%s %s has no bounds", name, f.Key)
					continue
				}
				if !apart[f.Key] {
					for _, x := range []float64{*f.Min, *f.Max} {
						if err := try(x); err != nil {
							t.Errorf("%s %s at %v: %v", name, f.Key, x, err)
						}
					}
				}
				step := 1.0
				if f.Kind != document.Count {
					step = math.Max(1e-9, 1e-9*math.Abs(*f.Max))
				}
				below := try(*f.Min-step) == nil && !(f.Zero != "" && *f.Min-step == 0)
				if below || try(*f.Max+step) == nil {
					t.Errorf("%s %s goes beyond %v to %v", name, f.Key, *f.Min, *f.Max)
				}
				if err := try(0); f.Zero != "" && err != nil {
					t.Errorf("%s %s: 0 says %s, and: %v", name, f.Key, f.Zero, err)
				}
			}
		}
		k := kind.make()
		was, _ := json.Marshal(k)
		if err := k.Check(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if now, _ := json.Marshal(k); string(now) != string(was) {
			t.Errorf("%s is changed by being checked: %s, was %s", name, now, was)
		}
	}
}

// No value of a document is forgotten: each is a field, or is one of those that are told elsewhere.
func TestEveryValueIsAField(t *testing.T) {
	for name, kind := range kinds {
		k := kind.make()
		raw, err := json.Marshal(k)
		if err != nil {
			t.Fatal(err)
		}
		var values map[string]any
		if err := json.Unmarshal(raw, &values); err != nil {
			t.Fatal(err)
		}
		known := map[string]bool{}
		for _, f := range k.Fields() {
			known[strings.Split(f.Key, ".")[0]] = true
			if f.Label == "" {
				t.Errorf("%s %s has no label", name, f.Key)
			}
		}
		for key := range values {
			if !known[key] && !slices.Contains(kind.but, key) {
				t.Errorf("%s has a %s that is no field", name, key)
			}
		}
		for key := range known {
			if _, is := values[key]; !is {
				t.Errorf("%s has no %s", name, key)
			}
		}
	}
}

// What releases before this one wrote as a text, parted by commas, is read as the list that it was.
func TestListsAreReadAsTheyWereWritten(t *testing.T) {
	for text, want := range map[string][]string{
		`{"guides": "thirds,horizon", "cutWalls": "a,b"}`:        {"thirds", "horizon"},
		`{"guides": ["thirds", "horizon"], "cutWalls": ["a"]}`:   {"thirds", "horizon"},
		`{"guides": "", "cutWalls": ""}`:                         nil,
		`{"guides": null, "cutWalls": null}`:                     nil,
		`{"guides": "golden", "cutWalls": "one thing with one"}`: {"golden"},
	} {
		var v optics.View
		if err := json.Unmarshal([]byte(text), &v); err != nil || !slices.Equal(v.Guides, want) {
			t.Errorf("%s: %v, %v", text, v.Guides, err)
		}
	}
	var v optics.View
	for _, text := range []string{`{"guides": 3}`, `{"guides": {}}`, `{"guides": [1]}`} {
		if json.Unmarshal([]byte(text), &v) == nil {
			t.Errorf("%s was read", text)
		}
	}
}

// A camera that exposes by itself says how, when its settings are patched; else it is held.
func TestTheCameraSettlesItsExposure(t *testing.T) {
	s := Scene{ID: "s", Name: "a", ShotSettings: ShotSettings{View: optics.Default(), Light: light.Default()}}
	if err := Patch(&s, json.RawMessage(`{"view": {"fNumber": 16, "shutter": 0.01}}`)); err != nil || s.View.EV != 12 {
		t.Errorf("EV %v, %v", s.View.EV, err)
	}
	// f/16 at 1/100 s and ISO 100 is EV 14.64 (log2(256·100)).
	if err := Patch(&s, json.RawMessage(`{"view": {"byCamera": true}}`)); err != nil ||
		math.Abs(s.View.EV-math.Log2(25600)) > 1e-9 {
		t.Errorf("EV %v, %v", s.View.EV, err)
	}
}

// A thing that is cut away and shown again leaves the view as it was kept.
func TestWhatIsShownAgainChangesNothing(t *testing.T) {
	s := Scene{ID: "s", Name: "a", ShotSettings: ShotSettings{View: optics.Default(), Light: light.Default()}}
	kept := Shot{ID: "k", Name: "k", ShotSettings: s.ShotSettings}
	for patch, changed := range map[string]bool{`{"view": {"cutWalls": ["wall"]}}`: true,
		`{"view": {"cutWalls": []}}`: false, `{"view": {"guides": []}}`: true} {
		next := s
		if err := Patch(&next, json.RawMessage(patch)); err != nil || next.Changed(&kept) != changed ||
			next.View.Equal(&kept.View) == changed {
			t.Errorf("%s: changed is %v, %v", patch, next.Changed(&kept), err)
		}
	}
}
