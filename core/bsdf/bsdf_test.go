package bsdf

import (
	"math"
	"math/rand/v2"
	"testing"

	"visator/core/geom"
	"visator/core/light"
)

func towards(cos, azimuth float64) geom.V {
	s := math.Sqrt(1 - cos*cos)
	return geom.V{X: s * math.Cos(azimuth), Y: s * math.Sin(azimuth), Z: cos}
}

// albedo is all that comes to o from a white surrounding, by n samples.
func albedo(v Values, o geom.V, n int) geom.V {
	p := At(v, o)
	var sum geom.V
	for i := range n {
		u1, u2 := spread(i, n)
		_, lobe := math.Modf(float64(i) * 0.6180339887498949) // spread evenly too
		if _, w, _, ok := p.Sample(u1, u2, lobe); ok {
			sum = sum.Add(w)
		}
	}
	return sum.Mul(1 / float64(n))
}

// kinds are ways in which two values of a surface vary; all of them are white.
var kinds = map[string]func(v *Values, x, y float64){
	"plain":           func(v *Values, x, y float64) { v.Rough, v.Metal = x, y },
	"index":           func(v *Values, x, y float64) { v.Rough, v.Index = x, 1+1.5*y },
	"specular":        func(v *Values, x, y float64) { v.Rough, v.Specular = x, y },
	"thin":            func(v *Values, x, y float64) { v.Rough, v.Clear = x, y },
	"solid":           func(v *Values, x, y float64) { v.Rough, v.Clear, v.Solid = x, y, true },
	"within":          func(v *Values, x, y float64) { v.Rough, v.Clear, v.Solid, v.Within = x, y, true, true },
	"diamond":         func(v *Values, x, y float64) { v.Rough, v.Clear, v.Solid, v.Index = x, y, true, 2.4 },
	"leaf":            func(v *Values, x, y float64) { v.Rough, v.Leaf = x, y },
	"brushed metal":   func(v *Values, x, y float64) { v.Rough, v.Brush, v.Metal = x, y, 1 },
	"brushed paint":   func(v *Values, x, y float64) { v.Rough, v.Brush = x, y },
	"coat":            func(v *Values, x, y float64) { v.Rough, v.CoatRough, v.Coat = x, y, 1 },
	"half a coat":     func(v *Values, x, y float64) { v.Rough, v.CoatRough, v.Coat = x, y, 0.5 },
	"coat on metal":   func(v *Values, x, y float64) { v.Rough, v.CoatRough, v.Coat, v.Metal = x, y, 1, 1 },
	"coat on glass":   func(v *Values, x, y float64) { v.Rough, v.CoatRough, v.Coat, v.Clear, v.Solid = x, y, 1, 1, true },
	"sheen":           func(v *Values, x, y float64) { v.Rough, v.SheenRough, v.Sheen = x, 0.2+0.8*y, one },
	"sheen on metal":  func(v *Values, x, y float64) { v.Rough, v.SheenRough, v.Sheen, v.Metal = x, 0.2+0.8*y, one, 1 },
	"film":            func(v *Values, x, y float64) { v.Rough, v.Film = x, Film{1, 1.3, 100 + 700*y} },
	"film on metal":   func(v *Values, x, y float64) { v.Rough, v.Film, v.Metal = x, Film{1, 1.8, 100 + 700*y}, 1 },
	"coat on film":    func(v *Values, x, y float64) { v.Rough, v.Film, v.Coat = x, Film{1, 1.5, 100 + 700*y}, 1 },
	"coat over cloth": func(v *Values, x, y float64) { v.Rough, v.Coat, v.Sheen, v.SheenRough = x, y, one, 0.5 },
	"half of each":    func(v *Values, x, y float64) { v.Rough, v.Metal, v.Clear, v.Leaf, v.Coat = x, 0.5, 0.5, y, 0.5 },
}

