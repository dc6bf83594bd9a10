package query

import (
	"context"
	"fmt"
	"math"

	"visator/app/act"
	"visator/core/light"
	"visator/core/unit"
	"visator/store"
)

// SunState is the sun over a set's place: its path of the day, as far as it is above the twilight's end,
// and those of 21 June and 21 December beside it.
type SunState struct {
	Path     []SunPoint `json:"path"`
	June     []SunPoint `json:"june"`
	December []SunPoint `json:"december"`
	North    float64    `json:"north"` // radians, clockwise from -Z
	Said     []string   `json:"said"`
}

// SunPoint is where the sun stands on the plan at an hour of the clock, in radians.
type SunPoint struct {
	Hour      float64 `json:"hour"`
	Azimuth   float64 `json:"azimuth"`
	Elevation float64 `json:"elevation"`
}

// Sun is the sun over a set's place.
func (a *Pages) Sun(ctx context.Context, setID string) (*SunState, error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	return sunOf(&set.Light.Place), nil
}

func sunOf(p *light.Place) *SunState {
	path := func(p light.Place) []SunPoint {
		list := []SunPoint{}
		for i := range 24*4 + 1 {
			h := float64(i) / 4
			if az, el := p.Sun(h); el > -light.Twilight {
				list = append(list, SunPoint{h, az, el})
			}
		}
		return list
	}
	june, december := *p, *p
	year := p.At(12).Year()
	june.Day, december.Day = fmt.Sprintf("%04d-06-21", year), fmt.Sprintf("%04d-12-21", year)
	return &SunState{Path: path(*p), June: path(june), December: path(december), North: p.North,
		Said: saidOf(p.Today())}
}

// saidOf are the hours of a day in words.
func saidOf(d light.SunDay) []string {
	var said []string
	from := func(what string, from, to float64) {
		if !math.IsNaN(from) && !math.IsNaN(to) {
			said = append(said, fmt.Sprintf("%s %s to %s", what, light.Clock(from), light.Clock(to)))
		}
	}
	from("blue", d.Dawn, d.Blue)
	from("golden", d.Blue, d.Gold)
	switch {
	case !math.IsNaN(d.Rise):
		said = append(said, "rises "+light.Clock(d.Rise))
	case d.Height > 0:
		said = append(said, "does not set")
	default:
		said = append(said, "does not rise")
	}
	said = append(said, fmt.Sprintf("highest %s, %.1f°", light.Clock(d.Noon), unit.Degrees(d.Height)))
	from("golden", d.Late, d.Ends)
	if !math.IsNaN(d.Set) {
		said = append(said, "sets "+light.Clock(d.Set))
	}
	from("blue", d.Ends, d.Night)
	return said
}
