package act

import (
	"errors"
	"testing"
)

// What breaks off in the background is an error to who began it; other errors stay theirs.
func TestWhatIsGuardedEndsInAnError(t *testing.T) {
	if err := Guarded("a test", "", func() error { panic("so that it breaks off") }); !errors.Is(err, ErrBroke) {
		t.Errorf("a panic ends in %v", err)
	}
	own := errors.New("own")
	if err := Guarded("a test", "", func() error { return own }); err != own {
		t.Errorf("its own error ends in %v", err)
	}
	if err := Guarded("a test", "", func() error { return nil }); err != nil {
		t.Errorf("nothing ends in %v", err)
	}
}
