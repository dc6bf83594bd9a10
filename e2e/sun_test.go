package e2e

import (
	"math"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"visator/core/light"
)

// An artist sets the sun by place, day and hour: typed, pulled along the dial, and turned with the
// arrow keys; what is set by hand then makes it a sun by hand, and undo brings the place back.
func TestTheSunIsSetByPlaceDayAndHour(t *testing.T) {
	t.Parallel()
	s, b := newSite(t), browser(t)
	set := b.production(s, "sundial")
	b.step("light")
	b.press("by place, day and hour")
	b.until("Alpine.store('v').st.set.light.from === 'place'")
	b.fill("Latitude in degrees, north positive", "39.742476")
	b.fill("Longitude in degrees, east positive", "-105.1786")
	b.fill("Hours that the clock is before universal time", "-7")
	b.fill("Day, as 2026-10-17", "2003-10-17")
	b.fill("Hour of the clock", "12.508333")
	b.idle()
	is := func() light.State { return s.state(set).Set.Light }
	near := func(what string, got, want float64) {
		t.Helper()
		if math.Abs(got*180/math.Pi-want) > 0.05 {
			t.Errorf("the sun's %s is %v degrees, not %v", what, got*180/math.Pi, want)
		}
	}
	// The worked example of NREL/TP-560-34302, but for the height and the air of the place.
	near("direction", is().Azimuth, 194.34)
	near("elevation", is().Elevation, 39.888)
	b.until("document.querySelector('[data-dial] [data-sun]') && " +
		"document.querySelector('[data-dial]').getAttribute('aria-valuetext') === '12:30'")
	said := func() string { return eval[string](b, "document.querySelector('[data-dial] + p').textContent") }
	b.until("document.querySelector('[data-dial] + p').textContent.includes('rises 06:13')")
	if !strings.Contains(said(), "highest 11:46") || !strings.Contains(said(), "sets 17:19") {
		t.Errorf("the day is told as %q", said())
	}

	// Pulled along the dial to the west, the sun goes down.
	b.drag(b.middle("[data-dial] [data-sun]"), b.middle("[...document.querySelectorAll('[data-dial] circle')]"+
		".filter(c => c.getAttribute('r') === '2')[9]"))
	b.idle()
	hours := eval[[]float64](b, "Alpine.$data(document.querySelector('[data-dial]')).sun.path.map(p => p.hour)")
	first := math.Ceil(hours[0]) + 9
	if at := is().Hour; math.Abs(at-first) > 0.051 {
		t.Errorf("pulled to %v the hour is %v", first, at)
	}
	if low := is(); low.Elevation > 0.45 || low.Azimuth < 3.6 || low.Kelvin > 4600 {
		t.Errorf("in the afternoon it stands %v high at %v, with %v K", low.Elevation, low.Azimuth, low.Kelvin)
	}
	before := is().Hour
	eval[bool](b, "(document.querySelector('[data-dial]').focus(), true)")
	b.keys(kb.ArrowLeft + kb.ArrowLeft + kb.ArrowLeft)
	b.idle()
	if at := is().Hour; math.Abs(at-(before-0.75)) > 0.03 {
		t.Errorf("three arrow keys take it from %v to %v", before, at)
	}

	// A wrong day is told and changes nothing.
	b.fill("Day, as 2026-10-17", "2026-02-30")
	b.until("document.body.innerText.includes('is no day')")
	if day := is().Day; day != "2003-10-17" {
		t.Errorf("the day is %s", day)
	}
	b.fill("Sun elevation in degrees", "45")
	b.idle()
	if got := is(); got.From != "hand" || math.Abs(got.Elevation-math.Pi/4) > 1e-6 || got.Day != "2003-10-17" {
		t.Errorf("set by hand it is %+v", got)
	}
	b.press("Undo")
	b.until("Alpine.store('v').st.set.light.from === 'place'")
}
