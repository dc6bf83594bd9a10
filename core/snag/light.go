package snag

import (
	"math"

	"visator/core/geom"
	"visator/core/ladder"
	"visator/core/light"
	"visator/core/optics"
)

var _ = frames(lit)

// LitLamp is a lamp as it burns in a shot.
type LitLamp struct {
	ID, Name string // of the element
	Carried  bool   // a thing carries it: what is around it is its own
	light.Hung
}

// Limits of light, ours but for those that are named.
const (
	least     = 0.001 // the share of the light at its brightest place from which on a lamp is of use
	flat      = 20    // degrees between key and lens below which light is flat (common practice)
	burnt     = 4.0   // stops above middle grey: what is beyond is white in most pictures
	drowned   = 5.0   // below it
	offMeter  = 3.0   // stops
	hidden    = 0.3   // the contrast that air leaves the subject
	against   = 3.0   // stops that what is beside the subject is brighter: it is seen as a shape alone
	mattGrey  = 0.3   // what the subject is taken to throw back
	lampsSeen = 200   // lamps that are judged one by one
)

// lit finds what is wrong with the light of a shot, as far as the sun, the sky and lamps give it by themselves, without
// what bounces.
func lit(s *Seen, put told) {
	if s.Light == nil {
		return
	}
	spots := s.spots()
	// What lamps give no meter of sun and sky knows.
	if off := s.View.EV - s.Metered; !s.View.ByCamera && math.Abs(off) > offMeter && s.Metered > -20 &&
		!byLamps(spots) {
		word := "under"
		if off < 0 {
			word = "over"
		}
		put("exposure", "", "", "", "the exposure is held by hand %.1f stops %s what a meter gives", math.Abs(off),
			word)
	}
	lost := map[string]bool{} // elements of which no lamp gives anything worth it
	var order []string
	for i := range s.Lamps[:min(len(s.Lamps), lampsSeen)] {
		l := &s.Lamps[i]
		if !(l.Luminous().Max() > 0) || s.lamp(l, put) {
			continue
		}
		no := len(spots) > 0 && l.best(spots) < least
		if _, known := lost[l.ID]; !known {
			order = append(order, l.ID)
			lost[l.ID] = no
		}
		lost[l.ID] = lost[l.ID] && no
	}
	for _, id := range order {
		if lost[id] {
			put("lamp lost", id, "", "", "%s: no place of the picture gets a thousandth of its light from there",
				s.lampName(id))
		}
	}
	if s.Figures.Subject != nil {
		s.subjectLit(put)
		s.againstLight(spots, put)
	}
}

// againstLight tells a subject that is much darker than what is seen about it, sky or things.
func (s *Seen) againstLight(spots []spot, put told) {
	i, p := s.Now.Scene.Find(s.View.Subject), s.Picture
	if i < 0 || p == nil {
		return
	}
	own := geom.Empty() // where it is in the picture
	for k, thing := range p.Thing {
		if int(thing) == i {
			own = own.Add(geom.V{X: float64(k % p.W), Y: float64(k / p.W)})
		}
	}
	size := own.Size()
	if !(size.X >= 2 && size.Y >= 2) {
		return
	}
	around := geom.Box{Min: own.Min.Sub(size.Mul(0.5)), Max: own.Max.Add(size.Mul(0.5))}
	own1, n1, beside, n2 := 0.0, 0.0, 0.0, 0.0
	at := map[int]float64{} // lux by pixel
	for j := range spots {
		at[spots[j].pixel] = spots[j].all
	}
	for y := placeEvery / 2; y < p.H; y += placeEvery {
		for x := placeEvery / 2; x < p.W; x += placeEvery {
			if f := (geom.V{X: float64(x), Y: float64(y)}); f.X < around.Min.X || f.X > around.Max.X ||
				f.Y < around.Min.Y || f.Y > around.Max.Y {
				continue
			}
			k := y*p.W + x
			lit, solid := at[k]
			switch {
			case solid && int(p.Thing[k]) == i:
				own1, n1 = own1+mattGrey/math.Pi*lit, n1+1
			case solid:
				beside, n2 = beside+mattGrey/math.Pi*lit, n2+1
			default: // a sky gives the ground π of its luminance, about
				beside, n2 = beside+s.Sky/math.Pi, n2+1
			}
		}
	}
	if n1 == 0 || n2 == 0 || !(own1 > 0) {
		return
	}
	if stops := math.Log2(beside / n2 / (own1 / n1)); stops > against {
		put("against", s.View.Subject, "", "", "%s is about %.1f stops darker than what is seen about it: it is seen "+
			"as a shape alone", s.Now.Scene.Things[i].Name, stops)
	}
}

// spot is a place that is seen, with the light that falls on it.
type spot struct {
	p, n         geom.V
	natural, all float64 // lux: of sun and sky, and with all lamps, with nothing between
	pixel        int     // of the picture
}

// spots are some of what is seen.
func (s *Seen) spots() (list []spot) {
	toSun, sun := light.Direction(s.Light.Azimuth, s.Light.Elevation), light.Luminance(s.Light.Sunlight())
	var give []func(p, n geom.V) float64
	for i := range s.Lamps[:min(len(s.Lamps), lampsSeen)] {
		give = append(give, s.Lamps[i].Gives())
	}
	s.places(func(pixel int, p, n geom.V) {
		q := spot{pixel: pixel, p: p, n: n, natural: sun*max(n.Dot(toSun), 0) + s.Sky*(1+n.Y)/2}
		q.all = q.natural
		for _, lux := range give {
			q.all += lux(p, n)
		}
		list = append(list, q)
	})
	return list
}

