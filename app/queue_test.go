package app_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"visator/app/act"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/geom"
	"visator/store"
)

// takeOf is a take by id, as the set's state tells it.
func (d *studio) takeOf(id string) (out store.Take) {
	d.Helper()
	for _, x := range d.state().Takes {
		if x.ID == id {
			out = x
		}
	}
	return out
}

// The queue: what waits is put before another, held and let go on, put off to a time; what is made first is what was
// put first.
func TestTheQueueIsOrderedByHand(t *testing.T) {
	d := newStudio(t)
	eye := d.state().Set.View.Eye
	d.stand("box", eye.Add(geom.V{Y: -2, Z: -6}), geom.V{X: 2, Y: 2, Z: 1})
	asked := func(width, samples int) string {
		x, err := d.a.Shoot(d.ctx, d.set, "", "still", takes.Settings{Width: width, Samples: samples, Seed: 1})
		if err != nil {
			t.Fatal(err)
		}
		return x.ID
	}
	order := func(id string, o takes.Order) {
		t.Helper()
		if err := d.a.Arrange(d.ctx, id, o); err != nil {
			t.Fatal(err)
		}
	}
	// A long one keeps the only worker busy.
	long := asked(1600, 4000)
	d.await("the long one", func(*query.State) bool { return d.takeOf(long).State == "working" })
	one, two, three := asked(40, 1), asked(41, 1), asked(42, 1)
	order(three, takes.Order{Do: "before", Other: one})
	order(two, takes.Order{Do: "hold"})
	list, err := d.a.Waiting(d.ctx)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, q := range list {
		got = append(got, q.State+" "+q.Size)
	}
	if all := strings.Join(got, ", "); all != "working 1600 × 900, waiting 42 × 24, waiting 40 × 23, held 41 × 23" {
		t.Errorf("the queue is %s", all)
	}
	for _, o := range []takes.Order{{Do: "burn"}, {Do: "at"}, {Do: "before", Other: long}, {Do: "before", Other: two}} {
		if err := d.a.Arrange(d.ctx, one, o); !errors.Is(err, act.ErrWrong) {
			t.Errorf("%+v: %v", o, err)
		}
	}
	if err := d.a.Arrange(d.ctx, one, takes.Order{Do: "go on"}); err == nil {
		t.Error("what waits goes on")
	}
	// What is being made is held: the others have their turn, and what was made of it stays.
	order(long, takes.Order{Do: "hold"})
	d.ended(one)
	d.ended(three)
	var first string
	if err := d.a.Store.Pool.QueryRow(d.ctx, "select args->>'take' from river_job where kind = 'take' and "+
		"args->>'take' in ($1, $2) order by finalized_at limit 1", one, three).Scan(&first); err != nil || first != three {
		t.Errorf("what was put before was made after: %v", err)
	}
	if s := d.takeOf(long).State; s != "held" {
		t.Errorf("what is held is %s", s)
	}
	if s := d.takeOf(two).State; s != "held" {
		t.Errorf("what is held is %s", s)
	}
	later := time.Now().Add(time.Hour)
	order(two, takes.Order{Do: "at", At: &later})
	if x := d.takeOf(two); x.State != "waiting" || x.Due == nil || !x.Due.Round(time.Second).Equal(later.Round(time.Second)) {
		t.Errorf("put off by an hour it is %s, at %v", x.State, x.Due)
	}
	order(two, takes.Order{Do: "hold"})
	order(two, takes.Order{Do: "go on"})
	d.ended(two)
	if err := d.a.CancelTake(d.ctx, long); err != nil {
		t.Fatal(err)
	}
	if s := d.takeOf(long).State; s != "cancelled" {
		t.Errorf("stopped it is %s", s)
	}
}
