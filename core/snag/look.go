package snag

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/optics"
	"visator/core/unit"
)

// Stand is a placement as the pictures of a set's shots judge it.
type Stand struct {
	ID, Name, Piece  string
	Box              geom.Box // about its pivot
	World            geom.M
	Yaw, Pitch, Roll float64
	Scale            float64
	Tint             string
	Land             bool
}

// Twins stand alike when their turns differ by less than twinTurn and their sizes
// by less than a share; smaller than twinHeight of the picture nobody sees it.
const (
	twinTurn   = 6 * math.Pi / 180
	twinSize   = 0.04
	twinHeight = 0.02
)

// Twins finds copies of one piece that stand alike in one picture.
func Twins(views []optics.View, list []Stand) (out []Snag) {
	type look struct{ piece, tint string }
	var order []string
	worst := map[string]map[int]bool{} // by piece
	alike := func(a, b *Stand) bool {
		return math.Abs(a.Pitch-b.Pitch) < twinTurn && math.Abs(a.Roll-b.Roll) < twinTurn &&
			math.Abs(math.Log(a.Scale/b.Scale)) < twinSize
	}
	turn := func(i int) float64 { return math.Mod(math.Mod(list[i].Yaw, 2*math.Pi)+2*math.Pi, 2*math.Pi) }
	for v := range views {
		seen := map[look][]int{}
		for i := range list {
			s := &list[i]
			if s.Piece == "" || s.Land {
				continue
			}
			span := views[v].SpanOf(s.Box, s.World)
			if !span.Seen || span.Height < twinHeight {
				continue
			}
			k := look{s.Piece, s.Tint}
			seen[k] = append(seen[k], i)
		}
		for k, ids := range seen {
			// By their turns, so that each has its likes behind it, and once around.
			slices.SortFunc(ids, func(a, b int) int { return cmp.Or(cmp.Compare(turn(a), turn(b)), cmp.Compare(a, b)) })
			var found []int
			for n, i := range ids {
				for m := n + 1; m < n+len(ids); m++ {
					j := ids[m%len(ids)]
					way := math.Mod(turn(j)-turn(i)+2*math.Pi, 2*math.Pi)
					if way >= twinTurn {
						break
					}
					if alike(&list[i], &list[j]) {
						found = append(found, i, j)
						break
					}
				}
			}
			if len(found) == 0 {
				continue
			}
			if worst[k.piece] == nil {
				order = append(order, k.piece)
				worst[k.piece] = map[int]bool{}
			}
			for _, i := range found {
				worst[k.piece][i] = true
			}
		}
	}
	slices.Sort(order)
	for _, piece := range order {
		ids := slices.Sorted(maps.Keys(worst[piece]))
		var names, named []string
		for _, i := range ids {
			named = append(named, list[i].ID)
			if len(names) < 3 {
				names = append(names, list[i].Name)
			}
		}
		more := ""
		if n := len(ids) - len(names); n > 0 {
			more = fmt.Sprintf(" and %d more", n)
		}
		mid := list[ids[0]].World.Point(list[ids[0]].Box.Center())
		out = append(out, Snag{Step: "dress", Kind: "twins", ID: named[0], IDs: named, At: &mid, Number: float64(len(ids)),
			Key: "twins:" + piece, Fix: "vary", Label: "vary",
			What: fmt.Sprintf("%s%s stand alike in one picture", strings.Join(names, ", "), more)})
	}
	return out
}

// Unseen finds what no shot sees, as one snag: it may still throw a shadow or be
// mirrored.
func Unseen(views []optics.View, list []Stand) []Snag {
	var ids []string
	first := -1
	for i := range list {
		s := &list[i]
		if s.Land || slices.ContainsFunc(views, func(v optics.View) bool { return v.SpanOf(s.Box, s.World).Seen }) {
			continue
		}
		if ids = append(ids, s.ID); first < 0 {
			first = i
		}
	}
	if first < 0 {
		return nil
	}
	mid := list[first].World.Point(list[first].Box.Center())
	what := fmt.Sprintf("%s is in no shot", list[first].Name)
	if len(ids) > 1 {
		what = fmt.Sprintf("%s and %d more are in no shot", list[first].Name, len(ids)-1)
	}
	return []Snag{{Step: "dress", Kind: "unseen", ID: ids[0], IDs: ids, At: &mid, Number: float64(len(ids)),
		Key: key("unseen", ids...), Fix: "hide", Label: "hide", What: what}}
}

// farOff is how many times farther than nine of ten things one stands before it
// counts as lost: a viaduct in the distance is not.
const farOff = 60

// Far finds what stands so far from the set that it was hardly meant.
func Far(in unit.Ruler, list []Stand) (out []Snag) {
	if len(list) < 3 {
		return nil
	}
	var x, z []float64
	for i := range list {
		p := list[i].World.Point(list[i].Box.Center())
		x, z = append(x, p.X), append(z, p.Z)
	}
	slices.Sort(x)
	slices.Sort(z)
	mx, mz := x[len(x)/2], z[len(z)/2]
	away := make([]float64, len(list))
	for i := range list {
		p := list[i].World.Point(list[i].Box.Center())
		away[i] = math.Hypot(p.X-mx, p.Z-mz)
	}
	sorted := slices.Clone(away)
	slices.Sort(sorted)
	limit := farOff * max(sorted[min(len(sorted)*9/10, len(sorted)-2)], 5)
	for i := range list {
		if list[i].Land || away[i] <= limit {
			continue
		}
		p := list[i].World.Point(list[i].Box.Center())
		out = append(out, Snag{Step: "dress", Kind: "far", ID: list[i].ID, IDs: []string{list[i].ID}, At: &p,
			Number: away[i], Key: key("far", list[i].ID),
			What: fmt.Sprintf("%s stands %s from the middle of the set", list[i].Name, in.Distance(away[i]))})
	}
	return out
}

