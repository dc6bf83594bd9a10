package app_test

import (
	"bytes"
	"context"
	"encoding/json"
	"image/png"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"visator/app/develop"

	"visator/app/edit"
	"visator/app/query"
	"visator/app/shoot"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/light"
	"visator/store"
)

// looked is the next picture of the true view after the one that was seen, once ok says so.
func (d *studio) looked(set string, ok func(t *shoot.TrueView) bool) shoot.TrueView {
	d.Helper()
	ctx, end := context.WithTimeout(d.ctx, time.Minute)
	defer end()
	seen := 0
	for {
		t, err := d.a.TrueView(ctx, set, seen, shoot.Look{Width: 96, Clean: 0.2})
		if err != nil {
			d.Fatal(err)
		}
		if ok(&t) {
			return t
		}
		seen = t.Number
	}
}

// bright is the mean of a picture's values, 0 to 255.
func bright(t *testing.T, t1 *shoot.TrueView) float64 {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(t1.PNG))
	if err != nil {
		t.Fatal(err)
	}
	sum, b := 0.0, img.Bounds()
	for y := range b.Dy() {
		for x := range b.Dx() {
			r, g, bl, _ := img.At(x, y).RGBA()
			sum += float64(r+g+bl) / 3 / 257
		}
	}
	return sum / float64(b.Dx()*b.Dy())
}

// A floor without sun and sky is dark until a lamp burns over it; the true view shows each as it is edited, down to the
// noise that was asked for, and then stands still. What is edited out of sight does not begin it again.
func TestTheTrueViewFollowsEdits(t *testing.T) {
	d := newStudio(t)
	view := map[string]any{"eye": geom.V{Y: 1.6, Z: 2.5}, "yaw": 0, "pitch": -0.6, "ev": 4, "near": 0.05, "far": 50}
	d.edit(edit.Do(&edit.Place{StandIn: "slab", Name: "floor", At: geom.V{Y: -0.2},
		Patch: patch(map[string]any{"size": geom.V{X: 12, Y: 0.2, Z: 12}})}),
		edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": view,
			"light": map[string]any{"sunOn": false, "level": 0}})}))
	clean := func(v *shoot.TrueView) bool { return v.State == "clean" && v.Revision == d.state().Revision }
	dark := d.looked(d.set, clean)
	if b := bright(t, &dark); b > 2 {
		t.Errorf("without light it is %v bright", b)
	}
	lamp := lay.Lamp{Lamp: light.DefaultLamp()}
	lamp.At = geom.V{Y: 2.5}
	id := d.add("lamp", &lamp)
	lit := d.looked(d.set, clean)
	if b := bright(t, &lit); b < 20 || lit.Noise > 0.2 || lit.Samples < 2 || lit.Width != 96 {
		t.Errorf("with a lamp it is %v bright, with %v noise after %d samples, %d wide", b, lit.Noise, lit.Samples,
			lit.Width)
	}
	// A layer with nothing in it is not seen.
	d.add("layer", &lay.Layer{})
	still := d.looked(d.set, func(v *shoot.TrueView) bool { return v.Revision == d.state().Revision })
	again, err := d.a.TrueView(d.ctx, d.set, still.Number-1, shoot.Look{Width: 96, Clean: 0.2})
	if err != nil || again.PNG != nil {
		t.Errorf("a word alone brings a picture of %d bytes: %v", len(again.PNG), err)
	}
	// Who has not seen the picture yet is given it.
	if still, err = d.a.TrueView(d.ctx, d.set, 0, shoot.Look{Width: 96, Clean: 0.2}); err != nil {
		t.Fatal(err)
	}
	if still.State != "clean" || !bytes.Equal(still.PNG, lit.PNG) {
		t.Errorf("an edit that is not seen made another picture: %s, %d samples", still.State, still.Samples)
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: id, Patch: patch(map[string]any{"spec": map[string]any{"dim": 0.25}})}))
	dim := d.looked(d.set, clean)
	if a, b := bright(t, &lit), bright(t, &dim); b >= a || b < 5 {
		t.Errorf("dimmed to a quarter it is %v bright of %v", b, a)
	}
	d.a.Close() // ends what is made, and waits for it
	if _, err := d.a.TrueView(d.ctx, d.set, 0, shoot.Look{Width: 96, Clean: 0.1}); err == nil {
		t.Error("one is begun although the server ends")
	}
}

