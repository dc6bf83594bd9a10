// Package gltf reads glTF 2.0 and GLB (Khronos, glTF 2.0 Specification; ISO/IEC
// 12113) into the one in-memory model. Coordinates stay as written: metres,
// +Y up. Every offset, count and index is checked before use; memory stays a
// small multiple of the bytes that are really there.
package gltf

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"net/url"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/intake/meshopt"
	"visator/core/model"
)

// Extensions that this reader understands; any other *required* one is named
// in the error.
var known = []string{
	"KHR_texture_transform", "KHR_lights_punctual", "KHR_materials_emissive_strength",
	"KHR_materials_transmission", "KHR_materials_ior", "KHR_mesh_quantization",
	"KHR_materials_unlit", "KHR_materials_pbrSpecularGlossiness", "EXT_texture_webp", "EXT_meshopt_compression",
	"KHR_materials_specular", "KHR_materials_clearcoat", "KHR_materials_sheen", "KHR_materials_anisotropy",
	"KHR_materials_iridescence", "KHR_materials_volume", "KHR_materials_dispersion",
	"KHR_materials_diffuse_transmission", "KHR_materials_variants",
}

// ErrOld is a model of glTF before 2.0, which the converter may read.
var ErrOld = errors.New("only glTF 2.0 is read here; ask for a 2.0 export")

// ErrDraco is a model whose meshes are Draco compressed: the converter reads
// it, this reader does not.
var ErrDraco = errors.New("needs the extension KHR_draco_mesh_compression, which is not read here; ask for an " +
	"export without it")

const (
	magicGLB  = 0x46546C67
	chunkJSON = 0x4E4F534A
	chunkBIN  = 0x004E4942
	// maxJSON bounds the text part: scene descriptions of a hundred thousand
	// nodes take some tens of megabytes, and parsing takes several times that.
	maxJSON = 512 << 20
	// slack is what a model may expand to beyond a multiple of its bytes:
	// accessors may legally be all zeros without any data behind them.
	slack = 64 << 20
	// growth is how many times larger than its bytes a model may become.
	// Normalised bytes become floats (x4), strips become triangles (x3).
	growth = 24
)

// Read parses data, a .gltf or .glb file by the name given, and fetches the
// buffers and pictures that it refers to from folder. The error names the
// file and the place.
func Read(name string, data []byte, folder model.Folder) (*model.Model, error) {
	r := &reader{name: name, folder: folder}
	m, err := r.read(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return m, nil
}

// IsBinary reports whether data starts as a GLB does.
func IsBinary(data []byte) bool {
	return len(data) >= 4 && binary.LittleEndian.Uint32(data) == magicGLB
}

type reader struct {
	name     string
	folder   model.Folder
	doc      document
	bin      []byte
	buffers  [][]byte
	budget   int64 // bytes of decoded accessors still allowed
	out      *model.Model
	maps     map[[2]int]int // image and role to map
	unpacked map[int][]byte // compressed buffer views
}

// split takes a GLB apart into its JSON and binary chunk.
func split(data []byte) (text, bin []byte, err error) {
	if len(data) < 20 {
		return nil, nil, fmt.Errorf("GLB of %d bytes is cut short: the header alone has 20; fetch the file again",
			len(data))
	}
	if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
		return nil, nil, fmt.Errorf("GLB version %d at byte 4 is not supported, only 2: %w", v, ErrOld)
	}
	length := int64(binary.LittleEndian.Uint32(data[8:]))
	if length > int64(len(data)) {
		return nil, nil, fmt.Errorf("GLB says %d bytes at byte 8, the file has %d: it is cut short; fetch it again",
			length, len(data))
	}
	data = data[:max(length, 12)]
	for at := 12; at+8 <= len(data); {
		size := int64(binary.LittleEndian.Uint32(data[at:]))
		kind := binary.LittleEndian.Uint32(data[at+4:])
		if size > int64(len(data)-at-8) {
			return nil, nil, fmt.Errorf("GLB chunk at byte %d says %d bytes, %d are left; fetch the file again", at,
				size, len(data)-at-8)
		}
		body := data[at+8 : at+8+int(size)]
		switch {
		case kind == chunkJSON && text == nil:
			text = body
		case kind == chunkBIN && bin == nil:
			bin = body
		}
		at += 8 + int(size)
	}
	if text == nil {
		return nil, nil, errors.New("GLB has no JSON chunk")
	}
	return text, bin, nil
}

