package edit

import (
	"context"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/geom"
	"visator/core/stage"
)

// Rest stands placements where they came to rest. What was changed since they were let go
// stays: then none is moved.
type Rest struct {
	Was []Stood `json:"was"` // when they were let go
	Now []Stood `json:"now"`
}

func (d *Rest) Do(ctx context.Context, e *desk.Editor) error {
	if n := len(d.Now); len(d.Was) != n || n == 0 || n > MaxHeap {
		return act.Wrong("That does not say where things came to rest.")
	}
	ids := make([]string, len(d.Now))
	for i := range d.Now {
		ids[i] = d.Now[i].ID
	}
	rows, err := e.Free(ctx, ids, 1, "what is to settle")
	if err != nil {
		return err
	}
	for i, r := range rows {
		if StoodAt(&r.Placement) != d.Was[i] {
			return act.Stale("%s was changed meanwhile, so nothing was moved; settle again.", r.Name)
		}
	}
	e.Say("settle %s", rows[0].Name)
	for i, r := range rows {
		before := r.Placement
		n := &d.Now[i]
		r.At, r.Yaw, r.Pitch, r.Roll = n.At, n.Yaw, n.Pitch, n.Roll
		if r.Placement == before {
			continue
		}
		if err := e.Keep(ctx, r, before); err != nil {
			return err
		}
	}
	return nil
}

// MaxHeap is how many things settle together: some seconds' work.
const MaxHeap = 200

// Stood is where a placement stands: what a settling begins with and ends in.
type Stood struct {
	ID    string  `json:"id"`
	At    geom.V  `json:"at"`
	Yaw   float64 `json:"yaw"`
	Pitch float64 `json:"pitch"`
	Roll  float64 `json:"roll"`
	Scale geom.V  `json:"scale"`
	Size  geom.V  `json:"size"`
	Piece string  `json:"piece"`
}

// StoodAt is where a placement stands now.
func StoodAt(p *stage.Placement) Stood {
	return Stood{p.ID, p.At, p.Yaw, p.Pitch, p.Roll, p.Scale, p.Size, p.Piece}
}
