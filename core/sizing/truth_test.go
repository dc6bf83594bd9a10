package sizing

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"

	"visator/core/geom"
	"visator/core/model"
)

// The truth: models of things whose true size is known. Their dimensions are
// of single things that the writer of this file knows, has measured or has
// read off a data sheet, written down without looking at the kinds' table;
// their shapes are put together from plain bodies. Memory throughout.

// thing is a real thing: height, width and depth in metres, how it is built,
// and what suppliers call it.
type thing struct {
	kind    string
	h, w, d float64
	build   func(b *builder, h, w, d float64)
	names   string // separated by spaces, as in file names
	parts   string // what makers call its parts, in the order of the builder's; "" for the builder's own
}

// builder puts bodies together in metres, +Y up, base at 0.
type builder struct {
	m     *model.Model
	names []string
	rng   *rand.Rand
}

// body adds a part made of points around and triangles.
func (b *builder) body(name string, positions []float32, indices []uint32) {
	b.names = append(b.names, name)
	b.m.Meshes = append(b.m.Meshes,
		model.Mesh{Name: name,
			Parts: []model.Part{{Name: name, Positions: positions, Indices: indices, Surface: model.None}}})
	n := model.NewNode(name)
	n.Mesh = len(b.m.Meshes) - 1
	b.m.Roots = append(b.m.Roots, len(b.m.Nodes))
	b.m.Nodes = append(b.m.Nodes, n)
}

// box is a block between two corners.
func (b *builder) box(name string, x0, y0, z0, x1, y1, z1 float64) {
	var p []float32
	for k := range 8 {
		p = append(p, float32(pick(k&1 != 0, x1, x0)), float32(pick(k&2 != 0, y1, y0)), float32(pick(k&4 != 0, z1, z0)))
	}
	b.body(name, p, []uint32{0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5, 0, 1, 5, 0, 5, 4, 2, 6, 7, 2, 7, 3, 0, 2, 3, 0, 3, 1,
		4, 5, 7, 4, 7, 6})
}

func pick(yes bool, a, b float64) float64 {
	if yes {
		return a
	}
	return b
}

// turned is a body of rings: height and radius of each, around x, z.
func (b *builder) turned(name string, x, z float64, rings ...float64) {
	const n = 12
	var p []float32
	var idx []uint32
	for r := 0; r+1 < len(rings); r += 2 {
		for k := range n {
			s, c := math.Sincos(2 * math.Pi * float64(k) / n)
			p = append(p, float32(x+rings[r+1]*c), float32(rings[r]), float32(z+rings[r+1]*s))
		}
	}
	for r := range uint32(len(rings)/2 - 1) {
		for k := range uint32(n) {
			a, c := r*n+k, r*n+(k+1)%n
			idx = append(idx, a, a+n, c, c, a+n, c+n)
		}
	}
	last := uint32(len(rings)/2-1) * n
	for k := uint32(2); k < n; k++ { // lids
		idx = append(idx, 0, k-1, k, last, last+k, last+k-1)
	}
	b.body(name, p, idx)
}

// disc is a short round body whose axis lies along x.
func (b *builder) disc(name string, x, y, z, radius, width float64) {
	from := len(b.m.Meshes)
	b.turned(name, 0, 0, -width/2, radius, width/2, radius)
	p := b.m.Meshes[from].Parts[0].Positions
	for i := 0; i < len(p); i += 3 {
		p[i], p[i+1], p[i+2] = float32(x)+p[i+1], float32(y)+p[i], float32(z)+p[i+2]
	}
}

func seat(b *builder, h, w, d float64) {
	s := min(0.45, h*0.55)
	b.box("seat", -w/2, s-0.05*s, -d/2, w/2, s, d/2)
	b.box("backrest", -w/2, s, -d/2, w/2, h, -d/2+0.06*d)
	legs(b, s*0.95, w, d)
}

func legs(b *builder, h, w, d float64) {
	t := min(w, d) * 0.07
	for k, n := range []string{"leg_fl", "leg_fr", "leg_rl", "leg_rr"} {
		x, z := pick(k&1 != 0, w/2-t, -w/2), pick(k&2 != 0, -d/2, d/2-t)
		b.box(n, x, 0, z, x+t, h, z+t)
	}
}

func top(b *builder, h, w, d float64) {
	b.box("table_top", -w/2, h*0.95, -d/2, w/2, h, d/2)
	legs(b, h*0.95, w, d)
}

func couch(b *builder, h, w, d float64) {
	b.box("base", -w/2, 0.1*h, -d/2, w/2, 0.5*h, d/2)
	b.box("back_cushion", -w/2, 0.5*h, -d/2, w/2, h, -d/4)
	b.box("armrest_l", -w/2, 0.5*h, -d/4, -w/2+0.12*w, 0.72*h, d/2)
	b.box("armrest_r", w/2-0.12*w, 0.5*h, -d/4, w/2, 0.72*h, d/2)
	legs(b, 0.1*h, w, d)
}

