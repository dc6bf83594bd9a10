package recipe

import (
	"bytes"
	"fmt"
	"image"
	"net/url"
	"slices"
	"strings"

	named "visator/core/intake/maps"
	"visator/core/intake/mend"
	"visator/core/intake/parts"
	"visator/core/model"
)

// Inventory is what is in a model as it came, before any decision: an artist
// decides by it.
type Inventory struct {
	Parts    []parts.Part `json:"parts"`
	Surfaces []Surface    `json:"surfaces"`
	Faults   []mend.Fault `json:"faults"`
	Weight   Weight       `json:"weight"`
	Cameras  int          `json:"cameras"`
	Lights   int          `json:"lights"`
	Suns     int          `json:"suns"` // those of the lights that shine from one direction
	Variants []string     `json:"variants"`
	Tray     []string     `json:"tray"` // pictures that came along and that nothing uses
}

// Surface is one row of the map matrix.
type Surface struct {
	Key   string              `json:"key"`
	Name  string              `json:"name"`
	Uses  int                 `json:"uses"` // parts that have it
	Cells map[named.Role]Cell `json:"cells"`
}

// Cell is one slot of a surface.
type Cell struct {
	Name    string `json:"name"`
	State   string `json:"state"` // "found", "missing" or "unread"
	Channel int    `json:"channel,omitempty"`
	Say     string `json:"say,omitempty"`   // of a normal map: which way its green was measured to point
	Down    bool   `json:"down,omitempty"`  // it points down, where up is meant
	Thumb   string `json:"thumb,omitempty"` // blob of a small picture, filled by who keeps blobs
	Map     int    `json:"-"`
}

// Weight is what a model costs to show.
type Weight struct {
	Triangles    int   `json:"triangles"`
	Vertices     int   `json:"vertices"`
	MeshBytes    int64 `json:"meshBytes"`    // positions, normals, coordinates and indices on a graphics card
	TextureBytes int64 `json:"textureBytes"` // all maps with their mip levels, four bytes a pixel
	Compressed   int64 `json:"compressed"`   // the same maps in a block format of one byte a pixel
	Pictures     int   `json:"pictures"`
	LargestSide  int   `json:"largestSide"` // pixels
}

// Take looks through a model. files are the paths of everything that came
// with it; pictures among them that the model does not use end in the tray.
func Take(m *model.Model, files []string) Inventory {
	inv := Inventory{Parts: parts.List(m), Faults: mend.Measure(m), Weight: Weigh(m), Cameras: len(m.Cameras),
		Lights: len(m.Lights), Surfaces: []Surface{}, Tray: []string{},
		Variants: slices.Clone(m.Variants)}
	if inv.Parts == nil {
		inv.Parts = []parts.Part{}
	}
	if inv.Faults == nil {
		inv.Faults = []mend.Fault{}
	}
	for _, l := range m.Lights {
		if l.Kind == model.Directional {
			inv.Suns++
		}
	}
	uses := make([]int, len(m.Surfaces))
	for _, p := range inv.Parts {
		for _, s := range p.Surfaces {
			uses[s]++
		}
	}
	for i, key := range parts.SurfaceKeys(m) {
		inv.Surfaces = append(inv.Surfaces, Surface{key, m.Surfaces[i].Name, uses[i], cells(m, &m.Surfaces[i])})
	}
	used := map[string]bool{}
	for i := range m.Maps {
		if m.Maps[i].Status != model.Missing {
			name, _, _ := strings.Cut(m.Maps[i].Name, model.AsRoughness)
			used[base(name)] = true
			if plain, err := url.PathUnescape(name); err == nil {
				used[base(plain)] = true
			}
		}
	}
	for _, f := range named.Pictures(files) {
		if !used[base(f)] && len(inv.Tray) < 500 { // more than a person drags
			inv.Tray = append(inv.Tray, f)
		}
	}
	return inv
}

func base(p string) string {
	p = strings.ToLower(strings.ReplaceAll(p, "\\", "/"))
	return p[strings.LastIndexByte(p, '/')+1:]
}

func cells(m *model.Model, s *model.Surface) map[named.Role]Cell {
	out := map[named.Role]Cell{}
	put := func(role named.Role, slot model.Slot, channel int) {
		if slot.Map == model.None {
			return
		}
		mp := &m.Maps[slot.Map]
		state := "found"
		if mp.Status == model.Missing {
			state = "missing"
		}
		c := Cell{Name: mp.Name, State: state, Channel: channel, Map: slot.Map}
		if role == named.Normal && state == "found" {
			if img, err := mp.Picture(); err == nil {
				sense := named.MeasureSense(img)
				c.Say, c.Down = sense.Evidence, sense.Sense == named.DirectX
			}
		}
		out[role] = c
	}
	for role, to := range Slots {
		put(role, s.Slots[to], 0)
	}
	if packed := s.Slots[model.MetalRoughMap]; packed.Map != model.None {
		put(named.Roughness, packed, 2)
		put(named.Metallic, packed, 3)
	}
	return out
}

