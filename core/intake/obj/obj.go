// Package obj reads Wavefront OBJ with its MTL material libraries as the
// format's public description gives them, and as exporters really write them.
// The format states no unit and no up axis; metres and +Y are assumed, and
// said to be assumed.
package obj

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/intake/text"
	"visator/core/model"
)

// maxCorners is the largest face that is read: real polygons have some
// hundreds of corners, and cutting one into triangles is quadratic.
const maxCorners = 100_000

// Read parses an OBJ file. Material libraries and maps come from folder.
// An error names the file and the line.
func Read(name string, data []byte, folder model.Folder) (*model.Model, error) {
	data = text.UTF8(data)
	r := &reader{name: name, data: data, folder: folder, surfaceByName: map[string]int{}, partOf: map[partKey]int{}}
	r.out = &model.Model{Format: "OBJ", Up: "Y", Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "assumed"}}
	r.positions = make([]float32, 0, len(data)/12)
	r.surface = model.None
	if err := r.parse(); err != nil {
		return nil, err
	}
	if err := r.build(); err != nil {
		return nil, err
	}
	return r.out, nil
}

type partKey struct {
	group   string
	surface int
	kind    model.Kind
}

// run gathers the faces of one part: corners as indices into the file's
// position, texture and normal lists (from 0, or none).
type run struct {
	key      partKey
	v        []uint32
	vt, vn   []uint32 // nil until one is named; none marks a corner without
	smooth   []uint32 // smoothing group of each face; nil until one is on
	sizes    []uint32 // corners of each face; nil while all are triangles
	faces    int
	anyVT    bool
	anyVN    bool
	anyGroup bool
}

const none = math.MaxUint32

type reader struct {
	name          string
	data          []byte
	at            int
	folder        model.Folder
	out           *model.Model
	positions     []float32
	colors        []float32 // per position, only when the file has them
	uvs           []float32
	normals       []float32
	runs          []*run
	partOf        map[partKey]int
	now           *run // nil after a change of group or surface
	group         string
	surface       int
	smoothing     uint32
	surfaceByName map[string]int
	libraries     bool // a material library was named
	corner        [3][]uint32
}

func (r *reader) line() int { return 1 + countLines(r.data[:min(r.at, len(r.data))]) }

func countLines(b []byte) int {
	n := bytes.Count(b, []byte{'\n'})
	if n == 0 {
		n = bytes.Count(b, []byte{'\r'})
	}
	return n
}

func (r *reader) fail(format string, args ...any) error {
	return fmt.Errorf("%s: line %d: %s", r.name, r.line(), fmt.Sprintf(format, args...))
}

// warn says what is not read, once, with the first line that has it.
func (r *reader) warn(format string, args ...any) {
	said := ": " + fmt.Sprintf(format, args...)
	if !slices.ContainsFunc(r.out.Warnings, func(w string) bool { return strings.HasSuffix(w, said) }) {
		r.out.Warn("line %d%s", r.line(), said)
	}
}

// blank skips spaces, tabs and line continuations; it stops at a line's end.
func (r *reader) blank() {
	d := r.data
	for r.at < len(d) {
		switch c := d[r.at]; {
		case c == ' ' || c == '\t' || c == '\v' || c == '\f':
			r.at++
		case c == '\\' && r.at+1 < len(d) && (d[r.at+1] == '\n' || d[r.at+1] == '\r'):
			r.at += 2
			if d[r.at-1] == '\r' && r.at < len(d) && d[r.at] == '\n' {
				r.at++
			}
		default:
			return
		}
	}
}

func (r *reader) ended() bool {
	return r.at >= len(r.data) || r.data[r.at] == '\n' || r.data[r.at] == '\r' || r.data[r.at] == '#'
}

func (r *reader) skipLine() {
	for r.at < len(r.data) && r.data[r.at] != '\n' && r.data[r.at] != '\r' {
		if r.data[r.at] == '\\' {
			save := r.at
			if r.blank(); r.at != save {
				continue
			}
		}
		r.at++
	}
}

// word returns the next run of characters without spaces; "" at a line's end.
func (r *reader) word() []byte {
	start := r.at
	for r.at < len(r.data) {
		if c := r.data[r.at]; c <= ' ' {
			break
		}
		r.at++
	}
	return r.data[start:r.at]
}

// rest returns what is left of the line, without the spaces around it.
func (r *reader) rest() string {
	r.blank()
	start := r.at
	r.skipLine()
	return strings.TrimSpace(string(r.data[start:r.at]))
}