// In a surrounding that is white everywhere, what is white is not to be seen, whatever it is made of: to 2 %, and
// lacquer over cloth, of which both are dark along the surface, to 3.5 %.
func TestWhiteFurnace(t *testing.T) {
	for name, set := range kinds {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			off := 0.02
			if name == "coat over cloth" {
				off = 0.035
			}
			for _, x := range []float64{0, 0.3, 0.6, 1} {
				for _, y := range []float64{0, 0.4, 1} {
					for _, cos := range []float64{0.1, 0.4, 0.7, 1} {
						v := Plain()
						set(&v, x, y)
						a := albedo(v, towards(cos, 0.5), 3072)
						for _, k := range []float64{a.X, a.Y, a.Z} {
							if math.Abs(k-1) > off {
								t.Errorf("%.2f, %.2f, cosine %.1f: %.3f", x, y, cos, a)
								break
							}
						}
					}
				}
			}
		})
	}
}

func draw(r *rand.Rand) Values {
	some := func() float64 {
		if r.IntN(3) == 0 {
			return 0
		}
		return r.Float64()
	}
	v := Plain()
	color := func() geom.V { return geom.V{X: r.Float64(), Y: r.Float64(), Z: r.Float64()} }
	v.Base, v.Metal, v.Rough, v.Brush = color(), some(), 0.1+0.9*r.Float64(), some()
	v.Index, v.Specular, v.SpecularTint = []float64{1.1, 1.5, 2.4}[r.IntN(3)], r.Float64(), color()
	v.Clear, v.Solid, v.Within, v.Leaf, v.LeafTint = some(), r.IntN(2) == 0, r.IntN(2) == 0, some(), color()
	v.Coat, v.CoatRough, v.Sheen, v.SheenRough = some(), 0.1+0.9*r.Float64(), color().Mul(some()), 0.1+0.9*r.Float64()
	v.CoatNormal = geom.V{X: 0.4 * some(), Y: 0.2 * some(), Z: 1}.Unit()
	v.Film = Film{some(), 1.2 + r.Float64(), 800 * r.Float64()}
	return v
}

// No light is made by any combination.
func TestNoLightIsMade(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 120 {
		v := draw(r)
		if a := albedo(v, towards(0.05+0.95*r.Float64(), 6*r.Float64()), 1024).Max(); a > 1.03 {
			t.Errorf("%.3f comes of %+v", a, v)
		}
	}
}

// Light goes both ways alike (Helmholtz): what is carried is luminance over the square of the index.
func TestBothWays(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 3000 {
		v := draw(r)
		v.CoatNormal = geom.V{}
		o, i := towards(0.02+0.98*r.Float64(), 6*r.Float64()), towards(0.02+0.98*r.Float64(), 6*r.Float64())
		there, back := At(v, o), At(v, i)
		f, _ := there.Eval(i)
		g, _ := back.Eval(o)
		f, g = f.Mul(1/i.Z), g.Mul(1/o.Z)
		if f.Sub(g).Len() > 1e-9*(1+f.Len()) {
			t.Fatalf("%v is %.6g, %v is %.6g of %+v", o, f, i, g, v)
		}
		// Through: what looks from the other side sees the body from there.
		w := v
		if v.Solid && v.Clear > 0 {
			w.Within = !v.Within
		}
		w.Leaf, w.Coat, w.Sheen = 0, 0, geom.V{}
		v.Leaf, v.Coat, v.Sheen = 0, 0, geom.V{}
		turned := func(d geom.V) geom.V { return geom.V{X: d.X, Y: d.Y, Z: -d.Z} }
		there, back = At(v, o), At(w, i)
		f, _ = there.Eval(turned(i))
		g, _ = back.Eval(turned(o))
		here, on := 1.0, 1.0
		if v.Solid {
			if on = apart(v.Index); v.Within {
				here, on = on, here
			}
		}
		f, g = f.Mul(here*here/i.Z), g.Mul(on*on/o.Z)
		if f.Sub(g).Len() > 1e-6*(1+f.Len()) {
			t.Fatalf("through: %v is %.6g, %v is %.6g of %+v", o, f, i, g, v)
		}
	}
}