// oldVersion is the version of a glTF 1 file, "" of any other. Its lists are
// objects, so that it would fail with an error that does not say why.
func oldVersion(text []byte) string {
	var old struct {
		Asset     struct{ Version any }
		Accessors map[string]json.RawMessage
	}
	if json.Unmarshal(text, &old) != nil || len(old.Accessors) == 0 {
		return ""
	}
	if v, ok := old.Asset.Version.(string); ok && !strings.HasPrefix(v, "1") {
		return ""
	}
	return "1.0"
}

// jsonPath is a path of Go's field names as the file writes it.
func jsonPath(path string) string {
	parts := strings.Split(path, ".")
	for i, p := range parts {
		if p != "" && !strings.Contains(p, "_") {
			parts[i] = strings.ToLower(p[:1]) + p[1:]
		}
	}
	return strings.Join(parts, ".")
}

func (r *reader) read(data []byte) (*model.Model, error) {
	text, format := data, "glTF"
	if IsBinary(data) {
		var err error
		if text, r.bin, err = split(data); err != nil {
			return nil, err
		}
		format = "GLB"
	}
	if len(text) > maxJSON {
		return nil, fmt.Errorf("%d bytes of JSON are over the limit of %d", len(text), maxJSON)
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	text = bytes.TrimRight(text, "\x00 \n\r\t")
	if err := json.Unmarshal(text, &r.doc); err != nil {
		if v := oldVersion(text); v != "" {
			return nil, fmt.Errorf("asset.version is %q; %w", v, ErrOld)
		}
		var syn *json.SyntaxError
		var typ *json.UnmarshalTypeError
		switch {
		case errors.As(err, &syn):
			return nil, fmt.Errorf("not valid JSON at byte %d: %v", syn.Offset, err)
		case errors.As(err, &typ):
			return nil, fmt.Errorf("%s at byte %d is of the type %s, which is not what glTF asks for there",
				jsonPath(typ.Field), typ.Offset, typ.Value)
		}
		return nil, fmt.Errorf("not valid JSON: %w", err)
	}
	d := &r.doc
	if v := d.Asset.Version; v != "2.0" && !strings.HasPrefix(v, "2.") {
		return nil, fmt.Errorf("asset.version is %q; %w", v, ErrOld)
	}
	for _, e := range d.ExtensionsRequired {
		if !slices.Contains(known, e) {
			if e == "KHR_draco_mesh_compression" {
				return nil, ErrDraco
			}
			return nil, fmt.Errorf("needs the extension %s, which is not read here; ask for an export without it", e)
		}
	}
	r.out = &model.Model{
		Format: format, Up: "Y", Generator: d.Asset.Generator, Copyright: d.Asset.Copyright,
		Unit: model.Unit{Name: "metre", MetresPerUnit: 1, From: "format"},
	}
	r.tellExtensions(slices.DeleteFunc(slices.Clone(d.ExtensionsUsed),
		func(e string) bool { return slices.Contains(known, e) }))
	r.budget = int64(len(data))*growth + slack
	r.maps = map[[2]int]int{}
	r.unpacked = map[int][]byte{}
	for _, step := range []func() error{r.loadBuffers, r.loadSurfaces, r.loadVariants, r.loadMeshes,
		r.loadCameras, r.loadLights, r.loadNodes, r.applyMorphs, r.applySkins} {
		if err := step(); err != nil {
			return nil, err
		}
	}
	return r.out, nil
}

func (r *reader) loadBuffers() error {
	for i, b := range r.doc.Buffers {
		var data []byte
		var err error
		switch {
		case b.URI == "" && i == 0 && r.bin != nil:
			data = r.bin
		case b.URI == "":
			r.buffers = append(r.buffers, nil) // allowed when nothing uses it
			continue
		default:
			data, err = r.fetch(b.URI)
			if errors.Is(err, fs.ErrNotExist) || errors.Is(err, model.ErrOutside) {
				if at, ok := model.NamesIn(r.folder.Root).Find(b.URI); ok {
					data, err = model.Folder{Root: r.folder.Root, Limit: r.folder.Limit}.Read(at)
				}
			}
		}
		if err != nil {
			if errors.Is(err, model.ErrOutside) {
				return fmt.Errorf("buffers[%d]: the file %.200q is not there, it leads out of the model's folder; "+
					"put it beside the model", i, b.URI)
			}
			if errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("buffers[%d]: the file %.200q is not there; put it beside the model", i, b.URI)
			}
			return fmt.Errorf("buffers[%d]: %w", i, err)
		}
		if b.ByteLength < 0 || int64(len(data)) < b.ByteLength {
			return fmt.Errorf("buffers[%d] says %d bytes, %d are there; fetch the file again", i, b.ByteLength,
				len(data))
		}
		data = data[:b.ByteLength]
		if b.URI != "" {
			r.budget += int64(len(data)) * growth
		}
		r.buffers = append(r.buffers, data)
	}
	return nil
}

