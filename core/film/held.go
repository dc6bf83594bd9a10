package film

import "slices"

// Ways are the ways by which light comes to the lens, told by what it meets first: seen as it shines; scattered in the
// air before anything is met; from a light, or by way of other things, sent back by the matte ground or mirrored; or
// through what is met first. What shines is seen through clear panes as if they were not there.
const (
	Shines = iota
	InAir
	DirectMatte
	DirectMirrored
	IndirectMatte
	IndirectMirrored
	Through
)

// WayNames are the ways by name, as layers have them.
var WayNames = [...]string{"emission", "air", "direct.diffuse", "direct.glossy", "indirect.diffuse", "indirect.glossy",
	"transmission"}

// Ranks is how many things of a pixel are told apart; of more the ones that come later are left out.
const Ranks = 8

// Held is how many samples of a pixel met a thing, or a surface.
type Held struct {
	Object uint32 // instance ID, or the number of a surface; 0: none
	Hits   uint32
}

func hold(list []Held, object uint32) {
	for k := range list {
		switch list[k].Object {
		case object:
			list[k].Hits++
			return
		case 0:
			list[k] = Held{object, 1}
			return
		}
	}
}

// Coverage is how much of each pixel is taken by what its things are called: of names, a number each, 0 none. It gets
// up to ranks of them a pixel, the largest first, and of those shares of the pixel. Nil where it was not asked for.
func (f *Film) Coverage(ranks int, called func(object uint32) uint32) (names []uint32, shares []float32) {
	return f.coverage(f.held, ranks, called)
}

// SurfaceCoverage is Coverage of surfaces, by their numbers.
func (f *Film) SurfaceCoverage(ranks int, called func(surface uint32) uint32) (names []uint32, shares []float32) {
	return f.coverage(f.made, ranks, called)
}

func (f *Film) coverage(held []Held, ranks int, called func(object uint32) uint32) (names []uint32, shares []float32) {
	if held == nil {
		return nil, nil
	}
	n := f.Width * f.Height
	names, shares = make([]uint32, ranks*n), make([]float32, ranks*n)
	var list []Held
	for i := range n {
		list = list[:0]
		for _, h := range held[Ranks*i : Ranks*(i+1)] {
			if h.Object == 0 {
				break
			}
			name := called(h.Object)
			if name == 0 {
				continue
			}
			if k := slices.IndexFunc(list, func(x Held) bool { return x.Object == name }); k >= 0 {
				list[k].Hits += h.Hits
			} else {
				list = append(list, Held{name, h.Hits})
			}
		}
		slices.SortStableFunc(list, func(a, b Held) int { return int(b.Hits) - int(a.Hits) })
		for k, h := range list[:min(len(list), ranks)] {
			names[i*ranks+k], shares[i*ranks+k] = h.Object, float32(h.Hits)/float32(max(f.counts[i], 1))
		}
	}
	return names, shares
}
