package takes

import (
	"context"

	"visator/app/measure"
	"visator/app/shoot"
)

// load reads the set of the take as it was when that was asked for; of takes of earlier releases as it is now.
func (sh *shooting) load(ctx context.Context) (*shoot.Loaded, error) {
	world, err := sh.a.Store.World(ctx, sh.t.ID)
	if err != nil {
		return nil, err
	}
	var w *measure.Snapshot
	if world != nil {
		w, err = sh.a.Thaw(world)
	} else {
		w, err = sh.a.SnapshotOf(ctx, sh.t.SetID)
	}
	if err != nil {
		return nil, err
	}
	return sh.a.LoadAs(ctx, w, sh.s.ShotSettings)
}
