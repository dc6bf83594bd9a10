// Package identity tells which things a pixel shows and how much of it each takes, as layers after the Cryptomatte
// specification, version 1.2 (J. Friedman and A. Jones, 2015), which compositing programs make masks of.
package identity

import (
	"encoding/json"
	"fmt"
	"math"
	"math/bits"
	"slices"

	"visator/core/exchange"
)

// Hash is MurmurHash3 (A. Appleby), the x86 variant of 32 bits, of a text, with seed 0.
func Hash(text string) uint32 {
	const c1, c2 = 0xcc9e2d51, 0x1b873593
	h, n := uint32(0), len(text)
	mix := func(k uint32) uint32 { return bits.RotateLeft32(k*c1, 15) * c2 }
	for ; len(text) >= 4; text = text[4:] {
		k := uint32(text[0]) | uint32(text[1])<<8 | uint32(text[2])<<16 | uint32(text[3])<<24
		h = bits.RotateLeft32(h^mix(k), 13)*5 + 0xe6546b64
	}
	k := uint32(0)
	for i := range len(text) {
		k |= uint32(text[i]) << (8 * i)
	}
	if k != 0 {
		h ^= mix(k)
	}
	h ^= uint32(n)
	h = (h ^ h>>16) * 0x85ebca6b
	h = (h ^ h>>13) * 0xc2b2ae35
	return h ^ h>>16
}

// ID is the hash of a name, so that as a float it is an ordinary number: an exponent of all zeros or all ones has its
// lowest bit turned, as the specification says.
func ID(name string) uint32 {
	h := Hash(name)
	if e := h >> 23 & 255; e == 0 || e == 255 {
		h ^= 1 << 23
	}
	return h
}

// Ranks is how many things of a pixel are told, in pairs.
const Ranks = 6

// Layer is one way of telling things apart: by what they are called, for one.
type Layer struct {
	Name  string   // "VisatorThing"
	Names []string // all that may be seen; their IDs are in the manifest
	// Of each pixel Ranks IDs, 0 none, the largest first; and how much of the pixel each takes.
	IDs    []uint32
	Shares []float32
}

// Channels are the layer's, in its ranks: NAME00.R is the first thing's number, NAME00.G how much it takes, B and A the
// second's.
func (l *Layer) Channels() (list []exchange.Channel) {
	values := make([]float32, 2*len(l.IDs))
	for i, id := range l.IDs {
		values[2*i], values[2*i+1] = math.Float32frombits(id), l.Shares[i]
	}
	for k := range 2 * Ranks {
		list = append(list, exchange.Channel{Name: fmt.Sprintf("%s%02d.%c", l.Name, k/4, "RGBA"[k%4]), Data: values,
			Stride: 2 * Ranks, Offset: k, Exact: true})
	}
	return list
}

// Attributes are what the head of the picture says of the layer.
func (l *Layer) Attributes() (map[string]string, error) {
	manifest := map[string]string{}
	for _, n := range slices.Sorted(slices.Values(l.Names)) {
		manifest[n] = fmt.Sprintf("%08x", ID(n))
	}
	raw, err := json.Marshal(manifest)
	if err != nil {
		return nil, err
	}
	key := "cryptomatte/" + fmt.Sprintf("%08x", Hash(l.Name))[:7] + "/"
	return map[string]string{key + "name": l.Name, key + "hash": "MurmurHash3_32",
		key + "conversion": "uint32_to_float32", key + "manifest": string(raw)}, nil
}