// What cannot be asked for is refused in words; a set that is not there has no view.
func TestTrueViewsThatCannotBe(t *testing.T) {
	d := newStudio(t)
	for _, c := range []struct {
		set   string
		width int
		clean float64
		says  string
	}{{d.set, 4, 0.1, "pixels wide"}, {d.set, 1 << 20, 0.1, "pixels wide"}, {d.set, 96, 0, "noise"},
		{d.set, 96, math.NaN(), "noise"}, {"nowhere", 96, 0.1, "not there"}} {
		if _, err := d.a.TrueView(d.ctx, c.set, 0, shoot.Look{Width: c.width, Clean: c.clean}); err == nil ||
			!strings.Contains(err.Error(),
				c.says) {
			t.Errorf("%+v: %v", c, err)
		}
	}
}

// The meter reads in the room what its lamp gives the floor: by the inverse square and the cosine, named, beside what
// bounces; and stops above middle grey by the exposure. Beside the picture it reads nothing.
func TestTheMeterReadsWhatALampGives(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	d.add("room", &lay.Room{Outline: []lay.P{{X: -3, Z: -3}, {X: 3, Z: -3}, {X: 3, Z: 3}, {X: -3, Z: 3}}, Height: 3,
		Wall: 0.2, Ceiling: true})
	lamp := lay.Lamp{Lamp: light.DefaultLamp()}
	lamp.At, lamp.Radius, lamp.Output = geom.V{X: 0.5, Y: 2.5, Z: -1}, 0, 1000
	lamp.In = "cd"
	id := d.edit(edit.Do(&edit.AddElement{Kind: "lamp", Name: "bulb", Spec: patch(&lamp)})).Made[0]
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{Y: 1.5, Z: 2},
		"yaw": 0, "pitch": -0.6, "ev": 5, "near": 0.05, "far": 50}})}))
	m, err := d.a.Meter(d.ctx, d.set, 0.5, 0.5)
	if err != nil || !m.Hit || math.Abs(m.At.Y) > 1e-3 || m.Revision != d.state().Revision {
		t.Fatalf("%+v, %v", m, err)
	}
	to := lamp.At.Sub(m.At)
	want := 1000 * to.Y / to.Len() / (to.Len() * to.Len())
	if s := m.Shares[slices.IndexFunc(m.Shares, func(s shoot.Share) bool { return s.ID != "" })]; s.ID != id ||
		s.Name != "bulb" || math.Abs(s.Lux-want) > 1e-3*want {
		t.Errorf("%+v, want %v lx", s, want)
	}
	sum := 0.0
	for _, s := range m.Shares {
		sum += s.Lux
	}
	if math.Abs(sum-m.Lux) > 1e-6*m.Lux || len(m.Shares) != 2 || m.Key != "bulb" ||
		math.Abs(m.Ratio-m.Lux/(m.Lux-want)) > 0.01*m.Ratio {
		t.Errorf("%+v", m)
	}
	// At EV 5 a picture is white from 1.2 · 2^5 cd/m² on (ISO 12232, by saturation); middle grey is 18 % of that.
	if stops := math.Log2(m.Luminance / (0.18 * 1.2 * 32)); math.Abs(stops-m.Stops) > 1e-3 {
		t.Errorf("%v stops, want %v", m.Stops, stops)
	}
	for _, at := range [][2]float64{{-0.1, 0.5}, {0.5, 1.1}, {math.NaN(), 0}} {
		if _, err := d.a.Meter(d.ctx, d.set, at[0], at[1]); err == nil {
			t.Errorf("it reads at %v", at)
		}
	}
}

