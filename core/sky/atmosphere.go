package sky

import (
	"math"
	"sync"

	"visator/core/geom"
)

// The clear sky: light of the sun scattered once along each line of sight, and what was scattered more often taken to
// be even all around (S. Hillaire, A Scalable and Production Ready Sky and Atmosphere Rendering Technique, 2020), for
// sixteen wavelengths. Lengths are kilometres here.
const (
	earth   = 6360.0 // radius
	top     = 6460.0 // of the air
	waves   = 16
	shortNM = 400.0
	stepNM  = 20.0

	airThin    = 8.0   // scale height of molecules
	hazeThin   = 1.2   // of aerosols (L. Elterman, 1968)
	hazeMean   = 0.76  // mean cosine of their scattering, rural haze (Shettle and Fenn, 1979; memory)
	hazeAlbedo = 0.94  // share that they scatter (the same; memory)
	hazeWave   = 1.3   // Ångström's exponent
	ozone      = 0.30  // cm of it, at sea level's pressure: a usual day
	ground     = 0.2   // reflectance of the earth: fields and woods (memory)
	outside    = 127.5 // klx of the sun without air (IES Lighting Handbook, daylighting)
)

// ClearAir is how far one sees in clear air, metres: with it sun and sky give what the IES Lighting Handbook has for
// clear days, within 15 % while the sun is 10 degrees high or more.
const ClearAir = 45_000.0

// ozoneCM is what a centimetre of ozone takes, 400 to 700 nm in steps of 20 (B. Leckner, The spectral distribution of
// solar radiation at the earth's surface, 1978; from memory).
var ozoneCM = [waves]float64{0, 0, 0.003, 0.006, 0.014, 0.03, 0.048, 0.075, 0.103, 0.12, 0.125, 0.105, 0.079, 0.057,
	0.036,
	0.023}

type spectrum [waves]float64

// medium is air as it is for each wavelength, at sea level, per kilometre.
type medium struct {
	molecules, haze, ozone spectrum // extinction; of ozone where it is densest
	through                []spectrum
	even                   []spectrum // light that was scattered more than once, for a sun of one
}

const (
	highs, angles   = 32, 96 // of the table of what comes through: heights, angles
	evenHighs, suns = 10, 24 // of the table of what was scattered more often: heights, heights of the sun
)

func newMedium(visibility float64) *medium {
	m := &medium{}
	at := func(i int) float64 { return (shortNM + stepNM*float64(i)) / 1000 }
	// What is left to haze of the extinction at 550 nm, by Koschmieder's 2 % (3.912 / visibility).
	green := 0.008735 * math.Pow(0.55, -4.08) / airThin
	haze := max(3.912/(visibility/1000)-green, 1e-5)
	for i := range waves {
		um := at(i)
		m.molecules[i] = 0.008735 * math.Pow(um, -4.08) / airThin // Leckner 1978
		m.haze[i] = haze * math.Pow(um/0.55, -hazeWave)
		m.ozone[i] = ozoneCM[i] * ozone / 15 // a tent from 10 to 40 km holds as much as 15 km of its middle
	}
	m.fill()
	return m
}

// dense is how much of each there is at a height, as a share of what there is where it is densest.
func dense(h float64) (molecules, haze, o3 float64) {
	return math.Exp(-h / airThin), math.Exp(-h / hazeThin), max(1-math.Abs(h-25)/15, 0)
}

// leaves is how far it is from a height, along a way with a cosine to the upright, to the end of the air; down says
// that it ends on the earth.
func leaves(r, mu float64) (far float64, down bool) {
	b := r * mu
	if d := b*b - r*r + earth*earth; mu < 0 && d >= 0 {
		return max(-b-math.Sqrt(d), 0), true
	}
	return -b + math.Sqrt(max(b*b-r*r+top*top, 0)), false
}

// horizon is the cosine to the upright of the earth's edge, seen from a height.
func horizon(r float64) float64 { return -math.Sqrt(max(1-earth*earth/(r*r), 0)) }

