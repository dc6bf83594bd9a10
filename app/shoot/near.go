package shoot

import (
	"encoding/json"
	"fmt"
	"math"

	"visator/app/measure"
	"visator/core/geom"
	"visator/core/intake/recipe"
	"visator/core/optics"
	"visator/core/subdivide"
	"visator/store"
)

// nearness tells how near to the lens of a shot things come: what is far off is not divided as finely.
type nearness struct {
	eyes  []geom.V // along the shot's move
	pixel float64  // how wide one of a picture pictureWide wide is, a metre before the lens; least of the move
}

const (
	pictureWide = 1920  // pixels: larger pictures show the same relief
	finest      = 0.001 // metres that a face of relief is wide at least
	moments     = 17    // of a move that are looked at
)

// nearOf is that of a set's shot.
func nearOf(w *measure.Snapshot) (n nearness) {
	add := func(v optics.View) {
		half, _ := v.Window().Half()
		n.eyes = append(n.eyes, v.Eye)
		if p := 2 * half / pictureWide; n.pixel == 0 || p < n.pixel {
			n.pixel = p
		}
	}
	add(w.SetRow.View)
	if m := w.SetRow.Move; m != nil {
		for i := range moments {
			add(m.At(w.SetRow.View, m.Duration()*float64(i)/(moments-1), nil))
		}
	}
	return n
}

// far is how far a box of the set is from the lens where it is nearest.
func (n *nearness) far(b geom.Box) float64 {
	least := math.Inf(1)
	for _, e := range n.eyes {
		d := geom.V{X: max(b.Min.X-e.X, e.X-b.Max.X, 0), Y: max(b.Min.Y-e.Y, e.Y-b.Max.Y, 0),
			Z: max(b.Min.Z-e.Z, e.Z-b.Max.Z, 0)}
		least = min(least, d.Len())
	}
	return least
}

// fine is how long the edges of relief may be that the shot shows, metres, so far away: two pixels, by powers of two,
// so that a step of the camera does not make all of it anew.
func (n *nearness) fine(far float64) float64 {
	if math.IsInf(far, 1) || len(n.eyes) == 0 {
		return finest
	}
	return max(math.Exp2(math.Floor(math.Log2(max(2*far*n.pixel, finest)))), finest)
}

// smoother is the key of a piece so far from the lens: of one that is smoother near it, that of the smoother one where
// it is near.
func (l *Loaded) smoother(piece *store.Piece, key string, far float64) (string, error) {
	if piece == nil || len(piece.Recipe) == 0 {
		return key, nil
	}
	s, known := l.smooth[key]
	if !known {
		var rec recipe.Recipe
		if err := json.Unmarshal(piece.Recipe, &rec); err != nil {
			return "", fmt.Errorf("piece %s: %w", piece.ID, err)
		}
		if rec.Smooth != nil && rec.Smooth.Near > 0 {
			s = rec.Smooth
		}
		l.smooth[key] = s
	}
	if s == nil || far > s.Near {
		return key, nil
	}
	name := fmt.Sprintf("%s smooth %d %s %g", key, s.Times, s.By, s.Sharp)
	l.top[name], l.of[name] = l.top[key], l.of[key]
	if l.models[name] != nil || l.again(name, key) {
		return name, nil
	}
	m, err := subdivide.Model(l.models[key], s)
	if err != nil {
		return "", fmt.Errorf("%s: %w", piece.Name, err)
	}
	l.models[name] = m
	return name, nil
}
