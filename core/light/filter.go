package light

import (
	"visator/core/document"
	"visator/core/geom"
)

// Filters are what is held before the sun and before the sky, #rrggbb; "": nothing.
type Filters struct {
	SunFilter string `json:"sunFilter"`
	SkyFilter string `json:"skyFilter"`
}

func (f *Filters) fields() []document.Field {
	return []document.Field{
		document.Of(&f.SunFilter, document.Color, "sunFilter", "filter", "").Named("Filter before the sun").On("sun"),
		document.Of(&f.SkyFilter, document.Color, "skyFilter", "filter", "").Named("Filter before the sky").On("sky"),
	}
}

// Lets is the share of each channel that a filter lets through: all where there is none.
func Lets(filter string) geom.V {
	if filter == "" {
		return geom.V{X: 1, Y: 1, Z: 1}
	}
	return Hex(filter)
}

// Filtered is a filter before which another is held: what both let through.
func Filtered(before, by string) string {
	switch {
	case by == "":
		return before
	case before == "":
		return by
	}
	return HexOf(Hex(before).Times(Hex(by)))
}
