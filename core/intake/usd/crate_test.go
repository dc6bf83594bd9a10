package usd

import (
	"encoding/binary"
	"maps"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/pierrec/lz4/v4"

	"visator/core/model"
)

// crateWriter packs a layer as the binary form, version 0.8, after the public
// description of its layout: enough of it to test the reader with.
type crateWriter struct {
	out    []byte
	tokens []string
	token  map[string]uint32
	fields []field
	sets   []int32
	paths  []string
	path   map[string]uint32
	specs  [][3]int32
}

func (w *crateWriter) tok(s string) uint32 {
	if i, ok := w.token[s]; ok {
		return i
	}
	w.token[s] = uint32(len(w.tokens))
	w.tokens = append(w.tokens, s)
	return w.token[s]
}

func (w *crateWriter) pathOf(p string) uint32 {
	if i, ok := w.path[p]; ok {
		return i
	}
	w.path[p] = uint32(len(w.paths))
	w.paths = append(w.paths, p)
	return w.path[p]
}

func (w *crateWriter) u32(v ...uint32) {
	for _, x := range v {
		w.out = binary.LittleEndian.AppendUint32(w.out, x)
	}
}

func (w *crateWriter) u64(v ...uint64) {
	for _, x := range v {
		w.out = binary.LittleEndian.AppendUint64(w.out, x)
	}
}

func squeeze(data []byte) []byte {
	buf := make([]byte, lz4.CompressBlockBound(len(data))+16)
	var c lz4.Compressor
	n, err := c.CompressBlock(data, buf)
	if err != nil || n == 0 { // it cannot be made smaller: one run of literals
		buf = literals(data)
		n = len(buf)
	}
	return append([]byte{0}, buf[:n]...)
}

func literals(data []byte) []byte {
	out := []byte{}
	if n := len(data); n < 15 {
		out = append(out, byte(n<<4))
	} else {
		out = append(out, 0xf0)
		for n -= 15; n >= 255; n -= 255 {
			out = append(out, 255)
		}
		out = append(out, byte(n))
	}
	return append(out, data...)
}

// packInts codes numbers by their differences, the commonest in two bits.
func packInts(list []int32) []byte {
	count := map[int32]int{}
	prev := int32(0)
	for _, x := range list {
		count[x-prev]++
		prev = x
	}
	common, most := int32(0), -1
	for _, d := range slices.Sorted(maps.Keys(count)) {
		if count[d] > most {
			common, most = d, count[d]
		}
	}
	codes := make([]byte, (len(list)*2+7)/8)
	var rest []byte
	prev = 0
	for i, x := range list {
		d := x - prev
		prev = x
		code := byte(3)
		switch {
		case d == common:
			code = 0
		case d >= -128 && d < 128:
			code = 1
			rest = append(rest, byte(d))
		case d >= -32768 && d < 32768:
			code = 2
			rest = binary.LittleEndian.AppendUint16(rest, uint16(d))
		default:
			rest = binary.LittleEndian.AppendUint32(rest, uint32(d))
		}
		codes[i/4] |= code << (i % 4 * 2)
	}
	return squeeze(append(append(binary.LittleEndian.AppendUint32(nil, uint32(common)), codes...), rest...))
}

func (w *crateWriter) ints(list []int32) {
	p := packInts(list)
	w.u64(uint64(len(p)))
	w.out = append(w.out, p...)
}

const inlined, isArray, isPacked = 1 << 62, 1 << 63, 1 << 61

func rep(kind int, payload uint64, flags uint64) uint64 {
	return uint64(kind)<<48 | payload | flags
}

var typeOf = map[string]int{"int": tInt, "int64": tInt64, "float": tFloat, "double": tDouble, "bool": tBool,
	"token": tToken, "string": tString, "asset": tAsset, "matrix4d": tMatrix4d, "point3f": tVec3f, "float3": tVec3f,
	"color3f": tVec3f, "double3": tVec3d,
	"normal3f": tVec3f, "texCoord2f": tVec2f, "float2": tVec2f, "quath": tQuath}

