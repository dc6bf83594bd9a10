package photometry

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"visator/core/geom"
)

// cosines is a file of a disc of 1000 cd that follows Lambert's law, every ten degrees as far as 90.
func cosines(head string) string {
	var b strings.Builder
	b.WriteString(head)
	b.WriteString("1 3200 2\n10 1 1 2 0.5 0.5 0\n1.0 1.0 40\n0 10 20 30 40 50 60 70 80 90\n0\n")
	for a := 0; a <= 90; a += 10 {
		fmt.Fprintf(&b, "%.4f ", 500*math.Cos(float64(a)*math.Pi/180))
	}
	return b.String() + "\n"
}

func near(t *testing.T, what string, got, want, off float64) {
	t.Helper()
	if !(math.Abs(got-want) <= off) {
		t.Errorf("%s is %v, want %v within %v", what, got, want, off)
	}
}

func read(t *testing.T, text string) *Web {
	t.Helper()
	w, err := Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// Every edition of LM-63 says the same of a disc that follows Lambert's law: π times its intensity in lumens, half of
// it at 60 degrees, a tenth at 84.3 (closed forms).
func TestEditionsOfLM63(t *testing.T) {
	for form, head := range map[string]string{
		"LM-63-1986": "A disc\nof a test\nTILT=NONE\n",
		"LM-63-1991": "IESNA91\n[TEST] 1\n[MANUFAC] Lumen Works\n[LUMINAIRE] A disc\nTILT=NONE\n",
		"LM-63-1995": "IESNA:LM-63-1995\n[TEST] 1\n[MANUFAC] Lumen Works\n[LUMINAIRE] A disc\nTILT = NONE\n",
		"LM-63-2002": "IESNA:LM-63-2002\r\n[TEST] 1\r\n[MANUFAC] Lumen Works\r\n[LUMINAIRE] A disc\r\n" +
			"TILT=INCLUDE\r\n1\r\n3\r\n0, 45, 90\r\n1.0 0.95 0.9\r\n",
	} {
		w := read(t, cosines(strings.Replace(head, "TILT = NONE", "TILT=NONE", 1)))
		if w.Form != form || w.Name != "A disc" {
			t.Errorf("%s is told as %s, of %q", form, w.Form, w.Name)
		}
		near(t, form+": lumens", w.Lumens(), math.Pi*1000, 12) // straight lines between ten degrees: 0.25 %
		near(t, form+": largest", w.Largest(), 1000, 1e-9)
		beam, _ := w.Spread(0.5)
		near(t, form+": beam", beam, 120, 0.3)
		field, other := w.Spread(0.1)
		near(t, form+": field", field, 2*84.26, 0.5)
		near(t, form+": field across", other, field, 1e-9)
		near(t, form+": at 25 degrees", w.At(77, 25), 500*(math.Cos(20*math.Pi/180)+math.Cos(30*math.Pi/180)), 0.001)
		near(t, form+": above", w.At(0, 120), 0, 0)
		if s := w.Symmetry(); s != "all around" {
			t.Errorf("%s: symmetry %s", form, s)
		}
		if d := w.Doubts(); len(d) != 0 {
			t.Errorf("%s: doubts %v", form, d)
		}
	}
}

// grid is a file whose intensities say where they were measured: 1000 + horizontal + vertical / 1000.
func grid(kind int, horizontal ...float64) string {
	b := fmt.Sprintf("IESNA91\nTILT=NONE\n1 -1 1 3 %d %d 2 0.1 0.2 0\n1 1 10\n0 45 90\n", len(horizontal), kind)
	if kind != 1 {
		b = fmt.Sprintf("IESNA91\nTILT=NONE\n1 -1 1 3 %d %d 2 0.1 0.2 0\n1 1 10\n-90 0 90\n", len(horizontal), kind)
	}
	for _, h := range horizontal {
		b += fmt.Sprint(h, " ")
	}
	for _, h := range horizontal {
		b += "\n"
		for _, v := range []float64{0, 45, 90} {
			b += fmt.Sprintf("%.3f ", 1000+h+v/1000)
		}
	}
	return b
}

// What was measured of a quarter or a half is mirrored to all around (LM-63: the last horizontal angle tells).
func TestSymmetriesAreUnfolded(t *testing.T) {
	for _, c := range []struct {
		planes     []float64
		asked, got float64
		said       string
	}{
		{[]float64{0, 45, 90}, 135, 45, "four quarters alike"},
		{[]float64{0, 45, 90}, 200, 20, "four quarters alike"},
		{[]float64{0, 45, 90}, -30, 30, "four quarters alike"},
		{[]float64{0, 90, 180}, 270, 90, "both sides alike"},
		{[]float64{90, 180, 270}, 30, 150, "both sides alike"},
		{[]float64{90, 180, 270}, 300, 240, "both sides alike"},
		{[]float64{0, 90, 180, 270, 360}, 300, 300, "none"},
		{[]float64{0, 90, 180, 270, 360}, -10, 350, "none"},
	} {
		w := read(t, grid(1, c.planes...))
		near(t, fmt.Sprint(c.planes, " at ", c.asked), w.At(c.asked, 45), 1000+c.got+0.045, 1e-6)
		if s := w.Symmetry(); s != c.said {
			t.Errorf("%v is %q, want %q", c.planes, s, c.said)
		}
	}
}

// Directions are angles as the types of photometry define them (LM-63): C about the downward axis, B about one across
// the aim, A about the upright.
func TestDirectionsOfEveryType(t *testing.T) {
	c := read(t, grid(1, 0, 90, 180, 270, 360))
	near(t, "C, towards +Z, level", c.Toward(geom.V{Z: 1}), 1090.09, 1e-6)
	near(t, "C, down", c.Toward(geom.V{Y: -1}), 1000, 1e-6)
	b := read(t, grid(2, -90, 0, 90))
	d := geom.V{X: math.Sin(0.3), Y: math.Cos(0.3) * math.Sin(0.5), Z: -math.Cos(0.3) * math.Cos(0.5)}
	const deg = 180 / math.Pi
	near(t, "B", b.Toward(d), b.At(0.3*deg, 0.5*deg), 1e-9)
	a := read(t, grid(3, 0, 45, 90))
	d = geom.V{X: math.Cos(0.4) * math.Sin(-0.2), Y: math.Sin(0.4), Z: -math.Cos(0.4) * math.Cos(0.2)}
	near(t, "A, both sides alike", a.Toward(d), a.At(0.2*deg, 0.4*deg), 1e-9)
}

// eulumdat is a file of so many planes and angles, whose intensities are f of plane and angle, per thousand lumens.
func eulumdat(symmetry, planes int, data [][]float64, point string) string {
	l := []string{"Lumen Works", "1", fmt.Sprint(symmetry), fmt.Sprint(planes), fmt.Sprint(360 / planes), "3", "45",
		"1",
		"Lantern", "7", "lantern.ldt", "2026", "300", "200", "100", "250", "150", "0", "0", "0", "0", "100", "80",
		"1" + point + "0",
		"0", "1", "1", "bulb", "2000", "2700", "80", "20"}
	for range 10 {
		l = append(l, "0"+point+"5")
	}
	for i := range planes {
		l = append(l, fmt.Sprint(i*360/planes))
	}
	l = append(l, "0", "45", "90")
	for _, row := range data {
		for _, x := range row {
			l = append(l, strings.Replace(fmt.Sprint(x), ".", point, 1))
		}
	}
	return strings.Join(l, "\r\n")
}

// EULUMDAT tells intensities for a thousand lumens, of as many planes as its symmetry needs.
func TestSymmetriesOfEulumdat(t *testing.T) {
	plane := func(x float64) []float64 { return []float64{x, x + 0.5, x + 0.25} }
	for _, c := range []struct {
		symmetry, planes int
		data             []float64
		asked            [][2]float64 // horizontal angle and what was measured there
	}{
		{1, 4, []float64{100}, [][2]float64{{0, 100}, {123, 100}}},
		{2, 4, []float64{100, 190, 280}, [][2]float64{{0, 100}, {90, 190}, {270, 190}, {180, 280}}},
		{3, 4, []float64{270, 100, 190}, [][2]float64{{270, 270}, {0, 100}, {180, 100}, {90, 190}}},
		{4, 4, []float64{100, 190}, [][2]float64{{0, 100}, {180, 100}, {270, 190}}},
		{0, 4, []float64{100, 190, 280, 370}, [][2]float64{{0, 100}, {90, 190}, {270, 370}, {315, 235}}},
	} {
		var rows [][]float64
		for _, x := range c.data {
			rows = append(rows, plane(x))
		}
		for _, point := range []string{".", ","} {
			w := read(t, eulumdat(c.symmetry, c.planes, rows, point))
			for _, q := range c.asked {
				near(t, fmt.Sprintf("symmetry %d at %v", c.symmetry, q[0]), w.At(q[0], 45), 2*(q[1]+0.5), 1e-9)
			}
			if w.Name != "Lantern" || w.Maker != "Lumen Works" || w.Size != [3]float64{0.15, 0.25, 0} ||
				w.Rated != 2000 {
				t.Errorf("read %q of %q, %v, %v lm", w.Name, w.Maker, w.Size, w.Rated)
			}
		}
	}
}

// What is wrong about a file is said with the place.
func TestWrongFilesAreTold(t *testing.T) {
	good := cosines("IESNA91\nTILT=NONE\n")
	for name, c := range map[string][2]string{
		"counts": {strings.Replace(good, "\n10 1 1 2", "\n11 1 1 2", 1),
			"11 vertical and 1 horizontal angles need 23"},
		"more":       {strings.Replace(good, "\n10 1 1 2", "\n9 1 1 2", 1), "21 numbers follow it"},
		"descending": {strings.Replace(good, "0 10 20 30", "0 20 10 30", 1), "must ascend"},
		"tilt file":  {strings.Replace(good, "TILT=NONE", "TILT=lamp.tlt", 1), "another file"},
		"commas":     {strings.ReplaceAll(good, ".", ","), "write 1.5, not 1,5"},
		"absurd":     {strings.Replace(good, "500.0000", "5e12", 1), "cannot be"},
		"words":      {strings.Replace(good, "0.5 0.5", "wide 0.5", 1), "line 4: \"wide\" is no number"},
		"type":       {strings.Replace(good, "10 1 1 2", "10 1 7 2", 1), "photometric type 7"},
		"a million":  {strings.Replace(good, "\n10 1 1 2", "\n1e6 1 1 2", 1), "1 to 2000"},
		"dark":       {strings.Replace(good, "1 3200 2", "1 3200 0", 1), "leave nothing"},
		"no file":    {"hello", "neither EULUMDAT nor LM-63"},
		"binary":     {"IESNA91\x00", "plain text"},
		"infinite":   {strings.Replace(good, "500.0000", "Inf", 1), "is no number"},
		"EULUMDAT": {strings.Replace(eulumdat(1, 4, [][]float64{{1, 2, 3}}, "."), "\r\n4\r\n", "\r\nfour\r\n", 1),
			"line 4"},
		"short": {strings.TrimSuffix(eulumdat(1, 4, [][]float64{{1, 2, 3}}, "."), "\r\n3"), "ends before"},
		"a symmetry": {strings.Replace(eulumdat(1, 4, [][]float64{{1, 2, 3}}, "."), "\r\n1\r\n", "\r\n9\r\n", 1),
			"line 2"},
		"much too big": {strings.Repeat("1 ", MaxFile), "no photometric file"},
	} {
		_, err := Read(strings.NewReader(c[0]))
		if err == nil || !strings.Contains(err.Error(), c[1]) {
			t.Errorf("%s: %v, want %q", name, err, c[1])
		}
	}
}

// Plausible mistakes of files that can be read are told.
func TestDoubts(t *testing.T) {
	for _, c := range [][2]string{
		{strings.Replace(cosines("IESNA91\nTILT=NONE\n"), "1 3200 2", "1 320 2", 1), "more than the 320 lm"},
		{strings.Replace(cosines("IESNA91\nTILT=NONE\n"), "1 3200 2", "1 99000 2", 1), "less than a tenth"},
		{strings.Replace(cosines("IESNA91\nTILT=NONE\n"), "2 0.5 0.5 0", "2 500 500 0", 1), "feet or millimetres"},
		{strings.Replace(cosines("IESNA91\nTILT=NONE\n"), "1.0 1.0 40", "1.0 1.0 4", 1), "lm per watt"},
	} {
		if said := strings.Join(read(t, c[0]).Doubts(), "; "); !strings.Contains(said, c[1]) {
			t.Errorf("doubts are %q, want %q", said, c[1])
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add(cosines("IESNA91\nTILT=NONE\n"))
	f.Add(grid(2, -90, 0, 90))
	f.Add(eulumdat(3, 4, [][]float64{{1, 2, 3}, {1, 2, 3}, {1, 2, 3}}, ","))
	f.Fuzz(func(t *testing.T, text string) {
		w, err := Read(strings.NewReader(text))
		if err != nil {
			return
		}
		for _, d := range []geom.V{{X: 1}, {Y: 1}, {Z: -1}, {X: 0.6, Y: -0.8}} {
			if c := w.Toward(d); !(c >= 0) || c > w.Largest()*(1+1e-9) {
				t.Fatalf("%v cd along %v, %v at most", c, d, w.Largest())
			}
		}
		w.Doubts()
	})
}
