package trial

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"runtime/pprof"
	"time"

	"visator/core/render"
)

// Profile renders each scene for so long, on all threads, and writes into a file what the processor did meanwhile: by
// that the program is compiled.
func Profile(ctx context.Context, file string, each time.Duration) error {
	type made struct {
		s   *render.Scene
		cam *render.Camera
	}
	var all []made
	for _, t := range Trials {
		s, cam, err := t.Make()
		if err != nil {
			return fmt.Errorf("%s: %w", t.Name, err)
		}
		all = append(all, made{s, cam})
	}
	var out bytes.Buffer
	if err := pprof.StartCPUProfile(&out); err != nil {
		return err
	}
	for _, m := range all {
		began := time.Now()
		o := render.Options{Width: 480, Height: 270, Samples: 4096, Bounces: 4, Seed: 1,
			Stop: func(int) bool { return time.Since(began) >= each }}
		if _, err := render.Render(ctx, m.s, m.cam, o); err != nil {
			pprof.StopCPUProfile()
			return err
		}
	}
	pprof.StopCPUProfile()
	return os.WriteFile(file, out.Bytes(), 0o644)
}
