// Package ply reads PLY, ASCII and binary of both byte orders, as G. Turk's
// description gives it (The PLY Polygon File Format, 1994), with the colours,
// normals and texture coordinates that scanners and tools add. The format
// states no unit and no up axis: metres and +Y are assumed, and said to be.
package ply

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"visator/core/intake/text"
	"visator/core/model"
)

// Limits that a hostile header meets.
const (
	maxProperties = 256       // of one element; scanners write some dozens
	maxCorners    = 100_000   // of one face: cutting it is quadratic
	maxHeader     = 256 << 10 // bytes
)

type kind uint8

const (
	int8Kind kind = iota
	uint8Kind
	int16Kind
	uint16Kind
	int32Kind
	uint32Kind
	float32Kind
	float64Kind
)

var kinds = map[string]kind{"char": int8Kind, "int8": int8Kind, "uchar": uint8Kind, "uint8": uint8Kind,
	"short": int16Kind, "int16": int16Kind, "ushort": uint16Kind, "uint16": uint16Kind,
	"int": int32Kind, "int32": int32Kind, "uint": uint32Kind, "uint32": uint32Kind, "float": float32Kind,
	"float32": float32Kind, "double": float64Kind, "float64": float64Kind}

var sizes = [...]int{1, 1, 2, 2, 4, 4, 4, 8}

type property struct {
	name   string
	kind   kind
	list   bool
	counts kind
}

type element struct {
	name       string
	count      int
	properties []property
}

// size is the bytes of one element in the binary form; 0 when it has lists.
func (e *element) size() (n int) {
	for _, p := range e.properties {
		if p.list {
			return 0
		}
		n += sizes[p.kind]
	}
	return n
}

type reader struct {
	name    string
	src     io.Reader
	size    int64  // bytes of the file
	base    int64  // where in the file the window lies
	data    []byte // the window
	at      int    // in the window
	ascii   bool
	order   binary.ByteOrder
	scan    text.Scanner
	where   string // element being read, for errors
	part    model.Part
	sizes   []uint32  // corners of each face; nil while all are triangles
	faceUV  []float32 // u, v per corner, when faces carry them
	edges   []uint32
	out     *model.Model
	texture string
	err     error // of src
}

// Read parses a PLY file; a texture that it names comes from folder. An error
// names the file and the place.
func Read(name string, data []byte, folder model.Folder) (*model.Model, error) {
	return ReadStream(name, bytes.NewReader(data), int64(len(data)), folder)
}

// window is how many bytes of a binary file are held at once.
const window = 1 << 20

// need makes n bytes from r.at on be in the window, if the file has them.
func (r *reader) need(n int) bool {
	have := len(r.data) - r.at
	if have >= n {
		return true
	}
	r.base += int64(r.at)
	want := int(min(r.size-r.base, max(window, int64(n))))
	if cap(r.data) < want {
		r.data = append(make([]byte, 0, want), r.data[r.at:]...)
	} else {
		copy(r.data[:cap(r.data)], r.data[r.at:])
	}
	r.at = 0
	got, err := io.ReadFull(r.src, r.data[have:max(want, have)])
	if err != nil && err != io.EOF && err != io.ErrUnexpectedEOF {
		r.err = err
	}
	r.data = r.data[:have+got]
	return len(r.data) >= n
}

// left is the bytes from r.at to the end of the file.
func (r *reader) left() int64 { return r.size - r.base - int64(r.at) }

