// Package cache keeps what was worked out, so that it is not worked out again: one store for the
// whole process, since memory is the process's, with one bound and one way to make room.
package cache

import (
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"golang.org/x/sync/singleflight"
)

// Most is how many bytes are kept, about: a set of a million laid copies takes a tenth of it, its
// bodies another, and some sets are worked on at a time. A machine that renders has four times as
// much.
const Most = 3 << 29

// Cache keeps things by family and key. What was not asked for longest goes first; what was put in
// last stays, however large it is, so that whoever waits for it finds it.
type Cache struct {
	mu     sync.Mutex
	lru    *simplelru.LRU[key, entry]
	bytes  int
	most   int
	making singleflight.Group
}

type key struct{ family, name string }

type entry struct {
	value any
	of    string
	bytes int
}

// New is a cache of so many bytes.
func New(most int) *Cache {
	c := &Cache{most: most}
	// It is full by weight, never by number.
	lru, err := simplelru.NewLRU(1<<62, func(_ key, e entry) { c.bytes -= e.bytes })
	if err != nil {
		panic(err) // of a size below 1
	}
	c.lru = lru
	return c
}

var process = New(Most)

// Empty forgets all that the process keeps: what is timed from nothing begins with it.
func Empty() {
	process.mu.Lock()
	defer process.mu.Unlock()
	process.lru.Purge()
}

// Family is a kind of things that are kept.
type Family[V any] struct {
	in    *Cache
	name  string
	bytes func(V) int
}

// Of is the family of a name, which no other has; bytes is what one thing takes, about.
func Of[V any](name string, bytes func(V) int) Family[V] { return In(process, name, bytes) }

// In is a family of another cache.
func In[V any](c *Cache, name string, bytes func(V) int) Family[V] { return Family[V]{c, name, bytes} }

// Get is what is kept under a name, and whether anything is.
func (f Family[V]) Get(name string) (v V, ok bool) { return f.GetOf(name, "") }

// GetOf is Get of what changes: it counts as long as it was made of the same.
func (f Family[V]) GetOf(name, of string) (v V, ok bool) {
	f.in.mu.Lock()
	defer f.in.mu.Unlock()
	e, ok := f.in.lru.Get(key{f.name, name})
	if ok = ok && e.of == of; ok {
		v, _ = e.value.(V) // nil where V is an interface and nothing was put in
	}
	return v, ok
}

// Has says whether something is kept under a name; asking does not make it newer.
func (f Family[V]) Has(name string) bool {
	f.in.mu.Lock()
	defer f.in.mu.Unlock()
	return f.in.lru.Contains(key{f.name, name})
}

// Put keeps something, in the place of what had its name.
func (f Family[V]) Put(name string, v V) { f.PutOf(name, "", v) }

// PutOf is Put of what changes, and what it was made of.
func (f Family[V]) PutOf(name, of string, v V) {
	c, k, e := f.in, key{f.name, name}, entry{v, of, max(f.bytes(v), 1)}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.lru.Remove(k)
	c.lru.Add(k, e)
	for c.bytes += e.bytes; c.bytes > c.most && c.lru.Len() > 1; {
		c.lru.RemoveOldest()
	}
}

// Make is what is kept under a name; what is not there is made, once for all who ask meanwhile. An
// error, or a panic, is of all of them, and nothing is kept.
func (f Family[V]) Make(name string, work func() (V, error)) (V, error) {
	return f.MakeOf(name, "", work)
}

// MakeOf is Make of what changes: what was made of another makes room.
func (f Family[V]) MakeOf(name, of string, work func() (V, error)) (V, error) {
	if v, ok := f.GetOf(name, of); ok {
		return v, nil
	}
	made, err, _ := f.in.making.Do(f.name+"\x00"+name+"\x00"+of, func() (any, error) {
		if v, ok := f.GetOf(name, of); ok {
			return v, nil
		}
		v, err := work()
		if err == nil {
			f.PutOf(name, of, v)
		}
		return v, err
	})
	v, _ := made.(V)
	return v, err
}