func cupboard(b *builder, h, w, d float64) {
	b.box("body", -w/2, 0.05*h, -d/2, w/2, h, d*0.46)
	b.box("door_panel_l", -w/2, 0.06*h, d*0.46, 0, h*0.98, d/2)
	b.box("door_panel_r", 0, 0.06*h, d*0.46, w/2, h*0.98, d/2)
	b.box("plinth", -w/2*0.95, 0, -d/2, w/2*0.95, 0.05*h, d*0.42)
}

func boards(b *builder, h, w, d float64) {
	b.box("side_panel_l", -w/2, 0, -d/2, -w/2+0.02*w, h, d/2)
	b.box("side_panel_r", w/2-0.02*w, 0, -d/2, w/2, h, d/2)
	for k := range 5 {
		y := 0.03*h + float64(k)*0.94*h/4
		b.box("shelf_board", -w/2, y, -d/2, w/2, y+0.02*h, d/2)
	}
}

func block(b *builder, h, w, d float64) { b.box("body", -w/2, 0, -d/2, w/2, h, d/2) }

func chestOf(b *builder, h, w, d float64) {
	b.box("body", -w/2, 0, -d/2, w/2, 0.8*h, d/2)
	b.box("lid", -w/2*1.0, 0.8*h, -d/2, w/2, h, d/2)
}

func vessel(b *builder, h, w, d float64) {
	b.turned("body", 0, 0, 0, w*0.44, 0.1*h, w/2, 0.55*h, w/2, 0.72*h, w*0.2, h*0.95, w*0.17)
	b.turned("cork", 0, 0, 0.95*h, w*0.14, h, w*0.14)
}

func mugOf(b *builder, h, w, d float64) {
	r := d / 2
	b.turned("body", 0, 0, 0, r*0.9, h, r)
	b.box("handle", r*0.95, h*0.25, -r*0.1, w-r, h*0.8, r*0.1)
}

func tub(b *builder, h, w, d float64) {
	b.turned("body", 0, 0, 0, w*0.4, h*0.5, w*0.5, h, w*0.45)
}

func poleLamp(b *builder, h, w, d float64) {
	b.turned("base_plate", 0, 0, 0, d/2, 0.03*h, d/2)
	b.turned("pole", 0, 0, 0.03*h, d*0.15, 0.9*h, d*0.1)
	b.box("lamp_head", -d*0.2, 0.9*h, -d*0.3, w-d/2, h, d*0.3)
}

func shadeLamp(b *builder, h, w, d float64) {
	b.turned("base", 0, 0, 0, w*0.35, 0.05*h, w*0.3)
	b.turned("stem", 0, 0, 0.05*h, w*0.05, 0.65*h, w*0.05)
	b.turned("lampshade", 0, 0, 0.6*h, w*0.5, h, w*0.32)
}

func sheet(b *builder, h, w, d float64) { b.box("sheet", -w/2, 0, -d/2, w/2, h, d/2) }

func leafOf(b *builder, h, w, d float64) { // a door or window: leaf, frame, handle
	t := 0.06 * w
	b.box("frame_l", -w/2, 0, -d/2, -w/2+t, h, d/2)
	b.box("frame_r", w/2-t, 0, -d/2, w/2, h, d/2)
	b.box("frame_top", -w/2, h-t, -d/2, w/2, h, d/2)
	b.box("leaf", -w/2+t, 0.005*h, -d/4, w/2-t, h-t, d/4)
	b.box("handle", w/2-2.5*t, h*0.48, -d/2, w/2-1.5*t, h*0.51, d/2)
}

func wheeled(b *builder, h, w, d float64) { // long along z = d
	r := h * 0.22
	b.box("body", -w/2, r, -d/2, w/2, h*0.62, d/2)
	b.box("cabin", -w*0.45, h*0.62, -d*0.3, w*0.45, h, d*0.2)
	for k, n := range []string{"wheel_fl", "wheel_fr", "wheel_rl", "wheel_rr"} {
		b.disc(n, pick(k&1 != 0, w/2-0.06*w, -w/2+0.06*w), r, pick(k&2 != 0, -d*0.32, d*0.32), r, 0.12*w)
	}
}

func twoWheels(b *builder, h, w, d float64) {
	r := h * 0.32
	b.disc("wheel_front", 0, r, d/2-r, r, w*0.1)
	b.disc("wheel_rear", 0, r, -d/2+r, r, w*0.1)
	b.box("frame", -w*0.05, r, -d*0.3, w*0.05, h*0.8, d*0.3)
	b.box("handlebar", -w/2, h*0.95, d*0.25, w/2, h, d*0.3)
	b.box("saddle", -w*0.15, h*0.85, -d*0.3, w*0.15, h*0.9, -d*0.12)
}

