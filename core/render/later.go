package render

import (
	"visator/core/geom"
	"visator/core/light"
)

// What numbers of the sequence are for, by their place: each time that a path comes to anything it has its own.
const (
	ofAir    = iota // where the way there meets the air
	ofBeam          // light of lamps that the way scatters, four
	ofFall   = ofBeam + 4
	ofKinds  = ofFall + 1   // which light is asked for, then a place on each kind
	ofBounce = ofKinds + 5  // how it goes on, four
	ofMist   = ofBounce + 4 // as ofKinds, in the air before
	ofSpare  = ofMist + 5
	ofEach   = ofSpare + 3 // for all of it
	ofLens   = 2           // before: the place in the pixel, and on the lens
)

// Purposes of numbers of a sample that no others depend on.
const (
	asideAbout = iota + 1 // where the sky may be hidden
	asideTime             // when it is, of an open shutter
	asidePatch            // which place in the sun
	asideSun              // from where of the sun
)

// turn goes to the numbers that are for something where the path is.
func (tr *tracer) turn(of uint32) { tr.turnAt(tr.vertex, of) }

func (tr *tracer) turnAt(vertex, of uint32) { tr.smp.Seek(ofLens + vertex*ofEach + of) }

// later is the light of lamps that is not asked for before it is known what else came to the first point. Where the sun
// shines they hardly count, and are asked for seldom: then their light counts more (Russian roulette; Arvo and Kirk,
// Particle Transport and Image Synthesis, 1990). Where nothing else comes they are always asked for.
type later struct {
	at        *point // where lamps are to be asked for; nil: nowhere
	spare     float64
	about     float64 // what they may give there, cd/m²
	along     way     // which scatters their light, if on is set
	on        bool
	over      geom.V // the path's weight there
	vertex    uint32
	weight    geom.V // of the path
	left      float64
	way, seen wayTo
}

// waits says whether anything is to be asked for.
func (a *later) waits() bool { return a.at != nil || a.on }

// point puts off asking for lamps at the first point.
func (a *later) point(tr *tracer, pt *point, spare float64, c *choice) {
	a.at, a.spare, a.vertex, a.weight, a.left, a.way = pt, spare, tr.vertex, tr.weight, tr.mist.left, tr.way
	v := &pt.place.Values
	a.about = c.lux * (0.05 + light.Luminance(v.Base)) / 3
	if v.Rough < 0.35 || v.Coat > 0 || v.Clear > 0 { // highlights are brighter than matte ground tells
		a.about = alwaysAsked
	}
}

const alwaysAsked = 1e30

// beam asks for the light of lamps that a way scatters: of the first later, since nothing is known yet.
func (a *later) beam(tr *tracer, w way) {
	if tr.depth == 0 {
		a.along, a.on, a.vertex, a.over, a.seen = w, true, tr.vertex, tr.weight, tr.way
		return
	}
	tr.askBeam(w, tr.vertex)
}

// askBeam asks for the light of lamps that a way scatters, as often as it may count.
func (tr *tracer) askBeam(w way, vertex uint32) {
	tr.turnAt(vertex, ofSpare+1)
	about := tr.s.Air.Sigma(w.near(tr.s.lit)) * tr.s.tree.Across(w.o, w.d, w.far) * light.Luminance(tr.weight)
	if k := tr.seldom(about); k > 0 {
		way := tr.way
		tr.way.at = atAir
		tr.turnAt(vertex, ofBeam)
		tr.abeam(w, k)
		tr.way = way
	}
}

// ask asks for what was put off.
func (a *later) ask(tr *tracer) {
	if !a.waits() {
		return
	}
	weight, depth, way := tr.weight, tr.depth, tr.way
	tr.depth = 0
	if a.on {
		tr.weight, tr.way = a.over, a.seen
		tr.askBeam(a.along, a.vertex)
	}
	if a.at != nil {
		tr.weight, tr.mist.left, tr.way = a.weight, a.left, a.way
		tr.turnAt(a.vertex, ofSpare)
		if k := tr.seldom(a.about * light.Luminance(a.weight)); k > 0 {
			tr.turnAt(a.vertex, ofKinds+3)
			tr.askLamp(a.at, a.spare, 1, false, k)
		}
	}
	a.at, a.on = nil, false
	tr.weight, tr.depth, tr.way = weight, depth, way
}

// seldom decides whether light is asked for that may be so bright, beside what came already: 0 says no, else it is what
// it counts. At an eighth of what came it is always asked for, and once in sixteen however little it is: so nothing
// that was told too dark stands out by much.
func (tr *tracer) seldom(about float64) float64 {
	const least, sure = 1.0 / 16, 8
	p := 1.0
	if came := light.Luminance(tr.total); came > 0 {
		p = min(max(sure*about/came, least), 1)
	}
	if p < 1 && tr.smp.Next() >= p {
		return 0
	}
	return 1 / p
}
