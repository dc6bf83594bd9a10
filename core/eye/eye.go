// Package eye is where the rays of a picture begin: cameras with a lens, without perspective, and all around.
package eye

import (
	"math"

	"visator/core/cast"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/sky"
)

// Camera looks along -Z of its World transform.
type Camera struct {
	World geom.M
	// TanX and TanY are the tangents of half the angle of view; for an
	// orthographic camera half the width and height in metres.
	TanX, TanY   float64
	MidX, MidY   float64 // tangents of the middle of a picture of a shifted lens
	Squeeze      float64 // of an anamorphic lens: its opening is so much narrower; 0 is 1
	Orthographic bool
	Around       bool    // all around by longitude and latitude: the middle of the picture is along -Z
	Cube         bool    // with Around: as six squares one below the other, see sky.CubeWay
	Near, Far    float64 // metres along the view axis; Far 0: without end
	Focus        float64 // metres along the view axis
	LensRadius   float64 // metres; 0 is a pinhole
}

// sensorHalfHeight is half the height of the sensor that a file's camera is
// taken to have, 24 mm.
const sensorHalfHeight = 0.012

// From returns the camera of a model node for a picture of w x h
// pixels. The vertical field of view is kept when the aspect differs.
func From(c *model.Camera, world geom.M, w, h int) Camera {
	// A camera's scale means nothing: keep where it stands and how it is turned.
	x, y, z := world.Dir(geom.V{X: 1}).Unit(), world.Dir(geom.V{Y: 1}).Unit(), world.Dir(geom.V{Z: 1}).Unit()
	at := world.Point(geom.V{})
	cam := Camera{World: geom.M{x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, at.X, at.Y, at.Z, 1},
		Near: c.Near, Far: c.Far}
	aspect := float64(w) / float64(h)
	if c.Orthographic {
		cam.Orthographic, cam.TanY = true, c.YMag
		cam.TanX = c.YMag * aspect
		return cam
	}
	cam.TanY = math.Tan(c.YFov / 2)
	cam.TanX = cam.TanY * aspect
	return cam
}

// Open sets a thin lens of the f-number n, focused at focus metres.
func (c *Camera) Open(n, focus float64) {
	if n > 0 && focus > 0 && !c.Orthographic {
		f := sensorHalfHeight / c.TanY
		c.LensRadius, c.Focus = f/(2*n), focus
	}
}

// Ray returns the ray through the place x, y of the picture (0..1, y down)
// and the point u, v of the lens (0..1).
func (c *Camera) Ray(x, y, u, v float64) cast.Ray {
	px, py := (2*x-1)*c.TanX+c.MidX, (1-2*y)*c.TanY+c.MidY
	var o, d geom.V
	if c.Around {
		lon, lat := (2*x-1)*math.Pi, (1-2*y)*math.Pi/2
		d = geom.V{X: math.Cos(lat) * math.Sin(lon), Y: math.Sin(lat), Z: -math.Cos(lat) * math.Cos(lon)}
		if c.Cube {
			d = sky.CubeWay(x, y)
		}
		ray := cast.New(c.World.Point(o), c.World.Dir(d).Unit())
		ray.Min, ray.Max = c.Near, max(c.Far, 0)
		return ray
	}
	if c.Orthographic {
		o, d = geom.V{X: px, Y: py}, geom.V{Z: -1}
	} else {
		d = geom.V{X: px, Y: py, Z: -1}
		if c.LensRadius > 0 {
			lx, ly := disk(u, v)
			o = geom.V{X: lx * c.LensRadius, Y: ly * c.LensRadius}
			if c.Squeeze > 0 {
				o.X /= c.Squeeze
			}
			d = d.Mul(c.Focus).Sub(o)
		}
	}
	l := d.Len()
	along := -d.Z / l // cosine with the view axis
	ray := cast.New(c.World.Point(o), c.World.Dir(d.Mul(1/l)).Unit())
	ray.Min = c.Near / along
	if c.Far > 0 {
		ray.Max = c.Far / along
	}
	return ray
}

// Pixel is where in the picture (0..1, y down) a place is seen; ok is false behind the camera and all around.
func (c *Camera) Pixel(at geom.V) (x, y float64, ok bool) {
	if c.Around {
		return 0, 0, false
	}
	inv, ok := c.World.Affine()
	if !ok {
		return 0, 0, false
	}
	p := inv.Point(at)
	if !c.Orthographic {
		if !(p.Z < 0) {
			return 0, 0, false
		}
		p = p.Mul(-1 / p.Z)
	}
	return ((p.X-c.MidX)/c.TanX + 1) / 2, (1 - (p.Y-c.MidY)/c.TanY) / 2, true
}

// Depth is the distance along the view axis of a point; of a picture all around how far it is.
func (c *Camera) Depth(p geom.V) float64 {
	if c.Around {
		return p.Sub(c.World.Point(geom.V{})).Len()
	}
	return geom.V{X: c.World[8], Y: c.World[9], Z: c.World[10]}.Dot(geom.V{X: c.World[12], Y: c.World[13],
		Z: c.World[14]}.Sub(p))
}

// Point is the place in the set of what is seen at x, y of the picture (0..1, y down) so far along the view axis.
func (c *Camera) Point(x, y, depth float64) geom.V {
	p := *c
	p.LensRadius, p.Near = 0, 0
	r := p.Ray(x, y, 0.5, 0.5)
	if c.Around {
		return r.O.Add(r.D.Mul(depth))
	}
	along := -geom.V{X: c.World[8], Y: c.World[9], Z: c.World[10]}.Dot(r.D)
	return r.O.Add(r.D.Mul(depth / along))
}

// disk maps the unit square to the unit disk and keeps areas (Shirley and
// Chiu, A Low Distortion Map Between Disk and Square, 1997).
func disk(u, v float64) (x, y float64) {
	a, b := 2*u-1, 2*v-1
	if a == 0 && b == 0 {
		return 0, 0
	}
	r, phi := a, math.Pi/4*(b/a)
	if math.Abs(b) > math.Abs(a) {
		r, phi = b, math.Pi/2-math.Pi/4*(a/b)
	}
	s, co := math.Sincos(phi)
	return r * co, r * s
}
