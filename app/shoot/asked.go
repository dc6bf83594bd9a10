package shoot

import (
	"context"

	"visator/store"
)

// load reads the set of the take as it was when that was asked for; of takes of earlier releases as it is now.
func (sh *shooting) load(ctx context.Context, set *store.Set) (*loaded, error) {
	world, err := sh.a.Store.World(ctx, sh.t.ID)
	if err != nil {
		return nil, err
	}
	if world == nil {
		seen := *set
		seen.ShotSettings = sh.s.ShotSettings
		return sh.a.loadScene(ctx, &seen)
	}
	w, err := sh.a.Thaw(world)
	if err != nil {
		return nil, err
	}
	w.SetRow.ShotSettings = sh.s.ShotSettings
	if _, err := w.LayOut(ctx, false); err != nil {
		return nil, err
	}
	return sh.a.loadFilmed(ctx, w, nil)
}
