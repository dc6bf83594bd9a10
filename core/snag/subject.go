package snag

var _ = frames(subject)

const hiddenMost = 0.5 // of the subject

// subject finds a subject that is not in the picture, hidden, or not sharp.
func subject(s *Seen, put told) {
	sub := s.Figures.Subject
	if sub == nil {
		return
	}
	name := s.nameOf(sub.ID)
	switch {
	case sub.Hidden >= 1 && len(sub.By) == 0:
		put("hidden", sub.ID, "", "", "%s, the subject, is not in the picture", name)
	case sub.Hidden > hiddenMost && len(s.against()) == 0:
		who := ""
		if len(sub.By) > 0 {
			who = " by " + sub.By[0].Name
		}
		put("hidden", sub.ID, "", "", "%s, the subject, is hidden%s to %.0f %%", name, who, 100*sub.Hidden)
	}
	if sub.Hidden < 1 && sub.Sharp <= 0 { // nothing of it is sharp
		put("soft", sub.ID, "focus", "focus on it", "%s, the subject, is out of focus", name)
	}
}