// Weigh tells what a model takes on a graphics card: 12 bytes a position and a
// normal, 8 a texture coordinate, 16 a colour, 4 an index; a picture with its
// mip levels is 4/3 of its pixels (the sum of 1/4^n).
func Weigh(m *model.Model) Weight {
	w := m.Weigh()
	out := Weight{Triangles: w.Triangles, Vertices: w.Vertices}
	for i := range m.Meshes {
		for k := range m.Meshes[i].Parts {
			p := &m.Meshes[i].Parts[k]
			out.MeshBytes += 4 * int64(len(p.Positions)+len(p.Normals)+len(p.UV)+len(p.UV1)+len(p.Colors)+
				len(p.Indices))
		}
	}
	for i := range m.Maps {
		cfg, _, err := image.DecodeConfig(bytes.NewReader(m.Maps[i].Data))
		if err != nil {
			continue
		}
		pixels := int64(cfg.Width) * int64(cfg.Height) * 4 / 3
		out.Pictures++
		out.TextureBytes += 4 * pixels
		out.Compressed += pixels
		out.LargestSide = max(out.LargestSide, cfg.Width, cfg.Height)
	}
	return out
}

// Needs are the slots of a model that lack a picture, after the recipe: those
// that name a file that is not there, and, for surfaces that have no picture
// at all, the usual slots.
func (r *Recipe) Needs(inv *Inventory) []named.Need {
	var out []named.Need
	for i, s := range inv.Surfaces {
		chosen := r.Maps[s.Key]
		has := false
		for _, c := range s.Cells {
			has = has || c.State == "found"
		}
		for _, c := range chosen {
			has = has || c.Blob != ""
		}
		for _, role := range named.Columns {
			c, known := s.Cells[role]
			if _, ok := chosen[role]; ok {
				continue
			}
			if known && c.State == "missing" {
				out = append(out, named.Need{Surface: i, Name: s.Name, Role: role, Ref: c.Name})
			} else if !known && (!has || s.missing()) {
				out = append(out, named.Need{Surface: i, Name: s.Name, Role: role})
			}
		}
	}
	return out
}

// missing reports whether the surface names a picture that is not there.
func (s *Surface) missing() bool {
	for _, c := range s.Cells {
		if c.State == "missing" {
			return true
		}
	}
	return false
}

// Lacks counts the slots that name a picture that is not there and that the
// recipe does not fill.
func (r *Recipe) Lacks(inv *Inventory) (n int) {
	for _, s := range inv.Surfaces {
		for role, c := range s.Cells {
			if _, ok := r.Maps[s.Key][role]; !ok && c.State == "missing" {
				n++
			}
		}
	}
	return n
}

// Set chooses a picture for a slot.
func (r *Recipe) Set(surface string, role named.Role, c Choice) {
	if r.Maps == nil {
		r.Maps = map[string]map[named.Role]Choice{}
	}
	if r.Maps[surface] == nil {
		r.Maps[surface] = map[named.Role]Choice{}
	}
	r.Maps[surface][role] = c
}

// Choose makes the choice that a match and the picture itself tell: gloss is
// turned, green of a normal map is flipped when it points down.
func Choose(match named.Match, blob string, data []byte) (c Choice) {
	c = Choice{Blob: blob, Name: match.File, Channel: match.Channel, Invert: match.Gloss, How: match.How,
		Guessed: match.Guessed}
	if match.Tiles > 1 {
		c.Guessed = true
		defer func() {
			c.Evidence = strings.TrimPrefix(c.Evidence+fmt.Sprintf("; only the first of its %d tiles is shown",
				match.Tiles), "; ")
		}()
	}
	if match.Need.Role != named.Normal {
		return c
	}
	sense := named.Parse(match.File).Sense
	if img, err := model.DecodePicture(data, match.File); err == nil {
		m := named.MeasureSense(img)
		c.Evidence = m.Evidence
		if m.Sense != named.Unknown {
			if sense != named.Unknown && sense != m.Sense {
				c.Evidence += fmt.Sprintf("; its name says %s", sense)
				c.Guessed = true
			}
			sense = m.Sense
		} else if sense != named.Unknown {
			c.Evidence += fmt.Sprintf("; its name says %s", sense)
		}
	}
	c.Flip = sense == named.DirectX
	return c
}

// Carried is what became of a recipe in a newer version of the file.
type Carried struct {
	Pairs   []parts.Pair `json:"pairs"`   // those found by name or shape, not by key
	Gone    []string     `json:"gone"`    // parts that are not in the newer version
	Fresh   []string     `json:"fresh"`   // parts that were not in the older one
	Lost    []string     `json:"lost"`    // decisions that could not be carried over
	Changed []string     `json:"changed"` // what differs in numbers
	Scale   float64      `json:"scale"`   // how many times larger the parts that are in both have become
}

