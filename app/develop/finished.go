package develop

import (
	"context"
	"math"

	"visator/app/act"
	"visator/app/shoot"
	"visator/app/takes"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/layers"
	"visator/core/optics"
	"visator/core/render"
	"visator/store"
)

// still is a take that is done, and has all that it was rendered to.
func (a *Lab) still(ctx context.Context, id string) (t store.Take, s takes.Settings, r takes.Result,
	err error) {
	t, s, r, err = a.take(ctx, id)
	if err == nil && (t.State != "done" || r.EXR == "") {
		err = act.Wrong("Only a still that is done can be finished again: of a move the linear values are not kept.")
	}
	return t, s, r, err
}

// linear is the picture of a take as it was rendered, in cd/m², averaged until it is at most so wide.
func (a *Lab) linear(ctx context.Context, exr string, widest int) (*finish.Linear, error) {
	e, err := a.open(ctx, exr, widest)
	if err != nil {
		return nil, err
	}
	return layers.Linear(e, widest)
}

// small is a still as small as it is shown, with its settings.
func (a *Lab) small(ctx context.Context, id string) (*finish.Linear, takes.Settings, error) {
	_, s, r, err := a.still(ctx, id)
	if err != nil {
		return nil, s, err
	}
	p, err := a.developing.get(r.EXR, func() (*finish.Linear, error) { return a.linear(ctx, r.EXR, widestMix) })
	return p, s, err
}

// Raw is a picture as it was rendered, to be finished where it is looked at.
type Raw struct {
	*finish.Linear `json:"-"`
	Width          int           `json:"width"`
	Height         int           `json:"height"`
	Scale          float64       `json:"scale"`  // of its exposure: what becomes white, times this, is 1
	Window         optics.Window `json:"window"` // what it shows at a metre
	Hidden         bool          `json:"hidden"` // whether its layer of occlusion is there
}

// Raw is a finished take as it was rendered, averaged until it is at most so wide.
func (a *Lab) Raw(ctx context.Context, id string, widest int) (*Raw, error) {
	_, s, r, err := a.still(ctx, id)
	if err != nil {
		return nil, err
	}
	if widest < 16 || widest > render.MaxSide {
		return nil, act.Wrong("A picture is shown 16 to %d pixels wide, not %d.", render.MaxSide, widest)
	}
	l, err := a.linear(ctx, r.EXR, widest)
	if err != nil {
		return nil, err
	}
	return &Raw{Linear: l, Width: l.Width, Height: l.Height, Scale: finish.Scale(s.View.EV), Window: s.View.Window(),
		Hidden: l.Unhidden != nil}, nil
}

// Developed is a finished take with another finish, as PNG, as small as it is shown.
func (a *Lab) Developed(ctx context.Context, id string, c finish.Chain) ([]byte, error) {
	if err := c.Check(); err != nil {
		return nil, act.Wrong("%v.", err)
	}
	if err := a.Learned(ctx, c); err != nil {
		return nil, err
	}
	p, s, err := a.small(ctx, id)
	if err != nil {
		return nil, err
	}
	out, err := shoot.QuickPicture(p, &s.View, c)
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
	if err := a.Learned(ctx, c); err != nil {
		return err
	}
	t, s, r, err := a.still(ctx, id)
	if err != nil {
		return err
	}
	p, err := a.linear(ctx, r.EXR, math.MaxInt32)
	if err != nil {
		return err
	}
	png, err := shoot.QuickPicture(p, &s.View, c)
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
	p, _, err := a.small(ctx, id)
	if err != nil {
		return nil, err
	}
	rgb := p.Color
	var sum geom.V
	cx, cy := int(x*float64(p.Width)), int(y*float64(p.Height))
	for py := max(cy-around, 0); py <= min(cy+around, p.Height-1); py++ {
		for px := max(cx-around, 0); px <= min(cx+around, p.Width-1); px++ {
			i := 3 * (py*p.Width + px)
			sum = sum.Add(geom.V{X: float64(rgb[i]), Y: float64(rgb[i+1]), Z: float64(rgb[i+2])})
		}
	}
	if !(sum.X+sum.Y+sum.Z > 0) || !sum.Finite() {
		return nil, act.Wrong("It is black there: click what is grey and lit.")
	}
	w := finish.WhiteOf(sum)
	return &w, nil
}
