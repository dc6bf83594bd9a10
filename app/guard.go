package app

import (
	"errors"
	"log/slog"
	"runtime/debug"
)

// errBroke is measuring that broke off by a fault of the program.
var errBroke = errors.New("it could not be measured, by a fault of the program")

// guarded does something with an error, errBroke, instead of a panic: in a goroutine of its
// own nobody else could recover. what broke off, of which set, is told to those who can
// mend it.
func guarded(what, set string, do func() error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error(what+" broke off", "set", set, "panic", r, "stack", string(debug.Stack()))
			err = errBroke
		}
	}()
	return do()
}