func grown(b *builder, h, w, d float64) {
	b.turned("trunk", 0, 0, 0, w*0.05, 0.5*h, w*0.035)
	b.turned("leaves", 0, 0, 0.3*h, w*0.25, 0.5*h, w*0.5, 0.75*h, w*0.42, h, w*0.08)
}

func spruce(b *builder, h, w, d float64) {
	b.turned("trunk", 0, 0, 0, w*0.05, 0.15*h, w*0.05)
	b.turned("needles", 0, 0, 0.1*h, w*0.5, h, w*0.01)
}

func bushy(b *builder, h, w, d float64) {
	b.turned("leaves", 0, 0, 0, w*0.35, 0.4*h, w*0.5, 0.8*h, w*0.4, h, w*0.15)
}

func potted(b *builder, h, w, d float64) {
	b.turned("pot", 0, 0, 0, w*0.22, 0.3*h, w*0.3)
	b.turned("leaves", 0, 0, 0.3*h, w*0.1, 0.7*h, w*0.5, h, w*0.2)
}

func lump(b *builder, h, w, d float64) {
	b.turned("stone", 0, 0, 0, w*0.42, 0.35*h, w*0.5, 0.8*h, w*0.33, h, w*0.1)
}

func standing(b *builder, h, w, d float64) {
	b.turned("legs", 0, 0, 0, w*0.25, 0.47*h, w*0.3)
	b.turned("torso", 0, 0, 0.47*h, w*0.3, 0.82*h, w*0.42)
	b.box("arm_l", -w/2, 0.45*h, -d*0.3, -w*0.36, 0.82*h, d*0.3)
	b.box("arm_r", w*0.36, 0.45*h, -d*0.3, w/2, 0.82*h, d*0.3)
	b.turned("head", 0, 0, 0.85*h, w*0.1, 0.93*h, w*0.17, h, w*0.08)
	b.box("shoes", -w*0.25, 0, -d*0.3, w*0.25, 0.05*h, d/2)
}

func fourLegged(b *builder, h, w, d float64) { // long along z
	b.box("body", -w/2, 0.4*h, -d*0.4, w/2, 0.78*h, d*0.3)
	b.box("head", -w*0.25, 0.7*h, d*0.28, w*0.25, h, d/2)
	b.box("tail", -w*0.06, 0.5*h, -d/2, w*0.06, 0.75*h, -d*0.38)
	for k, n := range []string{"leg_fl", "leg_fr", "leg_hl", "leg_hr"} {
		x, z := pick(k&1 != 0, w*0.28, -w*0.48), pick(k&2 != 0, -d*0.38, d*0.2)
		b.box(n, x, 0, z, x+w*0.2, 0.42*h, z+d*0.07)
	}
}

func roofed(b *builder, h, w, d float64) {
	b.box("walls", -w/2, 0, -d/2, w/2, h*0.6, d/2)
	p := []float32{float32(-w / 2), float32(0.6 * h), float32(-d / 2), float32(w / 2), float32(0.6 * h),
		float32(-d / 2),
		float32(w / 2), float32(0.6 * h), float32(d / 2), float32(-w / 2), float32(0.6 * h), float32(d / 2),
		float32(-w / 2),
		float32(h), 0, float32(w / 2), float32(h), 0}
	b.body("roof", p, []uint32{0, 1, 5, 0, 5, 4, 2, 3, 4, 2, 4, 5, 0, 4, 3, 1, 2, 5})
	b.box("front_door", -0.5, 0, d/2, 0.5, 2.05, d/2+0.06)
}

func shaft(b *builder, h, w, d float64) {
	b.box("base", -w/2, 0, -d/2, w/2, 0.06*h, d/2)
	b.turned("shaft", 0, 0, 0.06*h, w*0.42, 0.92*h, w*0.36)
	b.box("capital", -w/2, 0.92*h, -d/2, w/2, h, d/2)
}

func flight(b *builder, h, w, d float64) {
	n := max(int(h/0.175), 2)
	for k := range n {
		z := -d/2 + d*float64(k)/float64(n)
		b.box("step", -w/2, 0, z, w/2, h*float64(k+1)/float64(n), z+d/float64(n))
	}
}

func pickets(b *builder, h, w, d float64) {
	n := int(w / 0.15)
	for k := range n {
		x := -w/2 + w*float64(k)/float64(n)
		b.box("picket", x, 0, -d/4, x+0.09, h, d/4)
	}
	b.box("rail", -w/2, 0.3*h, -d/2, w/2, 0.36*h, d/2)
	b.box("rail", -w/2, 0.75*h, -d/2, w/2, 0.81*h, d/2)
}

func screenOf(b *builder, h, w, d float64) {
	b.box("screen", -w/2, 0.15*h, -d*0.1, w/2, h, d*0.1)
	b.box("stand", -w*0.08, 0.03*h, -d*0.1, w*0.08, 0.15*h, d*0.1)
	b.box("base", -w*0.25, 0, -d/2, w*0.25, 0.03*h, d/2)
}

