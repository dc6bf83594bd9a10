package light

import (
	"math"
	"testing"

	"visator/core/geom"
)

// What is seen of the sky through air is the sum of 20,000 pieces of the way: dimmed by Beer's law, with what sky and
// sun give each piece. In a sky that is even all around, without a sun, air that swallows nothing changes nothing.
func TestTheSkyThroughAir(t *testing.T) {
	s := Default()
	s.Haze, s.Fog, s.FogHigh, s.Lux, s.Elevation, s.Azimuth = 8000, 300, 3, 40_000, 0.3, 0.4
	a := s.Medium()
	even := func(geom.V) geom.V { return geom.V{X: 800, Y: 900, Z: 1000} }
	eye := geom.V{Y: 1.6}
	g, ok := s.AirGlow(eye, even)
	if !ok {
		t.Fatal("the air is clear")
	}
	for _, d := range []geom.V{{Z: -1, Y: 0.02}, {X: 0.6, Y: 0.3, Z: -0.7}, {Y: 1}, {X: 1, Y: 0.1}} {
		d = d.Unit()
		beyond := geom.V{X: 300, Y: 400, Z: 500}
		got := s.Through(a, &g, eye, d, beyond)
		phase := g.part.Phase(g.To.Mul(-1), d.Mul(-1))
		want := beyond.Mul(a.Through(eye, d, math.Inf(1)))
		const steps, far = 20_000, 60_000.0
		for i := range steps {
			from, to := far*math.Pow(float64(i)/steps, 3), far*math.Pow(float64(i+1)/steps, 3)
			at := eye.Add(d.Mul((from + to) / 2))
			share := a.Through(eye, d, from) - a.Through(eye, d, to)
			want = want.Add(g.Sky.Add(s.Sunlight().Times(g.part.Albedo).Mul(phase * a.Through(at, g.To,
				math.Inf(1)))).Mul(share))
		}
		if off := got.Sub(want).Len(); off > 0.03*want.Len() {
			t.Errorf("along %v %v, want %v", d, got, want)
		}
	}
	s.SunOn = false
	g, _ = s.AirGlow(eye, even)
	if got := s.Through(a, &g, eye, geom.V{X: 1}, even(geom.V{})); got.Sub(even(geom.V{})).Len() > 1 {
		t.Errorf("an even sky is %v", got)
	}
}
