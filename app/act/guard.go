package act

import (
	"errors"
	"log/slog"
	"runtime"
	"runtime/debug"
	"syscall"
)

// ErrBroke is measuring that broke off by a fault of the program.
var ErrBroke = errors.New("it could not be measured, by a fault of the program")

// Guarded does something with an error, ErrBroke, instead of a panic: in a goroutine of its
// own nobody else could recover. what broke off, of which set, is told to those who can
// mend it.
func Guarded(what, set string, do func() error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error(what+" broke off", "set", set, "panic", r, "stack", string(debug.Stack()))
			err = ErrBroke
		}
	}()
	return do()
}

// GiveWay puts the calling goroutine on a thread of its own that yields to
// everything else on the machine: pages stay quick while pictures are made.
// The thread ends with the goroutine.
func GiveWay() {
	runtime.LockOSThread()
	_ = syscall.Setpriority(syscall.PRIO_PROCESS, syscall.Gettid(), 12)
}
