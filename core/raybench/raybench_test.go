package raybench

import (
	"math"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/stage"
)

// What is measured is rays that meet something: of a person's stand-in some do, and not all; of nothing there are no
// rays to tell of. The generator can be sought to any place of its row.
func TestRaysAreMeasured(t *testing.T) {
	r, err := Rays(stage.ShapeModel("person"), geom.Identity, 2)
	if err != nil || r.Triangles < 10 || !(r.Primary > 0) || !(r.Incoherent > 0) ||
		!(r.Shadow > 0) || r.ShadowHits != r.IncoherentHits || !(r.PrimaryHits > 0.001 && r.PrimaryHits < 0.9) || !(r.IncoherentHits > 0.01 && r.IncoherentHits < 0.99) {
		t.Errorf("%+v, %v", r, err)
	}
	if _, err := Rays(&model.Model{}, geom.Identity, 1); err == nil {
		t.Error("nothing is measured")
	}
	var g, h lcg
	g.seek(0)
	for range 1000 {
		g.next()
	}
	h.seek(1000)
	if a, b := g.next(), h.next(); math.Abs(a-b) > 0 {
		t.Errorf("after a thousand numbers comes %v, sought %v", a, b)
	}
}

func BenchmarkRays(b *testing.B) {
	m := stage.ShapeModel("person")
	for b.Loop() {
		r, err := Rays(m, geom.Identity, 1)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(r.Incoherent/1e6, "Mrays/s-incoherent")
		b.ReportMetric(r.Primary/1e6, "Mrays/s-primary")
		b.ReportMetric(float64(r.Triangles)/r.BuildSeconds/1e6, "Mtri/s-build")
	}
}
