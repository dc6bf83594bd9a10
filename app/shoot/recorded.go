package shoot

import (
	"context"

	"visator/app/act"
	"visator/core/geom"
	"visator/core/motion"
	"visator/core/stage"
)

// Recorded is the move of a shot of a set frame by frame, with what rides by its name.
func (a *Studio) Recorded(ctx context.Context, setID string, k *stage.ShotSettings) (*motion.Recorded, error) {
	if k.Move == nil {
		return nil, act.Wrong("The shot has no move.")
	}
	w, err := a.LaidOut(ctx, setID)
	if err != nil {
		return nil, err
	}
	names := map[string]string{}
	for _, p := range w.Placements {
		names[p.ID] = p.Name
	}
	cast := w.Cast(k.Move)
	out := &motion.Recorded{Rate: k.Move.Rate}
	first, last := k.Frames()
	if last-first >= motion.MaxRecorded {
		return nil, act.Wrong("The move has %d frames; a recorded one has at most %d.", last-first+1,
			motion.MaxRecorded)
	}
	for i := first; i <= last; i++ {
		t := float64(i) / k.Move.Rate
		f := motion.RecordedFrame{View: k.At(t, cast.Where)}
		for id, by := range cast.Pose(t) {
			if names[id] == "" {
				continue // an element's own
			}
			if f.Moved == nil {
				f.Moved = map[string]geom.M{}
			}
			f.Moved[names[id]] = by
		}
		out.Frames = append(out.Frames, f)
	}
	return out, nil
}
