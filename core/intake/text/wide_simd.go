//go:build goexperiment.simd && amd64

package text

import (
	"math"
	"math/bits"
	"simd/archsimd"
)

var wide = archsimd.X86.AVX2()

// shuffles are, for numbers with or without a sign whose first byte that is no
// digit stands at a place and which end at another, where to take sixteen digits
// from, zeros first, and the point left out.
var shuffles = func() (t [2][16][16][16]int8) {
	for minus := range 2 {
		for dot := range 16 {
			for end := dot; end < 16; end++ {
				from := end - 1
				for to := 15; to >= 0; to-- {
					if from == dot {
						from--
					}
					t[minus][dot][end][to] = -1 // a zero
					if from >= minus {
						t[minus][dot][end][to] = int8(from)
					}
					from--
				}
			}
		}
	}
	return t
}()

// plain appends numbers in their usual form from d[i:] to out, most of them at
// most, and returns where the last ends; it stops at one in another form, near
// the end of d, and, of a line, at its end.
func plain(d []byte, i int, out []float32, most int, line bool) ([]float32, int) {
	end := i
	if !wide || i < 0 {
		return out, end
	}
	const longest = 16
	zero, nine := archsimd.BroadcastUint8x16('0'), archsimd.BroadcastUint8x16(9)
	pairs := archsimd.LoadInt8x16(&[16]int8{10, 1, 10, 1, 10, 1, 10, 1, 10, 1, 10, 1, 10, 1, 10, 1})
	fours := archsimd.LoadInt16x8(&[8]int16{100, 1, 100, 1, 100, 1, 100, 1})
	for most += len(out); len(out) < most && i+longest <= len(d); {
		if c := d[i]; c <= ' ' && (!line || c == ' ' || c == '\t') {
			i++
			continue
		}
		w := (*[longest]byte)(d[i : i+longest])
		x := archsimd.LoadUint8x16(w).Sub(zero)
		minus := (uint32(w[0]^'-') - 1) >> 31
		others := ^uint32(x.Min(nine).Equal(x).ToBits()) &^ minus
		dot := bits.TrailingZeros32(others) & 15
		point := int((uint32(w[dot]^'.') - 1) >> 31) // no jump: the guess would be wrong every few numbers
		places := point * (bits.TrailingZeros32(others&(others-1)) - dot - 1)
		size := dot + point + places
		if size >= longest || w[size&15] > ' ' || size-point == int(minus) {
			break
		}
		y := x.PermuteOrZero(archsimd.LoadInt8x16(&shuffles[minus][dot][size&15]))
		z := y.DotProductPairsSaturated(pairs).DotProductPairs(fours).AsUint64x2()
		const both = 10000<<32 + 1 // four digits and four digits become eight
		mant := z.GetElem(0)*both>>32*1e8 + z.GetElem(1)*both>>32
		v := float64(int64(mant)) / pow10[places&15]
		out = append(out, float32(math.Float64frombits(math.Float64bits(v)|uint64(minus)<<63)))
		i += size
		end = i
	}
	return out, end
}
