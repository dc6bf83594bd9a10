package meshopt

import (
	"bytes"
	_ "embed"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"math"
	"testing"
)

// Buffers that the encoder of the extension's authors packed (npm's
// meshoptimizer), beside what went in.
//
//go:embed testdata/vectors.json
var vectorFile []byte

func vectors(t testing.TB) map[string][]byte {
	t.Helper()
	var text map[string]string
	if err := json.Unmarshal(vectorFile, &text); err != nil {
		t.Fatal(err)
	}
	out := map[string][]byte{}
	for k, s := range text {
		b, err := base64.StdEncoding.DecodeString(s)
		if err != nil {
			t.Fatal(err)
		}
		out[k] = b
	}
	return out
}

func TestWhatWasPackedComesOut(t *testing.T) {
	v := vectors(t)
	for _, name := range []string{"v0", "v1"} {
		if got, err := Attributes(v[name], len(v["vertices"])/16, 16, ""); err != nil ||
			!bytes.Equal(got, v["vertices"]) {
			t.Errorf("%s: %v", name, err)
		}
	}
	got, err := Triangles(v["tri"], len(v["triangles"])/4, 4)
	if err != nil {
		t.Fatal(err)
	}
	// Triangles may begin at another of their corners.
	for i := 0; i < len(got); i += 12 {
		a, b := got[i:i+12], v["triangles"][i:i+12]
		same := false
		for range 3 {
			same = same || bytes.Equal(a, b)
			b = append(append([]byte{}, b[4:]...), b[:4]...)
		}
		if !same {
			t.Fatalf("triangle %d: %v, want %v", i/12, a, b)
		}
	}
	if got, err := Indices(v["seq"], len(v["sequence"])/4, 4); err != nil || !bytes.Equal(got, v["sequence"]) {
		t.Errorf("a sequence: %v, %v", got, err)
	}
}

func TestFilters(t *testing.T) {
	v := vectors(t)
	exp, err := Attributes(v["exp"], 2, 12, "EXPONENTIAL")
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []float64{1, 2.5, -3, 0.001, 1000, -7} {
		// 15 bits, shared by the three of a vector
		if got := float64(math.Float32frombits(binary.LittleEndian.Uint32(exp[4*i:]))); math.Abs(got-want) > 0.05 {
			t.Errorf("exponential %d: %v, want %v", i, got, want)
		}
	}
	check := func(filter string, data []byte, err error, want []float64) {
		if err != nil {
			t.Errorf("%s: %v", filter, err)
			return
		}
		for i, w := range want {
			if got := float64(int16(binary.LittleEndian.Uint16(data[2*i:]))) / 32767; math.Abs(got-w) > 2e-3 {
				t.Errorf("%s %d: %v, want %v", filter, i, got, w)
			}
		}
	}
	oct, err := Attributes(v["oct"], 4, 8, "OCTAHEDRAL")
	check("octahedral", oct, err, []float64{0, 0, 1, 0, 1, 0, 0, 0, 0.6, -0.48, 0.64, 0, -0.6, 0.64, -0.48})
	quat, err := Attributes(v["quat"], 3, 8, "QUATERNION")
	check("quaternion", quat, err, []float64{0, 0, 0, 1, 0.5, 0.5, 0.5, 0.5})
}

func TestDamageIsRefused(t *testing.T) {
	v := vectors(t)
	for i := range len(v["v0"]) {
		_, _ = Attributes(v["v0"][:i], 70, 16, "")
	}
	for i := range len(v["tri"]) {
		if _, err := Triangles(v["tri"][:i], len(v["triangles"])/4, 4); err == nil {
			t.Errorf("triangles cut to %d bytes were read", i)
		}
	}
	if _, err := Attributes([]byte{0xa0}, 1<<30, 16, ""); err == nil {
		t.Error("a claim of a thousand million vertices was believed")
	}
}

func FuzzAttributes(f *testing.F) {
	v := vectors(f)
	f.Add(v["v0"], 70, 16)
	f.Add(v["v1"], 70, 16)
	f.Fuzz(func(t *testing.T, data []byte, count, stride int) {
		for _, filter := range []string{"", "OCTAHEDRAL", "QUATERNION", "EXPONENTIAL"} {
			_, _ = Attributes(data, count, stride, filter)
		}
	})
}

func FuzzTriangles(f *testing.F) {
	v := vectors(f)
	f.Add(v["tri"], len(v["triangles"])/4)
	f.Add(v["seq"], len(v["sequence"])/4)
	f.Fuzz(func(t *testing.T, data []byte, count int) {
		_, _ = Triangles(data, count, 4)
		_, _ = Indices(data, count, 2)
	})
}
