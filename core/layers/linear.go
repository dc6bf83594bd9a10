package layers

import (
	"visator/core/finish"
	"visator/core/openexr"
)

// Linear reads what is finished of a picture: its linear values and, if it is there, its layer of occlusion, averaged
// until it is at most so wide.
func Linear(e *openexr.Reader, widest int) (*finish.Linear, error) {
	names := []string{"R", "G", "B"}
	if e.Has(occlusion) {
		names = append(names, occlusion, occlusion, occlusion)
	}
	w, h, planes, err := e.Averaged(names, widest)
	if err != nil {
		return nil, err
	}
	l := &finish.Linear{Width: w, Height: h, Color: planes[0]}
	if len(planes) > 1 {
		l.Unhidden = make([]float32, w*h)
		for i := range l.Unhidden {
			l.Unhidden[i] = planes[1][3*i]
		}
	}
	return l, nil
}
