package trial

import (
	"context"
	"fmt"
	"io"
	"math"
	"slices"
	"time"

	"visator/core/film"
	"visator/core/render"
)

// Noise is how noise and its removal do in a scene.
type Noise struct {
	Plain, Clean float64 // Error of a picture of so many samples, with its noise and with it removed
	As           float64 // how many plain samples have as little error
	Field        float64 // by how much, as a share, it changes the mean of a field of 32 x 32 pixels: the 95th of 100
	Second       float64 // a megapixel, of removing it
	Boil         float64 // of what flickers from one such picture to the next, by its square, how much is left
}

// Clear measures noise and its removal, by pictures of width pixels and 16 to 9 and references of so many samples.
func Clear(ctx context.Context, t Trial, width, samples, reference, threads int) (n Noise, err error) {
	s, cam, err := t.Make()
	if err != nil {
		return n, err
	}
	o := render.Options{Width: width, Height: width * 9 / 16, Bounces: render.DefaultBounces, Threads: threads,
		Keep: true}
	shoot := func(samples int, seed uint64) (*render.Film, error) {
		o.Samples, o.Seed = samples, seed
		return render.Render(ctx, s, cam, o)
	}
	want, err := shoot(reference, 99)
	if err != nil {
		return n, err
	}
	const rounds = 2
	var plain, clean []float32 // of the round before
	for seed := range rounds {
		f, err := shoot(samples, uint64(seed+1))
		if err != nil {
			return n, err
		}
		n.Plain += Error(f.Color, want.Color) / rounds
		before := means(f)
		flickers := change(plain, f.Color, want.Color)
		plain = slices.Clone(f.Color)
		at := time.Now()
		f.Show(true)
		n.Second += time.Since(at).Seconds() / float64(len(f.Color)/3) * 1e6 / rounds
		n.Clean += Error(f.Color, want.Color) / rounds
		n.Field = max(n.Field, apart(before, means(f)))
		if clean != nil {
			n.Boil = change(clean, f.Color, want.Color) / flickers
		}
		clean = slices.Clone(f.Color)
	}
	// The reference lacks samples itself: as much of the error as its noise makes is not that of the picture.
	own := n.Plain * float64(samples) / float64(samples+reference)
	n.As = float64(samples) * (n.Plain - own) / max(n.Clean-own, 1e-3*n.Plain)
	return n, nil
}

// change is how much two pictures differ, as Error tells it of a picture and a reference.
func change(a, b, reference []float32) float64 {
	if a == nil {
		return 0
	}
	moved := slices.Clone(reference)
	for i := range moved {
		moved[i] += b[i] - a[i]
	}
	return Error(moved, reference)
}

// means are those of fields of a film, per channel.
func means(f *render.Film) (list []float64) {
	for y := 0; y < f.Height; y += film.FieldSide {
		for x := 0; x < f.Width; x += film.FieldSide {
			sum, n := [3]float64{}, 0.0
			for py := y; py < min(y+film.FieldSide, f.Height); py++ {
				for px := x; px < min(x+film.FieldSide, f.Width); px++ {
					n++
					for c := range sum {
						sum[c] += float64(f.Color[3*(py*f.Width+px)+c])
					}
				}
			}
			for _, v := range sum {
				list = append(list, v/n)
			}
		}
	}
	return list
}

// apart is how far apart two lists are, as a share of the first: of a hundred places that which only five exceed.
func apart(a, b []float64) float64 {
	const steps = 10_000
	counts := make([]int, steps+1)
	for i := range a {
		if a[i] > 0 {
			counts[min(int(math.Abs(b[i]/a[i]-1)*steps), steps)]++
		}
	}
	left := len(a) / 20
	for k := steps; k >= 0; k-- {
		if left -= counts[k]; left < 0 {
			return float64(k) / steps
		}
	}
	return 0
}

// Report measures all scenes and writes a line for each, and the mean of how many samples they are worth.
func Report(ctx context.Context, w io.Writer, width, samples, reference, threads int) error {
	product := 0.0
	for _, t := range Trials {
		n, err := Clear(ctx, t, width, samples, reference, threads)
		if err != nil {
			return fmt.Errorf("%s: %w", t.Name, err)
		}
		fmt.Fprintf(w, "%s: error %.4f, %.4f without its noise, as of %.0f samples; fields within %.1f %%, "+
			"%.1f %% of the flicker left, %.2f s a megapixel\n", t.Name, n.Plain, n.Clean, n.As, 100*n.Field,
			100*n.Boil, n.Second)
		product += math.Log(n.As)
	}
	_, err := fmt.Fprintf(w, "all: as of %.0f samples (geometric mean), of %d\n",
		math.Exp(product/float64(len(Trials))), samples)
	return err
}
