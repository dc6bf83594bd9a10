// Package recipe is what was decided about a downloaded model, apart from the
// model: parts dropped, renamed, split and joined, repairs, and the maps of
// its surfaces by content. Applied to the same file it gives the same model;
// carried over to a newer version of the file it keeps what can be kept.
package recipe

import (
	"fmt"
	"image"
	"maps"
	"math"
	"slices"
	"strings"

	named "visator/core/intake/maps"
	"visator/core/intake/mend"
	"visator/core/intake/parts"
	"visator/core/model"
	"visator/core/subdivide"
)

// Recipe is the list of decisions. The zero value decides nothing: helpers are
// left out, everything else stays as it came.
type Recipe struct {
	Split  map[string]string                `json:"split,omitempty"` // part key: "surface" or "shell"
	Join   []Joint                          `json:"join,omitempty"`
	Drop   []string                         `json:"drop,omitempty"`
	Keep   []string                         `json:"keep,omitempty"` // helpers that are wanted
	Names  map[string]string                `json:"names,omitempty"`
	Mend   []mend.Kind                      `json:"mend,omitempty"`
	Crease float64                          `json:"crease,omitempty"` // degrees; 0: the usual
	Lamps  bool                             `json:"lamps,omitempty"`  // lights of the file shine in the set
	Maps   map[string]map[named.Role]Choice `json:"maps,omitempty"`   // by surface
	// by surface: times its pictures are as large as they came
	Repeat map[string]float64 `json:"repeat,omitempty"`
	// surfaces whose own normal map has its green turned
	Turned []string `json:"turned,omitempty"`

	Variant string            `json:"variant,omitempty"` // in which it comes; "": as the file shows it
	Smooth  *subdivide.Smooth `json:"smooth,omitempty"`  // nil: as it came

	Portrait string `json:"portrait,omitempty"` // the content of its picture in the library; "": it is drawn
}

// Keeps reports whether a part stays: helpers only when they are asked for.
func (r *Recipe) Keeps(key, helper string) bool {
	return !slices.Contains(r.Drop, key) && (helper == "" || slices.Contains(r.Keep, key))
}

// Joint is parts that became one.
type Joint struct {
	Name  string   `json:"name"`
	Parts []string `json:"parts"`
}

// Choice is the picture for one slot of a surface.
type Choice struct {
	Blob     string `json:"blob"` // content; "": the slot is left empty
	Name     string `json:"name"`
	Channel  int    `json:"channel,omitempty"`  // 1 to 4 of a packed map
	Invert   bool   `json:"invert,omitempty"`   // gloss is turned into roughness
	Flip     bool   `json:"flip,omitempty"`     // green of the normal map is turned
	How      string `json:"how,omitempty"`      // how it was found, or "by hand"
	Evidence string `json:"evidence,omitempty"` // what was measured
	Guessed  bool   `json:"guessed,omitempty"`
}

