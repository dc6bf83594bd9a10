package takes

import (
	"context"

	"visator/app/act"
	"visator/app/shoot"
	"visator/core/geom"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/render"
)

// envMaps are the ways of a picture of all around, by what OpenEXR calls them.
var envMaps = map[string]string{"sphere": "latlong", "cube": "cube"}

// allAround sets the height of a still of all around, and refuses what does not go with it.
func (s *Settings) allAround() error {
	switch s.Around {
	case "":
		return nil
	case "sphere":
		s.Height = max(s.Width/2, 1)
	case "cube":
		if s.Height = 6 * s.Width; s.Height > render.MaxSide {
			return act.Wrong("A side of the cube has at most %d pixels: the six lie below one another.",
				render.MaxSide/6)
		}
	default:
		return act.Wrong("%.40q is no way of all around: there are sphere and cube.", s.Around)
	}
	if s.Region != nil {
		return act.Wrong("A picture of all around has no region.")
	}
	return nil
}

// nearAround is from how near on things are in a picture of all around, metres: what is about the lens itself is not.
const nearAround = 0.02

// camera is the camera of a view as the take sees.
func (sh *shooting) camera(v *optics.View) render.Camera {
	if sh.s.Around == "" {
		return shoot.RenderCamera(v)
	}
	level := *v // the horizon lies straight through the middle
	level.Pitch, level.Roll = 0, 0
	c := shoot.RenderCamera(&level)
	// The planes of the lens are fitted to what it sees; all around there is more, and nearer.
	c.Around, c.Cube, c.LensRadius, c.Near, c.Far = true, sh.s.Around == "cube", 0, nearAround, 0
	return c
}

// Of a turntable, where nothing is said: how long it lasts, and its frames a second.
const (
	turnSeconds = 4
	turnRate    = 24
	mostTurn    = 600 // seconds
)

// turntable gives a take the move once around a thing, or around what is in focus.
func (a *Operator) turntable(ctx context.Context, setID string, s *Settings) error {
	if s.Lasts == 0 {
		s.Lasts = turnSeconds
	}
	if !(s.Lasts > 0 && s.Lasts <= mostTurn) {
		return act.Wrong("A turntable lasts up to %d s, not %v.", mostTurn, s.Lasts)
	}
	rate := float64(turnRate)
	if s.Move != nil {
		rate = s.Move.Rate
	}
	v := &s.View
	about := v.Eye.Add(v.Forward().Mul(v.Focus))
	if s.About != "" {
		w, err := a.SnapshotOf(ctx, setID)
		if err != nil {
			return err
		}
		box, name := geom.Empty(), ""
		for _, p := range w.Placements {
			if p.ID == s.About {
				box, name = w.BoxOf(p).Apply(p.World()), p.Name
			}
		}
		if name == "" {
			return act.Wrong("What it should go around does not stand in the set.")
		}
		about = box.Center()
	}
	s.Move, s.First, s.Last = motion.Turntable(*v, about, s.Lasts, rate), 0, 0
	return nil
}
