package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"

	"visator/app"
	"visator/core/geom"
	"visator/core/light"
	"visator/core/motion"
	"visator/core/optics"
	"visator/store"
)

// Name of the sample production; Load does nothing when it is there.
const Name = "Kestrel Saddle"

// loader builds the production through the same deeds that a person does.
type loader struct {
	a     *app.App
	ctx   context.Context
	set   string
	piece map[string]string
	deeds []app.Deed
}

// Load makes the sample production, if it is not there yet, and returns its
// set. Takes are put in the queue when shoot is set. progress is told what is
// being done.
func Load(ctx context.Context, a *app.App, shoot bool, progress func(string)) (set string, err error) {
	list, err := a.Store.Productions(ctx)
	if err != nil {
		return "", err
	}
	for _, p := range list {
		if p.Name != Name {
			continue
		}
		sets, err := a.Store.Sets(ctx, p.ID)
		if err != nil {
			return "", err
		}
		if len(sets) > 0 {
			shots, err := store.Shots(ctx, a.Store.Pool, sets[0].ID)
			if err != nil || len(shots) >= 3 {
				return sets[0].ID, err
			}
		}
		// It was cut while it was made: begin again.
		if _, err := a.Store.Pool.Exec(ctx, "delete from production where id = $1", p.ID); err != nil {
			return "", err
		}
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
	l := &loader{a: a, ctx: ctx, set: set, piece: map[string]string{}}
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
		if err := l.edit(app.Deed{Do: "change", Kind: "piece", ID: id, Patch: raw}); err != nil {
			return "", fmt.Errorf("%s: %w", d.Name, err)
		}
	}
	progress("dressing the set")
	if err := l.dress(); err != nil {
		return "", err
	}
	if err := l.shots(shoot); err != nil {
		return "", err
	}
	return set, l.pending(production, progress)
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
	var found []app.Found
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

func (l *loader) edit(deeds ...app.Deed) error {
	_, err := l.a.Edit(l.ctx, l.set, app.EditRequest{Revision: -1, Deeds: deeds})
	return err
}

func (l *loader) place(file, name string, at geom.V, turnDegrees, scale float64) {
	patch, _ := json.Marshal(map[string]any{"yaw": turnDegrees * math.Pi / 180, "scale": geom.V{X: scale, Y: scale, Z: scale}})
	l.deeds = append(l.deeds, app.Deed{Do: "place", Piece: l.piece[file], Name: name, At: at, Patch: patch})
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
	l.place("bench_slatted.zip", "bench", v3(-1.35, deck, 1.2), 90, 1)
	l.place("bench_slatted.zip", "bench 2", v3(-1.35, deck, 9), 90, 1)
	l.place("station_clock.glb", "station clock", v3(-0.2, deck, -9.2), 0, 1)
	for i, z := range []float64{-13.5, -1.0, 7.2, 15} {
		l.place("lamp-post.zip", fmt.Sprintf("lamp post %d", i+1), v3(-2.05, deck, z), 0, 1)
	}
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
	trees := 0
	for trees < 110 {
		x, z := (r.Float64()-0.5)*120, -r.Float64()*150+26
		// Keep the halt, the track and the view along it free.
		if x > -11 && x < 12 || x < -5 && x > -13 && z < -10 && z > -28 {
			continue
		}
		f := []string{"conifer_a.glb", "conifer_b.zip"}[r.IntN(2)]
		trees++
		l.place(f, fmt.Sprintf("conifer %d", trees), v3(x, land(x, z)-0.1, z), r.Float64()*360, 0.75+0.6*r.Float64())
	}
	for i := 0; i < 14; i++ {
		x := 8.5 + r.Float64()*9
		if i%2 == 0 {
			x = -4.5 - r.Float64()*6
		}
		z := 14 - r.Float64()*44
		l.place("boulder.glb", fmt.Sprintf("boulder %d", i+1), v3(x, land(x, z)-0.12, z), r.Float64()*360, 0.3+0.7*r.Float64())
	}
	for i := 0; i < 90; i++ {
		x := 7.2 + r.Float64()*5
		if i%2 == 0 {
			x = -3 - r.Float64()*5
		}
		z := 16 - r.Float64()*36
		l.place("grass_tuft.glb", fmt.Sprintf("grass %d", i+1), v3(x, land(x, z)-0.03, z), r.Float64()*360, 0.7+0.7*r.Float64())
	}
	deeds := l.deeds
	l.deeds = nil
	return l.edit(deeds...)
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
	s.Azimuth, s.Elevation, s.Lux, s.Kelvin, s.Size = 1.02, 0.16, 9500, 3300, 0.02
	s.Zenith, s.Horizon, s.Level = "#56719c", "#e2cdb8", 2300
	return s
}

func look(eye, to geom.V, focal, fNumber, ev float64) optics.View {
	v := optics.Default()
	v.Eye, v.Focal, v.FNumber, v.EV = eye, focal, fNumber, ev
	v.AimAt(to)
	v.Focus = to.Sub(eye).Len()
	v.Near, v.Far = 0.3, 16000
	return v
}

func (l *loader) shots(shoot bool) error {
	wide := look(v3(0.35, 2.05, 13.5), v3(0.6, 2.25, -10), 24, 8, 9.6)
	close := look(v3(1.75, 0.82, 5.35), v3(0.45, 0.62, 3.3), 50, 1.8, 9.6)
	start := look(v3(1.9, 0.85, 5.1), v3(0.95, 0.58, 3.75), 60, 2, 9.6)
	end := look(v3(2.1, 1.15, 4.9), v3(4.3, 1.6, -16), 60, 2, 9.6)
	end.Focus = 21.5
	move := &motion.Move{To: end, Duration: 3, Easing: "smooth", Rate: 12}
	for _, s := range []struct {
		name string
		view optics.View
		move *motion.Move
	}{{"first light", wide, nil}, {"left behind", close, nil}, {"arrival", start, move}} {
		patch, err := json.Marshal(map[string]any{"name": "platform, first light", "view": s.view, "light": dawn(), "move": s.move})
		if err != nil {
			return err
		}
		if err := l.edit(app.Deed{Do: "change", Kind: "set", Patch: patch}, app.Deed{Do: "keep", Name: s.name}); err != nil {
			return fmt.Errorf("shot %s: %w", s.name, err)
		}
	}
	list, err := store.Shots(l.ctx, l.a.Store.Pool, l.set)
	if err != nil {
		return err
	}
	for i, s := range list {
		if shoot {
			settings, kind := app.TakeSettings{Width: 1280, Samples: 32, Bounces: 4, Denoise: true}, "still"
			if s.Move != nil {
				settings.Width, settings.Samples, kind = 640, 12, "move"
			}
			if _, err := l.a.Shoot(l.ctx, l.set, s.ID, kind, settings); err != nil {
				return err
			}
		}
		if i == 0 {
			if err := l.edit(app.Deed{Do: "go", ID: s.ID}); err != nil {
				return err
			}
		}
	}
	return nil
}