// A lamp shines as its photometric file says, on what it is told to light; a wrong file is refused with its place.
func TestAMeasuredLampLightsWhatItIsTold(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	// 1000 cd straight down, 500 at 45 degrees, none from 90 on.
	const file = "IESNA:LM-63-2002\n[LUMINAIRE] lantern\nTILT=NONE\n" +
		"1 -1 1 3 1 1 2 0 0 0\n1 1 20\n0 45 90\n0\n1000 500 0\n"
	p, err := d.a.Photometry(d.ctx, "lantern.ies", strings.NewReader(file))
	if err != nil || p.Name != "lantern" || len(p.Blob) != 64 {
		t.Fatalf("%+v, %v", p, err)
	}
	if _, err := d.a.Photometry(d.ctx, "bad.ies", strings.NewReader(file+"7")); err == nil ||
		!strings.Contains(err.Error(), "bad.ies: line 5: 8 numbers follow it") {
		t.Errorf("a number too many: %v", err)
	}
	floor := d.edit(edit.Do(&edit.Place{StandIn: "slab", Name: "floor", At: geom.V{Y: -0.2},
		Patch: patch(map[string]any{"size": geom.V{X: 28, Y: 0.2, Z: 28}})})).Made[0]
	lamp := lay.Lamp{Lamp: light.DefaultLamp()}
	lamp.Shape, lamp.File, lamp.FileName = "measured", p.Blob, p.Name
	lamp.At, lamp.To, lamp.Radius, lamp.In, lamp.Output = geom.V{Y: 3}, geom.V{}, 0, "lm", math.Round(p.Lumens)
	id := d.edit(edit.Do(&edit.AddElement{Kind: "lamp", Name: "post", Spec: patch(&lamp)})).Made[0]
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{Y: 1.5, Z: 4},
		"yaw": 0, "pitch": -0.6, "ev": 5, "near": 0.05, "far": 50}, "light": map[string]any{"sunOn": false,
		"level": 0}})}))
	lux := func(x, y float64) (m shoot.Metered) {
		m, err := d.a.Meter(d.ctx, d.set, x, y)
		if err != nil || !m.Hit {
			t.Fatalf("%+v, %v", m, err)
		}
		return m
	}
	for _, y := range []float64{0.3, 0.5, 0.9} {
		m := lux(0.5, y)
		to := lamp.At.Sub(m.At)
		angle := math.Acos(to.Y/to.Len()) * 180 / math.Pi
		cd := 1000 - 500*angle/45
		want := cd * to.Y / math.Pow(to.Len(), 3)
		if math.Abs(m.Lux-want) > 0.01*want { // its lumens are typed to a whole one
			t.Errorf("%.1f degrees off: %v lx, want %v", angle, m.Lux, want)
		}
	}
	link := func(spec map[string]any) {
		d.edit(edit.Do(&edit.ChangeElement{ID: id, Patch: patch(map[string]any{"spec": spec})}))
	}
	if link(map[string]any{"except": []string{floor}}); lux(0.5, 0.5).Lux != 0 {
		t.Error("a lamp lights what it is told not to")
	}
	if link(map[string]any{"except": []string{}, "only": []string{floor}}); !(lux(0.5, 0.5).Lux > 0) {
		t.Error("a lamp does not light the only thing that it is told to")
	}
	if link(map[string]any{"only": []string{id}}); lux(0.5, 0.5).Lux != 0 {
		t.Error("a lamp lights more than the only thing that it is told to")
	}
}

