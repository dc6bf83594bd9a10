package openexr

import (
	"bytes"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// want is the picture that all samples hold: they were written by other programs (ffmpeg, and the format's own tools)
// from one picture of floats.
func want(x, y int) [3]float64 {
	return [3]float64{math.Exp(3 * math.Sin(float64(x)/9) * math.Cos(float64(y)/7)), float64(x) / 64, float64(y*y)*10 +
		0.25}
}

func readFile(t *testing.T, name string) []byte {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("testdata", name))
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// What other programs wrote is read with every value, to what its numbers hold: halves 11 bits, PXR24 16.
func TestPicturesOfOtherPrograms(t *testing.T) {
	files, _ := filepath.Glob("testdata/*.exr")
	read := 0
	for _, f := range files {
		name := filepath.Base(f)
		if strings.Contains(name, "dwa") {
			continue
		}
		read++
		e, err := Open(bytes.NewReader(readFile(t, name)))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if e.Width != 61 || e.Height != 37 {
			t.Errorf("%s is %d x %d", name, e.Width, e.Height)
		}
		off := 1e-6
		if strings.Contains(name, "half") {
			off = 1.0 / 1024 // some cut what does not fit
		}
		if strings.Contains(name, "b44") { // six bits of a difference within a square
			off = 0.15
		}
		if strings.Contains(name, "float") && strings.Contains(name, "pxr24") {
			off = 1.0 / 65536
		}
		seen := map[[2]int]bool{}
		err = e.Rows([]string{"R", "G", "B"}, func(x, y int, v [][]float32) {
			for i := range v[0] {
				seen[[2]int{x + i, y}] = true
				for c, w := range want(x+i, y) {
					if got := float64(v[c][i]); math.Abs(got-w) > off*w+1e-7 {
						t.Fatalf("%s: channel %d at %d, %d is %v, want %v", name, c, x+i, y, got, w)
					}
				}
			}
		})
		if err != nil || len(seen) != 61*37 {
			t.Errorf("%s: %d pixels, %v", name, len(seen), err)
		}
	}
	if read < 12 {
		t.Errorf("%d files", read)
	}
}

// What is not read is told with the remedy, and broken files with the place.
func TestPicturesThatAreNotRead(t *testing.T) {
	for _, name := range []string{"tile_half_dwaa.exr"} {
		e, err := Open(bytes.NewReader(readFile(t, name)))
		if err == nil {
			err = e.Rows([]string{"R"}, func(int, int, [][]float32) {})
		}
		if err == nil || !strings.Contains(err.Error(), "save it with ZIP or PIZ") {
			t.Errorf("%s: %v", name, err)
		}
	}
	good := readFile(t, "piz_half.exr")
	for n := 0; n < len(good); n += 97 {
		e, err := Open(bytes.NewReader(good[:n]))
		if err == nil {
			err = e.Rows([]string{"R", "G", "B"}, func(int, int, [][]float32) {})
		}
		if err == nil {
			t.Errorf("cut to %d bytes it is read", n)
		}
	}
	e, _ := Open(bytes.NewReader(good))
	if err := e.Rows([]string{"A"}, nil); err == nil || !strings.Contains(err.Error(), "no channel A") {
		t.Errorf("%v", err)
	}
}

// Halves of published values (IEEE 754): 1, the largest, the smallest, infinity.
func TestHalves(t *testing.T) {
	for h, want := range map[uint16]float64{0x3c00: 1, 0x7bff: 65504, 1: math.Pow(2, -24), 0xc000: -2,
		0x0400: math.Pow(2, -14),
		0x7c00: math.Inf(1), 0x8000: 0, 0x3555: 0.333251953125} {
		if got := float64(Half(h)); got != want {
			t.Errorf("%04x is %v, want %v", h, got, want)
		}
	}
}

func FuzzRead(f *testing.F) {
	files, _ := filepath.Glob("testdata/*.exr")
	for _, name := range files {
		if data, err := os.ReadFile(name); err == nil {
			f.Add(data)
		}
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		e, err := Open(bytes.NewReader(data))
		if err != nil || e.Width*e.Height > 1<<20 {
			return
		}
		names := []string{}
		for _, c := range e.Channels {
			names = append(names, c.Name)
		}
		_ = e.Rows(names, func(x, y int, v [][]float32) {
			if x < 0 || y < 0 || y >= e.Height || len(v) > 0 && x+len(v[0]) > e.Width {
				t.Fatalf("a row at %d, %d of %d x %d", x, y, e.Width, e.Height)
			}
		})
	})
}
