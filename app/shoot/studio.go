// Package shoot is a set before the lens: its scene for the renderer, the true view, the meter, the set as a model for
// others.
package shoot

import (
	"sync/atomic"
	"time"

	"visator/app/library"
)

// Studio is where sets stand before the lens.
type Studio struct {
	*library.Library
	// Memory is how many bytes a picture in the making may take; 0: half of the
	// machine's.
	Memory int64

	trues   trues
	kept    *structures  // nil: none are
	touched atomic.Int64 // when a person last did something, in Unix nanoseconds
}

// NewStudio is a studio of a library's sets.
func NewStudio(l *library.Library) *Studio {
	return &Studio{Library: l, kept: kept(l.Store.Beside("structures"), l.Store.Room)}
}

// Touch is called when a person does something.
func (a *Studio) Touch() { a.touched.Store(time.Now().UnixNano()) }

// Touched is when a person last did something.
func (a *Studio) Touched() time.Time { return time.Unix(0, a.touched.Load()) }