// A take keeps its lights apart: balanced as they were they give its picture; one that is put out is out in the
// picture, and in the set when it is written back, and a new render gives that picture.
func TestLightsOfATakeAreBalancedAndWrittenBack(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	d.edit(edit.Do(&edit.Place{StandIn: "slab", Name: "floor", At: geom.V{Y: -0.2},
		Patch: patch(map[string]any{"size": geom.V{X: 28, Y: 0.2, Z: 28}})}))
	hang := func(name string, x float64) string {
		l := lay.Lamp{Lamp: light.DefaultLamp()}
		l.At, l.Seen = geom.V{X: x, Y: 2}, false
		return d.edit(edit.Do(&edit.AddElement{Kind: "lamp", Name: name, Spec: patch(&l)})).Made[0]
	}
	left, right := hang("left", -1.5), hang("right", 1.5)
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{Y: 1.5, Z: 4},
		"yaw": 0, "pitch": -0.5, "ev": 3, "near": 0.05, "far": 50}, "light": map[string]any{"sunOn": false,
		"level": 1}})}))
	take := func() store.Take {
		tk, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 96, Samples: 32, Bounces: 2,
			Apart: true, Denoise: true})
		if err != nil {
			t.Fatal(err)
		}
		d.await("the take", func(st *query.State) bool {
			i := slices.IndexFunc(st.Takes, func(x store.Take) bool { return x.ID == tk.ID })
			return i >= 0 && st.Takes[i].State == "done"
		})
		if tk, err = d.a.Store.Take(d.ctx, tk.ID); err != nil {
			t.Fatal(err)
		}
		return tk
	}
	first := take()
	var r takes.Result
	if err := json.Unmarshal(first.Result, &r); err != nil || len(r.Groups) != 5 || r.Groups[0].Name != "left" ||
		!slices.Equal(r.Groups[1].Lamps, []string{right}) || r.Groups[3].Kind != "sky" {
		t.Fatalf("%+v, %v: %s %s", r.Groups, err, first.State, first.Note)
	}
	as := func(by ...float64) []develop.Gain {
		g := make([]develop.Gain, len(by))
		for i := range by {
			g[i].By = by[i]
		}
		return g
	}
	mean := func(data []byte) float64 {
		t.Helper()
		return bright(t, &shoot.TrueView{PNG: data})
	}
	mixed := func(id string, g []develop.Gain) []byte {
		t.Helper()
		data, err := d.a.Mix(d.ctx, id, g)
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	whole, err := d.a.Store.ReadBlob(d.ctx, r.PNG)
	if err != nil {
		t.Fatal(err)
	}
	if got, want := mean(mixed(first.ID, as(1, 1, 1, 1, 1))), mean(whole); math.Abs(got-want) > 0.1 {
		t.Errorf("balanced as they were they are %v bright, the take %v", got, want)
	}
	if dark := mean(mixed(first.ID, as(0, 0, 0, 0, 0))); dark != 0 {
		t.Errorf("with all lights out it is %v bright", dark)
	}
	tinted := as(1, 1, 1, 1, 1)
	tinted[0].Tint, tinted[1].Tint, tinted[3].Tint = "#000000", "#000000", "#000000"
	if dark := mean(mixed(first.ID, tinted)); dark > 0.5 {
		t.Errorf("behind black filters it is %v bright", dark)
	}
	for _, g := range [][]develop.Gain{as(1), as(1, 1, 1, 1, -1), as(1, 1, 1, 1, 1e9), as(math.NaN(), 1, 1, 1, 1)} {
		if _, err := d.a.Mix(d.ctx, first.ID, g); err == nil {
			t.Errorf("%v is balanced", g)
		}
	}
	want := as(0, 2, 1, 0.5, 1)
	want[1].Tint, want[3].Tint = "#ffc080", "#80c0ff"
	if _, err := d.a.WriteBack(d.ctx, first.ID, want); err != nil {
		t.Fatal(err)
	}
	l := d.state().Set.Light
	if l.Lamps[left].On || l.Lamps[right].Dim != 2 || l.Level != 0.5 || l.SkyFilter != "#80c0ff" {
		t.Errorf("written back: %+v, sky %v through %s", l.Lamps, l.Level, l.SkyFilter)
	}
	second := take()
	if a, b := mean(mixed(first.ID, want)), mean(mixed(second.ID, as(1, 1, 1, 1))); math.Abs(a-b) > 1.5 {
		t.Errorf("rendered anew it is %v bright, balanced it was %v", b, a)
	}
	plain, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: 32, Samples: 1})
	if err == nil {
		_, err = d.a.Mix(d.ctx, plain.ID, as(1))
	}
	if err == nil || !strings.Contains(err.Error(), "keep lights apart") {
		t.Errorf("a take that kept nothing apart: %v", err)
	}
}