func stick(b *builder, h, w, d float64) { // lies along x
	b.box("handle", -w/2, h*0.3, -d*0.15, w*0.3, h*0.7, d*0.15)
	b.box("head", w*0.3, 0, -d/2, w/2, h, d/2)
}

func ballOf(b *builder, h, w, d float64) {
	var rings []float64
	for k := 0; k <= 8; k++ {
		s, c := math.Sincos(math.Pi * float64(k) / 8)
		rings = append(rings, h/2-h/2*c, max(w/2*s, 0.001*w))
	}
	b.turned("panel", 0, 0, rings...)
}

func bowlOf(b *builder, h, w, d float64) {
	b.turned("bowl", 0, 0, 0, w*0.3, h*0.4, w*0.44, h, w/2)
}

func suitcaseOf(b *builder, h, w, d float64) {
	b.box("shell", -w/2, 0.04*h, -d/2, w/2, 0.93*h, d/2)
	b.box("handle", -w*0.15, 0.93*h, -d*0.08, w*0.15, h, d*0.08)
	for k := range 4 {
		x, z := pick(k&1 != 0, w*0.4, -w*0.46), pick(k&2 != 0, -d*0.45, d*0.3)
		b.box("wheel", x, 0, z, x+0.05*w, 0.05*h, z+0.05*w)
	}
}

func openBox(b *builder, h, w, d float64) {
	t := 0.03 * w
	b.box("bottom_plank", -w/2, 0, -d/2, w/2, t, d/2)
	for k := range 4 {
		y := t + (h-t)*float64(k)/4
		b.box("slat", -w/2, y, -d/2, w/2, y+(h-t)/5, -d/2+t)
		b.box("slat", -w/2, y, d/2-t, w/2, y+(h-t)/5, d/2)
	}
	b.box("side_plank", -w/2, 0, -d/2, -w/2+t, h, d/2)
	b.box("side_plank", w/2-t, 0, -d/2, w/2, h, d/2)
}

func bedOf(b *builder, h, w, d float64) {
	b.box("bed_frame", -w/2, 0.15*h, -d/2, w/2, 0.35*h, d/2)
	b.box("mattress", -w*0.47, 0.35*h, -d*0.46, w*0.47, 0.55*h, d*0.48)
	b.box("headboard", -w/2, 0, -d/2, w/2, h, -d*0.47)
	b.box("pillow", -w*0.3, 0.55*h, -d*0.44, w*0.3, 0.65*h, -d*0.25)
	legs(b, 0.15*h, w, d)
}

func railway(b *builder, h, w, d float64) {
	b.box("coach_body", -w/2, 0.26*h, -d/2, w/2, h, d/2)
	b.box("bogie_front", -w*0.4, 0.1*h, d*0.25, w*0.4, 0.26*h, d*0.4)
	b.box("bogie_rear", -w*0.4, 0.1*h, -d*0.4, w*0.4, 0.26*h, -d*0.25)
	for k := range 8 {
		b.disc("wheel", pick(k&1 != 0, 0.75, -0.75), 0.46, pick(k&2 != 0, d*0.37, d*0.28)*pick(k&4 != 0, -1, 1), 0.46,
			0.13)
	}
	b.box("buffer_l", -w*0.35, 0.24*h, d/2, -w*0.25, 0.3*h, d/2+0.4)
}

func hull(b *builder, h, w, d float64) {
	p := []float32{0, 0, float32(-d / 2), 0, 0, float32(d * 0.45), float32(-w / 2), float32(h), float32(-d / 2),
		float32(w / 2), float32(h), float32(-d / 2), 0, float32(h), float32(d / 2), float32(-w / 2), float32(h),
		float32(d * 0.1), float32(w / 2), float32(h), float32(d * 0.1)}
	b.body("hull", p, []uint32{0, 1, 5, 0, 5, 2, 0, 6, 1, 0, 3, 6, 1, 4, 5, 1, 6, 4, 0, 2, 3})
	b.box("thwart", -w*0.4, h*0.7, -0.1, w*0.4, h*0.75, 0.15)
	b.box("oar", -w*0.3, h*0.76, -d*0.25, -w*0.26, h*0.8, d*0.25)
}

