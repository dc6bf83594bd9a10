package snag

var _ = frames(stuck)

const blockedMost = 0.6 // of the picture that one near thing may take

// stuck finds a camera that is inside something, under the ground, or looks against a wall.
func stuck(s *Seen, put told) {
	switch s.stuck {
	case "within":
		put("within", s.withinID, "", "", "the camera is inside %s", s.within)
	case "under":
		put("under", s.withinID, "eye", "up to eye level", "the camera is under %s", s.within)
	}
	for _, i := range s.against() {
		c := &s.Figures.Cover[i]
		put("wall", c.ID, "", "", "the camera looks against %s, which fills %.0f %% of the picture", c.Name,
			100*c.Share)
	}
}

// against are the things that the camera looks against, of what covers the picture: none
// when it is inside something.
func (s *Seen) against() (list []int) {
	if s.stuck != "" {
		return nil
	}
	for i, c := range s.Figures.Cover {
		if c.Share > blockedMost && !s.land(c.ID) && s.nearest(c.ID) < 0.25*max(s.View.Focus, 1) &&
			c.ID != s.View.Subject {
			list = append(list, i)
		}
	}
	return list
}