func (r *reader) parse() error {
	d := r.data
	for {
		r.blank()
		if r.at >= len(d) {
			return nil
		}
		c := d[r.at]
		if c == '\n' || c == '\r' {
			r.at++
			continue
		}
		if c == '#' {
			r.skipComment()
			continue
		}
		// The two statements that fill files are recognised without a copy.
		var next byte = '\n'
		if r.at+1 < len(d) {
			next = d[r.at+1]
		}
		var err error
		switch {
		case c == 'v' && (next == ' ' || next == '\t'):
			r.at += 2
			err = r.vertex()
		case c == 'f' && (next == ' ' || next == '\t'):
			r.at += 2
			err = r.face()
		default:
			err = r.statement(string(r.word()))
		}
		if err != nil {
			return err
		}
		r.skipLine()
	}
}

func (r *reader) skipComment() {
	for r.at < len(r.data) && r.data[r.at] != '\n' && r.data[r.at] != '\r' {
		r.at++
	}
}

func (r *reader) statement(word string) error {
	var err error
	switch word {
	case "vt":
		r.uvs, err = r.numbers(r.uvs, 2, 1)
	case "vn":
		r.normals, err = r.numbers(r.normals, 3, 3)
	case "l":
		err = r.polyline(model.Lines)
	case "p":
		err = r.polyline(model.Points)
	case "o", "g":
		r.group, r.now = r.rest(), nil
	case "usemtl":
		name := r.rest()
		i, ok := r.surfaceByName[name]
		if !ok {
			s := model.DefaultSurface()
			s.Name, s.Metallic = name, 0
			if r.libraries && name != "" {
				r.warn("the surface %.200q is in no material library", name)
			}
			r.out.Surfaces = append(r.out.Surfaces, s)
			i = len(r.out.Surfaces) - 1
			r.surfaceByName[name] = i
		}
		r.surface, r.now = i, nil
	case "s":
		if w := r.rest(); w == "off" || w == "" {
			r.smoothing = 0
		} else {
			var n uint32
			fmt.Sscan(w, &n)
			r.smoothing = n
		}
	case "mtllib":
		r.library(r.rest())
	case "curv", "surf", "curv2", "cstype":
		r.warn("free-form curves and surfaces are not read; ask for an export as polygons")
	case "call", "csh":
		r.warn("%s is not followed", word)
	}
	return err
}

func (r *reader) vertex() error {
	// The usual line: three numbers and its end.
	have := len(r.positions)
	if p, end := text.Row(r.data, r.at, r.positions, 3); len(p) == have+3 && end < len(r.data) &&
		(r.data[end] == '\n' || r.data[end] == '\r') {
		r.positions, r.at = p, end
		return nil
	}
	var q [8]float64
	n := 0
	for n < len(q) {
		r.blank()
		if r.ended() {
			break
		}
		v, ok := r.number()
		if !ok {
			return r.fail("%.40q is not a number", r.word())
		}
		q[n] = v
		n++
	}
	if n < 3 {
		return r.fail("a vertex needs three coordinates, %d are there", n)
	}
	if (n == 4 || n == 7) && q[3] != 0 && q[3] != 1 { // homogeneous
		q[0], q[1], q[2] = q[0]/q[3], q[1]/q[3], q[2]/q[3]
	}
	x, y, z := float32(q[0]), float32(q[1]), float32(q[2])
	if x-x+(y-y)+(z-z) != 0 {
		return r.fail("a coordinate is not a finite number")
	}
	if n >= 6 {
		if r.colors == nil {
			r.colors = make([]float32, 0, 1024)
		}
		for len(r.colors) < len(r.positions) {
			r.colors = append(r.colors, 1)
		}
		for _, c := range q[n-3 : n] {
			r.colors = append(r.colors, float32(model.Linear(c)))
		}
	}
	r.positions = append(r.positions, x, y, z)
	return nil
}

// numbers appends want numbers of the line to into; at least need must be there.
func (r *reader) numbers(into []float32, want, need int) ([]float32, error) {
	for k := 0; k < want; k++ {
		r.blank()
		if r.ended() {
			if k < need {
				return into, r.fail("%d numbers are expected, %d are there", need, k)
			}
			into = append(into, 0)
			continue
		}
		v, ok := r.number()
		if !ok {
			return into, r.fail("%.40q is not a number", r.word())
		}
		if f := float32(v); f-f != 0 {
			into = append(into, 0) // directions and texture places may be repaired
			r.warn("a value is not a finite number and was read as 0")
		} else {
			into = append(into, f)
		}
	}
	return into, nil
}

