package crew

import (
	"strings"
	"sync/atomic"
	"testing"
)

func TestAPanicIsTheCallers(t *testing.T) {
	var done atomic.Int32
	said := func() (r any) {
		defer func() { r = recover() }()
		var g Group
		for i := range 8 {
			g.Go(func() {
				done.Add(1)
				if i == 3 {
					panic("the fourth")
				}
			})
		}
		g.Wait()
		return nil
	}()
	if s, _ := said.(string); !strings.HasPrefix(s, "the fourth") || !strings.Contains(s, "crew_test.go") {
		t.Errorf("%v", said)
	}
	if done.Load() != 8 {
		t.Errorf("%d of 8 were done", done.Load())
	}
	var none Group
	none.Wait()
}
