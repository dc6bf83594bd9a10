package obj

import (
	"errors"
	"io/fs"
	"math"
	"strconv"
	"strings"

	"visator/core/intake/text"
	"visator/core/model"
)

// library reads the material libraries that a mtllib statement names: one
// name that may hold spaces, or several names.
func (r *reader) library(names string) {
	r.libraries = true
	if names == "" {
		return
	}
	data, err := r.folder.Near(names)
	if err == nil {
		r.materials(names, text.UTF8(data))
		return
	}
	fields := strings.Fields(names)
	if len(fields) < 2 {
		fields = []string{names}
	}
	for _, name := range fields {
		if data, err = r.folder.Near(name); err != nil {
			if errors.Is(err, fs.ErrNotExist) {
				r.warn("the material library %.200q is not there; put it beside the model", name)
			} else {
				r.warn("material library: %v", err)
			}
			continue
		}
		r.materials(name, text.UTF8(data))
	}
}

// materials parses an MTL file. Each surface keeps what its lines say; the
// metallic-roughness values follow from the older Phong ones where the file
// has no others.
func (r *reader) materials(name string, data []byte) {
	text := strings.NewReplacer("\\\r\n", " ", "\\\n", " ").Replace(string(data))
	text = strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
	var s *model.Surface
	for number, line := range strings.Split(text, "\n") {
		if i := strings.IndexByte(line, '#'); i == 0 {
			continue
		}
		line = strings.TrimSpace(line)
		word, rest, _ := strings.Cut(strings.ReplaceAll(line, "\t", " "), " ")
		rest = strings.TrimSpace(rest)
		word = strings.ToLower(word)
		if word == "newmtl" {
			fresh := model.DefaultSurface()
			fresh.Name, fresh.Metallic, fresh.Roughness = rest, 0, 0.6
			i, ok := r.surfaceByName[rest]
			if ok {
				r.out.Surfaces[i] = fresh
			} else {
				i = len(r.out.Surfaces)
				r.out.Surfaces = append(r.out.Surfaces, fresh)
				r.surfaceByName[rest] = i
			}
			s = &r.out.Surfaces[i]
			continue
		}
		if s == nil || word == "" {
			continue
		}
		r.property(s, word, rest, name, number+1)
	}
}

func (r *reader) property(s *model.Surface, word, rest, library string, line int) {
	num := func() (float64, bool) {
		f := strings.Fields(rest)
		if len(f) == 0 {
			return 0, false
		}
		v, err := strconv.ParseFloat(f[len(f)-1], 64) // "d -halo 0.5" too
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
			r.out.Warn("%s: line %d: %s %.40q is not a number", library, line, word, rest)
			return 0, false
		}
		return v, true
	}
	share := func(to *float64) {
		if v, ok := num(); ok {
			*to = clamp01(v)
		}
	}
	switch word {
	case "kd":
		if c, ok := rgb(rest); ok {
			copy(s.BaseColor[:3], c[:])
		}
	case "ke":
		if c, ok := rgb(rest); ok {
			s.Emissive = c
		}
	case "d":
		if v, ok := num(); ok {
			r.opacity(s, v)
		}
	case "tr":
		if v, ok := num(); ok {
			r.opacity(s, 1-v)
		}
	case "ns":
		if v, ok := num(); ok {
			// Blinn-Phong exponent to GGX roughness: alpha = sqrt(2 / (n + 2)),
			// alpha = roughness² (Walter et al. 2007; glTF 2.0 appendix B).
			s.Roughness = math.Pow(2/(max(v, 0)+2), 0.25)
		}
	case "ni":
		if v, ok := num(); ok && v >= 1 {
			s.IOR = v
		}
	case "pr":
		share(&s.Roughness)
	case "pm":
		share(&s.Metallic)
	case "ps": // sheen, without a colour of its own
		if v, ok := num(); ok {
			s.Sheen = [3]float64{clamp01(v), clamp01(v), clamp01(v)}
		}
	case "pc":
		share(&s.Coat)
	case "pcr":
		share(&s.CoatRoughness)
	case "aniso":
		if v, ok := num(); ok {
			s.Brush = clamp01(math.Abs(v))
		}
	case "anisor": // in turns
		if v, ok := num(); ok {
			s.BrushTurn = 2 * math.Pi * math.Mod(v, 1)
		}
	case "map_ps":
		r.slot(s, model.SheenMap, rest)
		s.Sheen = [3]float64{1, 1, 1}
	case "map_pc":
		r.slot(s, model.CoatMap, rest)
		s.Coat = 1
	case "map_pcr":
		r.slot(s, model.CoatRoughnessMap, rest)
		s.CoatRoughness = 1
	case "map_kd":
		r.slot(s, model.BaseColorMap, rest)
	case "map_d", "map_tr":
		r.slot(s, model.OpacityMap, rest)
		s.Alpha = model.Blend
	case "map_ke":
		r.slot(s, model.EmissiveMap, rest)
		if s.Emissive == [3]float64{} {
			s.Emissive = [3]float64{1, 1, 1}
		}
	case "map_pr":
		r.slot(s, model.RoughnessMap, rest)
		s.Roughness = 1
	case "map_pm":
		r.slot(s, model.MetallicMap, rest)
		s.Metallic = 1
	case "norm", "map_kn":
		r.slot(s, model.NormalMap, rest)
	case "map_bump", "bump", "disp":
		role := model.HeightMap
		if n := strings.ToLower(rest); word != "disp" && (strings.Contains(n, "nor") || strings.Contains(n, "nrm")) {
			role = model.NormalMap // bump statements often name a normal map
		}
		r.slot(s, role, rest)
	}
}

