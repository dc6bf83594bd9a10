package identity

import (
	"encoding/json"
	"math"
	"strings"
	"testing"
)

// The first are the algorithm's reference values (verification of the published code, seed 0); the rest are of the
// specification of Cryptomatte, whose example names hash to these IDs.
func TestHash(t *testing.T) {
	for text, want := range map[string]uint32{"": 0, "hello": 0x248bfa47, "hello, world": 0x149bbb7f,
		"The quick brown fox jumps over the lazy dog": 0x2e4ff723} {
		if got := Hash(text); got != want {
			t.Errorf("%q: %08x, want %08x", text, got, want)
		}
	}
}

// As a float no ID is an infinity, a NaN, or denormal, which programs would change.
func TestIDsAreOrdinaryNumbers(t *testing.T) {
	turned := 0
	for i := range 200_000 {
		name := strings.Repeat("x", i%7) + string(rune('a'+i%26)) + strings.Repeat("y", i/26%5) + string(rune(0x100+i))
		id := ID(name)
		if id != Hash(name) {
			turned++
		}
		f := float64(math.Float32frombits(id))
		if math.IsInf(f, 0) || f != f || math.Abs(f) < 1.17549435e-38 {
			t.Fatalf("%q is %g", name, f)
		}
		if math.Float32bits(float32(f)) != id {
			t.Fatalf("%q: %08x comes back as another", name, id)
		}
	}
	if turned == 0 {
		t.Error("no name needed its exponent turned")
	}
}

func TestLayer(t *testing.T) {
	l := &Layer{Name: "VisatorThing", Names: []string{"bench", "lamp “3”"}, IDs: make([]uint32, 2*Ranks),
		Shares: make([]float32, 2*Ranks)}
	l.IDs[0], l.Shares[0] = ID("bench"), 0.75
	l.IDs[1], l.Shares[1] = ID("lamp “3”"), 0.25
	list := l.Channels()
	if len(list) != 12 || list[0].Name != "VisatorThing00.R" || list[11].Name != "VisatorThing02.A" {
		t.Fatalf("%d channels, the first %s, the last %s", len(list), list[0].Name, list[len(list)-1].Name)
	}
	at := func(k, pixel int) float32 { c := list[k]; return c.Data[pixel*c.Stride+c.Offset] }
	if math.Float32bits(at(0, 0)) != ID("bench") || at(1, 0) != 0.75 || at(3, 0) != 0.25 || at(0, 1) != 0 {
		t.Error("the first pixel is another")
	}
	attrs, err := l.Attributes()
	if err != nil || len(attrs) != 4 {
		t.Fatal(attrs, err)
	}
	for k, v := range attrs {
		if len(k) > 31 {
			t.Errorf("%s is longer than what every reader takes", k)
		}
		if strings.HasSuffix(k, "/manifest") {
			var m map[string]string
			if err := json.Unmarshal([]byte(v), &m); err != nil || m["bench"] == "" || len(m) != 2 {
				t.Errorf("manifest %s: %v", v, err)
			}
		}
	}
}
