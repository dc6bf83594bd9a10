// Package act is who acts, what they are told when something cannot be done, and how
// what was done is announced.
package act

import (
	"errors"
	"fmt"

	"visator/core/plain"
	"visator/store"
)

// Problem is an error that is told to the person as it stands.
type Problem struct {
	Say  string
	Kind error // one of the Err values below
}

func (p *Problem) Error() string { return p.Say }
func (p *Problem) Unwrap() error { return p.Kind }

// Kinds of problems.
var (
	ErrWrong = errors.New("wrong input")
	ErrStale = errors.New("stale edit")
	ErrNone  = store.ErrNotFound
	ErrFull  = store.ErrFull
)

// DiskFull is told when there is no room for what is to be kept.
var DiskFull = &Problem{"The disk is full. Nothing was changed; what was confirmed before is safe. Make room on it " +
	"and try again.", ErrFull}

// WaitsForRoom is what is noted of work that goes on when there is room again.
const WaitsForRoom = "the disk is full: it goes on when there is room"

// Wrong says what is wrong with what was asked for, and what to do.
func Wrong(format string, args ...any) error {
	return &Problem{fmt.Sprintf(format, args...), ErrWrong}
}

// Stale says why something cannot be done any more.
func Stale(format string, args ...any) error {
	return &Problem{fmt.Sprintf(format, args...), ErrStale}
}

// None says what there is none of.
func None(format string, args ...any) error {
	return &Problem{fmt.Sprintf(format, args...), ErrNone}
}

// NotThere says what is not there; other errors stay as they are.
func NotThere(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return &Problem{what + " is not there any more; reload the page", ErrNone}
	}
	return err
}

// maxID is the longest name of a row, in bytes: those that are made here have 30 at
// most.
const maxID = 200

// Named says whether these can be the names of rows.
func Named(ids ...string) error {
	for _, id := range ids {
		if err := plain.Text(id); err != nil || len(id) > maxID {
			return Wrong("%.40q names nothing here.", id)
		}
	}
	return nil
}