// The densities are those with which directions are drawn: over all of them they add up to the share that is not lost,
// and no lobe is left out.
func TestDensities(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 12 {
		v := draw(r)
		v.Rough, v.CoatRough = max(v.Rough, 0.3), max(v.CoatRough, 0.3)
		o := towards(0.3+0.7*r.Float64(), 6*r.Float64())
		p := At(v, o)
		const n = 40000
		sum, kept := 0.0, 0.0
		var whole, drawn geom.V
		for i := range n {
			u1, u2 := spread(i, n)
			z := 2*u1 - 1
			s := math.Sqrt(1 - z*z)
			d := geom.V{X: s * math.Cos(2*math.Pi*u2), Y: s * math.Sin(2*math.Pi*u2), Z: z}
			f, pdf := p.Eval(d)
			sum += pdf * 4 * math.Pi / n
			whole = whole.Add(f.Mul(4 * math.Pi / n))
			if pdf == 0 && f.Max() > 1e-9 {
				t.Fatalf("%v is never drawn: %+v", d, v)
			}
			a, b := spread(i, n)
			if _, w, _, ok := p.Sample(a, b, r.Float64()); ok {
				kept += 1.0 / n
				drawn = drawn.Add(w.Mul(1.0 / n))
			}
		}
		if math.Abs(sum-kept) > 0.02 {
			t.Errorf("densities add up to %.3f, %.3f are kept: %+v", sum, kept, v)
		}
		if drawn.Sub(whole).Len() > 0.03*whole.Len()+1e-3 {
			t.Errorf("drawn %.4f, integrated %.4f: %+v", drawn, whole, v)
		}
	}
}

// The facets of a rough surface, projected onto it, cover it once (Walter et al.
// 2007, equation 4), and as seen from any side they cover what is seen of it
// (Heitz 2014, equation 14).
func TestFacetsCoverTheSurfaceOnce(t *testing.T) {
	within := func(what string, got, want, off float64) {
		t.Helper()
		if math.Abs(got-want) > off {
			t.Errorf("%s: %v, want %v", what, got, want)
		}
	}
	for _, alpha := range []float64{0.05, 0.2, 0.5, 1} {
		g := ggx{alpha, alpha}
		for _, cos := range []float64{1, 0.7, 0.3} {
			o := geom.V{X: math.Sqrt(1 - cos*cos), Z: cos}
			var flat, seen float64
			// By the angle from the normal in steps that follow the lobe.
			const n, m = 2000, 64
			for i := range n {
				u := (float64(i) + 0.5) / n
				// tan² = α²u/(1-u) spreads them as the distribution does, whose
				// density over the sphere is D·cos.
				tan2 := alpha * alpha * u / (1 - u)
				z := 1 / math.Sqrt(1+tan2)
				q := math.Sqrt(1 - z*z)
				for j := range m {
					sin, c := math.Sincos(2 * math.Pi * (float64(j) + 0.5) / m)
					h := geom.V{X: q * c, Y: q * sin, Z: z}
					d := g.of(h)
					// du dφ/2π is alpha²·cos/(π (cos²α²+sin²)²)·dω, written out here
					// so that the density does not rest on what is tested.
					den := z*z*alpha*alpha + 1 - z*z
					density := alpha * alpha * z / (math.Pi * den * den)
					flat += d * z / density
					seen += g.seen(o) * max(o.Dot(h), 0) * d / cos / density
				}
			}
			within("projected", flat/(n*m), 1, 1e-6)
			within("seen", seen/(n*m), 1, 0.01)
		}
	}
}

// Published values: 4 % for glass of index 1.5, 2 % for water of 1.333 (Fresnel at right angles, ((n-1)/(n+1))²).
func TestReflectanceAtRightAngles(t *testing.T) {
	for index, want := range map[float64]float64{1.5: 0.04, 1.333: 0.02037, 2.417: 0.1720} {
		if got := Facing(index); math.Abs(got-want) > 1e-3 {
			t.Errorf("of %v: %v, want %v", index, got, want)
		}
	}
}

