package sizing

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/sizing/kinds"
	"visator/core/unit"
)

// told is how many times likelier something must make a hypothesis than the
// next with another unit or axis, as a logarithm, to be named as a reason.
const told = 0.7 // twice as likely

// reasons says in words what speaks for a hypothesis, the strongest first, and
// what against it.
func (s *Subject) reasons(in unit.Ruler, h *hypothesis, all []hypothesis, group int) []string {
	type reason struct {
		weight float64
		text   string
	}
	var list []reason
	add := func(weight float64, format string, a ...any) {
		list = append(list, reason{weight, fmt.Sprintf(format, a...)})
	}
	// against is by how much a hypothesis is better, in one respect, than what
	// the others with the same unit, or the same axis, have on the whole.
	against := func(of func(h *hypothesis) float64, sameUp bool) float64 {
		sum, weight := math.Inf(-1), math.Inf(-1)
		for i := range all {
			o := &all[i]
			if sameUp && (o.up != h.up || o.metres == h.metres) || !sameUp && (o.metres != h.metres || o.up == h.up) {
				continue
			}
			w := math.Log(o.prior)
			sum, weight = sumLog(sum, w+of(o)), sumLog(weight, w)
		}
		return of(h) - (sum - weight)
	}
	d := h.dimensions(s.Box)
	if h.kind != nil {
		v := against(func(h *hypothesis) float64 { return h.name }, true)
		what := fmt.Sprintf("%q says %s: such things are %s high and %s long (%s)", h.word, h.kind.Name,
			span(in, h.kind.Height), span(in, h.kind.Length), h.kind.Source)
		switch {
		case inRange(h.kind, d):
			add(max(v, told), "%s, and so would this be, %s high and %s long.", what, length(in, d[0]),
				length(in, d[1]))
		case len(s.named.kinds) > 0: // parts and surfaces alone are no reason against
			add(max(math.Abs(v), told), "%s; this would be %s high and %s long.", what, length(in, d[0]),
				length(in, d[1]))
		}
	}
	for _, p := range s.named.inside {
		k := p.kinds[0].Kind
		pd := h.dimensions(p.box)
		if v := partsSay * p.density(logs(pd)); inRange(k, pd) {
			add(told+max(v, 0), "Its part %q would be %s high and %s long, as %s are (%s, %s; %s).", p.name,
				length(in, pd[0]), length(in, pd[1]), plural(k.Name), span(in, k.Height), span(in, k.Length), k.Source)
		}
	}
	switch sc := s.statement(h); {
	case s.Unit.From != "assumed" && sc == 1:
		add(1, "The file says that one unit is %s.", UnitName(h.metres))
	case s.Unit.From != "assumed":
		add(0.5, "The file says that one unit is %s; it would be off by %s.", UnitName(s.Unit.MetresPerUnit),
			factor(sc))
	default:
		add(0.3, "%s files state no unit; many are in %s.", s.Format, Units(h.metres))
	}
	if axis := axes[h.up]; axis != s.Up {
		if v := against(func(h *hypothesis) float64 { return h.shape }, false); v > told {
			add(v, "With +%s up it stands better: %s.", axis, s.stands(h.up))
		} else {
			add(0.4, "With +%s up it is %s high.", axis, length(in, d[0]))
		}
	} else if v := against(func(h *hypothesis) float64 { return h.shape }, false); v > told {
		add(v, "It stands well with +%s up: %s.", axis, s.stands(h.up))
	}
	if v := against(func(h *hypothesis) float64 { return h.lengths }, true); v > told {
		add(v, "Its name gives a length that it would have.")
	}
	if v := against(func(h *hypothesis) float64 { return h.texels }, true); len(s.texels()) > 0 && v > told {
		add(v, "Its maps would have %.0f texels a metre.", s.texels()[0]/h.metres)
	}
	if group > 1 {
		v := against(func(h *hypothesis) float64 { return h.friends }, true)
		if w := against(func(h *hypothesis) float64 { return h.friends }, false); w > v {
			v = w
		}
		switch {
		case v > told:
			add(v, "The others of the same supplier need %s with +%s up too.", Units(h.metres), axes[h.up])
		case v < -told:
			add(-v, "The others of the same supplier need another unit or axis.")
		}
	}
	slices.SortStableFunc(list, func(a, b reason) int {
		switch {
		case a.weight > b.weight:
			return -1
		case a.weight < b.weight:
			return 1
		}
		return 0
	})
	var out []string
	for _, r := range list[:min(len(list), 6)] {
		out = append(out, r.text)
	}
	return out
}