func (m *medium) depth(r, mu float64) (sum spectrum) {
	far, _ := leaves(r, mu)
	const n = 40
	for i := range n {
		// Shorter steps at first: the air is densest there.
		a, b := math.Pow(float64(i)/n, 2)*far, math.Pow(float64(i+1)/n, 2)*far
		t := (a + b) / 2
		h := math.Sqrt(r*r+t*t+2*r*t*mu) - earth
		mo, ha, oz := dense(max(h, 0))
		for k := range waves {
			sum[k] += (mo*m.molecules[k] + ha*m.haze[k] + oz*m.ozone[k]) * (b - a)
		}
	}
	return sum
}

// The table of angles is finest at the horizon.
func angleOf(x float64) float64 { x = 2*x - 1; return math.Copysign(x*x, x) }
func placeOf(mu float64) float64 {
	return (math.Copysign(math.Sqrt(math.Abs(mu)), mu) + 1) / 2
}

func highOf(x float64) float64      { return earth + (top-earth)*x*x }
func highAt(r float64) float64      { return math.Sqrt(max(r-earth, 0) / (top - earth)) }
func blend(a, b, k float64) float64 { return a + (b-a)*k }

// fill works out both tables.
func (m *medium) fill() {
	m.through = make([]spectrum, highs*angles)
	for i := range highs {
		for j := range angles {
			// Below the horizon it is as at it: what lies between the two is asked for there.
			r := highOf(float64(i) / (highs - 1))
			d := m.depth(r, max(angleOf(float64(j)/(angles-1)), horizon(r)+1e-5))
			for k := range waves {
				d[k] = math.Exp(-d[k])
			}
			m.through[i*angles+j] = d
		}
	}
	m.even = make([]spectrum, evenHighs*suns)
	const rounds = 32
	for i := range evenHighs {
		for j := range suns {
			r, mu := max(highOf(float64(i)/(evenHighs-1)), earth+0.01), angleOf(float64(j)/(suns-1))
			sun := geom.V{X: math.Sqrt(1 - mu*mu), Y: mu}
			var second, share spectrum
			for n := range rounds {
				l, f := m.once(r, geom.Spiral(n, 1-2*(float64(n)+0.5)/rounds), sun)
				for k := range waves {
					second[k] += l[k] / rounds
					share[k] += f[k] / rounds
				}
			}
			for k := range waves {
				m.even[i*suns+j][k] = second[k] / max(1-share[k], 0.05)
			}
		}
	}
}

// sunlight is the share of the sun that comes to a height; none from below the horizon.
func (m *medium) sunlight(r, mu float64) (out spectrum) {
	low := horizon(r)
	const half = 0.0046 // the sun's radius: it sets bit by bit
	share := min(max((mu-low)/(2*half)+0.5, 0), 1)
	if share == 0 {
		return out
	}
	mu = max(mu, low+1e-4)
	i, p := geom.Between(highAt(r), highs)
	j, q := geom.Between(placeOf(mu), angles)
	a, b, c, d := &m.through[i*angles+j], &m.through[i*angles+j+1], &m.through[(i+1)*angles+j],
		&m.through[(i+1)*angles+j+1]
	for k := range waves {
		out[k] = share * blend(blend(a[k], b[k], q), blend(c[k], d[k], q), p)
	}
	return out
}

// once walks along a line of sight, for what is scattered there once and evenly, and the share of light from all
// around that it would scatter.
func (m *medium) once(r float64, d, sun geom.V) (light, share spectrum) {
	far, down := leaves(r, d.Y)
	const n = 14
	through := ones()
	for i := range n {
		a, b := math.Pow(float64(i)/n, 2)*far, math.Pow(float64(i+1)/n, 2)*far
		p := geom.V{Y: r}.Add(d.Mul((a + b) / 2))
		h := p.Len()
		lit := m.sunlight(h, p.Dot(sun)/h)
		mo, ha, oz := dense(max(h-earth, 0))
		for k := range waves {
			scatter := mo*m.molecules[k] + ha*m.haze[k]*hazeAlbedo
			lost := mo*m.molecules[k] + ha*m.haze[k] + oz*m.ozone[k]
			got := (1 - math.Exp(-lost*(b-a))) / max(lost, 1e-12) * scatter
			light[k] += through[k] * got * lit[k] / (4 * math.Pi)
			share[k] += through[k] * got
			through[k] *= math.Exp(-lost * (b - a))
		}
	}
	if down {
		p := geom.V{Y: r}.Add(d.Mul(far)).Unit()
		lit := m.sunlight(earth, p.Dot(sun))
		for k := range waves {
			light[k] += through[k] * lit[k] * max(p.Dot(sun), 0) * ground / math.Pi
		}
	}
	return light, share
}

