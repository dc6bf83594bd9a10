package usd

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strings"

	"github.com/pierrec/lz4/v4"
)

// IsCrate tells a crate file by its first bytes.
func IsCrate(data []byte) bool { return bytes.HasPrefix(data, []byte("PXR-USDC")) }

// crate reads the binary form: tables of tokens, fields, paths and specs, and
// values that lie anywhere in the file. Every count is checked against the
// bytes that could hold it before anything is made.
type crate struct {
	d       []byte
	version int // major<<16 | minor<<8 | patch
	tokens  []string
	strings []uint32
	fields  []field
	sets    []uint32
	paths   []string
	spent   int64 // bytes that were unpacked
	read    int   // fields that were read
	values  map[uint64]any
	depth   int
}

type field struct {
	token uint32
	rep   uint64
}

var errCrate = errors.New("the crate is damaged; fetch it again")

func bad(what string) error { return fmt.Errorf("%s: %w", what, errCrate) }

// parseCrate reads a .usdc layer.
func parseCrate(data []byte) (*layer, error) {
	c := &crate{d: data, values: map[uint64]any{}}
	if len(data) < 24 {
		return nil, errCrate
	}
	c.version = int(data[8])<<16 | int(data[9])<<8 | int(data[10])
	if data[8] != 0 || c.version < 0x000400 {
		return nil, fmt.Errorf("the crate is of version %d.%d.%d; versions 0.4 to 0.x are read: export the model again",
			data[8], data[9], data[10])
	}
	sections, err := c.toc()
	if err != nil {
		return nil, err
	}
	for _, s := range []struct {
		name string
		read func(b *cursor) error
	}{{"TOKENS", c.readTokens}, {"STRINGS", c.readStrings}, {"FIELDS", c.readFields}, {"FIELDSETS", c.readSets},
		{"PATHS", c.readPaths}} {
		sec, ok := sections[s.name]
		if !ok {
			return nil, bad("the section " + s.name + " is missing")
		}
		if err := s.read(&cursor{d: sec}); err != nil {
			return nil, fmt.Errorf("section %s: %w", s.name, err)
		}
	}
	sec, ok := sections["SPECS"]
	if !ok {
		return nil, bad("the section SPECS is missing")
	}
	return c.build(&cursor{d: sec})
}

// cursor walks over bytes; after a failure it gives zeros and ok is false.
type cursor struct {
	d      []byte
	at     int
	failed bool
}

func (b *cursor) take(n int) []byte {
	if n < 0 || b.failed || n > len(b.d)-b.at {
		b.failed = true
		return nil
	}
	out := b.d[b.at : b.at+n]
	b.at += n
	return out
}

func (b *cursor) u64() uint64 {
	if x := b.take(8); x != nil {
		return binary.LittleEndian.Uint64(x)
	}
	return 0
}

func (b *cursor) u32() uint32 {
	if x := b.take(4); x != nil {
		return binary.LittleEndian.Uint32(x)
	}
	return 0
}

func (b *cursor) u8() byte {
	if x := b.take(1); x != nil {
		return x[0]
	}
	return 0
}

// count reads a number of items that take at least size bytes each.
func (b *cursor) count(size int) int {
	n := b.u64()
	if n > uint64(len(b.d)-b.at)/uint64(max(size, 1)) {
		b.failed = true
		return 0
	}
	return int(n)
}

func (c *crate) toc() (map[string][]byte, error) {
	b := &cursor{d: c.d, at: 16}
	at := b.u64()
	if at > uint64(len(c.d)) {
		return nil, bad("the table of contents lies beyond the end")
	}
	b.at = int(at)
	out := map[string][]byte{}
	for range b.count(32) {
		name := string(bytes.TrimRight(b.take(16), "\x00"))
		start, size := b.u64(), b.u64()
		if start > uint64(len(c.d)) || size > uint64(len(c.d))-start {
			return nil, bad("the section " + name + " lies beyond the end")
		}
		out[name] = c.d[start : start+size]
	}
	if b.failed {
		return nil, bad("the table of contents is cut")
	}
	return out, nil
}

