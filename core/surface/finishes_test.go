package surface

import (
	"math"
	"testing"

	"visator/core/finish"
)

// There are sixty and more, each with a name of its own, possible and likely, and each painted one with a true size;
// its pictures repeat without a seam, and are the same each time.
func TestFinishes(t *testing.T) {
	list := Finishes()
	if len(list) < 60 {
		t.Errorf("%d finishes", len(list))
	}
	names, painted := map[string]bool{}, 0
	for i := range list {
		f := &list[i]
		if names[f.ID] || f.Group == "" {
			t.Errorf("%q comes twice, or is in no group", f.ID)
		}
		names[f.ID] = true
		if err := f.Material.Check(); err != nil {
			t.Errorf("%s: %v", f.Name, err)
		}
		if f.Painted() != (f.Material.Tile > 0) {
			t.Errorf("%s: painted %v, one repeat is %v m", f.Name, f.Painted(), f.Material.Tile)
		}
		if !f.Painted() {
			if said := f.Material.Likely(); said != "" && f.Material.Metal == 0 {
				t.Errorf("%s: %s", f.Name, said)
			}
			continue
		}
		painted++
		if painted%4 != 0 { // each is drawn once in the application
			continue
		}
		a, n := f.Pictures()
		b, _ := f.Pictures()
		mean, seam, inner := 0.0, 0.0, 0.0
		for y := range finishSide {
			for x := range finishSide {
				p, q := a.NRGBAAt(x, y), b.NRGBAAt(x, y)
				if p != q {
					t.Fatalf("%s is another the second time", f.Name)
				}
				mean += finish.Decode(float64(p.G)/255) / finishSide / finishSide
			}
			seam += math.Abs(float64(a.NRGBAAt(0, y).G) - float64(a.NRGBAAt(finishSide-1, y).G))
			inner += math.Abs(float64(a.NRGBAAt(100, y).G)-float64(a.NRGBAAt(99, y).G)) +
				math.Abs(float64(a.NRGBAAt(200, y).G)-float64(a.NRGBAAt(199, y).G))
		}
		if mean < 0.005 || mean > 0.92 {
			t.Errorf("%s gives back %.3f of green light", f.Name, mean)
		}
		if seam > 3*inner+4*finishSide {
			t.Errorf("%s has a seam: %v across it, %v within", f.Name, seam, inner)
		}
		if c := n.NRGBAAt(3, 3); c.B < 100 {
			t.Errorf("%s: a normal points away: %v", f.Name, c)
		}
	}
	if painted < 35 {
		t.Errorf("%d are painted", painted)
	}
}
