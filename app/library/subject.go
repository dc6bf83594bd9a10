package library

import (
	"context"
	"path"

	"visator/core/intake/parts"
	"visator/core/intake/recipe"
	"visator/core/model"
	"visator/core/proxy"
	"visator/core/sizing"
)

const patternSide = 512 // pixels of a picture to measure on: a plank's edge is seen, and it is light

// patternPictures keeps a smaller picture of each pattern, to measure on.
func (a *Library) patternPictures(ctx context.Context, m *model.Model, s *sizing.Subject) error {
	known := map[int]string{}
	for i := range s.Patterns {
		p := &s.Patterns[i]
		slot := m.Surfaces[p.Index].Slots[model.BaseColorMap].Map
		if slot == model.None || p.Pixels == 0 {
			continue
		}
		blob, ok := known[slot]
		if !ok {
			img, err := m.Maps[slot].Picture()
			if err != nil {
				continue // Intake tells of it
			}
			if blob, err = a.PutPicture(ctx, proxy.Fit(img, patternSide)); err != nil {
				return err
			}
			known[slot] = blob
		}
		p.Picture = blob
	}
	return nil
}

// subjectAsItCame is what proposals go by; the pictures on its surfaces are as
// large as they came, whatever was decided about them.
func subjectAsItCame(m *model.Model, source string, rec *recipe.Recipe) *sizing.Subject {
	s := sizing.SubjectOf(m, path.Base(source))
	keys := parts.SurfaceKeys(m)
	for i := range s.Patterns {
		p := &s.Patterns[i]
		p.Key = keys[p.Index]
		if times := rec.Repeat[p.Key]; times > 0 {
			p.Repeat /= times
		}
	}
	return s
}
