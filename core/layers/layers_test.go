package layers

import (
	"bytes"
	"context"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/identity"
	"visator/core/openexr"
	"visator/core/render"
	"visator/core/sky"
	"visator/core/stage"
)

func boxes(t *testing.T) (*render.Scene, *render.Camera) {
	t.Helper()
	s, lib := &render.Scene{Env: &sky.Environment{Constant: geom.V{X: 1, Y: 2, Z: 3}}}, &render.Library{}
	for i, top := range []geom.M{geom.Identity, geom.Scaling(20).Mul(geom.Translation(geom.V{Y: -1}))} {
		if err := s.Place(lib, stage.ShapeModel("box"), top, func(int) uint32 { return uint32(i + 1) }); err != nil {
			t.Fatal(err)
		}
	}
	s.Build()
	turn := geom.Compose(geom.V{X: 2, Y: 1.5, Z: 5}, geom.Turn(geom.V{Y: 1}, 0.3), geom.V{X: 1, Y: 1, Z: 1})
	return s, &render.Camera{World: turn, Near: 0.1, TanX: 0.6, TanY: 0.4}
}

// All layers of a small picture: what is read again is what was put in, positions lie where rays meet things, the
// normals of the lens look towards it, identities are those of the names, and the tool of the format's own library
// finds the file in order.
func TestLayersOfAPicture(t *testing.T) {
	s, cam := boxes(t)
	list, err := Wanted("all")
	if err != nil {
		t.Fatal(err)
	}
	const w, h = 36, 24
	f, err := render.Render(context.Background(), s, cam, render.Options{Width: w, Height: h, Samples: 16, Seed: 2,
		Bounces: 2, Shares: true, Extra: Extra(list), Keep: true})
	if err != nil {
		t.Fatal(err)
	}
	names := map[uint32]string{1: "crate “1”", 2: "ground"}
	p, err := Of(f, cam, list, nil, []Called{{"Thing", func(id uint32) string { return names[id] }}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, halves := range []bool{false, true} {
		c := p.Channels
		if halves {
			c = exchange.Halves(c)
		}
		var file bytes.Buffer
		if err := exchange.WriteEXRWith(&file, w, h, c, p.Texts); err != nil {
			t.Fatal(err)
		}
		if tool, err := exec.LookPath("exrheader"); err == nil {
			path := filepath.Join(t.TempDir(), "layers.exr")
			if err := os.WriteFile(path, file.Bytes(), 0o600); err != nil {
				t.Fatal(err)
			}
			said, err := exec.Command(tool, path).CombinedOutput()
			if err != nil || !strings.Contains(string(said), "MurmurHash3_32") ||
				!strings.Contains(string(said), "VisatorThing02.A") {
				t.Errorf("exrheader: %v\n%s", err, said)
			}
		}
		e, err := openexr.Open(bytes.NewReader(file.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		var wanted []string
		for _, x := range p.Channels {
			wanted = append(wanted, x.Name)
		}
		planes, err := e.Planes(wanted...)
		if err != nil {
			t.Fatal(err)
		}
		for k, x := range p.Channels {
			for i := range w * h {
				is, was := planes[k][i], x.Data[i*x.Stride+x.Offset]
				exact := !halves || strings.HasPrefix(x.Name, "Visator") || x.Name == "Z"
				if exact && math.Float32bits(is) != math.Float32bits(was) ||
					!exact && math.Abs(float64(is-was)) > 1e-3*math.Abs(float64(was))+1e-6 {
					t.Fatalf("halves %v, %s at %d: %v, was %v", halves, x.Name, i, is, was)
				}
			}
		}
	}
	plane := func(name string) (out []float32) {
		k := slices.IndexFunc(p.Channels, func(c exchange.Channel) bool { return c.Name == name })
		c := p.Channels[k]
		for i := range w * h {
			out = append(out, c.Data[i*c.Stride+c.Offset])
		}
		return out
	}
	px, py, pz := plane("position.X"), plane("position.Y"), plane("position.Z")
	nx, ny, nz := plane("cameraNormal.X"), plane("cameraNormal.Y"), plane("cameraNormal.Z")
	first, share := plane("VisatorThing00.R"), plane("VisatorThing00.G")
	crate := 0
	for i := range w * h {
		x, y := (float64(i%w)+0.5)/w, (float64(i/w)+0.5)/h
		ray := cam.Ray(x, y, 0.5, 0.5)
		hit, ok := s.Closest(ray)
		if !ok {
			continue
		}
		at := ray.O.Add(ray.D.Mul(hit.T))
		if d := at.Sub(geom.V{X: float64(px[i]), Y: float64(py[i]), Z: float64(pz[i])}).Len(); d > 1e-4 {
			t.Fatalf("pixel %d lies %v m from where its ray meets something", i, d)
		}
		to := geom.V{X: cam.TanX * (2*x - 1), Y: cam.TanY * (1 - 2*y), Z: -1}
		if n := (geom.V{X: float64(nx[i]), Y: float64(ny[i]), Z: float64(nz[i])}); !(n.Dot(to) < 0) {
			t.Fatalf("pixel %d looks away from the lens: %v", i, n)
		}
		if share[i] > 0.99 {
			id := s.Instances[hit.Instance].ID
			if math.Float32bits(first[i]) != identity.ID(names[id]) {
				t.Fatalf("pixel %d is not %s", i, names[id])
			}
			if id == 1 {
				crate++
			}
		}
	}
	if crate == 0 {
		t.Error("the crate is not to be seen")
	}
	// What the list says adds up.
	sum := make([]float64, w*h)
	for _, l := range p.Lines {
		if l.AddsUp == "with the other ways the picture" {
			for i, v := range plane(l.Channels[1]) {
				sum[i] += float64(v)
			}
		}
	}
	for i, g := range plane("G") {
		if math.Abs(sum[i]-float64(g)) > 1e-4*float64(g) {
			t.Fatalf("the ways add up to %v of %v", sum[i], g)
		}
	}
	if _, err := Wanted("depth,depths"); err == nil || !strings.Contains(err.Error(), "depths") {
		t.Errorf("a layer that is none: %v", err)
	}
}