// number reads a decimal number; it is right to the last bit of a float32.
func (r *reader) number() (float64, bool) {
	v, i, ok := text.Number(r.data, r.at)
	if !ok {
		return 0, false
	}
	if d := r.data; i < len(d) && d[i] > ' ' && d[i] != '\\' && d[i] != '#' {
		if d[i] != '+' && d[i] != '-' { // "3.1+e2" is met in the wild
			return 0, false
		}
		r.warn("%.40q is read up to its second sign", d[r.at:min(i+4, len(d))])
		r.at = i
		r.word()
		i = r.at
	}
	r.at = i
	return v, true
}

// index reads one integer of a corner and turns it into an index from 0.
func (r *reader) index(have int, what string) (uint32, error) {
	d, i := r.data, r.at
	neg := false
	if i < len(d) && (d[i] == '-' || d[i] == '+') {
		neg = d[i] == '-'
		i++
	}
	n, start := 0, i
	for ; i < len(d) && d[i]-'0' <= 9; i++ {
		n = n*10 + int(d[i]-'0')
	}
	if i-start > 18 { // beyond any list, and beyond an int
		n = none
	}
	if i == start {
		return 0, r.fail("%.40q is not the number of a %s", r.word(), what)
	}
	r.at = i
	if neg {
		n = have - n + 1
	}
	// A positive number may point forward; build checks it against the end.
	if n < 1 || n >= none || neg && n > have {
		return 0, r.fail("%s %d is not there: the file has %d so far", what, n, have)
	}
	return uint32(n - 1), nil
}

// plainCorners reads the corners of a line that has them in the usual form:
// positive numbers of up to nine digits, between spaces. It leaves everything
// else, and what is wrong, to corners.
func (r *reader) plainCorners() bool {
	d, i := r.data, r.at
	for n := 0; n < maxCorners; n++ {
		for i < len(d) && d[i] == ' ' {
			i++
		}
		if i >= len(d) || d[i] == '\n' || d[i] == '\r' {
			r.at = i
			return true
		}
		c := [3]uint32{none, none, none}
		for k := range c {
			start, x := i, uint32(0)
			for ; i < len(d) && d[i]-'0' <= 9; i++ {
				x = x*10 + uint32(d[i]-'0')
			}
			if i-start > 9 || x == 0 && (k == 0 || i > start) {
				return false
			}
			c[k] = x - 1 // none, where there was none
			if i >= len(d) || d[i] != '/' {
				break
			}
			i++
		}
		if i < len(d) && d[i] > ' ' {
			return false
		}
		for k := range c {
			r.corner[k] = append(r.corner[k], c[k])
		}
	}
	return false
}

// corners reads v, v/vt, v//vn or v/vt/vn until the line ends.
func (r *reader) corners() error {
	for k := range r.corner {
		r.corner[k] = r.corner[k][:0]
	}
	if r.plainCorners() {
		return nil
	}
	for k := range r.corner {
		r.corner[k] = r.corner[k][:0]
	}
	d := r.data
	for {
		r.blank()
		if r.ended() {
			return nil
		}
		v, err := r.index(len(r.positions)/3, "vertex")
		if err != nil {
			return err
		}
		vt, vn := uint32(none), uint32(none)
		if r.at < len(d) && d[r.at] == '/' {
			r.at++
			if r.at < len(d) && d[r.at] != '/' && d[r.at] > ' ' {
				if vt, err = r.index(len(r.uvs)/2, "texture coordinate"); err != nil {
					return err
				}
			}
			if r.at < len(d) && d[r.at] == '/' {
				r.at++
				if r.at < len(d) && d[r.at] > ' ' {
					if vn, err = r.index(len(r.normals)/3, "normal"); err != nil {
						return err
					}
				}
			}
		}
		if r.at < len(d) && d[r.at] > ' ' && d[r.at] != '\\' && d[r.at] != '#' {
			return r.fail("%.40q does not belong into a face", r.word())
		}
		if len(r.corner[0]) >= maxCorners {
			return r.fail("a face of more than %d corners; cut it into smaller ones", maxCorners)
		}
		r.corner[0] = append(r.corner[0], v)
		r.corner[1] = append(r.corner[1], vt)
		r.corner[2] = append(r.corner[2], vn)
	}
}