// spend counts bytes that are made out of the crate: never many times what its
// own bytes could honestly hold, so that values which lie over one another
// cannot multiply.
func (c *crate) spend(n int64) error {
	const most, slack = 4 << 30, 64 << 20
	if c.spent += n; n < 0 || c.spent > min(most, slack+300*int64(len(c.d))) {
		return bad("its values claim far more than its bytes could hold")
	}
	return nil
}

// unpack reads bytes of the crate's fast compression: a count of chunks, 0 for
// one alone, each an LZ4 block.
func (c *crate) unpack(packed []byte, size int64) ([]byte, error) {
	if err := c.spend(size); err != nil {
		return nil, err
	}
	if size > int64(len(packed))*256+64 {
		return nil, bad("compressed data claim too much")
	}
	if len(packed) == 0 {
		return nil, bad("compressed data are cut")
	}
	out := make([]byte, size)
	b := &cursor{d: packed, at: 1}
	if packed[0] == 0 {
		n, err := lz4.UncompressBlock(packed[1:], out)
		if err != nil {
			return nil, bad("compressed data")
		}
		return out[:n], nil
	}
	at := 0
	for range packed[0] {
		chunk := b.take(int(int32(b.u32())))
		if b.failed {
			return nil, bad("compressed data are cut")
		}
		n, err := lz4.UncompressBlock(chunk, out[at:])
		if err != nil {
			return nil, bad("compressed data")
		}
		at += n
	}
	return out[:at], nil
}

// ints32 reads n integers of the crate's own coding: the commonest difference,
// two bits a number, then the differences that are not it.
func (c *crate) ints32(b *cursor, n int) ([]int32, error) {
	packed := b.take(b.count(1))
	if b.failed {
		return nil, bad("numbers are cut")
	}
	data, err := c.unpack(packed, 4+(int64(n)*2+7)/8+int64(n)*4)
	if err != nil {
		return nil, err
	}
	r := &cursor{d: data}
	common := int32(r.u32())
	codes := r.take((n*2 + 7) / 8)
	if r.failed {
		return nil, bad("numbers are cut")
	}
	out := make([]int32, n)
	prev := int32(0)
	for i := range out {
		switch codes[i/4] >> (i % 4 * 2) & 3 {
		case 0:
			prev += common
		case 1:
			prev += int32(int8(r.u8()))
		case 2:
			if x := r.take(2); x != nil {
				prev += int32(int16(binary.LittleEndian.Uint16(x)))
			}
		case 3:
			prev += int32(r.u32())
		}
		out[i] = prev
	}
	if r.failed {
		return nil, bad("numbers are cut")
	}
	return out, nil
}

func (c *crate) readTokens(b *cursor) error {
	n := b.u64()
	size := b.u64()
	packed := b.take(b.count(1))
	if b.failed || n > uint64(len(c.d))*256 {
		return errCrate
	}
	data, err := c.unpack(packed, int64(size))
	if err != nil {
		return err
	}
	for len(data) > 0 && uint64(len(c.tokens)) < n {
		i := bytes.IndexByte(data, 0)
		if i < 0 {
			i = len(data)
		}
		c.tokens = append(c.tokens, string(data[:i]))
		data = data[min(i+1, len(data)):]
	}
	if uint64(len(c.tokens)) != n {
		return errCrate
	}
	return nil
}

func (c *crate) readStrings(b *cursor) error {
	for range b.count(4) {
		c.strings = append(c.strings, b.u32())
	}
	if b.failed {
		return errCrate
	}
	return nil
}

func (c *crate) token(i uint32) string {
	if int64(i) < int64(len(c.tokens)) {
		return c.tokens[i]
	}
	return ""
}

func (c *crate) str(i uint32) string {
	if int64(i) < int64(len(c.strings)) {
		return c.token(c.strings[i])
	}
	return ""
}

func (c *crate) path(i uint32) string {
	if int64(i) < int64(len(c.paths)) {
		return c.paths[i]
	}
	return ""
}

// many reads a count that compressed numbers follow: a byte may hold some.
func (c *crate) many(b *cursor) (int, error) {
	n := b.u64()
	if b.failed || n > uint64(len(b.d))*1024 || n > 1<<28 {
		return 0, errCrate
	}
	return int(n), nil
}

