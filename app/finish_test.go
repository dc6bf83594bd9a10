package app_test

import (
	"bytes"
	"encoding/json"
	"image/png"
	"math"
	"testing"

	"visator/app/edit"
	"visator/app/query"
	"visator/app/shoot"
	"visator/core/finish"
)

// A take is finished as its shot says: with edges darkened as by a simple lens the corner
// has the fourth power of its angle's cosine of the light that it had, and the middle is as
// it was. What is no step is refused, and nothing is changed.
func TestTakesAreFinishedAsTheirShotSays(t *testing.T) {
	d := newStudio(t)
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"view":{"focal":24,"ev":12,"pitch":0},` +
		`"light":{"zenith":"#808080","horizon":"#808080","level":9000,"sunOn":false}}`)}))
	lit := func() (corner, middle float64) {
		t.Helper()
		if _, err := d.a.Shoot(d.ctx, d.set, "", "still", shoot.TakeSettings{Width: 64, Samples: 4}); err != nil {
			t.Fatal(err)
		}
		n := len(d.state().Takes)
		st := d.await("the take",
			func(st *query.State) bool { return len(st.Takes) == n && st.Takes[0].State == "done" })
		var r shoot.TakeResult
		if err := json.Unmarshal(st.Takes[0].Result, &r); err != nil {
			t.Fatal(err)
		}
		data, err := d.a.Store.ReadBlob(d.ctx, r.PNG)
		if err != nil {
			t.Fatal(err)
		}
		m, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		at := func(x, y int) float64 {
			_, g, _, _ := m.At(x, y).RGBA()
			return finish.Decode(float64(g) / 65535)
		}
		return at(0, 0), at(m.Bounds().Dx()/2, m.Bounds().Dy()/2-1)
	}
	corner, middle := lit()
	d.edit(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"finish":{"falloff":{"amount":1}}}`)}))
	darker, same := lit()
	w := d.state().Set.View.Window()
	k := 1 - 1.0/64
	tan2 := k*k*w.Left*w.Left + w.Top*w.Top*math.Pow(1-1.0/36, 2)
	// The tone mapper takes 0.04 away from what is brighter than 0.08 (Khronos PBR Neutral).
	want := (corner+0.04)/math.Pow(1+tan2, 2) - 0.04
	if math.Abs(darker-want) > 0.02*want+0.004 || math.Abs(same-middle) > 0.01 || middle < 0.1 || middle > 0.7 {
		t.Errorf("the corner has %.4f of %.4f, want %.4f; the middle %.4f of %.4f", darker, corner, want, same, middle)
	}
	before := d.state().Revision
	if said := d.refused(edit.Do(&edit.ChangeSet{Patch: json.RawMessage(`{"finish":{"sparkle":{}}}`)})); said == "" ||
		d.state().Revision != before {
		t.Errorf("said %q", said)
	}
}
