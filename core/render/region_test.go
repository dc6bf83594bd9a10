package render

import (
	"bytes"
	"context"
	"errors"
	"slices"
	"testing"

	"visator/core/film"
	"visator/core/geom"
)

// A region is cut out of the whole picture: the same values, whatever is about it.
func TestARegionIsThatPartOfThePicture(t *testing.T) {
	cam := look(geom.V{Y: 2, Z: 7}, geom.V{Y: 0.5}, 0.7)
	o := Options{Width: 90, Height: 50, Samples: 3, Seed: 4, Bounces: 2, Shares: true}
	whole, err := Render(context.Background(), lit(t), cam, o)
	if err != nil {
		t.Fatal(err)
	}
	o.Region = [4]int{33, 7, 80, 41}
	part, err := Render(context.Background(), lit(t), cam, o)
	if err != nil {
		t.Fatal(err)
	}
	if part.Width != 47 || part.Height != 34 {
		t.Fatalf("%d x %d pixels", part.Width, part.Height)
	}
	for y := range part.Height {
		from, to := (y+7)*90+33, y*47
		if !slices.Equal(whole.Color[3*from:][:3*47], part.Color[3*to:][:3*47]) ||
			!slices.Equal(whole.Depth[from:][:47], part.Depth[to:][:47]) ||
			!slices.Equal(whole.Shares[0][3*from:][:3*47], part.Shares[0][3*to:][:3*47]) {
			t.Fatalf("row %d of the region is not that of the picture", y)
		}
	}
	for _, r := range [][4]int{{5, 5, 5, 9}, {9, 0, 5, 5}, {-1, 0, 5, 5}, {0, 0, 91, 5}, {0, 0, 9, 51}} {
		o.Region = r
		if o.Check() == nil {
			t.Errorf("the region %v of 90 x 50 pixels is taken", r)
		}
	}
}

// A picture that is stopped, laid aside and goes on is, byte for byte, the one that was never stopped: even, and with
// samples where the noise is; stopped between two samples a pixel or in the midst of a pass.
func TestAResumedPictureIsTheUninterruptedOne(t *testing.T) {
	cam := look(geom.V{Y: 2, Z: 7}, geom.V{Y: 0.5}, 0.7)
	for _, adaptive := range []bool{false, true} {
		o := Options{Width: 70, Height: 40, Samples: 40, Seed: 4, Bounces: 2, Shares: true, Adaptive: adaptive, Denoise: true}
		whole, err := Render(context.Background(), lit(t), cam, o)
		if err != nil {
			t.Fatal(err)
		}
		for _, at := range []int{3, film.Pilot, 25} {
			ctx, cut := context.WithCancel(context.Background())
			part := o
			part.Keep = true
			part.Progress = func(done, _ int, _ *Film) {
				if done >= at {
					cut()
				}
			}
			f, err := Render(ctx, lit(t), cam, part)
			if !errors.Is(err, context.Canceled) || f == nil {
				t.Fatal(f, err)
			}
			var aside bytes.Buffer
			if err := f.Save(&aside, "it"); err != nil {
				t.Fatal(err)
			}
			again := o
			if again.From, err = film.Load(bytes.NewReader(aside.Bytes()), int64(aside.Len()), "it", 1<<20); err != nil {
				t.Fatal(err)
			}
			if f, err = Render(context.Background(), lit(t), cam, again); err != nil {
				t.Fatal(err)
			}
			if !slices.Equal(f.Color, whole.Color) || !slices.Equal(f.Shares[1], whole.Shares[1]) {
				t.Errorf("adaptive %v, stopped after %d samples, it goes on to another picture", adaptive, at)
			}
		}
	}
	o := Options{Width: 8, Height: 8, Samples: 2, Keep: true}
	f, err := Render(context.Background(), lit(t), cam, o)
	if err != nil {
		t.Fatal(err)
	}
	o.From, o.Width = f, 9
	if _, err := Render(context.Background(), lit(t), cam, o); !errors.Is(err, film.ErrOther) {
		t.Errorf("a film of 8 x 8 pixels goes on as 9 x 8: %v", err)
	}
}

// Enough is enough: when the noise is little, no more samples are made.
func TestAPictureStopsWhenItIsClean(t *testing.T) {
	cam := look(geom.V{Y: 2, Z: 7}, geom.V{Y: 0.5}, 0.7)
	o := Options{Width: 48, Height: 32, Samples: 4096, Seed: 4, Bounces: 2, Noise: 0.1, Keep: true}
	f, err := Render(context.Background(), lit(t), cam, o)
	if err != nil {
		t.Fatal(err)
	}
	if n := f.Noise(); n > 0.1 || n < 0.05 || f.Samples == 4096 {
		t.Errorf("%v noise after %d samples", n, f.Samples)
	}
}