// fetch reads a data: URI or a file of the folder.
func (r *reader) fetch(uri string) ([]byte, error) {
	if rest, ok := strings.CutPrefix(uri, "data:"); ok {
		head, body, found := strings.Cut(rest, ",")
		if !found {
			return nil, errors.New("data URI without a comma")
		}
		if !strings.HasSuffix(head, ";base64") {
			s, err := url.PathUnescape(body)
			return []byte(s), err
		}
		data, err := base64.StdEncoding.DecodeString(body)
		if err != nil {
			if raw, rawErr := base64.RawStdEncoding.DecodeString(strings.TrimRight(body, "=")); rawErr == nil {
				return raw, nil
			}
			return nil, fmt.Errorf("data URI: %w", err)
		}
		return data, nil
	}
	return r.folder.Read(uri)
}

// view returns the bytes of buffer view i and its stride (0: packed).
func (r *reader) view(i int) ([]byte, int, error) {
	if i < 0 || i >= len(r.doc.BufferViews) {
		return nil, 0, fmt.Errorf("bufferViews[%d] is not there (the file has %d)", i, len(r.doc.BufferViews))
	}
	v := r.doc.BufferViews[i]
	if m := v.Extensions.Meshopt; m != nil {
		data, err := r.unpack(i, m)
		return data, m.ByteStride, err
	}
	if v.Buffer < 0 || v.Buffer >= len(r.buffers) {
		return nil, 0, fmt.Errorf("bufferViews[%d]: buffer %d is not there", i, v.Buffer)
	}
	b := r.buffers[v.Buffer]
	if v.ByteOffset < 0 || v.ByteLength < 0 || v.ByteOffset > int64(len(b)) ||
		v.ByteLength > int64(len(b))-v.ByteOffset {
		return nil, 0, fmt.Errorf("bufferViews[%d]: bytes %d to %d are outside of buffer %d of %d bytes", i,
			v.ByteOffset, v.ByteOffset+v.ByteLength, v.Buffer, len(b))
	}
	if v.ByteStride < 0 || v.ByteStride > 252 {
		return nil, 0, fmt.Errorf("bufferViews[%d]: byteStride %d is not in 4..252", i, v.ByteStride)
	}
	return b[v.ByteOffset : v.ByteOffset+v.ByteLength], v.ByteStride, nil
}