func clamp01(v float64) float64 { return min(max(v, 0), 1) }

func (r *reader) opacity(s *model.Surface, v float64) {
	s.BaseColor[3] = clamp01(v)
	if s.BaseColor[3] < 1 {
		s.Alpha = model.Blend
	}
}

func rgb(rest string) (c [3]float64, ok bool) {
	f := strings.Fields(rest)
	if len(f) == 0 || f[0] == "spectral" || f[0] == "xyz" {
		return c, false
	}
	for i := range c {
		v, err := strconv.ParseFloat(f[min(i, len(f)-1)], 64)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) || v < 0 {
			return c, false
		}
		c[i] = v
	}
	return c, true
}

// optionArgs is how many words follow each option of a map statement; numeric
// ones may be fewer.
var optionArgs = map[string]int{"-blendu": 1, "-blendv": 1, "-boost": 1, "-mm": 2, "-o": 3, "-s": 3, "-t": 3,
	"-texres": 1, "-clamp": 1, "-bm": 1, "-imfchan": 1, "-type": 1, "-cc": 1}

func (r *reader) slot(s *model.Surface, role model.Role, rest string) {
	slot := model.EmptySlot
	for strings.HasPrefix(rest, "-") {
		opt, after, _ := strings.Cut(rest, " ")
		n, ok := optionArgs[strings.ToLower(opt)]
		if !ok {
			break
		}
		rest = strings.TrimSpace(after)
		var args []string
		for len(args) < n {
			w, after, _ := strings.Cut(rest, " ")
			if _, err := strconv.ParseFloat(w, 64); err != nil && (n > 1 || w == "") {
				break
			}
			args, rest = append(args, w), strings.TrimSpace(after)
		}
		switch strings.ToLower(opt) {
		case "-s":
			slot.Scale = pair(args, 1)
		case "-o":
			slot.Offset = pair(args, 0)
			slot.Offset[1] = -slot.Offset[1]
		case "-bm":
			s.NormalScale = pair(args, 1)[0]
		case "-clamp":
			if len(args) > 0 && args[0] == "on" {
				slot.WrapS, slot.WrapT = model.Clamp, model.Clamp
			}
		}
	}
	if rest == "" {
		return
	}
	slot.Map = r.out.MapAt(r.folder, rest, role)
	s.Slots[role] = slot
}

func pair(args []string, missing float64) [2]float64 {
	out := [2]float64{missing, missing}
	for i := range out {
		if i < len(args) {
			if v, err := strconv.ParseFloat(args[i], 64); err == nil && !math.IsNaN(v) && !math.IsInf(v, 0) {
				out[i] = v
			}
		}
	}
	return out
}