// value stores a value of a type of the text form.
func (w *crateWriter) value(typeName string, v any) uint64 {
	base, array := strings.CutSuffix(typeName, "[]")
	kind := typeOf[base]
	at := uint64(len(w.out))
	put := func(d []float64) {
		for i, x := range d {
			switch shapes[kind].kind {
			case 'd':
				w.u64(math.Float64bits(x))
			case 'f':
				w.u32(math.Float32bits(float32(x)))
			case 'h':
				if q := i / 4 * 4; kind == tQuath { // the real part last
					x = d[q+(i%4+1)%4]
				}
				h := map[float64]uint16{0: 0, 1: 0x3c00, 0.7071: 0x39a8}[x]
				w.out = binary.LittleEndian.AppendUint16(w.out, h)
			case 'l':
				w.u64(uint64(int64(x)))
			default:
				w.u32(uint32(int32(x)))
			}
		}
	}
	switch {
	case array && (kind == tToken || kind == tString):
		w.u64(uint64(len(texts(v))))
		for _, s := range texts(v) {
			w.u32(w.tok(s))
		}
		return rep(kind, at, isArray)
	case array:
		d := doubles(v)
		n := len(d) / shapes[kind].n
		w.u64(uint64(n))
		if kind == tInt && n >= 16 {
			w.ints(ints(v))
			return rep(kind, at, isArray|isPacked)
		}
		put(d)
		return rep(kind, at, isArray)
	case kind == tToken || kind == tString || kind == tAsset:
		return rep(kind, uint64(w.tok(text(v))), inlined)
	case kind == tBool:
		return rep(kind, uint64(map[bool]int{true: 1}[truth(v)]), inlined)
	case kind == tInt:
		return rep(kind, uint64(uint32(int32(number(v, 0)))), inlined)
	case kind == tFloat || kind == tDouble && float64(float32(number(v, 0))) == number(v, 0):
		return rep(kind, uint64(math.Float32bits(float32(number(v, 0)))), inlined)
	}
	put(doubles(v))
	return rep(kind, at, 0)
}

func (w *crateWriter) tokenVector(list []string) uint64 {
	at := uint64(len(w.out))
	w.u64(uint64(len(list)))
	for _, s := range list {
		w.u32(w.tok(s))
	}
	return rep(tTokenVector, at, 0)
}

func (w *crateWriter) pathList(list []string) uint64 {
	at := uint64(len(w.out))
	w.out = append(w.out, 3) // explicit, and has explicit items
	w.u64(uint64(len(list)))
	for _, p := range list {
		w.u32(w.pathOf(p))
	}
	return rep(tPathListOp, at, 0)
}

func (w *crateWriter) refList(list []ref) uint64 {
	at := uint64(len(w.out))
	w.out = append(w.out, 3)
	w.u64(uint64(len(list)))
	for _, r := range list {
		w.u32(w.tok(r.asset), w.pathOf(r.path))
		w.u64(0, math.Float64bits(1), 0)
	}
	return rep(tReferenceListOp, at, 0)
}

type pair struct {
	name string
	rep  uint64
}

func (w *crateWriter) spec(path string, kind int32, list []pair) {
	w.specs = append(w.specs, [3]int32{int32(w.pathOf(path)), int32(len(w.sets)), kind})
	for _, f := range list {
		w.sets = append(w.sets, int32(len(w.fields)))
		w.fields = append(w.fields, field{w.tok(f.name), f.rep})
	}
	w.sets = append(w.sets, -1)
}

