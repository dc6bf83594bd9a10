// Package stl reads STL, the binary form and the ASCII form, as published by
// 3D Systems (StereoLithography Interface Specification, 1988). The format
// states no unit and no up axis: millimetres and +Z, the habit of the trade it
// comes from, are assumed, and said to be assumed. Facets stay apart as they
// are in the file: joining their corners is a repair that can be chosen.
package stl

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"

	"visator/core/intake/text"
	"visator/core/model"
)

// Read parses an STL file. An error names the file and the place.
func Read(name string, data []byte) (*model.Model, error) {
	m := &model.Model{Format: "STL", Up: "Z", Unit: model.Unit{Name: "millimetre", MetresPerUnit: 0.001,
		From: "assumed"}}
	if IsASCII(data) {
		return m, readASCII(m, name, text.UTF8(data))
	}
	return m, readBinary(m, name, data)
}

// IsASCII tells the forms apart: many binary files begin with "solid" too, so
// a length that fits the count of a binary file decides.
func IsASCII(data []byte) bool {
	if !bytes.HasPrefix(bytes.TrimLeft(text.UTF8(data[:min(len(data), 512)]), " \t\r\n"), []byte("solid")) {
		return false
	}
	if len(data) >= 84 && int64(len(data)) == 84+50*int64(binary.LittleEndian.Uint32(data[80:])) {
		return false
	}
	return bytes.Contains(data[:min(len(data), 4096)], []byte("facet")) || bytes.Contains(data, []byte("endsolid"))
}

func readBinary(m *model.Model, name string, data []byte) error {
	if len(data) < 84 {
		return fmt.Errorf("%s: %d bytes are too few for an STL file; fetch it again", name, len(data))
	}
	n := int64(binary.LittleEndian.Uint32(data[80:]))
	if have := int64(len(data)-84) / 50; have < n {
		return fmt.Errorf("%s: byte 80 announces %d facets, %d are there; fetch it again", name, n, have)
	}
	if n == 0 {
		return fmt.Errorf("%s: holds no facets; export the model again", name)
	}
	p := model.Part{Name: "solid", Positions: make([]float32, 9*n), Indices: make([]uint32, 3*n), Surface: model.None}
	body := data[84 : 84+50*n]
	sum := float32(0) // becomes NaN when anything is not finite
	coloured := false
	for i := range int(n) {
		f := body[50*i : 50*i+50 : 50*i+50]
		out := p.Positions[9*i : 9*i+9 : 9*i+9]
		for k := range out {
			v := math.Float32frombits(binary.LittleEndian.Uint32(f[12+4*k:]))
			out[k] = v
			sum += v - v
		}
		coloured = coloured || f[49]&0x80 != 0
		p.Indices[3*i], p.Indices[3*i+1], p.Indices[3*i+2] = uint32(3*i), uint32(3*i+1), uint32(3*i+2)
	}
	if sum != 0 {
		return p.Check(name)
	}
	if magics := bytes.Contains(data[:80], []byte("COLOR=")); coloured && !magics {
		colours(&p, body)
	} else if magics {
		m.Warn("facet colours of the form \"COLOR=\" are not read")
	}
	m.Stand(model.Mesh{Name: "solid", Parts: []model.Part{p}})
	return nil
}

// colours reads the 15-bit facet colours that some programs keep in the
// attribute bytes: bit 15 set, then red, green and blue of five bits.
func colours(p *model.Part, body []byte) {
	p.Colors = make([]float32, 0, p.Vertices()*4)
	for i := 48; i < len(body); i += 50 {
		v := binary.LittleEndian.Uint16(body[i:])
		c := [4]float32{1, 1, 1, 1}
		if v&0x8000 != 0 {
			for k := range 3 {
				five := v >> (10 - 5*k) & 31
				c[k] = model.Linear8(uint8(five<<3 | five>>2))
			}
		}
		for range 3 {
			p.Colors = append(p.Colors, c[:]...)
		}
	}
}

func readASCII(m *model.Model, name string, data []byte) error {
	s := &text.Scanner{Data: data}
	fail := func(format string, args ...any) error {
		return fmt.Errorf("%s: line %d: %s", name, s.Line(), fmt.Sprintf(format, args...))
	}
	var p *model.Part
	corners := 0
	for {
		w := s.Word()
		switch {
		case len(w) == 0:
			if p != nil && len(p.Positions) > 0 {
				return fail("the file ends before \"endsolid\"; fetch it again")
			}
			if len(m.Meshes) == 0 {
				return fmt.Errorf("%s: holds no facets; export the model again", name)
			}
			return nil
		case bytes.EqualFold(w, []byte("vertex")):
			if p == nil {
				return fail("a vertex outside of a solid")
			}
			for range 3 {
				v, ok := s.Number()
				if !ok {
					return fail("%.40q is not a number", s.Word())
				}
				if f := float32(v); f-f != 0 {
					return fail("a coordinate is not a finite number")
				} else {
					p.Positions = append(p.Positions, f)
				}
			}
			corners++
		case bytes.EqualFold(w, []byte("facet")):
			corners = 0
			s.Rest() // "normal x y z": follows from the corners
		case bytes.EqualFold(w, []byte("endfacet")):
			if corners != 3 {
				return fail("a facet of %d corners; there must be 3", corners)
			}
		case bytes.EqualFold(w, []byte("solid")):
			p = &model.Part{Name: s.Rest(), Surface: model.None}
		case bytes.EqualFold(w, []byte("endsolid")):
			s.Rest()
			if p == nil {
				return fail("\"endsolid\" without \"solid\"")
			}
			if len(p.Positions)%9 != 0 {
				return fail("%d corners do not make whole facets", len(p.Positions)/3)
			}
			if len(p.Positions) > 0 {
				p.Indices = make([]uint32, len(p.Positions)/3)
				for i := range p.Indices {
					p.Indices[i] = uint32(i)
				}
				m.Stand(model.Mesh{Name: p.Name, Parts: []model.Part{*p}})
			}
			p = nil
		case bytes.EqualFold(w, []byte("outer")), bytes.EqualFold(w, []byte("loop")),
			bytes.EqualFold(w, []byte("endloop")):
		case bytes.EqualFold(w, []byte("color")):
			s.Rest()
		default:
			return fail("%.40q does not belong into an STL file", w)
		}
	}
}
