package snag

var _ = frames(cut)

// cut finds clipping planes that cut what is seen, unless that is meant.
func cut(s *Seen, put told) {
	v := &s.View
	if v.CutMeant {
		return
	}
	if n := len(s.CutNear); n > 0 {
		put("cut near", "", "fit", "fit range", "the near plane at %s cuts %s", s.In.Distance(v.Near), few(s.CutNear))
	}
	if n := len(s.CutFar); n > 0 {
		put("cut far", "", "fit", "fit range", "the far plane at %s cuts %s, seen to %s", s.In.Distance(v.Far),
			few(s.CutFar), s.In.Distance(s.Range.Far))
	}
}
