// Package maps knows texture files by their names and by what is in them: the
// role that a name tells, which file belongs to which slot of which surface,
// which way a normal map points, and how a channel becomes a map of its own.
package maps

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// Role is what a map says about a surface.
type Role string

// The roles. Gloss is roughness turned over; Specular is kept for the artist
// and not rendered; Packed maps hold one role in each channel.
const (
	None         Role = ""
	BaseColor    Role = "base colour"
	Opacity      Role = "opacity"
	Normal       Role = "normal"
	Roughness    Role = "roughness"
	Gloss        Role = "gloss"
	Metallic     Role = "metallic"
	Specular     Role = "specular"
	Occlusion    Role = "occlusion"
	Emissive     Role = "emissive"
	Height       Role = "height"
	Transmission Role = "transmission"
	Packed       Role = "packed"
)

// Columns are the slots of a surface in the order in which they are shown.
var Columns = []Role{BaseColor, Opacity, Normal, Roughness, Metallic, Occlusion, Emissive, Height, Transmission}

// Sense is which way the green of a normal map points.
type Sense string

// OpenGL's green points up in the picture, DirectX's down.
const (
	Unknown Sense = ""
	OpenGL  Sense = "OpenGL"
	DirectX Sense = "DirectX"
)

// Name is what a file name tells.
type Name struct {
	Stem       string // what is left: lower case, words joined by spaces
	Role       Role
	Channels   [4]Role // of a packed map: red, green, blue, alpha
	Sense      Sense   // of a normal map, when the name says so
	Resolution int     // pixels along a side, 0 when not said
	Tile       int     // UDIM number from 1001, 0 for none
	Sure       bool    // the role is named in the usual place
}

// words name roles when they end a name. Strong ones do so anywhere in it.
// They are the trade's habits, gathered from memory of many suppliers.
var words, strong = func() (map[string]Role, map[string]bool) {
	w, s := map[string]Role{}, map[string]bool{}
	for role, lists := range map[Role][2]string{
		BaseColor: {"basecolor basecolour basecol albedo diffuse diff albedotransparency diffusemap albedomap " +
			"basecolormap diffusecolor diffusecolour basemap",
			"bc base color colour col alb dif d c rgb albedom colormap alb"},
		Opacity: {"opacity transparency alphamask opacitymap alphamap", "alpha mask opac op cutout transp trans a o2"},
		Normal: {"normal normals normalmap nrm normalgl normaldx normalopengl normaldirectx nmap nrml tangentnormal",
			"nor norm nml nm n local ddn"},
		Roughness: {"roughness roughnessmap", "rough rgh rgn r rou"},
		Gloss:     {"glossiness gloss smoothness glossmap glossinessmap", "smooth glo gls g gl0"},
		Metallic:  {"metallic metalness metallicmap metalnessmap", "metal met mtl mtlc m metall metalic"},
		Specular: {"specular specularmap specularcolor speccolor reflection reflect",
			"spec spc s refl f0 speclevel specularlevel"},
		Occlusion: {"ambientocclusion occlusion ambientocclusionmap occlusionmap aomap", "ao occ ambient o mixedao"},
		Emissive: {"emissive emission emissionmap emissivemap emit selfillumination selfillum emissivecolor",
			"glow emis emm emi e illum lum incandescence selfill"},
		Height: {"height displacement heightmap displacementmap bumpmap bump parallax",
			"disp dis depth h b bmp hgt dsp p"},
		Transmission: {"transmission transmissive transmissionmap", "trm"},
	} {
		for _, x := range strings.Fields(lists[0]) {
			w[x], s[x] = role, true
		}
		for _, x := range strings.Fields(lists[1]) {
			w[x] = role
		}
	}
	return w, s
}()

// packs name what lies in red, green, blue and alpha.
var packs = map[string][4]Role{
	"orm": {Occlusion, Roughness, Metallic}, "arm": {Occlusion, Roughness, Metallic}, "aorm": {Occlusion, Roughness,
		Metallic},
	"occlusionroughnessmetallic": {Occlusion, Roughness, Metallic},
	"aoroughnessmetallic":        {Occlusion, Roughness, Metallic}, "aoroughmetal": {Occlusion, Roughness, Metallic},
	"occlusionroughnessmetalness": {Occlusion, Roughness, Metallic},
	"rma":                         {Roughness, Metallic, Occlusion}, "rmo": {Roughness, Metallic, Occlusion},
	"rmao": {Roughness, Metallic, Occlusion},
	"mra":  {Metallic, Roughness, Occlusion}, "mro": {Metallic, Roughness, Occlusion},
	"mrao":              {Metallic, Roughness, Occlusion},
	"metallicroughness": {None, Roughness, Metallic}, "metalroughness": {None, Roughness, Metallic},
	"metalrough": {None, Roughness, Metallic}, "metallicrough": {None, Roughness, Metallic},
	"metalroughnessmap": {None, Roughness, Metallic}, "roughnessmetallic": {None, Roughness, Metallic},
	"roughmetal": {None, Roughness, Metallic},
	"ord":        {Occlusion, Roughness, Height}, "ordp": {Occlusion, Roughness, Height},
	"ard": {Occlusion, Roughness, Height},
	"orh": {Occlusion, Roughness, Height}, "armh": {Occlusion, Roughness, Metallic, Height},
	"ormh": {Occlusion, Roughness, Metallic, Height},
	// A mask map holds metal, occlusion, a mask of detail and smoothness: common practice.
	"maskmap": {Metallic, Occlusion, None, Gloss}, "masksmap": {Metallic, Occlusion, None, Gloss},
	"metallicsmoothness": {Metallic, None, None, Gloss}, "metallicgloss": {Metallic, None, None, Gloss},
	"metallicglossmap": {Metallic, None, None, Gloss},
	"specgloss":        {None, None, None, Gloss}, "specularsmoothness": {None, None, None, Gloss},
	"specularglossiness": {None, None, None, Gloss},
}

