package library

import (
	"context"

	"visator/app/act"
	"visator/core/light"
	"visator/core/sky"
	"visator/store"
)

// OwnSun is the sun that the panorama of a set's sky holds, as it lies there.
type OwnSun struct {
	Found     bool    `json:"found"`
	Azimuth   float64 `json:"azimuth"`
	Elevation float64 `json:"elevation"`
	Lux       float64 `json:"lux"` // at the panorama's strength
	Kelvin    float64 `json:"kelvin"`
	Size      float64 `json:"size"` // radians across
}

// OwnSun looks for it.
func (a *Library) OwnSun(ctx context.Context, setID string) (out OwnSun, err error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return out, act.NotThere(err, "The set")
	}
	ls := &set.Light
	if ls.Sky != "panorama" {
		return out, act.Wrong("The sky is no panorama: there is no sun in it.")
	}
	p, err := a.SkyPicture(ctx, ls.Panorama)
	if err != nil || !p.Shines {
		return out, err
	}
	own := p.Own
	lux := light.Luminance(own.Lux) * p.Strength(ls)
	out = OwnSun{Found: true, Lux: lux, Kelvin: light.NearestKelvin(own.Lux), Size: 2 * own.Radius}
	out.Azimuth, out.Elevation = light.Towards(sky.Turned(own.To, ls.Turn))
	return out, nil
}