// statement is by what factor a hypothesis differs from what the file states.
func (s *Subject) statement(h *hypothesis) float64 {
	f := h.metres / s.Unit.MetresPerUnit
	if math.Abs(f-1) < 1e-9 {
		return 1
	}
	return f
}

// stands says what the shape is like with axis a up.
func (s *Subject) stands(a int) string {
	f, top := s.Shape.Low[a], s.Shape.High[a]
	switch {
	case f.Carries && f.Spread > 1.5*top.Spread:
		return "its foot carries it and is wider than its top"
	case f.Carries && s.Shape.Centre[a] < 0.45:
		return "its foot carries it and most of it is low"
	case s.Shape.Mirrored[(a+1)%3]+s.Shape.Mirrored[(a+2)%3] > 1.2+s.Shape.Mirrored[a]:
		return "its left is like its right, its top is unlike its bottom"
	case f.Carries:
		return "its foot carries it"
	}
	return "most of it is low"
}

// inRange reports whether dimensions are those of a kind, give or take a
// quarter.
func inRange(k *kinds.Kind, d [3]float64) bool {
	for i, r := range [3]kinds.Range{k.Height, k.Length, k.Breadth} {
		if d[i] > 0 && (d[i] < r.Low/1.25 || d[i] > r.High*1.25) {
			return false
		}
	}
	return true
}

// span prints a range: 0.74 to 1.05 m.
func span(in unit.Ruler, r kinds.Range) string {
	lo, hi := length(in, r.Low), length(in, r.High)
	if n := len(lo); n > 3 && len(hi) > 3 && lo[n-2:] == hi[len(hi)-2:] {
		lo = lo[:n-2]
	}
	return lo + " to " + hi
}

func length(in unit.Ruler, m float64) string {
	switch {
	case m == 0:
		return in.Distance(0)
	case m < 0.001 && in == unit.InMetres:
		return fmt.Sprintf("%.2g mm", m*1000)
	}
	return in.Distance(m)
}

// UnitName names a length that one unit may stand for.
func UnitName(metres float64) string {
	for _, u := range unit.All {
		if math.Abs(metres/u.Metres-1) < 1e-6 {
			return u.Name
		}
	}
	return fmt.Sprintf("%.4g m", metres)
}

// Units names the units that numbers are in: "centimetres", "feet", "units of
// 0.9144 m".
func Units(metres float64) string {
	switch name := UnitName(metres); {
	case strings.HasSuffix(name, " m"):
		return "units of " + name
	case name == unit.Foot.Name:
		return "feet"
	default:
		return plural(name)
	}
}

func plural(name string) string {
	switch {
	case strings.HasSuffix(name, "ch"):
		return name + "es"
	case name == "person":
		return "people"
	case strings.HasSuffix(name, "s"):
		return name
	}
	return name + "s"
}

func factor(f float64) string {
	if f < 1 {
		f = 1 / f
	}
	return fmt.Sprintf("%.4g", f)
}

// SubjectOf takes from a model what a proposal goes by.
func SubjectOf(m *model.Model, name string) *Subject {
	s := &Subject{Name: name, Format: m.Format, Unit: m.Unit, Up: m.Up, Box: m.Bounds()}
	seen := map[string]bool{}
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Mesh == model.None {
			return
		}
		mesh := &m.Meshes[n.Mesh]
		box := geom.Empty()
		for i := range mesh.Parts {
			part := mesh.Parts[i].Bounds(&world)
			box = box.Union(part)
			if name := mesh.Parts[i].Name; len(mesh.Parts) > 1 && name != "" && !seen[name] && len(s.Parts) < maxParts {
				seen[name] = true
				s.Parts = append(s.Parts, Named{name, part})
			}
		}
		for _, name := range []string{n.Name, mesh.Name} {
			if name != "" && !seen[name] && len(s.Parts) < maxParts {
				seen[name] = true
				s.Parts = append(s.Parts, Named{name, box})
			}
		}
	})
	for i := range m.Surfaces {
		s.Surfaces = append(s.Surfaces, m.Surfaces[i].Name)
	}
	s.Patterns = Patterns(m)
	s.Shape = ShapeOf(m, s.Box)
	return s
}

// maxParts are looked at for their names: the first tell as much as all.
const maxParts = 400