// unpack returns the bytes of a compressed view, unpacked on first use.
func (r *reader) unpack(i int, m *meshoptView) ([]byte, error) {
	if data, ok := r.unpacked[i]; ok {
		return data, nil
	}
	where := fmt.Sprintf("bufferViews[%d], EXT_meshopt_compression", i)
	if m.Buffer < 0 || m.Buffer >= len(r.buffers) {
		return nil, fmt.Errorf("%s: buffer %d is not there", where, m.Buffer)
	}
	b := r.buffers[m.Buffer]
	if m.ByteOffset < 0 || m.ByteLength < 0 || m.ByteOffset > int64(len(b)) ||
		m.ByteLength > int64(len(b))-m.ByteOffset || m.Count < 0 || m.ByteStride < 1 || m.ByteStride > 256 {
		return nil, fmt.Errorf("%s: its bytes are outside of buffer %d of %d bytes", where, m.Buffer, len(b))
	}
	if err := r.spend(int64(m.Count)*int64(m.ByteStride), where); err != nil {
		return nil, err
	}
	packed := b[m.ByteOffset : m.ByteOffset+m.ByteLength]
	var data []byte
	var err error
	switch m.Mode {
	case "ATTRIBUTES":
		data, err = meshopt.Attributes(packed, m.Count, m.ByteStride, m.Filter)
	case "TRIANGLES":
		data, err = meshopt.Triangles(packed, m.Count, m.ByteStride)
	case "INDICES":
		data, err = meshopt.Indices(packed, m.Count, m.ByteStride)
	default:
		err = fmt.Errorf("the mode %q is not known", m.Mode)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", where, err)
	}
	r.unpacked[i] = data
	return data, nil
}

