package shoot

import (
	"context"
	"maps"
	"slices"

	"visator/app/cache"
	"visator/core/model"
	"visator/core/render"
)

// readies are sets as they were loaded last, by their ids: the next picture of one begins with them. What is in it does
// not change any more.
var readies = cache.Of("set that is loaded", func(l *Loaded) int { return l.bytes() })

// a piece with its structure takes so many bytes a triangle, about, and its pictures so many times what is packed.
const (
	bytesTriangle = 150
	timesPacked   = 6
)

// bytes is what a set takes in memory, about.
func (l *Loaded) bytes() (n int) {
	seen := map[*model.Model]bool{}
	count := map[*model.Model]int{}
	for i := range l.stands {
		count[l.models[l.stands[i].key]]++
	}
	merged := 0
	for _, m := range l.models {
		if m == nil || seen[m] {
			continue
		}
		seen[m] = true
		triangles := m.Weigh().Triangles
		n += bytesTriangle * triangles
		merged += count[m] * triangles
		for i := range m.Maps {
			n += timesPacked * len(m.Maps[i].Data)
		}
	}
	return n + bytesTriangle*min(merged, render.MergeLimit)
}

// frozen is a set as it is loaded, apart from whoever goes on with it.
func (l *Loaded) frozen() *Loaded {
	out := *l
	out.models, out.of, out.top = maps.Clone(l.models), maps.Clone(l.of), maps.Clone(l.top)
	out.stands, out.lib, out.before, out.after = slices.Clone(l.stands), l.lib.Clone(), nil, nil
	return &out
}

// asBefore says whether the same stands as in what was loaded before.
func (l *Loaded) asBefore(before *Loaded) bool {
	return slices.EqualFunc(l.stands, before.stands, func(a, b loadedThing) bool {
		return a.id == b.id && a.key == b.key && a.place == b.place && l.top[a.key] == before.top[b.key] &&
			l.models[a.key] == before.models[b.key]
	})
}

// follow takes over of what was loaded before what may be taken over of its scene: if it is to be quick, also what is
// the same but for roundings. A take is made of a scene that was built from nothing, so that it has the same bytes
// whatever was edited before.
func (l *Loaded) follow(before *Loaded, quick bool) {
	switch {
	case before.bare.Follows && !quick:
	case l.asBefore(before):
		l.bare = before.bare
	case quick:
		l.after = before.bare
	}
}

// built is the scene of what stands, as it stands, without the set's light; it is kept for the next picture.
func (l *Loaded) built(ctx context.Context) (*render.Scene, error) {
	if l.bare != nil {
		return l.bare, nil
	}
	s, err := l.structure(ctx, l.stands, l.after)
	if err != nil {
		return nil, err
	}
	l.bare, l.after = s, nil
	l.prune()
	if l.set != "" {
		readies.Put(l.set, l.frozen())
	}
	return s, nil
}
