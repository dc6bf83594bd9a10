package shoot

import (
	"context"
	"math"
	"runtime"

	"visator/app/act"
	"visator/app/cache"
	"visator/core/ambient"
	"visator/core/geom"
	"visator/core/plain"
	"visator/core/render"
)

// How many paths the light of a place is worked out by: at first, and when there is time.
const (
	ambientQuick = 8
	ambientFine  = 64
)

// ahead is how far before the eye the finest grid lies about, metres, at most.
const ahead = 7

var ambients = cache.Of("ambient", func(g *ambient.Grid) int { return 4 * len(g.Values) })

// Ambient is the light that fills what the working view sees, for the lens view: quick, or fine. It is worked out once
// for what stands and how it is lit.
func (a *Studio) Ambient(ctx context.Context, setID string, fine bool) (*ambient.Grid, int64, error) {
	st, revision, err := a.staged(ctx, setID)
	if err != nil {
		return nil, 0, err
	}
	v := &st.s.w.SetRow.View
	focus := v.Eye.Add(v.Forward().Mul(min(v.Focus, ahead)))
	floor := focus.Y - 1.5
	if hit, ok := st.scene.Closest(render.NewRay(focus.Add(geom.V{Y: 0.5}), geom.V{Y: -1})); ok {
		floor = math.Max(focus.Y+0.5-hit.T, v.Eye.Y-20)
	}
	levels := ambient.Around(focus, floor)
	samples := ambientQuick
	if fine {
		samples = ambientFine
	}
	g, err := ambients.Make(plain.Name(st.s.things, st.s.light, levels, samples), func() (*ambient.Grid, error) {
		return ambient.Work(ctx, st.scene, levels, samples, runtime.GOMAXPROCS(0), act.GiveWay)
	})
	return g, revision, err
}
