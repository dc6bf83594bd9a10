package model

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io/fs"
	"math"
)

// Weld joins the corners of faces that agree in everything: in their place
// (v: indices into positions, all below positions) and in each of others,
// lists of the same length as v that number anything else. It returns for each
// vertex that is left the first corner that has it, and for each corner its
// vertex.
func Weld(v []uint32, positions int, others ...[]uint32) (first, vertex []uint32) {
	const none = math.MaxUint32
	head := make([]uint32, positions)
	for i := range head {
		head[i] = none
	}
	var next []uint32
	vertex = make([]uint32, len(v))
corners:
	for c, p := range v {
		e := head[p]
	chain:
		for ; e != none; e = next[e] {
			for _, o := range others {
				if o[first[e]] != o[c] {
					continue chain
				}
			}
			vertex[c] = e
			continue corners
		}
		vertex[c] = uint32(len(first))
		first, next = append(first, uint32(c)), append(next, head[p])
		head[p] = vertex[c]
	}
	return first, vertex
}

// Gather copies width numbers of src for each of the entries in at.
func Gather(src []float32, width int, at []uint32) []float32 {
	out := make([]float32, 0, width*len(at))
	for _, i := range at {
		out = append(out, src[width*int(i):width*int(i)+width]...)
	}
	return out
}

// Linear decodes an sRGB value 0..1 (IEC 61966-2-1).
func Linear(c float64) float64 {
	c = min(max(c, 0), 1)
	if c <= 0.04045 {
		return c / 12.92
	}
	return math.Pow((c+0.055)/1.055, 2.4)
}

// linear8 is Linear for the 256 values of a byte.
var linear8 = func() (t [256]float32) {
	for i := range t {
		t[i] = float32(Linear(float64(i) / 255))
	}
	return t
}()

// Linear8 decodes an 8-bit sRGB value.
func Linear8(v uint8) float32 { return linear8[v] }

// MapAt returns the index of the map that a file names as ref, read from the
// folder on first use. A picture that is not there is noted as missing, and a
// warning says so.
func (m *Model) MapAt(folder Folder, ref string, role Role) int {
	for i := range m.Maps {
		if m.Maps[i].Name == ref {
			return i
		}
	}
	data, err := folder.Near(ref)
	return m.AddMap(ref, role, data, err)
}

// AddMap adds the map that a file names as ref, with its bytes or the error with
// which they were not to be had.
func (m *Model) AddMap(ref string, role Role, data []byte, err error) int {
	mp := Map{Name: ref, Role: role.String(), Status: Missing}
	switch {
	case err == nil:
		if mp.Data, mp.Mime, err = AdoptPicture(data, ref); err == nil {
			mp.Status = Found
		} else {
			mp.Data = nil
			m.Warn("%v", err)
		}
	case errors.Is(err, ErrOutside):
		m.Warn("the map %.200q is not there: it lay on its author's disk", ref)
	case errors.Is(err, fs.ErrNotExist):
		m.Warn("the map %.200q is not there", ref)
	default:
		m.Warn("map: %v", err)
	}
	m.Maps = append(m.Maps, mp)
	return len(m.Maps) - 1
}

// AsRoughness is added to the name of a map of gloss that was turned into roughness.
const AsRoughness = " (gloss as roughness)"

// AddPicture adds a picture that was made of another, as PNG, and returns its index.
func (m *Model) AddPicture(name string, role Role, status Status, img image.Image) (int, error) {
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		return None, fmt.Errorf("%s: %w", name, err)
	}
	m.Maps = append(m.Maps, Map{Name: name, Role: role.String(), Status: status, Mime: "image/png", Data: buf.Bytes()})
	return len(m.Maps) - 1, nil
}

// Stand puts a mesh into the model under a node of its name.
func (m *Model) Stand(mesh Mesh) *Node {
	m.Meshes = append(m.Meshes, mesh)
	n := NewNode(mesh.Name)
	n.Mesh = len(m.Meshes) - 1
	m.Nodes = append(m.Nodes, n)
	m.Roots = append(m.Roots, len(m.Nodes)-1)
	return &m.Nodes[len(m.Nodes)-1]
}

// Check makes sure that a part can be used: lists of matching lengths, indices
// within, places that are finite numbers. where names the part in the error.
func (p *Part) Check(where string) error {
	n := p.Vertices()
	for _, l := range []struct {
		what        string
		have, width int
	}{{"normals", len(p.Normals), 3}, {"texture coordinates", len(p.UV), 2}, {"second texture coordinates", len(p.UV1),
		2}, {"colours", len(p.Colors), 4}} {
		if l.have != 0 && l.have != n*l.width {
			return fmt.Errorf("%s: %d vertices but %d %s; export the model again", where, n, l.have/l.width, l.what)
		}
	}
	for i, x := range p.Positions {
		if x-x != 0 {
			return fmt.Errorf("%s: vertex %d has a coordinate that is not a finite number; export the model again",
				where, i/3)
		}
	}
	for _, i := range p.Indices {
		if int(i) >= n {
			return fmt.Errorf("%s: a face names vertex %d, there are %d; export the model again", where, i, n)
		}
	}
	return nil
}
