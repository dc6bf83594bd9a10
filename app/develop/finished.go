package develop

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"sync"

	"visator/app/act"
	"visator/app/shoot"
	"visator/core/bands"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/openexr"
	"visator/store"
)

// linear is the picture of a take as it was rendered: 3 values a pixel, cd/m².
type linear struct {
	of   string
	w, h int
	rgb  []float32
}

// developing keeps the picture that was developed last, as small as it is shown.
type developing struct {
	mu   sync.Mutex
	last *linear
}

// still is a take that is done, and has all that it was rendered to.
func (a *Lab) still(ctx context.Context, id string) (t store.Take, s shoot.TakeSettings, r shoot.TakeResult,
	err error) {
	if t, err = a.Store.Take(ctx, id); err != nil {
		return t, s, r, act.NotThere(err, "The take")
	}
	if err = json.Unmarshal(t.Settings, &s); err == nil && len(t.Result) > 0 {
		err = json.Unmarshal(t.Result, &r)
	}
	if err == nil && (t.State != "done" || r.EXR == "") {
		err = act.Wrong("Only a still that is done can be finished again: of a move the linear values are not kept.")
	}
	return t, s, r, err
}

// readLinear reads the picture of an EXR, averaged until it is at most so wide.
func (a *Lab) readLinear(ctx context.Context, exr string, widest int) (*linear, error) {
	data, err := a.Store.ReadBlob(ctx, exr)
	if err != nil {
		return nil, err
	}
	e, err := openexr.Open(bytes.NewReader(data))
	if err != nil {
		return nil, act.Wrong("The take cannot be read: %v.", err)
	}
	if need, room := bands.Least(e.Width, e.Height), a.Memory; room > 0 && need > room {
		return nil, act.Wrong("The take is %d × %d pixels: there is not enough memory to finish it again.", e.Width,
			e.Height)
	}
	p := &linear{of: exr}
	w, h, layers, err := averaged(e, []string{"R", "G", "B"}, widest)
	if err != nil {
		return nil, act.Wrong("The take cannot be read: %v.", err)
	}
	p.w, p.h, p.rgb = w, h, layers[0]
	return p, nil
}

// shown is a take's picture as small as it is shown, kept until another is asked for.
func (a *Lab) shown(ctx context.Context, exr string) (*linear, error) {
	a.developing.mu.Lock()
	defer a.developing.mu.Unlock()
	if p := a.developing.last; p != nil && p.of == exr {
		return p, nil
	}
	p, err := a.readLinear(ctx, exr, widestMix)
	if err == nil {
		a.developing.last = p
	}
	return p, err
}

// Developed is a finished take with another finish, as PNG, as small as it is shown.
func (a *Lab) Developed(ctx context.Context, id string, c finish.Chain) ([]byte, error) {
	if err := c.Check(); err != nil {
		return nil, act.Wrong("%v.", err)
	}
	_, s, r, err := a.still(ctx, id)
	if err != nil {
		return nil, err
	}
	p, err := a.shown(ctx, r.EXR)
	if err != nil {
		return nil, err
	}
	out, err := shoot.QuickPicture(p.rgb, p.w, p.h, &s.View, c)
	if err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// Redevelop gives a finished take another finish: its picture is made again of what was rendered.
func (a *Lab) Redevelop(ctx context.Context, id string, c finish.Chain) error {
	if err := c.Check(); err != nil {
		return act.Wrong("%v.", err)
	}
	t, s, r, err := a.still(ctx, id)
	if err != nil {
		return err
	}
	p, err := a.readLinear(ctx, r.EXR, math.MaxInt32)
	if err != nil {
		return err
	}
	png, err := shoot.QuickPicture(p.rgb, p.w, p.h, &s.View, c)
	if err != nil {
		return err
	}
	kept, err := a.Store.Put(ctx, png, 0)
	if err != nil {
		return err
	}
	s.Finish, r.PNG = c, kept.Hash
	if err := a.Store.Refinish(ctx, t.ID, &s, &r); err != nil {
		return err
	}
	set, err := store.GetSet(ctx, a.Store.Pool, t.SetID)
	if err == nil {
		act.Tell(ctx, a.Store.Pool, set.ProductionID, "take")
	}
	return err
}

// around is how many pixels of the shown picture about a place are asked what is white there.
const around = 3

// WhiteAt is the balance in which a take is grey at a place of its picture, 0 to 1 right and down.
func (a *Lab) WhiteAt(ctx context.Context, id string, x, y float64) (*finish.White, error) {
	if !(x >= 0 && x <= 1 && y >= 0 && y <= 1) {
		return nil, act.Wrong("A place of a picture is told from 0 to 1, right and down.")
	}
	_, _, r, err := a.still(ctx, id)
	if err != nil {
		return nil, err
	}
	p, err := a.shown(ctx, r.EXR)
	if err != nil {
		return nil, err
	}
	var sum geom.V
	cx, cy := int(x*float64(p.w)), int(y*float64(p.h))
	for py := max(cy-around, 0); py <= min(cy+around, p.h-1); py++ {
		for px := max(cx-around, 0); px <= min(cx+around, p.w-1); px++ {
			i := 3 * (py*p.w + px)
			sum = sum.Add(geom.V{X: float64(p.rgb[i]), Y: float64(p.rgb[i+1]), Z: float64(p.rgb[i+2])})
		}
	}
	if !(sum.X+sum.Y+sum.Z > 0) || !sum.Finite() {
		return nil, act.Wrong("It is black there: click what is grey and lit.")
	}
	w := finish.WhiteOf(sum)
	return &w, nil
}
