package stage

import (
	"math/rand/v2"
	"testing"
)

// What is drawn keeps to the budget whenever it can be kept at all, nothing is
// drawn coarser than it could be, and what stands tall goes first.
func TestLevelsKeepToTheBudget(t *testing.T) {
	r := rand.New(rand.NewPCG(41, 42))
	for range 500 {
		var triangles [][]int
		var copies []int
		var height []float64
		for range 1 + r.IntN(12) {
			n, levels := 200+r.IntN(100_000), []int{}
			for k := 0; k < 1+r.IntN(3); k++ {
				levels = append(levels, n)
				n = n/5 + 1
			}
			triangles, copies, height = append(triangles, levels), append(copies, r.IntN(40)),
				append(height, r.Float64())
		}
		budget := r.IntN(2_000_000)
		level := ChooseLevels(triangles, copies, height, budget)
		total, least := 0, 0
		for i, l := range level {
			total += triangles[i][l] * copies[i]
			least += triangles[i][len(triangles[i])-1] * copies[i]
		}
		if total > max(budget, least) {
			t.Fatalf("%d triangles for a budget of %d", total, budget)
		}
		for i, l := range level {
			if l > 0 && copies[i] > 0 && total+(triangles[i][l-1]-triangles[i][l])*copies[i] <= budget {
				t.Fatalf("piece %d could be drawn finer within %d", i, budget)
			}
		}
	}
	// Alike but for their height, with room for one.
	level := ChooseLevels([][]int{{1000, 10}, {1000, 10}}, []int{1, 1}, []float64{0.1, 0.8}, 1100)
	if level[0] != 1 || level[1] != 0 {
		t.Errorf("levels %v", level)
	}
}