// Fresnel's reflectance: normal incidence and Brewster's angle of glass, and total reflection from within.
func TestFresnel(t *testing.T) {
	if got := Fresnel(1, 1.5); math.Abs(got-0.04) > 1e-12 || math.Abs(Facing(1.5)-0.04) > 1e-12 || Facing(0) != 1 {
		t.Error(got)
	}
	// At Brewster's angle, tan θ = n, only the s part is mirrored: ((n²−1)/(n²+1))²/2.
	n := 1.5
	if got, want := Fresnel(math.Cos(math.Atan(n)), n), math.Pow((n*n-1)/(n*n+1), 2)/2; math.Abs(got-want) > 1e-12 {
		t.Errorf("%v, want %v", got, want)
	}
	critical := math.Sqrt(1 - 1/(n*n))
	if Fresnel(critical*0.999, 1/n) != 1 || Fresnel(critical*1.01, 1/n) == 1 {
		t.Error("total reflection")
	}
}

// A film is seen in the colours of its interference: against Airy's sum over the spectrum, by wavelengths and the
// Gaussians of the eye that Wyman, Sloan and Shirley give (Simple analytic approximations to the CIE XYZ color matching
// functions, JCGT 2013), within what three Gaussians differ from those.
func TestFilms(t *testing.T) {
	bell := func(x, at, below, above float64) float64 {
		s := above
		if x < at {
			s = below
		}
		return math.Exp(-(x - at) * (x - at) / (2 * s * s))
	}
	eye := func(l float64) [3]float64 {
		return [3]float64{
			1.056*bell(l, 599.8, 37.9, 31) + 0.362*bell(l, 442, 16, 26.7) - 0.065*bell(l, 501.1, 20.4, 26.2),
			0.821*bell(l, 568.8, 46.9, 40.5) + 0.286*bell(l, 530.9, 16.3, 31.1),
			1.217*bell(l, 437, 11.8, 36) + 0.681*bell(l, 459, 26, 13.8)}
	}
	for _, thick := range []float64{150, 300, 450} {
		for _, cos := range []float64{1, 0.6} {
			f := Film{1, 1.33, thick}
			got := f.Reflectance(cos, geom.V{X: 0.04, Y: 0.04, Z: 0.04})
			in := math.Sqrt(1 - (1-cos*cos)/(1.33*1.33))
			q := (1.5 - 1.33) / (1.5 + 1.33)
			r12, r23 := schlick(Facing(1.33), 1, cos), schlick(q*q, 1, in)
			y, white := 0.0, 0.0
			for l := 380.0; l <= 780; l++ {
				e := eye(l)
				phase := 4 * math.Pi * 1.33 * thick * in / l // both boundaries turn the phase by half
				a, b := -math.Sqrt(r12), -math.Sqrt(r23)
				re, im := a+b*math.Cos(phase), b*math.Sin(phase)
				dr, di := 1+a*b*math.Cos(phase), a*b*math.Sin(phase)
				y += e[1] * (re*re + im*im) / (dr*dr + di*di)
				white += e[1]
			}
			if lum := light.Luminance(got); math.Abs(lum-y/white) > 0.006 {
				t.Errorf("%v nm at %v: %.4f, by the spectrum %.4f", thick, cos, lum, y/white)
			}
		}
	}
	if d := (&Film{1, 1.3, 0}).Reflectance(1, geom.V{X: 0.04, Y: 0.04, Z: 0.04}); math.Abs(d.Y-0.04) > 0.01 {
		t.Errorf("a film of no thickness: %v", d)
	}
}

func BenchmarkPlain(b *testing.B) {
	v := Plain()
	v.Rough = 0.5
	o := towards(0.6, 0.3)
	At(v, o)
	for i := range b.N {
		p := At(v, o)
		u1, u2 := spread(i&1023, 1024)
		p.Sample(u1, u2, 0.4)
	}
}
