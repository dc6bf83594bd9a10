package surface

import (
	"image"
	"image/color"
	"math"
	"strings"

	"visator/core/finish"
	"visator/core/geom"
)

// Finish is a material that everybody has at hand; its pictures are drawn when it is taken.
type Finish struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Group    string   `json:"group"`
	Material Material `json:"material"` // without its pictures
	draw     func(u, v float64) spot
	deep     float64 // how strong its bumps are
}

// spot is a place of a pattern: which of its colours, mixed, and how high.
type spot struct {
	color geom.V
	high  float64
}

// Painted says whether it has pictures.
func (f *Finish) Painted() bool { return f.draw != nil }

// finishSide is how many texels the pictures of a finish have along each side: two millimetres on half a metre.
const finishSide = 256

// Pictures draws what the finish looks like over one repeat: its colour and its normals (green up).
func (f *Finish) Pictures() (base, normal *image.NRGBA) {
	const n = finishSide
	base, normal = image.NewNRGBA(image.Rect(0, 0, n, n)), image.NewNRGBA(image.Rect(0, 0, n, n))
	high := make([]float64, n*n)
	for y := range n {
		for x := range n {
			s := f.draw((float64(x)+0.5)/n, (float64(y)+0.5)/n)
			high[y*n+x] = s.high
			of := func(c float64) uint8 { return uint8(math.Round(255 * finish.Encode(min(max(c, 0), 1)))) }
			base.SetNRGBA(x, y, color.NRGBA{of(s.color.X), of(s.color.Y), of(s.color.Z), 255})
		}
	}
	at := func(x, y int) float64 { return high[(y+n)%n*n+(x+n)%n] }
	for y := range n {
		for x := range n {
			d := geom.V{X: (at(x-1, y) - at(x+1, y)) * f.deep, Y: (at(x, y+1) - at(x, y-1)) * f.deep, Z: 1}.Unit()
			of := func(c float64) uint8 { return uint8(math.Round(255 * (c + 1) / 2)) }
			normal.SetNRGBA(x, y, color.NRGBA{of(d.X), of(d.Y), of(d.Z), 255})
		}
	}
	return base, normal
}

// swell is noise of some sizes over a repeat, from 0 to 1: wide and tall cells of the largest.
func swell(u, v float64, wide, tall, sizes int, seed uint64) float64 {
	sum, k, all := 0.0, 1.0, 0.0
	for range sizes {
		x, y := u*float64(wide), v*float64(tall)
		i, j := math.Floor(x), math.Floor(y)
		a, b := x-i, y-j
		a, b = a*a*(3-2*a), b*b*(3-2*b)
		at := func(p, q int) float64 {
			h := uint64((int(i)+p)%wide)*0x9e3779b97f4a7c15 ^ uint64((int(j)+q)%tall)*0xc2b2ae3d27d4eb4f
			h ^= seed * 0x165667b19e3779f9
			h ^= h >> 31
			h *= 0xd6e8feb86659fd93
			h ^= h >> 29
			h *= 0xd6e8feb86659fd93
			return float64(h>>11) / (1 << 53)
		}
		sum += k * ((at(0, 0)*(1-a)+at(1, 0)*a)*(1-b) + (at(0, 1)*(1-a)+at(1, 1)*a)*b)
		all += k
		wide, tall, k, seed = 2*wide, 2*tall, k/2, seed+7
	}
	return sum / all
}

func colorOf(hex string) geom.V { c, _ := ParseColor(hex); return c }

