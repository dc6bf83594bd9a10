package surface

import (
	"image"
	"slices"

	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/sizing"
)

// Found is a surface of a model as it came.
type Found struct {
	Surface  string   `json:"surface"`
	Material Material `json:"material"` // without its pictures
	Maps     []string `json:"maps"`     // what its own pictures say
	Share    float64  `json:"share"`    // of the model's area
	Doubts   string   `json:"doubts"`   // what no real thing looks like
	Mean     string   `json:"mean"`     // colour with its picture, #rrggbb; "": it was not looked at
}

// meanSide is how many texels along each side are looked at for a mean.
const meanSide = 64

// Seen are the surfaces of a model with their mean colours: all their pictures are decoded for that.
func Seen(m *model.Model, metres float64) []Found {
	list := Of(m, metres)
	known := map[int]geom.V{} // means of maps
	for i := range list {
		s := &m.Surfaces[i]
		c := geom.V{X: s.BaseColor[0], Y: s.BaseColor[1], Z: s.BaseColor[2]}
		if k := s.Slots[model.BaseColorMap].Map; k != model.None {
			mean, ok := known[k]
			if !ok {
				pic, err := m.Maps[k].Picture()
				if err != nil {
					continue // intake tells of it
				}
				mean = meanOf(pic)
				known[k] = mean
			}
			c = c.Times(mean)
		}
		list[i].Mean = light.HexOf(c)
	}
	return list
}

// meanOf is the mean colour of a picture, linear.
func meanOf(pic *image.NRGBA) (sum geom.V) {
	w, h := pic.Rect.Dx(), pic.Rect.Dy()
	for j := range meanSide * meanSide {
		p := pic.Pix[pic.PixOffset(j%meanSide*w/meanSide, j/meanSide*h/meanSide):]
		sum = sum.Add(geom.V{X: float64(model.Linear8(p[0])), Y: float64(model.Linear8(p[1])),
			Z: float64(model.Linear8(p[2]))})
	}
	return sum.Mul(1.0 / (meanSide * meanSide))
}

// Of are the surfaces of a model, in their order; metres are those of a unit of it.
func Of(m *model.Model, metres float64) []Found {
	list := make([]Found, len(m.Surfaces))
	tiles := map[int]float64{}
	for _, p := range sizing.Patterns(m) {
		tiles[p.Index] = p.Repeat * metres
	}
	areas, whole := sizing.Areas(m), 0.0
	for _, a := range areas {
		whole += a
	}
	for i := range m.Surfaces {
		s, f := &m.Surfaces[i], &list[i]
		f.Surface, f.Material, f.Maps = s.Name, asCame(s, tiles[i]), []string{}
		for name, role := range Roles {
			if k := s.Slots[role].Map; k != model.None && m.Maps[k].Data != nil {
				f.Maps = append(f.Maps, name)
			}
		}
		slices.Sort(f.Maps)
		if whole > 0 {
			f.Share = areas[i] / whole
		}
		if len(f.Maps) == 0 {
			f.Doubts = f.Material.Likely()
		}
	}
	return list
}
