package cache_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"sync/atomic"
	"testing"

	"visator/app/cache"
)

func weight(v int) int { return v }

// Against a list that is searched from its start.
func TestWhatWasNotAskedForLongestGoesFirst(t *testing.T) {
	const most = 100
	c := cache.New(most)
	a, b := cache.In(c, "a", weight), cache.In(c, "b", weight)
	type held struct {
		family string
		name   string
		v      int
	}
	var list []held // the oldest first
	find := func(family, name string) int {
		return slices.IndexFunc(list, func(h held) bool { return h.family == family && h.name == name })
	}
	random := rand.New(rand.NewPCG(1, 2))
	for step := range 20000 {
		family, of := "a", a
		if random.IntN(2) == 1 {
			family, of = "b", b
		}
		name := fmt.Sprint(random.IntN(30))
		i := find(family, name)
		switch random.IntN(3) {
		case 0:
			v := 1 + random.IntN(40)
			if random.IntN(50) == 0 {
				v = 3 * most
			}
			of.Put(name, v)
			if i >= 0 {
				list = slices.Delete(list, i, i+1)
			}
			list = append(list, held{family, name, v})
			for sum(list, func(h held) int { return h.v }) > most && len(list) > 1 {
				list = list[1:]
			}
		case 1:
			v, ok := of.Get(name)
			if ok != (i >= 0) || ok && v != list[i].v {
				t.Fatalf("step %d: %s %s is %d, %v", step, family, name, v, ok)
			}
			if ok {
				h := list[i]
				list = append(slices.Delete(list, i, i+1), h)
			}
		case 2:
			if of.Has(name) != (i >= 0) {
				t.Fatalf("step %d: whether %s %s is there", step, family, name)
			}
		}
	}
}

func sum[T any](list []T, of func(T) int) (n int) {
	for _, x := range list {
		n += of(x)
	}
	return n
}

func TestItIsMadeOnceForAllWhoAsk(t *testing.T) {
	f := cache.In(cache.New(1000), "a", weight)
	var made atomic.Int32
	begun, let := make(chan struct{}), make(chan struct{})
	work := func() (int, error) {
		if made.Add(1) == 1 {
			close(begun)
		}
		<-let
		return 7, nil
	}
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			if v, err := f.Make("x", work); v != 7 || err != nil {
				t.Error(v, err)
			}
		})
	}
	<-begun
	close(let)
	all.Wait()
	if made.Load() != 1 {
		t.Errorf("it was made %d times", made.Load())
	}
}

func TestWhatFailedIsNotKept(t *testing.T) {
	f := cache.In(cache.New(1000), "a", weight)
	broken := errors.New("broken")
	if _, err := f.Make("x", func() (int, error) { return 1, broken }); !errors.Is(err, broken) || f.Has("x") {
		t.Error(err)
	}
	func() {
		defer func() {
			if recover() == nil {
				t.Error("a panic was swallowed")
			}
		}()
		_, _ = f.Make("x", func() (int, error) { panic("broken") })
	}()
	if v, err := f.Make("x", func() (int, error) { return 2, nil }); v != 2 || err != nil {
		t.Error(v, err)
	}
	if v, err := f.Make("x", nil); v != 2 || err != nil { // it is there
		t.Error(v, err)
	}
}

// Where nothing is a thing of its own that is kept: a piece without triangles has no body.
func TestNothingIsKeptToo(t *testing.T) {
	f := cache.In(cache.New(1000), "a", func(*int) int { return 1 })
	made := 0
	for range 2 {
		if v, err := f.Make("x", func() (*int, error) { made++; return nil, nil }); v != nil || err != nil {
			t.Error(v, err)
		}
	}
	if made != 1 {
		t.Errorf("it was made %d times", made)
	}
}

// What changes is kept under one name: what it is of now, and nothing of before.
func TestWhatChangesMakesRoom(t *testing.T) {
	c := cache.New(1000)
	f := cache.In(c, "a", weight)
	made := 0
	of := func(key string, v int) int {
		got, err := f.MakeOf("x", key, func() (int, error) { made++; return v, nil })
		if err != nil {
			t.Error(err)
		}
		return got
	}
	if of("one", 1) != 1 || of("one", 9) != 1 || of("two", 2) != 2 || of("one", 3) != 3 || made != 3 {
		t.Errorf("it was made %d times", made)
	}
	if v, ok := f.GetOf("x", "two"); ok {
		t.Errorf("what it was before is kept: %d", v)
	}
	f.PutOf("x", "two", 4)
	if v, ok := f.GetOf("x", "two"); v != 4 || !ok {
		t.Error(v, ok)
	}
}