var truth = []thing{
	{"chair", 0.88, 0.46, 0.52, seat,
		"dining_chair chair_old stuhl_holz chaise_cuisine silla01 chr_02 WoodenChair sedia", ""},
	{"armchair", 0.86, 0.84, 0.82, couch, "armchair LeatherArmchair sessel fauteuil_club", ""},
	{"office chair", 1.05, 0.66, 0.66, seat, "office_chair swivelChair buerostuhl",
		"seat lumbar caster caster gas_lift caster"},
	{"sofa", 0.82, 2.1, 0.92, couch, "sofa_3seat couch CanapeGris divano divan_02", ""},
	{"bench", 0.8, 1.6, 0.6, seat, "park_bench bench_a banc_public Parkbank",
		"seat_plank backrest bench_leg bench_leg bench_leg bench_leg"},
	{"stool", 0.46, 0.36, 0.36, top, "stool hocker_rund tabouret", "seat rung leg leg leg"},
	{"bar stool", 0.78, 0.4, 0.42, top, "barstool bar_stool_chrome barhocker",
		"seat footrest column footrest footrest"},
	{"table", 0.75, 1.6, 0.9, top, "dining_table tbl_oak esstisch mesa_madera kitchenTable", ""},
	{"coffee table", 0.42, 1.1, 0.6, top, "coffee_table couchtisch CoffeeTableGlass", ""},
	{"desk", 0.74, 1.4, 0.7, top, "writing_desk schreibtisch desk_02", "desktop drawer drawer desk_leg desk_leg"},
	{"wardrobe", 2.1, 1.5, 0.6, cupboard, "wardrobe kleiderschrank closet_white",
		"body wardrobe_door wardrobe_door hanger_rail"},
	{"cabinet", 0.85, 1.2, 0.45, cupboard, "sideboard kommode cabinet_low dresser credenza", "body drawer drawer knob"},
	{"shelf", 1.9, 0.8, 0.3, boards, "bookshelf buecherregal Bookcase_tall etagere", ""},
	{"fridge", 1.8, 0.6, 0.65, cupboard, "fridge kuehlschrank refrigerator_steel frigo",
		"body fridge_door fridge_door handle"},
	{"washing machine", 0.85, 0.6, 0.6, block, "washing_machine waschmaschine lave_linge", "drum"},
	{"bed", 1.0, 1.6, 2.08, bedOf, "double_bed bett_alt cama_doble bed01", ""},
	{"bathtub", 0.58, 1.7, 0.75, tubLong, "bathtub badewanne baignoire", "tub overflow"},
	{"toilet", 0.76, 0.37, 0.66, seat, "toilet wc_modern toilette", "toilet_seat cistern foot foot foot foot"},
	{"washbasin", 0.85, 0.56, 0.46, basin, "washbasin waschbecken lavabo", "pedestal basin tap"},
	{"door", 2.1, 0.95, 0.12, leafOf, "door_wood front_door tuer_alt porte puerta", ""},
	{"window", 1.3, 1.1, 0.1, leafOf, "window_old fenster_2fl wnd_b fenetre", "sash sash pane pane sill"},
	{"wall", 2.8, 4.0, 0.25, block, "wall_segment mauer wall_plain", "plaster"},
	{"column", 3.4, 0.5, 0.5, shaft, "column_doric saeule pillar_01", ""},
	{"stairs", 2.6, 1.1, 3.6, flight, "stairs_wood treppe staircase escalier", ""},
	{"fence", 1.1, 2.4, 0.1, pickets, "picket_fence zaun_weiss wooden_fence", ""},
	{"house", 7.2, 11.0, 8.5, roofed, "house_small haus farmhouse Cottage casa_rural", ""},
	{"shed", 2.4, 2.6, 2.1, roofed, "garden_shed shed_old schuppen", ""},
	{"church", 24, 16, 34, roofed, "church kirche_dorf eglise", "nave steeple bell_tower"},
	{"lighthouse", 26, 7.5, 7.5, shaft, "lighthouse leuchtturm phare", "gallery tower lantern_room"},
	{"fountain", 1.8, 3.2, 3.2, bowlOf, "fountain brunnen fuente", "basin"},
	{"statue", 2.2, 0.9, 0.8, standing, "statue_marble statue statua", ""},
	{"street lamp", 5.2, 1.1, 0.35, poleLamp, "street_lamp strassenlaterne lamp_post streetLight lampadaire", ""},
	{"floor lamp", 1.62, 0.42, 0.42, shadeLamp, "floor_lamp stehlampe StandingLamp", ""},
	{"table lamp", 0.48, 0.3, 0.3, shadeLamp, "table_lamp desk_lamp tischlampe lampe_chevet", ""},
	{"lantern", 0.32, 0.18, 0.18, tub, "oil_lantern lantern_rusty laterne", "burner"},
	{"traffic cone", 0.52, 0.32, 0.32, spruce, "traffic_cone leitkegel", "base stripe"},
	{"road sign", 2.4, 0.65, 0.08, poleLamp, "road_sign stop_sign verkehrsschild", "post post plate"},
	{"bin", 0.9, 0.5, 0.5, tub, "trash_can litter_bin muelleimer poubelle GarbageBin", "liner"},
	{"fire hydrant", 0.78, 0.38, 0.34, shaft, "fire_hydrant hydrant_red", "nozzle cap chain"},
	{"mailbox", 1.2, 0.42, 0.38, block, "mailbox briefkasten post_box", "flap"},
	{"planter", 0.5, 0.8, 0.5, openBox, "planter blumenkasten flower_box", ""},
	{"power pole", 9.0, 2.0, 0.4, poleLamp, "power_pole telegraph_pole strommast", "pole pole cross_arm"},
	{"car", 1.45, 1.8, 4.4, wheeled, "car_sedan auto_rot voiture hatchback coche taxi",
		"bonnet windshield wheel_fl wheel_fr wheel_rl wheel_rr"},
	{"truck", 3.4, 2.5, 8.2, wheeled, "truck_old lkw camion lorry", "trailer cab wheel axle wheel axle"},
	{"bus", 3.1, 2.55, 12.0, wheeled, "city_bus bus_02 autobus",
		"seat_row windshield wheel_fl wheel_fr wheel_rl wheel_rr"},
	{"bicycle", 1.05, 0.58, 1.75, twoWheels, "bicycle fahrrad velo_ville bike_old", ""},
	{"motorcycle", 1.12, 0.78, 2.15, twoWheels, "motorcycle motorrad moto_classic",
		"wheel_front wheel_rear exhaust handlebar tank"},
	{"railcar", 3.8, 2.85, 19.0, railway, "train_wagon railcar locomotive triebwagen", ""},
	{"boat", 0.9, 1.5, 4.2, hull, "rowing_boat ruderboot barca_remi dinghy", ""},
	{"barrow", 0.62, 0.62, 1.4, barrowOf, "wheelbarrow schubkarre brouette", ""},
	{"shipping container", 2.59, 2.44, 6.06, chestOf, "shipping_container cargo_container seecontainer",
		"corrugated container_door"},
	{"person", 1.78, 0.52, 0.3, standing, "man_standing woman_walking person_a mann traveller", ""},
	{"child", 1.15, 0.36, 0.24, standing, "child_girl kid_01 enfant", ""},
	{"horse", 1.75, 0.55, 2.3, fourLegged, "horse_brown pferd cheval caballo", "body mane tail hoof hoof hoof hoof"},
	{"dog", 0.62, 0.24, 0.9, fourLegged, "dog_retriever hund chien perro", "body snout tail paw paw paw paw"},
	{"cat", 0.3, 0.15, 0.52, fourLegged, "cat_sitting katze gato", "body whisker tail paw paw paw paw"},
	{"cow", 1.45, 0.7, 2.3, fourLegged, "cow kuh_schwarz vache", "udder horn tail hoof hoof hoof hoof"},
	{"tree", 9.0, 6.0, 6.0, grown, "oak_tree baum_alt birch_02 arbre_vert treeBig", ""},
	{"conifer", 14.0, 5.0, 5.0, spruce, "pine_tree spruce fichte fir_b sapin", ""},
	{"bush", 1.3, 1.5, 1.5, bushy, "bush_a strauch shrub_dense", ""},
	{"houseplant", 0.9, 0.6, 0.6, potted, "potted_plant zimmerpflanze houseplant ficus", ""},
	{"rock", 0.8, 1.3, 1.2, lump, "rock_moss boulder_03 stein felsen", "moss"},
	{"mushroom", 0.1, 0.09, 0.09, mushroomOf, "mushroom pilz_rot champignon", ""},
	{"television", 0.75, 1.23, 0.25, screenOf, "television tv_flat fernseher", ""},
	{"monitor", 0.46, 0.6, 0.2, screenOf, "monitor bildschirm computer_monitor", ""},
	{"laptop", 0.02, 0.34, 0.24, sheet, "laptop laptop_closed ordinateur_portable", "touchpad"},
	{"phone", 0.009, 0.075, 0.155, sheet, "smartphone phone_black handy", "camera_lens"},
	{"microwave", 0.29, 0.5, 0.38, block, "microwave mikrowelle", "turntable"},
	{"kettle", 0.24, 0.22, 0.16, mugOf, "kettle wasserkocher bouilloire", "spout lid"},
	{"bottle", 0.3, 0.076, 0.076, vessel, "wine_bottle flasche bottle_green botella", ""},
	{"cup", 0.095, 0.12, 0.083, mugOf, "coffee_mug tasse cup_white taza", "saucer handle"},
	{"plate", 0.025, 0.27, 0.27, bowlOf, "dinner_plate teller assiette", "rim"},
	{"bowl", 0.08, 0.16, 0.16, bowlOf, "bowl_wood schale cuenco", ""},
	{"pot", 0.18, 0.34, 0.24, mugOf, "cooking_pot kochtopf saucepan", "lid knob"},
	{"knife", 0.02, 0.31, 0.028, stick, "kitchen_knife messer couteau", "handle blade"},
	{"vase", 0.34, 0.17, 0.17, vessel, "vase_blue vase_ceramic wazon", "neck rim"},
	{"bucket", 0.3, 0.29, 0.29, bowlOf, "bucket_zinc eimer seau", "pail"},
	{"basket", 0.3, 0.45, 0.35, openBox, "wicker_basket korb panier", "wicker wicker"},
	{"crate", 0.5, 0.8, 0.6, openBox, "wooden_crate holzkiste crate_b", ""},
	{"box", 0.3, 0.4, 0.3, chestOf, "cardboard_box karton carton_brown", "flap tape"},
	{"barrel", 0.9, 0.6, 0.6, tub, "wine_barrel fass barrel_oak tonneau", "stave"},
	{"pallet", 0.144, 1.2, 0.8, openBox, "euro_pallet pallet palette_bois", "board board"},
	{"suitcase", 0.66, 0.44, 0.26, suitcaseOf, "suitcase_leather koffer valise maleta", ""},
	{"chest", 0.58, 0.95, 0.55, chestOf, "treasure_chest truhe coffre", "body lid"},
	{"backpack", 0.5, 0.32, 0.22, block, "backpack rucksack mochila", "strap"},
	{"oil drum", 0.88, 0.585, 0.585, tub, "oil_drum oelfass metal_barrel", "bung"},
	{"hammer", 0.13, 0.33, 0.035, stick, "hammer_claw hammer marteau", "claw handle"},
	{"shovel", 0.12, 1.25, 0.24, stick, "shovel schaufel spade", "handle blade"},
	{"sword", 0.03, 1.02, 0.16, stick, "sword_long schwert espada", "blade hilt"},
	{"helmet", 0.26, 0.3, 0.24, lump, "helmet_knight hard_hat helm", "visor"},
	{"fire extinguisher", 0.54, 0.22, 0.16, vessel, "fire_extinguisher feuerloescher", "hose nozzle"},
	{"book", 0.03, 0.22, 0.15, sheet, "book_closed buch_alt old_book", "pages"},
	{"picture", 0.6, 0.8, 0.03, leafOf, "picture_frame painting_02 gemaelde", "canvas frame frame frame glass"},
	{"wall clock", 0.32, 0.32, 0.05, leafOf, "wall_clock wanduhr", "dial minute_hand hour_hand dial dial"},
	{"shoe", 0.11, 0.11, 0.29, block, "sneaker boot_left schuh", "sole"},
	{"ball", 0.22, 0.22, 0.22, ballOf, "soccer_ball football_ball fussball", "panel"},
	{"piano", 1.15, 1.5, 0.6, block, "upright_piano klavier", "keyboard_lid"},
	{"guitar", 0.11, 0.4, 1.02, stick, "acoustic_guitar gitarre", "fret tuning_peg"},
	{"radiator", 0.6, 1.0, 0.1, block, "radiator heizkoerper", "thermostat"},
	{"rug", 0.012, 2.4, 1.6, sheet, "persian_rug teppich rug_round", "fringe"},
	{"tent", 1.3, 2.2, 1.8, roofedLow, "camping_tent zelt", "canvas peg"},
	{"apple", 0.078, 0.08, 0.08, ballOf, "apple_red apfel", "skin"},
	{"brick", 0.071, 0.24, 0.115, block, "brick_single ziegel", "frog"},
}