// CarryOver turns a recipe that was made for old into one for new.
func (r *Recipe) CarryOver(old, new *Inventory) (Recipe, Carried) {
	pairs, gone, fresh := parts.Match(old.Parts, new.Parts)
	rep := Carried{Pairs: []parts.Pair{}, Gone: []string{}, Fresh: []string{}, Lost: []string{}, Changed: []string{}}
	to := map[string]string{}
	for _, p := range pairs {
		to[p.Old] = p.New
		if p.By != "key" {
			rep.Pairs = append(rep.Pairs, p)
		}
	}
	for _, p := range gone {
		rep.Gone = append(rep.Gone, p.Key)
	}
	for _, p := range fresh {
		rep.Fresh = append(rep.Fresh, p.Key)
	}
	isGone := map[string]bool{}
	for _, p := range gone {
		isGone[p.Key] = true
	}
	// Parts that splits and joins made are named after those that they came
	// from; they keep their keys as far as these do.
	move := func(key string) (string, bool) {
		if k, ok := to[key]; ok {
			return k, true
		}
		if i := strings.LastIndexByte(key, '/'); i > 0 {
			if k, ok := to[key[:i]]; ok {
				return k + key[i:], true
			}
		}
		return key, !isGone[key]
	}
	lose := func(format string, args ...any) { rep.Lost = append(rep.Lost, fmt.Sprintf(format, args...)) }
	out := Recipe{Mend: slices.Clone(r.Mend), Crease: r.Crease, Lamps: r.Lamps, Turned: slices.Clone(r.Turned),
		Smooth: r.Smooth}
	if r.Variant != "" {
		if out.Variant = r.Variant; !slices.Contains(new.Variants, r.Variant) {
			out.Variant = ""
			lose("the variant %s: it does not come in it any more", r.Variant)
		}
	}
	for _, k := range r.Drop {
		if n, ok := move(k); ok {
			out.Drop = append(out.Drop, n)
		}
	}
	for _, k := range r.Keep {
		if n, ok := move(k); ok {
			out.Keep = append(out.Keep, n)
		}
	}
	for k, by := range r.Split {
		if n, ok := move(k); ok {
			out.Split = put(out.Split, n, by)
		} else {
			lose("splitting %s: it is not there any more", k)
		}
	}
	for k, name := range r.Names {
		if n, ok := move(k); ok {
			out.Names = put(out.Names, n, name)
		} else {
			lose("the name %q: %s is not there any more", name, k)
		}
	}
	for _, j := range r.Join {
		var left []string
		for _, k := range j.Parts {
			if n, ok := move(k); ok {
				left = append(left, n)
			}
		}
		if len(left) >= 2 {
			out.Join = append(out.Join, Joint{j.Name, left})
		}
		if len(left) < len(j.Parts) {
			lose("joining %s: %d of its %d parts are not there any more", j.Name, len(j.Parts)-len(left), len(j.Parts))
		}
	}
	surfaces := map[string]bool{}
	for _, s := range new.Surfaces {
		surfaces[s.Key] = true
	}
	for s, slots := range r.Maps {
		if !surfaces[s] {
			lose("%d maps of the surface %s: it is not there any more", len(slots), s)
			continue
		}
		for role, c := range slots {
			out.Set(s, role, c)
		}
	}
	slices.Sort(rep.Lost)
	rep.Scale = growth(old, new, to)
	if a, b := old.Weight.Triangles, new.Weight.Triangles; a != b {
		rep.Changed = append(rep.Changed, fmt.Sprintf("%d triangles became %d", a, b))
	}
	if a, b := len(old.Surfaces), len(new.Surfaces); a != b {
		rep.Changed = append(rep.Changed, fmt.Sprintf("%d surfaces became %d", a, b))
	}
	if a, b := old.Weight.TextureBytes, new.Weight.TextureBytes; a != b {
		rep.Changed = append(rep.Changed, fmt.Sprintf("%.1f MB of textures became %.1f MB", float64(a)/1e6,
			float64(b)/1e6))
	}
	return out, rep
}

// growth is the median of how many times larger the numbers of the same parts
// have become.
func growth(old, new *Inventory, to map[string]string) float64 {
	size := map[string]float64{}
	for _, p := range new.Parts {
		size[p.Key] = p.Size.Len()
	}
	var ratios []float64
	for _, p := range old.Parts {
		if a, b := p.Size.Len(), size[to[p.Key]]; a > 0 && b > 0 {
			ratios = append(ratios, b/a)
		}
	}
	if len(ratios) == 0 {
		return 1
	}
	slices.Sort(ratios)
	return ratios[len(ratios)/2]
}

func put(m map[string]string, k, v string) map[string]string {
	if m == nil {
		m = map[string]string{}
	}
	m[k] = v
	return m
}
