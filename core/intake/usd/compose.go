package usd

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"

	"visator/core/model"
)

// Limits that hostile layers meet.
const (
	maxLayers = 1000
	maxPrims  = 300_000
)

// stage gathers layers and composes them.
type stage struct {
	folder   model.Folder // Dir is "."
	out      *model.Model
	layers   map[string]*layer
	packages map[string]*zip.Reader
	prims    int
}

// read returns the bytes of a layer or picture. A name of the form
// "a.usdz[b.usdc]" lies in a package.
func (st *stage) read(name string) ([]byte, error) {
	outer, inner, packed := strings.Cut(strings.TrimSuffix(name, "]"), "[")
	if !packed {
		return st.folder.Near(name)
	}
	z, err := st.zip(outer)
	if err != nil {
		return nil, err
	}
	return model.Folder{Root: z}.Near(inner)
}

func (st *stage) zip(name string) (*zip.Reader, error) {
	if z := st.packages[name]; z != nil {
		return z, nil
	}
	data, err := st.folder.Near(name)
	if err != nil {
		return nil, err
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fmt.Errorf("%s is not a package that can be read (%w); fetch it again", name, err)
	}
	st.packages[name] = z
	return z, nil
}

// rootOf names the layer that a package shows: its first file (USDZ File
// Format Specification).
func rootOf(z *zip.Reader) string {
	for _, f := range z.File {
		switch strings.ToLower(path.Ext(f.Name)) {
		case ".usd", ".usda", ".usdc":
			return f.Name
		}
	}
	return ""
}

// anchor makes the path of a file that a layer names one from the root of the
// arrival.
func anchor(layerName, ref string) string {
	ref = strings.ReplaceAll(ref, "\\", "/")
	if ref == "" || strings.HasPrefix(ref, "/") || strings.Contains(ref, "://") {
		return ref
	}
	outer, inner, packed := strings.Cut(strings.TrimSuffix(layerName, "]"), "[")
	if packed {
		return outer + "[" + path.Join(path.Dir(inner), ref) + "]"
	}
	return path.Join(path.Dir(outer), ref)
}

// layer reads a layer and everything below it, anchored. above are the layers
// that lead to it.
func (st *stage) layer(name string, above []string) (*layer, error) {
	if slices.Contains(above, name) {
		return nil, fmt.Errorf("%s: layers refer to one another in a circle (%s); export the scene again", name,
			strings.Join(append(above, name), " > "))
	}
	if l := st.layers[name]; l != nil {
		return l, nil
	}
	if len(st.layers) >= maxLayers {
		return nil, fmt.Errorf("%s: more than %d layers", name, maxLayers)
	}
	if strings.EqualFold(path.Ext(name), ".usdz") && !strings.Contains(name, "[") {
		z, err := st.zip(name)
		if err != nil {
			return nil, err
		}
		inner := rootOf(z)
		if inner == "" {
			return nil, fmt.Errorf("%s: holds no layer; fetch it again", name)
		}
		l, err := st.layer(name+"["+inner+"]", append(slices.Clone(above), name))
		if err == nil {
			st.layers[name] = l
		}
		return l, err
	}
	data, err := st.read(name)
	if err != nil {
		return nil, err
	}
	l, err := parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	st.anchorSpec(&l.root, name, 0)
	st.layers[name] = l
	return l, st.addSubLayers(l, name, append(slices.Clone(above), name))
}

// addSubLayers merges the layers that a layer stands on, each weaker than the
// one before. above are the layers that lead there, the layer itself last.
func (st *stage) addSubLayers(l *layer, name string, above []string) error {
	for _, sub := range subLayers(l.meta["subLayers"]) {
		weaker, err := st.layer(anchor(name, sub), above)
		if err != nil {
			if st.lives(err, sub) {
				continue
			}
			return err
		}
		merge(&l.root, clone(&weaker.root, "", ""))
		for k, v := range weaker.meta {
			if _, ok := l.meta[k]; !ok {
				l.meta[k] = v
			}
		}
	}
	return nil
}

func subLayers(v any) (out []string) {
	switch v := v.(type) {
	case []ref:
		for _, r := range v {
			out = append(out, r.asset)
		}
	case asset:
		out = []string{string(v)}
	default:
		out = texts(v)
	}
	return out
}

// lives notes a file that is not there, or that lies outside of the arrival, where
// nothing is opened, and says whether the scene can be read without it.
func (st *stage) lives(err error, ref string) bool {
	if errors.Is(err, model.ErrOutside) {
		st.out.Warn("the layer %.200q is not there: it lies outside of the folder", ref)
		return true
	}
	if errors.Is(err, fs.ErrNotExist) {
		st.out.Warn("the layer %.200q is not there", ref)
		return true
	}
	return false
}

