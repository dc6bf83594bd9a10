package shoot

import (
	"bytes"
	"context"
	"slices"

	"visator/app/act"
	"visator/core/exchange"
	"visator/core/light"
	"visator/store"
)

// KeepPiece takes what a group holds into the library, as a download of the
// artist's own that arrives now.
func (a *Studio) KeepPiece(ctx context.Context, setID, group string) (store.Arrival, error) {
	w, err := a.LaidOut(ctx, setID)
	if err != nil {
		return store.Arrival{}, err
	}
	i := slices.IndexFunc(w.ElementRows, func(e store.ElementRow) bool { return e.ID == group && e.Kind == "group" })
	if i < 0 {
		return store.Arrival{}, act.NotThere(store.ErrNotFound, "The group")
	}
	name := w.ElementRows[i].Name
	l := newLoaded(a)
	for t := range w.Seen {
		if !slices.Contains(t.Groups, group) {
			continue
		}
		if err := l.stand(ctx, w, t); err != nil {
			return store.Arrival{}, err
		}
	}
	if len(l.stands) == 0 {
		return store.Arrival{}, act.Wrong("%s holds nothing that is seen.", name)
	}
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, l.merge(name, nil, &light.State{}, nil)); err != nil {
		return store.Arrival{}, err
	}
	ar, _, err := a.Arrive(ctx, w.SetRow.ProductionID, name+".glb", &buf)
	return ar, err
}