// A rig that was written out of a set lights another the same way: what the meter reads is the same, of measured lamps
// and linked ones too; what it does not have is put out.
func TestARigGoesOutAndIn(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	floor := d.edit(edit.Do(&edit.Place{StandIn: "slab", Name: "floor", At: geom.V{Y: -0.2},
		Patch: patch(map[string]any{"size": geom.V{X: 28, Y: 0.2, Z: 28}})})).Made[0]
	p, err := d.a.Photometry(d.ctx, "a.ies",
		strings.NewReader("TILT=NONE\n1 -1 1 3 1 1 2 0 0 0\n1 1 20\n0 45 90\n0\n1000 500 0\n"))
	if err != nil {
		t.Fatal(err)
	}
	l := lay.Lamp{Lamp: light.DefaultLamp()}
	l.Shape, l.File, l.FileName, l.At, l.Only = "measured", p.Blob, "a.ies", geom.V{Y: 3}, []string{floor}
	d.edit(edit.Do(&edit.AddElement{Kind: "lamp", Name: "post", Spec: patch(&l)}))
	view := map[string]any{"eye": geom.V{Y: 1.5, Z: 4}, "yaw": 0, "pitch": -0.5, "ev": 3, "near": 0.05, "far": 50}
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": view, "light": map[string]any{"sunOn": false,
		"sky": "standard", "standard": 3, "skyTimes": 0.01, "fog": 300}})}))
	before, err := d.a.Meter(d.ctx, d.set, 0.5, 0.5)
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if err := d.a.WriteRig(d.ctx, d.set, "", &out); err != nil {
		t.Fatal(err)
	}
	other := lay.Lamp{Lamp: light.DefaultLamp()}
	d.edit(edit.Do(&edit.AddElement{Kind: "lamp", Name: "other", Spec: patch(&other)}),
		edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": light.Default()})}))
	if _, err := d.a.ReadRig(d.ctx, d.set, bytes.NewReader(out.Bytes())); err != nil {
		t.Fatal(err)
	}
	after, err := d.a.Meter(d.ctx, d.set, 0.5, 0.5)
	if err != nil || math.Abs(after.Lux-before.Lux) > 0.01*before.Lux || len(after.Shares) != len(before.Shares) {
		t.Errorf("%+v, was %+v, %v", after, before, err)
	}
	d.edit(edit.Do(&edit.KeepLight{Name: "mist"}))
	var kept string
	for _, e := range d.state().Elements {
		if e.Kind == "kept light" {
			kept = e.ID
		}
	}
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": light.Default()})}))
	d.edit(edit.Do(&edit.UseLight{ID: kept}))
	if got := d.state().Set.Light; got.Fog != 300 || got.Sky != "standard" {
		t.Errorf("the kept light is %+v", got)
	}
	if said := d.refused(edit.Do(&edit.UseLight{ID: floor})); said == "" {
		t.Error("a floor is used as a light")
	}
	for text, says := range map[string]string{"{}": "its form is",
		`{"form":"visator light 1","lamps":[{"name":"x","only":["nobody"]}]}`: "nobody"} {
		if _, err := d.a.ReadRig(d.ctx, d.set, strings.NewReader(text)); err == nil || !strings.Contains(err.Error(),
			says) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// The sun of a panorama is found where it lies in the set, turned as the sky is.
func TestTheSunOfAPanoramaIsFound(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	const w, h = 256, 128
	pix := make([]float32, 3*w*h)
	for i := range pix {
		pix[i] = 1
	}
	const x, y = 160, 40 // of the sun's pixel
	pix[3*(y*w+x)], pix[3*(y*w+x)+1], pix[3*(y*w+x)+2] = 50_000, 40_000, 30_000
	var b bytes.Buffer
	if err := exchange.WriteEXR(&b, w, h, exchange.RGB("", pix)); err != nil {
		t.Fatal(err)
	}
	blob, note, err := d.a.Panorama(d.ctx, &b)
	if err != nil || note != "" {
		t.Fatal(note, err)
	}
	if _, err := d.a.OwnSun(d.ctx, d.set); err == nil {
		t.Error("a sky of two colours has a sun of its own")
	}
	const turn = 0.7
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": map[string]any{"sky": "panorama",
		"panorama": blob,
		"strength": 2, "turn": turn}})}))
	own, err := d.a.OwnSun(d.ctx, d.set)
	if err != nil || !own.Found {
		t.Fatalf("%+v, %v", own, err)
	}
	elevation := math.Pi/2 - (y+0.5)/h*math.Pi
	azimuth := ((x+0.5)/w-0.5)*2*math.Pi - turn // counter-clockwise from above
	solid := 2 * math.Pi / w * math.Pi / h * math.Cos(elevation)
	want := 2 * solid * (0.2126*50_000 + 0.7152*40_000 + 0.0722*30_000)
	if math.Abs(own.Elevation-elevation) > 0.01 || math.Abs(math.Sin(own.Azimuth-azimuth)) > 0.01 ||
		math.Abs(own.Lux-want) > 0.02*want || own.Kelvin > 6000 {
		t.Errorf("%+v, want azimuth %v, elevation %v, %v lx", own, azimuth, elevation, want)
	}
}

