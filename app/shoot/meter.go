package shoot

import (
	"cmp"
	"context"
	"math"
	"slices"
	"time"

	"visator/app/act"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/ladder"
	"visator/core/light"
	"visator/core/render"
	"visator/store"
)

// Metered is what the meter tells of a place in the picture.
type Metered struct {
	Revision  int64   `json:"revision"`
	Hit       bool    `json:"hit"`       // false: the sky
	At        geom.V  `json:"at"`        // of the set
	Distance  float64 `json:"distance"`  // metres from the lens; 0 of the sky
	Luminance float64 `json:"luminance"` // cd/m²
	Off       float64 `json:"off"`       // standard error of it
	Stops     float64 `json:"stops"`     // above middle grey at the shot's exposure
	Lux       float64 `json:"lux"`       // on the surface
	Shares    []Share `json:"shares"`    // of that, the largest first
	// Key is the strongest source, fill all others: their ratio is key and fill to fill. 0: there is no fill.
	Key   string  `json:"key"`
	Ratio float64 `json:"ratio"`
	// Beside is how many degrees beside the lens the key comes from, as seen from there; -1: it has no place.
	Beside float64 `json:"beside"`
}

// Share is what one source gives.
type Share struct {
	ID   string  `json:"id"` // of a lamp
	Name string  `json:"name"`
	Lux  float64 `json:"lux"`
}

const (
	bounces = "what bounces"
	hazes   = "what bounces, and the air scatters"
)

// The meter: how many paths a reading takes, some tenth of a second, and how long the set may take to be loaded.
const (
	meterSamples = 512
	meterWait    = 20 * time.Second
)

// Meter reads the light at a place of the working view, x and y from 0 to 1 from its left and top.
func (a *Studio) Meter(ctx context.Context, setID string, x, y float64) (m Metered, err error) {
	if !(x >= 0 && x <= 1 && y >= 0 && y <= 1) {
		return m, act.Wrong("The meter points into the picture: across and down from 0 to 1.")
	}
	if _, err := store.GetSet(ctx, a.Store.Pool, setID); err != nil {
		return m, act.NotThere(err, "The set")
	}
	st, revision, err := a.staged(ctx, setID)
	if err != nil {
		return m, err
	}
	view := st.s.w.SetRow.ShotSettings.At(0, st.l.Cast.Where)
	cam := RenderCamera(&view)
	r := st.scene.Meter(cam.Ray(x, y, 0.5, 0.5), render.DefaultBounces, meterSamples, 1)
	m = Metered{Revision: revision, Beside: -1, Hit: r.Hit, Luminance: r.Luminance, Off: r.Off, Lux: r.Lux()}
	if r.Hit {
		m.At, m.Distance = r.At, r.Distance
	}
	m.Stops = math.Log2(max(r.Luminance, 1e-9) * finish.Scale(view.EV) / ladder.MiddleGrey)
	lamps := st.l.burning()
	own := len(st.scene.Lamps) - len(lamps) // those that pieces bring come first
	brought := 0.0
	for i, lux := range r.Lamps {
		if i < own {
			brought += lux
			continue
		}
		id := light.Element(lamps[i-own].id) // all of a fixture together
		if k := slices.IndexFunc(m.Shares, func(s Share) bool { return s.ID == id }); k >= 0 {
			m.Shares[k].Lux += lux
			continue
		}
		m.Shares = append(m.Shares, Share{id, lamps[i-own].name, lux})
	}
	rest := bounces
	if st.scene.Air != nil {
		rest = hazes
	}
	m.Shares = append(m.Shares, Share{Name: "sun", Lux: r.Sun}, Share{Name: "sky", Lux: r.Sky},
		Share{Name: "what glows", Lux: r.Glow}, Share{Name: rest, Lux: r.Bounce},
		Share{Name: "lights of pieces", Lux: brought})
	m.Shares = slices.DeleteFunc(m.Shares, func(s Share) bool { return !(s.Lux > 0) })
	slices.SortStableFunc(m.Shares, func(p, q Share) int { return cmp.Compare(q.Lux, p.Lux) })
	for _, s := range m.Shares {
		if s.Name == rest {
			continue // it is no source, and fills
		}
		m.Key = s.Name
		m.Beside = keyBeside(&s, r.At, view.Eye, &st.s.w.SetRow.Light, lamps)
		if fill := m.Lux - s.Lux; fill > 1e-6*m.Lux {
			m.Ratio = m.Lux / fill
		}
		break
	}
	return m, nil
}

