package snag

import (
	"fmt"
	"math"
	"strings"
	"sync"

	"visator/core/geom"
	"visator/core/sizing/kinds"
	"visator/core/unit"
)

// known remembers kindOf: the names in a set are few, apart from their numbers.
var known struct {
	sync.Mutex
	kinds map[string]*kinds.Kind
}

const maxKnown = 20_000 // names: more than a person makes up; then it begins anew

// kindOf is what a name surely says a thing is; nil when it does not.
func kindOf(name string) *kinds.Kind {
	name = strings.Trim(name, " 0123456789")
	known.Lock()
	defer known.Unlock()
	k, ok := known.kinds[name]
	if !ok {
		if known.kinds == nil || len(known.kinds) >= maxKnown {
			known.kinds = map[string]*kinds.Kind{}
		}
		k = recognise(name)
		known.kinds[name] = k
	}
	return k
}

func recognise(name string) *kinds.Kind {
	m, rely := kinds.Recognise(name)
	if len(m) == 0 || rely < 0.8 || m[0].Weight < 0.5 {
		return nil
	}
	return m[0].Kind
}

// Implausible finds a piece that is not as large as what its name says it is:
// by less than half or more than twice in height and in length.
func Implausible(in unit.Ruler, id, name string, size geom.V) []Snag {
	k := kindOf(name)
	if k == nil {
		return nil
	}
	off := func(v float64, r kinds.Range) float64 {
		switch {
		case v > 2*r.High:
			return v / r.High
		case v < r.Low/2:
			return -r.Low / v
		}
		return 0
	}
	// one of them is as it should be, or they disagree
	if h, l := off(size.Y, k.Height), off(max(size.X, size.Z), k.Length); h*l <= 0 {
		return nil
	}
	return []Snag{{Step: "size", What: fmt.Sprintf("%s is %s high; nine of ten of its kind (%s) are %s to %s", name,
		in.Distance(size.Y), k.Name, in.Distance(k.Height.Low), in.Distance(k.Height.High)), ID: id}}
}

const (
	withinReach = 1.0  // metres between two things that are seen together
	besideOff   = 1.5  // times by which their heights may be out of proportion
	stretchOff  = 1.02 // times by which the scales along two axes may differ: less is not seen
)

// Beside finds things that stand within reach of one another and cannot both
// be right: each may be uncommon by itself, but not as far apart in height as
// these. What differs more from its own kind is blamed.
func Beside(in unit.Ruler, things []Thing) (list []Snag) {
	boxes, of := boxesOf(things), make([]*kinds.Kind, len(things))
	for i := range things {
		of[i] = kindOf(things[i].Name)
	}
	blamed := map[int]bool{}
	for i := range things {
		for j := 0; j < i; j++ {
			a, b := i, j
			if of[a] == nil || of[b] == nil || of[a] == of[b] || things[a].Ground || things[b].Ground ||
				!near(boxes[a], boxes[b]) {
				continue
			}
			ha, hb := things[a].Size.Y, things[b].Size.Y
			if !(ha > 0 && hb > 0) {
				continue
			}
			ra, rb := of[a].Height, of[b].Height
			if r := ha / hb; r < besideOff*ra.High/rb.Low && r > ra.Low/rb.High/besideOff {
				continue
			}
			if far(ha, of[a]) < far(hb, of[b]) {
				a, b, ha, hb = b, a, hb, ha
			}
			if blamed[a] {
				continue
			}
			blamed[a] = true
			list = append(list,
				Snag{Step: "dress", What: fmt.Sprintf("%s is %s high beside %s of %s: one of them cannot be "+
					"right", things[a].Name, in.Distance(ha), things[b].Name, in.Distance(hb)), ID: things[a].ID})
		}
	}
	return list
}

func near(a, b geom.Box) bool {
	gap := func(a0, a1, b0, b1 float64) float64 { return max(b0-a1, a0-b1, 0) }
	return math.Hypot(gap(a.Min.X, a.Max.X, b.Min.X, b.Max.X), gap(a.Min.Z, a.Max.Z, b.Min.Z,
		b.Max.Z)) <= withinReach && gap(a.Min.Y, a.Max.Y, b.Min.Y, b.Max.Y) <= withinReach
}

// far is by how many deviations a height differs from its kind's mean.
func far(h float64, k *kinds.Kind) float64 {
	return math.Abs(math.Log(h)-k.Logs[0].Mean) / k.Logs[0].Deviation
}

// Distorted finds a piece that is out of proportion: by what part one of its
// sides is longer than it came, beside another.
func Distorted(id, name string, by float64) []Snag {
	if by < stretchOff-1 {
		return nil
	}
	return []Snag{{Step: "size", What: fmt.Sprintf("%s is out of proportion by %.0f %%", name, 100*by), ID: id,
		Fix: "even", Label: "as it came"}}
}

// Stretched finds things whose scale is not the same along all axes.
func Stretched(things []Thing) (list []Snag) {
	for i := range things {
		m := &things[i].World
		s := [3]float64{m.Dir(geom.V{X: 1}).Len(), m.Dir(geom.V{Y: 1}).Len(), m.Dir(geom.V{Z: 1}).Len()}
		lo, hi := 0, 0
		for k := range s {
			if s[k] < s[lo] {
				lo = k
			}
			if s[k] > s[hi] {
				hi = k
			}
		}
		if !(s[lo] > 0) || s[hi] < stretchOff*s[lo] {
			continue
		}
		axis := [3]string{"width", "height", "depth"}
		list = append(list,
			Snag{Step: "dress", What: fmt.Sprintf("%s is stretched: its %s by %.0f %% more than its %s", things[i].Name,
				axis[hi], 100*(s[hi]/s[lo]-1), axis[lo]), ID: things[i].ID})
	}
	return list
}

func boxesOf(things []Thing) []geom.Box {
	boxes := make([]geom.Box, len(things))
	for i := range things {
		boxes[i] = things[i].Box.Apply(things[i].World)
	}
	return boxes
}
