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
	var err error
	for i := 0; i < len(all) && err == nil; i++ {
		began := time.Now()
		_, err = render.Render(ctx, all[i].s, all[i].cam, render.Options{Width: 480, Height: 270, Samples: 4096,
			Bounces: 4, Seed: 1, Stop: func(int) bool { return time.Since(began) >= each }})
	}
	if pprof.StopCPUProfile(); err != nil {
		return err
	}
	return os.WriteFile(file, out.Bytes(), 0o644)
}
