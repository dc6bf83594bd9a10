package eye

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/model"
)

// A place that is seen somewhere in the picture, so far along the view axis, is found there again, through any lens
// that is shifted and wherever the camera stands.
func TestPointsAndPixelsAgree(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 500 {
		axis := geom.V{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}.Unit()
		c := Camera{World: geom.Compose(geom.V{X: 9 * r.NormFloat64(), Y: r.NormFloat64(), Z: 5}, geom.Turn(axis,
			6*r.Float64()), geom.V{X: 1, Y: 1, Z: 1}), TanX: 0.1 + r.Float64(), TanY: 0.1 + r.Float64(),
			MidX: r.Float64() - 0.5, MidY: r.Float64() - 0.5, Orthographic: r.IntN(3) == 0}
		x, y, depth := r.Float64(), r.Float64(), 0.5+20*r.Float64()
		p := c.Point(x, y, depth)
		gx, gy, ok := c.Pixel(p)
		if !ok || math.Abs(gx-x) > 1e-9 || math.Abs(gy-y) > 1e-9 || math.Abs(c.Depth(p)-depth) > 1e-9*depth+1e-9 {
			t.Fatalf("%+v: %v, %v at %v m is found at %v, %v, %v m, %v", c, x, y, depth, gx, gy, c.Depth(p), ok)
		}
	}
}

// The rays of a lens that is open meet in the plane of focus; the clip distances are along the view axis.
func TestRaysOfALensMeetWhereItIsFocused(t *testing.T) {
	c := Camera{World: geom.Identity, TanX: 0.6, TanY: 0.4, Near: 0.5, Far: 30, Focus: 7, LensRadius: 0.2}
	at := func(r Camera, u, v float64) geom.V {
		ray := r.Ray(0.8, 0.3, u, v)
		return ray.O.Add(ray.D.Mul((-7 - ray.O.Z) / ray.D.Z))
	}
	want := at(c, 0.5, 0.5)
	for _, u := range []float64{0.01, 0.3, 0.99} {
		if got := at(c, u, 1-u); got.Sub(want).Len() > 1e-9 {
			t.Errorf("through %v of the lens: %v, want %v", u, got, want)
		}
	}
	ray := c.Ray(0.8, 0.3, 0.5, 0.5)
	if near := -ray.O.Add(ray.D.Mul(ray.Min)).Z; math.Abs(near-0.5) > 1e-9 {
		t.Errorf("it begins %v m before the lens", near)
	}
	if far := -ray.O.Add(ray.D.Mul(ray.Max)).Z; math.Abs(far-30) > 1e-9 {
		t.Errorf("it ends %v m before the lens", far)
	}
}

// glTF's yfov is the whole vertical angle; it is kept when the picture is wider than the camera's.
func TestACameraOfAFile(t *testing.T) {
	c := From(&model.Camera{YFov: math.Pi / 2, Near: 0.1}, geom.Scaling(3), 200, 100)
	if math.Abs(c.TanY-1) > 1e-12 || math.Abs(c.TanX-2) > 1e-12 {
		t.Errorf("tangents %v, %v", c.TanX, c.TanY)
	}
	if d := c.Ray(0.5, 0, 0.5, 0.5).D; math.Abs(d.Y-math.Sqrt2/2) > 1e-12 || math.Abs(d.Len()-1) > 1e-12 {
		t.Errorf("the upper edge is looked at along %v", d)
	}
}