// Unused are those of the pictures that came along which no choice takes.
func (r *Recipe) Unused(tray []string) []string {
	taken := map[string]bool{}
	for _, slots := range r.Maps {
		for _, c := range slots {
			if c.Blob != "" {
				taken[c.Name] = true
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(tray), func(f string) bool { return taken[f] })
}

// Limits of one recipe.
const (
	maxEntries = 20_000
	maxName    = 200
)

// Check tells what is wrong with a recipe that a person sends.
func (r *Recipe) Check() error {
	if len(r.Split)+len(r.Join)+len(r.Drop)+len(r.Keep)+len(r.Names)+len(r.Maps)+len(r.Repeat) > maxEntries {
		return fmt.Errorf("more than %d decisions about one piece", maxEntries)
	}
	for k, times := range r.Repeat {
		if !(times >= 1e-6 && times <= 1e6) {
			return fmt.Errorf("the pictures of %q cannot be %v times as large", k, times)
		}
	}
	for k, by := range r.Split {
		if by != "surface" && by != "shell" {
			return fmt.Errorf("%q can be split by surface or by shell, not by %q", k, by)
		}
	}
	for k, n := range r.Names {
		if n == "" || len(n) > maxName {
			return fmt.Errorf("the part %q needs a name of 1 to %d characters", k, maxName)
		}
	}
	for _, j := range r.Join {
		if j.Name == "" || len(j.Name) > maxName || len(j.Parts) < 2 {
			return fmt.Errorf("joining takes a name and at least two parts")
		}
	}
	known := []mend.Kind{mend.Winding, mend.Normals, mend.Duplicates, mend.Degenerate, mend.Baked, mend.Surfaces}
	for _, k := range r.Mend {
		if !slices.Contains(known, k) {
			return fmt.Errorf("%q is not a repair", k)
		}
	}
	if len(r.Portrait) > maxName {
		return fmt.Errorf("the picture of a piece is named by its content")
	}
	if len(r.Variant) > maxName {
		return fmt.Errorf("a variant has a name of at most %d characters", maxName)
	}
	if r.Smooth != nil {
		if err := r.Smooth.Check(); err != nil {
			return err
		}
	}
	if r.Crease < 0 || r.Crease > 180 || math.IsNaN(r.Crease) {
		return fmt.Errorf("the crease angle lies between 0 and 180 degrees")
	}
	for _, slots := range r.Maps {
		for role, c := range slots {
			if _, ok := Slots[role]; !ok {
				return fmt.Errorf("%q is not a slot of a surface", role)
			}
			if c.Channel < 0 || c.Channel > 4 {
				return fmt.Errorf("a picture has channels 1 to 4")
			}
		}
	}
	return nil
}

// Slots is where each role goes.
var Slots = map[named.Role]model.Role{named.BaseColor: model.BaseColorMap, named.Opacity: model.OpacityMap,
	named.Normal: model.NormalMap, named.Roughness: model.RoughnessMap,
	named.Metallic: model.MetallicMap, named.Occlusion: model.OcclusionMap, named.Emissive: model.EmissiveMap,
	named.Height: model.HeightMap, named.Transmission: model.TransmissionMap}

// Apply makes the decided model of the one that was read; src is not changed.
// fetch gives a picture by its content hash. Decisions about what is not
// there are noted as warnings.
func (r *Recipe) Apply(src *model.Model, fetch func(blob string) ([]byte, error)) (*model.Model, error) {
	m := *src.Variant(r.Variant)
	parts.Detach(&m)
	if err := r.applyMaps(&m, fetch); err != nil {
		return nil, err
	}
	crease := r.Crease * math.Pi / 180
	if crease == 0 {
		crease = mend.DefaultCrease
	}
	// Keys are those of the file: parts are taken apart before anything moves.
	r.applyParts(&m)
	mend.Apply(&m, r.Mend, crease)
	if r.Smooth != nil && r.Smooth.Near == 0 { // else as each shot needs it
		smooth, err := subdivide.Model(&m, r.Smooth)
		if err != nil {
			return nil, err
		}
		m = *smooth
	}
	for i := range m.Nodes {
		m.Nodes[i].Camera = model.None // cameras become shots, not things
		if !r.Lamps {
			m.Nodes[i].Light = model.None
		}
	}
	m.Cameras = nil
	if !r.Lamps {
		m.Lights = nil
	}
	parts.Prune(&m)
	forget(&m, src)
	return &m, nil
}

// forget drops the notes about pictures that are not there and that nothing needs any
// more.
func forget(m, src *model.Model) {
	for i := range src.Maps {
		lost := &src.Maps[i]
		if lost.Status != model.Missing || slices.ContainsFunc(m.Maps, func(x model.Map) bool {
			return x.Status == model.Missing && x.Name == lost.Name
		}) {
			continue
		}
		gone := fmt.Sprintf("%.200q is not there", lost.Name)
		m.Warnings = slices.DeleteFunc(m.Warnings, func(w string) bool { return strings.Contains(w, gone) })
	}
}

// Rearranged is the model after the recipe's splits and joins alone: every
// part is there, those that are dropped too. src is not changed.
func (r *Recipe) Rearranged(src *model.Model) *model.Model {
	m := *src
	parts.Detach(&m)
	r.rearrange(&m)
	return &m
}

func nodesByKey(m *model.Model) map[string]int {
	out := map[string]int{}
	for i, k := range parts.Keys(m) {
		if k != "" {
			out[k] = i
		}
	}
	return out
}

func (r *Recipe) rearrange(m *model.Model) {
	var at map[string]int
	for _, key := range slices.Sorted(maps.Keys(r.Split)) { // a part before those that it is split into
		at = nodesByKey(m)
		i, ok := at[key]
		if !ok {
			m.Warn("the part %.200q that was to be split is not there", key)
			continue
		}
		if err := parts.Split(m, i, r.Split[key]); err != nil {
			m.Warn("%v", err)
		}
	}
	for _, j := range r.Join {
		at = nodesByKey(m)
		var nodes []int
		for _, k := range j.Parts {
			if i, ok := at[k]; ok {
				nodes = append(nodes, i)
			} else {
				m.Warn("the part %.200q that was to be joined is not there", k)
			}
		}
		if len(nodes) > 0 {
			parts.Join(m, nodes, j.Name)
		}
	}
}

func (r *Recipe) applyParts(m *model.Model) {
	r.rearrange(m)
	list := parts.List(m)
	at := map[string]bool{}
	for _, p := range list {
		at[p.Key] = true
		if !r.Keeps(p.Key, p.Helper) {
			m.Nodes[p.Node].Mesh = model.None
			continue
		}
		if n, ok := r.Names[p.Key]; ok {
			m.Nodes[p.Node].Name = n
		}
	}
	for _, k := range r.Drop {
		if !at[k] {
			m.Warn("the part %.200q that was dropped is not there", k)
		}
	}
}

func (r *Recipe) applyMaps(m *model.Model, fetch func(string) ([]byte, error)) error {
	keys := parts.SurfaceKeys(m)
	for i, key := range keys {
		chosen, s := r.Maps[key], &m.Surfaces[i]
		if times := r.Repeat[key]; times > 0 {
			defer enlarge(s, times) // when every slot has its picture
		}
		if _, ok := chosen[named.Normal]; !ok && slices.Contains(r.Turned, key) {
			turnGreen(m, s)
		}
		if len(chosen) == 0 {
			continue
		}
		_, rough := chosen[named.Roughness]
		_, metal := chosen[named.Metallic]
		if rough || metal {
			unpack(m, s)
		}
		for _, role := range slices.Sorted(maps.Keys(chosen)) {
			if err := apply(m, s, role, chosen[role], fetch); err != nil {
				return fmt.Errorf("surface %q: %s: %w", key, role, err)
			}
		}
	}
	return nil
}

// turnGreen turns the green of a surface's own normal map.
func turnGreen(m *model.Model, s *model.Surface) {
	slot := &s.Slots[model.NormalMap]
	img := pictureIn(m, slot)
	if img == nil {
		return
	}
	slot.Map = addPicture(m, m.Maps[slot.Map].Name, model.NormalMap, named.Altered(img, 0, false, true))
}

// enlarge makes the pictures of a surface times as large.
func enlarge(s *model.Surface, times float64) {
	for r := range s.Slots {
		s.Slots[r].Scale[0] /= times
		s.Slots[r].Scale[1] /= times
	}
}

// unpack takes the packed roughness and metallic of glTF apart.
func unpack(m *model.Model, s *model.Surface) {
	slot := s.Slots[model.MetalRoughMap]
	s.Slots[model.MetalRoughMap] = model.EmptySlot
	img := pictureIn(m, &slot)
	if img == nil {
		return
	}
	for _, half := range []struct {
		role    model.Role
		channel int
	}{{model.RoughnessMap, 2}, {model.MetallicMap, 3}} {
		slot.Map = addPicture(m, m.Maps[slot.Map].Name, half.role, named.Channel(img, half.channel, false))
		s.Slots[half.role] = slot
	}
}

// pictureIn is the picture of a slot; nil when there is none, or none that can be read,
// which is noted.
func pictureIn(m *model.Model, slot *model.Slot) *image.NRGBA {
	if slot.Map == model.None || m.Maps[slot.Map].Data == nil {
		return nil
	}
	img, err := m.Maps[slot.Map].Picture()
	if err != nil {
		m.Warn("%v", err)
		return nil
	}
	return img
}

func addPicture(m *model.Model, name string, role model.Role, img *image.NRGBA) int {
	at, err := m.AddPicture(name, role, model.Embedded, img)
	if err != nil {
		m.Warn("%v", err)
	}
	return at
}

func apply(m *model.Model, s *model.Surface, role named.Role, c Choice, fetch func(string) ([]byte, error)) error {
	to := Slots[role]
	slot := s.Slots[to]
	if c.Blob == "" {
		s.Slots[to] = model.EmptySlot
		return nil
	}
	data, err := fetch(c.Blob)
	if err != nil {
		return err
	}
	if c.Channel > 0 || c.Invert || c.Flip {
		img, err := model.DecodePicture(data, c.Name)
		if err != nil {
			return err
		}
		slot.Map = addPicture(m, c.Name, to, named.Altered(img, c.Channel, c.Invert, c.Flip))
	} else {
		m.Maps = append(m.Maps, model.Map{Name: c.Name, Role: to.String(), Status: model.Embedded,
			Mime: model.MimeOf(data), Data: data})
		slot.Map = len(m.Maps) - 1
	}
	if slot.Scale == [2]float64{} {
		slot.Scale = model.EmptySlot.Scale
	}
	s.Slots[to] = slot
	// A map says what the factor said before: the factor steps back.
	switch role {
	case named.BaseColor:
		s.BaseColor = [4]float64{1, 1, 1, s.BaseColor[3]}
	case named.Roughness:
		s.Roughness = 1
	case named.Metallic:
		s.Metallic = 1
	case named.Emissive:
		if s.Emissive == [3]float64{} {
			s.Emissive = [3]float64{1, 1, 1}
		}
	case named.Transmission:
		s.Transmission = 1
	case named.Opacity:
		s.BaseColor[3] = 1
		s.Alpha = model.Blend
		if img, err := model.DecodePicture(data, c.Name); err == nil && cutOut(img) {
			s.Alpha, s.Cutoff = model.Mask, 0.5
		}
	}
	return nil
}

// cutOut reports whether an opacity picture is nearly all black or white, so
// that it cuts out instead of letting light through.
func cutOut(img *image.NRGBA) bool {
	between := 0
	for i := 0; i < len(img.Pix); i += 4 {
		if v := img.Pix[i]; v > 40 && v < 215 {
			between++
		}
	}
	return between*4 < len(img.Pix)/10
}
