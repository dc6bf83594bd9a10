package demo

import (
	"bytes"
	"math"

	"visator/app/desk"
	"visator/app/edit"
	"visator/app/outfit"
	credits "visator/core/intake/credit"
	"visator/core/lay/keep"
	"visator/core/surface"
	"visator/store"
)

// morning is a picture to be guided by: a sky of first light over ridges, and wet stone below.
func morning() []byte {
	return picture(192, func(u, v float64) (r, g, b, a float64) {
		ridge := 0.52 + 0.06*math.Sin(7*u) + 0.03*math.Sin(19*u+1)
		switch {
		case v < ridge:
			t := v / ridge
			return 0.62 + 0.3*t, 0.56 + 0.22*t, 0.6 + 0.06*t, 1
		case v < ridge+0.16:
			return 0.42, 0.4, 0.46, 1
		}
		k := 0.85 + 0.3*wrapped(3, u, v, 14)
		return 0.34 * k, 0.31 * k, 0.3 * k, 1
	})
}

// halt is another: red paint, brown wood, brass, and the green of conifers.
func halt() []byte {
	colors := [][3]float64{{0.2, 0.24, 0.16}, {0.42, 0.27, 0.17}, {0.52, 0.2, 0.16}, {0.72, 0.58, 0.34}}
	return picture(160, func(u, v float64) (r, g, b, a float64) {
		c := colors[min(int(4*math.Sqrt(u)), 3)]
		k := 0.85 + 0.3*wrapped(9, u, v, 20)
		return c[0] * k, c[1] * k, c[2] * k, 1
	})
}

// dressSurfaces hangs the board, brings the benches towards its palette, and lets weather at the set: the platform is
// wet, the barrow dusty, the boulders mossy.
func (l *loader) dressSurfaces() error {
	board := (&keep.Board{}).Default().(*keep.Board)
	var blobs []string
	for _, p := range []struct {
		name string
		data []byte
	}{{"morning", morning()}, {"halt", halt()}} {
		blob, err := l.a.CardPicture(l.ctx, bytes.NewReader(p.data))
		if err != nil {
			return err
		}
		blobs = append(blobs, blob)
		board.Pictures = append(board.Pictures, keep.BoardPicture{Blob: blob, Name: p.name})
	}
	var err error
	if board.Palette, err = l.a.Palette(l.ctx, blobs, board.Colors); err != nil {
		return err
	}
	// The slats are too orange for it: they are tinted, with their picture.
	slats, err := l.a.TakeOff(l.ctx, l.set, l.id("bench"), "", "slats")
	if err != nil {
		return err
	}
	slats.Base, slats.Rough, slats.Coat, slats.CoatRough = "#c8b4ac", 0.5, 0.4, 0.25
	wear := func(set func(w *keep.Wear), things ...string) *keep.Wear {
		w := (&keep.Wear{}).Default().(*keep.Wear)
		set(w)
		w.Only = things
		return w
	}
	meant := func(file, name, why string) desk.Command {
		return edit.Do(&edit.IsMeant{Snag: "repeats:" + l.piece[file] + ":" + name, Why: why})
	}
	rows, err := store.Placements(l.ctx, l.a.Store.Pool, l.set)
	if err != nil {
		return err
	}
	var boulders []string
	for i := range rows {
		if rows[i].Piece == l.piece["boulder.glb"] {
			boulders = append(boulders, rows[i].ID)
		}
	}
	// The turf of the whole meadow is one picture: it is broken up, and lighter and darker from place to place.
	turf, err := l.a.TakeOff(l.ctx, l.set, l.id("meadow"), "", "turf")
	if err != nil {
		return err
	}
	turf.Broken, turf.Vary, turf.VaryOver = true, 0.2, 7
	home, err := store.GetSet(l.ctx, l.a.Store.Pool, l.set)
	if err != nil {
		return err
	}
	oiled := outfit.Shelved{Name: "oiled slats", Home: home.ProductionID, Material: *slats,
		Tags: []string{"wood", "oiled"}, Marked: true,
		Credit: credits.Credit{Author: "the painters of Kestrel Saddle", Licence: "CC0-1.0"}}
	if err := l.a.Shelve(l.ctx, &oiled); err != nil {
		return err
	}
	return l.edit(l.element("board", "board", board),
		edit.Do(&edit.PutOn{Name: "oiled slats", Material: slats, On: []surface.On{{Piece: l.piece["bench_slatted.zip"],
			Surface: "slats"}}}),
		edit.Do(&edit.PutOn{Name: "turf, broken up", Material: turf, On: []surface.On{{Thing: l.id("meadow"),
			Surface: "turf"}}}),
		l.element("wear", "rubbed suitcases", wear(func(w *keep.Wear) {
			w.Edges, w.EdgesOf, w.EdgeReach, w.Grain = 0.7, "#a98a63", 0.008, 0.06
		}, l.ids("suitcase, brown")...)),
		l.element("wear", "wet platform", wear(func(w *keep.Wear) { w.Wet, w.Puddles, w.Grain = 0.55, 0.22, 0.9 },
			l.ids("platform")...)),
		l.element("wear", "dusty barrow", wear(func(w *keep.Wear) { w.Dust, w.Grain = 0.6, 0.15 },
			l.ids("luggage barrow")...)),
		l.element("wear", "mossy boulders", wear(func(w *keep.Wear) { w.Moss, w.Grain = 0.7, 0.25 }, boulders...)),
		meant("platform.glb", "paving", "slabs of one size, laid by hand"),
		meant("platform.glb", "masonry", "stones of one size"),
		meant("track_120m.glb", "sleeper", "sleepers lie alike"),
		meant("track_120m.glb", "ballast", "it is seen between the sleepers alone"))
}
