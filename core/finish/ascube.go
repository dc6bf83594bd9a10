package finish

import (
	"math"

	"visator/core/cube"
	"visator/core/geom"
)

// CubeSize is how many entries a side a finish is written with.
const CubeSize = 33

// Cube is a chain as a table, to be laid over the picture as it is without a finish, in sRGB: what it makes of each
// colour. What it does to places and not to colours (the lens, grain, sharpening, what is cut off) is not in it, and
// what is burnt in the picture stays so.
func (c Chain) Cube(title string) (*cube.Cube, error) {
	if err := c.Check(); err != nil {
		return nil, err
	}
	p := &Pixels{Width: CubeSize * CubeSize * CubeSize, Height: 1}
	cube.Of("", CubeSize, func(v geom.V) geom.V {
		v = unneutral(geom.V{X: Decode(v.X), Y: Decode(v.Y), Z: Decode(v.Z)})
		p.RGB = append(p.RGB, float32(v.X), float32(v.Y), float32(v.Z))
		return v
	})
	c.onto(p, true, func(at Place) bool { return at == Set || at == Glass || at >= Grain })
	at := 0
	return cube.Of(title, CubeSize, func(geom.V) geom.V {
		v := p.RGB[at : at+3]
		at += 3
		return geom.V{X: Encode(float64(v[0])), Y: Encode(float64(v[1])), Z: Encode(float64(v[2]))}
	}), nil
}

// unneutral is the light of which Neutral makes a colour; of white the brightest that is told apart.
func unneutral(c geom.V) geom.V {
	const start, d, desaturation = 0.8 - 0.04, 1 - (0.8 - 0.04), 0.15
	const most = 64.0 // white over this is white in any picture
	if newPeak := min(c.Max(), 1-d*d/(most+d-start)); newPeak >= start {
		peak := d*d/(1-newPeak) - d + start
		m := 1 - 1/(desaturation*(peak-newPeak)+1)
		back := func(x float64) float64 { return max((x-newPeak*m)/(1-m), 0) * peak / newPeak }
		c = geom.V{X: back(c.X), Y: back(c.Y), Z: back(c.Z)}
	}
	offset := 0.04
	if x := min(c.X, c.Y, c.Z); x < 0.04 { // 6.25 x² is left of it
		offset = math.Sqrt(max(x, 0)/6.25) - x
	}
	return c.Add(geom.V{X: offset, Y: offset, Z: offset})
}
