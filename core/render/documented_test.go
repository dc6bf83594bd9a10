package render

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/sky"
)

// What Khronos documents of its extensions, as far as it can be worked out: a floor seen straight on, in a white
// surrounding, in shares of that. Of a body that scatters nothing only what its layers mirror is left: ((n−1)/(n+1))²
// of KHR_materials_ior, with the indices of its table; nothing where KHR_materials_specular is 0, and that in its
// colour; 4 % of KHR_materials_clearcoat; a metal mirrors its base colour; thin KHR_materials_transmission mirrors 4 %
// and lets the rest through, tinted once (as read in the specifications; from memory).
func TestDocumentedAppearance(t *testing.T) {
	black := [4]float64{0, 0, 0, 1}
	for name, c := range map[string]struct {
		set  func(s *model.Surface)
		want geom.V
	}{
		"water":        {func(s *model.Surface) { s.BaseColor, s.IOR = black, 1.33 }, gray(0.0201)},
		"glass":        {func(s *model.Surface) { s.BaseColor, s.IOR = black, 1.5 }, gray(0.04)},
		"sapphire":     {func(s *model.Surface) { s.BaseColor, s.IOR = black, 1.76 }, gray(0.0758)},
		"diamond":      {func(s *model.Surface) { s.BaseColor, s.IOR = black, 2.42 }, gray(0.1724)},
		"air":          {func(s *model.Surface) { s.BaseColor, s.IOR = black, 1 }, gray(0)},
		"no highlight": {func(s *model.Surface) { s.BaseColor, s.Specular = black, 0 }, gray(0)},
		"half of one":  {func(s *model.Surface) { s.BaseColor, s.Specular = black, 0.5 }, gray(0.02)},
		"a red one":    {func(s *model.Surface) { s.BaseColor, s.SpecularTint = black, [3]float64{1, 0, 0} }, geom.V{X: 0.04}},
		"lacquer":      {func(s *model.Surface) { s.BaseColor, s.IOR, s.Coat, s.CoatRoughness = black, 1, 1, 0 }, gray(0.04)},
		"half of it":   {func(s *model.Surface) { s.BaseColor, s.IOR, s.Coat, s.CoatRoughness = black, 1, 0.5, 0 }, gray(0.02)},
		"copper": {func(s *model.Surface) { s.BaseColor, s.Metallic = [4]float64{0.95, 0.64, 0.54, 1}, 1 },
			geom.V{X: 0.95, Y: 0.64, Z: 0.54}},
		"a green pane": {func(s *model.Surface) { s.BaseColor, s.Transmission = [4]float64{0.25, 0.5, 0.25, 1}, 1 },
			geom.V{X: 0.04 + 0.96*0.25, Y: 0.04 + 0.96*0.5, Z: 0.04 + 0.96*0.25}},
		"paper": {func(s *model.Surface) { s.BaseColor, s.Specular, s.Roughness = [4]float64{1, 1, 1, 1}, 0, 1 }, gray(1)},
	} {
		k := &testScene{}
		k.add(floor(k.surface(func(s *model.Surface) {
			s.Metallic, s.Roughness, s.DoubleSided = 0, 0, true
			c.set(s)
		}), 50))
		s := k.build(t)
		s.Env = &sky.Environment{Constant: gray(100)}
		s.Build()
		f := shoot(t, s, look(geom.V{Y: 3}, geom.V{Z: 1e-6}, 0.02), 8, 64, 4)
		var sum geom.V
		for i := 0; i < len(f.Color); i += 3 {
			sum = sum.Add(geom.V{X: float64(f.Color[i]), Y: float64(f.Color[i+1]), Z: float64(f.Color[i+2])})
		}
		got := sum.Mul(1 / (100 * float64(len(f.Color)/3)))
		if off := got.Sub(c.want); math.Abs(light.Luminance(off)) > 0.003 || off.Len() > 0.006 {
			t.Errorf("%s is seen as %v, not %v", name, got, c.want)
		}
	}
}

func gray(v float64) geom.V { return geom.V{X: v, Y: v, Z: v} }
