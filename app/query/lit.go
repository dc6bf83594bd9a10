package query

import (
	"math"
	"visator/core/light"

	"visator/core/geom"
)

// LitLamp is a lamp as the lens view draws its light.
type LitLamp struct {
	At     geom.V  `json:"at"`
	Dir    geom.V  `json:"dir"`
	Cd     geom.V  `json:"cd"`     // in the middle of its beam, per channel
	Spread float64 `json:"spread"` // radians from the middle, beyond which it is dark; π all around
	Soft   float64 `json:"soft"`   // the share of that over which it fades
	Radius float64 `json:"radius"` // of a ball that the camera sees; 0: it is not seen
	Free   bool    `json:"free"`   // it hangs by itself: nothing about it keeps its light back
}

// litMost is how many lamps of one element the lens view chooses from.
const litMost = 60

// litOf are lamps that burn.
func litOf(hung []light.Hung) (list []LitLamp) {
	for i := range hung {
		h := &hung[i]
		cd := h.Luminous()
		if !(cd.Max() > 0) {
			continue
		}
		l := LitLamp{At: h.At, Dir: h.Dir(), Cd: cd, Spread: math.Pi, Free: h.Of == ""}
		if h.Seen && (h.Shape == "ball" || h.Shape == "cone") {
			l.Radius = h.Radius
		}
		switch h.Shape {
		case "cone":
			l.Spread, l.Soft = h.Angle/2, h.Edge
		case "rectangle", "disc": // Lambert's law, about
			l.Spread, l.Soft = math.Pi/2, 1
		}
		if list = append(list, l); len(list) == litMost {
			break
		}
	}
	return list
}
