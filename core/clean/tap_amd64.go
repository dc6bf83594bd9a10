package clean

import "visator/core/bvh"

// planes is where a tap reads and writes, as the assembler wants it: pixels and taps, then sums.
type planes struct {
	normal, albedo   [3]*float32
	near             *float32
	light            [3]*float32
	variance         *float32
	luma, sharp      *float32
	sums             [5]*float32
	weight           *float32
	kernel, nearness float32
}

// taps adds a tap to 8*n pixels; off is how many bytes it lies from them; see tap_amd64.s.
//
//go:noescape
func taps(p *planes, off, n int)

// run adds the tap to the pixels from x = from to before to.
func (t *tap) run(from, to int) {
	n := (to - from) / 8
	if !bvh.Wide() {
		n = 0
	}
	if n > 0 {
		i, p, s := t.at+from, t.p, t.s
		l := planes{near: &p.Near[i], variance: &p.Variance[i], luma: &p.luma[i], sharp: &p.sharp[i],
			weight: &s.weight[from], kernel: t.kernel, nearness: t.near}
		for c := range 3 {
			l.normal[c], l.albedo[c], l.light[c] = &p.Normal[c][i], &p.Albedo[c][i], &p.Light[c][i]
		}
		for k := range l.sums {
			l.sums[k] = &s.of[k][from]
		}
		taps(&l, 4*t.off, n)
	}
	t.runPortable(from+8*n, to)
}