// byLamps says whether lamps give what is seen more than a tenth of its light.
func byLamps(spots []spot) bool {
	natural, all := 0.0, 0.0
	for _, q := range spots {
		natural, all = natural+q.natural, all+q.all
	}
	return all-natural > all/10
}

// best is the largest share of the light that a lamp gives any place.
func (l *LitLamp) best(spots []spot) (share float64) {
	lux := l.Gives()
	for i := range spots {
		if q := &spots[i]; q.all > 0 {
			if share = max(share, lux(q.p, q.n)/q.all); share >= least {
				return share
			}
		}
	}
	return share
}

func (s *Seen) lampName(id string) string {
	for i := range s.Lamps {
		if s.Lamps[i].ID == id {
			return s.Lamps[i].Name
		}
	}
	return id
}

// lamp judges where one that burns hangs; true when nothing else needs to be said of it.
func (s *Seen) lamp(l *LitLamp, put told) bool {
	scene := s.Now.Scene
	if l.Carried {
		return false
	}
	for i := range scene.Things {
		if t := &scene.Things[i]; !t.Land && t.Body != nil && t.Body.Within(l.At) {
			put("lamp within", l.ID, "", "", "%s hangs within %s: its light stays there", l.Name, t.Name)
			return true
		}
	}
	if !l.Seen || !(l.Radius > 0) || l.Shape == "cone" || l.Shape == "measured" {
		return false
	}
	x, y, _, ok := s.View.Project(l.At)
	if !ok || !(x > 0 && x < 1 && y > 0 && y < 1) {
		return false
	}
	to := l.At.Sub(s.View.Eye)
	_, behind := scene.Ray(s.View.Eye, to.Unit(), 0, to.Len()-l.Radius, nil)
	if !behind && !s.near(l.At, l.Radius+0.3) {
		put("lamp seen", l.ID, "", "",
			"%s hangs in the picture in mid-air, %.0f %% from the left and %.0f %% from the top",
			l.Name, 100*x, 100*y)
	}
	return false
}

// near says whether something stands within reach of a place.
func (s *Seen) near(p geom.V, reach float64) bool {
	for _, d := range []geom.V{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}, {Z: 1}, {Z: -1}} {
		if _, ok := s.Now.Scene.Ray(p, d, 0, reach, nil); ok {
			return true
		}
	}
	return false
}

// placeEvery is how many pixels of the picture apart places are looked at.
const placeEvery = 2

// places are some of what is seen, by their pixel of the picture.
func (s *Seen) places(visit func(pixel int, p, n geom.V)) {
	p := s.Picture
	if p == nil {
		return
	}
	for y := placeEvery / 2; y < p.H; y += placeEvery {
		for x := placeEvery / 2; x < p.W; x += placeEvery {
			k := y*p.W + x
			if p.Thing[k] < 0 {
				continue
			}
			d := s.View.Ray((float64(x)+0.5)/float64(p.W), (float64(y)+0.5)/float64(p.H))
			n := p.Normal[k]
			if n.Dot(d) > 0 {
				n = n.Mul(-1)
			}
			visit(k, s.View.Eye.Add(d.Mul(p.Depth[k])), n)
		}
	}
}

// subjectLit judges the light on the subject, at its middle.
func (s *Seen) subjectLit(put told) {
	i := s.Now.Scene.Find(s.View.Subject)
	if i < 0 {
		return
	}
	t := &s.Now.Scene.Things[i]
	mid := t.Body.Box.Center()
	toLens := s.View.Eye.Sub(mid)
	if left := s.Light.Medium().Through(s.View.Eye, toLens.Mul(-1).Unit(), toLens.Len()); left < hidden {
		put("haze", t.ID, "", "", "the air leaves %s %.0f %% of its contrast", t.Name, 100*left)
	}
	skip := func(k int) bool { return k == i }
	reaches := func(d geom.V, far float64) bool {
		_, blocked := s.Now.Scene.Ray(mid, d, 0, far, skip)
		return !blocked
	}
	type source struct {
		name string
		lux  float64
		d    geom.V
	}
	var key source
	sum := s.Sky / 2
	take := func(name string, lux float64, d geom.V) {
		sum += lux
		if lux > key.lux {
			key = source{name, lux, d}
		}
	}
	toSun := light.Direction(s.Light.Azimuth, s.Light.Elevation)
	if s.Light.SunOn && toSun.Y > 0 && reaches(toSun, math.Inf(1)) {
		take("the sun", light.Luminance(s.Light.Sunlight()), toSun)
	}
	for k := range s.Lamps[:min(len(s.Lamps), lampsSeen)] {
		l := &s.Lamps[k]
		d := l.At.Sub(mid)
		if lux := l.Lux(mid, d.Unit()); lux > 0 && reaches(d.Unit(), d.Len()) {
			take(l.Name, lux, d.Unit())
		}
	}
	if key.lux > sum/2 {
		if a := math.Acos(min(max(key.d.Dot(toLens.Unit()), -1), 1)) * 180 / math.Pi; a < flat {
			put("flat", t.ID, "", "", "%s lights %s from %.0f° beside the lens: its light is flat", key.name, t.Name, a)
		}
	}
	// Half of what comes from one side lies on what is seen, about.
	stops := math.Log2(mattGrey / math.Pi * sum / (ladder.MiddleGrey * optics.Saturation(s.View.EV)))
	switch {
	case stops > burnt:
		put("burnt", t.ID, "", "", "%s is burnt: about %.1f stops above middle grey by sun, sky and lamps", t.Name,
			stops)
	case stops < -drowned:
		put("drowned", t.ID, "", "", "%s drowns in the dark: about %.1f stops below middle grey by sun, sky and lamps",
			t.Name, -stops)
	}
}
