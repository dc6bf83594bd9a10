package outfit

import (
	"context"
	"fmt"
	"math"

	"visator/app/act"
	"visator/app/cache"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/plain"
	"visator/core/render"
	"visator/core/rig"
	"visator/core/sky"
	"visator/core/stage"
	"visator/core/surface"
)

// Alone says how a thing is looked at by itself, on grey ground.
type Alone struct {
	Thing, Piece string
	Light        string  // one of AloneLights
	Turn         float64 // radians that it is turned about the upright
	Person       bool    // one of true size stands beside it
	Wide         int     // pixels
}

// AloneLights are in what light a thing is looked at by itself.
var AloneLights = []string{"overcast", "low sun", "studio", "night", ofShot}

// ofShot is the sun and the sky of the set, without its lamps, which stand where they stand.
const ofShot = "the shot's"

// Limits of a picture of a thing alone.
const (
	leastAlone, mostAlone = 64, 720 // pixels across
	aloneSamples          = 8
	alonePitch            = 0.22 // radians that it is seen from above
)

var alones = cache.Of("alone", func(b []byte) int { return len(b) })

// Alone is a thing of a set by itself as it is worn, as a picture, PNG.
func (a *Outfitter) Alone(ctx context.Context, setID string, o Alone) ([]byte, error) {
	switch {
	case o.Wide < leastAlone || o.Wide > mostAlone:
		return nil, act.Wrong("A thing alone is drawn %d to %d pixels wide.", leastAlone, mostAlone)
	case !(math.Abs(o.Turn) <= 100):
		return nil, act.Wrong("It is turned by at most 100 radians.")
	}
	shown, err := a.Show(ctx, setID, o.Thing, o.Piece)
	if err != nil {
		return nil, err
	}
	matches := surface.Matching(shown.Worn, o.Thing, shown.Piece)
	sees := ""
	if o.Light == ofShot {
		sees = plain.Name(shown.Light)
	}
	return alones.Make(plain.Name(o, matches, shown.Made, sees), func() ([]byte, error) {
		m, err := a.Coat(ctx, shown.Model, shown.Top, matches,
			shown.Model.Bounds().Apply(shown.Top).Size().Len()/float64(o.Wide))
		if err != nil {
			return nil, act.Wrong("%v", err)
		}
		return a.alone(ctx, m, shown.Top, &o, &shown.Light)
	})
}

// alone draws a model that top brings to metres.
func (a *Outfitter) alone(ctx context.Context, m *model.Model, top geom.M, o *Alone, ls *light.State) ([]byte, error) {
	box := m.Bounds().Apply(top)
	if box.IsEmpty() {
		return nil, act.Wrong("It is made of nothing that shows.")
	}
	s, lib := &render.Scene{}, &render.Library{Threads: 1}
	if err := s.Place(lib, m, top, func(int) uint32 { return 1 }); err != nil {
		return nil, act.Wrong("%v", err)
	}
	foot := box.Min.Y
	all := box
	if o.Person {
		// To its left as it is seen, whichever way it is turned.
		far := math.Hypot(box.Size().X, box.Size().Z)/2 + 0.5
		sin, cos := math.Sincos(o.Turn)
		at := geom.V{X: box.Center().X - far*cos, Y: foot, Z: box.Center().Z + far*sin}
		p := stage.Placement{StandIn: "person"}
		if err := s.Place(lib, stage.ShapeModel(p.Shape()), geom.Translation(at),
			func(int) uint32 { return 2 }); err != nil {
			return nil, err
		}
		all = all.Add(at.Add(geom.V{X: 0.3, Z: 0.3})).Add(at.Add(geom.V{X: -0.3, Y: stage.PersonHeight, Z: -0.3}))
	}
	radius := max(all.Size().Len()/2, 1e-3)
	if err := s.Place(lib, table(), geom.Translation(geom.V{X: all.Center().X, Y: foot, Z: all.Center().Z}).
		Mul(geom.Scaling(max(radius*10, 1))), func(int) uint32 { return 3 }); err != nil {
		return nil, err
	}
	if err := a.lightAlone(ctx, s, all, o, ls); err != nil {
		return nil, err
	}
	s.Build()
	view := optics.Default()
	const wide = 0.32 // tangent of half of the angle of view
	mid := all.Center()
	sin, cos := math.Sincos(o.Turn)
	back := geom.V{X: sin, Z: cos}.Mul(math.Cos(alonePitch)).Add(geom.V{Y: math.Sin(alonePitch)})
	view.Eye = mid.Add(back.Mul(radius / math.Sin(math.Atan(wide)) * 1.02))
	view.AimAt(mid)
	cam := &render.Camera{Near: radius / 1000, TanX: wide, TanY: wide, World: view.World()}
	return drawn(ctx, s, cam, render.Options{Width: o.Wide, Height: o.Wide, Samples: aloneSamples, Bounces: 3,
		Denoise: true}, finish.Measure)
}

// lightAlone lights a thing by itself; what it needs goes by how large the thing is.
func (a *Outfitter) lightAlone(ctx context.Context, s *render.Scene, box geom.Box, o *Alone, ls *light.State) error {
	size, mid := box.Size().Len(), box.Center()
	// panel is a lamp with so many cd/m² that looks at the thing from a way off; its side is half of its distance.
	panel := func(from geom.V, nits float64, color geom.V) {
		// From where the camera sees it: it turns with the thing.
		sin, cos := math.Sincos(o.Turn)
		from = geom.V{X: from.X*cos + from.Z*sin, Y: from.Y, Z: from.Z*cos - from.X*sin}.Mul(size)
		half := size / 2
		s.Lamps = append(s.Lamps, window(mid.Add(from), from.Mul(-1), half, half, color.Mul(nits*4*half*half)))
	}
	white := geom.V{X: 1, Y: 1, Z: 1}
	switch o.Light {
	case "overcast":
		s.Env = overcast()
	case "low sun":
		lit := light.Default()
		sin, cos := math.Sincos(0.2)
		s.Suns = []render.Sun{{To: geom.V{X: -0.8 * cos, Y: sin, Z: 0.6 * cos}.Unit(),
			Lux: light.Color(3500).Mul(25000), Radius: lit.Size / 2}}
		s.Env = &sky.Environment{Constant: geom.V{X: 500, Y: 650, Z: 900}}
	case "studio":
		panel(geom.V{X: -1.1, Y: 1.1, Z: 1.2}, 4000, white)
		panel(geom.V{X: 1.5, Y: 0.5, Z: 0.9}, 900, white)
		panel(geom.V{X: 0.6, Y: 1.2, Z: -1.4}, 5000, white)
		s.Env = &sky.Environment{Constant: white.Mul(40)}
	case "night":
		panel(geom.V{X: -0.9, Y: 1.3, Z: 0.7}, 60, light.Color(2700))
		s.Env = &sky.Environment{Constant: geom.V{X: 0.1, Y: 0.14, Z: 0.25}}
	case ofShot:
		env, err := rig.Sky(ls, a.SkyFrom(ctx, ls.Panorama))
		if err != nil {
			return fmt.Errorf("the shot's light: %w", err)
		}
		s.Suns, s.Env = rig.Suns(ls), env
	default:
		return act.Wrong("A thing is looked at in the light %q.", AloneLights)
	}
	return nil
}