func tubLong(b *builder, h, w, d float64) {
	b.box("tub", -w/2, 0, -d/2, w/2, h, d/2)
	b.box("overflow", w/2-0.05, 0.8*h, -0.03, w/2, 0.85*h, 0.03)
}

func basin(b *builder, h, w, d float64) {
	b.box("pedestal", -w*0.15, 0, -d*0.2, w*0.15, 0.75*h, d*0.1)
	b.box("basin", -w/2, 0.75*h, -d/2, w/2, 0.92*h, d/2)
	b.box("tap", -0.02, 0.92*h, -d*0.4, 0.02, h, -d*0.2)
}

func barrowOf(b *builder, h, w, d float64) {
	b.disc("wheel", 0, 0.19, d/2-0.19, 0.19, 0.09)
	b.box("tray", -w/2, 0.3*h, -d*0.15, w/2, h, d*0.35)
	b.box("handle_l", -w*0.4, 0.6*h, -d/2, -w*0.35, 0.65*h, -d*0.15)
	b.box("handle_r", w*0.35, 0.6*h, -d/2, w*0.4, 0.65*h, -d*0.15)
	b.box("leg_l", -w*0.3, 0, -d*0.15, -w*0.25, 0.4*h, -d*0.1)
	b.box("leg_r", w*0.25, 0, -d*0.15, w*0.3, 0.4*h, -d*0.1)
}

