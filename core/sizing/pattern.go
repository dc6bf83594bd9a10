package sizing

import (
	"bytes"
	"image"
	_ "image/jpeg" // sizes of maps
	_ "image/png"
	"math"

	_ "golang.org/x/image/webp"

	"visator/core/geom"
	"visator/core/model"
)

// Pattern is how large the picture on a surface is where it lies.
type Pattern struct {
	Surface int
	Repeat  float64 // length of one repeat, in units of the file: the square root of the area on the model that one whole picture covers
	Pixels  int     // along that length, of the largest map; 0 when none is at hand
}

// Texels are the texels along one unit of the file; 0 when that is not known.
func (p *Pattern) Texels() float64 { return float64(p.Pixels) / p.Repeat }

// Patterns measures the surfaces of a model that bear maps: the areas of their
// triangles on the model against those on the map.
func Patterns(m *model.Model) (out []Pattern) {
	world, flat := make([]float64, len(m.Surfaces)), make([]float64, len(m.Surfaces))
	m.Walk(func(_ int, n *model.Node, top geom.M) {
		if n.Mesh == model.None {
			return
		}
		for i := range m.Meshes[n.Mesh].Parts {
			p := &m.Meshes[n.Mesh].Parts[i]
			if p.Kind != model.Triangles || p.UV == nil || p.Surface == model.None {
				continue
			}
			for t := 0; t+2 < len(p.Indices); t += 3 {
				a, b, c := p.Indices[t], p.Indices[t+1], p.Indices[t+2]
				pa := top.Point(p.Position(a))
				area := top.Point(p.Position(b)).Sub(pa).Cross(top.Point(p.Position(c)).Sub(pa)).Len() / 2
				u0, v0 := float64(p.UV[2*a]), float64(p.UV[2*a+1])
				uv := math.Abs((float64(p.UV[2*b])-u0)*(float64(p.UV[2*c+1])-v0)-(float64(p.UV[2*c])-u0)*(float64(p.UV[2*b+1])-v0)) / 2
				if area > 0 && uv > 0 && !math.IsInf(area, 0) && !math.IsInf(uv, 0) {
					world[p.Surface] += area
					flat[p.Surface] += uv
				}
			}
		}
	})
	pixels := map[int]int{}
	for i := range m.Surfaces {
		most, scale := 0, 1.0
		for r := range m.Surfaces[i].Slots {
			slot := &m.Surfaces[i].Slots[r]
			if slot.Map == model.None {
				continue
			}
			n, ok := pixels[slot.Map]
			if !ok {
				if c, _, err := image.DecodeConfig(bytes.NewReader(m.Maps[slot.Map].Data)); err == nil {
					n = int(math.Sqrt(float64(c.Width) * float64(c.Height)))
				}
				pixels[slot.Map] = n
			}
			if n >= most {
				most = n
				scale = math.Sqrt(math.Abs(slot.Scale[0] * slot.Scale[1]))
			}
		}
		repeat := math.Sqrt(world[i]/flat[i]) / scale
		if flat[i] > 0 && repeat > 0 && !math.IsInf(repeat, 0) && hasMap(&m.Surfaces[i]) {
			out = append(out, Pattern{i, repeat, most})
		}
	}
	return out
}

func hasMap(s *model.Surface) bool {
	for r := range s.Slots {
		if s.Slots[r].Map != model.None {
			return true
		}
	}
	return false
}

func texels(m *model.Model) (out []float64) {
	for _, p := range Patterns(m) {
		if p.Pixels > 0 {
			out = append(out, p.Texels())
		}
	}
	return out
}
