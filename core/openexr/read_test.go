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

// channelsOf are all values of a picture by channel.
func channelsOf(t *testing.T, name string) map[string][]float32 {
	t.Helper()
	e, err := Open(bytes.NewReader(readFile(t, name)))
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	var names []string
	out := map[string][]float32{}
	for _, c := range e.Channels {
		names = append(names, c.Name)
		out[c.Name] = make([]float32, e.Width*e.Height)
	}
	if err := e.Rows(names, func(x, y int, v [][]float32) {
		for i, n := range names {
			copy(out[n][y*e.Width+x:], v[i])
		}
	}); err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return out
}

// Cosines are read as the format's own library reads them, which wrote the pictures in read without loss: colours, a
// brightness alone, and an opacity as run lengths, of blocks of 32 and 256 lines and of tiles. Sums of floats and of
// doubles may be half a step of a half apart; what is packed without loss is the same.
func TestCosinesAsTheLibraryReadsThem(t *testing.T) {
	for _, name := range []string{"dwaa_float.exr", "dwab_half.exr", "tile_half_dwaa.exr"} {
		got, want := channelsOf(t, name), channelsOf(t, "read/"+name)
		if len(got) != len(want) || len(got) < 3 {
			t.Errorf("%s has %d channels of %d", name, len(got), len(want))
		}
		for c, w := range want {
			for i := range w {
				off := 0.0
				if c != "A" && c != "Z" {
					even := max(1, 1+math.Log(math.Abs(float64(w[i])))/2.2) // one step of it, made linear
					step := math.Exp2(math.Floor(math.Log2(even)) - 10)
					off = math.Abs(float64(w[i]))*(2.2*step*1.25+1.0/1024) + 1e-5
				}
				if d := math.Abs(float64(got[c][i] - w[i])); !(d <= off) {
					t.Fatalf("%s, channel %s, value %d: %v, want %v", name, c, i, got[c][i], w[i])
				}
			}
		}
	}
}

// Broken files are told with the place.
func TestPicturesThatAreNotRead(t *testing.T) {
	for _, name := range []string{"piz_half.exr", "dwab_half.exr"} {
		good := readFile(t, name)
		for n := 0; n < len(good); n += 97 {
			e, err := Open(bytes.NewReader(good[:n]))
			if err == nil {
				err = e.Rows([]string{"R", "G", "B"}, func(int, int, [][]float32) {})
			}
			if err == nil {
				t.Errorf("%s cut to %d bytes is read", name, n)
			}
		}
	}
	e, _ := Open(bytes.NewReader(readFile(t, "piz_half.exr")))
	if err := e.Rows([]string{"A"}, nil); err == nil || !strings.Contains(err.Error(), "no channel A") {
		t.Errorf("%v", err)
	}
}

// Halves of published values (IEEE 754): 1, the largest, the smallest, infinity.
func TestHalves(t *testing.T) {
	for i := range 1 << 16 { // every half that is a number is itself again
		if h := uint16(i); h&0x7c00 != 0x7c00 && ToHalf(Half(h)) != h && h != 0x8000 {
			t.Fatalf("%04x becomes %04x", h, ToHalf(Half(h)))
		}
	}
	for v, want := range map[float32]uint16{65519: 0x7bff, 65520: 0x7c00, 1e30: 0x7c00, 1 + 1.0/2048: 0x3c00,
		1 + 3.0/2048: 0x3c02, 1.0 / (1 << 25): 0, 3.0 / (1 << 25): 2} {
		if got := ToHalf(v); got != want {
			t.Errorf("%v becomes %04x, want %04x", v, got, want)
		}
	}
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