// A part of the true view is that part of the whole: as bright as it is there, in as many pixels.
func TestAPartOfTheTrueView(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	d.edit(edit.Do(&edit.Place{StandIn: "slab", Name: "floor", At: geom.V{Y: -0.2},
		Patch: patch(map[string]any{"size": geom.V{X: 28, Y: 0.2, Z: 28}})}),
		edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"view": map[string]any{"eye": geom.V{Y: 1.6, Z: 2.5},
			"yaw":   0,
			"pitch": 0, "ev": 13, "near": 0.05, "far": 50}})}))
	clean := func(look shoot.Look) shoot.TrueView {
		t.Helper()
		ctx, end := context.WithTimeout(d.ctx, time.Minute)
		defer end()
		for seen := 0; ; {
			v, err := d.a.TrueView(ctx, d.set, seen, look)
			if err != nil {
				t.Fatal(err)
			}
			if v.State == "clean" && v.Part == look.Part && len(v.PNG) > 0 {
				return v
			}
			seen = v.Number
		}
	}
	whole := clean(shoot.Look{Width: 96, Clean: 0.1})
	img, err := png.Decode(bytes.NewReader(whole.PNG))
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range [][4]float64{{0, 0, 0.5, 0.25}, {0.25, 0.75, 1, 1}} {
		v := clean(shoot.Look{Width: 96, Clean: 0.1, Part: p})
		if v.Width != int(96*(p[2]-p[0])+0.5) {
			t.Errorf("part %v is %d x %d", p, v.Width, v.Height)
		}
		sum, n, b := 0.0, 0.0, img.Bounds()
		for y := int(p[1] * float64(b.Dy())); y < int(p[3]*float64(b.Dy())); y++ {
			for x := int(p[0] * float64(b.Dx())); x < int(p[2]*float64(b.Dx())); x++ {
				r, g, bl, _ := img.At(x, y).RGBA()
				sum, n = sum+float64(r+g+bl)/3/257, n+1
			}
		}
		if got := bright(t, &v); math.Abs(got-sum/n) > 4 {
			t.Errorf("part %v is %v bright, there the whole is %v", p, got, sum/n)
		}
	}
	for _, p := range [][4]float64{{0.5, 0, 0.5, 1}, {-0.1, 0, 1, 1}, {0, 0, 1, 1.1}, {math.NaN(), 0, 1, 1}} {
		if _, err := d.a.TrueView(d.ctx, d.set, 0, shoot.Look{Width: 96, Clean: 0.1, Part: p}); err == nil {
			t.Errorf("%v is a part", p)
		}
	}
}