var (
	componentSize = map[int]int{5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
	components    = map[string]int{"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
)

// span locates the elements of an accessor (or of the values of a sparse
// one): count elements of n components, step bytes apart.
func (r *reader) span(where string, view, offset, count, component, n int) (data []byte, step int, err error) {
	size := componentSize[component]
	body, stride, err := r.view(view)
	if err != nil {
		return nil, 0, fmt.Errorf("%s: %w", where, err)
	}
	step = size * n
	if stride > 0 {
		step = stride
	}
	need := int64(offset)
	if count > 0 {
		need += int64(count-1)*int64(step) + int64(size*n)
	}
	if offset < 0 || need > int64(len(body)) {
		return nil, 0, fmt.Errorf("%s: %d elements need %d bytes, bufferViews[%d] has %d", where, count, need, view,
			len(body))
	}
	return body[offset:], step, nil
}

// floats decodes accessor i, which must have n components (or any of wants).
func (r *reader) floats(i int, where string, wants ...int) (vals []float32, n int, err error) {
	a, n, err := r.accessor(i, where)
	if err != nil {
		return nil, 0, err
	}
	if !slices.Contains(wants, n) {
		return nil, 0, fmt.Errorf("%s: accessors[%d] has %d components an element, expected %v", where, i, n, wants)
	}
	place := fmt.Sprintf("%s: accessors[%d]", where, i)
	if err := r.spend(int64(a.Count)*int64(n)*4, place); err != nil {
		return nil, 0, err
	}
	vals = make([]float32, a.Count*n)
	if a.BufferView != nil {
		data, step, err := r.span(place, *a.BufferView, a.ByteOffset, a.Count, a.ComponentType, n)
		if err != nil {
			return nil, 0, err
		}
		decode(vals, data, step, n, a.ComponentType, a.Normalized, nil)
	}
	if s := a.Sparse; s != nil {
		at, err := r.sparseIndices(s, a.Count, place)
		if err != nil {
			return nil, 0, err
		}
		data, step, err := r.span(place+".sparse.values", s.Values.BufferView, s.Values.ByteOffset, s.Count,
			a.ComponentType, n)
		if err != nil {
			return nil, 0, err
		}
		decode(vals, data, step, n, a.ComponentType, a.Normalized, at)
	}
	return vals, n, nil
}

func (r *reader) spend(bytes int64, where string) error {
	if r.budget -= bytes; r.budget < 0 {
		return fmt.Errorf("%s: the file claims far more data than it has bytes for", where)
	}
	return nil
}

func (r *reader) accessor(i int, where string) (accessor, int, error) {
	if i < 0 || i >= len(r.doc.Accessors) {
		return accessor{}, 0, fmt.Errorf("%s: accessors[%d] is not there (the file has %d)", where, i,
			len(r.doc.Accessors))
	}
	a := r.doc.Accessors[i]
	n, ok := components[a.Type]
	if !ok {
		return a, 0, fmt.Errorf("%s: accessors[%d] has the unknown type %q", where, i, a.Type)
	}
	if componentSize[a.ComponentType] == 0 {
		return a, 0, fmt.Errorf("%s: accessors[%d] has the unknown component type %d", where, i, a.ComponentType)
	}
	if a.Count < 0 || a.Count > math.MaxInt32 {
		return a, 0, fmt.Errorf("%s: accessors[%d] has the impossible count %d", where, i, a.Count)
	}
	return a, n, nil
}

func (r *reader) sparseIndices(s *sparse, count int, place string) ([]uint32, error) {
	size := componentSize[s.Indices.ComponentType]
	if size == 0 || s.Count < 0 || s.Count > count {
		return nil, fmt.Errorf("%s.sparse: count %d or component type %d is impossible", place, s.Count,
			s.Indices.ComponentType)
	}
	data, step, err := r.span(place+".sparse.indices", s.Indices.BufferView, s.Indices.ByteOffset, s.Count,
		s.Indices.ComponentType, 1)
	if err != nil {
		return nil, err
	}
	out := make([]uint32, s.Count)
	for k := range out {
		out[k] = uintAt(data[k*step:], size)
		if int64(out[k]) >= int64(count) {
			return nil, fmt.Errorf("%s.sparse: index %d at %d is past the %d elements", place, out[k], k, count)
		}
	}
	return out, nil
}

func uintAt(b []byte, size int) uint32 {
	switch size {
	case 1:
		return uint32(b[0])
	case 2:
		return uint32(binary.LittleEndian.Uint16(b))
	}
	return binary.LittleEndian.Uint32(b)
}

// decode writes elements into vals: in order, or to the places in at.
func decode(vals []float32, data []byte, step, n, component int, normalized bool, at []uint32) {
	count := len(vals) / max(n, 1)
	if at != nil {
		count = len(at)
	}
	size := componentSize[component]
	for e := 0; e < count; e++ {
		to := e * n
		if at != nil {
			to = int(at[e]) * n
		}
		src := data[e*step:]
		for k := 0; k < n; k++ {
			vals[to+k] = component32(src[k*size:], component, normalized)
		}
	}
}

func component32(b []byte, component int, normalized bool) float32 {
	var v, scale float32
	switch component {
	case 5126:
		return math.Float32frombits(binary.LittleEndian.Uint32(b))
	case 5120:
		v, scale = float32(int8(b[0])), 127
	case 5121:
		v, scale = float32(b[0]), 255
	case 5122:
		v, scale = float32(int16(binary.LittleEndian.Uint16(b))), 32767
	case 5123:
		v, scale = float32(binary.LittleEndian.Uint16(b)), 65535
	default:
		v, scale = float32(binary.LittleEndian.Uint32(b)), math.MaxUint32
	}
	if !normalized {
		return v
	}
	return max(v/scale, -1)
}

// indices decodes accessor i as indices below vertices.
func (r *reader) indices(i, vertices int, where string) ([]uint32, error) {
	a, n, err := r.accessor(i, where)
	if err != nil {
		return nil, err
	}
	if n != 1 || a.ComponentType == 5126 {
		return nil, fmt.Errorf("%s: accessors[%d] cannot be indices: %s of component type %d", where, i, a.Type,
			a.ComponentType)
	}
	if err := r.spend(int64(a.Count)*4, where); err != nil {
		return nil, err
	}
	out := make([]uint32, a.Count)
	place := fmt.Sprintf("%s: accessors[%d]", where, i)
	if a.BufferView != nil {
		data, step, err := r.span(place, *a.BufferView, a.ByteOffset, a.Count, a.ComponentType, 1)
		if err != nil {
			return nil, err
		}
		size := componentSize[a.ComponentType]
		for k := range out {
			out[k] = uintAt(data[k*step:], size)
		}
	}
	if s := a.Sparse; s != nil {
		at, err := r.sparseIndices(s, a.Count, place)
		if err != nil {
			return nil, err
		}
		data, step, err := r.span(place+".sparse.values", s.Values.BufferView, s.Values.ByteOffset, s.Count,
			a.ComponentType, 1)
		if err != nil {
			return nil, err
		}
		for k, to := range at {
			out[to] = uintAt(data[k*step:], componentSize[a.ComponentType])
		}
	}
	for k, v := range out {
		if int64(v) >= int64(vertices) {
			return nil, fmt.Errorf("%s: index %d at %d is past the %d vertices", where, v, k, vertices)
		}
	}
	return out, nil
}

func (r *reader) loadMeshes() error {
	for i := range r.doc.Meshes {
		if err := r.loadMesh(i, r.doc.Meshes[i].Weights); err != nil {
			return err
		}
	}
	return nil
}

// loadMesh appends meshes[i] with its morph targets at the weights given.
func (r *reader) loadMesh(i int, weights []float64) error {
	gm := &r.doc.Meshes[i]
	mesh := model.Mesh{Name: gm.Name}
	for k, p := range gm.Primitives {
		where := fmt.Sprintf("meshes[%d].primitives[%d]", i, k)
		part, err := r.part(p, where)
		if err != nil {
			return err
		}
		if part == nil {
			continue
		}
		if err := r.morph(part, p.Targets, weights, where); err != nil {
			return err
		}
		mesh.Parts = append(mesh.Parts, *part)
	}
	r.out.Meshes = append(r.out.Meshes, mesh)
	return nil
}

// applyMorphs gives nodes that have weights of their own a mesh of their own.
func (r *reader) applyMorphs() error {
	for i, n := range r.doc.Nodes {
		if len(n.Weights) == 0 || n.Mesh == nil {
			continue
		}
		if err := r.loadMesh(*n.Mesh, n.Weights); err != nil {
			return err
		}
		r.out.Nodes[i].Mesh = len(r.out.Meshes) - 1
	}
	return nil
}

// morph moves the vertices by the targets' displacements times their weights
// (glTF 2.0, 3.7.2.2). Targets without a weight stay out.
func (r *reader) morph(part *model.Part, targets []map[string]int, weights []float64, where string) error {
	for k, target := range targets {
		if k >= len(weights) || weights[k] == 0 {
			continue
		}
		for name, into := range map[string][]float32{"POSITION": part.Positions, "NORMAL": part.Normals} {
			at, ok := target[name]
			if !ok || into == nil {
				continue
			}
			place := fmt.Sprintf("%s.targets[%d].%s", where, k, name)
			by, _, err := r.floats(at, place, 3)
			if err != nil {
				return err
			}
			if len(by) != len(into) {
				return fmt.Errorf("%s has %d elements for %d vertices", place, len(by)/3, part.Vertices())
			}
			for j, v := range by {
				if into[j] += float32(weights[k]) * v; into[j]-into[j] != 0 {
					return fmt.Errorf("%s: vertex %d is moved to nowhere; export the model again", place, j/3)
				}
			}
			for j := 0; name == "NORMAL" && j+2 < len(into); j += 3 {
				n := geom.V{X: float64(into[j]), Y: float64(into[j+1]), Z: float64(into[j+2])}.Unit()
				into[j], into[j+1], into[j+2] = float32(n.X), float32(n.Y), float32(n.Z)
			}
		}
	}
	return nil
}

func (r *reader) part(p primitive, where string) (*model.Part, error) {
	pos, ok := p.Attributes["POSITION"]
	if !ok {
		r.out.Warn("%s has no positions and was left out", where)
		return nil, nil
	}
	part := &model.Part{Surface: model.None}
	var err error
	if part.Positions, _, err = r.floats(pos, where+".POSITION", 3); err != nil {
		return nil, err
	}
	for j, v := range part.Positions {
		if v-v != 0 {
			return nil, fmt.Errorf("%s.POSITION: vertex %d is not a number; export the model again", where, j/3)
		}
	}
	n := part.Vertices()
	for _, attr := range []struct {
		name  string
		into  *[]float32
		wants []int
	}{{"NORMAL", &part.Normals, []int{3}}, {"TEXCOORD_0", &part.UV, []int{2}}, {"TEXCOORD_1", &part.UV1,
		[]int{2}}, {"COLOR_0", &part.Colors, []int{3, 4}}} {
		at, ok := p.Attributes[attr.name]
		if !ok {
			continue
		}
		vals, per, err := r.floats(at, where+"."+attr.name, attr.wants...)
		if err != nil {
			return nil, err
		}
		if len(vals)/per != n {
			return nil, fmt.Errorf("%s.%s has %d elements for %d vertices", where, attr.name, len(vals)/per, n)
		}
		if attr.name == "COLOR_0" && per == 3 {
			if vals, err = r.opaque(vals, where); err != nil {
				return nil, err
			}
		}
		if bad := slices.IndexFunc(vals, func(v float32) bool { return v-v != 0 }); bad >= 0 {
			r.out.Warn("%s.%s holds values that are not numbers and was left out", where, attr.name)
			continue
		}
		*attr.into = vals
	}
	if p.Material != nil {
		if *p.Material < 0 || *p.Material >= len(r.doc.Materials) {
			return nil, fmt.Errorf("%s: materials[%d] is not there", where, *p.Material)
		}
		part.Surface = *p.Material
	}
	if part.Variants, err = r.variants(&p, where); err != nil {
		return nil, err
	}
	var idx []uint32
	if p.Indices != nil {
		if idx, err = r.indices(*p.Indices, n, where+".indices"); err != nil {
			return nil, err
		}
	} else {
		if err = r.spend(int64(n)*4, where); err != nil {
			return nil, err
		}
		idx = make([]uint32, n)
		for j := range idx {
			idx[j] = uint32(j)
		}
	}
	mode := 4
	if p.Mode != nil {
		mode = *p.Mode
	}
	if err = r.spend(int64(len(idx))*12, where); err != nil {
		return nil, err
	}
	if part.Kind, part.Indices, ok = join(mode, idx); !ok {
		return nil, fmt.Errorf("%s: mode %d is not one of 0 to 6", where, mode)
	}
	if _, ok := p.Extensions["KHR_draco_mesh_compression"]; ok {
		return nil, fmt.Errorf("%s is compressed with KHR_draco_mesh_compression, which is not read here; ask for an "+
			"export without it", where)
	}
	return part, nil
}

func (r *reader) opaque(rgb []float32, where string) ([]float32, error) {
	if err := r.spend(int64(len(rgb))*6, where); err != nil {
		return nil, err
	}
	out := make([]float32, len(rgb)/3*4)
	for j := 0; j < len(rgb)/3; j++ {
		copy(out[4*j:], rgb[3*j:3*j+3])
		out[4*j+3] = 1
	}
	return out, nil
}

// join turns the seven primitive modes into lists (glTF 2.0, 3.7.2.1).
func join(mode int, idx []uint32) (model.Kind, []uint32, bool) {
	n := len(idx)
	var out []uint32
	switch mode {
	case 0:
		return model.Points, idx, true
	case 1:
		return model.Lines, idx[:n-n%2], true
	case 2, 3:
		for i := 0; i+1 < n; i++ {
			out = append(out, idx[i], idx[i+1])
		}
		if mode == 2 && n > 2 {
			out = append(out, idx[n-1], idx[0])
		}
		return model.Lines, out, true
	case 4:
		return model.Triangles, idx[:n-n%3], true
	case 5:
		for i := 0; i+2 < n; i++ {
			out = append(out, idx[i], idx[i+1+i%2], idx[i+2-i%2])
		}
		return model.Triangles, out, true
	case 6:
		for i := 1; i+1 < n; i++ {
			out = append(out, idx[i], idx[i+1], idx[0])
		}
		return model.Triangles, out, true
	}
	return 0, nil, false
}

func (r *reader) loadNodes() error {
	d := &r.doc
	parent := make([]int, len(d.Nodes))
	for i := range parent {
		parent[i] = model.None
	}
	for i, n := range d.Nodes {
		where := fmt.Sprintf("nodes[%d]", i)
		node := model.NewNode(n.Name)
		node.Local = n.local()
		if !node.Local.Finite() {
			return fmt.Errorf("%s: its transform holds values that are not numbers", where)
		}
		for _, c := range n.Children {
			if c < 0 || c >= len(d.Nodes) {
				return fmt.Errorf("%s: its child nodes[%d] is not there", where, c)
			}
			if parent[c] != model.None || c == i {
				return fmt.Errorf("%s: nodes[%d] has two parents; glTF asks for a tree", where, c)
			}
			parent[c] = i
		}
		node.Children = n.Children
		for _, ref := range []struct {
			from *int
			into *int
			n    int
			what string
		}{{n.Mesh, &node.Mesh, len(d.Meshes), "meshes"}, {n.Camera, &node.Camera, len(d.Cameras),
			"cameras"}, {n.Extensions.Lights.Light, &node.Light, len(r.out.Lights), "lights"}} {
			if ref.from == nil {
				continue
			}
			if *ref.from < 0 || *ref.from >= ref.n {
				return fmt.Errorf("%s: %s[%d] is not there", where, ref.what, *ref.from)
			}
			*ref.into = *ref.from
		}
		r.out.Nodes = append(r.out.Nodes, node)
	}
	// A cycle has no root that leads to it, so it is found by climbing.
	for i := range parent {
		for up, steps := parent[i], 0; up != model.None; up, steps = parent[up], steps+1 {
			if up == i {
				return fmt.Errorf("nodes[%d] is its own ancestor", i)
			}
			if steps > 4096 { // deeper than any exporter's hierarchy
				return fmt.Errorf("nodes[%d] lies more than 4096 levels deep", i)
			}
		}
	}
	scene := 0
	if d.Scene != nil {
		scene = *d.Scene
	}
	switch {
	case len(d.Scenes) == 0:
		for i, p := range parent {
			if p == model.None {
				r.out.Roots = append(r.out.Roots, i)
			}
		}
	case scene < 0 || scene >= len(d.Scenes):
		return fmt.Errorf("scenes[%d] is not there", scene)
	default:
		seen := map[int]bool{}
		for _, i := range d.Scenes[scene].Nodes {
			if i < 0 || i >= len(d.Nodes) {
				return fmt.Errorf("scenes[%d]: nodes[%d] is not there", scene, i)
			}
			if parent[i] != model.None {
				r.out.Warn("scenes[%d]: nodes[%d] is not a root", scene, i)
			}
			if !seen[i] {
				r.out.Roots = append(r.out.Roots, i)
			}
			seen[i] = true
		}
		r.dropNested(parent, seen)
		r.out.Name = d.Scenes[scene].Name
	}
	return nil
}

// dropNested removes roots that are also below another root: they would be
// counted twice.
func (r *reader) dropNested(parent []int, roots map[int]bool) {
	r.out.Roots = slices.DeleteFunc(r.out.Roots, func(i int) bool {
		for up := parent[i]; up != model.None; up = parent[up] {
			if roots[up] {
				return true
			}
		}
		return false
	})
}

func (n *node) local() geom.M {
	if len(n.Matrix) == 16 {
		return geom.M(n.Matrix)
	}
	t, s, q := geom.V{}, geom.V{X: 1, Y: 1, Z: 1}, geom.Q{W: 1}
	if len(n.Translation) == 3 {
		t = geom.V{X: n.Translation[0], Y: n.Translation[1], Z: n.Translation[2]}
	}
	if len(n.Scale) == 3 {
		s = geom.V{X: n.Scale[0], Y: n.Scale[1], Z: n.Scale[2]}
	}
	if len(n.Rotation) == 4 {
		q = geom.Q{X: n.Rotation[0], Y: n.Rotation[1], Z: n.Rotation[2], W: n.Rotation[3]}
	}
	return geom.Compose(t, q, s)
}
