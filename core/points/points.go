// Package points is the numbers that samples are made of.
package points

import (
	"math"
	"math/bits"

	"visator/core/geom"
)

// Sampler gives the points of a scrambled (0,2)-sequence for one pixel, two
// dimensions at a time: Sobol points with hash-based Owen scrambling (Burley,
// Practical Hash-based Owen Scrambling, JCGT 2020). The numbers depend on
// seed, pixel, sample and dimension alone, so that threads change nothing.
type Sampler struct {
	pixel  uint32
	sample uint32
	dim    uint32

	reversed uint32 // the bits of sample
}

// New is the numbers of a sample of a pixel.
func New(seed uint64, x, y, sample int) Sampler {
	h := hash32(uint32(seed) ^ hash32(uint32(seed>>32)+0x9e3779b9))
	h = hash32(h ^ uint32(x))
	h = hash32(h ^ (uint32(y) + 0x85ebca6b))
	return Sampler{pixel: h, sample: uint32(sample), reversed: bits.Reverse32(uint32(sample))}
}

// hash32 mixes the bits of x (Wellons' low-bias 32-bit permutation).
func hash32(x uint32) uint32 {
	x ^= x >> 16
	x *= 0x7feb352d
	x ^= x >> 15
	x *= 0x846ca68b
	x ^= x >> 16
	return x
}

// scramble is an Owen scrambling.
func scramble(x, seed uint32) uint32 {
	return bits.Reverse32(permute(bits.Reverse32(x), seed))
}

// permute is the Laine-Karras permutation, which is an Owen scrambling when
// the bits are reversed before and after.
func permute(x, seed uint32) uint32 {
	x += seed
	x ^= x * 0x6c50b47c
	x ^= x * 0xb82f1e52
	x ^= x * 0xc7afe638
	x ^= x * 0x8d22f6e6
	return x
}

// sobol1 is the second dimension of Sobol's sequence; the first is the
// reversed index.
func sobol1(i uint32) uint32 {
	return sobolBytes[0][i&255] ^ sobolBytes[1][i>>8&255] ^ sobolBytes[2][i>>16&255] ^ sobolBytes[3][i>>24]
}

// sobolBytes are what each byte of the index adds.
var sobolBytes = func() (t [4][256]uint32) {
	v := uint32(1) << 31 // the direction number of a bit
	for bit := range 32 {
		for b := range 256 {
			if b>>(bit%8)&1 != 0 {
				t[bit/8][b] ^= v
			}
		}
		v ^= v >> 1
	}
	return t
}()

// Next2 returns the next two numbers in [0, 1).
func (s *Sampler) Next2() (float64, float64) {
	seed := hash32(s.pixel ^ s.dim*0x9e3779b9)
	s.dim++
	// The index is scrambled by permuting its bits in reverse, and the first
	// dimension of the sequence is the index in reverse: two of the turns meet.
	i := bits.Reverse32(permute(s.reversed, seed))
	x := bits.Reverse32(permute(i, hash32(seed^1)))
	y := scramble(sobol1(i), hash32(seed^2))
	const scale = 1.0 / (1 << 32)
	return float64(x) * scale, float64(y) * scale
}

// Next returns the next number in [0, 1): the first of those that Next2 returns.
func (s *Sampler) Next() float64 {
	seed := hash32(s.pixel ^ s.dim*0x9e3779b9)
	s.dim++
	i := bits.Reverse32(permute(s.reversed, seed))
	return float64(bits.Reverse32(permute(i, hash32(seed^1)))) * (1.0 / (1 << 32))
}

// Seek goes to a pair of numbers by its place: what is asked for one purpose has the same place in all samples,
// whatever else was asked for before.
func (s *Sampler) Seek(place uint32) { s.dim = place }

// Aside are two numbers in [0, 1) for one purpose, told by a number, that no others depend on: those that Next2 gives
// stay as they are.
func (s *Sampler) Aside(purpose uint32) (float64, float64) {
	t := *s
	t.dim = 1<<20 + purpose
	return t.Next2()
}

// Pick returns a number in [0, 1) from what is hit, for the stochastic
// decision whether a see-through surface lets a ray pass.
func (s *Sampler) Pick(a, b uint32) float64 {
	return float64(hash32(hash32(s.pixel^s.sample*0x9e3779b1)^hash32(a+s.dim*0x68bc21eb)^b)) / (1 << 32)
}

// At are two numbers from 0 to 1 that are others at each place.
func At(p geom.V, seed uint64) (x, y float64) {
	h := math.Float64bits(p.X) ^ bits.RotateLeft64(math.Float64bits(p.Z), 23) ^ math.Float64bits(p.Y)<<7 ^ seed<<51
	h *= 0x9e3779b97f4a7c15
	h ^= h >> 29
	h *= 0xbf58476d1ce4e5b9
	return float64(h>>40) / (1 << 24), float64(h>>16&0xffffff) / (1 << 24)
}

// Mix is a number by chance of another.
func Mix(h uint64) uint64 {
	h ^= h >> 32
	h *= 0xd6e8feb86659fd93
	h ^= h >> 29
	h *= 0xd6e8feb86659fd93
	return h ^ h>>32
}

// Pair are two numbers from 0 to 1 of one that was mixed.
func Pair(h uint64) (x, y float64) {
	return float64(h>>40) / (1 << 24), float64(h>>8&0xffffff) / (1 << 24)
}