// current returns the run for faces (or lines, points) under the current
// group and surface.
func (r *reader) current(kind model.Kind) *run {
	if r.now != nil && r.now.key.kind == kind {
		return r.now
	}
	key := partKey{r.group, r.surface, kind}
	i, ok := r.partOf[key]
	if !ok {
		i = len(r.runs)
		r.runs = append(r.runs, &run{key: key})
		r.partOf[key] = i
		if i == 0 {
			r.runs[0].v = make([]uint32, 0, len(r.data)/12) // one part is the usual large file
		}
	}
	r.now = r.runs[i]
	return r.now
}

func (r *reader) face() error {
	if err := r.corners(); err != nil {
		return err
	}
	n := len(r.corner[0])
	switch n {
	case 0:
		return r.fail("a face without corners")
	case 1:
		r.current(model.Points).add(r, false)
	case 2:
		r.current(model.Lines).add(r, false)
	default:
		r.current(model.Triangles).add(r, true)
	}
	return nil
}

func (r *reader) polyline(kind model.Kind) error {
	if err := r.corners(); err != nil {
		return err
	}
	n := len(r.corner[0])
	if n == 0 || kind == model.Lines && n < 2 {
		return nil
	}
	if kind == model.Lines {
		for k := range r.corner { // a line of n points is n-1 segments
			c := r.corner[k]
			for i := 1; i < n; i++ {
				c = append(c, c[i-1], c[i])
			}
			r.corner[k] = c[n:]
		}
	}
	r.current(kind).add(r, false)
	return nil
}

func (u *run) add(r *reader, polygon bool) {
	u.v = append(u.v, r.corner[0]...)
	u.vt = u.side(u.vt, r.corner[1], &u.anyVT)
	u.vn = u.side(u.vn, r.corner[2], &u.anyVN)
	if !polygon {
		return
	}
	n := uint32(len(r.corner[0]))
	if n != 3 && u.sizes == nil {
		for i := 0; i < u.faces; i++ {
			u.sizes = append(u.sizes, 3)
		}
	}
	if u.sizes != nil || n != 3 {
		u.sizes = append(u.sizes, n)
	}
	if r.smoothing != 0 && !u.anyGroup {
		u.anyGroup = true
		u.smooth = make([]uint32, u.faces, u.faces+1024)
	}
	if u.anyGroup {
		u.smooth = append(u.smooth, r.smoothing)
	}
	u.faces++
}

// side appends the optional indices of a face, starting the list with blanks
// for the corners before when the first one that is given comes.
func (u *run) side(list, add []uint32, any *bool) []uint32 {
	if !*any {
		for _, x := range add {
			if x != none {
				*any = true
			}
		}
		if !*any {
			return nil
		}
		list = make([]uint32, len(u.v)-len(add), cap(u.v))
		for i := range list {
			list[i] = none
		}
	}
	return append(list, add...)
}

// build turns the runs into meshes, one for each group, in file order.
func (r *reader) build() error {
	if len(r.runs) == 0 && len(r.positions) == 0 {
		return fmt.Errorf("%s: holds no vertices and no faces; it is not an OBJ file, or it is empty", r.name)
	}
	for len(r.colors) > 0 && len(r.colors) < len(r.positions) {
		r.colors = append(r.colors, 1)
	}
	meshOf := map[string]int{}
	w := &welder{r: r}
	for _, u := range r.runs {
		part, err := w.part(u)
		if err != nil {
			return err
		}
		u.v, u.vt, u.vn, u.smooth, u.sizes = nil, nil, nil, nil, nil
		i, ok := meshOf[u.key.group]
		if !ok {
			i = len(r.out.Meshes)
			meshOf[u.key.group] = i
			r.out.Meshes = append(r.out.Meshes, model.Mesh{Name: u.key.group})
			n := model.NewNode(u.key.group)
			n.Mesh = i
			r.out.Nodes = append(r.out.Nodes, n)
			r.out.Roots = append(r.out.Roots, len(r.out.Nodes)-1)
		}
		r.out.Meshes[i].Parts = append(r.out.Meshes[i].Parts, part)
	}
	if len(r.runs) == 0 { // vertices alone: a cloud of points
		p := model.Part{Kind: model.Points, Positions: r.positions, Surface: model.None,
			Indices: make([]uint32, len(r.positions)/3)}
		for i := range p.Indices {
			p.Indices[i] = uint32(i)
		}
		n := model.NewNode("points")
		n.Mesh = 0
		r.out.Meshes, r.out.Nodes, r.out.Roots = []model.Mesh{{Name: "points", Parts: []model.Part{p}}},
			[]model.Node{n}, []int{0}
	}
	return nil
}

