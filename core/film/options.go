package film

import (
	"fmt"

	"visator/core/eye"
)

// Options say how a picture is made.
type Options struct {
	Width, Height int
	Samples       int // a pixel, 1 or more
	Seed          uint64
	Threads       int // 0: all cores
	Bounces       int // indirect bounces; 0 is direct light alone
	Denoise       bool
	Shares        bool  // keep apart what each group of lights gives
	Extra         Extra // what the film keeps beside; its Kinds come of Shares
	// Region, if not empty, is the part of the picture that is made: from the column Region[0] and the row Region[1]
	// to before Region[2] and Region[3]. The film holds it alone; its pixels are those of the whole picture.
	Region [4]int
	// Noise, if not 0, is enough: when no more is left (Film.Noise) no more samples are made.
	Noise float64
	// Adaptive gives samples to where noise is left, as many on the average.
	Adaptive bool
	// Skip is how many samples of each pixel others make: the first that is made is the one after those.
	Skip int
	// From, if set, is an open film of the same picture that goes on: it is what Render returns.
	From *Film
	// Moving, if set, is the camera at a share of the time for which the shutter is open: each sample has its own.
	// (The camera that Render is given is for what is told of a pixel's middle.)
	Moving func(share float64) *eye.Camera
	// Keep leaves the film open: it can be laid aside, and go on.
	Keep bool
	// Progress, if set, is called between passes, from one goroutine at a
	// time. It may call Show on the film to see the picture so far.
	Progress func(done, of int, f *Film)
	// Stop, if set, is asked between passes whether the picture is good
	// enough; the samples made so far make the picture.
	Stop func(done int) bool
	// Enter, if set, is called on each goroutine before it traces: a place to
	// give way to more urgent work.
	Enter func()
}

// Limits of a picture: 16384 is what other programs open; samples beyond a
// million change nothing that a float can show.
const (
	MaxSide    = 16384
	MaxSamples = 1 << 20
	MaxBounces = 256
)

// DefaultBounces is enough for daylight and interiors alike.
const DefaultBounces = 6

// Check reports the first option that cannot be.
func (o *Options) Check() error {
	switch {
	case o.Width < 1 || o.Height < 1 || o.Width > MaxSide || o.Height > MaxSide:
		return fmt.Errorf("a picture of %d x %d pixels cannot be made: both sides are 1 to %d", o.Width, o.Height,
			MaxSide)
	case o.Samples < 1 || o.Samples > MaxSamples:
		return fmt.Errorf("%d samples a pixel cannot be: 1 to %d", o.Samples, MaxSamples)
	case o.Bounces < 0 || o.Bounces > MaxBounces:
		return fmt.Errorf("%d bounces cannot be: 0 to %d", o.Bounces, MaxBounces)
	case o.Skip < 0 || o.Skip > MaxSamples-o.Samples:
		return fmt.Errorf("%d samples cannot be left out before %d", o.Skip, o.Samples)
	case o.Threads < 0:
		return fmt.Errorf("%d threads cannot be", o.Threads)
	case o.Region != [4]int{} && (o.Region[0] < 0 || o.Region[1] < 0 || o.Region[2] <= o.Region[0] ||
		o.Region[3] <= o.Region[1] || o.Region[2] > o.Width || o.Region[3] > o.Height):
		return fmt.Errorf("the region from %d,%d to %d,%d is none of a picture of %d x %d pixels", o.Region[0],
			o.Region[1], o.Region[2], o.Region[3], o.Width, o.Height)
	case !(o.Noise >= 0 && o.Noise <= 1):
		return fmt.Errorf("noise of %v cannot be asked for: 0 to 1, where 0.02 is two percent", o.Noise)
	}
	return nil
}
