package desk_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"visator/app"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/measure"
	"visator/app/query"
	"visator/core/geom"
	"visator/store"
	"visator/store/storetest"
)

// slow is an op that takes long: it places a box, after what is done meanwhile.
type slow struct {
	meanwhile func(try int)
	tries     int
	name      string
}

func (s *slow) Feels() bool { return true }

func (s *slow) Do(ctx context.Context, e *desk.Editor) error {
	s.tries++
	s.meanwhile(s.tries)
	c := box(s.name)
	op, err := edit.Of(&c)
	if err != nil {
		return err
	}
	return op.Do(ctx, e)
}

func box(name string) desk.Command {
	return edit.Do(&edit.Place{StandIn: "box", Name: name, At: geom.V{}})
}

// What takes long holds up nobody: another edit of the same set is confirmed while it is worked
// out. Then it is worked out again on what there is now; when others go on and on, it is done all
// the same, with them waiting.
func TestWhatTakesLongHoldsUpNobody(t *testing.T) {
	st := storetest.Open(t)
	_, set, err := app.New(st).NewProduction(context.Background(), "held", "metre")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithTimeout(context.Background(), time.Minute)
	defer stop()
	var now *slow
	d := desk.New(query.New(measure.New(st)), func(c *desk.Command) (desk.Op, error) {
		if c.Op == "slow" {
			return now, nil
		}
		return edit.Of(c)
	})
	do := func(c desk.Command) (desk.Answer, error) {
		return d.Edit(ctx, set, desk.Request{Revision: -1, Commands: []desk.Command{c}})
	}
	revision := int64(0)
	for _, c := range []struct{ others, tries int }{{0, 1}, {1, 2}, {2, 3}} {
		quick := 0
		now = &slow{name: fmt.Sprint("slow ", c.others), meanwhile: func(try int) {
			if try > c.others {
				return
			}
			quick++
			if r, err := do(box(fmt.Sprintf("quick %d %d", c.others, try))); err != nil || len(r.Made) != 1 {
				t.Errorf("while a slow one is worked out: %+v, %v", r, err)
			}
		}}
		r, err := do(desk.Command{Op: "slow"})
		if err != nil || len(r.Made) != 1 || r.Label == "" {
			t.Fatalf("with %d others: %+v, %v", c.others, r, err)
		}
		if revision += int64(c.others) + 1; r.Revision != revision || now.tries != c.tries || quick != c.others {
			t.Errorf("with %d others it was worked out %d times, and made revision %d; %d and %d were to come",
				c.others, now.tries, r.Revision, c.tries, revision)
		}
	}
	// All of it is there once, in its own entry of the log.
	rows, err := store.Placements(ctx, st.Pool, set)
	if err != nil || len(rows) != 6 {
		t.Fatalf("%d placements, %v", len(rows), err)
	}
	names := map[string]bool{}
	for _, r := range rows {
		names[r.Name] = true
	}
	if len(names) != 6 {
		t.Errorf("the placements are %v", names)
	}
	for n := range 6 {
		if _, err := d.Undo(ctx, set, ""); err != nil {
			t.Fatalf("undo %d: %v", n+1, err)
		}
	}
	if rows, err = store.Placements(ctx, st.Pool, set); err != nil || len(rows) != 0 {
		t.Errorf("after undo: %d placements, %v", len(rows), err)
	}
}

func TestMain(m *testing.M) { storetest.Main(m) }