// A fixture hangs on every thing of its piece, moved as the thing is and as large; out where it is told, or where the
// shot says so; a measured one shines as its file says.
func TestAFixtureHangsWhereItsPieceStands(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	piece := d.takeIn("box.glb", boxGLB(t)).Pieces[0].ID
	var ids []string
	for i := range 3 {
		ids = append(ids, d.edit(edit.Do(&edit.Place{Piece: piece, At: geom.V{X: float64(4 * i)},
			Patch: patch(map[string]any{"scale": geom.V{X: 1, Y: 1, Z: 1}.Mul(1 + float64(i))})})).Made[0])
	}
	f := (&lay.Fixture{}).Default().(*lay.Fixture)
	f.Piece, f.At, f.Radius = piece, geom.V{Y: 1.5}, 0.1
	id := d.edit(edit.Do(&edit.AddElement{Kind: "fixture", Name: "bulbs", Spec: patch(f)})).Made[0]
	lit := func() []query.LitLamp { return d.elementState(id).Lit }
	if got := lit(); len(got) != 3 || got[1].At != (geom.V{X: 4, Y: 3}) || got[2].At != (geom.V{X: 8, Y: 4.5}) {
		t.Fatalf("%+v", got)
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: id, Patch: patch(map[string]any{"spec": map[string]any{"out": ids[:1]}})}))
	if got := lit(); len(got) != 2 || got[0].At.X != 4 {
		t.Errorf("out on the first: %+v", got)
	}
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": map[string]any{"lamps": map[string]any{
		id + "/" + ids[1]: map[string]any{"on": false, "dim": 1}, id: map[string]any{"on": true, "dim": 0.5}}}})}))
	if got := lit(); len(got) != 1 || got[0].At.X != 8 ||
		math.Abs(light.Luminance(got[0].Cd)-710*0.5/(4*math.Pi)) > 0.1 {
		t.Errorf("dimmed, and out on the second in the shot: %+v", got)
	}
	p, err := d.a.Photometry(d.ctx, "a.ies",
		strings.NewReader("TILT=NONE\n1 -1 1 2 1 1 2 0 0 0\n1 1 20\n0 180\n0\n80 80\n"))
	if err != nil {
		t.Fatal(err)
	}
	d.edit(edit.Do(&edit.ChangeElement{ID: id, Patch: patch(map[string]any{"spec": map[string]any{"shape": "measured",
		"file": p.Blob, "in": "cd", "output": 80}})}))
	if got := lit(); len(got) != 1 || math.Abs(light.Luminance(got[0].Cd)-40) > 1e-6 {
		t.Errorf("as its file says: %+v", got)
	}
	if list, err := d.a.Fixtures(d.ctx, d.set); err != nil || len(list) != 0 {
		t.Errorf("for a piece that carries its lamp %+v is proposed, %v", list, err)
	}
}

// A lamp that the open shot switches off still burns in the shot that was kept with it, and is judged there.
func TestALampIsJudgedAsEachShotHasIt(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.Place{StandIn: "slab", Name: "box", At: geom.V{},
		Patch: patch(map[string]any{"size": geom.V{X: 1, Y: 1, Z: 1}})}))
	hang := func(name string) string {
		l := lay.Lamp{Lamp: light.DefaultLamp()}
		l.At = geom.V{Y: 0.5}
		return d.edit(edit.Do(&edit.AddElement{Kind: "lamp", Name: name, Spec: patch(&l)})).Made[0]
	}
	bulb := hang("bulb")
	lit := d.edit(edit.Do(&edit.KeepShot{Name: "lit"})).Made[0]
	d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": map[string]any{
		"lamps": map[string]any{bulb: light.Burn{Dim: 1}}}})}))
	dark := d.edit(edit.Do(&edit.KeepShot{Name: "dark"})).Made[0]
	late := hang("late") // burns in both: once it is judged, all is
	judged := func(st *query.State) map[[2]string]bool {
		within := map[[2]string]bool{}
		for _, s := range st.Snags {
			if s.Kind == "lamp within" {
				within[[2]string{s.Shot, s.ID}] = true
			}
		}
		return within
	}
	st := d.await("both shots judged", func(st *query.State) bool { return judged(st)[[2]string{dark, late}] })
	if got := judged(st); len(got) != 3 || !got[[2]string{lit, bulb}] || !got[[2]string{lit, late}] {
		t.Errorf("lamps within the box: %v", got)
	}
}
