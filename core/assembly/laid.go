package assembly

import (
	"context"
	"sync"

	"visator/core/contact"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/plain"
)

// Laid is an element with what became of it.
type Laid struct {
	*lay.Laid
	Key    string        // names this result: another when anything that it depends on changes
	Err    error         // why it cannot be laid out
	Body   *contact.Body // what it is felt by itself; nil when it only lays pieces
	Counts []Count       // its instances, in the order in which their pieces first come

	herd *herded
}

// Count is how many instances of a piece an element lays.
type Count struct {
	Piece string
	N     int
}

// failed is an element that cannot be laid out.
func failed(err error) *Laid { return &Laid{Laid: &lay.Laid{}, Err: err, herd: &herded{}} }

// felt adds the body of what an element is made of.
func felt(l *Laid) *Laid {
	if l.Model != nil {
		l.Body = contact.New(l.Model, geom.Identity)
	}
	return counted(l)
}

// counted adds how many instances there are of each piece: a drift may have
// millions, and is asked after every edit.
func counted(l *Laid) *Laid {
	l.herd = &herded{}
	at := map[string]int{}
	for i := range l.Instances {
		piece := l.Instances[i].Piece
		k, ok := at[piece]
		if !ok {
			k = len(l.Counts)
			at[piece] = k
			l.Counts = append(l.Counts, Count{Piece: piece})
		}
		l.Counts[k].N++
	}
	return l
}

// Pieces are those of an element's instances, each once.
func (l *Laid) Pieces() []string {
	list := []string{}
	for _, c := range l.Counts {
		list = append(list, c.Piece)
	}
	return list
}

// Middle is the middle of what an element is made of, or else of where its pieces stand.
func (l *Laid) Middle() geom.V {
	if l.Body != nil {
		return l.Body.Box.Center()
	}
	box := geom.Empty()
	for i := range l.Instances {
		box = box.Add(l.Instances[i].At)
	}
	return box.Center()
}

// herded keeps the tree over the copies of an element, which outlives edits of other
// things.
type herded struct {
	mu   sync.Mutex
	key  string // of the bodies that it was made with
	herd *contact.Herd
}

// Herd is the tree over what an element lays: a million copies take some 36 bytes each
// there. nil when nothing of it has a body yet.
func (l *Laid) Herd(ctx context.Context, pieces Pieces) (*contact.Herd, error) {
	bodies := make([]*contact.Body, len(l.Counts))
	at, key := map[string]uint32{}, make([]any, len(l.Counts))
	for i, c := range l.Counts {
		b, err := pieces.Body(ctx, c.Piece)
		if err != nil {
			return nil, err
		}
		bodies[i], at[c.Piece] = b, uint32(i)
		key[i] = pieces.Key(c.Piece)
	}
	name := plain.Name(key...)
	l.herd.mu.Lock()
	defer l.herd.mu.Unlock()
	if l.herd.key == name {
		return l.herd.herd, nil
	}
	which := make([]uint32, len(l.Instances))
	for i := range l.Instances {
		which[i] = at[l.Instances[i].Piece]
	}
	list := l.Instances
	l.herd.key, l.herd.herd = name, contact.NewHerd(len(list), func(i int32) contact.Copy {
		in := &list[i]
		return contact.Copy{Body: bodies[which[i]], At: in.At, Turn: in.Turn, Scale: in.Scale}
	})
	return l.herd.herd, nil
}

// Weighty is something that is kept, and how many bytes it takes, about.
type Weighty interface{ Bytes() int }

// Memory keeps what was laid out, by its key: an undo finds again what was there before.
type Memory interface {
	// Get makes what is not there, once for all who ask at the same time.
	Get(key string, make func() Weighty) Weighty
	// Has says whether something is kept under a key.
	Has(key string) bool
}

// Bytes is about what an element takes.
func (l *Laid) Bytes() int {
	n := 2000
	if l.Laid != nil {
		n += 96*len(l.Instances) + 1100*len(l.Pools) + 400*len(l.Hung)
		if l.Model != nil {
			n += 120 * l.Model.Weigh().Triangles
		}
	}
	return n
}

// landscape is all ground of a set with its paths.
type landscape struct {
	key    string
	fields []*lay.Field
	laid   map[string]*Laid
}

func (l *landscape) Bytes() int {
	n := 2000
	for _, f := range l.fields {
		n += 4 * len(f.H)
	}
	for _, e := range l.laid {
		n += e.Bytes()
	}
	return n
}