// grain is boards of wood that run along u.
func grain(dark, light string, boards int, seed uint64) func(u, v float64) spot {
	a, b := colorOf(dark), colorOf(light)
	return func(u, v float64) spot {
		board := math.Floor(v * float64(boards))
		in := v*float64(boards) - board
		shift := swell(board/float64(boards), 0.5, boards, 1, 1, seed+3)
		u = math.Mod(u+shift, 1)
		rings := swell(u, v, 2, 12*boards, 3, seed+uint64(board))
		m := 0.5 + 0.5*math.Sin(22*rings+6*swell(u, v, 3, 3*boards, 2, seed+9))
		m = 0.25*shift + 0.75*(0.6*m+0.4*swell(u, v, 4, 48*boards, 2, seed+5))
		c := a.Lerp(b, m)
		high := 0.7 + 0.15*m
		if edge := min(in, 1-in); boards > 1 && edge < 0.025 {
			c, high = c.Mul(0.35), 0.2
		}
		return spot{c, high}
	}
}

// speckle is grains of two colours.
func speckle(dark, light string, cells, sizes int, sharp float64, seed uint64) func(u, v float64) spot {
	a, b := colorOf(dark), colorOf(light)
	return func(u, v float64) spot {
		x := swell(u, v, cells, cells, sizes, seed)
		m := min(max((x-0.5)*sharp+0.5, 0), 1)
		return spot{a.Lerp(b, m), x}
	}
}

// veins are of marble.
func veins(ground, vein string, many int, seed uint64) func(u, v float64) spot {
	a, b := colorOf(ground), colorOf(vein)
	return func(u, v float64) spot {
		w := swell(u, v, 3, 3, 4, seed)
		line := math.Abs(math.Sin(math.Pi * (float64(many)*(u+v) + 3*w)))
		m := math.Pow(1-line, 6) * (0.4 + 0.6*swell(u, v, 5, 5, 2, seed+4))
		return spot{a.Mul(0.92+0.16*w).Lerp(b, m), 0.5}
	}
}

// blocks are bricks, tiles and slabs: so many rows and in each so many, with a joint between them.
func blocks(one, other, joint string, rows, each int, gap, shift float64, seed uint64) func(u, v float64) spot {
	a, b, c := colorOf(one), colorOf(other), colorOf(joint)
	return func(u, v float64) spot {
		row := math.Floor(v * float64(rows))
		x := u*float64(each) + shift*math.Mod(row, 2)
		in, up := x-math.Floor(x), v*float64(rows)-row
		edge := min(min(in, 1-in)*float64(rows)/float64(each), min(up, 1-up))
		which := math.Mod(math.Floor(x), float64(each))
		m := swell((which+0.5)/float64(each), (row+0.5)/float64(rows), each, rows, 1, seed)
		rough := swell(u, v, 24, 24, 3, seed+2)
		if edge < gap {
			return spot{c.Mul(0.85 + 0.3*rough), 0.1 + 0.05*rough}
		}
		return spot{a.Lerp(b, m).Mul(0.82 + 0.36*rough), 0.75 + 0.2*rough}
	}
}

// weave is threads over and under one another.
func weave(warp, weft string, threads int, seed uint64) func(u, v float64) spot {
	a, b := colorOf(warp), colorOf(weft)
	return func(u, v float64) spot {
		x, y := u*float64(threads), v*float64(threads)
		over := (int(math.Floor(x))+int(math.Floor(y)))%2 == 0
		s := math.Sin(math.Pi * (x - math.Floor(x)))
		t := math.Sin(math.Pi * (y - math.Floor(y)))
		k := 0.8 + 0.4*swell(u, v, threads, threads, 1, seed)
		if over {
			return spot{a.Mul(k * (0.65 + 0.35*s)), s * (0.6 + 0.4*t)}
		}
		return spot{b.Mul(k * (0.65 + 0.35*t)), t * (0.6 + 0.4*s)}
	}
}