func ones() (s spectrum) {
	for k := range s {
		s[k] = 1
	}
	return s
}

// seen is what comes along a line of sight from the ground up, for a sun of one.
func (m *medium) seen(d, sun geom.V) (out spectrum) {
	const r = earth + 0.02
	d.Y = max(d.Y, 0.002)
	d = d.Unit()
	far, _ := leaves(r, d.Y)
	const n = 20
	c := d.Dot(sun)
	rayleigh := 3 / (16 * math.Pi) * (1 + c*c)
	// Cornette and Shanks, Physically reasonable analytic expression for the single-scattering phase function, 1992.
	g := hazeMean
	mie := 3 / (8 * math.Pi) * (1 - g*g) * (1 + c*c) / ((2 + g*g) * math.Pow(1+g*g-2*g*c, 1.5))
	through := ones()
	for i := range n {
		a, b := math.Pow(float64(i)/n, 2)*far, math.Pow(float64(i+1)/n, 2)*far
		p := geom.V{Y: r}.Add(d.Mul((a + b) / 2))
		h := p.Len()
		mu := p.Dot(sun) / h
		lit := m.sunlight(h, mu)
		e, u := geom.Between(highAt(h), evenHighs)
		f, v := geom.Between(placeOf(mu), suns)
		mo, ha, oz := dense(max(h-earth, 0))
		for k := range waves {
			even := blend(blend(m.even[e*suns+f][k], m.even[e*suns+f+1][k], v),
				blend(m.even[(e+1)*suns+f][k], m.even[(e+1)*suns+f+1][k], v), u)
			s1, s2 := mo*m.molecules[k], ha*m.haze[k]*hazeAlbedo
			lost := mo*m.molecules[k] + ha*m.haze[k] + oz*m.ozone[k]
			got := (1 - math.Exp(-lost*(b-a))) / max(lost, 1e-12)
			out[k] += through[k] * got * (lit[k]*(s1*rayleigh+s2*mie) + even*(s1+s2))
			through[k] *= math.Exp(-lost * (b - a))
		}
	}
	return out
}

// Clear is a sky without clouds, and the sun in it.
type Clear struct {
	Sun       geom.V // lux of each channel, before a surface that faces it
	Ground    geom.V // lux on level ground, of sky and sun
	elevation float64
	rows      [clearRows][clearCols]geom.V // cd/m²: by height from the horizon, by angle from the sun's side
	earth     geom.V
}

const clearRows, clearCols = 36, 36

// rowHeight is the height of a row, radians: finest at the horizon.
func rowHeight(x float64) float64 { return math.Pi / 2 * x * x }

var (
	clearOnce sync.Mutex
	clearKept = map[[2]float64]*Clear{}
	mediaKept = map[float64]*medium{}
)

// maxKept is how many skies are remembered: a day's hours while the sun is pulled along.
const maxKept = 64

// ClearSky is the sky over a sun at an elevation, radians, in air through which one sees so many metres far; both are
// rounded, to a fortieth of a degree and to three digits. What was worked out before is remembered.
func ClearSky(elevation, visibility float64) *Clear {
	const degree = math.Pi / 180
	if math.IsNaN(elevation) {
		elevation = 0
	}
	if !(visibility >= 0) {
		visibility = ClearAir
	}
	elevation = math.Round(min(max(elevation/degree, -20), 90)*40) / 40 * degree
	visibility = min(max(visibility, 1000), 330_000)
	digits := math.Pow(10, math.Floor(math.Log10(visibility))-2)
	visibility = math.Round(visibility/digits) * digits
	clearOnce.Lock()
	defer clearOnce.Unlock()
	if c := clearKept[[2]float64{elevation, visibility}]; c != nil {
		return c
	}
	m := mediaKept[visibility]
	if m == nil {
		if len(mediaKept) >= 4 {
			clear(mediaKept)
		}
		m = newMedium(visibility)
		mediaKept[visibility] = m
	}
	if len(clearKept) >= maxKept {
		clear(clearKept)
	}
	c := m.sky(elevation)
	clearKept[[2]float64{elevation, visibility}] = c
	return c
}