// welder joins corners that agree in position, texture place and normal.
type welder struct {
	r     *reader
	head  []uint32 // per position: its first entry in this part, or none
	stamp []uint32 // per position: the part that head belongs to
	epoch uint32
	next  []uint32 // per local vertex: the next one at the same position
}

func (w *welder) part(u *run) (model.Part, error) {
	r := w.r
	part := model.Part{Name: u.key.group, Kind: u.key.kind, Surface: u.key.surface}
	have := uint32(len(r.positions) / 3)
	for what, list := range map[string][]uint32{"vertex": u.v, "texture coordinate": u.vt, "normal": u.vn} {
		limit := map[string]uint32{"vertex": have, "texture coordinate": uint32(len(r.uvs) / 2),
			"normal": uint32(len(r.normals) / 3)}[what]
		for _, x := range list {
			if x >= limit && x != none {
				return part, fmt.Errorf("%s: a face of %q names %s %d, the file has %d; export the model again", r.name,
					u.key.group, what, x+1, limit)
			}
		}
	}
	if w.head == nil {
		w.head, w.stamp = make([]uint32, have), make([]uint32, have)
	}
	w.epoch++
	w.next = w.next[:0]
	third := u.vn // what separates corners beside the texture place
	faceted := u.vn == nil && u.anyGroup
	if faceted {
		third = u.smoothingKeys()
	}
	local := u.v // overwritten in place: each corner is read before it is written
	var srcVT, srcVN []uint32
	plain := u.vt == nil && third == nil
	for c, v := range u.v {
		t, n := uint32(none), uint32(none)
		if u.vt != nil {
			t = u.vt[c]
		}
		if third != nil {
			n = third[c]
		}
		if w.stamp[v] != w.epoch {
			w.stamp[v], w.head[v] = w.epoch, none
		}
		e := w.head[v]
		if !plain {
			for e != none && (srcVT[e] != t || srcVN[e] != n) {
				e = w.next[e]
			}
		}
		if e == none {
			e = uint32(len(part.Positions) / 3)
			if part.Positions == nil {
				part.Positions = make([]float32, 0, min(len(r.positions), len(u.v)*3))
			}
			part.Positions = append(part.Positions, r.positions[3*v:3*v+3]...)
			if !plain {
				w.next = append(w.next, w.head[v])
				srcVT, srcVN = append(srcVT, t), append(srcVN, n)
			}
			w.head[v] = e
			if r.colors != nil {
				part.Colors = append(part.Colors, r.colors[3*v], r.colors[3*v+1], r.colors[3*v+2], 1)
			}
		}
		local[c] = e
	}
	if u.vt != nil {
		part.UV = make([]float32, 0, len(srcVT)*2)
		for _, t := range srcVT {
			if t == none {
				part.UV = append(part.UV, 0, 0)
			} else {
				part.UV = append(part.UV, r.uvs[2*t], 1-r.uvs[2*t+1]) // v points up in OBJ
			}
		}
	}
	part.Indices = local
	if u.key.kind == model.Triangles && u.sizes != nil {
		part.Indices = model.Cut(&part, local, u.sizes)
	}
	switch {
	case u.vn != nil:
		part.Normals = w.fileNormals(&part, srcVN)
	case faceted:
		part.Normals = part.SmoothNormals()
	}
	return part, nil
}

// smoothingKeys gives each corner its face's smoothing group; faces with
// smoothing off share no corner with anything.
func (u *run) smoothingKeys() []uint32 {
	keys := make([]uint32, 0, len(u.v))
	for f := 0; f < u.faces; f++ {
		n, key := 3, u.smooth[f]
		if u.sizes != nil {
			n = int(u.sizes[f])
		}
		if key == 0 {
			key = 1<<31 | uint32(f)
		}
		for i := 0; i < n; i++ {
			keys = append(keys, key)
		}
	}
	return keys
}

// fileNormals copies the normals that corners name; corners that name none
// get the smooth normal of their faces.
func (w *welder) fileNormals(p *model.Part, src []uint32) []float32 {
	out := make([]float32, 0, len(src)*3)
	var smooth []float32
	for i, n := range src {
		if n != none {
			q := w.r.normals[3*n : 3*n+3]
			if v := (geom.V{X: float64(q[0]), Y: float64(q[1]), Z: float64(q[2])}).Unit(); v != (geom.V{}) {
				out = append(out, float32(v.X), float32(v.Y), float32(v.Z))
				continue
			}
		}
		if smooth == nil {
			smooth = p.SmoothNormals()
		}
		out = append(out, smooth[3*i:3*i+3]...)
	}
	return out
}