func parse(data []byte) (*layer, error) {
	switch {
	case IsCrate(data):
		return parseCrate(data)
	case bytes.HasPrefix(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), []byte("#usda")):
		return parseText(data)
	}
	return nil, errors.New("does not begin as USD does (\"#usda\" or \"PXR-USDC\"); fetch it again")
}

// anchorSpec makes what a layer's prims refer to findable from anywhere.
func (st *stage) anchorSpec(s *spec, name string, depth int) {
	if depth > maxDepth {
		return
	}
	for _, k := range []string{"references", "payload", "inherits", "specializes"} {
		var list []ref
		switch v := s.meta[k].(type) {
		case []ref:
			list = v
		case asset:
			list = []ref{{asset: string(v)}}
		case string:
			list = []ref{{path: v}}
		case []string:
			for _, p := range v {
				list = append(list, ref{path: p})
			}
		default:
			continue
		}
		anchored := make([]ref, len(list))
		for i, r := range list {
			if r.asset == "" {
				r.asset = name
			} else {
				r.asset = anchor(name, r.asset)
			}
			anchored[i] = r
		}
		s.meta[k] = anchored
	}
	for _, p := range s.props {
		if a, ok := p.value.(asset); ok {
			p.value = asset(anchor(name, string(a)))
		}
	}
	for _, c := range s.children {
		st.anchorSpec(c, name, depth+1)
	}
	for _, set := range s.variants {
		for _, v := range set {
			st.anchorSpec(v, name, depth+1)
		}
	}
}

// chain is the references that lead to a prim.
type chain []ref

func count(via chain, r ref) (n int) {
	for _, v := range via {
		if v == r {
			n++
		}
	}
	return n
}

// clone copies a prim and all below it. Paths that begin with from are moved
// to to.
func clone(s *spec, from, to string) *spec {
	out := &spec{name: s.name, kind: s.kind, typeName: s.typeName, meta: s.meta, props: s.props, variants: s.variants}
	if from != to {
		out.props = make(map[string]*prop, len(s.props))
		for k, p := range s.props {
			q := *p
			if len(p.targets) > 0 {
				q.targets = make([]string, len(p.targets))
				for i, t := range p.targets {
					q.targets[i] = moved(t, from, to)
				}
			}
			out.props[k] = &q
		}
		if len(s.variants) > 0 {
			out.variants = map[string]map[string]*spec{}
			for set, names := range s.variants {
				out.variants[set] = map[string]*spec{}
				for n, v := range names {
					out.variants[set][n] = clone(v, from, to)
				}
			}
		}
	}
	for _, c := range s.children {
		out.children = append(out.children, clone(c, from, to))
	}
	return out
}

func moved(p, from, to string) string {
	if rest, ok := strings.CutPrefix(p, from); ok && (rest == "" || rest[0] == '/' || rest[0] == '.') {
		return to + rest
	}
	return p
}

// merge fills what strong does not say from weak.
func merge(strong, weak *spec) {
	if strong.typeName == "" {
		strong.typeName = weak.typeName
	}
	if strong.kind == "over" {
		strong.kind = weak.kind
	}
	meta := maps.Clone(weak.meta)
	for k, v := range strong.meta {
		meta[k] = v
	}
	strong.meta = meta
	props := make(map[string]*prop, len(strong.props)+len(weak.props))
	for k, p := range weak.props {
		props[k] = p
	}
	for k, p := range strong.props {
		if w := props[k]; w != nil {
			q := *p
			if q.value == nil {
				q.value = w.value
			}
			if q.targets == nil {
				q.targets = w.targets
			}
			if q.meta == nil {
				q.meta = w.meta
			}
			if q.typeName == "" {
				q.typeName = w.typeName
			}
			p = &q
		}
		props[k] = p
	}
	strong.props = props
	// The weaker order first: it was there before.
	var list []*spec
	for _, w := range weak.children {
		if s := strong.child(w.name); s != nil {
			merge(s, w)
			list = append(list, s)
		} else {
			list = append(list, w)
		}
	}
	for _, s := range strong.children {
		if weak.child(s.name) == nil {
			list = append(list, s)
		}
	}
	strong.children = list
	if len(weak.variants) > 0 {
		sets := map[string]map[string]*spec{}
		for _, from := range []map[string]map[string]*spec{weak.variants, strong.variants} {
			for set, names := range from {
				if sets[set] == nil {
					sets[set] = map[string]*spec{}
				}
				maps.Copy(sets[set], names)
			}
		}
		strong.variants = sets
	}
}