var senses = map[string]Sense{"gl": OpenGL, "ogl": OpenGL, "opengl": OpenGL, "ygreen": OpenGL, "dx": DirectX,
	"directx": DirectX, "d3d": DirectX}

// filler words say nothing about role or stem.
var filler = map[string]bool{"map": true, "tex": true, "texture": true, "jpg": true, "png": true, "tga": true,
	"tif": true, "exr": true, "8bit": true, "16bit": true, "32bit": true, "srgb": true, "raw": true, "linear": true,
	"noncolor": true, "seamless": true, "tile": true, "tileable": true, "final": true, "copy": true, "pbr": true,
	"var1": true, "b0": true, "std": true, "standard": true}

// stemFiller is taken off the front of stems: prefixes by which teams mark files.
var stemFiller = map[string]bool{"t": true, "tx": true, "tex": true, "texture": true, "textures": true, "m": true,
	"mat": true, "mi": true, "mtl": true, "map": true, "material": true, "shader": true}

// Parse reads a file name (or a path: only its last part counts).
func Parse(file string) Name {
	file = strings.ReplaceAll(file, "\\", "/")
	file = file[strings.LastIndexByte(file, '/')+1:]
	if i := strings.LastIndexByte(file, '.'); i > 0 && isExtension(file[i+1:]) {
		file = file[:i]
	}
	var n Name
	toks := split(file)
	if len(toks) == 0 {
		return n
	}
	toks = n.takeSizes(toks)
	toks = n.takeRole(toks)
	for len(toks) > 1 && stemFiller[toks[0]] {
		toks = toks[1:]
	}
	n.Stem = strings.Join(toks, " ")
	return n
}

func isExtension(s string) bool {
	return slices.Contains([]string{"png", "jpg", "jpeg", "webp", "tga", "tif", "tiff", "bmp", "exr", "hdr", "psd",
		"dds", "ktx2", "gif", "jp2", "basis"}, strings.ToLower(s))
}

// split cuts a name into lower-case words: at signs, where case rises, and
// between letters and digits only where a number stands alone.
func split(s string) []string {
	var out []string
	var word []rune
	end := func() {
		if len(word) > 0 {
			out = append(out, strings.ToLower(string(word)))
			word = word[:0]
		}
	}
	rs := []rune(s)
	for i, r := range rs {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			end()
			continue
		}
		if len(word) > 0 && unicode.IsUpper(r) {
			last := word[len(word)-1]
			next := i+1 < len(rs) && unicode.IsLower(rs[i+1])
			if unicode.IsLower(last) || unicode.IsUpper(last) && next || unicode.IsDigit(last) && next {
				end()
			}
		}
		word = append(word, r)
	}
	end()
	return out
}

// takeSizes removes resolutions, tiles and filler from the end and keeps what they say.
func (n *Name) takeSizes(toks []string) []string {
	var out []string
	for i, t := range toks {
		last := i == len(toks)-1
		if px := Resolution(t); px > 0 && i > 0 {
			n.Resolution = px
			continue
		}
		if v, err := strconv.Atoi(t); err == nil && len(t) == 4 && v >= 1001 && v < 2000 && last && i > 0 {
			n.Tile = v
			continue
		}
		if i > 0 && last && len(t) >= 2 && t[0] == 'v' && i > 1 && len(toks[i-1]) >= 2 && toks[i-1][0] == 'u' &&
			isDigits(t[1:]) && isDigits(toks[i-1][1:]) {
			u, _ := strconv.Atoi(toks[i-1][1:])
			v, _ := strconv.Atoi(t[1:])
			if u > 0 && u <= 10 && v > 0 && v < 100 {
				n.Tile = 1000 + u + 10*(v-1)
				out = out[:len(out)-1]
				continue
			}
		}
		out = append(out, t)
	}
	return out
}

func isDigits(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }

// Words cuts a name into lower-case words, at signs and where case rises.
func Words(s string) []string { return split(s) }

