package judge

import (
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/store"
)

// Differs is one thing that two takes do not share: what it is, how it is in the one and in the other.
type Differs struct {
	What string `json:"what"`
	One  string `json:"one"`
	Two  string `json:"two"`
}

// maxWords bounds how many differences are told; the last says how many more there are.
const maxWords = 60

// said are the settings that have words of their own: the name, the unit and what a number is multiplied by.
var said = map[string]struct {
	name, unit string
	times      float64
}{
	"width": {"width", " px", 1}, "height": {"height", " px", 1}, "noise": {"noise that is enough", " %", 100},
	"seconds": {"time limit", " s", 1}, "view.focal": {"focal length", " mm", 1}, "view.fNumber": {"f-number", "", 1},
	"view.focus": {"focus", " m", 1}, "view.near": {"near plane", " m", 1}, "view.far": {"far plane", " m", 1},
	"view.yaw": {"turn of the lens", "°", 180 / math.Pi}, "view.pitch": {"tilt of the lens", "°", 180 / math.Pi},
	"view.roll": {"roll of the lens", "°", 180 / math.Pi}, "view.ev": {"exposure", " EV", 1},
	"view.eye.x": {"camera, east", " m", 1}, "view.eye.y": {"camera, height", " m", 1},
	"view.eye.z": {"camera, south", " m", 1}, "view.shiftX": {"shift to the right", " mm", 1},
	"view.shiftY": {"shift up", " mm", 1}, "view.sensorW": {"sensor width", " mm", 1},
	"view.sensorH": {"sensor height", " mm", 1}, "light.lux": {"sun", " lx", 1}, "light.hour": {"hour", " h", 1},
	"apart": {"lights kept apart", "", 1}, "denoise": {"noise removed", "", 1}, "even": {"samples even", "", 1},
	"view.aspect": {"proportions", "", 1}, "view.shutter": {"shutter", " s", 1},
}

// quiet are the settings that say nothing of the picture.
var quiet = map[string]bool{"keep": true, "quietly": true, "seed": true, "match": true, "first": true, "last": true}

// words tell what two takes were made with, as far as it differs.
func (a *Table) words(ctx context.Context, p, q *held) (list []Differs, err error) {
	list = []Differs{}
	one, two := map[string]any{}, map[string]any{}
	if err := flat(one, "", p.take.Settings); err != nil {
		return nil, err
	}
	if err := flat(two, "", q.take.Settings); err != nil {
		return nil, err
	}
	one["samples"], two["samples"] = p.result.Samples, q.result.Samples
	for _, key := range union(one, two) {
		head, _, _ := strings.Cut(key, ".")
		x, y := spoken(key, one), spoken(key, two)
		if x == y || quiet[head] {
			continue
		}
		name := said[key].name
		if name == "" {
			name = strings.ReplaceAll(strings.TrimPrefix(key, "view."), ".", ", ")
		}
		list = append(list, Differs{name, x, y})
	}
	world := [2]*stood{}
	for i, id := range []string{p.take.ID, q.take.ID} {
		raw, err := a.store.World(ctx, id)
		if err != nil {
			return nil, err
		}
		if raw == nil { // of an earlier release
			return cut(list), nil
		}
		world[i] = &stood{}
		if err := json.Unmarshal(raw, world[i]); err != nil {
			return nil, fmt.Errorf("the set as it was: %w", err)
		}
	}
	return cut(append(list, stands(world[0], world[1])...)), nil
}

func cut(list []Differs) []Differs {
	if n := len(list) - maxWords; n > 0 {
		list = append(list[:maxWords], Differs{What: fmt.Sprintf("and %d more", n)})
	}
	return list
}

// flat lays a document out: each value by the way to it.
func flat(to map[string]any, at string, raw json.RawMessage) error {
	var v any
	if err := json.Unmarshal(raw, &v); err != nil {
		return err
	}
	var walk func(at string, v any)
	walk = func(at string, v any) {
		m, ok := v.(map[string]any)
		if !ok {
			to[at] = v
			return
		}
		for k, x := range m {
			walk(strings.TrimPrefix(at+"."+k, "."), x)
		}
	}
	walk(at, v)
	return nil
}

func union[T any](a, b map[string]T) []string {
	all := maps.Clone(a)
	maps.Copy(all, b)
	return slices.Sorted(maps.Keys(all))
}

// spoken is a value as it is told.
func spoken(key string, in map[string]any) string {
	v, ok := in[key]
	if !ok || v == nil {
		return "none"
	}
	f := said[key]
	switch x := v.(type) {
	case float64:
		if f.times != 0 {
			x *= f.times
		}
		return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.3f", x), "0"), ".") + f.unit
	case bool:
		if x {
			return "yes"
		}
		return "no"
	case string:
		if x == "" {
			return "none"
		}
		return x
	}
	if l, ok := v.([]any); ok && key == "region" && len(l) == 4 {
		return fmt.Sprintf("%v, %v to %v, %v px", l...)
	}
	raw, err := json.Marshal(v)
	if err != nil || len(raw) > 80 {
		return fmt.Sprintf("%d of them, %08x", size(v), sum(raw))
	}
	return string(raw)
}