// expand composes a prim: what it says itself, then its classes, the chosen
// variants, references and payloads, each weaker than the one before; then its
// children. via are the references that lead here.
func (st *stage) expand(s *spec, at string, via chain, depth int) error {
	if st.prims++; st.prims > maxPrims {
		return fmt.Errorf("%s: more than %d prims; export the scene with fewer copies", at, maxPrims)
	}
	if depth > maxDepth {
		return fmt.Errorf("%s: prims lie more than %d deep in one another", at, maxDepth)
	}
	used, err := st.arcs(s, at, via, 0)
	if err != nil {
		return err
	}
	for _, c := range s.children {
		next := via
		if len(used) > 0 {
			next = append(slices.Clone(via), used...)
		}
		if err := st.expand(c, at+"/"+c.name, next, depth+1); err != nil {
			return err
		}
	}
	return nil
}

// arcs merges into s what it refers to, and returns the references that were
// followed.
func (st *stage) arcs(s *spec, at string, via chain, depth int) (used chain, err error) {
	if depth > 40 {
		return nil, fmt.Errorf("%s: references lead on and on; export the scene again", at)
	}
	take := func(kind string) error {
		list, _ := s.meta[kind].([]ref)
		if len(list) == 0 {
			return nil
		}
		s.meta = maps.Clone(s.meta)
		delete(s.meta, kind)
		for _, r := range list {
			if slices.Contains(used, r) {
				continue
			}
			// The same thing may stand within itself by intention, but not
			// again and again.
			if n := count(via, r); n >= 3 || n > 0 && depth > 0 {
				return fmt.Errorf("%s: %s refers to itself in a circle; export the scene again", at, r.asset+r.path)
			}
			src, from, err := st.target(r)
			if err != nil {
				if st.lives(err, r.asset) {
					continue
				}
				return err
			}
			if src == nil {
				st.out.Warn("%.200s: %.200q is not in %.200q", at, r.path, r.asset)
				continue
			}
			c := clone(src, from, at)
			// A choice of variants that is made here counts there too.
			if chosen, ok := s.meta["variants"].(map[string]any); ok {
				all := map[string]any{}
				if own, ok := c.meta["variants"].(map[string]any); ok {
					maps.Copy(all, own)
				}
				maps.Copy(all, chosen)
				c.meta = maps.Clone(c.meta)
				c.meta["variants"] = all
			}
			more, err := st.arcs(c, at, append(slices.Clone(via), r), depth+1)
			if err != nil {
				return err
			}
			used = append(append(used, r), more...)
			merge(s, c)
		}
		return nil
	}
	if err := take("inherits"); err != nil {
		return nil, err
	}
	if err := st.chooseVariants(s, at); err != nil {
		return nil, err
	}
	for _, kind := range []string{"inherits", "references", "payload", "specializes"} {
		if err := take(kind); err != nil {
			return nil, err
		}
		// What came in may have variants of its own, chosen here or there.
		if err := st.chooseVariants(s, at); err != nil {
			return nil, err
		}
	}
	for _, kind := range []string{"references", "payload"} { // brought by a variant
		if err := take(kind); err != nil {
			return nil, err
		}
	}
	return used, nil
}

func (st *stage) chooseVariants(s *spec, at string) error {
	for round := 0; len(s.variants) > 0; round++ {
		if round > maxDepth {
			return fmt.Errorf("%s: variants lie too deep in one another", at)
		}
		selection, _ := s.meta["variants"].(map[string]any)
		sets := s.variants
		s.variants = nil
		for _, set := range slices.Sorted(maps.Keys(sets)) {
			v := sets[set][text(selection[set])]
			if v == nil {
				continue
			}
			weak := clone(v, "", "")
			weak.kind = s.kind
			merge(s, weak)
		}
	}
	return nil
}

// target finds what a reference names: a prim, or a layer's default prim.
func (st *stage) target(r ref) (s *spec, from string, err error) {
	l, err := st.layer(r.asset, nil)
	if err != nil {
		return nil, "", err
	}
	from = r.path
	if from == "" {
		from = "/" + text(l.meta["defaultPrim"])
		if from == "/" && len(l.root.children) > 0 {
			from = "/" + l.root.children[0].name
		}
	}
	if from == "/" {
		return nil, from, nil
	}
	return l.root.at(from), from, nil
}