// scales are leaves, pebbles and chips: the place nearest of many.
func scales(dark, light string, many int, seed uint64) func(u, v float64) spot {
	a, b := colorOf(dark), colorOf(light)
	return func(u, v float64) spot {
		x, y := u*float64(many), v*float64(many)
		first, second, which := 9.0, 9.0, 0.0
		for j := -1; j <= 1; j++ {
			for i := -1; i <= 1; i++ {
				p, q := math.Floor(x)+float64(i), math.Floor(y)+float64(j)
				n := float64(many)
				wrap := func(k float64) float64 { return (math.Mod(k+n, n) + 0.5) / n }
				cx := p + swell(wrap(p), wrap(q), many, many, 1, seed)
				cy := q + swell(wrap(p), wrap(q), many, many, 1, seed+1)
				if d := math.Hypot(x-cx, y-cy); d < first {
					first, second, which = d, first, swell(wrap(p), wrap(q), many, many, 1, seed+2)
				} else {
					second = min(second, d)
				}
			}
		}
		rim := min((second-first)*4, 1)
		return spot{a.Lerp(b, which).Mul(0.45 + 0.55*rim), rim * (0.5 + 0.5*which)}
	}
}

// Finishes are what everybody has at hand, by groups. Colours are of measured things where those are told (metals: from
// n and k, at normal incidence, as commonly tabled), else by eye (memory); sizes of patterns are of what is on sale.
func Finishes() []Finish {
	var list []Finish
	add := func(group, name string, tile, rough, deep float64, draw func(u, v float64) spot, set func(m *Material)) {
		m := New()
		m.Rough, m.Tile = rough, tile
		if draw != nil {
			m.Base = "#ffffff"
		}
		if set != nil {
			set(&m)
		}
		id := strings.ReplaceAll(name, " ", "-")
		list = append(list, Finish{ID: id, Name: name, Group: group, Material: m, draw: draw, deep: deep})
	}
	plain := func(hex string) func(m *Material) { return func(m *Material) { m.Base = hex } }
	wood := func(name, dark, light string, boards int, tile, rough float64, seed uint64) {
		add("woods", name, tile, rough, 3, grain(dark, light, boards, seed), nil)
	}
	wood("oak boards", "#7a5a38", "#b08a5c", 4, 0.6, 0.55, 1)
	wood("pine boards", "#b98a52", "#dcb983", 4, 0.56, 0.6, 2)
	wood("walnut boards", "#3d281a", "#6d4a30", 4, 0.6, 0.45, 3)
	wood("ash boards", "#a58d6c", "#d3c2a2", 4, 0.6, 0.55, 4)
	wood("larch weathered", "#6f6a62", "#98928a", 5, 0.7, 0.85, 5)
	wood("cedar boards", "#7c4630", "#a86b4b", 5, 0.6, 0.65, 6)
	wood("beech panel", "#b98f68", "#d6b08a", 1, 0.4, 0.5, 7)
	wood("birch panel", "#c9ab80", "#e0caa4", 1, 0.4, 0.5, 8)
	wood("mahogany varnished", "#4a2016", "#7c3b28", 1, 0.4, 0.4, 9)
	wood("sleepers creosoted", "#241c15", "#42352a", 3, 0.75, 0.9, 10)
	list[8].Material.Coat, list[8].Material.CoatRough = 0.9, 0.06
	stone := func(name string, tile, rough, deep float64, draw func(u, v float64) spot) {
		add("stones", name, tile, rough, deep, draw, nil)
	}
	stone("granite grey", 0.5, 0.35, 0.3, speckle("#4b4b4d", "#a9a6a2", 40, 3, 3, 11))
	stone("granite red", 0.5, 0.35, 0.3, speckle("#5a3a34", "#b98a7c", 40, 3, 3, 12))
	stone("marble white", 1.2, 0.12, 0, veins("#d8d6d0", "#6f7378", 2, 13))
	stone("marble green", 1.2, 0.12, 0, veins("#243a30", "#9db3a2", 3, 14))
	stone("sandstone", 0.8, 0.9, 1.5, speckle("#a88c63", "#cdb48b", 16, 4, 1.5, 15))
	stone("limestone", 0.8, 0.85, 1, speckle("#b3aa97", "#d0c8b6", 12, 4, 1.4, 16))
	stone("slate slabs", 1.2, 0.6, 3, blocks("#3c4146", "#565c61", "#2b2d2e", 3, 2, 0.02, 0.5, 17))
	stone("red bricks", 1.0, 0.85, 4, blocks("#7c3b2a", "#a4573e", "#b0a898", 12, 4, 0.07, 0.5, 18))
	stone("yellow bricks", 1.0, 0.85, 4, blocks("#b09560", "#cbb380", "#b9b1a2", 12, 4, 0.07, 0.5, 19))
	stone("setts of granite", 1.0, 0.7, 6, blocks("#5d5b58", "#84817c", "#3d3a35", 9, 9, 0.07, 0.5, 20))
	stone("terrazzo", 0.6, 0.2, 0, scales("#8b8378", "#d9d2c4", 24, 21))
	stone("pebbles", 0.6, 0.7, 6, scales("#5d574e", "#b3ab9d", 14, 22))
	stone("ballast", 0.8, 0.95, 8, scales("#4c453e", "#8f867b", 16, 23))
	metal := func(name, hex string, rough, brush float64) {
		add("metals", name, 0, rough, 0, nil, func(m *Material) { m.Base, m.Metal, m.Brush = hex, 1, brush })
	}
	metal("gold", "#ffe29b", 0.15, 0)
	metal("silver", "#fcfaf5", 0.12, 0)
	metal("copper", "#fad0c0", 0.2, 0)
	metal("aluminium brushed", "#f5f6f6", 0.35, 0.7)
	metal("steel", "#c4c0bd", 0.3, 0)
	metal("iron cast", "#c4c0bd", 0.7, 0)
	metal("brass", "#ead199", 0.22, 0)
	metal("chromium", "#c6c5c5", 0.05, 0)
	metal("titanium brushed", "#c1bab1", 0.35, 0.6)
	add("metals", "iron rusted", 0.5, 0.95, 2, speckle("#3f1f12", "#8b4a25", 12, 5, 2, 31), nil)
	add("plasters", "plaster white", 1.5, 0.95, 1, speckle("#cfccc4", "#dedbd4", 10, 4, 1, 32), nil)
	add("plasters", "plaster ochre", 1.5, 0.95, 1.5, speckle("#b58f57", "#c9a76f", 10, 4, 1, 33), nil)
	add("plasters", "render rough", 1.0, 0.95, 8, speckle("#a39d92", "#bdb7ab", 48, 2, 1, 34), nil)
	add("plasters", "concrete", 2.0, 0.85, 1, speckle("#87857f", "#a5a39d", 8, 5, 1.5, 35), nil)
	add("plasters", "asphalt", 0.8, 0.95, 4, speckle("#2c2c2d", "#57565a", 60, 2, 2, 36), nil)
	glass := func(name string, set func(m *Material)) {
		add("glass", name, 0, 0, 0, nil, func(m *Material) { m.Base, m.Clear = "#ffffff", 1; set(m) })
	}
	glass("window pane", func(m *Material) {})
	glass("pane frosted", func(m *Material) { m.Rough = 0.45 })
	glass("glass solid", func(m *Material) { m.Solid, m.Split = true, 0.3 })
	glass("bottle green", func(m *Material) { m.Solid, m.Absorb, m.AbsorbOver = true, "#3f7a4a", 0.01 })
	glass("amber", func(m *Material) { m.Solid, m.Absorb, m.AbsorbOver, m.Index = true, "#c8741e", 0.02, 1.54 })
	cloth := func(name, warp, weft, sheen string, threads int, tile float64, seed uint64) {
		add("cloths", name, tile, 0.95, 2, weave(warp, weft, threads, seed), func(m *Material) {
			m.Sheen, m.SheenRough = sheen, 0.5
		})
	}
	cloth("linen", "#b9ab90", "#cabda4", "#3a362e", 64, 0.1, 41)
	cloth("cotton white", "#d3d0ca", "#dad8d2", "#303030", 80, 0.08, 42)
	cloth("denim", "#2c3a55", "#8d95a3", "#202838", 64, 0.08, 43)
	cloth("wool grey", "#5c5a58", "#6b6967", "#6a6866", 24, 0.08, 44)
	cloth("felt green", "#2f4a35", "#35523b", "#5c7a62", 24, 0.06, 45)
	cloth("canvas", "#9a8d6e", "#a99c7c", "#333028", 40, 0.1, 46)
	add("cloths", "velvet red", 0, 0.9, 0, nil, func(m *Material) {
		m.Base, m.Sheen, m.SheenRough = "#6a1622", "#b04050", 0.35
	})
	add("cloths", "leather brown", 0.2, 0.55, 3, scales("#3f2718", "#5a3a25", 32, 47), nil)
	soil := func(name, dark, light string, rough, deep float64, n int, seed uint64) {
		add("soils", name, 1.2, rough, deep, speckle(dark, light, n, 5, 1.6, seed), nil)
	}
	soil("earth", "#2f2419", "#56432f", 1, 5, 14, 51)
	soil("mud", "#33281c", "#4a3b2a", 0.55, 3, 8, 52)
	soil("sand", "#b09a6f", "#cbb78c", 1, 2, 24, 53)
	soil("clay dry", "#8a6244", "#a97f5c", 0.95, 2, 6, 54)
	soil("gravel path", "#7b7060", "#a59a88", 1, 5, 40, 55)
	soil("moss bed", "#2e3d16", "#5d7330", 1, 5, 30, 56)
	add("snow and water", "snow fresh", 1.5, 0.95, 1, speckle("#dfe2e6", "#e8eaec", 10, 4, 1, 57), nil)
	add("snow and water", "ice", 0, 0.08, 0, nil, func(m *Material) {
		m.Base, m.Clear, m.Solid, m.Index, m.Absorb, m.AbsorbOver = "#ffffff", 1, true, 1.31, "#cfe6ee", 1
	})
	add("snow and water", "water clear", 0, 0, 0, nil, func(m *Material) {
		m.Base, m.Clear, m.Solid, m.Index, m.Absorb, m.AbsorbOver = "#ffffff", 1, true, 1.33, "#9fd0d8", 4
	})
	add("snow and water", "water turbid", 0, 0.05, 0, nil, func(m *Material) {
		m.Base, m.Clear, m.Solid, m.Index, m.Absorb, m.AbsorbOver = "#ffffff", 0.9, true, 1.33, "#5a5a2a", 0.3
	})
	leaf := func(name, dark, light string, n int, seed uint64) {
		add("leaves", name, 0.5, 0.6, 5, scales(dark, light, n, seed), func(m *Material) {
			m.Leaf, m.LeafTint = 0.35, "#7fae3a"
		})
	}
	leaf("ivy", "#1f3314", "#3f5c26", 9, 61)
	leaf("hedge", "#25381a", "#4d6a2e", 16, 62)
	leaf("autumn leaves", "#6a3312", "#c28a2b", 10, 63)
	add("plastics", "plastic white", 0, 0.4, 0, nil, plain("#dcdcda"))
	add("plastics", "plastic black", 0, 0.4, 0, nil, plain("#2b2b2c"))
	add("plastics", "rubber", 0, 0.85, 0, nil, plain("#2e2e2e"))
	add("plastics", "acrylic red", 0, 0.05, 0, nil, func(m *Material) {
		m.Base, m.Coat, m.CoatRough = "#a3181c", 1, 0.02
	})
	paint := func(name, hex string, rough, coat float64) {
		add("paints", name, 0, rough, 0, nil, func(m *Material) { m.Base, m.Coat, m.CoatRough = hex, coat, 0.08 })
	}
	paint("lacquer red", "#7c1f1a", 0.5, 1)
	paint("lacquer green", "#1e3d2c", 0.5, 1)
	paint("paint cream", "#cfc3a2", 0.6, 0)
	paint("paint grey", "#7d7f80", 0.6, 0)
	paint("whitewash", "#d6d4cd", 0.95, 0)
	return list
}