func (c *crate) readFields(b *cursor) error {
	n, err := c.many(b)
	if err != nil {
		return err
	}
	names, err := c.ints32(b, n)
	if err != nil {
		return err
	}
	packed := b.take(b.count(1))
	reps, err := c.unpack(packed, 8*int64(n))
	if err != nil || len(reps) < 8*n {
		return errCrate
	}
	c.fields = make([]field, n)
	for i := range c.fields {
		c.fields[i] = field{uint32(names[i]), binary.LittleEndian.Uint64(reps[8*i:])}
	}
	return nil
}

func (c *crate) readSets(b *cursor) error {
	n, err := c.many(b)
	if err != nil {
		return err
	}
	list, err := c.ints32(b, n)
	if err != nil {
		return err
	}
	for _, x := range list {
		c.sets = append(c.sets, uint32(x))
	}
	return nil
}

// maxPathBytes bounds all paths together: a million prims deep in a scene have
// some hundred bytes each.
const maxPathBytes = 256 << 20

// readPaths builds the paths of all specs from the tree in which they are
// kept: for each its place in the table, its name (negative: a property), and
// where its sibling is (0: it has only siblings, -1: only a child, -2: neither).
func (c *crate) readPaths(b *cursor) error {
	total, err := c.many(b)
	if err != nil {
		return err
	}
	n, err := c.many(b)
	if err != nil || n > total {
		return errCrate
	}
	index, err := c.ints32(b, n)
	if err != nil {
		return err
	}
	names, err := c.ints32(b, n)
	if err != nil {
		return err
	}
	jumps, err := c.ints32(b, n)
	if err != nil {
		return err
	}
	c.paths = make([]string, total)
	type branch struct {
		at     int
		parent string
	}
	stack := []branch{{0, ""}}
	seen := make([]bool, n)
	length := 0
	for len(stack) > 0 {
		br := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		for at, parent := br.at, br.parent; ; at++ {
			if at < 0 || at >= n || seen[at] || index[at] < 0 || int(index[at]) >= total {
				return bad("the tree of paths")
			}
			seen[at] = true
			full := "/"
			if parent != "" {
				name := c.token(uint32(max(names[at], -names[at])))
				switch {
				case names[at] < 0:
					full = parent + "." + name
				case strings.HasPrefix(name, "{") || parent == "/" || strings.HasSuffix(parent, "}"):
					full = parent + name
				default:
					full = parent + "/" + name
				}
			}
			if length += len(full); length > maxPathBytes {
				return bad("the paths are too long")
			}
			c.paths[index[at]] = full
			child, sibling := jumps[at] > 0 || jumps[at] == -1, jumps[at] >= 0
			if child {
				if sibling {
					stack = append(stack, branch{at + int(jumps[at]), parent})
				}
				parent = full
			} else if !sibling {
				break
			}
		}
	}
	return nil
}

// Kinds of specs that matter here.
const (
	specAttribute    = 1
	specPrim         = 6
	specPseudoRoot   = 7
	specRelationship = 8
	specVariant      = 10
	specVariantSet   = 11
)

func (c *crate) build(b *cursor) (*layer, error) {
	n, err := c.many(b)
	if err != nil {
		return nil, err
	}
	var lists [3][]int32 // path, field set, kind
	for k := range lists {
		if lists[k], err = c.ints32(b, n); err != nil {
			return nil, fmt.Errorf("section SPECS: %w", err)
		}
	}
	l := &layer{meta: map[string]any{}, root: *newSpec("", "def", "")}
	byPath := map[string]*spec{"/": &l.root, "": &l.root}
	type todo struct {
		path string
		set  int
	}
	var prims, props []todo
	for i := range n {
		t := todo{c.path(uint32(lists[0][i])), int(lists[1][i])}
		switch lists[2][i] {
		case specPseudoRoot:
			if err := c.each(t.set, func(name string, v any) { l.meta[name] = v }); err != nil {
				return nil, err
			}
		case specPrim, specVariant:
			prims = append(prims, t)
		case specAttribute, specRelationship:
			props = append(props, t)
		}
	}
	for _, t := range prims {
		s := c.specAt(byPath, t.path, 0)
		if s == nil {
			return nil, bad("the path " + t.path)
		}
		if err := c.each(t.set, func(name string, v any) { setPrim(s, name, v) }); err != nil {
			return nil, fmt.Errorf("%s: %w", t.path, err)
		}
	}
	for _, t := range props {
		i := strings.LastIndexByte(t.path, '.')
		if i < 0 {
			continue
		}
		s := c.specAt(byPath, t.path[:i], 0)
		if s == nil {
			return nil, bad("the path " + t.path)
		}
		p := &prop{}
		s.props[t.path[i+1:]] = p
		if err := c.each(t.set, func(name string, v any) { setProp(p, name, v) }); err != nil {
			return nil, fmt.Errorf("%s: %w", t.path, err)
		}
	}
	orderChildren(&l.root, texts(l.meta["primChildren"]), 0)
	return l, nil
}