func size(v any) int {
	if l, ok := v.([]any); ok {
		return len(l)
	}
	return 1
}

// sum tells long values apart.
func sum(raw []byte) uint32 {
	h := fnv.New32a()
	h.Write(raw)
	return h.Sum32()
}

// stood is what stood in a set, of what is kept with a take.
type stood struct {
	Placements []store.PlacementRow
	Elements   []store.ElementRow
	Pieces     []store.Piece
}

// stands tells what stands in one set and not in the other, or otherwise.
func stands(a, b *stood) (list []Differs) {
	say := func(what, one, two string) { list = append(list, Differs{what, one, two}) }
	placement := func(p *store.PlacementRow) string { return p.ID }
	p, q := byID(a.Placements, placement), byID(b.Placements, placement)
	for _, id := range union(p, q) {
		x, y := p[id], q[id]
		switch {
		case y == nil:
			say(x.Name, "stands there", "is gone")
		case x == nil:
			say(y.Name, "is not there", "stands there")
		default:
			placed(y.Name, x, y, say)
		}
	}
	element := func(e *store.ElementRow) string { return e.ID }
	e, f := byID(a.Elements, element), byID(b.Elements, element)
	for _, id := range union(e, f) {
		x, y := e[id], f[id]
		switch {
		case y == nil:
			say(named(x), "there", "gone")
		case x == nil:
			say(named(y), "not there", "there")
		default:
			if x.Hidden != y.Hidden {
				say(named(y), seenWords(x.Hidden), seenWords(y.Hidden))
			}
			one, two := map[string]any{}, map[string]any{}
			if flat(one, "", x.Spec) != nil || flat(two, "", y.Spec) != nil {
				continue
			}
			for _, key := range union(one, two) {
				if s, t := spoken(key, one), spoken(key, two); s != t {
					say(named(y)+", "+strings.ReplaceAll(key, ".", ", "), s, t)
				}
			}
		}
	}
	pieces := byID(a.Pieces, func(p *store.Piece) string { return p.ID })
	for i := range b.Pieces {
		y := &b.Pieces[i]
		x := pieces[y.ID]
		if x == nil {
			continue // what stands of it is told above
		}
		if s, t := asJSON(x.Sizing), asJSON(y.Sizing); s != t {
			say("size of "+y.Name, "another", "another")
		}
		if s, t := asJSON(x.Recipe), asJSON(y.Recipe); s != t {
			say("what is done to "+y.Name, "another", "another")
		}
	}
	return list
}

func byID[T any](list []T, id func(*T) string) map[string]*T {
	m := make(map[string]*T, len(list))
	for i := range list {
		m[id(&list[i])] = &list[i]
	}
	return m
}

func named(e *store.ElementRow) string {
	if e.Name == "" || e.Name == e.Kind {
		return e.Kind
	}
	return e.Name + " (" + e.Kind + ")"
}

func asJSON(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		return err.Error()
	}
	return string(raw)
}

func seenWords(hidden bool) string {
	if hidden {
		return "hidden"
	}
	return "seen"
}

// placed tells how one thing stands otherwise.
func placed(name string, x, y *store.PlacementRow, say func(what, one, two string)) {
	at := func(v geom.V) string { return fmt.Sprintf("%.2f, %.2f, %.2f m", v.X, v.Y, v.Z) }
	if d := y.At.Sub(x.At).Len(); d > 1e-6 {
		say(fmt.Sprintf("%s, moved by %.2f m", name, d), at(x.At), at(y.At))
	}
	turn := func(p *store.PlacementRow) string {
		return fmt.Sprintf("%.1f°, %.1f°, %.1f°", p.Yaw*180/math.Pi, p.Pitch*180/math.Pi, p.Roll*180/math.Pi)
	}
	if s, t := turn(x), turn(y); s != t {
		say(name+", turned", s, t)
	}
	if s, t := fmt.Sprintf("%.3g × %.3g × %.3g", x.Scale.X, x.Scale.Y, x.Scale.Z),
		fmt.Sprintf("%.3g × %.3g × %.3g", y.Scale.X, y.Scale.Y, y.Scale.Z); s != t {
		say(name+", scaled", s, t)
	}
	if x.Hidden != y.Hidden {
		say(name, seenWords(x.Hidden), seenWords(y.Hidden))
	}
	for _, f := range [][3]string{{"tint", x.Tint, y.Tint}, {"layer", x.Layer, y.Layer},
		{"in the place of", x.Piece + x.StandIn, y.Piece + y.StandIn}} {
		if f[1] != f[2] {
			say(name+", "+f[0], f[1], f[2])
		}
	}
}
