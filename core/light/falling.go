package light

import (
	"visator/core/air"
	"visator/core/document"
	"visator/core/fall"
	"visator/core/geom"
)

// Falling is what falls through the air of a set, and the wind that carries it.
type Falling struct {
	Falls    string  `json:"falls"`    // "": nothing; rain or snow
	Rate     float64 `json:"rate"`     // mm of water an hour
	Wind     float64 `json:"wind"`     // m/s
	WindFrom float64 `json:"windFrom"` // radians clockwise from up on the plan, as the sun's direction
	Gusts    float64 `json:"gusts"`    // the share of it that comes and goes
	FallSeed int     `json:"fallSeed"`
}

// cloudsAt is over how many metres what falls thins upwards, as air. What falls from the clouds is on all of the way to
// them; but a sky is told as it is seen from beneath it, and would be dimmed twice.
const cloudsAt = 60

// defaultFalling is nothing yet: steady rain once something falls, and still air.
func defaultFalling() Falling { return Falling{Rate: 5, Gusts: 0.3, FallSeed: 1} }

func (f *Falling) fields() []document.Field {
	of := document.Of
	return []document.Field{
		of(&f.Falls, document.Choice, "falls", "falls", "what falls is").Among("nothing", "rain", "snow").Or("nothing").
			On("weather"),
		of(&f.Rate, document.Number, "rate", "how much", "how much falls").In(0, fall.Heaviest).Told("mm/h", 1).
			Named("What falls, in millimetres of water an hour").On("weather").Sliding(0, 50, 0.5).
			Hinting("rain: 1 is light, 5 steady, 30 a cloudburst; snow: 1 is about a centimetre an hour"),
		of(&f.FallSeed, document.Count, "fallSeed", "seed", "the seed").In(0, 1e9).Named("Seed of what falls").
			On("weather"),
		of(&f.Wind, document.Number, "wind", "wind", "the wind").In(0, 60).Told("m/s", 1).
			Named("Wind in metres a second").On("wind").Sliding(0, 25, 0.5).
			Hinting("4 moves leaves, 12 whole trees, 20 is a gale"),
		of(&f.WindFrom, document.Angle, "windFrom", "blows from", "the wind's direction").In(-1e4, 1e4).
			Named("Direction that the wind blows from, in degrees clockwise from up on the plan").On("wind").
			Sliding(0, 360, 5),
		of(&f.Gusts, document.Percent, "gusts", "gusts", "its gusts").In(0, 1).
			Named("Share of the wind that comes and goes").On("wind").Sliding(0, 100, 5),
	}
}

// Kind is what falls; 0: nothing.
func (f *Falling) Kind() fall.Kind {
	if !(f.Rate > 0) {
		return 0
	}
	switch f.Falls {
	case "rain":
		return fall.Rain
	case "snow":
		return fall.Snow
	}
	return 0
}

// Blows is the velocity of the wind, m/s, without its gusts.
func (f *Falling) Blows() geom.V { return Direction(f.WindFrom, 0).Mul(-f.Wind) }

// part is what falls as air, where it is not seen one by one.
func (f *Falling) part() air.Part {
	k := f.Kind()
	return air.Part{Sigma: k.Extinction(f.Rate), Thin: cloudsAt, Albedo: geom.V{X: 1, Y: 1, Z: 1}, Mean: k.Mean()}
}

// Drops is what falls before a camera at eye while its shutter is open for so many seconds, t seconds into a shot, and
// how it scatters; nil: nothing falls.
func (f *Falling) Drops(eye geom.V, open, t float64) (*fall.Field, air.Part) {
	return fall.New(f.Kind(), f.Rate, f.Blows(), eye, open, t, uint64(f.FallSeed)), f.part()
}
