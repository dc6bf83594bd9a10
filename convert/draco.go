package convert

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"strings"

	"visator/core/geom"
	"visator/core/intake/gltf"
	"visator/core/model"
)

// The converter breaks off at lamps and notes in glTF whose meshes are packed: they are
// taken out of what it gets, and read here from the document itself.

// bare is a glTF or GLB without lamps and notes, and the document without all else:
// cameras and lamps where they stand; nothing of one before glTF 2.0.
func bare(data []byte) (plain, rest []byte, err error) {
	text, tail := data, []byte(nil)
	if gltf.IsBinary(data) {
		if len(data) < 20 {
			return nil, nil, fmt.Errorf("the GLB is cut short; fetch it again")
		}
		if data[4] < 2 {
			return nil, nil, nil
		}
		n := uint64(binary.LittleEndian.Uint32(data[12:]))
		if n+20 > uint64(len(data)) {
			return nil, nil, fmt.Errorf("the GLB is cut short; fetch it again")
		}
		text, tail = data[20:20+n], data[20+n:]
	}
	var doc map[string]any
	if err := json.Unmarshal(text, &doc); err != nil {
		return nil, nil, err
	}
	if about, _ := doc["asset"].(map[string]any); about == nil || !strings.HasPrefix(fmt.Sprint(about["version"]),
		"2") {
		return nil, nil, nil
	}
	without := func(v any, keys ...string) {
		if m, ok := v.(map[string]any); ok {
			for _, k := range keys {
				delete(m, k)
			}
		}
	}
	list := func(key string) []any { l, _ := doc[key].([]any); return l }
	// First the lamps and cameras alone.
	lamps := map[string]any{}
	for _, k := range []string{"asset", "scene", "scenes", "cameras", "extensions"} {
		if v, ok := doc[k]; ok {
			lamps[k] = v
		}
	}
	nodes := []any{}
	for _, n := range list("nodes") {
		copied := map[string]any{}
		if m, ok := n.(map[string]any); ok {
			for k, v := range m {
				if k != "mesh" && k != "skin" && k != "weights" && k != "extras" {
					copied[k] = v
				}
			}
		}
		nodes = append(nodes, copied)
	}
	if len(nodes) > 0 {
		lamps["nodes"] = nodes
	}
	if rest, err = json.Marshal(lamps); err != nil {
		return nil, nil, err
	}
	const name = "KHR_lights_punctual"
	without(doc["extensions"], name)
	for _, n := range list("nodes") {
		without(n, "extras")
		if m, ok := n.(map[string]any); ok {
			without(m["extensions"], name)
		}
	}
	for _, s := range list("scenes") {
		without(s, "extras")
	}
	for _, k := range []string{"extensionsUsed", "extensionsRequired"} {
		var kept []any
		for _, x := range list(k) {
			if x != name {
				kept = append(kept, x)
			}
		}
		if doc[k] = kept; len(kept) == 0 {
			delete(doc, k)
		}
	}
	if plain, err = json.Marshal(doc); err != nil || tail == nil {
		return plain, rest, err
	}
	plain = append(plain, bytes.Repeat([]byte(" "), (4-len(plain)%4)%4)...)
	out := append([]byte(nil), data[:12]...)
	out = binary.LittleEndian.AppendUint32(out, uint32(len(plain)))
	out = append(append(append(out, "JSON"...), plain...), tail...)
	binary.LittleEndian.PutUint32(out[8:], uint32(len(out)))
	return out, rest, nil
}

// standLamps puts the cameras and lamps of a document into a model.
func standLamps(m *model.Model, doc []byte) error {
	lamps, err := gltf.Read("lamps.gltf", doc, model.Folder{})
	if err != nil {
		return err
	}
	m.Cameras, m.Lights = lamps.Cameras, lamps.Lights
	for i := range m.Nodes {
		m.Nodes[i].Camera, m.Nodes[i].Light = model.None, model.None
	}
	lamps.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Camera == model.None && n.Light == model.None {
			return
		}
		x := model.NewNode(n.Name)
		x.Local, x.Camera, x.Light = world, n.Camera, n.Light
		m.Nodes = append(m.Nodes, x)
		m.Roots = append(m.Roots, len(m.Nodes)-1)
	})
	return nil
}
