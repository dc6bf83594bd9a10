// Package shoot is what a set is pictured by: takes and their renders, the set as a model for others.
package shoot

import (
	"sync/atomic"

	"visator/app/library"
)

// Studio is where takes are made.
type Studio struct {
	*library.Library
	// Memory is how many bytes a picture in the making may take; 0: half of the
	// machine's.
	Memory int64

	trues   trues
	touched atomic.Int64 // when a person last did something, in Unix nanoseconds
}

// QueueTakes is the queue of renders: a download does not wait for a night of them.
const QueueTakes = "takes"

// TakeTries is how often a take is tried that fails by no fault of its own.
const TakeTries = 10

// NewStudio is a studio of a library's sets.
func NewStudio(l *library.Library) *Studio { return &Studio{Library: l} }
