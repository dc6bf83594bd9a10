package finish

import (
	"sync"

	"visator/core/cube"
	"visator/core/document"
	"visator/core/geom"
)

var _ = step("look", Shown, func() Step { return &Look{Share: 1} })

// Look lays a table over what a screen shows, in sRGB: looks are made for that. Its table must have been learnt.
type Look struct {
	Table string  `json:"table"` // the name of its content; "": none
	Share float64 `json:"share"`
}

// Fields are what it is described by.
func (l *Look) Fields() []document.Field {
	return []document.Field{
		document.Of(&l.Table, document.Text, "table", "table", "a table").In(0, 64).
			Hinting("the number of a .cube file that was handed in; see below"),
		document.Of(&l.Share, document.Percent, "share", "strength", "the strength of a look").In(0, 1).
			Sliding(0, 100, 1),
	}
}

// learnt are the tables that are known, by the name of their content: what has a name never changes.
var learnt struct {
	sync.RWMutex
	tables map[string]*cube.Cube
	order  []string
}

// mostLearnt is how many tables are known at a time: each takes up to 25 MB, most a tenth of one.
const mostLearnt = 32

// Learn makes a table known, by the name of its content.
func Learn(name string, c *cube.Cube) {
	learnt.Lock()
	defer learnt.Unlock()
	if learnt.tables == nil {
		learnt.tables = map[string]*cube.Cube{}
	}
	if learnt.tables[name] == nil {
		learnt.order = append(learnt.order, name)
	}
	learnt.tables[name] = c
	if len(learnt.order) > mostLearnt {
		delete(learnt.tables, learnt.order[0])
		learnt.order = learnt.order[1:]
	}
}

func known(name string) *cube.Cube {
	learnt.RLock()
	defer learnt.RUnlock()
	return learnt.tables[name]
}

// Unknown is the table that a chain has and that is not known; "" where there is none.
func (c Chain) Unknown() string {
	steps, _, err := c.read()
	if err != nil {
		return ""
	}
	for _, s := range steps {
		if l, ok := s.(*Look); ok && l.Table != "" && known(l.Table) == nil {
			return l.Table
		}
	}
	return ""
}

// Apply lays it over the picture.
func (l *Look) Apply(p *Pixels) {
	table := known(l.Table)
	if table == nil {
		return
	}
	p.each(func(c geom.V) geom.V {
		s := geom.V{X: Encode(c.X), Y: Encode(c.Y), Z: Encode(c.Z)}
		s = s.Lerp(table.At(s), l.Share)
		return geom.V{X: Decode(max(s.X, 0)), Y: Decode(max(s.Y, 0)), Z: Decode(max(s.Z, 0))}
	})
}
