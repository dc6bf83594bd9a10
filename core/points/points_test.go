package points

import "testing"

// Of the first 2^m points of a (0,2)-sequence each box of the area 2^-m that comes
// of halving the sides holds one (Niederreiter, Random Number Generation and
// Quasi-Monte Carlo Methods, 1992, definition 4.2), in every pair of dimensions
// and for every pixel: scrambling keeps it (Owen 1995).
func TestSamplesFillEveryBox(t *testing.T) {
	for _, pixel := range [][2]int{{0, 0}, {17, 4}, {1919, 1079}} {
		for m := 1; m <= 8; m++ {
			n := 1 << m
			for dim := range 4 {
				for across := 0; across <= m; across++ {
					seen := map[[2]int]bool{}
					for i := range n {
						s := New(99, pixel[0], pixel[1], i)
						var x, y float64
						for range dim + 1 {
							x, y = s.Next2()
						}
						seen[[2]int{int(x * float64(int(1)<<across)), int(y * float64(int(1)<<(m-across)))}] = true
					}
					if len(seen) != n {
						t.Fatalf("pixel %v, pair %d: %d points are in %d boxes of %d x %d", pixel, dim, n, len(seen),
							1<<across, 1<<(m-across))
					}
				}
			}
		}
	}
}
