package convert

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"

	"visator/core/geom"
)

// account is what the converter itself says is in a file: what does not come through is
// told by it, and taken from it where it can be.
type account struct {
	placed   int // meshes, each time one is placed
	nodes    map[string]geom.M
	surfaces []surfaceAccount
	cameras  []cameraAccount
	lights   []lightAccount
	glossy   []int // surfaces of the model whose map of roughness is one of gloss
}

type surfaceAccount struct {
	name    string
	maps    []mapAccount
	numbers map[string]float64 // single numbers, by the converter's key
}

type mapAccount struct {
	file string
	use  uint32 // the library's aiTextureType
}

type cameraAccount struct {
	name               string
	at, look, up       geom.V // in its node; look is a direction
	fov, near, far, as float64
}

type lightAccount struct {
	name         string
	kind         uint32
	at, to       geom.V
	color        [3]float64
	inner, outer float64 // radians, whole cones
}

// Kinds of chunks in the library's binary scene format (assbin, its header assbin_chunks.h).
const (
	chunkCamera   = 0x1234
	chunkLight    = 0x1235
	chunkNode     = 0x123c
	chunkScene    = 0x1239
	chunkMaterial = 0x123d
	assbinHeader  = 512
)

// Limits of an account: more of either is no model that an artist works with.
const (
	maxAccountNodes = 2_000_000
	maxChunk        = 64 << 20 // bytes of one material, camera or light
)

// giveAccount asks the converter what it sees in the file at in.
func giveAccount(ctx context.Context, dir, tool, in string) (*account, error) {
	out := filepath.Join(dir, "account.assbin")
	defer os.Remove(out)
	if err := run(ctx, dir, tool, "dump", in, out, "-b", "-s"); err != nil {
		return nil, err
	}
	f, err := os.Open(out)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return readAccount(f)
}

// reads is a little-endian stream with one error for all that is read from it.
type reads struct {
	r   *bufio.Reader
	at  int64
	err error
}

func (r *reads) bytes(n int64) []byte {
	if r.err != nil {
		return nil
	}
	if n < 0 || n > maxChunk {
		r.err = fmt.Errorf("a piece of %d bytes at byte %d", n, r.at)
		return nil
	}
	var b bytes.Buffer // it grows by what is there, not by what is said to be
	_, r.err = io.CopyN(&b, r.r, n)
	r.at += n
	return b.Bytes()
}

func (r *reads) skip(n int64) {
	if r.err == nil && n < 0 {
		r.err = fmt.Errorf("a piece that ends before it begins, at byte %d", r.at)
	}
	if r.err == nil {
		_, r.err = io.CopyN(io.Discard, r.r, n)
		r.at += n
	}
}

func (r *reads) uint() uint32 {
	b := r.bytes(4)
	if r.err != nil {
		return 0
	}
	return binary.LittleEndian.Uint32(b)
}

func (r *reads) float() float64 { return float64(math.Float32frombits(r.uint())) }
func (r *reads) vec() geom.V    { return geom.V{X: r.float(), Y: r.float(), Z: r.float()} }
func (r *reads) text() string   { return string(r.bytes(int64(r.uint()))) }
func (r *reads) chunk() (kind uint32, size int64) {
	kind, size = r.uint(), int64(r.uint())
	return kind, size
}

// readAccount reads a shortened assbin dump.
func readAccount(src io.Reader) (*account, error) {
	r := &reads{r: bufio.NewReaderSize(src, 1<<16)}
	r.skip(assbinHeader)
	kind, size := r.chunk()
	if r.err == nil && kind != chunkScene {
		return nil, errors.New("the converter's account does not begin with a scene")
	}
	end := r.at + size
	r.skip(4 * 7) // flags, and how many there are of each kind
	a := &account{nodes: map[string]geom.M{}}
	for r.err == nil && r.at < end {
		kind, size := r.chunk()
		next := r.at + size
		switch kind {
		case chunkNode:
			a.node(r, geom.Identity, 0)
		case chunkMaterial:
			a.material(r)
		case chunkCamera:
			c := cameraAccount{name: r.text(), at: r.vec(), look: r.vec(), up: r.vec()}
			c.fov, c.near, c.far, c.as = r.float(), r.float(), r.float(), r.float()
			a.cameras = append(a.cameras, c)
		case chunkLight:
			l := lightAccount{name: r.text(), kind: r.uint(), at: r.vec(), to: r.vec()}
			r.vec() // up
			if l.kind != sunLight {
				r.vec() // how it falls off, of no unit
			}
			c := r.vec()
			l.color = [3]float64{c.X, c.Y, c.Z}
			if l.kind == spotLight {
				r.skip(24)
				l.inner, l.outer = r.float(), r.float()
			}
			a.lights = append(a.lights, l)
		}
		if next < r.at && r.err == nil {
			return nil, fmt.Errorf("the converter's account cannot be followed at byte %d", r.at)
		}
		r.skip(next - r.at)
	}
	if r.err != nil {
		return nil, fmt.Errorf("the converter's account cannot be read: %w", r.err)
	}
	return a, nil
}

// node reads what follows a node's chunk header, with the nodes below it.
func (a *account) node(r *reads, above geom.M, depth int) {
	name := r.text()
	var m [16]float64 // rows
	for i := range m {
		m[i] = r.float()
	}
	var local geom.M
	for row := range 4 {
		for col := range 4 {
			local[4*col+row] = m[4*row+col]
		}
	}
	children, meshes, metadata := r.uint(), r.uint(), r.uint()
	a.placed += int(meshes)
	r.skip(4 * int64(meshes))
	if r.err == nil && (len(a.nodes) > maxAccountNodes || depth > 2000) {
		r.err = errors.New("more nodes than a scene has")
	}
	world := above.Mul(local)
	if _, twice := a.nodes[name]; !twice {
		a.nodes[name] = world
	}
	for range children {
		if r.err != nil {
			return
		}
		if kind, _ := r.chunk(); kind != chunkNode && r.err == nil {
			r.err = errors.New("a node that is none")
		}
		a.node(r, world, depth+1)
	}
	for range metadata {
		if r.err != nil {
			return
		}
		r.text()
		b := r.bytes(2)
		if r.err != nil {
			return
		}
		switch binary.LittleEndian.Uint16(b) {
		case 0:
			r.skip(1)
		case 1, 3:
			r.skip(4)
		case 2, 4:
			r.skip(8)
		case 5:
			r.text()
		case 6:
			r.skip(12)
		default:
			r.err = errors.New("a note of an unknown kind")
		}
	}
}

// material reads what follows a material's chunk header.
func (a *account) material(r *reads) {
	s := surfaceAccount{numbers: map[string]float64{}}
	for range r.uint() {
		if r.err != nil {
			return
		}
		r.chunk()
		key, use := r.text(), r.uint()
		r.uint() // which of several
		n, kind := r.uint(), r.uint()
		data := r.bytes(int64(n))
		if r.err != nil {
			return
		}
		const isFloat, isString = 1, 3
		switch {
		case kind == isString && len(data) > 4:
			text := string(bytes.TrimRight(data[4:], "\x00"))
			switch key {
			case "?mat.name":
				s.name = text
			case "$tex.file":
				s.maps = append(s.maps, mapAccount{text, use})
			}
		case kind == isFloat && len(data) == 4:
			s.numbers[key] = float64(math.Float32frombits(binary.LittleEndian.Uint32(data)))
		}
	}
	a.surfaces = append(a.surfaces, s)
}