// keyBeside is the angle in degrees, at a place, between an eye and what gives a share of the light: the sun, or the
// nearest lamp of that name; -1 of what has no place.
func keyBeside(s *Share, at, eye geom.V, ls *light.State, lamps []hungLamp) float64 {
	var to geom.V
	best := math.Inf(1)
	if s.ID == "" && s.Name == "sun" {
		to = light.Direction(ls.Azimuth, ls.Elevation)
	}
	for i := range lamps {
		if d := lamps[i].At.Sub(at); s.ID != "" && light.Element(lamps[i].id) == s.ID && d.Len() < best {
			best, to = d.Len(), d.Unit()
		}
	}
	if to == (geom.V{}) {
		return -1
	}
	return math.Acos(min(max(to.Dot(eye.Sub(at).Unit()), -1), 1)) * 180 / math.Pi
}

// SunYear is when the sun reaches the place that the meter points to, over the year, past all that stands.
func (a *Studio) SunYear(ctx context.Context, setID string, x, y float64) (out light.Year, said string, err error) {
	if !(x >= 0 && x <= 1 && y >= 0 && y <= 1) {
		return out, "", act.Wrong("The meter points into the picture: across and down from 0 to 1.")
	}
	if _, err := store.GetSet(ctx, a.Store.Pool, setID); err != nil {
		return out, "", act.NotThere(err, "The set")
	}
	st, _, err := a.staged(ctx, setID)
	if err != nil {
		return out, "", err
	}
	view := st.s.w.SetRow.ShotSettings.At(0, st.l.Cast.Where)
	cam := RenderCamera(&view)
	ray := cam.Ray(x, y, 0.5, 0.5)
	hit, ok := st.scene.Closest(ray)
	if !ok {
		return out, "", act.Wrong("The meter points into the sky: point it to what the sun is to reach.")
	}
	at := ray.O.Add(ray.D.Mul(hit.T * (1 - 1e-4)))
	out = st.s.w.SetRow.Light.Place.YearOf(func(d geom.V) bool {
		_, blocked := st.scene.Closest(render.NewRay(at, d))
		return !blocked
	})
	return out, out.Said(), nil
}

// setting is a set as it is rendered.
type setting struct {
	s     sight
	l     *Loaded
	scene *render.Scene
}

// staged is a set ready to be looked at as it is now, and at which revision that is: its true view has it, and is
// begun for it.
func (a *Studio) staged(ctx context.Context, setID string) (*setting, int64, error) {
	ctx, end := context.WithTimeoutCause(ctx, meterWait,
		act.Wrong("The set is still being loaded: read it again soon."))
	defer end()
	revision := int64(-1)
	err := a.Store.Pool.QueryRow(ctx, revisionOf, setID).Scan(&revision)
	if err != nil {
		return nil, 0, err
	}
	v := a.trues.of(a, setID, Look{})
	if v == nil {
		return nil, 0, errTooMany()
	}
	for {
		v.mu.Lock()
		st, now, news := v.stage, v.now, v.news
		v.asked = time.Now()
		v.mu.Unlock()
		switch {
		case now.State == "failed":
			return nil, 0, act.Wrong("The set cannot be rendered: %s", now.Said)
		case st != nil && max(st.s.w.Production.Revision, now.Revision) >= revision: // or it looks as it did then
			return st, max(st.s.w.Production.Revision, now.Revision), nil
		}
		select {
		case <-news:
		case <-ctx.Done():
			return nil, 0, context.Cause(ctx)
		}
	}
}