// orderChildren brings prims into the order that their parent gives: the
// table of specs has none.
func orderChildren(s *spec, names []string, depth int) {
	if depth > maxDepth {
		return
	}
	if len(names) > 0 {
		at := map[string]*spec{}
		for _, c := range s.children {
			at[c.name] = c
		}
		var list []*spec
		for _, n := range names {
			if c := at[n]; c != nil {
				list = append(list, c)
				delete(at, n)
			}
		}
		for _, c := range s.children {
			if at[c.name] != nil {
				list = append(list, c)
			}
		}
		s.children = list
	}
	for _, c := range s.children {
		orderChildren(c, texts(c.meta["primChildren"]), depth+1)
	}
}

// specAt finds or makes the prim of a path, which may lead through variants:
// /a/b{set=name}c.
func (c *crate) specAt(byPath map[string]*spec, path string, depth int) *spec {
	if s := byPath[path]; s != nil {
		return s
	}
	if depth > 2*maxDepth || path == "" {
		return nil
	}
	if strings.HasSuffix(path, "}") {
		i := strings.LastIndexByte(path, '{')
		if i < 0 {
			return nil
		}
		owner := c.specAt(byPath, path[:i], depth+1)
		set, name, ok := strings.Cut(path[i+1:len(path)-1], "=")
		if owner == nil || !ok {
			return nil
		}
		if owner.variants == nil {
			owner.variants = map[string]map[string]*spec{}
		}
		if owner.variants[set] == nil {
			owner.variants[set] = map[string]*spec{}
		}
		s := newSpec("", "over", "")
		owner.variants[set][name] = s
		byPath[path] = s
		return s
	}
	i := strings.LastIndexAny(path, "/}")
	if i < 0 {
		return nil
	}
	parent := path[:i]
	if path[i] == '}' {
		parent = path[:i+1]
	}
	owner := c.specAt(byPath, parent, depth+1)
	if owner == nil {
		return nil
	}
	s := newSpec(path[i+1:], "over", "")
	owner.children = append(owner.children, s)
	byPath[path] = s
	return s
}

func setPrim(s *spec, name string, v any) {
	switch name {
	case "specifier":
		s.kind = [...]string{"def", "over", "class"}[min(max(int(number(v, 1)), 0), 2)]
	case "typeName":
		s.typeName = text(v)
	case "inheritPaths":
		s.meta["inherits"] = v
	case "variantSelection":
		s.meta["variants"] = v
	case "variantSetNames":
		s.meta["variantSets"] = v
	default:
		s.meta[name] = v
	}
}

func setProp(p *prop, name string, v any) {
	switch name {
	case "typeName":
		p.typeName = text(v)
	case "default":
		p.value = v
	case "timeSamples":
		if p.value == nil {
			p.value = v
		}
	case "targetPaths", "connectionPaths":
		p.targets = texts(v)
	default:
		if p.meta == nil {
			p.meta = map[string]any{}
		}
		p.meta[name] = v
	}
}

// each reads the fields of a set.
func (c *crate) each(set int, use func(name string, v any)) error {
	for i := set; ; i++ {
		if i < 0 || i >= len(c.sets) {
			return bad("the field sets")
		}
		f := c.sets[i]
		if f == math.MaxUint32 {
			return nil
		}
		if int64(f) >= int64(len(c.fields)) {
			return bad("the fields")
		}
		// Specs share field sets, but none has hundreds of fields.
		if c.read++; c.read > 1<<20+64*len(c.sets)+64*len(c.paths) {
			return bad("the field sets lie over one another")
		}
		v, err := c.value(c.fields[f].rep)
		if err != nil {
			return fmt.Errorf("%s: %w", c.token(c.fields[f].token), err)
		}
		use(c.token(c.fields[f].token), v)
	}
}
