package sizing

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// loopsOf reads the loops of a path.
func loopsOf(t testing.TB, path string) (out [][][2]float64) {
	t.Helper()
	for _, s := range strings.Split(path, "M")[1:] {
		var loop [][2]float64
		for _, p := range strings.Split(strings.TrimSuffix(s, "Z"), "L") {
			xy := strings.Fields(p)
			if len(xy) != 2 {
				t.Fatalf("a corner %q", p)
			}
			x, err1 := strconv.ParseFloat(xy[0], 64)
			y, err2 := strconv.ParseFloat(xy[1], 64)
			if err1 != nil || err2 != nil {
				t.Fatalf("a corner %q", p)
			}
			loop = append(loop, [2]float64{x, y})
		}
		out = append(out, loop)
	}
	return out
}

// areaOf is what loops enclose, holes taken away: the shoelace formula.
func areaOf(loops [][][2]float64) (sum float64) {
	for _, l := range loops {
		for i, p := range l {
			q := l[(i+1)%len(l)]
			sum += (p[0]*q[1] - q[0]*p[1]) / 2
		}
	}
	return math.Abs(sum)
}

// extremes are the extremes of loops.
func extremes(loops [][][2]float64) (lo, hi [2]float64) {
	lo, hi = [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, l := range loops {
		for _, p := range l {
			for k := range p {
				lo[k], hi[k] = min(lo[k], p[k]), max(hi[k], p[k])
			}
		}
	}
	return lo, hi
}

func modelOf(positions []float32, indices ...uint32) *model.Model {
	m := &model.Model{Format: "OBJ", Up: "Y", Unit: model.Unit{MetresPerUnit: 1}}
	m.Stand(model.Mesh{Parts: []model.Part{{Surface: model.None, Positions: positions, Indices: indices}}})
	return m
}

// disc is a circle of n corners about x, 0, 0.
func disc(n int, x, r float64) *model.Model {
	p := []float32{float32(x), 0, 0}
	var idx []uint32
	for i := range n {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		p = append(p, float32(x+r*cos), float32(r*sin), 0)
		idx = append(idx, 0, uint32(1+i), uint32(1+(i+1)%n))
	}
	return modelOf(p, idx...)
}

// The outline of a circle is a circle: its area is πr², give or take a cell all
// around, wherever it lies.
func TestACircleIsRoundNearAndFarOff(t *testing.T) {
	for _, x := range []float64{0, 3, -70_000} {
		loops := loopsOf(t, Silhouette(disc(256, x, 40), geom.Identity, Front))
		if len(loops) != 1 || len(loops[0]) < 24 || len(loops[0]) > 400 {
			t.Fatalf("at %v: %d loops", x, len(loops))
		}
		cell := 80.0 / grid
		if a := areaOf(loops); a < math.Pi*40*40*0.999 || a > math.Pi*(40+2*cell)*(40+2*cell) {
			t.Errorf("at %v: area %v, want %v", x, a, math.Pi*40*40)
		}
		for _, p := range loops[0] {
			if r := math.Hypot(p[0]-x, p[1]); math.Abs(r-40) > 3*cell {
				t.Fatalf("at %v: a corner %v from the middle", x, r)
			}
		}
	}
}

// From the right the front of a thing, +Z, is at the left; from above it is
// below.
func TestSidesAreSeenAsFromThere(t *testing.T) {
	m := modelOf([]float32{0, 0, 0, 0, 2, 0, 1, 0, 3}, 0, 1, 2) // high at its back, reaching to x 1, z 3 at its foot
	for _, c := range []struct {
		side   Side
		lo, hi [2]float64
	}{{Front, [2]float64{0, -2}, [2]float64{1, 0}}, {Right, [2]float64{-3, -2}, [2]float64{0, 0}},
		{Top, [2]float64{0, 0}, [2]float64{1, 3}}} {
		lo, hi := extremes(loopsOf(t, Silhouette(m, geom.Identity, c.side)))
		for k := range lo {
			if math.Abs(lo[k]-c.lo[k]) > 0.02 || math.Abs(hi[k]-c.hi[k]) > 0.02 {
				t.Errorf("side %d: %v to %v, want %v to %v", c.side, lo, hi, c.lo, c.hi)
			}
		}
	}
}

// Of any triangles: nothing of them is lost, and nothing lies farther outside
// than two cells.
func TestOutlinesHoldWhatTheyShow(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 60 {
		var p []float32
		var idx []uint32
		for i := range uint32(3 * (1 + r.IntN(12))) {
			p = append(p, float32(r.NormFloat64()), float32(r.NormFloat64()*math.Exp(2*r.NormFloat64())), 0)
			idx = append(idx, i)
		}
		m := modelOf(p, idx...)
		loops := loopsOf(t, Silhouette(m, geom.Identity, Front))
		lo, hi := extremes(loops)
		b := m.Bounds()
		cell := 2 * b.Size().Max() / grid
		if math.Abs(lo[0]-b.Min.X) > cell || math.Abs(hi[0]-b.Max.X) > cell || math.Abs(lo[1]+b.Max.Y) > cell ||
			math.Abs(hi[1]+b.Min.Y) > cell {
			t.Fatalf("%v to %v of %v", lo, hi, b)
		}
		largest := 0.0
		for k := 0; k < len(p); k += 9 {
			largest = max(largest, math.Abs(float64((p[k+3]-p[k])*(p[k+7]-p[k+1])-(p[k+6]-p[k])*(p[k+4]-p[k+1])))/2)
		}
		if a := areaOf(loops); a < largest*0.995-cell*cell {
			t.Fatalf("area %v, one triangle alone has %v", a, largest)
		}
	}
}

// A leaf on a card is seen as a leaf: the picture is there in the left half only.
func TestWhatMapsCutOutIsNotSeen(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for y := range 64 {
		for x := range 32 {
			img.SetNRGBA(x, y, color.NRGBA{40, 120, 30, 255})
		}
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		t.Fatal(err)
	}
	s := model.DefaultSurface()
	s.Alpha, s.Slots[model.BaseColorMap] = model.Mask, model.Slot{Scale: [2]float64{1, 1}}
	m := &model.Model{Format: "GLB", Up: "Y", Surfaces: []model.Surface{s},
		Maps: []model.Map{{Name: "leaf.png", Status: model.Found, Mime: "image/png", Data: buf.Bytes()}}}
	m.Stand(model.Mesh{Parts: []model.Part{{Positions: []float32{0, 0, 0, 2, 0, 0, 2, 3, 0, 0, 3, 0},
		UV: []float32{0, 1, 1, 1, 1, 0, 0, 0}, Indices: []uint32{0, 1, 2, 0, 2, 3}}}})
	wide := func() float64 {
		lo, hi := extremes(loopsOf(t, Silhouette(m, geom.Identity, Front)))
		return hi[0] - lo[0]
	}
	if w := wide(); math.Abs(w-1) > 0.05 {
		t.Errorf("the leaf is %v wide, want 1", w)
	}
	// Shown twice along the card, and from a quarter: two strips to 2 - 1/4.
	m.Surfaces[0].Slots[model.BaseColorMap].Scale[0] = 2
	if loops := loopsOf(t, Silhouette(m, geom.Identity, Front)); len(loops) != 2 || math.Abs(areaOf(loops)-3) > 0.1 {
		t.Errorf("twice: %d loops, area %v", len(loops), areaOf(loops))
	}
	// The edge of the card is a line; what is opaque is a card.
	if p := Silhouette(m, geom.Identity, Right); p == "" {
		t.Error("from its edge it has vanished")
	}
	m.Surfaces[0].Alpha = model.Opaque
	if w := wide(); math.Abs(w-2) > 0.05 {
		t.Errorf("the card is %v wide, want 2", w)
	}
	// A grey map of its own cuts as well.
	m.Surfaces[0].Alpha = model.Blend
	m.Surfaces[0].Slots[model.OpacityMap] = model.Slot{Scale: [2]float64{1, 1}}
	if w := wide(); math.Abs(w-1) > 0.05 {
		t.Errorf("by its opacity map it is %v wide, want 1", w)
	}
}

// Foliage of ten thousand leaves has a path that a page can bear.
func TestFoliageIsDrawnCoarser(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var p []float32
	var idx []uint32
	for range 10_000 {
		x, y := float32(r.NormFloat64()), float32(r.NormFloat64())
		n := uint32(len(p) / 3)
		p = append(p, x, y, 0, x+0.01, y, 0, x, y+0.02, 0)
		idx = append(idx, n, n+1, n+2)
	}
	if path := Silhouette(modelOf(p, idx...), geom.Identity, Front); len(path) > 5*maxPath || len(path) < maxPath/4 {
		t.Errorf("a path of %d bytes", len(path))
	}
}

func FuzzSilhouette(f *testing.F) {
	f.Add([]byte("0123456789012345678901234567890123456789"))
	nan := make([]byte, 36)
	binary.LittleEndian.PutUint32(nan[4:], math.Float32bits(float32(math.NaN())))
	binary.LittleEndian.PutUint32(nan[8:], math.Float32bits(3e38))
	f.Add(nan)
	f.Fuzz(func(t *testing.T, data []byte) {
		var p []float32
		for len(data) >= 4 && len(p) < 90 {
			p = append(p, math.Float32frombits(binary.LittleEndian.Uint32(data)))
			data = data[4:]
		}
		p = p[:len(p)/9*9]
		var idx []uint32
		for i := range uint32(len(p) / 3) {
			idx = append(idx, i)
		}
		for _, side := range []Side{Front, Top, Right} {
			for _, l := range loopsOf(t, Silhouette(modelOf(p, idx...), geom.Identity, side)) {
				for _, q := range l {
					if math.IsNaN(q[0]) || math.IsNaN(q[1]) {
						t.Fatal("a corner that is no number")
					}
				}
			}
		}
	})
}

// The outline of a frame of 3 by 2 with a window of 1 by 0.5 in it is two loops that turn
// opposite ways; the area that they enclose is that of the frame less the window, to the
// cells along its edges.
func TestOutlinesHaveHoles(t *testing.T) {
	var list [][3][2]float64
	rect := func(x0, y0, x1, y1 float64) {
		list = append(list, [3][2]float64{{x0, y0}, {x1, y0}, {x1, y1}}, [3][2]float64{{x0, y0}, {x1, y1}, {x0, y1}})
	}
	rect(0, 0, 3, 0.5)
	rect(0, 1, 3, 2)
	rect(0, 0.5, 1, 1)
	rect(2, 0.5, 3, 1)
	list = append(list, [3][2]float64{{math.NaN(), 0}, {1, math.Inf(1)}, {0, 0}},
		[3][2]float64{{1e300, 0}, {1, 1}, {0, 1e300}})
	loops := Outline(func(draw func(a, b, c [2]float64)) {
		for _, q := range list {
			draw(q[0], q[1], q[2])
		}
	}, 10)
	area, signs := 0.0, map[bool]int{}
	for _, l := range loops {
		one := 0.0
		for i, p := range l {
			q := l[(i+1)%len(l)]
			one += (p[0]*q[1] - q[0]*p[1]) / 2
		}
		area += one
		signs[one > 0]++
	}
	if len(loops) != 2 || signs[true] != 1 || math.Abs(math.Abs(area)-5.5) > 0.06 {
		t.Errorf("%d loops, %v, about %v m²", len(loops), signs, area)
	}
	if l := Outline(func(func(a, b, c [2]float64)) {}, 10); l != nil {
		t.Errorf("of nothing: %v", l)
	}
}