func mushroomOf(b *builder, h, w, d float64) {
	b.turned("stem", 0, 0, 0, w*0.18, 0.6*h, w*0.15)
	b.turned("cap", 0, 0, 0.55*h, w*0.5, 0.85*h, w*0.35, h, w*0.05)
}

func roofedLow(b *builder, h, w, d float64) {
	p := []float32{float32(-w / 2), 0, float32(-d / 2), float32(w / 2), 0, float32(-d / 2), float32(w / 2), 0,
		float32(d / 2), float32(-w / 2), 0, float32(d / 2), float32(-w / 2), float32(h), 0, float32(w / 2), float32(h),
		0}
	b.body("canvas", p, []uint32{0, 1, 5, 0, 5, 4, 2, 3, 4, 2, 4, 5, 0, 4, 3, 1, 2, 5})
	b.box("peg", -w/2, 0, -0.02, -w/2+0.02, 0.1, 0.02)
}

// want is what is right for a sample.
type want struct {
	metres float64
	up     model.Axis
}

// statement is how a sample's file states its unit.
type statement struct {
	format  string
	unit    model.Unit
	up      model.Axis
	metres  []float64  // what it may really be in
	really  [3]float64 // weights of X, Y and Z being up
	weights []float64  // of metres, up to their sum
}

