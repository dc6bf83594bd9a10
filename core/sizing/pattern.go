package sizing

import (
	"bytes"
	"fmt"
	"image"
	_ "image/jpeg" // sizes of maps
	_ "image/png"
	"math"
	"strings"

	_ "golang.org/x/image/webp"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/sizing/kinds"
	"visator/core/unit"
)

// Pattern is how large the picture on a surface is where it lies.
type Pattern struct {
	Index   int    // of the surface in the model
	Key     string // by which decisions name it, where there are any
	Surface string // its name
	// length of one repeat, in units of the file: the square root of the area on the model that one
	// whole picture covers
	Repeat  float64
	Pixels  int     // along that length, of the largest map; 0 when none is at hand
	Aspect  float64 // width over height of that map; 0 when none is at hand
	Picture string  // where who keeps pictures has a smaller one of it
}

// Texels are the texels along one unit of the file; 0 when that is not known.
func (p *Pattern) Texels() float64 { return float64(p.Pixels) / p.Repeat }

// largest is the map of a surface with the most pixels, and how it lies.
type largest struct {
	slot   *model.Slot // nil: the surface bears none
	pixels int         // the square root of how many it has; 0 when it is not at hand
	aspect float64
}

func largestMap(m *model.Model, s *model.Surface, known map[int]largest) (out largest) {
	for r := range s.Slots {
		slot := &s.Slots[r]
		if slot.Map == model.None {
			continue
		}
		l, ok := known[slot.Map]
		if !ok {
			if c, _, err := image.DecodeConfig(bytes.NewReader(m.Maps[slot.Map].Data)); err == nil && c.Width > 0 &&
				c.Height > 0 {
				l = largest{nil, int(math.Sqrt(float64(c.Width) * float64(c.Height))),
					float64(c.Width) / float64(c.Height)}
			}
			known[slot.Map] = l
		}
		if out.slot == nil || l.pixels > out.pixels {
			l.slot = slot
			out = l
		}
	}
	return out
}

// Patterns measures the surfaces of a model that bear maps: the areas of their
// triangles on the model against those on the map, by the coordinates that the
// largest of their maps goes by.
func Patterns(m *model.Model) (out []Pattern) {
	known, maps := map[int]largest{}, make([]largest, len(m.Surfaces))
	for i := range m.Surfaces {
		maps[i] = largestMap(m, &m.Surfaces[i], known)
	}
	world, flat := areas(m, func(p *model.Part) []float32 {
		if maps[p.Surface].slot == nil {
			return nil
		}
		return p.Coordinates(maps[p.Surface].slot)
	})
	for i, l := range maps {
		if l.slot == nil || flat[i] == 0 {
			continue
		}
		repeat := math.Sqrt(world[i]/flat[i]) / math.Sqrt(math.Abs(l.slot.Scale[0]*l.slot.Scale[1]))
		if repeat > 0 && !math.IsInf(repeat, 0) {
			out = append(out, Pattern{Index: i, Surface: m.Surfaces[i].Name, Repeat: repeat, Pixels: l.pixels,
				Aspect: l.aspect})
		}
	}
	return out
}

// Runs are how far the first coordinates of each surface run from 0 to 1, in units of the file: the square root of the
// area on the model by that of the coordinates; 0 where there are none.
func Runs(m *model.Model) []float64 {
	world, flat := areas(m, func(p *model.Part) []float32 { return p.UV })
	for i := range world {
		if world[i] > 0 {
			world[i] = math.Sqrt(world[i] / flat[i])
		}
	}
	return world
}

// Areas are those of each surface on the model, in squares of its unit.
func Areas(m *model.Model) []float64 {
	out := make([]float64, len(m.Surfaces))
	triangles(m, func(p *model.Part, _ []uint32, area float64) { out[p.Surface] += area })
	return out
}