func (m *medium) sky(elevation float64) *Clear {
	sin, cos := math.Sincos(elevation)
	sun := geom.V{X: cos, Y: sin}
	c := &Clear{elevation: elevation}
	c.Sun = seenAs(m.sunlight(earth+0.02, sin))
	for i := range clearRows {
		s, k := math.Sincos(rowHeight(float64(i) / (clearRows - 1)))
		for j := range clearCols {
			a := math.Pi * float64(j) / (clearCols - 1)
			c.rows[i][j] = seenAs(m.seen(geom.V{X: k * math.Cos(a), Y: s, Z: k * math.Sin(a)}, sun))
		}
	}
	var e geom.V
	e.X = OnGround(func(d geom.V) float64 { return c.At(d, geom.V{X: 1}).X }, 24)
	e.Y = OnGround(func(d geom.V) float64 { return c.At(d, geom.V{X: 1}).Y }, 24)
	e.Z = OnGround(func(d geom.V) float64 { return c.At(d, geom.V{X: 1}).Z }, 24)
	c.Ground = e.Add(c.Sun.Mul(max(sin, 0)))
	c.earth = c.Ground.Mul(ground / math.Pi)
	return c
}

// At is the luminance along d, cd/m² of each channel, with the sun over the side (level, of length one). Below the
// horizon lies the earth.
func (c *Clear) At(d, side geom.V) geom.V {
	flat := geom.V{X: d.X, Z: d.Z}.Unit()
	a := math.Acos(min(max(flat.Dot(side), -1), 1)) / math.Pi
	i, p := geom.Between(math.Sqrt(max(math.Asin(min(max(d.Y, 0), 1)), 0)/(math.Pi/2)), clearRows)
	j, q := geom.Between(a, clearCols)
	sky := c.rows[i][j].Lerp(c.rows[i][j+1], q).Lerp(c.rows[i+1][j].Lerp(c.rows[i+1][j+1], q), p)
	if d.Y >= 0 {
		return sky
	}
	return sky.Lerp(c.earth, min(1, -d.Y*8))
}

// perWave is what the sun outside of the air gives at each wavelength, in lux of each channel.
var perWave = func() (out [waves]geom.V) {
	lobe := func(nm, middle, below, above float64) float64 {
		wide := below
		if nm > middle {
			wide = above
		}
		d := (nm - middle) / wide
		return math.Exp(-d * d / 2)
	}
	sum := 0.0
	for i := range waves {
		nm := shortNM + stepNM*float64(i)
		s := math.Pow(nm/500, -5) / (math.Exp(1.438777e7/(nm*5778)) - 1)
		// The CIE 1931 observer (Wyman, Sloan, Shirley, Simple Analytic Approximations to the CIE XYZ Color Matching
		// Functions, 2013).
		x := s * (1.056*lobe(nm, 599.8, 37.9, 31.0) + 0.362*lobe(nm, 442.0, 16.0, 26.7) - 0.065*lobe(nm, 501.1, 20.4,
			26.2))
		y := s * (0.821*lobe(nm, 568.8, 46.9, 40.5) + 0.286*lobe(nm, 530.9, 16.3, 31.1))
		z := s * (1.217*lobe(nm, 437.0, 11.8, 36.0) + 0.681*lobe(nm, 459.0, 26.0, 13.8))
		out[i] = geom.V{X: 3.2404542*x - 1.5371385*y - 0.4985314*z, Y: -0.9692660*x + 1.8760108*y + 0.0415560*z,
			Z: 0.0556434*x - 0.2040259*y + 1.0572252*z} // IEC 61966-2-1
		sum += y
	}
	for i := range out {
		out[i] = out[i].Mul(outside * 1000 / sum)
	}
	return out
}()

// seenAs is light of which a share of the sun's is there at each wavelength, in each channel; what lies outside of the
// colours of Rec.709 is clipped.
func seenAs(s spectrum) (c geom.V) {
	for k := range waves {
		c = c.Add(perWave[k].Mul(s[k]))
	}
	return geom.V{X: max(c.X, 0), Y: max(c.Y, 0), Z: max(c.Z, 0)}
}
