package finish

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"strings"
	"testing"

	"visator/core/document"
	"visator/core/optics"
)

// A step as it begins changes nothing, whichever it is; and one pixel at a time is the same
// as the short way without steps, to one step of 255.
func TestStepsBeginWithNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	const w, h = 31, 17
	color := make([]float32, 3*w*h)
	for i := range color {
		color[i] = float32(r.ExpFloat64() * 3000)
	}
	v := optics.Default()
	v.EV = 11
	want := Picture(color, w, h, v.EV)
	kept := bytes.Clone(want.Pix)
	for _, s := range Schema() {
		got := Develop(&Linear{Width: w, Height: h, Color: color}, &v, Chain{s.Name: json.RawMessage("{}")})
		for i := range got.Pix {
			if d := int(got.Pix[i]) - int(want.Pix[i]); d > 1 || d < -1 {
				t.Fatalf("%s: value %d is %d, not %d", s.Name, i, got.Pix[i], want.Pix[i])
			}
		}
		if len(s.Fields) == 0 {
			t.Errorf("%s has nothing to set", s.Name)
		}
	}
	if !bytes.Equal(kept, Picture(color, w, h, v.EV).Pix) || len(Schema()) == 0 {
		t.Error("developing changed what was shot")
	}
}

// mark is a step of the tests that says when its turn came.
type mark struct {
	name string
	say  *[]string
	seen *float32
}

func (*mark) Fields() []document.Field { return nil }
func (m *mark) Apply(p *Pixels) {
	*m.say = append(*m.say, m.name)
	*m.seen = max(*m.seen, p.RGB[0])
}

// Steps come in the order of light however they are named, and tone mapping comes between
// what is graded and what a film does.
func TestTheChainHasTheOrderOfLight(t *testing.T) {
	kept := kinds
	defer func() { kinds = kept }()
	kinds = nil
	var said []string
	seen := map[string]*float32{}
	for name, at := range map[string]Place{"a mask": Mask, "b grain": Grain, "c grade": Grade, "d glass": Glass,
		"e balance": Balance} {
		seen[name] = new(float32)
		step(name, at, func() Step { return &mark{name, &said, seen[name]} })
	}
	c := Chain{}
	for name := range seen {
		c[name] = json.RawMessage("{}")
	}
	v := optics.Default()
	v.EV = 0
	Develop(&Linear{Width: 1, Height: 1, Color: []float32{120, 120, 120}}, &v, c) // a hundred times white
	if got := strings.Join(said, ", "); got != "e balance, d glass, c grade, b grain, a mask" {
		t.Errorf("the order is %s", got)
	}
	for name, lit := range seen {
		if toned := *lit <= 1; toned != (name == "a mask" || name == "b grain") {
			t.Errorf("%s sees %v", name, *lit)
		}
	}
}

func TestAChainThatIsNone(t *testing.T) {
	for what, c := range map[string]Chain{
		"no step of it":            {"sparkle": json.RawMessage("{}")},
		"cannot be read":           {"falloff": json.RawMessage(`{"amont": 1}`)},
		"edge darkening must be 0": {"falloff": json.RawMessage(`{"amount": 3}`)},
		"falloff cannot":           {"falloff": json.RawMessage(`[]`)},
	} {
		if err := c.Check(); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := (Chain)(nil).Check(); err != nil {
		t.Error(err)
	}
}