func (w *crateWriter) prim(path string, s *spec) {
	list := []pair{{"specifier", rep(tSpecifier, uint64(slices.Index([]string{"def", "over", "class"}, s.kind)),
		inlined)}}
	if s.typeName != "" {
		list = append(list, pair{"typeName", rep(tToken, uint64(w.tok(s.typeName)), inlined)})
	}
	if r, ok := s.meta["references"].([]ref); ok {
		list = append(list, pair{"references", w.refList(r)})
	}
	var kids []string
	for _, c := range s.children {
		kids = append(kids, c.name)
	}
	if len(kids) > 0 {
		list = append(list, pair{"primChildren", w.tokenVector(kids)})
	}
	w.spec(path, specPrim, list)
	for _, name := range slices.Sorted(maps.Keys(s.props)) {
		p := s.props[name]
		kind := int32(specAttribute)
		list := []pair{{"typeName", rep(tToken, uint64(w.tok(p.typeName)), inlined)}}
		if p.typeName == "rel" {
			kind, list = specRelationship, []pair{{"targetPaths", w.pathList(p.targets)}}
		} else if p.targets != nil {
			list = append(list, pair{"connectionPaths", w.pathList(p.targets)})
		}
		if slices.Contains([]string{"xformOpOrder", "info:id", "subdivisionScheme", "doubleSided", "elementType"},
			name) {
			list = append(list, pair{"variability", rep(tVariability, 1, inlined)})
		}
		if p.value != nil {
			list = append(list, pair{"default", w.value(p.typeName, p.value)})
		}
		if i := text(p.meta["interpolation"]); i != "" {
			list = append(list, pair{"interpolation", rep(tToken, uint64(w.tok(i)), inlined)})
		}
		w.spec(path+"."+name, kind, list)
	}
	for _, c := range s.children {
		w.prim(path+"/"+c.name, c)
	}
}

// crateOf writes a layer that was parsed from text.
func crateOf(l *layer) []byte {
	w := &crateWriter{token: map[string]uint32{}, path: map[string]uint32{}, out: make([]byte, 88)}
	w.tok(";-)") // the first token is never that of a property, whose number is negative
	w.pathOf("/")
	copy(w.out, "PXR-USDC\x00\x08\x00")
	var kids []string
	for _, c := range l.root.children {
		kids = append(kids, c.name)
	}
	top := []pair{{"primChildren", w.tokenVector(kids)}}
	for _, m := range []struct{ name, kind string }{{"metersPerUnit", "double"}, {"upAxis", "token"},
		{"defaultPrim", "token"}} {
		if v := l.meta[m.name]; v != nil {
			top = append(top, pair{m.name, w.value(m.kind, v)})
		}
	}
	w.spec("/", specPseudoRoot, top)
	for _, c := range l.root.children {
		w.prim("/"+c.name, c)
	}
	type section struct {
		name        string
		start, size int
	}
	var sections []section
	add := func(name string, write func()) {
		start := len(w.out)
		write()
		sections = append(sections, section{name, start, len(w.out) - start})
	}
	index, names, jumps := w.tree() // before the tokens are written: it adds some
	add("TOKENS", func() {
		raw := []byte(strings.Join(w.tokens, "\x00") + "\x00")
		p := squeeze(raw)
		w.u64(uint64(len(w.tokens)), uint64(len(raw)), uint64(len(p)))
		w.out = append(w.out, p...)
	})
	add("STRINGS", func() { // every token is a string of the same number
		w.u64(uint64(len(w.tokens)))
		for i := range w.tokens {
			w.u32(uint32(i))
		}
	})
	add("FIELDS", func() {
		var t []int32
		var reps []byte
		for _, f := range w.fields {
			t, reps = append(t, int32(f.token)), binary.LittleEndian.AppendUint64(reps, f.rep)
		}
		w.u64(uint64(len(t)))
		w.ints(t)
		p := squeeze(reps)
		w.u64(uint64(len(p)))
		w.out = append(w.out, p...)
	})
	add("FIELDSETS", func() { w.u64(uint64(len(w.sets))); w.ints(w.sets) })
	add("PATHS", func() {
		w.u64(uint64(len(w.paths)), uint64(len(index)))
		w.ints(index)
		w.ints(names)
		w.ints(jumps)
	})
	add("SPECS", func() {
		w.u64(uint64(len(w.specs)))
		for k := range 3 {
			var list []int32
			for _, s := range w.specs {
				list = append(list, s[k])
			}
			w.ints(list)
		}
	})
	binary.LittleEndian.PutUint64(w.out[16:], uint64(len(w.out)))
	w.u64(uint64(len(sections)))
	for _, s := range sections {
		name := make([]byte, 16)
		copy(name, s.name)
		w.out = append(w.out, name...)
		w.u64(uint64(s.start), uint64(s.size))
	}
	return w.out
}

