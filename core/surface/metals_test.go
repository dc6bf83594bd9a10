package surface

import (
	"math"
	"math/cmplx"
	"slices"
	"testing"
)

// Gold, silver and copper as measured: photon energy in eV, n and k (Johnson and Christy, Optical constants of the noble
// metals, 1972; from memory).
var measured = map[string][][3]float64{
	"gold": {{1.76, 0.13, 4.103}, {1.88, 0.14, 3.697}, {2.01, 0.21, 3.272}, {2.14, 0.29, 2.863}, {2.26, 0.43, 2.455},
		{2.38, 0.62, 2.081}, {2.50, 1.04, 1.833}, {2.63, 1.31, 1.849}, {2.75, 1.38, 1.914}, {2.88, 1.45, 1.948}},
	"silver": {{1.76, 0.04, 4.838}, {1.88, 0.05, 4.483}, {2.01, 0.06, 4.152}, {2.14, 0.05, 3.858}, {2.26, 0.06, 3.586},
		{2.38, 0.05, 3.324}, {2.50, 0.05, 3.093}, {2.63, 0.05, 2.869}, {2.75, 0.04, 2.657}, {2.88, 0.04, 2.462}},
	"copper": {{1.76, 0.21, 4.205}, {1.88, 0.22, 3.747}, {2.01, 0.30, 3.205}, {2.14, 0.70, 2.704}, {2.26, 1.02, 2.577},
		{2.38, 1.18, 2.608}, {2.50, 1.22, 2.564}, {2.63, 1.25, 2.483}, {2.75, 1.24, 2.397}, {2.88, 1.25, 2.305}},
}

// mirrored is the share of unpolarised light that a metal mirrors under a cosine: Fresnel's formulas with n + ik.
func mirrored(n, k, cos float64) float64 {
	eta := complex(n, k)
	sin2 := complex(1-cos*cos, 0)
	t := cmplx.Sqrt(eta*eta - sin2)
	c := complex(cos, 0)
	s, p := cmplx.Abs((c-t)/(c+t)), cmplx.Abs((eta*eta*c-t)/(eta*eta*c+t))
	return (s*s + p*p) / 2
}

// band is the mean over what is measured from lo to hi nanometres.
func band(list [][3]float64, lo, hi, cos float64) float64 {
	sum, n := 0.0, 0.0
	for _, m := range list {
		if nm := 1239.84 / m[0]; nm >= lo && nm <= hi {
			sum, n = sum+mirrored(m[1], m[2], cos), n+1
		}
	}
	return sum / n
}

// The finishes of the noble metals mirror straight on what was measured, as a mean over the reds, greens and blues of a
// screen; and away from that, what Schlick makes of it is within 0.06 of Fresnel's formulas.
func TestMetalsMirrorWhatWasMeasured(t *testing.T) {
	all := Finishes()
	for name, list := range measured {
		i := slices.IndexFunc(all, func(f Finish) bool { return f.Name == name })
		if i < 0 {
			t.Fatalf("no finish %s", name)
		}
		c, err := ParseColor(all[i].Material.Base)
		if err != nil {
			t.Fatal(err)
		}
		for k, b := range [3][2]float64{{595, 670}, {515, 580}, {430, 480}} {
			have := [3]float64{c.X, c.Y, c.Z}[k]
			want := band(list, b[0], b[1], 1)
			if math.Abs(have-want) > 0.08 {
				t.Errorf("%s mirrors %.3f of %v nm, measured is %.3f", name, have, b, want)
			}
			for _, cos := range []float64{0.9, 0.7, 0.5, 0.3, 0.2} {
				schlick := want + (1-want)*math.Pow(1-cos, 5)
				if exact := band(list, b[0], b[1], cos); math.Abs(schlick-exact) > 0.06 {
					t.Errorf("%s, %v nm under a cosine of %v: %.3f, Fresnel says %.3f", name, b, cos, schlick, exact)
				}
			}
		}
	}
}