// Doors finds doors whose leaf meets something on its way open, and how far it
// opens. room is the element that they are in, whose own walls do not count.
func Doors(room, name string, swings []lay.Swing, solids []Solid) (out []Snag) {
	for _, s := range swings {
		turn := s.Open - s.Closed
		reach := geom.Box{Min: geom.V{X: s.Hinge.X - s.Width, Y: s.From, Z: s.Hinge.Z - s.Width},
			Max: geom.V{X: s.Hinge.X + s.Width, Y: s.To, Z: s.Hinge.Z + s.Width}}
		var near []*Solid
		for i := range solids {
			if o := &solids[i]; o.Body != nil && o.ID != room && !o.Land && !o.Soft && o.Body.Box.Meets(&reach, touchGap) {
				near = append(near, o)
			}
		}
		const steps = 30 // of three degrees for a quarter turn
		for k := range steps {
			a := s.Closed + turn*float64(k+1)/steps
			leaf := DoorLeaf(s, a)
			i := slices.IndexFunc(near, func(o *Solid) bool { return contact.Overlap(leaf, o.Body) })
			if i < 0 {
				continue
			}
			opens := math.Abs(turn) * float64(k) / steps * 180 / math.Pi
			mid := near[i].Body.Box.Center()
			out = append(out, Snag{Step: "dress", Kind: "door", ID: near[i].ID, IDs: []string{near[i].ID, room}, At: &mid,
				Number: opens, Key: key("door", room+" "+s.Name, near[i].ID),
				What: fmt.Sprintf("%s of %s opens %.0f° only: %s is in its way", s.Name, name, opens, near[i].Name)})
			break
		}
	}
	return out
}

// DoorLeaf is a leaf that stands open in direction a; a little clear of the
// hinge and of the floor, where it always touches.
func DoorLeaf(s lay.Swing, a float64) *contact.Placed {
	const thick, clear = 0.04, 0.06
	w, h := float32(s.Width), float32(s.To-s.From-0.02)
	x0, z := float32(clear), float32(thick/2)
	b := contact.Mesh([][3]float32{{x0, 0, -z}, {w, 0, -z}, {w, 0, z}, {x0, 0, z}, {x0, h, -z}, {w, h, -z}, {w, h, z},
		{x0, h, z}},
		[][3]uint32{{0, 1, 2}, {0, 2, 3}, {4, 6, 5}, {4, 7, 6}, {0, 5, 1}, {0, 4, 5}, {1, 6, 2}, {1, 5, 6}, {2, 7, 3},
			{2, 6, 7}, {3, 4, 0}, {3, 7, 4}})
	return contact.Place(b, geom.Compose(geom.V{X: s.Hinge.X, Y: s.From + 0.01, Z: s.Hinge.Z},
		geom.Turn(geom.V{Y: 1}, -a), geom.V{X: 1, Y: 1, Z: 1}))
}

// holeLeast is the share of the picture from which on a hole is told.
const holeLeast = 0.003

// Holes finds pictures in which the void is seen: rays through them that go down
// and meet nothing. names are those of the views.
func Holes(views []optics.View, names []string, solids []Solid) (out []Snag) {
	lands, others := []*contact.Placed{}, []*contact.Placed{}
	for i := range solids {
		switch s := &solids[i]; {
		case s.Body == nil:
		case s.Land || s.Soft:
			lands = append(lands, s.Body)
		default:
			others = append(others, s.Body)
		}
	}
	const nx, ny = 48, 27
	done := map[string]bool{}
	for n := range views {
		v := &views[n]
		missed := 0
		var sum geom.V
		for j := range ny {
			for i := range nx {
				d := v.Ray((float64(i)+0.5)/nx, (float64(j)+0.5)/ny)
				if d.Y > -0.002*d.Len() {
					continue
				}
				hit := func(b *contact.Placed) bool { _, _, ok := b.Ray(v.Eye, d, math.Inf(1)); return ok }
				if slices.ContainsFunc(lands, hit) || slices.ContainsFunc(others, hit) {
					continue
				}
				missed++
				sum = sum.Add(d)
			}
		}
		share := float64(missed) / (nx * ny)
		if share < holeLeast || done[names[n]] {
			continue
		}
		done[names[n]] = true
		// Where that lies on the ground, at most 100 m away.
		d := sum.Unit()
		at := v.Eye.Add(d.Mul(min(math.Abs(v.Eye.Y)/max(-d.Y, 1e-3), 100)))
		out = append(out, Snag{Step: "dress", Kind: "hole", At: &at, Number: share, IDs: []string{}, Key: "hole:" + names[n],
			What: fmt.Sprintf("the void is seen through %.1f %% of %s, below the horizon: widen the ground or hang a backdrop",
				100*share, names[n])})
	}
	return out
}