// ReadStream is Read of a file of size bytes that need not be in memory: of
// the binary forms a window is held at a time.
func ReadStream(name string, src io.Reader, size int64, folder model.Folder) (*model.Model, error) {
	r := &reader{name: name, src: src, size: size}
	r.need(int(min(size, maxHeader)))
	r.out = &model.Model{Format: "PLY", Up: "Y", Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "assumed"}}
	elements, err := r.header()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	r.part.Surface = model.None
	for i := range elements {
		e := &elements[i]
		r.where = e.name
		switch e.name {
		case "vertex":
			err = r.vertices(e)
		case "face", "tristrips", "edge":
			err = r.faces(e)
		default:
			err = r.each(e, func(int, []float64, [][]float64) error { return nil })
		}
		if r.err != nil { // of the disk, not of the file
			err = r.err
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	if err := r.build(folder); err != nil {
		return nil, err
	}
	return r.out, nil
}

func (r *reader) header() ([]element, error) {
	if !bytes.HasPrefix(r.data, []byte("ply")) {
		return nil, fmt.Errorf("does not begin as a PLY file does (\"ply\"); fetch it again")
	}
	head := r.data[:min(len(r.data), maxHeader)]
	end := bytes.Index(head, []byte("end_header"))
	if end < 0 {
		return nil, fmt.Errorf("the header has no end; fetch the file again")
	}
	r.at = end + len("end_header")
	if r.at < len(r.data) && r.data[r.at] == '\r' {
		r.at++
	}
	if r.at < len(r.data) && r.data[r.at] == '\n' {
		r.at++
	}
	var out []element
	format := ""
	for i, line := range strings.FieldsFunc(string(head[:end]), func(c rune) bool { return c == '\n' || c == '\r' }) {
		f := strings.Fields(line)
		bad := fmt.Errorf("line %d: %.100q is not understood", i+1, line)
		if len(f) == 0 {
			continue
		}
		switch f[0] {
		case "ply", "obj_info":
		case "comment,", "comment:", "Created": // met in the wild
		case "comment":
			if len(f) > 2 && strings.EqualFold(f[1], "TextureFile") {
				r.texture = strings.TrimSpace(line[strings.Index(line, f[1])+len(f[1]):])
			}
		case "format":
			if len(f) < 2 {
				return nil, bad
			}
			format = f[1]
		case "element":
			if len(f) != 3 {
				return nil, bad
			}
			n, err := strconv.Atoi(f[2])
			if err != nil || n < 0 || n > math.MaxInt32 {
				return nil, bad
			}
			out = append(out, element{name: f[1], count: n})
		case "property":
			if len(out) == 0 || len(f) < 3 || len(out[len(out)-1].properties) >= maxProperties {
				return nil, bad
			}
			p := property{name: f[len(f)-1]}
			var ok, ok2 = false, true
			if f[1] == "list" {
				if len(f) != 5 {
					return nil, bad
				}
				p.list = true
				p.counts, ok2 = kinds[f[2]]
				p.kind, ok = kinds[f[3]]
			} else {
				p.kind, ok = kinds[f[1]]
			}
			if !ok || !ok2 {
				return nil, bad
			}
			e := &out[len(out)-1]
			e.properties = append(e.properties, p)
		default:
			return nil, bad
		}
	}
	switch format {
	case "ascii":
		r.ascii = true
		at := r.at
		r.at = 0
		if !r.need(int(r.size)) && r.err != nil {
			return nil, r.err
		}
		r.scan = text.Scanner{Data: r.data, At: at}
	case "binary_little_endian":
		r.order = binary.LittleEndian
	case "binary_big_endian":
		r.order = binary.BigEndian
	default:
		return nil, fmt.Errorf("the format %.40q is not one of PLY; export the model again", format)
	}
	for i := range out { // every element takes at least a byte
		if len(out[i].properties) == 0 {
			out[i].count = 0
		}
		if int64(out[i].count) > r.size {
			return nil, fmt.Errorf("announces %d of %q in %d bytes; fetch the file again", out[i].count, out[i].name,
				r.size)
		}
	}
	return out, nil
}

func (r *reader) short(i int) error {
	if r.ascii {
		return fmt.Errorf("line %d: %s %d is not all there or not a number; fetch the file again", r.scan.Line(),
			r.where, i)
	}
	return fmt.Errorf("byte %d: the file ends within %s %d; fetch it again", r.base+int64(r.at), r.where, i)
}

// value reads one number of the given kind.
func (r *reader) value(k kind) (float64, bool) {
	if r.ascii {
		return r.scan.Number()
	}
	if !r.need(sizes[k]) {
		return 0, false
	}
	v := decode(r.data[r.at:], k, r.order)
	r.at += sizes[k]
	return v, true
}

func decode(b []byte, k kind, order binary.ByteOrder) float64 {
	switch k {
	case int8Kind:
		return float64(int8(b[0]))
	case uint8Kind:
		return float64(b[0])
	case int16Kind:
		return float64(int16(order.Uint16(b)))
	case uint16Kind:
		return float64(order.Uint16(b))
	case int32Kind:
		return float64(int32(order.Uint32(b)))
	case uint32Kind:
		return float64(order.Uint32(b))
	case float32Kind:
		return float64(math.Float32frombits(order.Uint32(b)))
	}
	return math.Float64frombits(order.Uint64(b))
}

// each reads every element: plain properties into values, lists into lists,
// both in the order of the header and reused for the next.
func (r *reader) each(e *element, use func(i int, values []float64, lists [][]float64) error) error {
	return r.eachFrom(0, e, use)
}

// eachFrom is each from one of the elements on.
func (r *reader) eachFrom(first int, e *element, use func(i int, values []float64, lists [][]float64) error) error {
	values := make([]float64, len(e.properties))
	lists := make([][]float64, len(e.properties))
	for i := first; i < e.count; i++ {
		for k, p := range e.properties {
			if !p.list {
				v, ok := r.value(p.kind)
				if !ok {
					return r.short(i)
				}
				values[k] = v
				continue
			}
			n, ok := r.value(p.counts)
			if !ok {
				return r.short(i)
			}
			if n < 0 || n != math.Trunc(n) || n > float64(r.size) {
				return fmt.Errorf("%s %d: a list of %v numbers; fetch the file again", r.where, i, n)
			}
			lists[k] = lists[k][:0]
			for range int(n) {
				v, ok := r.value(p.kind)
				if !ok {
					return r.short(i)
				}
				lists[k] = append(lists[k], v)
			}
		}
		if err := use(i, values, lists); err != nil {
			return err
		}
	}
	return nil
}

func find(e *element, names ...string) int {
	for _, n := range names {
		if i := slices.IndexFunc(e.properties, func(p property) bool { return p.name == n }); i >= 0 {
			return i
		}
	}
	return -1
}

// channel is where one number of a vertex goes.
type channel struct {
	property int
	offset   int // bytes from the vertex's start, binary only
	into     *[]float32
	width    int
	at       int
	colour   int // 0: as it is; 1: sRGB; 2: alpha
	flip     bool
}

func (r *reader) channels(e *element) (out []channel, err error) {
	add := func(into *[]float32, width int, colour func(k int) int, names ...[]string) bool {
		var got []channel
		for k, n := range names {
			i := find(e, n...)
			if i < 0 || e.properties[i].list {
				return false
			}
			c := 0
			if colour != nil {
				c = colour(k)
			}
			got = append(got, channel{property: i, into: into, width: width, at: k, colour: c})
		}
		*into = make([]float32, e.count*width)
		out = append(out, got...)
		return true
	}
	p := &r.part
	if !add(&p.Positions, 3, nil, []string{"x"}, []string{"y"}, []string{"z"}) {
		return nil, fmt.Errorf("vertices have no x, y and z; export the model again")
	}
	add(&p.Normals, 3, nil, []string{"nx", "normal_x"}, []string{"ny", "normal_y"}, []string{"nz", "normal_z"})
	if add(&p.UV, 2, nil, []string{"s", "u", "texture_u", "tx"}, []string{"t", "v", "texture_v", "ty"}) {
		out[len(out)-1].flip = true // v points up
	}
	red, green, blue := []string{"red", "diffuse_red", "r"}, []string{"green", "diffuse_green", "g"},
		[]string{"blue", "diffuse_blue", "b"}
	kindOf := func(k int) int { return 1 + k/3 }
	if !add(&p.Colors, 4, kindOf, red, green, blue, []string{"alpha", "diffuse_alpha"}) &&
		add(&p.Colors, 4, kindOf, red, green, blue) {
		for i := 3; i < len(p.Colors); i += 4 {
			p.Colors[i] = 1
		}
	}
	offset := make([]int, len(e.properties)+1)
	for i, p := range e.properties {
		offset[i+1] = offset[i] + sizes[p.kind]
	}
	for i := range out {
		out[i].offset = offset[out[i].property]
	}
	return out, nil
}

// put stores v, which was of kind k.
func (c *channel) put(i int, v float64, k kind) {
	if c.colour > 0 {
		switch k {
		case uint8Kind:
			v /= 255
		case uint16Kind:
			v /= 65535
		}
		if c.colour == 1 {
			v = model.Linear(v)
		}
	}
	if c.flip {
		v = 1 - v
	}
	(*c.into)[i*c.width+c.at] = float32(v)
}

func (r *reader) vertices(e *element) error {
	channels, err := r.channels(e)
	if err != nil {
		return err
	}
	stride := e.size()
	if r.ascii || stride == 0 {
		return r.each(e, func(i int, values []float64, _ [][]float64) error {
			for k := range channels {
				c := &channels[k]
				c.put(i, values[c.property], e.properties[c.property].kind)
			}
			return nil
		})
	}
	if n := r.left() / int64(stride); n < int64(e.count) {
		r.at += int(r.left())
		return r.short(int(n))
	}
	for first := 0; first < e.count; {
		n := min(e.count-first, max(window/stride, 1))
		if !r.need(n * stride) {
			return r.short(first)
		}
		body := r.data[r.at : r.at+stride*n]
		r.at += len(body)
		for k := range channels { // one number of all vertices after the other
			c := &channels[k]
			c.putAll(first, body, stride, e.properties[c.property].kind, r.order)
		}
		first += n
	}
	return nil
}

// putAll stores the numbers that the vertices from first on have in body.
func (c *channel) putAll(first int, body []byte, stride int, k kind, order binary.ByteOrder) {
	into := (*c.into)[first*c.width+c.at:]
	switch {
	case k == float32Kind && c.colour == 0 && !c.flip && order == binary.LittleEndian:
		for i, o := 0, c.offset; o < len(body); i, o = i+c.width, o+stride {
			into[i] = math.Float32frombits(binary.LittleEndian.Uint32(body[o:]))
		}
	case k == uint8Kind && c.colour == 1:
		for i, o := 0, c.offset; o < len(body); i, o = i+c.width, o+stride {
			into[i] = model.Linear8(body[o])
		}
	default:
		for i, o := first, c.offset; o < len(body); i, o = i+1, o+stride {
			c.put(i, decode(body[o:], k, order), k)
		}
	}
}

func (r *reader) faces(e *element) error {
	list := find(e, "vertex_indices", "vertex_index")
	if e.name == "edge" {
		return r.edgeList(e)
	}
	if list < 0 || !e.properties[list].list {
		return fmt.Errorf("%s has no list of vertices; export the model again", e.name)
	}
	uv := find(e, "texcoord")
	if uv >= 0 && !e.properties[uv].list {
		uv = -1
	}
	first := 0
	if e.name == "face" && uv < 0 && len(e.properties) == 1 {
		first = r.plainTriangles(e)
	}
	return r.eachFrom(first, e, func(i int, _ []float64, lists [][]float64) error {
		if e.name == "tristrips" {
			return r.strip(i, lists[list])
		}
		return r.face(i, lists[list], uv, lists)
	})
}

// plainTriangles reads faces in the usual binary form, a byte 3 and three
// 32-bit indices a face, up to the first that is otherwise, and returns how
// many they are.
func (r *reader) plainTriangles(e *element) int {
	p := e.properties[0]
	const face = 13
	if r.ascii || sizes[p.counts] != 1 || sizes[p.kind] != 4 || p.kind == float32Kind ||
		r.left()/face < int64(e.count) {
		return 0
	}
	idx := make([]uint32, 0, 3*e.count)
	limit := uint32(r.part.Vertices())
	first := 0
	for first < e.count && r.need(min(e.count-first, window/face)*face) {
		body := r.data[r.at:]
		n := min(e.count-first, len(body)/face)
		for k := range n {
			f := body[k*face : k*face+face]
			a, b, c := r.order.Uint32(f[1:]), r.order.Uint32(f[5:]), r.order.Uint32(f[9:])
			if f[0] != 3 || a >= limit || b >= limit || c >= limit {
				r.part.Indices = idx
				r.at += k * face
				return first + k
			}
			idx = append(idx, a, b, c)
		}
		r.at += n * face
		first += n
	}
	r.part.Indices = idx
	return first
}

func (r *reader) index(i int, v float64) (uint32, error) {
	if v < 0 || v != math.Trunc(v) || v >= float64(r.part.Vertices()) {
		return 0, fmt.Errorf("%s %d names vertex %v, there are %d; export the model again", r.where, i, v,
			r.part.Vertices())
	}
	return uint32(v), nil
}

func (r *reader) face(i int, corners []float64, uv int, lists [][]float64) error {
	n := len(corners)
	if n < 3 { // a line or a point: nothing to see
		return nil
	}
	if n > maxCorners {
		return fmt.Errorf("face %d has %d corners, more than the limit of %d; cut it into smaller ones", i, n,
			maxCorners)
	}
	for _, c := range corners {
		v, err := r.index(i, c)
		if err != nil {
			return err
		}
		r.part.Indices = append(r.part.Indices, v)
	}
	if r.sizes == nil && n != 3 {
		r.sizes = slices.Repeat([]uint32{3}, (len(r.part.Indices)-n)/3)
	}
	if r.sizes != nil {
		r.sizes = append(r.sizes, uint32(n))
	}
	if uv < 0 {
		return nil
	}
	for k := range n {
		if 2*k+1 < len(lists[uv]) {
			r.faceUV = append(r.faceUV, float32(lists[uv][2*k]), 1-float32(lists[uv][2*k+1]))
		} else {
			r.faceUV = append(r.faceUV, 0, 0)
		}
	}
	return nil
}

// strip reads strips of triangles, each ended by a negative index.
func (r *reader) strip(i int, list []float64) error {
	start := 0
	for k, v := range list {
		if v < 0 {
			start = k + 1
			continue
		}
		if k-start < 2 {
			continue
		}
		order := [3]int{k - 2, k - 1, k}
		if (k-start)%2 == 1 {
			order[0], order[1] = order[1], order[0]
		}
		for _, o := range order {
			v, err := r.index(i, list[o])
			if err != nil {
				return err
			}
			r.part.Indices = append(r.part.Indices, v)
		}
	}
	return nil
}

func (r *reader) edgeList(e *element) error {
	a, b := find(e, "vertex1"), find(e, "vertex2")
	return r.each(e, func(i int, values []float64, _ [][]float64) error {
		if a < 0 || b < 0 {
			return nil
		}
		for _, k := range []int{a, b} {
			v, err := r.index(i, values[k])
			if err != nil {
				return err
			}
			r.edges = append(r.edges, v)
		}
		return nil
	})
}

func (r *reader) build(folder model.Folder) error {
	p := &r.part
	if len(p.Positions) == 0 {
		return fmt.Errorf("%s: holds no vertices; export the model again", r.name)
	}
	p.Name = "mesh"
	if len(r.faceUV) > 0 {
		r.spread()
	}
	if r.sizes != nil {
		p.Indices = model.Cut(p, p.Indices, r.sizes)
	}
	if len(p.Indices) == 0 {
		p.Kind, p.Name = model.Points, "points"
		if p.Indices = r.edges; len(r.edges) > 0 {
			p.Kind, p.Name = model.Lines, "edges"
		} else {
			for i := range p.Vertices() {
				p.Indices = append(p.Indices, uint32(i))
			}
		}
	}
	if r.texture != "" {
		s := model.DefaultSurface()
		s.Name, s.Metallic = strings.TrimSuffix(r.texture, r.texture[max(0, strings.LastIndexByte(r.texture, '.')):]), 0
		s.Slots[model.BaseColorMap].Map = r.out.MapAt(folder, r.texture, model.BaseColorMap)
		r.out.Surfaces, p.Surface = []model.Surface{s}, 0
	}
	if err := p.Check(r.name); err != nil {
		return err
	}
	r.out.Stand(model.Mesh{Name: p.Name, Parts: []model.Part{*p}})
	return nil
}

// spread gives corners with texture coordinates of their own a vertex of
// their own, where they differ.
func (r *reader) spread() {
	p := &r.part
	for len(r.faceUV) < 2*len(p.Indices) {
		r.faceUV = append(r.faceUV, 0, 0)
	}
	u, v := make([]uint32, len(p.Indices)), make([]uint32, len(p.Indices))
	for i := range u {
		u[i], v[i] = math.Float32bits(r.faceUV[2*i]), math.Float32bits(r.faceUV[2*i+1])
	}
	first, vertex := model.Weld(p.Indices, p.Vertices(), u, v)
	at := make([]uint32, len(first))
	for i, c := range first {
		at[i] = p.Indices[c]
	}
	p.Positions = model.Gather(p.Positions, 3, at)
	if p.Normals != nil {
		p.Normals = model.Gather(p.Normals, 3, at)
	}
	if p.Colors != nil {
		p.Colors = model.Gather(p.Colors, 4, at)
	}
	p.UV = model.Gather(r.faceUV, 2, first)
	p.Indices = vertex
}
