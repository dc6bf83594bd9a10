package snag

var _ = frames(eye)

// Heights of the eye, ours.
const (
	tooLow      = 0.12 // metres: lower than a mouse's view is seldom meant
	abovePeople = 1.85 // from here
	belowStairs = 2.6  // to here it is nobody's eye and no crane's
)

// eye finds a camera at a height where nobody's eye is.
func eye(s *Seen, put told) {
	if h := s.Height; s.stuck == "" && (h < tooLow && h >= 0 || h > abovePeople && h < belowStairs) {
		put("eye", "", "eye", "to eye level", "the eye is %s above %s, where no one's is", s.In.Distance(h), s.On)
	}
}
