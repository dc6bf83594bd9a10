package motion

import (
	"math"

	"visator/core/geom"
	"visator/core/optics"
)

// Speed is how fast a camera goes at a moment.
type Speed struct {
	Metres   float64 `json:"metres"`   // m/s of the eye
	Degrees  float64 `json:"degrees"`  // °/s of the aim and the roll
	Crossing float64 `json:"crossing"` // picture widths a second that the background, or what is in focus, goes
	Judders  bool    `json:"judders"`  // faster than a viewer can follow at this rate and shutter
}

// SpeedAt is the camera's speed at t: between one frame before and after.
func (m *Move) SpeedAt(from optics.View, t float64, where Where) Speed {
	d := 1 / m.Rate
	t0, t1 := max(t-d/2, 0), min(t+d/2, m.Duration())
	if t1-t0 < 1e-9 {
		return Speed{}
	}
	return m.speed(m.At(from, t0, where), m.At(from, t1, where), t1-t0)
}

func (m *Move) speed(a, b optics.View, dt float64) (s Speed) {
	s.Metres = b.Eye.Sub(a.Eye).Len() / dt
	s.Degrees = Angle(a, b) * 180 / math.Pi / dt
	// A followed thing keeps its place: the eye rests on it. Else it rests on the
	// background, or on what is in focus, whichever goes slower.
	if m.Follow == "" {
		far := 1e7
		s.Crossing = min(crossing(a, b, far), crossing(a, b, a.Focus)) / dt
	}
	s.Judders = s.Crossing > Followable(m.Rate, a.Open())
	return s
}

// Angle is how far two views are turned against one another, in radians.
func Angle(a, b optics.View) float64 {
	p, q := a.Turn(), b.Turn()
	dot := math.Abs(p.X*q.X + p.Y*q.Y + p.Z*q.Z + p.W*q.W)
	if dot > 0.9999 { // where an arc cosine knows little, by the chord
		s := 1.0
		if p.X*q.X+p.Y*q.Y+p.Z*q.Z+p.W*q.W < 0 {
			s = -1
		}
		return 4 * math.Asin(min(math.Sqrt(math.Pow(p.X-s*q.X, 2)+math.Pow(p.Y-s*q.Y, 2)+math.Pow(p.Z-s*q.Z,
			2)+math.Pow(p.W-s*q.W, 2))/2, 1))
	}
	return 2 * math.Acos(min(dot, 1))
}

// crossing is how far a point on the axis of a, at a distance, goes across the
// picture until b, in picture widths.
func crossing(a, b optics.View, distance float64) float64 {
	p := a.Eye.Add(a.Forward().Mul(distance))
	x0, y0, _, _ := a.Project(p)
	x1, y1, _, ok := b.Project(p)
	if !ok {
		return 1
	}
	return math.Hypot(x1-x0, (y1-y0)/a.Aspect)
}

// CrossingTime is how many seconds a thing takes to cross the picture, at 24
// frames a second with a shutter open half of the time, at least, for a pan
// that does not judder: seven (common practice of cinematographers).
const CrossingTime = 7

// Followable is the fastest crossing, in picture widths a second, that does not
// judder: one in CrossingTime at 24 frames a second, in proportion at other
// rates. A shutter that is open for less than half of the time leaves gaps
// between the blurs, in proportion (ours).
func Followable(rate, shutter float64) float64 {
	return rate / 24 / CrossingTime * min(1, 2*shutter*rate)
}

// Trouble is what is wrong with a move at a time.
type Trouble struct {
	At    float64 // seconds
	Until float64
	Kind  string // fast, jerk
	Speed Speed
	Jump  float64 // of a jerk: the share of the top speed that it changes by within a frame
}

// Troubles finds where a move judders, and where it jerks: where from one frame
// to the next its speed jumps by more than a quarter of its top speed, by what
// an eye notices.
func (m *Move) Troubles(from optics.View, where Where) (list []Trouble) {
	n := m.Frames()
	if n < 3 {
		return nil
	}
	dt := 1 / m.Rate
	quiet := *m
	quiet.Shake = nil // a hand's tremor is wanted
	views := make([]optics.View, n)
	for i := range views {
		views[i] = quiet.At(from, float64(i)*dt, where)
	}
	var top Speed
	speeds := make([]Speed, n-1)
	velocity := make([]geom.V, n-1)
	for i := range speeds {
		speeds[i] = m.speed(views[i], views[i+1], dt)
		velocity[i] = views[i+1].Eye.Sub(views[i].Eye).Mul(1 / dt)
		top.Metres, top.Degrees = max(top.Metres, speeds[i].Metres), max(top.Degrees, speeds[i].Degrees)
	}
	for i := range speeds {
		if !speeds[i].Judders {
			continue
		}
		if k := len(list) - 1; k >= 0 && list[k].Kind == "fast" && list[k].Until > float64(i)*dt-1.5*dt {
			list[k].Until = float64(i+1) * dt
			if speeds[i].Crossing > list[k].Speed.Crossing {
				list[k].Speed = speeds[i]
			}
			continue
		}
		list = append(list, Trouble{At: float64(i) * dt, Until: float64(i+1) * dt, Kind: "fast", Speed: speeds[i]})
	}
	for i := 1; i < len(speeds); i++ {
		way := velocity[i].Sub(velocity[i-1]).Len()
		turn := math.Abs(speeds[i].Degrees - speeds[i-1].Degrees)
		jump := 0.0
		if top.Metres > 0 && way > 0.1 { // 10 cm/s
			jump = way / top.Metres
		}
		if top.Degrees > 0 && turn > 2 { // 2°/s
			jump = max(jump, turn/top.Degrees)
		}
		if jump > 0.25 {
			list = append(list, Trouble{At: float64(i) * dt, Until: float64(i) * dt, Kind: "jerk", Speed: speeds[i],
				Jump: jump})
		}
	}
	return list
}
