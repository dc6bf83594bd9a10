package rig

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"

	"visator/core/document"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/render"
	"visator/core/sky"
)

const web = "IESNA91\\nTILT=NONE\\n1 -1 1 3 1 1 2 0 0 0\\n1 1 10\\n0 45 90\\n0\\n1000 500 0"

// A rig is read as it was written, with what it does not tell as it begins.
func TestARigIsReadAsItWasWritten(t *testing.T) {
	one := Lamp{Name: "bulb", Lamp: light.DefaultLamp()}
	one.At, one.Group, one.Only = geom.V{X: 1, Y: 2, Z: 3}, "street", []string{"floor"}
	r := Rig{Light: light.Default(), Lamps: []Lamp{one}}
	r.Light.Fog = 200
	var b bytes.Buffer
	if err := r.Write(&b); err != nil {
		t.Fatal(err)
	}
	text := b.String()
	got, err := Read(&b)
	if err != nil {
		t.Fatal(err)
	}
	var again bytes.Buffer
	if err := got.Write(&again); err != nil || again.String() != text {
		t.Errorf("%v\n%s\nwas\n%s", err, again.String(), text)
	}
	got, err = Read(strings.NewReader(`{"form":"visator light 1","lamps":[{"name":"post","shape":"measured",` +
		`"photometry":"` + web + `"}]}`))
	if err != nil || got.Light.Lux != light.Default().Lux || got.Lamps[0].Output != light.DefaultLamp().Output ||
		math.Abs(got.Lamps[0].Web.Largest()-1000) > 1e-9 {
		t.Errorf("%+v, %v", got, err)
	}
}

// What is wrong about a rig is told with the lamp or the line.
func TestWrongRigsAreTold(t *testing.T) {
	lamps := func(s string) string { return `{"form":"visator light 1","lamps":[` + s + `]}` }
	for text, says := range map[string]string{
		`{"form":"visator light 1",` + "\n\n" + `"lamps":[}`: "line 3",
		`{"form":"other"}`:                                                "its form is",
		`{"form":"visator light 1","lumps":[]}`:                           "lumps",
		lamps(`{"name":"a"},{"name":"b","output":-1}`):                    `lamp 2, "b"`,
		lamps(`{"name":"a","colour":"red"}`):                              "colour",
		lamps(`{"name":"a","shape":"measured"}`):                          "brings the text",
		lamps(`{"name":"a","shape":"measured","photometry":"x"}`):         "its photometric file",
		lamps(`{"name":"a","kelvin":1e308}`):                              "colour temperature",
		`{"form":"visator light 1","light":{"sky":"green"}}`:              "sky",
		lamps(strings.TrimSuffix(strings.Repeat(`{},`, MaxLamps+1), ",")): "at most 10000",
	} {
		if _, err := Read(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.60s: %v, want %q", text, err, says)
		}
	}
}

// Lamps of a group are one, others one each, and what is too many is the last.
func TestGroupsOfLamps(t *testing.T) {
	traced := func(n int, group func(i int) string) (names []string, of []int) {
		list := make([]Burning, n)
		for i := range list {
			l := light.DefaultLamp()
			l.Group = group(i)
			list[i] = Burning{fmt.Sprint("lamp ", i), &l}
		}
		lamps, names, err := Traced(list, func(document.Names) (map[uint32]bool, error) { return nil, nil })
		if err != nil {
			t.Fatal(err)
		}
		for i := range lamps {
			of = append(of, lamps[i].Group)
		}
		return names, of
	}
	names, of := traced(5, func(i int) string { return []string{"", "street", "", "street", ""}[i] })
	if fmt.Sprint(names) != "[lamp 0 street lamp 2 lamp 4]" || fmt.Sprint(of) != "[0 1 2 1 3]" {
		t.Errorf("%v, %v", names, of)
	}
	names, of = traced(1000, func(int) string { return "" })
	if len(names) != MaxGroups || names[MaxGroups-1] != "other lamps" || of[999] != MaxGroups-1 || of[5] != 5 {
		t.Errorf("%d groups, the last %q", len(names), names[len(names)-1])
	}
}

// A lamp of a rig lights what it names: a meter beneath it reads its candela by the square.
func TestARigLightsAScene(t *testing.T) {
	r, err := Read(strings.NewReader(`{"form":"visator light 1","light":{"sunOn":false,"level":0},"lamps":[
		{"name":"bulb","radius":0,"at":{"x":0,"y":2,"z":0},"in":"cd","output":100},
		{"name":"off","on":false,"at":{"x":0,"y":1,"z":0}}]}`))
	if err != nil {
		t.Fatal(err)
	}
	var s render.Scene
	s.Build()
	lit, names, err := r.Lit(&s, none, func(string) []uint32 { return nil })
	if err != nil || fmt.Sprint(names) != "[bulb]" {
		t.Fatal(names, err)
	}
	if got := lit.MeterAt(geom.V{}, geom.V{Y: 1}, 0, 16, 1); math.Abs(got.Lux()-25) > 1e-6 {
		t.Errorf("%v lx, want 25", got.Lux())
	}
	r.Lamps[0].Only = []string{"nothing"}
	if _, _, err := r.Lit(&s, none, func(string) []uint32 { return nil }); err == nil || !strings.Contains(err.Error(),
		`"nothing"`) {
		t.Errorf("a lamp that lights only what is not there: %v", err)
	}
}

// none reads no panorama.
func none(string) Picture { return nil }

func FuzzRead(f *testing.F) {
	f.Add(`{"form":"visator light 1","lamps":[{"name":"post","shape":"measured","photometry":"` + web + `"}]}`)
	f.Fuzz(func(t *testing.T, text string) {
		if r, err := Read(strings.NewReader(text)); err == nil {
			for i := range r.Lamps {
				r.Lamps[i].Shining()
			}
		}
	})
}

// A panorama gives level ground the lux that it is told to, with its own sun and without.
func TestAPanoramaGivesTheGroundWhatItIsTold(t *testing.T) {
	const w, h = 256, 128
	pix := make([]float32, 3*w*h)
	for i := range pix {
		pix[i] = 1
	}
	for c := range 3 {
		pix[3*(40*w+100)+c] = 40_000
	}
	s := light.Default()
	s.Sky, s.GroundLux = "panorama", 12_000
	for _, out := range []bool{false, true} {
		s.SunOut = out
		e, err := Sky(&s, func() ([]float32, int, int, error) { return pix, w, h, nil })
		if err != nil {
			t.Fatal(err)
		}
		lux := sky.OnGround(func(d geom.V) float64 { return light.Luminance(e.At(d)) }, 256)
		if math.Abs(lux-12_000) > 300 {
			t.Errorf("its sun out %v: %v lx", out, lux)
		}
		peak := light.Luminance(e.At(light.Direction((100.5/w-0.5)*2*math.Pi, math.Pi/2-40.5/h*math.Pi)))
		if out && peak > 2*12_000/math.Pi || !out && peak < 1e5 {
			t.Errorf("its sun out %v: %v cd/m² where it was", out, peak)
		}
	}
}
