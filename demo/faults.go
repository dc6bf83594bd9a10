package demo

import (
	"encoding/json"

	"visator/app/edit"
	"visator/core/lay"
)

// faults makes a second set that shows one snag of each kind: a yard in which
// everything that can go wrong did.
func (l *loader) faults(production string) error {
	set, err := l.a.NewSet(l.ctx, production, "one of each fault")
	if err != nil {
		return err
	}
	keep := *l
	defer func() { l.set = keep.set }()
	l.set = set
	quad := func(x0, z0, x1, z1 float64) []lay.P {
		return []lay.P{{X: x0, Z: z0}, {X: x1, Z: z0}, {X: x1, Z: z1}, {X: x0, Z: z1}}
	}
	l.place("bench_slatted.zip", "bench that floats", v3(-4, 0.15, -2), 0, 1)
	l.place("luggage-barrow.zip", "barrow in the barrow", v3(0, 0, -2), 10, 1)
	l.place("luggage-barrow.zip", "barrow", v3(0.5, 0, -2.2), 75, 1)
	l.place("station_clock.glb", "clock sunk in the yard", v3(3.4, -0.7, -3), 0, 1)
	l.place("suitcase_tan.zip", "suitcase below the ground", v3(-1.5, -1.4, -4), 0, 1)
	l.place("boulder.glb", "boulder", v3(-7, -0.1, -6), 30, 0.6)
	l.place("boulder.glb", "boulder, its twin", v3(-5.4, -0.1, -6.6), 30, 0.6)
	l.place("traveller.glb", "traveller in the doorway", v3(6.6, 0, -3.95), 0, 1)
	l.place("hand_lantern.glb", "lantern in no shot", v3(1, 0, 14), 0, 1)
	l.place("suitcase_brown.glb", "suitcase, far from the set", v3(2600, 0, -2900), 0, 1)
	// Copied and forgotten: the commonest way to have two surfaces in one plane.
	l.place("suitcase_brown.glb", "suitcase, twice in one place", v3(1.8, 0, -5.2), 0, 1)
	l.place("suitcase_brown.glb", "suitcase, once more", v3(1.8, 0, -5.2), 0, 1)
	deeds := l.deeds
	l.deeds = nil
	view := look(v3(0.4, 1.75, 6), v3(0.2, 0.9, -4), 24, 8, 9.6)
	patch, err := json.Marshal(map[string]any{"view": view, "light": dawn()})
	if err != nil {
		return err
	}
	return l.edit(append(deeds,
		l.element("ground", "yard", &lay.Ground{Middle: lay.P{Z: -4}, Width: 26, Depth: 20, Cell: 0.5,
			Color: "#7d776b"}),
		l.element("room", "hut", &lay.Room{Outline: quad(5, -7, 8, -4.6), Height: 2.4, Wall: 0.15,
			Openings: []lay.Opening{{Wall: 2, Along: 1.5, Width: 0.95, Head: 2.05, Door: "right", Out: true,
				Frame: 0.05}}}),
		l.element("limit", "limit", &lay.Limit{Triangles: 10_000}),
		edit.Do(&edit.ChangeSet{Patch: patch}),
		edit.Do(&edit.KeepShot{Name: "all faults"}))...)
}
