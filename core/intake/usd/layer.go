// Package usd reads Universal Scene Description (OpenUSD): text (.usda), crate
// (.usdc) and package (.usdz) files. References, payloads, sublayers, variants
// and classes are composed as far as they lie in the arrival; meshes,
// transforms, point instancers, subsets, preview surfaces, cameras and lights
// become the one model. Time samples are read at their first time.
package usd

import (
	"strings"
)

// spec is one prim as one layer says it.
type spec struct {
	name     string
	kind     string // def, over or class
	typeName string
	meta     map[string]any
	props    map[string]*prop
	children []*spec
	variants map[string]map[string]*spec // set, then name
}

// prop is an attribute or a relationship.
type prop struct {
	typeName string
	value    any      // nil: none
	targets  []string // paths of a relationship, or of what an attribute is connected to
	meta     map[string]any
}

// ref is a reference or payload: a layer, and a prim in it.
type ref struct {
	asset string
	path  string
}

// asset is the path of a file.
type asset string

// layer is one file.
type layer struct {
	meta map[string]any
	root spec
}

func newSpec(name, kind, typeName string) *spec {
	return &spec{name: name, kind: kind, typeName: typeName, meta: map[string]any{}, props: map[string]*prop{}}
}

func (s *spec) child(name string) *spec {
	for _, c := range s.children {
		if c.name == name {
			return c
		}
	}
	return nil
}

// at finds a prim by its path from the root; nil when it is not there.
func (s *spec) at(path string) *spec {
	for _, name := range strings.Split(strings.Trim(path, "/"), "/") {
		if name == "" {
			continue
		}
		if s = s.child(name); s == nil {
			return nil
		}
	}
	return s
}

// Values of attributes are float64, bool, string, asset, []string, or flat
// lists of numbers ([]float64, []float32, []int32). The functions below read
// them as what is wanted.

func floats(v any) []float32 {
	switch v := v.(type) {
	case []float32:
		return v
	case []float64:
		out := make([]float32, len(v))
		for i, x := range v {
			out[i] = float32(x)
		}
		return out
	case []int32:
		out := make([]float32, len(v))
		for i, x := range v {
			out[i] = float32(x)
		}
		return out
	case float64:
		return []float32{float32(v)}
	}
	return nil
}

func doubles(v any) []float64 {
	switch v := v.(type) {
	case []float64:
		return v
	case float64:
		return []float64{v}
	case []float32:
		out := make([]float64, len(v))
		for i, x := range v {
			out[i] = float64(x)
		}
		return out
	case []int32:
		out := make([]float64, len(v))
		for i, x := range v {
			out[i] = float64(x)
		}
		return out
	}
	return nil
}

func ints(v any) []int32 {
	switch v := v.(type) {
	case []int32:
		return v
	case []float64:
		out := make([]int32, len(v))
		for i, x := range v {
			out[i] = int32(x)
		}
		return out
	case float64:
		return []int32{int32(v)}
	}
	return nil
}

func text(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case asset:
		return string(v)
	}
	return ""
}

func texts(v any) []string {
	switch v := v.(type) {
	case []string:
		return v
	case string:
		return []string{v}
	}
	return nil
}

func number(v any, otherwise float64) float64 {
	if d := doubles(v); len(d) > 0 {
		return d[0]
	}
	return otherwise
}

// truth reads a bool, which text may write as 1.
func truth(v any) bool {
	b, ok := v.(bool)
	return ok && b || !ok && number(v, 0) != 0
}
