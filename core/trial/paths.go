package trial

import (
	"context"
	"time"

	"visator/core/render"
)

// Paths is how many samples a second one thread makes of the grey ring, by paths of up to five rays, without what comes
// before: a picture of 256 x 144 pixels, as the example renderers of ray libraries are measured.
func Paths(ctx context.Context, samples int) (perSecond float64, err error) {
	s, cam, err := ring()
	if err != nil {
		return 0, err
	}
	o := render.Options{Width: 256, Height: 144, Samples: 4, Bounces: 4, Threads: 1, Seed: 1}
	var took [2]time.Duration
	for k := range took { // the first tells what else takes time
		at := time.Now()
		if _, err := render.Render(ctx, s, cam, o); err != nil {
			return 0, err
		}
		took[k] = time.Since(at)
		o.Samples += samples
	}
	return float64(samples*o.Width*o.Height) / max(took[1]-took[0], 1).Seconds(), nil
}
