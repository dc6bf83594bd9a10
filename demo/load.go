package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"visator/core/lay/keep"

	"visator/app"
	"visator/app/desk"
	"visator/app/edit"
	"visator/app/library"
	"visator/app/takes"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
	"visator/store"
)

// Name of the sample production; Load does nothing when it is there.
const Name = "Kestrel Saddle"

// loader builds the production through the same deeds that a person does.
type loader struct {
	a        *app.App
	ctx      context.Context
	set      string
	piece    map[string]string
	deeds    []desk.Command
	progress func(string)
}

// Load makes the sample production, if it is not there yet, and returns its
// set. Takes are put in the queue when film is set. progress is told what is
// being done.
func Load(ctx context.Context, a *app.App, film bool, progress func(string)) (set string, err error) {
	set, err = there(ctx, a, progress)
	if set != "" || err != nil {
		return set, err
	}
	progress("making the downloads")
	downloads, err := Downloads()
	if err != nil {
		return "", err
	}
	production, set, err := a.NewProduction(ctx, Name, "metre")
	if err != nil {
		return "", err
	}
	if err := a.Store.SetSample(ctx, production, "making"); err != nil {
		return "", err
	}
	l := &loader{a: a, ctx: ctx, set: set, piece: map[string]string{}, progress: progress}
	for _, d := range downloads {
		progress("taking in " + d.Name)
		ar, _, err := a.Arrive(ctx, production, d.Name, bytes.NewReader(d.Data))
		if err != nil {
			return "", err
		}
		// Here and now; the job that was put in finds it done.
		if err := a.RunIntake(ctx, ar.ID); err != nil {
			return "", err
		}
		id := "p" + ar.ID
		l.piece[d.Name] = id
		if d.Metres == 0 && d.Up == "" {
			continue
		}
		patch := map[string]any{"decided": true}
		if d.Metres > 0 {
			patch["metresPerUnit"] = d.Metres
		}
		if d.Up != "" {
			patch["up"] = d.Up
		}
		raw, _ := json.Marshal(map[string]any{"sizing": patch})
		if err := l.edit(edit.Do(&edit.ChangePiece{ID: id, Patch: raw})); err != nil {
			return "", fmt.Errorf("%s: %w", d.Name, err)
		}
	}
	progress("dressing the set")
	if err := l.dress(); err != nil {
		return "", err
	}
	if err := l.shots(film); err != nil {
		return "", err
	}
	progress("making the set of faults")
	if err := l.faults(production); err != nil {
		return "", err
	}
	if err := l.pending(production, progress); err != nil {
		return "", err
	}
	return set, a.Store.SetSample(ctx, production, "made")
}

// there is a set of the sample production, when it is there. One that was cut while
// it was made says so itself: somebody may have touched it meanwhile, so it goes to
// the bin, and another is made. All others are left alone, whatever they have
// become.
func there(ctx context.Context, a *app.App, progress func(string)) (set string, err error) {
	list, err := a.Store.Productions(ctx)
	if err != nil {
		return "", err
	}
	for _, p := range list {
		if p.Name != Name && p.Sample == "" {
			continue
		}
		if p.Sample == "making" {
			progress("the sample production was cut while it was made: it lies in the bin now, for " +
				fmt.Sprint(app.BinDays) + " days, and is made anew")
			if err := a.PutInBin(ctx, "production", p.ID); err != nil {
				return "", err
			}
			continue
		}
		sets, err := a.Store.Sets(ctx, p.ID)
		if err != nil {
			return "", err
		}
		if len(sets) > 0 {
			return sets[0].ID, nil
		}
	}
	return "", nil
}

