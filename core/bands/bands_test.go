package bands

import (
	"context"
	"errors"
	"math"
	"slices"
	"testing"

	"visator/core/geom"
	"visator/core/optics"
	"visator/core/render"
	"visator/core/sky"
	"visator/core/stage"
)

// A picture made in bands, for want of memory, is the picture that is made as a
// whole, noise filter and all.
func TestAPictureInBandsIsTheSamePicture(t *testing.T) {
	s, lib := &render.Scene{Env: &sky.Environment{Constant: geom.V{X: 1, Y: 2, Z: 3}}}, &render.Library{}
	for i, top := range []geom.M{geom.Identity, geom.Scaling(20).Mul(geom.Translation(geom.V{Y: -1}))} {
		if err := s.Place(lib, stage.ShapeModel("box"), top, func(int) uint32 { return uint32(i + 1) }); err != nil {
			t.Fatal(err)
		}
	}
	s.Build()
	v := optics.Default()
	v.Eye = geom.V{X: 2, Y: 3, Z: 4}
	v.AimAt(geom.V{Y: 1})
	cam := &render.Camera{World: v.World(), Near: 0.1, TanX: 0.4 * 24 / 800, TanY: 0.4}
	for _, denoise := range []bool{false, true} {
		o := render.Options{Width: 24, Height: 800, Samples: 2, Seed: 5, Bounces: 1, Denoise: denoise}
		whole, err := render.Render(context.Background(), s, cam, o)
		if err != nil {
			t.Fatal(err)
		}
		// Room for the finished picture and some five hundred rows in the making.
		room := int64(24*800*madeBytes + 24*500*makingBytes)
		part := o
		part.Region = [4]int{0, 0, 24, 800}
		n := len(bands(&part, room))
		if n < 2 {
			t.Fatalf("%d bands", n)
		}
		last := 0
		o.Progress = func(done, of int, _ *render.Film) {
			if done <= last || of != 2*n {
				t.Errorf("%d of %d after %d", done, of, last)
			}
			last = done
		}
		f, err := Render(context.Background(), s, cam, o, room)
		if err != nil {
			t.Fatal(err)
		}
		if f.Width != 24 || f.Height != 800 || f.Samples != 2 || !slices.Equal(f.Depth, whole.Depth) ||
			!slices.Equal(f.Color, whole.Color) {
			worst := 0.0
			for i := range f.Color {
				worst = max(worst, math.Abs(float64(f.Color[i]-whole.Color[i])))
			}
			t.Errorf("denoised %v: in %d bands it is another picture, off by up to %g", denoise, n, worst)
		}
	}
	o := render.Options{Width: 16384, Height: 16384, Samples: 1}
	if _, err := Render(context.Background(), s, cam, o, 1<<30); !errors.Is(err, ErrMemory) {
		t.Errorf("268 million pixels in a gigabyte: %v", err)
	}
	if Least(16384, 16384) >= Need(16384, 16384) || Need(1000, 1000) != 252e6 {
		t.Error("what a picture needs")
	}
}
