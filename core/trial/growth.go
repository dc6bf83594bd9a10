package trial

import (
	"context"
	"fmt"
	"io"
	"math"
	"time"

	"visator/core/render"
)

// Growth measures how cost grows: with triangles, instances, lamps, pixels and threads, and writes a
// table. most bounds triangles and instances: ten million triangles take some 2 GB.
func Growth(ctx context.Context, w io.Writer, most int) error {
	fmt.Fprint(w, "| of | how many | ready after, s | million samples/s |\n|---|---|---|---|\n")
	measure := func(of string, many, width, threads int, make func() (*render.Scene, *render.Camera, error)) error {
		at := time.Now()
		s, cam, err := make()
		if err != nil {
			return fmt.Errorf("%s: %w", of, err)
		}
		ready := time.Since(at)
		o := render.Options{Width: width, Height: width * 9 / 16, Samples: 8, Bounces: 4, Threads: threads, Seed: 1}
		at = time.Now()
		if _, err := render.Render(ctx, s, cam, o); err != nil {
			return err
		}
		_, err = fmt.Fprintf(w, "| %s | %d | %.2f | %.3f |\n", of, many, ready.Seconds(),
			float64(o.Width*o.Height*o.Samples)/time.Since(at).Seconds()/1e6)
		return err
	}
	for _, n := range []int{71, 224, 708, 2237} {
		if 2*n*n > most {
			break
		}
		if err := measure("triangles of a ring", 2*n*n, 256, 1, func() (*render.Scene, *render.Camera, error) {
			return ringOf(n)
		}); err != nil {
			return err
		}
	}
	for n := 10; n <= min(most, 1_000_000); n *= 10 {
		if err := measure("instances of a tuft of grass", n, 256, 1, func() (*render.Scene, *render.Camera, error) {
			return meadow(n)
		}); err != nil {
			return err
		}
	}
	for n := 10; n <= min(most, 10_000); n *= 10 {
		if err := measure("lamps in a street", n, 256, 1, func() (*render.Scene, *render.Camera, error) {
			return streetOf(n)
		}); err != nil {
			return err
		}
	}
	// A million triangles, or as many as are allowed; so few pixels too then.
	side := min(708, int(math.Sqrt(float64(most)/2)))
	ring := func() (*render.Scene, *render.Camera, error) { return ringOf(side) }
	for _, width := range []int{64, 256, 1024} {
		if width > 8*side {
			break
		}
		if err := measure("pixels", width*(width*9/16), width, 1, ring); err != nil {
			return err
		}
	}
	for _, threads := range []int{1, 2, 4} {
		if err := measure("threads", threads, min(512, 8*side), threads, ring); err != nil {
			return err
		}
	}
	return nil
}