// pending takes in what is still to be decided about.
func (l *loader) pending(production string, progress func(string)) error {
	list, err := Pending()
	if err != nil {
		return err
	}
	for _, d := range list {
		progress("taking in " + d.Name)
		ar, _, err := l.a.Arrive(l.ctx, production, d.Name, bytes.NewReader(d.Data))
		if err != nil {
			return err
		}
		if err := l.a.RunIntake(l.ctx, ar.ID); err != nil {
			return err
		}
		if d.Name == roomName {
			if err := l.takeAll(ar.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

// takeAll takes all models of an arrival, to be sized together.
func (l *loader) takeAll(arrival string) error {
	ar, err := store.GetArrival(l.ctx, l.a.Store.Pool, arrival)
	if err != nil {
		return err
	}
	var found []library.Found
	if err := json.Unmarshal(ar.Found, &found); err != nil {
		return err
	}
	var paths []string
	for _, f := range found {
		paths = append(paths, f.Path)
	}
	if err := l.a.Take(l.ctx, arrival, paths, nil); err != nil {
		return err
	}
	return l.a.RunIntake(l.ctx, arrival)
}

func (l *loader) edit(deeds ...desk.Command) error {
	_, err := l.a.Edit(l.ctx, l.set, desk.Request{Revision: -1, Commands: deeds})
	return err
}

func (l *loader) place(file, name string, at geom.V, turnDegrees, scale float64) {
	patch, _ := json.Marshal(map[string]any{"yaw": turnDegrees * math.Pi / 180,
		"scale": geom.V{X: scale, Y: scale, Z: scale}})
	l.deeds = append(l.deeds, edit.Do(&edit.Place{Piece: l.piece[file], Name: name, At: at, Patch: patch}))
}

// The set: the track runs along Z at x = 4.6, trains come from -Z. The
// platform lies to its left, the shelter with its back to the meadow.
func (l *loader) dress() error {
	const deck = 0.4
	box, err := l.box("meadow.glb")
	if err != nil {
		return err
	}
	// The meadow's pivot is at its base: bring its own zero back to zero.
	l.place("meadow.glb", "meadow", v3(0, box.Y, box.Z), 0, 1)
	l.place("platform.glb", "platform", v3(0, 0, 1.2), 0, 1)
	l.place("track_120m.glb", "track", v3(4.6, -0.15, -25), 0, 1)
	l.place("shelter.zip", "shelter", v3(-1.05, deck, -4.5), 0, 1)
	l.place("station_clock.glb", "station clock", v3(-0.2, deck, -9.2), 0, 1)
	l.place("luggage-barrow.zip", "luggage barrow", v3(0.9, deck, -7.1), 62, 1)
	l.place("suitcase_brown.glb", "suitcase, brown", v3(0.55, deck, 3.4), 24, 1)
	l.place("suitcase_tan.zip", "suitcase, tan", v3(0.2, deck, 3.05), -12, 1)
	l.place("hand_lantern.glb", "hand lantern", v3(0.95, deck, 3.75), 40, 1)
	l.place("traveller.glb", "traveller", v3(1.0, deck, 0.6), 165, 1)
	l.place("railcar_red.zip", "railcar", v3(4.6, 0.03, -21), 0, 1)
	l.place("water-tower.zip", "water tower", v3(-8.4, 0, -19), 25, 1)
	l.place("viaduct.glb", "viaduct", v3(120, -52, -1796), -6, 1)
	l.place("ridges_far.glb", "ridges", v3(0, -60, -7400), 0, 1)
	r := rand.New(rand.NewPCG(2024, 6))
	for i := 0; i < 9; i++ {
		x := 8.5 + r.Float64()*6
		if i%3 == 0 {
			x = -5 - r.Float64()*3
		}
		z := -3 - r.Float64()*30
		l.place("boulder.glb", fmt.Sprintf("boulder %d", i+1), v3(x, land(x, z)-0.12, z), r.Float64()*360,
			0.3+0.7*r.Float64())
	}
	deeds := l.deeds
	l.deeds = nil
	if err := l.edit(deeds...); err != nil {
		return err
	}
	if err := l.describe(); err != nil {
		return err
	}
	if err := l.arrange(); err != nil {
		return err
	}
	return l.dressSurfaces()
}

// id finds a placement by its name.
func (l *loader) id(name string) string {
	rows, err := store.Placements(l.ctx, l.a.Store.Pool, l.set)
	if err == nil {
		for i := range rows {
			if rows[i].Name == name {
				return rows[i].ID
			}
		}
	}
	return "" // the deed that names it is refused
}

func (l *loader) ids(names ...string) (list []string) {
	for _, n := range names {
		list = append(list, l.id(n))
	}
	return list
}

// element adds a described thing.
func (l *loader) element(kind, name string, spec lay.Spec) desk.Command {
	raw, _ := json.Marshal(spec)
	return edit.Do(&edit.AddElement{Kind: kind, Name: name, Spec: raw})
}

func (l *loader) mix(weighted ...any) (list []lay.Share) {
	for i := 0; i < len(weighted); i += 2 {
		list = append(list, lay.Share{Piece: l.piece[weighted[i].(string)], Weight: weighted[i+1].(float64)})
	}
	return list
}

// describe lays what is not placed piece by piece: lamps in a row, a line of
// lanterns, trees and grass in drifts, a goods yard with its shed, a footpath, a
// pond, a far ridge.
func (l *loader) describe() error {
	const deck = 0.4
	quad := func(x0, z0, x1, z1 float64) []lay.P {
		return []lay.P{{X: x0, Z: z0}, {X: x1, Z: z0}, {X: x1, Z: z1}, {X: x0, Z: z1}}
	}
	yard := land(-12, 6) + 0.1
	bulb, work := light.DefaultLamp(), light.DefaultLamp()
	bulb.At, bulb.Radius, bulb.Output, bulb.Kelvin = v3(-1.05, deck+2.35, -4.3), 0.04, 900, 2600
	work.Shape, work.At, work.To = "cone", v3(-1.9, deck+3.3, 5.6), v3(0.5, deck+0.2, 3.3)
	work.Radius, work.Angle, work.Edge, work.Output, work.Kelvin, work.Seen = 0.06, 0.9, 0.6, 420, 2300, false
	// The lanterns carry their flames: one switch for all of them.
	flame := (&lay.Fixture{}).Default().(*lay.Fixture)
	flame.Piece = l.piece["hand_lantern.glb"]
	flame.At, flame.To, flame.Radius = v3(0, 0.14, 0), v3(0, -1, 0), 0.012
	flame.Output, flame.Kelvin, flame.Seen, flame.Hertz, flame.Depth, flame.Seed = 60, 2000, false, 5, 0.4, 2
	// A light to be tried on any shot: the sun and the clear sky of the place, without mist.
	clear := dawn()
	clear.From, clear.Sky, clear.Haze, clear.Fog = "place", "hour", 0, 0
	clear.Settle(&light.State{})
	return l.edit(
		l.element("kept light", "a clear morning", &keep.KeptLight{Light: clear}),
		l.element("fixture", "flames of the lanterns", flame),
		l.element("lamp", "bulb in the shelter", &lay.Lamp{Lamp: bulb}),
		l.element("lamp", "lamp on the luggage", &lay.Lamp{Lamp: work}),
		l.element("row", "lamps", &lay.Array{Shape: "line", Points: []lay.P{{X: -2.05, Z: -13.5}, {X: -2.05, Z: 15}},
			Pieces: l.mix("lamp-post.zip", 1.0), By: "count", Count: 3, Rest: true, Seed: 1}),
		l.element("line", "lantern line",
			&lay.Garland{Points: []geom.V{{X: -2.05, Y: deck + 3.55, Z: 0.75}, {X: -2.05, Y: deck + 3.55, Z: 15}},
				Sag: 0.5, Thick: 0.012,
				Pieces: l.mix("hand_lantern.glb", 1.0), Spacing: 1.6, Start: 0.9, Drop: 0.36,
				Vary: lay.Vary{Turn: 3, Size: 0.1},
				Seed: 3}),
		l.element("drift", "conifers, left",
			&lay.Scatter{Area: quad(-62, -120, -13, 22), Keep: [][]lay.P{quad(-20, -2, -5, 14)},
				Pieces: l.mix("conifer_a.glb", 2.0, "conifer_b.zip", 1.0), Density: 0.012, Least: 5, Edge: 6,
				Clump:  0.5,
				Clumps: 26,
				Turn:   math.Pi, Tilt: 0.04, SizeMin: 0.75, SizeMax: 1.35, Sink: 0.12, SlopeTo: 0.7, Seen: true,
				Margin:  3,
				Shadows: true, Seed: 21}),
		l.element("drift", "conifers, right",
			&lay.Scatter{Area: quad(13, -120, 62, 22), Pieces: l.mix("conifer_a.glb", 1.0, "conifer_b.zip", 2.0),
				Density: 0.012, Least: 5, Edge: 6, Clump: 0.5, Clumps: 26,
				Turn: math.Pi, Tilt: 0.04, SizeMin: 0.75, SizeMax: 1.35, Sink: 0.12, SlopeTo: 0.7, Seen: true,
				Margin:  3,
				Shadows: true, Seed: 22}),
		l.element("drift", "grass by the platform",
			&lay.Scatter{Area: quad(-8, -22, -2.7, 18), Keep: [][]lay.P{quad(-11.5, -22, -5.5, -16)},
				Pieces: l.mix("grass_tuft.glb", 1.0), Density: 1.1, Edge: 1.2, Clump: 0.6, Clumps: 3,
				Turn: math.Pi, Tilt: 0.15, SizeMin: 0.6, SizeMax: 1.3, Follow: 0.5, Sink: 0.02, Seen: true, Margin: 1,
				Seed: 5}),
		l.element("drift", "grass beyond the track",
			&lay.Scatter{Area: quad(7.2, -40, 14, 18), Pieces: l.mix("grass_tuft.glb", 1.0), Density: 0.9, Edge: 1.5,
				Clump: 0.6, Clumps: 3.5,
				Turn: math.Pi, Tilt: 0.15, SizeMin: 0.6, SizeMax: 1.4, Follow: 0.5, Sink: 0.02, Seen: true, Margin: 1,
				Seed: 6}),
		l.element("ground", "goods yard", &lay.Ground{Middle: lay.P{X: -12.5, Z: 6}, Width: 12, Depth: 14, Base: yard,
			Cell: 0.25, Rough: 0.06, Grain: 3, Seed: 8, Color: "#7d776b", Steep: "#6b665c", Slope: 0.5,
			Strokes: []lay.Sculpt{{Do: "pad", Points: quad(-16, 2, -11, 8), Radius: 1.5, Height: yard + 0.1},
				{Do: "raise", Points: []lay.P{{X: -8, Z: 11}, {X: -10, Z: 12}}, Radius: 1.6, Height: 0.35},
				{Do: "smooth", Points: []lay.P{{X: -9, Z: 11}}, Radius: 2}}}),
		l.element("room", "goods shed", &lay.Room{Outline: quad(-15.5, 2.5, -11.5, 7.5), Floor: yard + 0.1, Height: 2.6,
			Wall: 0.18, Ceiling: true, Openings: []lay.Opening{
				{Wall: 1, Along: 1.4, Width: 1.1, Head: 2.1, Door: "left", Frame: 0.06}, {Wall: 1, Along: 3.7, Width: 1,
					Sill: 1,
					Head: 2, Frame: 0.05}, {Wall: 2, Along: 1.3, Width: 0.9, Sill: 1, Head: 2, Frame: 0.05, Bays: 2,
					Pitch: 1.5}}}),
		l.element("path", "footpath",
			&lay.Path{Points: []lay.P{{X: -11, Z: 4}, {X: -8, Z: 3.2}, {X: -5, Z: 1.8}, {X: -2.9, Z: 1.5}},
				Smooth: true,
				Width:  1.3, Crown: 0.03, Kerb: 0.05, KerbWide: 0.1, Shoulder: 0.8, Level: 3, Color: "#8d8474"}),
		l.element("water", "pond",
			&lay.Water{Outline: []lay.P{{X: 9.5, Z: -9}, {X: 12, Z: -10}, {X: 13.5, Z: -8}, {X: 12.6, Z: -6},
				{X: 10, Z: -6.4}}, Level: land(11.5, -8) + 0.12, Ripple: 0.004, Length: 0.35, Wind: 0.6, Seed: 2}),
		l.element("card", "mist ridge", &lay.Card{At: geom.V{X: -300, Y: -90, Z: -5200}, Width: 5200, Height: 420,
			Facing: true, Shape: "ridge", Color: "#7c8794", Rough: 0.6, Relief: 900, Seed: 12}),
		l.element("limit", "limit", &lay.Limit{Triangles: 60_000_000, Instances: 5000, Megabytes: 600}))
}

// arrange does what an artist does by hand: blocks out and recasts, puts down,
// heaps, groups, sorts into layers, and says what is meant.
func (l *loader) arrange() error {
	const deck = 0.4
	turned := func(size geom.V, yaw float64) json.RawMessage {
		raw, _ := json.Marshal(map[string]any{"size": size, "yaw": yaw})
		return raw
	}
	seat := geom.V{X: 1.7, Y: 0.9, Z: 0.6}
	if err := l.edit(edit.Do(&edit.Place{StandIn: "box", Name: "seat", At: v3(-1.35, deck, 1.2),
		Patch: turned(seat, math.Pi/2)}),
		edit.Do(&edit.Place{StandIn: "box", Name: "seat 2", At: v3(-1.35, deck, 9), Patch: turned(seat, math.Pi/2)}),
		edit.Do(&edit.Place{StandIn: "steps", Name: "way up", At: v3(-2.85, 0, 1.5),
			Patch: turned(geom.V{X: 1.4, Y: 0.42, Z: 0.6}, -math.Pi/2)})); err != nil {
		return err
	}
	for i := range 5 {
		file, name := "suitcase_brown.glb", "suitcase in the heap"
		if i%2 == 1 {
			file = "suitcase_tan.zip"
		}
		l.place(file, name, v3(0.1+0.12*float64(i%2), deck+0.5+0.5*float64(i), -8.35+0.1*float64(i%3)), 40*float64(i),
			0.9+0.04*float64(i))
	}
	heap := l.deeds
	l.deeds = nil
	if err := l.edit(heap...); err != nil {
		return err
	}
	var pile, stones []string
	rows, err := store.Placements(l.ctx, l.a.Store.Pool, l.set)
	if err != nil {
		return err
	}
	for i := range rows {
		switch n := rows[i].Name; {
		case strings.HasPrefix(n, "suitcase in the heap"):
			pile = append(pile, rows[i].ID)
		case strings.HasPrefix(n, "boulder"):
			stones = append(stones, rows[i].ID)
		}
	}
	if err := l.a.SettleNow(l.ctx, l.set, pile, 4); err != nil {
		return err
	}
	return l.edit(
		edit.Do(&edit.Recast{IDs: l.ids("seat", "seat 2"), Piece: l.piece["bench_slatted.zip"]}),
		edit.Do(&edit.PutDown{IDs: l.ids("water tower", "way up")}),
		edit.Do(&edit.Group{IDs: l.ids("suitcase, brown", "suitcase, tan", "hand lantern"), Name: "left behind"}),
		edit.Do(&edit.IntoLayer{IDs: l.ids("platform", "shelter", "station clock"), Layer: "halt"}),
		edit.Do(&edit.IntoLayer{IDs: l.ids("railcar", "track"), Layer: "railway"}),
		edit.Do(&edit.IntoLayer{IDs: l.ids("meadow", "viaduct", "ridges"), Layer: "land"}),
		edit.Do(&edit.IntoLayer{IDs: stones, Layer: "stones"}),
		edit.Do(&edit.IsMeant{Snag: "twins:" + l.piece["bench_slatted.zip"],
			Why: "a halt has benches of one make, all set alike"}))
}

// box is how far a piece's own origin lies above its base (Y), and off the
// middle of it along Z.
func (l *loader) box(file string) (geom.V, error) {
	p, err := store.GetPiece(l.ctx, l.a.Store.Pool, l.piece[file])
	if err != nil {
		return geom.V{}, err
	}
	var f struct {
		Bounds struct{ Min, Max [3]float64 }
	}
	if err := json.Unmarshal(p.Facts, &f); err != nil {
		return geom.V{}, err
	}
	b := f.Bounds
	return geom.V{Y: b.Min[1], Z: (b.Min[2] + b.Max[2]) / 2}, nil
}

// dawn is first light: a low warm sun through haze, a bright eastern sky.
func dawn() light.State {
	s := light.Default()
	const rad = math.Pi / 180
	// By place and hour the sun stands where it stands by hand, and shines through clear air.
	s.Place = light.Place{Latitude: 47.2 * rad, Longitude: 8.4 * rad, North: -28.13 * rad, Day: "2026-08-30", Hour: 7.7,
		Zone: 2}
	s.Azimuth, s.Elevation, s.Lux, s.Kelvin, s.Size = 1.02, 0.16, 12_500, 3300, 0.02
	// Mist lies in the valley, below the deck; above it the morning is hazy.
	s.Haze, s.HazeHigh, s.Fog, s.FogHigh, s.FogAt = 12_000, 300, 180, 1.6, -0.5
	s.Zenith, s.Horizon, s.Level = "#56719c", "#e2cdb8", 2300
	return s
}

// night is dark: no sun, and a sky that gives the ground a quarter of a lux, about what a full moon does (memory:
// handbooks say 0.05 to 0.3 lx).
func night() light.State {
	s := dawn()
	s.SunOn, s.Zenith, s.Horizon, s.Level = false, "#1f2c4a", "#3a4258", 2.2
	s.Haze, s.Fog, s.FogHigh = 8000, 320, 2.5
	return s
}

func look(eye, to geom.V, focal, fNumber, ev float64) optics.View {
	v := optics.Default()
	v.Eye, v.Focal, v.FNumber, v.EV = eye, focal, fNumber, ev
	v.AimAt(to)
	v.Focus = to.Sub(eye).Len()
	return v
}

// film begins a shot at a view in a light, changes it by deeds, fits its
// range and keeps it.
func (l *loader) film(name, note, status string, v optics.View, ls light.State, move *motion.Move,
	deeds ...desk.Command) error {
	raw := func(v any) json.RawMessage { data, _ := json.Marshal(v); return data } // of the program's own types
	all := append([]desk.Command{edit.Do(&edit.ChangeSet{Patch: raw(map[string]any{"name": "platform, first light",
		"view": v, "light": ls, "move": move})})}, deeds...)
	all = append(all, edit.Do(&edit.FitRange{}), edit.Do(&edit.KeepShot{Name: name}))
	if err := l.edit(all...); err != nil {
		return fmt.Errorf("shot %s: %w", name, err)
	}
	list, err := store.Shots(l.ctx, l.a.Store.Pool, l.set)
	if err != nil {
		return err
	}
	return l.edit(edit.Do(&edit.ChangeShot{ID: list[len(list)-1].ID,
		Patch: raw(map[string]any{"note": note, "status": status})}))
}

// shots are four: a wide still, its verticals kept parallel by shift; a close
// still with shallow focus; and a moving one, in which the railcar comes in, the
// camera goes along held by hand, and focus passes from the lantern to the railcar; and a still in the dark, lit by
// lamps alone.
func (l *loader) shots(film bool) error {
	raw := func(v any) json.RawMessage { data, _ := json.Marshal(v); return data } // of the program's own types
	traveller, suitcase, lantern, railcar := l.id("traveller"), l.id("suitcase, brown"), l.id("hand lantern"),
		l.id("railcar")

	wide := look(v3(0.35, 2.05, 13.5), v3(0.6, 2.25, -10), 24, 8, 9.6)
	wide.Subject, wide.Guides = traveller, []string{"thirds", "horizon"}
	if err := l.film("first light", "The whole halt before anyone stirs. The lanterns are still lit.", "lit", wide,
		dawn(), nil,
		edit.Do(&edit.EyeHeight{Metres: 1.65}), edit.Do(&edit.Straighten{}),
		edit.Do(&edit.AllSharp{Near: 2.2, Far: 0})); err != nil {
		return err
	}
	// Some of the sky is given up, so that the platform leads in.
	close := look(v3(1.75, 0.82, 5.35), v3(0.45, 0.62, 3.3), 50, 1.8, 9.6)
	close.Guides, close.Mask = []string{"golden"}, 2.39
	if err := l.film("left behind", "Nobody has come for the luggage.", "to approve", close, dawn(), nil,
		edit.Do(&edit.Compose{ID: suitcase, Ask: optics.Ask{X: 0.36, Y: 0.52, Height: 0.62, How: "move"}}),
		edit.Do(&edit.Focus{ID: lantern}),
		edit.Do(&edit.ChangeSet{Patch: raw(map[string]any{"view": map[string]any{"subject": lantern}})})); err != nil {
		return err
	}
	start := look(v3(0.45, 0.95, 5.2), v3(2.7, 0.25, -12), 28, 1.4, 9.6)
	start.Subject, start.Shutter = railcar, 1.0/24
	own := motion.Curve{0.45, 0, 0.2, 1}
	move := &motion.Move{Rate: 12,
		Rail: &motion.CameraPath{Kind: "dolly", Points: []geom.V{v3(0.45, 0.95, 5.2), v3(0.5, 1, 4.9)}, Seconds: 4,
			Easing: "own", Curve: own},
		Pulls: []motion.FocusKey{{At: 0.8, On: lantern, Easing: "smooth"}, {At: 2.6, On: railcar, Easing: "smooth"}},
		Shake: &motion.Shake{Degrees: 0.25, Metres: 0.006, Hertz: 0.6, Seed: 5},
		Rides: []motion.Animation{{IDs: []string{railcar}, Points: []geom.V{v3(4.6, 0.03, -21), v3(4.6, 0.03, -11)},
			Seconds: 4, Easing: "slow end"}},
		Flickers: []motion.Flicker{{IDs: []string{lantern}, Hertz: 5, Depth: 0.4, Seed: 2}}}
	if err := l.film("arrival", "Focus leaves the lantern when the railcar is heard, and is on it before it stands.",
		"blocked out", start, dawn(), move); err != nil {
		return err
	}
	dark := look(v3(2.2, 2.0, 9.2), v3(-0.3, 1.35, -1), 32, 2.8, 3.4)
	dark.Subject, dark.Guides = suitcase, []string{"thirds"}
	if err := l.film("last train", "It has gone. Two bulbs, the lanterns, and what is left of the sky.", "blocked out",
		dark, night(), nil, edit.Do(&edit.EyeHeight{Metres: 1.6}), edit.Do(&edit.Straighten{}),
		edit.Do(&edit.AllSharp{Near: 3, Far: 40})); err != nil {
		return err
	}
	list, err := store.Shots(l.ctx, l.a.Store.Pool, l.set)
	if err != nil {
		return err
	}
	// Small and fast first, so that there is something to see at once; then better, while
	// nobody is at work.
	for _, better := range []bool{false, true} {
		for i := range list {
			if !film {
				break
			}
			s, kind := &list[i], "still"
			settings := takes.Settings{Width: 480, Samples: 12, Bounces: 3, Denoise: true, Apart: s.Move == nil}
			if better {
				settings = takes.Settings{Width: 1280, Samples: 32, Bounces: 4, Denoise: true, Quietly: true,
					Apart: s.Move == nil}
				if s.Move != nil {
					settings.Width, settings.Samples, kind = 640, 12, "move"
				}
			}
			t, err := l.a.Shoot(l.ctx, l.set, s.ID, kind, settings)
			if err != nil {
				return err
			}
			if better {
				continue
			}
			// Here and now; the job that was put in finds it done.
			l.progress("a first picture of " + s.Name)
			if err := l.a.RunTake(l.ctx, t.ID); err != nil {
				return err
			}
		}
	}
	return l.edit(edit.Do(&edit.GoToShot{ID: list[0].ID}))
}
