package light

import (
	"fmt"
	"math"
	"time"

	"visator/core/geom"
)

// YearDays and YearHours are how finely a year is looked at: every fifth day, every half hour.
const (
	YearDays  = 73
	YearHours = 48
)

// Year is when the sun reaches a place over the year of a set's day: of each fifth day and each half hour of the clock
// one of the letters below.
type Year struct {
	Days []string `json:"days"` // as 2026-10-17
	// Of each a letter for each half hour: . the sun is down, # something is before it, o it reaches it.
	Reach []string `json:"reach"`
	Hours float64  `json:"hours"` // of sun in the year, about
	// Of what could be: the share of the hours in which the sun is up.
	Share float64 `json:"share"`
}

// YearOf looks for the sun from a place; free says whether the way along a direction is free.
func (p *Place) YearOf(free func(d geom.V) bool) Year {
	var y Year
	year := p.At(12).Year()
	up := 0
	for i := range YearDays {
		day := *p
		day.Day = time.Date(year, 1, 1+5*i, 0, 0, 0, 0, time.UTC).Format(dayForm)
		line := make([]byte, YearHours)
		for h := range YearHours {
			az, el := day.Sun((float64(h) + 0.5) * 24 / YearHours)
			switch {
			case el < risen:
				line[h] = '.'
			case free(Direction(az, max(el, 1e-3))):
				line[h] = 'o'
				y.Hours += 5 * 24.0 / YearHours
				up++
			default:
				line[h] = '#'
				up++
			}
		}
		y.Days, y.Reach = append(y.Days, day.Day), append(y.Reach, string(line))
	}
	if up > 0 {
		y.Share = y.Hours / (float64(up) * 5 * 24 / YearHours)
	}
	return y
}

// Said is a year in words.
func (y *Year) Said() string {
	if y.Hours == 0 {
		return "the sun never reaches it"
	}
	return fmt.Sprintf("the sun reaches it %.0f hours of the year, %.0f %% of those in which it is up",
		math.Round(y.Hours), 100*y.Share)
}
