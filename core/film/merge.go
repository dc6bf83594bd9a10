package film

// Merge adds the samples of another open film of the same picture, each sum to the sum that is here: the same films,
// merged in the same order, give the same bytes, whoever made them. ErrOther says that it is of another picture.
func (f *Film) Merge(o *Film) error {
	if !f.Open() || !o.Open() || f.Whole != o.Whole || f.Left != o.Left || f.Top != o.Top || f.Width != o.Width ||
		f.Height != o.Height || f.Extra() != o.Extra() || f.rates != nil || o.rates != nil {
		return ErrOther
	}
	f.Samples += o.Samples
	addTo(f.counts, o.counts)
	addTo(f.sum, o.sum)
	addTo(f.square, o.square)
	addTo(f.guide, o.guide)
	addTo(f.shine, o.shine)
	for g := range f.shone {
		addTo(f.shone[g], o.shone[g])
	}
	addTo(f.open, o.open)
	addTo(f.sent, o.sent)
	for g := range f.apart {
		addTo(f.apart[g], o.apart[g])
	}
	mergeHeld(f.held, o.held)
	mergeHeld(f.made, o.made)
	return nil
}

func addTo[T int32 | float32 | float64](to, from []T) {
	for i, x := range from {
		to[i] += x
	}
}

// mergeHeld adds how many samples met what.
func mergeHeld(to, from []Held) {
	for i := 0; i < len(from); i += Ranks {
		for _, h := range from[i : i+Ranks] {
			if h.Object == 0 {
				break
			}
			list := to[i : i+Ranks]
			for k := range list {
				if list[k].Object == h.Object {
					list[k].Hits += h.Hits
					break
				}
				if list[k].Object == 0 {
					list[k] = h
					break
				}
			}
		}
	}
}