// What suppliers' files state and what they really are (memory).
var statements = []statement{
	{"OBJ", model.Unit{Name: "metre", MetresPerUnit: 1, From: "assumed"}, "Y", []float64{1, 0.01, 0.001, 0.0254,
		0.3048}, [3]float64{0, 2, 1}, []float64{4, 4, 1.5, 1, 0.5}},
	{"STL", model.Unit{Name: "millimetre", MetresPerUnit: 0.001, From: "assumed"}, "Z", []float64{0.001, 0.0254, 0.01,
		1}, [3]float64{0, 1, 2}, []float64{6, 1.5, 1, 1}},
	{"PLY", model.Unit{Name: "metre", MetresPerUnit: 1, From: "assumed"}, "Y", []float64{1, 0.001, 0.01},
		[3]float64{0, 1, 1}, []float64{5, 2, 1.5}},
	{"GLB", model.Unit{Name: "metre", MetresPerUnit: 1, From: "format"}, "Y", []float64{1, 0.01, 0.001, 0.0254},
		[3]float64{0, 15, 1}, []float64{7, 1.5, 0.5, 0.5}},
	{"COLLADA", model.Unit{Name: "centimetre", MetresPerUnit: 0.01, From: "header"}, "Z",
		[]float64{0.01, 1, 0.001, 0.0254}, [3]float64{0, 1, 15}, []float64{7, 1.5, 0.5, 0.7}},
}

// want draws what a supplier's files really are.
func (st *statement) want(rng *rand.Rand) want {
	return want{st.metres[draw(rng, st.weights)], axes[draw(rng, st.really[:])]}
}

func draw(rng *rand.Rand, weights []float64) int {
	sum := 0.0
	for _, w := range weights {
		sum += w
	}
	at := rng.Float64() * sum
	for i, w := range weights {
		if at -= w; at < 0 {
			return i
		}
	}
	return len(weights) - 1
}

// make builds a sample of a thing: a little larger or smaller than it, turned
// about its height, in a unit and with an axis that its file may not state.
// naming is "named", "parts" or "nothing".
func (t *thing) make(rng *rand.Rand, st *statement, w want, naming string) *Subject {
	vary := func(v, by float64) float64 { return v * math.Exp(rng.NormFloat64()*by) }
	all := vary(1, 0.06)
	b := &builder{m: &model.Model{}, rng: rng}
	t.build(b, vary(t.h, 0.04)*all, vary(t.w, 0.04)*all, vary(t.d, 0.04)*all)
	b.m.Format, b.m.Unit, b.m.Up = st.format, st.unit, st.up
	turn := geom.Compose(geom.V{}, geom.Turn(geom.V{Y: 1}, float64(rng.IntN(4))*math.Pi/2), geom.V{X: 1, Y: 1, Z: 1})
	back := model.UpTurn(w.up)
	inverse, _ := back.Affine()
	top := geom.Scaling(1 / w.metres).Mul(inverse).Mul(turn).Mul(geom.Translation(geom.V{X: rng.Float64(),
		Z: rng.Float64()}))
	names := strings.Fields(t.parts)
	for i := range b.m.Nodes {
		b.m.Nodes[i].Local = top
		mesh := &b.m.Meshes[i]
		switch {
		case naming != "parts":
			mesh.Name = fmt.Sprintf("Object_%d", i)
		case len(names) > 0:
			mesh.Name = names[i%len(names)]
		}
		mesh.Parts[0].Name, b.m.Nodes[i].Name = mesh.Name, mesh.Name
	}
	name := fmt.Sprintf("asset_%04d.%s", rng.IntN(10000), strings.ToLower(st.format))
	if naming == "named" {
		list := strings.Fields(t.names)
		name = list[rng.IntN(len(list))] + "." + strings.ToLower(st.format)
	}
	return SubjectOf(b.m, name)
}