// Resolution reads 2k, 4096, 1024x1024 and the like; 0 when it is none.
func Resolution(t string) int {
	switch t {
	case "512", "1024", "2048", "4096", "8192", "16384":
		v, _ := strconv.Atoi(t)
		return v
	}
	if k, ok := strings.CutSuffix(t, "k"); ok && isDigits(k) {
		if v, _ := strconv.Atoi(k); v >= 1 && v <= 32 {
			return v * 1024
		}
	}
	if a, b, ok := strings.Cut(t, "x"); ok && a == b && isDigits(a) {
		return Resolution(a)
	}
	if a, ok := strings.CutSuffix(t, "px"); ok {
		return Resolution(a)
	}
	return 0
}

// takeRole finds the words that name the role, the last ones first.
func (n *Name) takeRole(toks []string) []string {
	end := len(toks)
	for i := len(toks) - 2; i >= 1; i-- { // "mask map" is another thing than a mask
		if p, ok := packs[toks[i]+toks[i+1]]; ok && filler[toks[i+1]] {
			n.Role, n.Channels, n.Sure = Packed, p, true
			return slices.Concat(toks[:i], n.rest(toks[i+2:]))
		}
	}
	for end > 0 && (filler[toks[end-1]] || numbered(toks[end-1])) && end > 1 {
		end--
	}
	for k := min(2, end-1); k > 0; k-- { // "OpenGL" is cut by its capitals
		sense := senses[strings.Join(toks[end-k:end], "")]
		if r, _ := roleOf(toks[:end-k]); sense != Unknown && r == Normal {
			n.Sense, toks = sense, slices.Concat(toks[:end-k], toks[end:])
			end -= k
		}
	}
	for k := min(5, end); k > 0; k-- { // the longest name first: "ambient occlusion" before "occlusion"
		joined := strings.Join(toks[end-k:end], "")
		if p, ok := packs[joined]; ok {
			n.Role, n.Channels, n.Sure = Packed, p, true
			return slices.Concat(toks[:end-k], toks[end:])
		}
		if r, ok := words[joined]; ok && (k < end || strong[joined] || len(joined) > 1) {
			n.Role, n.Sure = r, true
			n.glued(joined)
			return slices.Concat(toks[:end-k], n.rest(toks[end:]))
		}
	}
	// "normal" with its sense glued on, "rock2 n", and words glued to the stem.
	if last := toks[max(0, end-1)]; end > 0 {
		for _, cut := range []string{"gl", "dx", "ogl"} {
			if base, ok := strings.CutSuffix(last, cut); ok && words[base] == Normal && len(base) > 1 {
				n.Role, n.Sense, n.Sure = Normal, senses[cut], true
				return slices.Clone(toks[:end-1])
			}
		}
		if base := strings.TrimRight(last, "0123456789"); base != last && len(base) > 1 {
			if r, ok := words[base]; ok {
				n.Role, n.Sure = r, true
				return append(slices.Clone(toks[:end-1]), last[len(base):])
			}
		}
	}
	// A word that means nothing else, anywhere.
	for i := end - 1; i >= 0; i-- {
		for k := min(3, end-i); k > 0; k-- {
			joined := strings.Join(toks[i:i+k], "")
			if p, ok := packs[joined]; ok && len(joined) > 2 {
				n.Role, n.Channels = Packed, p
				return slices.Concat(toks[:i], toks[i+k:])
			}
			if strong[joined] {
				n.Role = words[joined]
				return slices.Concat(toks[:i], toks[i+k:])
			}
		}
	}
	// Glued to the stem without a sign: "wooddiffuse".
	if end > 0 {
		last := toks[end-1]
		best := ""
		for w := range strong {
			if len(w) >= 4 && len(w) > len(best) && len(last) > len(w) && strings.HasSuffix(last, w) {
				best = w
			}
		}
		if best != "" {
			n.Role = words[best]
			return append(slices.Clone(toks[:end-1]), strings.TrimSuffix(last, best))
		}
	}
	return toks
}

// glued takes the sense out of words such as "normalgl".
func (n *Name) glued(word string) {
	switch {
	case n.Role != Normal || n.Sense != Unknown:
	case strings.HasSuffix(word, "gl"):
		n.Sense = OpenGL
	case strings.HasSuffix(word, "dx") || strings.HasSuffix(word, "directx"):
		n.Sense = DirectX
	}
}

// rest keeps what of the words behind the role tells variants apart.
func (n *Name) rest(toks []string) []string {
	return slices.DeleteFunc(slices.Clone(toks), func(t string) bool { return filler[t] })
}

// numbered are variants and versions: 01, v2, lod0, a.
func numbered(t string) bool {
	return isDigits(t) || len(t) > 1 && t[0] == 'v' && isDigits(t[1:]) || strings.HasPrefix(t, "lod") &&
		isDigits(t[3:]) || strings.HasPrefix(t, "var") && isDigits(t[3:])
}

func roleOf(toks []string) (Role, bool) {
	for k := min(3, len(toks)); k > 0; k-- {
		if r, ok := words[strings.Join(toks[len(toks)-k:], "")]; ok {
			return r, true
		}
	}
	return None, false
}
