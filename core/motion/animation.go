package motion

import (
	"errors"
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// Animation is what moves along a path, all of it as one.
type Animation struct {
	IDs     []string `json:"ids"` // placements, and groups with what is in them
	Points  []geom.V `json:"points"`
	Smooth  bool     `json:"smooth"`
	Start   float64  `json:"start"` // seconds
	Seconds float64  `json:"seconds"`
	Easing  string   `json:"easing"`
	Curve   Curve    `json:"curve"`
	Turn    bool     `json:"turn"` // it turns with the path
}

func (r *Animation) check() error {
	if len(r.IDs) == 0 || len(r.IDs) > 10000 {
		return errors.New("something moves along the path: name it")
	}
	if !(r.Start >= 0 && r.Start <= maxSeconds && r.Seconds > 0 && r.Seconds <= maxSeconds) {
		return errors.New("what moves starts at 0 s or later, and takes more than 0 s")
	}
	if _, err := NewPath(r.Points, r.Smooth); err != nil {
		return err
	}
	return checkEasing(r.Easing, r.Curve)
}

// At is how what rides is moved at t, a transform of the set: it starts where it
// stands, at the path's first point.
func (r *Animation) At(t float64) geom.M {
	p, err := NewPath(r.Points, r.Smooth)
	if err != nil {
		return geom.Identity
	}
	start, first := p.At(0)
	at, ahead := p.At(Ease(r.Easing, r.Curve, (t-r.Start)/r.Seconds))
	turn := geom.Q{W: 1}
	if r.Turn {
		turn = geom.Turn(geom.V{Y: 1}, heading(ahead)-heading(first))
	}
	return geom.Compose(at, turn, geom.V{X: 1, Y: 1, Z: 1}).Mul(geom.Translation(start.Mul(-1)))
}

// Moved is how the thing of an ID is moved at t by all that it rides on; ok is
// false when it stays. groups are what the thing belongs to, itself first.
func (m *Move) Moved(ids []string, t float64) (by geom.M, ok bool) {
	if m == nil {
		return geom.Identity, false
	}
	by = geom.Identity
	for i := range m.Rides {
		for _, id := range m.Rides[i].IDs {
			for _, own := range ids {
				if own == id {
					by, ok = m.Rides[i].At(t).Mul(by), true
				}
			}
		}
	}
	return by, ok
}

// Flicker is how the light of something trembles.
type Flicker struct {
	IDs   []string `json:"ids"`   // placements that glow; none: the sun and the sky
	Hertz float64  `json:"hertz"` // about how often a second
	Depth float64  `json:"depth"` // share of the light that comes and goes, 0..1
	Seed  uint64   `json:"seed"`
}

func (f *Flicker) check() error {
	if !(f.Hertz > 0 && f.Hertz <= 120 && f.Depth >= 0 && f.Depth <= 1) {
		return errors.New("light flickers up to 120 times a second, by 0 to 100 %")
	}
	return nil
}

// At is the share of the light at t: 1 on average, less or more by half of Depth.
func (f *Flicker) At(t float64) float64 {
	return 1 + f.Depth/2*noise(f.Seed, 0, t*f.Hertz*2)
}

// Flipbook is a card that plays pictures one after the other.
type Flipbook struct {
	ID       string   `json:"id"`       // the card
	Pictures []string `json:"pictures"` // blobs
	Rate     float64  `json:"rate"`     // pictures a second
	Once     bool     `json:"once"`     // the last one stays; else it begins anew
}

func (p *Flipbook) check() error {
	if p.ID == "" || len(p.Pictures) == 0 || len(p.Pictures) > 5000 || !(p.Rate > 0 && p.Rate <= 240) {
		return errors.New("a card plays 1 to 5000 pictures, up to 240 a second")
	}
	return nil
}

// At is the picture that shows at t.
func (p *Flipbook) At(t float64) string {
	n := int(math.Floor(max(t, 0)*p.Rate + 1e-9))
	if p.Once {
		n = min(n, len(p.Pictures)-1)
	}
	return p.Pictures[n%len(p.Pictures)]
}

// Shake is a camera that is held by hand.
type Shake struct {
	Degrees float64 `json:"degrees"` // of turn, to each side at most about
	Metres  float64 `json:"metres"`  // of way
	Hertz   float64 `json:"hertz"`   // of the slow sway; faster tremor lies over it
	Seed    uint64  `json:"seed"`
}

func (s *Shake) check() error {
	if !(s.Degrees >= 0 && s.Degrees <= 45 && s.Metres >= 0 && s.Metres <= 10 && s.Hertz > 0 && s.Hertz <= 30) {
		return errors.New("a hand shakes by 0 to 45°, 0 to 10 m, up to 30 times a second")
	}
	return nil
}

// add shakes a view: three octaves of noise, each half as strong and twice as
// fast as the one before.
func (s *Shake) add(v *optics.View, t float64) {
	sway := func(channel uint64) float64 {
		sum, k := 0.0, 0.6
		for o := range 3 {
			sum += k * noise(s.Seed, channel*8+uint64(o), t*s.Hertz*float64(int(1)<<o))
			k /= 2
		}
		return sum
	}
	turn := s.Degrees * math.Pi / 180
	v.Yaw += turn * sway(1)
	v.Pitch = min(max(v.Pitch+turn*sway(2), -math.Pi/2), math.Pi/2)
	v.Roll += turn / 2 * sway(3)
	v.Eye = v.Eye.Add(geom.V{X: s.Metres * sway(4), Y: s.Metres * sway(5), Z: s.Metres * sway(6)})
}

// noise is a smooth value between -1 and 1 that is 1 wide: values by a hash at
// whole numbers, joined with 6t⁵-15t⁴+10t³ (K. Perlin, Improving Noise, 2002).
func noise(seed, channel uint64, t float64) float64 {
	i := math.Floor(t)
	u := t - i
	a, b := lattice(seed, channel, int64(i)), lattice(seed, channel, int64(i)+1)
	return a + (b-a)*u*u*u*(u*(u*6-15)+10)
}

// lattice is a value between -1 and 1 (splitmix64, G. Steele and others, 2014).
func lattice(seed, channel uint64, i int64) float64 {
	z := seed*0x9e3779b97f4a7c15 ^ (channel+1)*0xd1342543de82ef95 ^ uint64(i)*0xbf58476d1ce4e5b9
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	z ^= z >> 31
	return float64(z>>11)/(1<<52) - 1
}
