package measure

import (
	"context"

	"visator/core/geom"
	"visator/core/motion"
	"visator/core/optics"
	"visator/core/stage"
)

// Track is a move frame by frame, for scrubbing and playing: what the browser
// draws between one look at the set and the next.
type Track struct {
	Revision int64   `json:"revision"`
	Rate     float64 `json:"rate"`
	Frames   int     `json:"frames"` // of the whole move
	From     int     `json:"from"`
	Poses    []Pose  `json:"poses"`
}

// Pose is everything that moves, at one frame.
type Pose struct {
	View   optics.View        `json:"view"`
	World  geom.M             `json:"world"`
	Window optics.Window      `json:"window"`
	Scale  float64            `json:"scale"`  // exposure
	Moved  map[string]geom.M  `json:"moved"`  // how what rides is moved from where it stands
	Lights map[string]float64 `json:"lights"` // shares of their light; "" the sun and the sky
	Cards  map[string]string  `json:"cards"`  // pictures that cards show
}

// maxPoses is how many frames are told at once: about a megabyte.
const maxPoses = 1000

// TrackOf is the working move from a frame on; without a move its one view.
func (a *Sets) TrackOf(ctx context.Context, setID string, from, count int) (*Track, error) {
	w, err := a.LaidOut(ctx, setID)
	if err != nil {
		return nil, err
	}
	k := &w.SetRow.ShotSettings
	cast := w.Cast(k.Move)
	out := &Track{Revision: w.Production.Revision, Rate: 24, Frames: 1, Poses: []Pose{}}
	if k.Move != nil {
		out.Rate, out.Frames = k.Move.Rate, k.Move.Frames()
	}
	out.From = min(max(from, 0), out.Frames-1)
	for i := out.From; i < out.Frames && len(out.Poses) < min(max(count, 1), maxPoses); i++ {
		out.Poses = append(out.Poses, poseAt(w, cast, float64(i)/out.Rate))
	}
	return out, nil
}

func poseAt(w *Snapshot, cast *stage.Cast, t float64) Pose {
	k := &w.SetRow.ShotSettings
	v := k.At(t, cast.Where)
	p := Pose{View: v, World: v.World(), Window: v.Window(), Scale: 1 / optics.Saturation(v.EV), Moved: cast.Pose(t)}
	if k.Move == nil {
		return p
	}
	p.Cards, p.Lights = playing(k.Move, t)
	return p
}

// playing are the pictures that cards show and the shares of light of what
// flickers, at t.
func playing(m *motion.Move, t float64) (cards map[string]string, lights map[string]float64) {
	cards, lights = map[string]string{}, map[string]float64{}
	for i := range m.Plays {
		cards[m.Plays[i].ID] = m.Plays[i].At(t)
	}
	for i := range m.Flickers {
		f := &m.Flickers[i]
		if len(f.IDs) == 0 {
			lights[""] = f.At(t)
		}
		for _, id := range f.IDs {
			lights[id] = f.At(t)
		}
	}
	return cards, lights
}
