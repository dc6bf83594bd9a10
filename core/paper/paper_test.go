package paper

import (
	"bytes"
	"encoding/csv"
	"math"
	"strings"
	"testing"

	"visator/core/drawing"
	"visator/core/geom"
	"visator/core/optics"
	"visator/core/unit"
)

func words(d *drawing.Drawing) string {
	var out []string
	for _, t := range d.Texts {
		out = append(out, t.Words)
	}
	return strings.Join(out, "\n")
}

// The plan is to the scale that it names: five metres between camera and subject
// measure so many millimetres on the sheet.
func TestThePlanIsToItsScale(t *testing.T) {
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch, v.Focus = geom.V{Y: 1.6}, 0, 0, 5
	at := geom.V{Z: -5}
	s := &Shot{Production: "p", Set: "s", Name: "one", View: v, Subject: "bench", SubjectAt: &at, Focus: "bench",
		Height: 1.6, On: "floor", Sun: "none",
		Things: []Outline{{Name: "bench", Points: []geom.V{{X: -1, Z: -5.5}, {X: 1, Z: -5.5}, {X: 1, Z: -4.5},
			{X: -1, Z: -4.5}}}},
		Marks: []Mark{{At: 1.5, On: "bench", Metres: 5}}}
	d := ShotSheet(unit.InMetres, s)
	all := words(d)
	for _, want := range []string{"one", "35 mm, 54.4° wide, 32.3° high", "1.60 m above floor",
		"5.00 m on bench, sharp from", "1.50 s: 5.00 m on bench", "plan 1 : 50, printed at 100 %"} {
		if !strings.Contains(all, want) {
			t.Errorf("%q is not on the sheet:\n%s", want, all)
		}
	}
	bench := d.Areas[0].Points
	if w := math.Abs(bench[1].X - bench[0].X); math.Abs(w-2000/50) > 1e-9 {
		t.Errorf("two metres at 1 : 50 are %v mm", w)
	}
	for _, p := range d.Lines {
		for _, q := range p.Points {
			if q.X < 0 || q.Y < 0 || q.X > d.W || q.Y > d.H {
				t.Fatalf("%v lies beside the sheet", q)
			}
		}
	}
	if feet := words(ShotSheet(unit.InFeet, s)); !strings.Contains(feet, "5.2 ft above floor") {
		t.Errorf("in feet:\n%s", feet)
	}
}

// A figure twice as far away is drawn half as large: at the scale that the map
// gives for it.
func TestCutOutsAreScaledByDistance(t *testing.T) {
	v := optics.Default()
	v.Eye, v.Yaw, v.Pitch = geom.V{Y: 1.6}, 0, 0
	var list []CutOut
	for i, z := range []float64{-4, -8, -20} {
		foot, head := geom.V{X: float64(i) - 1, Z: z}, geom.V{X: float64(i) - 1, Y: 1.75, Z: z}
		x, f, depth, _ := v.Project(foot)
		_, h, _, _ := v.Project(head)
		list = append(list, CutOut{Name: "figure", X: x, Feet: f, Head: h, Height: 1.75, Distance: depth})
	}
	list = CutOutsOf(list)
	for i, c := range list {
		if want := (c.Feet - c.Head) / (list[0].Feet - list[0].Head); math.Abs(c.Scale-want) > 1e-9 {
			t.Errorf("figure %d is drawn %v of the first, the map says %v", i+1, want, c.Scale)
		}
	}
	horizon := []float64{0.5, 0.5}
	d := CutOutMap(unit.InMetres, "one", v.Aspect, horizon, list)
	if all := words(d); !strings.Contains(all, "0.500") || !strings.Contains(all, "horizon") {
		t.Error(all)
	}
	list[1].Name = `=HYPERLINK("http://example.org")` // no spreadsheet takes it for a formula
	var buf bytes.Buffer
	if err := WriteCutOuts(&buf, horizon, list); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&buf).ReadAll()
	if err != nil || len(rows) != 6 || rows[2][4] != "0.50000" || rows[4][6] != "0.50000" ||
		rows[2][1] != `'=HYPERLINK("http://example.org")` {
		t.Errorf("%v, %v", rows, err)
	}
}

func TestWordsAreBroken(t *testing.T) {
	got := wrap("a note that is longer than a line, with anoverlongwordthatcannotbebroken in it", 20)
	for _, l := range got {
		if len(l) > 20 && strings.Contains(l, " ") {
			t.Errorf("%q", l)
		}
	}
	if strings.Join(got, " ") != "a note that is longer than a line, with anoverlongwordthatcannotbebroken in it" {
		t.Errorf("%q", got)
	}
}
