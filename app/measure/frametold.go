package measure

import (
	"visator/core/frame"
	"visator/core/geom"
	"visator/core/optics"
)

// FrameState is what the lens sees at a time of the working move, and over all of
// it.
type FrameState struct {
	Revision int64          `json:"revision"`
	Time     float64        `json:"time"`
	View     optics.View    `json:"view"`
	World    geom.M         `json:"world"`
	Lens     Lens           `json:"lens"`
	Bars     []Bar          `json:"bars"`
	Fit      FitState       `json:"fit"`
	Flickers []FlickerState `json:"flickers"`
	Figures  frame.Figures  `json:"figures"`
	Metered  float64        `json:"metered"` // EV100 that a meter would give
	Height   *float64       `json:"height"`  // of the eye above what is beneath it; null: nothing
	On       string         `json:"on"`      // what that is
	Move     *MoveState     `json:"move"`
}

// FitState is the clipping range that the set and the move ask for.
type FitState struct {
	Near    float64  `json:"near"`
	Far     float64  `json:"far"`
	Fits    bool     `json:"fits"` // anything is seen
	First   string   `json:"first"`
	FirstAt float64  `json:"firstAt"` // metres
	Last    string   `json:"last"`
	LastAt  float64  `json:"lastAt"`
	Step    float64  `json:"step"` // metres that the buffer tells apart at the far plane as it is
	Advice  []string `json:"advice"`
	CutNear int      `json:"cutNear"` // things that the planes cut, as they are
	CutFar  int      `json:"cutFar"`
	Steps   []Step   `json:"steps"`
}

// Step is what a depth buffer tells apart at a distance.
type Step struct {
	At   float64 `json:"at"`
	Step float64 `json:"step"`
}

// FlickerState is two surfaces that will flicker.
type FlickerState struct {
	A        string   `json:"a"`
	B        string   `json:"b"`
	IDs      []string `json:"ids"`
	Distance float64  `json:"distance"`
	Gap      float64  `json:"gap"`
	Step     float64  `json:"step"`
	Share    float64  `json:"share"`
	Near     *float64 `json:"near"` // where the near plane would have to be; null: nowhere helps
}

// Bar is a thing on the depth strip. Copies that an element lays are one.
type Bar struct {
	ID    string      `json:"id"`
	Name  string      `json:"name"`
	Kind  string      `json:"kind"` // piece, stand-in, card, or another element
	Span  optics.Span `json:"span"` // now
	Near  float64     `json:"near"` // over the move, as far as it is seen
	Far   float64     `json:"far"`
	Cut   string      `json:"cut"` // "", near, far, both
	Count int         `json:"count"`
	Left  float64     `json:"left"` // the share of its contrast that the air leaves it, at its nearest
}

// MoveState is how a move goes.
type MoveState struct {
	Duration float64       `json:"duration"`
	Frames   int           `json:"frames"`
	First    int           `json:"first"` // of the frames that are shot, counted from 0
	Last     int           `json:"last"`
	Speed    MoveSpeed     `json:"speed"`
	Crossing []CrossState  `json:"crossing"` // things that cross the picture, the fastest first
	Looked   int           `json:"looked"`   // at so many moments of the move
	Traces   []Trace       `json:"traces"`
	Troubles []MoveTrouble `json:"troubles"`
}

// MoveSpeed is how fast the camera goes.
type MoveSpeed struct {
	Metres  float64 `json:"metres"`  // m/s
	Degrees float64 `json:"degrees"` // °/s
	Crosses float64 `json:"crosses"` // seconds in which the fastest thing in view crosses the picture now; 0: all stay
	What    string  `json:"what"`    // which
	Judders bool    `json:"judders"` // faster than a viewer can follow
}

// CrossState is how fast a thing crosses the picture where it is fastest.
type CrossState struct {
	ID      string  `json:"id"`
	Name    string  `json:"name"`
	At      float64 `json:"at"`      // seconds into the move
	Seconds float64 `json:"seconds"` // in which it crosses the picture
	Judders bool    `json:"judders"`
}

// Trace is the camera at a moment of a move, as the plan draws it.
type Trace struct {
	At    float64 `json:"at"`
	Eye   geom.V  `json:"eye"`
	Yaw   float64 `json:"yaw"`
	Focus float64 `json:"focus"`
	Half  float64 `json:"half"` // half the angle of view, radians
}

// MoveTrouble is where a move goes wrong.
type MoveTrouble struct {
	At   float64 `json:"at"`
	What string  `json:"what"`
}

// Lens is what follows from the view.
type Lens struct {
	Horizontal float64       `json:"horizontal"` // degrees
	Vertical   float64       `json:"vertical"`
	SharpNear  float64       `json:"sharpNear"`
	SharpFar   *float64      `json:"sharpFar"` // null: to infinity
	Hyperfocal float64       `json:"hyperfocal"`
	Circle     float64       `json:"circle"`  // mm of blur that counts as sharp
	Softens    float64       `json:"softens"` // f-number from which on diffraction is seen
	Blur       float64       `json:"blur"`    // mm that a point at infinity is drawn as
	World      geom.M        `json:"world"`
	Forward    geom.V        `json:"forward"`
	Window     optics.Window `json:"window"`
	Scale      float64       `json:"scale"`    // exposure: picture value of 1 cd/m²
	CameraEV   float64       `json:"cameraEV"` // that aperture, shutter and sensitivity give
	Open       float64       `json:"open"`     // seconds
	Speed      float64       `json:"speed"`    // ISO
	// where it crosses the left and right edge of the picture, 0..1 from its top; null: nowhere
	Horizon []float64 `json:"horizon"`
	TooHigh bool      `json:"tooHigh"` // keeping verticals parallel would take more shift than lenses have
}