// areas are, of each surface, what of it has coordinates: on the model, and on the picture.
func areas(m *model.Model, coordinates func(p *model.Part) []float32) (world, flat []float64) {
	world, flat = make([]float64, len(m.Surfaces)), make([]float64, len(m.Surfaces))
	triangles(m, func(p *model.Part, corners []uint32, area float64) {
		uv := coordinates(p)
		if uv == nil {
			return
		}
		a, b, c := corners[0], corners[1], corners[2]
		u0, v0 := float64(uv[2*a]), float64(uv[2*a+1])
		on := math.Abs((float64(uv[2*b])-u0)*(float64(uv[2*c+1])-v0)-(float64(uv[2*c])-u0)*(float64(uv[2*b+1])-v0)) / 2
		if on > 0 && !math.IsInf(on, 0) {
			world[p.Surface] += area
			flat[p.Surface] += on
		}
	})
	return world, flat
}

// triangles visits those of a model that have an area and a surface, where they stand.
func triangles(m *model.Model, visit func(p *model.Part, corners []uint32, area float64)) {
	m.Walk(func(_ int, n *model.Node, top geom.M) {
		if n.Mesh == model.None {
			return
		}
		for i := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[i]
			if p.Kind != model.Triangles || p.Surface == model.None {
				continue
			}
			for t := 0; t+2 < len(p.Indices); t += 3 {
				corners := p.Indices[t : t+3]
				a := top.Point(p.Position(corners[0]))
				b, c := top.Point(p.Position(corners[1])), top.Point(p.Position(corners[2]))
				area := b.Sub(a).Cross(c.Sub(a)).Len() / 2
				if area > 0 && !math.IsInf(area, 0) {
					visit(p, corners, area)
				}
			}
		}
	})
}

// pattern is what a picture of a material shows, and how large such a picture
// is in truth: in metres, from the smallest that is on sale to the largest
// (memory).
type pattern struct {
	name      string
	low, high float64
	words     string
}

var patterns = []pattern{
	{"bricks", 0.5, 4, "brick bricks brickwork ziegel backstein brique briques ladrillo ladrillos mattone mattoni"},
	{"planks", 0.5, 4, "plank planks floorboard floorboards parquet laminate dielen planches tablones parkett"},
	{"tiles", 0.3, 4, "tile tiles tiled fliesen kacheln carrelage azulejos baldosas piastrelle mosaic"},
	{"roof tiles", 0.8, 6, "rooftile rooftiles shingle shingles dachziegel tuiles tejas tegole slate"},
	{"cobbles", 0.8, 6, "cobble cobbles cobblestone paving pavement pavers kopfsteinpflaster pflaster paves adoquines"},
	{"gravel", 0.4, 6, "gravel pebbles shingle ballast kies schotter gravier grava ghiaia"},
	{"grass", 0.6, 8, "grass lawn meadow gras rasen herbe cesped erba prato"},
	{"fabric", 0.05, 2, "fabric cloth linen cotton canvas wool velvet denim stoff leinen tissu toile tela tessuto"},
	{"carpet", 0.2, 4, "carpet rug teppich tapis alfombra tappeto"},
	{"leather", 0.15, 2, "leather leder cuir cuero pelle"},
	{"bark", 0.3, 4, "bark rinde borke ecorce corteza corteccia"},
	{"concrete", 0.8, 10, "concrete cement beton hormigon calcestruzzo"},
	{"asphalt", 0.8, 12, "asphalt tarmac road asphalte asfalto"},
	{"plaster", 0.8, 8, "plaster stucco putz platre yeso intonaco"},
	{"sand", 0.4, 10, "sand sable arena sabbia"},
	{"stone wall", 0.8, 6, "stonewall masonry rubble mauerwerk"},
}

var patternOf = func() map[string]*pattern {
	out := map[string]*pattern{}
	for i := range patterns {
		for _, w := range strings.Fields(patterns[i].words) {
			out[w] = &patterns[i]
		}
	}
	return out
}()

// Judge says what cannot be right about a picture that repeats every so many
// metres, by what the surface's name says it shows; "" when nothing is wrong or
// nothing is known.
func (p *Pattern) Judge(in unit.Ruler, metres float64) string {
	for _, w := range kinds.Tokens(p.Surface) {
		if k := patternOf[w]; k != nil && (metres < k.low/2 || metres > k.high*2) {
			return fmt.Sprintf("one repeat of %q is %s; pictures of %s show %s to %s", p.Surface, in.Distance(metres),
				k.name, in.Distance(k.low), in.Distance(k.high))
		}
	}
	return ""
}
