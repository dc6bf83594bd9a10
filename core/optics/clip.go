package optics

import (
	"math"
)

// Buffers are the depth buffers that clipping is fitted for: integers of 24
// bits; floats of 32 bits from 0 at the near plane to 1 at the far plane; and
// the same floats the other way round.
var Buffers = []string{"24", "32f", "reversed"}

// DepthStep is the smallest difference in distance that a depth buffer of a
// kind tells apart at z, between planes at near and far: all in metres.
//
// A perspective depth buffer keeps d = f/(f-n)·(1 - n/z), so that a step of d
// is one of z²·(f-n)/(n·f) (perspective depth mapping, OpenGL specification).
// A step of d is 2^-24 in 24 bits, and the distance to the next float of 32
// bits (IEEE 754) otherwise. The other way round, d = n·(f-z)/(z·(f-n)), floats
// are finest where distances lie densest.
func DepthStep(buffer string, z, near, far float64) float64 {
	slope := z * z / near
	kept := 1 - near/z
	if !math.IsInf(far, 1) {
		slope *= (far - near) / far
		kept *= far / (far - near)
	}
	step := math.Exp2(-24)
	switch buffer {
	case "32f":
		step = float32Step(kept)
	case "reversed":
		step = float32Step(1 - kept)
	}
	return slope * step
}

// float32Step is how far the next larger float of 32 bits is from x.
func float32Step(x float64) float64 {
	f := float32(math.Abs(x))
	return float64(math.Nextafter32(f, math.MaxFloat32)) - float64(f)
}

// NearFor is how far from the lens the near plane has to be for a buffer to
// tell apart a gap at distance z. Of a reversed buffer it does not depend on
// the near plane: 0, or +Inf where it cannot.
func NearFor(buffer string, z, gap, far float64) float64 {
	if buffer == "reversed" {
		if DepthStep(buffer, z, z/1000, far) <= gap {
			return 0
		}
		return math.Inf(1)
	}
	// gap = z²·(1/n - 1/f)·2^-24
	n := 1 / (gap*math.Exp2(24)/(z*z) + 1/far)
	if n >= z {
		return math.Inf(1)
	}
	return n
}

// ClipMargin is the share that fitted planes leave free before and behind.
const ClipMargin = 0.02

// FitClip is the tightest near and far plane about all from near to far
// metres, with ClipMargin to spare. When something reaches up to the lens the
// near plane stays at nearest.
func FitClip(near, far, nearest float64) (n, f float64) {
	n = max(near*(1-ClipMargin), nearest)
	return n, max(far*(1+ClipMargin), n*1.1)
}
