package shoot

import (
	"context"
	"io"
	"math"

	"visator/app/act"
	"visator/core/exchange"
	"visator/core/intake/credit"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/store"
)

// maxExported is how many things a file holds: each is a node of some 300 bytes
// that the program which opens it must hold too.
const maxExported = 200_000

// Export writes a set as GLB: every visible placement, linked copies sharing
// their meshes, the shots as cameras and the sun as a light. The file says who
// made the pieces and under which licence.
func (a *Studio) Export(ctx context.Context, setID string, w io.Writer) error {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return act.NotThere(err, "The set")
	}
	s, err := a.loadScene(ctx, &set)
	if err != nil {
		return err
	}
	if len(s.stands) > maxExported {
		return act.Wrong("The set has %d things; a file holds at most %d. Hide its largest drift first.", len(s.stands),
			maxExported)
	}
	shots, err := store.Shots(ctx, a.Store.Pool, setID)
	if err != nil {
		return err
	}
	lines, err := a.creditLines(ctx, &set)
	if err != nil {
		return err
	}
	m := s.merge(set.Name, shots, &set.Light)
	m.Copyright = credit.Message(lines)
	return exchange.WriteGLB(w, m)
}

// merge puts everything into one model, with the shots as cameras and the sun as a light.
func (l *loaded) merge(name string, shots []store.ShotRow, ls *light.State) *model.Model {
	stands := make([]exchange.Stand, len(l.stands))
	for i := range l.stands {
		t := &l.stands[i]
		stands[i] = exchange.Stand{Key: t.key, Name: t.name, Place: t.place, Top: l.top[t.key], Model: l.models[t.key]}
	}
	out := exchange.Together(name, stands)
	for _, s := range shots {
		_, v := s.View.FieldOfView()
		n := exchange.Node(s.Name, s.View.World())
		n.Camera = len(out.Cameras)
		out.Cameras = append(out.Cameras, model.Camera{Name: s.Name, YFov: v, Aspect: s.View.Aspect, Near: s.View.Near,
			Far: s.View.Far})
		out.Roots, out.Nodes = append(out.Roots, len(out.Nodes)), append(out.Nodes, n)
	}
	if ls.SunOn {
		// The light shines along -Z of its node: turn -Z away from the sun.
		v := optics.View{}
		v.AimAt(light.Direction(ls.Azimuth, ls.Elevation).Mul(-1))
		n := exchange.Node("sun", v.World())
		n.Light = 0
		c := ls.Sunlight()
		k := max(c.Max(), math.SmallestNonzeroFloat64)
		out.Lights = []model.Light{{Name: "sun", Kind: model.Directional, Color: [3]float64{c.X / k, c.Y / k, c.Z / k},
			Intensity: c.Max()}}
		out.Roots, out.Nodes = append(out.Roots, len(out.Nodes)), append(out.Nodes, n)
	}
	return out
}
