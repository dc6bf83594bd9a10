package measure

import (
	"context"
	"fmt"
	"math"

	"visator/core/frame"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/plain"
	"visator/core/sky"
	"visator/core/snag"
	"visator/core/stage"
	"visator/core/unit"
)

// framed are the snags of framing: of every kept shot, and of the working view
// where it is none of them. known are those of before, by what they were found
// for: a shot is looked at again when it, or what stands, has changed.
func (w *Snapshot) framed(ctx context.Context, in unit.Ruler, known map[string][]snag.Snag) ([]snag.Snag, error) {
	f, err := w.a.FramingFor(ctx, w)
	if err != nil {
		return nil, err
	}
	stands := f.key
	kept := map[string]bool{}
	var list []snag.Snag
	look := func(shot, name string, k *stage.ShotSettings) {
		if ctx.Err() != nil {
			return
		}
		key := plain.Name(stands, in, shot, name, k)
		kept[key] = true
		found, ok := known[key]
		if !ok {
			found = f.snags(ctx, in, shot, name, k)
			known[key] = found
		}
		list = append(list, found...)
	}
	same := false
	for i := range w.ShotRows {
		s := &w.ShotRows[i].Shot
		same = same || s.ID == w.SetRow.Shot && !w.SetRow.Changed(s)
		look(s.ID, s.Name, &s.ShotSettings)
	}
	if !same {
		look("", "this view", &w.SetRow.ShotSettings)
	}
	approved, err := w.sinceApproved(ctx)
	if err != nil {
		return nil, err
	}
	list = append(list, approved...)
	for key := range known {
		if !kept[key] {
			delete(known, key)
		}
	}
	return list, ctx.Err()
}

// snags measures one shot.
func (f *Framing) snags(ctx context.Context, in unit.Ruler, shot, name string, k *stage.ShotSettings) []snag.Snag {
	cast := f.w.Cast(k.Move)
	now := f.At(k, cast, 0)
	all := f.Moments(k, cast, MaxMoments)
	spans := now.Scene.Spans(&now.View)
	s := snag.Seen{In: in, Shot: shot, Name: name, View: now.View, Now: now, Range: frame.RangeOf(all),
		Height: math.Inf(1), Moves: k.Move != nil, Still: true}
	s.Picture = now.Scene.Draw(&now.View, GridW, GridH)
	s.Figures = now.Scene.FiguresOf(&now.View, s.Picture, spans)
	// Over a move the subject is judged where it is seen best.
	for _, m := range []*frame.Moment{&all[len(all)/2], &all[len(all)-1]} {
		if k.Move == nil || s.Figures.Subject == nil {
			break
		}
		f := m.Scene.FiguresOf(&m.View, m.Scene.Draw(&m.View, GridW, GridH), m.Scene.Spans(&m.View))
		if f.Subject != nil &&
			(1-f.Subject.Hidden)*(0.1+f.Subject.Sharp) > (1-s.Figures.Subject.Hidden)*(0.1+s.Figures.Subject.Sharp) {
			s.Figures.Subject = f.Subject
		}
	}
	for i := range all {
		s.Still = s.Still && all[i].View.Eye == now.View.Eye
	}
	for _, b := range f.bars(k, now, spans, all) {
		if b.Cut == "near" || b.Cut == "both" {
			s.CutNear = append(s.CutNear, b.Name)
		}
		if b.Cut == "far" || b.Cut == "both" {
			s.CutFar = append(s.CutFar, b.Name)
		}
	}
	if h, on := now.Scene.Below(now.View.Eye); on >= 0 {
		s.Height, s.On = h, now.Scene.Things[on].Name
	}
	f.light(ctx, &s, k, &now)
	list := snag.Framing(&s)
	for _, fl := range flickersOf(f, k, cast) {
		if fl.Share < flickerLeast {
			continue
		}
		gap := "in one plane"
		if fl.Gap > 1e-6 {
			gap = in.Distance(fl.Gap) + " apart"
		}
		list = append(list, snag.Snag{Step: "frame", Kind: "flicker", Shot: shot, ID: fl.IDs[0], IDs: fl.IDs,
			Key: "flicker:" + shot + ":" + fl.IDs[0] + ":" + fl.IDs[1], Fix: "fit", Label: "fit range", Number: fl.Gap,
			What: fmt.Sprintf("%s: %s and %s will flicker, %s at %s, where the depth buffer tells %s apart", name, fl.A,
				fl.B, gap, in.Distance(fl.Distance), in.Distance(fl.Step))})
	}
	for _, t := range f.troublesOf(in, k, cast) {
		n := snag.Snag{Step: "frame", Kind: t.kind, Shot: shot, ID: t.id, IDs: []string{},
			Key: t.kind + ":" + shot + ":" + t.id + fmt.Sprintf("%.1f", t.at), Number: t.at, What: name + ": " + t.what}
		if t.id != "" {
			n.IDs = []string{t.id}
		}
		list = append(list, n)
	}
	return list
}

// light adds the light of a shot to what is judged of it.
func (f *Framing) light(ctx context.Context, s *snag.Seen, k *stage.ShotSettings, now *frame.Moment) {
	if k.Light.Sky == "panorama" {
		if p, err := f.w.a.SkyPicture(ctx, k.Light.Panorama); err == nil && p.Shines {
			s.Own = &snag.OwnSun{To: sky.Turned(p.Own.To, k.Light.Turn),
				Lux: p.Strength(&k.Light) * light.Luminance(p.Own.Lux)}
		}
	}
	s.Light = &k.Light
	s.Metered = f.w.a.Meter(ctx, &k.Light, now, s.Picture)
	dome := f.w.a.Dome(ctx, &k.Light)
	s.Sky = sky.OnGround(func(d geom.V) float64 { return light.Luminance(dome(d)) }, 8)
	for i := range f.w.ElementRows {
		e := &f.w.ElementRows[i].Element
		l := f.w.Laid(e.ID)
		if l == nil || l.Laid == nil || !k.Shows(e.Layer) {
			continue
		}
		for _, h := range l.Hung {
			s.Lamps = append(s.Lamps, snag.LitLamp{ID: e.ID, Name: e.Name, Carried: h.Of != "",
				Hung: h.InShot(&k.Light, e.ID)})
		}
	}
}

// flickerLeast is the share of a picture from which on flicker is told: four
// pixels by four of full HD, seen on the grid as one of its places.
const flickerLeast = 1.0 / (GridW * GridH)
