package demo

import (
	"context"
	"strings"
	"testing"

	"visator/app"
	"visator/app/desk"
	"visator/app/edit"
	"visator/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// What the sample production has become is left alone; one that was cut while it was
// made goes to the bin, which is told, and another is made.
func TestTheSampleIsLeftAlone(t *testing.T) {
	ctx := context.Background()
	a := app.New(storetest.Open(t))
	told := ""
	look := func() string {
		t.Helper()
		told = ""
		set, err := there(ctx, a, func(s string) { told += s })
		if err != nil {
			t.Fatal(err)
		}
		return set
	}
	if got := look(); got != "" {
		t.Fatalf("there is %s where nothing is", got)
	}
	// From before it was written down how far it is: no shots, and yet somebody's.
	old, set, err := a.NewProduction(ctx, Name, "metre")
	if err != nil {
		t.Fatal(err)
	}
	if got := look(); got != set || told != "" {
		t.Errorf("%s, %q", got, told)
	}
	if err := a.Store.SetSample(ctx, old, "made"); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Store.Pool.Exec(ctx, "update production set name = 'my own name'"); err != nil {
		t.Fatal(err)
	}
	if got := look(); got != set {
		t.Errorf("renamed it is not known: %s", got)
	}
	if err := a.Store.SetSample(ctx, old, "making"); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Edit(ctx, set,
		desk.Request{Revision: -1,
			Commands: []desk.Command{edit.Do(&edit.Place{StandIn: "box", Name: "touched"})}}); err != nil {
		t.Fatal(err)
	}
	if got := look(); got != "" || !strings.Contains(told, "lies in the bin now, for 30 days") {
		t.Errorf("%s, %q", got, told)
	}
	bin, err := a.Bin(ctx)
	if err != nil || len(bin) != 1 || bin[0].ID != old || !strings.Contains(bin[0].What, "1 placement") {
		t.Errorf("%+v, %v", bin, err)
	}
	if err := a.TakeFromBin(ctx, "production", old); err != nil {
		t.Fatal(err)
	}
	if st, err := a.State(ctx, set); err != nil || len(st.Placements) != 1 {
		t.Errorf("%v", err)
	}
}
