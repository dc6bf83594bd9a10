package lay

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"visator/core/document"
	"visator/core/plain"
)

// What a panel shows under a key is what the description holds there, for every field of
// every kind; and a kind begins with what is possible.
func TestFieldsAreWhatTheDescriptionHolds(t *testing.T) {
	for kind, create := range Kinds {
		begun := create().Default()
		if err := document.Check(begun); err != nil {
			t.Errorf("%s begins with what is impossible: %v", kind, err)
		}
		seen := map[string]bool{}
		for _, f := range document.Schema(begun) {
			if seen[f.Key] || f.Label == "" {
				t.Errorf("%s: the field %q comes twice, or has no label", kind, f.Key)
			}
			seen[f.Key] = true
			var want any
			switch {
			case f.Kind == document.Yes:
				want = f.Default != true
			case f.Kind == document.Color || f.Kind == document.Swatch:
				want = "#123456"
			case f.Kind == document.Text:
				want = "one"
			case f.Kind == document.List:
				want = document.Names{"one"}
			case f.Kind == document.Choice:
				want = f.Choices[len(f.Choices)-1]
			case f.Kind == document.Count:
				want = 7.0
			default:
				want = 0.25
			}
			said, _ := json.Marshal(want)
			raw := fmt.Sprintf(`{"%s": %s}`, strings.ReplaceAll(f.Key, ".", `": {"`), said)
			if strings.Contains(f.Key, ".") {
				raw += "}"
			}
			now := create().Default()
			if err := plain.Read([]byte(raw), now); err != nil {
				t.Errorf("%s: %s: %v", kind, raw, err)
				continue
			}
			changed := 0
			for _, g := range document.Schema(now) {
				// A field that is drawn has nothing to go back to, but it holds its value.
				if g.Key == f.Key && (g.Default == nil || reflect.DeepEqual(g.Default, want)) {
					changed++
				} else if g.Key == f.Key {
					t.Errorf("%s: %s shows %v after %s", kind, f.Key, g.Default, raw)
				}
			}
			if changed != 1 {
				t.Errorf("%s: %s is not changed by %s", kind, f.Key, raw)
			}
		}
	}
}

// A new element is what was said of it over what its kind begins with, and what is kept
// already is read as it was kept: what it does not tell is nothing, as it was then.
func TestWhatIsNotSaidIsAsItBegins(t *testing.T) {
	var d Scatter
	if err := json.Unmarshal(Begun("drift",
		[]byte(`{"area": [{"x":0,"z":0},{"x":4,"z":0},{"x":4,"z":4}], "pieces": [{"piece":"p","weight":1}], "density": 0.2, "sizeMin": 0.5}`)), &d); err != nil {
		t.Fatal(err)
	}
	if d.SizeMin != 0.5 || d.SizeMax != 1.2 || d.Clumps != 4 || d.Seed != 1 || d.Check() != nil {
		t.Errorf("%+v", d)
	}
	for _, bad := range []string{`{"area": 1}`, `{"nothing": 1}`, `{"density": 1e999}`, `[]`, `{"color": "a\u0000"}`} {
		if got := Begun("drift", []byte(bad)); string(got) != bad {
			t.Errorf("%s became %s", bad, got)
		}
	}
	kept := Element{Kind: "water", Name: "pond",
		Spec: []byte(`{"outline": [{"x":0,"z":0},{"x":4,"z":0},{"x":4,"z":4}]}`)}
	s, err := kept.Read()
	if err != nil {
		t.Fatal(err)
	}
	if w := s.(*Water); w.Ripple != 0 || w.Seed != 0 {
		t.Errorf("what was kept without ripples has some now: %+v", w)
	}
}
