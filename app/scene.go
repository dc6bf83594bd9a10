package app

import (
	"bytes"
	"context"
	"fmt"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/render"
	"visator/core/stage"
	"visator/store"
)

// loaded is a set with its models in memory.
type loaded struct {
	a          *App
	placements []stage.Placement
	models     map[string]*model.Model // by piece, or by kind of stand-in
	top        map[string]geom.M       // from the model to metres about the pivot
}

// loadScene reads the visible placements of a set and their models.
func (a *App) loadScene(ctx context.Context, set *store.Set) (*loaded, error) {
	rows, err := store.Placements(ctx, a.Store.Pool, set.ID)
	if err != nil {
		return nil, err
	}
	l := &loaded{a: a, models: map[string]*model.Model{}, top: map[string]geom.M{}}
	for i := range rows {
		p := rows[i].Placement
		if p.Hidden {
			continue
		}
		l.placements = append(l.placements, p)
		key := l.key(&p)
		if l.models[key] != nil {
			continue
		}
		if p.Piece == "" {
			l.models[key], l.top[key] = stage.StandInModel(p.StandIn), geom.Identity
			continue
		}
		piece, err := store.GetPiece(ctx, a.Store.Pool, p.Piece)
		if err != nil {
			return nil, fmt.Errorf("%s: its piece: %w", p.Name, err)
		}
		if l.models[key], err = a.pieceModel(ctx, &piece); err != nil {
			return nil, err
		}
		f, s, err := pieceFacts(&piece)
		if err != nil {
			return nil, err
		}
		l.top[key] = s.Transform(f.Box())
	}
	return l, nil
}

func (l *loaded) key(p *stage.Placement) string {
	if p.Piece != "" {
		return p.Piece
	}
	return "stand-in " + p.StandIn
}

// world is the transform from a placement's model to the set.
func (l *loaded) world(p *stage.Placement) geom.M {
	m := p.World()
	if p.Piece == "" {
		m = m.Mul(geom.Compose(geom.V{}, geom.Q{}, p.StandInScale()))
	}
	return m.Mul(l.top[l.key(p)])
}

// renderScene makes the scene that the renderer traces. Object IDs count the
// placements from 1.
func (l *loaded) renderScene(ctx context.Context, ls *light.State) (*render.Scene, error) {
	s := &render.Scene{}
	lib := &render.Library{Threads: 2}
	for i := range l.placements {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		p := &l.placements[i]
		if err := s.Place(lib, l.models[l.key(p)], l.world(p), func(int) uint32 { return uint32(i + 1) }); err != nil {
			return nil, fmt.Errorf("%s: %w", p.Name, err)
		}
		s.PlaceLights(l.models[l.key(p)], l.world(p))
	}
	if ls.SunOn && ls.Lux > 0 {
		s.Suns = []render.Sun{{To: light.Direction(ls.Azimuth, ls.Elevation), Lux: light.Color(ls.Kelvin).Mul(ls.Lux), Radius: ls.Size / 2}}
	}
	if ls.Sky == "panorama" {
		data, err := l.a.Store.ReadBlob(ctx, ls.Panorama)
		if err != nil {
			return nil, fmt.Errorf("the panorama: %w", err)
		}
		pix, w, h, err := exchange.ReadHDR(bytes.NewReader(data))
		if err != nil {
			return nil, err
		}
		s.Env = render.NewEnvironment(pix, w, h, ls.Strength, ls.Turn)
	} else {
		const w, h = 16, 256 // the same all around, fine from the horizon up
		s.Env = render.NewEnvironment(ls.BakeSky(w, h), w, h, 1, 0)
	}
	s.Build()
	return s, nil
}

// renderCamera is the camera of a view.
func renderCamera(v *optics.View) render.Camera {
	w, h := v.Gate()
	return render.Camera{World: v.World(), TanX: w / (2 * v.Focal), TanY: h / (2 * v.Focal), Near: v.Near, Far: v.Far, Focus: v.Focus, LensRadius: v.LensRadius()}
}

// merge puts everything into one model: a root node a placement, with the
// nodes of its piece below it; copies share meshes.
func (l *loaded) merge(name string, shots []store.ShotRow, ls *light.State) *model.Model {
	out := &model.Model{Name: name}
	type base struct{ mesh, surface, maps int }
	at := map[string]base{}
	for i := range l.placements {
		p := &l.placements[i]
		key := l.key(p)
		m := l.models[key]
		b, ok := at[key]
		if !ok {
			b = base{len(out.Meshes), len(out.Surfaces), len(out.Maps)}
			at[key] = b
			out.Maps = append(out.Maps, m.Maps...)
			for _, s := range m.Surfaces {
				for r := range s.Slots {
					if s.Slots[r].Map != model.None {
						s.Slots[r].Map += b.maps
					}
				}
				out.Surfaces = append(out.Surfaces, s)
			}
			for _, mesh := range m.Meshes {
				parts := append([]model.Part{}, mesh.Parts...)
				for k := range parts {
					if parts[k].Surface != model.None {
						parts[k].Surface += b.surface
					}
				}
				out.Meshes = append(out.Meshes, model.Mesh{Name: mesh.Name, Parts: parts})
			}
		}
		root, first := len(out.Nodes), len(out.Nodes)+2
		// The placement and the piece's own sizing are two nodes, so that each
		// stays a clean translation, rotation and scale.
		place := p.World()
		if p.Piece == "" {
			place = place.Mul(geom.Compose(geom.V{}, geom.Q{}, p.StandInScale()))
		}
		top := node(p.Name, place)
		top.Children = []int{root + 1}
		inner := node("", l.top[key])
		for _, r := range m.Roots {
			inner.Children = append(inner.Children, r+first)
		}
		out.Roots = append(out.Roots, root)
		out.Nodes = append(out.Nodes, top, inner)
		for _, n := range m.Nodes {
			children := make([]int, 0, len(n.Children))
			for _, c := range n.Children {
				children = append(children, c+first)
			}
			n.Children = children
			if n.Mesh != model.None {
				n.Mesh += b.mesh
			}
			n.Camera, n.Light = model.None, model.None
			out.Nodes = append(out.Nodes, n)
		}
	}
	for _, s := range shots {
		_, v := s.View.FieldOfView()
		n := node(s.Name, s.View.World())
		n.Camera = len(out.Cameras)
		out.Cameras = append(out.Cameras, model.Camera{Name: s.Name, YFov: v, Aspect: s.View.Aspect, Near: s.View.Near, Far: s.View.Far})
		out.Roots, out.Nodes = append(out.Roots, len(out.Nodes)), append(out.Nodes, n)
	}
	if ls.SunOn {
		// The light shines along -Z of its node: turn -Z away from the sun.
		v := optics.View{}
		v.AimAt(light.Direction(ls.Azimuth, ls.Elevation).Mul(-1))
		n := node("sun", v.World())
		n.Light = 0
		c := light.Color(ls.Kelvin)
		k := c.Max()
		out.Lights = []model.Light{{Name: "sun", Kind: model.Directional, Color: [3]float64{c.X / k, c.Y / k, c.Z / k}, Intensity: ls.Lux * k}}
		out.Roots, out.Nodes = append(out.Roots, len(out.Nodes)), append(out.Nodes, n)
	}
	return out
}
