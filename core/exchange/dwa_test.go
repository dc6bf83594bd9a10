package exchange

import (
	"bytes"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"visator/core/openexr"
)

// Packed as DWAA colours lose what is hardly seen, and all else nothing; the file is much smaller, and the tool of the
// format's own library unpacks it to what is read here.
func TestDWAAKeepsWhatMustBeExact(t *testing.T) {
	const w, h = 91, 77 // no multiple of a square, nor of the lines of a block
	rng := rand.New(rand.NewPCG(5, 8))
	color, albedo, id, depth := make([]float32, 3*w*h), make([]float32, 3*w*h), make([]float32, 3*w*h), make([]float32, w*h)
	for i := range w * h {
		x, y := float64(i%w)/w, float64(i/w)/h
		for c := range 3 {
			color[3*i+c] = float32(400 * (0.3 + x*x + 0.4*math.Sin(9*y+float64(c))*math.Sin(9*y+float64(c))))
			albedo[3*i+c] = float32(0.2 + 0.5*x*y + 0.02*rng.Float64())
			id[3*i+c] = math.Float32frombits(rng.Uint32()&0x3fffffff | 0x20000000)
		}
		depth[i] = float32(1 + 100*x + rng.Float64())
	}
	color[3*(40*w+30)] = 60_000 // what shines
	depth[17] = float32(math.Inf(1))
	channels := append(RGB("", color), RGB("albedo.", albedo)...)
	for _, c := range RGB("VisatorThing00.", id) {
		c.Exact = true
		channels = append(channels, c)
	}
	channels = append(channels, Channel{Name: "Z", Data: depth, Stride: 1, Exact: true})
	var packed, plain bytes.Buffer
	if err := WriteEXRPacked(&packed, w, h, channels, nil); err != nil {
		t.Fatal(err)
	}
	if err := WriteEXRWith(&plain, w, h, channels, nil); err != nil {
		t.Fatal(err)
	}
	// What is even to the eye has 11 bits: a step of it is half a percent of what is bright.
	read := func(data []byte, names ...string) [][]float32 {
		t.Helper()
		e, err := openexr.Open(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		p, err := e.Planes(names...)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	var names []string
	for _, c := range channels {
		names = append(names, c.Name)
	}
	got := read(packed.Bytes(), names...)
	for k, c := range channels {
		off, sum := 0.0, 0.0
		for i := range w * h {
			was, is := c.Data[i*c.Stride+c.Offset], got[k][i]
			if c.Exact {
				if math.Float32bits(was) != math.Float32bits(is) {
					t.Fatalf("%s at %d is %v, was %v", c.Name, i, is, was)
				}
				continue
			}
			off, sum = off+math.Abs(float64(is-was)), sum+float64(was)
		}
		if !c.Exact && off > 0.01*sum {
			t.Errorf("%s is off by %.2f %%", c.Name, 100*off/sum)
		}
	}
	if size := packed.Len() - 4*4*w*h; size > (plain.Len()-4*4*w*h)/4 { // but for what is exact, and by chance
		t.Errorf("its colours take %d bytes, of %d", size, plain.Len()-4*4*w*h)
	}

	tool, err := exec.LookPath("exrmaketiled")
	if err != nil {
		if os.Getenv("VISATOR_FULL") != "" {
			t.Fatal("install Debian's package openexr")
		}
		t.Skip("needs Debian's package openexr")
	}
	in, out := filepath.Join(t.TempDir(), "a.exr"), filepath.Join(t.TempDir(), "b.exr")
	if err := os.WriteFile(in, packed.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	if said, err := exec.Command(tool, "-o", "-z", "none", in, out).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	data, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	theirs := read(data, names...)
	for k, c := range channels {
		for i := range w * h {
			a, b := float64(got[k][i]), float64(theirs[k][i])
			if a != b && !(math.Abs(a-b) <= 6e-3*math.Abs(b)+1e-4) && !math.IsNaN(b) {
				t.Fatalf("%s at %d: read here %v, by the format's own library %v", c.Name, i, a, b)
			}
		}
	}
}