// tree lays the paths out as the file has them: each before its children,
// those before its siblings.
func (w *crateWriter) tree() (index, names, jumps []int32) {
	children := map[string][]string{}
	parentOf := func(p string) string {
		if i := strings.LastIndexByte(p, '.'); i > strings.LastIndexByte(p, '/') {
			return p[:i]
		}
		if i := strings.LastIndexByte(p, '/'); i > 0 {
			return p[:i]
		}
		return "/"
	}
	for i := 0; i < len(w.paths); i++ {
		if p := w.paths[i]; p != "/" {
			w.pathOf(parentOf(p))
			children[parentOf(p)] = append(children[parentOf(p)], p)
		}
	}
	var put func(p string, last bool)
	put = func(p string, last bool) {
		at := len(index)
		name := int32(0)
		if p != "/" {
			rest := strings.TrimPrefix(p, parentOf(p))
			name = int32(w.tok(strings.Trim(rest, "/.")))
			if strings.HasPrefix(rest, ".") {
				name = -name
			}
		}
		index, names, jumps = append(index, int32(w.path[p])), append(names, name), append(jumps, 0)
		kids := children[p]
		for i, c := range kids {
			put(c, i == len(kids)-1)
		}
		switch {
		case len(kids) > 0 && last:
			jumps[at] = -1
		case len(kids) > 0:
			jumps[at] = int32(len(index) - at)
		case last:
			jumps[at] = -2
		}
	}
	put("/", true)
	return index, names, jumps
}

func TestTheBinaryFormGivesTheSameScene(t *testing.T) {
	l, err := parseText([]byte(scene))
	if err != nil {
		t.Fatal(err)
	}
	data := crateOf(l)
	if out := os.Getenv("VISATOR_CRATE_OUT"); out != "" { // to be looked at with other programs
		_ = os.WriteFile(out, data, 0o600)
	}
	m, err := Read("a.usd", data, folder(t))
	if err != nil {
		t.Fatal(err)
	}
	checkScene(t, m)
}

func TestNumbersAreUnpacked(t *testing.T) {
	list := []int32{}
	for i := range 1000 {
		list = append(list, []int32{int32(i), 5, -70_000, 1 << 30, int32(i * i)}[i%5])
	}
	c := &crate{}
	w := &crateWriter{}
	w.ints(list)
	got, err := c.ints32(&cursor{d: w.out}, len(list))
	if err != nil || !slices.Equal(got, list) {
		t.Errorf("%v", err)
	}
	for h, want := range map[uint16]float32{0: 0, 0x3c00: 1, 0xc000: -2, 0x3555: 0.33325195, 0x7bff: 65504,
		0x0001: 1.0 / (1 << 24)} {
		if got := half(h); got != want { // IEEE 754 binary16
			t.Errorf("%04x: %v, want %v", h, got, want)
		}
	}
}

func TestDamagedCratesDoNoHarm(t *testing.T) {
	l, _ := parseText([]byte(scene))
	whole := crateOf(l)
	for i := range whole {
		bad := slices.Clone(whole)
		bad[i] ^= 0xff
		if _, err := Read("a.usdc", bad, model.Folder{}); err != nil && !strings.HasPrefix(err.Error(), "a.usdc") {
			t.Fatalf("byte %d: %v", i, err)
		}
		if i%7 == 0 {
			_, _ = Read("a.usdc", whole[:i], model.Folder{})
		}
	}
}

func FuzzReadCrate(f *testing.F) {
	l, _ := parseText([]byte(scene))
	f.Add(crateOf(l))
	f.Fuzz(func(t *testing.T, data []byte) {
		fuzz(t, append([]byte("PXR-USDC\x00\x08\x00"), data[min(len(data), 11):]...))
	})
}
