package light

import (
	"math"
	"strings"
	"testing"

	"visator/core/geom"
	"visator/core/unit"
)

// In the open the sun is up half of the year everywhere, a little more by the air and its width (almanacs: about 4,380
// hours and some 100 more at middle latitudes); behind a wall to the south none of the noons is left; at the pole the
// days are one.
func TestAYearOfSun(t *testing.T) {
	p := Default().Place
	open := p.YearOf(func(geom.V) bool { return true })
	if math.Abs(open.Hours-4450) > 120 || open.Share != 1 || len(open.Reach) != YearDays || len(open.Reach[0]) != YearHours {
		t.Errorf("%v hours, share %v", open.Hours, open.Share)
	}
	if !strings.Contains(open.Said(), "100 %") {
		t.Error(open.Said())
	}
	south := Direction(math.Pi+p.North, 0)
	walled := p.YearOf(func(d geom.V) bool { return d.Dot(south) < 0 })
	for i, line := range walled.Reach {
		if line[26] == 'o' { // a quarter past one: noon of the sun, by that clock
			t.Errorf("%s at noon the wall is not there", walled.Days[i])
		}
	}
	if !(walled.Hours > 0 && walled.Hours < open.Hours/3) {
		t.Errorf("north of a wall %v hours of %v", walled.Hours, open.Hours)
	}
	p.Latitude = unit.Radians(89.9)
	polar := p.YearOf(func(geom.V) bool { return true })
	if strings.Trim(polar.Reach[34], "o") != "" || strings.Trim(polar.Reach[70], ".") != "" {
		t.Errorf("at the pole: %s in June, %s in December", polar.Reach[34], polar.Reach[70])
	}
	if none := p.YearOf(func(geom.V) bool { return false }); none.Said() != "the sun never reaches it" {
		t.Error(none.Said())
	}
}
