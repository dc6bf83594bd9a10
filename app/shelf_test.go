package app_test

import (
	"bytes"
	"image/png"
	"math"
	"strings"
	"testing"

	"visator/app/edit"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/light"
)

// flatSky is a panorama of one value, with a sun at a pixel.
func flatSky(t *testing.T, value, sun float32) *bytes.Buffer {
	t.Helper()
	const w, h = 256, 128
	pix := make([]float32, 3*w*h)
	for i := range pix {
		pix[i] = value
	}
	for c := range 3 {
		pix[3*(40*w+160)+c] = sun
	}
	var b bytes.Buffer
	if err := exchange.WriteEXR(&b, w, h, exchange.RGB("", pix)); err != nil {
		t.Fatal(err)
	}
	return &b
}

// What is taken in lies on the shelf, once, with a picture; lamps are kept there by name, with pictures of their light,
// and both are taken away again.
func TestTheShelfOfLight(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	one, _, err := d.a.ShelvePanorama(d.ctx, d.production, "valley/noon.exr", flatSky(t, 1, 50_000))
	if err != nil || one.Name != "noon" || !one.Sun || one.Width != 256 || math.Abs(one.Lux-math.Pi) > 50 {
		t.Fatalf("%+v, %v", one, err)
	}
	again, _, err := d.a.ShelvePanorama(d.ctx, d.production, "other.exr", flatSky(t, 1, 50_000))
	if err != nil || again.ID != one.ID {
		t.Errorf("the same again is %+v, %v", again, err)
	}
	data, err := d.a.Store.ReadBlob(d.ctx, one.Picture)
	if err != nil {
		t.Fatal(err)
	}
	if p, err := png.Decode(bytes.NewReader(data)); err != nil || p.Bounds().Dx() != 192 {
		t.Errorf("its picture: %v", err)
	}
	l := light.DefaultLamp()
	l.Output = 444
	if err := d.a.ShelveLamp(d.ctx, d.production, "mine", &l); err != nil {
		t.Fatal(err)
	}
	l.Output = -1
	for name, l := range map[string]light.Lamp{"": light.DefaultLamp(), strings.Repeat("x", 300): light.DefaultLamp(), "dark": l} {
		if err := d.a.ShelveLamp(d.ctx, d.production, name, &l); err == nil {
			t.Errorf("%.20q is kept", name)
		}
	}
	shelf, err := d.a.LightShelf(d.ctx, d.production)
	if err != nil || len(shelf.Panoramas) != 1 || len(shelf.Lamps) != len(light.Kinds())+1 {
		t.Fatalf("%+v, %v", shelf, err)
	}
	own := shelf.Lamps[len(shelf.Lamps)-1]
	if own.Name != "mine" || own.Lamp.Output != 444 || !own.Own {
		t.Errorf("%+v", own)
	}
	for _, k := range shelf.Lamps {
		if data, err := d.a.LampPicture(d.ctx, d.production, k.ID); err != nil || len(data) < 100 {
			t.Errorf("the picture of %s: %d bytes, %v", k.Name, len(data), err)
		}
	}
	for _, id := range []string{one.ID, own.ID} {
		if err := d.a.Unshelve(d.ctx, d.production, id); err != nil {
			t.Error(err)
		}
	}
	if d.a.Unshelve(d.ctx, d.production, one.ID) == nil {
		t.Error("taken away twice")
	}
	if shelf, _ = d.a.LightShelf(d.ctx, d.production); len(shelf.Panoramas) != 0 {
		t.Errorf("%+v", shelf.Panoramas)
	}
}

// Under a panorama the meter reads what it gives, its sun is told where it stands beside the set's, and fog glows by it;
// what is seen behind may be another picture, which lights nothing.
func TestASetUnderAPanorama(t *testing.T) {
	d := newStudio(t)
	defer d.a.Close()
	d.edit(edit.Do(&edit.Place{StandIn: "slab", Name: "floor", At: geom.V{Y: -0.2},
		Patch: patch(map[string]any{"size": geom.V{X: 40, Y: 0.2, Z: 40}})}))
	take := func(name string, value float32) string {
		t.Helper()
		p, _, err := d.a.ShelvePanorama(d.ctx, d.production, name, flatSky(t, value, value))
		if err != nil {
			t.Fatal(err)
		}
		return p.Blob
	}
	bright, dim := take("bright.exr", 8), take("dim.exr", 1)
	lit := func(change map[string]any) {
		t.Helper()
		d.edit(edit.Do(&edit.ChangeSet{Patch: patch(map[string]any{"light": change})}))
	}
	metered := func() float64 {
		t.Helper()
		f, err := d.a.Frame(d.ctx, d.set, 0)
		if err != nil {
			t.Fatal(err)
		}
		return f.Metered
	}
	lit(map[string]any{"sky": "panorama", "panorama": bright, "strength": 500, "sunOn": false})
	first := metered()
	lit(map[string]any{"panorama": dim})
	if got := first - metered(); math.Abs(got-3) > 0.01 {
		t.Errorf("an eighth of the light is %.3f stops less", got)
	}
	lit(map[string]any{"haze": 100})
	st, err := d.a.State(d.ctx, d.set)
	if err != nil || math.Abs(st.Light.Air.Glow.X-500) > 5 {
		t.Errorf("fog in a sky of 500 cd/m² glows with %v, %v", st.Light.Air.Glow, err)
	}
	lit(map[string]any{"haze": 0, "behind": "picture", "picture": bright, "bright": 100})
	at := func(behind bool) float64 {
		t.Helper()
		pix, w, h, err := d.a.Sky(d.ctx, d.set, behind, false)
		if err != nil {
			t.Fatal(err)
		}
		return float64(pix[3*(h/4*w+w/3)])
	}
	if a, b := at(false), at(true); math.Abs(a-500) > 1 || math.Abs(b-800) > 1 {
		t.Errorf("it lights with %v cd/m², behind is %v", a, b)
	}
	own, _, err := d.a.ShelvePanorama(d.ctx, d.production, "sun.exr", flatSky(t, 1, 500_000))
	if err != nil {
		t.Fatal(err)
	}
	lit(map[string]any{"panorama": own.Blob, "behind": "sky", "sunOn": true, "azimuth": 0, "elevation": 0.5, "lux": 50_000})
	found := strings.Join(append(d.snagsOf("suns"), d.snagsOf("sun aside")...), "; ")
	if !strings.Contains(found, "two suns") {
		t.Errorf("found %q", found)
	}
}
