package render

import (
	"context"
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// An edge that passes a pixel while the shutter is open leaves the share of the time for which the bright side was
// there: the integral of a box.
func TestAMovingEdgeIsBlurredByTheShutter(t *testing.T) {
	k := &testScene{}
	// A half plane that glows, from x = 0 to the right, 1 m before the camera.
	k.add(quad(k.surface(func(m *model.Surface) {
		m.BaseColor, m.Emissive = [4]float64{0, 0, 0, 1}, [3]float64{100, 100, 100}
	}), geom.V{X: 0, Y: -5, Z: 0}, geom.V{X: 10}, geom.V{Y: 10}))
	s := k.build(t)
	s.Build()
	at := func(x float64) *Camera {
		c := look(geom.V{X: x, Z: 1}, geom.V{X: x}, 2*math.Atan(0.5))
		return c
	}
	const w, travel = 40, 0.5 // a picture is 1 m wide there; the camera goes half of that to the right
	f, err := Render(context.Background(), s, at(0), Options{Width: w, Height: 4, Samples: 1024, Seed: 1,
		Moving: func(share float64) *Camera { return at(travel * (share - 0.5)) }})
	if err != nil {
		t.Fatal(err)
	}
	for x := range w {
		// The edge is seen at -travel*(share-0.5): it is bright where x lies right of it. Over the pixel's own width the
		// share is averaged: it is straight but for the two ends.
		mid := (float64(x)+0.5)/w - 0.5
		want := 0.0
		const n = 200
		for i := range n {
			p := mid + ((float64(i)+0.5)/n-0.5)/w
			want += min(max(0.5+p/travel, 0), 1) / n
		}
		got := float64(f.Color[3*(2*w+x)]) / 100
		if math.Abs(got-want) > 0.012 {
			t.Errorf("pixel %d has %v of the light, the integral of the box is %v", x, got, want)
		}
	}
	still, err := Render(context.Background(), s, at(0), Options{Width: w, Height: 4, Samples: 16, Seed: 1,
		Moving: func(float64) *Camera { return at(0) }})
	if err != nil {
		t.Fatal(err)
	}
	plain, _ := Render(context.Background(), s, at(0), Options{Width: w, Height: 4, Samples: 16, Seed: 1})
	for i := range plain.Color {
		if plain.Color[i] != still.Color[i] {
			t.Fatal("a camera that does not move gives another picture")
		}
	}
}
