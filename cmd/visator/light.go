package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/model"
	"visator/core/photometry"
	"visator/core/render"
	"visator/core/rig"
)

// photometryLine is what a photometric file says, as JSON: degrees, candela, lumens, metres.
type photometryLine struct {
	Form       string     `json:"form"`
	Type       string     `json:"type"` // of photometry: A, B or C
	Name       string     `json:"name"`
	Maker      string     `json:"maker"`
	Lumens     float64    `json:"lumens"`
	Rated      float64    `json:"rated"` // lumens of its lamps; 0: not told
	Candela    float64    `json:"candela"`
	Beam       [2]float64 `json:"beam"`  // across and along, where half of that is left
	Field      [2]float64 `json:"field"` // a tenth
	Symmetry   string     `json:"symmetry"`
	Watts      float64    `json:"watts"`
	Size       [3]float64 `json:"size"`
	Vertical   int        `json:"vertical"`
	Horizontal int        `json:"horizontal"`
	Doubts     []string   `json:"doubts"`
}

func photometric(_ context.Context, args []string) error {
	fs := newFlags("photometry", "FILE.ies|.ldt [--json]",
		"Tells what a photometric file (IESNA LM-63, EULUMDAT) says: lumens, largest candela, beam and field, "+
			"symmetry, and what is plausibly mistaken in it.")
	asJSON := fs.Bool("json", false, "one line of JSON")
	files, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(files) != 1 {
		return usagef("name one photometric file")
	}
	f, err := os.Open(files[0])
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := photometry.Read(f)
	if err != nil {
		return fmt.Errorf("%s: %w", files[0], err)
	}
	l := photometryLine{Form: w.Form, Type: string(w.Type), Name: w.Name, Maker: w.Maker, Lumens: w.Lumens(),
		Rated:   w.Rated,
		Candela: w.Largest(), Symmetry: w.Symmetry(), Watts: w.Watts, Size: w.Size, Vertical: len(w.Vertical),
		Horizontal: len(w.Horizontal), Doubts: w.Doubts()}
	l.Beam[0], l.Beam[1] = w.Spread(0.5)
	l.Field[0], l.Field[1] = w.Spread(0.1)
	if *asJSON {
		if l.Doubts == nil {
			l.Doubts = []string{}
		}
		return json.NewEncoder(os.Stdout).Encode(l)
	}
	fmt.Printf("%s, type %s: %s\n%.0f lm, %.0f cd at most\nbeam %.0f by %.0f°, field %.0f by %.0f°, symmetry: %s\n",
		l.Form,
		l.Type, l.Name, l.Lumens, l.Candela, l.Beam[0], l.Beam[1], l.Field[0], l.Field[1], l.Symmetry)
	for _, d := range l.Doubts {
		fmt.Println("doubtful:", d)
	}
	return nil
}

// inLight is a scene that was built, in the light of a rig; it names the groups that are kept apart, and tells what
// falls in it.
func inLight(s *render.Scene, m *model.Model, file string) (*render.Scene, []string, falls, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, nil, err
	}
	defer f.Close()
	r, err := rig.Read(f)
	if err != nil {
		return nil, nil, nil, fmt.Errorf("%s: %w", file, err)
	}
	picture := func(path string) rig.Picture {
		return func() ([]float32, int, int, error) {
			if path == "" {
				return nil, 0, 0, fmt.Errorf("the rig does not name its file as \"panorama\" or \"behind\"")
			}
			if !filepath.IsAbs(path) {
				path = filepath.Join(filepath.Dir(file), path)
			}
			p, err := os.Open(path)
			if err != nil {
				return nil, 0, 0, err
			}
			defer p.Close()
			pix, w, h, _, err := exchange.ReadPanorama(p)
			return pix, w, h, err
		}
	}
	lit, names, err := r.Lit(s, picture, namedIn(m))
	if err != nil {
		return nil, nil, nil, fmt.Errorf("%s: %w", file, err)
	}
	return lit, names, func(s *render.Scene, eye geom.V) *render.Scene {
		return s.Falling(r.Light.Drops(eye, stillOpen, 0))
	}, nil
}

// stillOpen is how long the shutter is open, in seconds, where nothing says otherwise: of a camera held by hand.
const stillOpen = 1.0 / 50

// falls is a scene with what falls before an eye.
type falls func(s *render.Scene, eye geom.V) *render.Scene

// namedIn finds the instances of nodes by name, with all below them.
func namedIn(m *model.Model) func(name string) []uint32 {
	return func(name string) (ids []uint32) {
		var below func(i int)
		below = func(i int) {
			ids = append(ids, uint32(i+1))
			for _, c := range m.Nodes[i].Children {
				below(c)
			}
		}
		for i := range m.Nodes {
			if m.Nodes[i].Name == name {
				below(i)
			}
		}
		return ids
	}
}

// meterLine is what a meter reads, as JSON: lux.
type meterLine struct {
	At     [3]float64         `json:"at"`
	Normal [3]float64         `json:"normal"`
	Lux    float64            `json:"lux"`
	Shares map[string]float64 `json:"shares"` // of each group of lamps, of the sun, the sky, what glows and bounces
}

func meter(ctx context.Context, args []string) error {
	fs := newFlags("meter", "SCENE.glb --light RIG.json --at X,Y,Z [--normal X,Y,Z] [--samples N] [--json]",
		"Reads the illuminance on a small plane at a place of a scene, in the light of a rig, and what each light "+
			"gives it.")
	file := fs.String("light", "", "the rig of light, `RIG.json`")
	at := fs.String("at", "", "the place, `X,Y,Z` in metres")
	to := fs.String("normal", "0,1,0", "where the plane faces, `X,Y,Z`")
	samples := fs.Int("samples", 1024, "samples of each light")
	asJSON := fs.Bool("json", false, "one line of JSON")
	files, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(files) != 1 || *file == "" {
		return usagef("name one .glb or .gltf file, and a rig with --light")
	}
	p, ok := triple(*at)
	n, facing := triple(*to)
	if !ok || !facing || n.Len() == 0 {
		return usagef("--at and --normal are written as 1,0.5,-2")
	}
	if *samples < 1 || *samples > render.MaxSamples {
		return usagef("--samples is 1 to %d", render.MaxSamples)
	}
	m, err := readModel(ctx, files[0])
	if err != nil {
		return err
	}
	s := &render.Scene{}
	if err := s.Place(&render.Library{}, m, geom.Identity, func(n int) uint32 { return uint32(n + 1) }); err != nil {
		return err
	}
	s.Build()
	s, names, _, err := inLight(s, m, *file)
	if err != nil {
		return err
	}
	r := s.MeterAt(p, n.Unit(), render.DefaultBounces, *samples, 1)
	l := meterLine{At: [3]float64{p.X, p.Y, p.Z}, Lux: r.Lux(), Shares: map[string]float64{"sun": r.Sun, "sky": r.Sky,
		"glow": r.Glow, "bounce": r.Bounce}}
	l.Normal[0], l.Normal[1], l.Normal[2] = r.Normal.X, r.Normal.Y, r.Normal.Z
	for i, lux := range r.Lamps {
		l.Shares[names[s.Lamps[i].Group]] += lux
	}
	if *asJSON {
		return json.NewEncoder(os.Stdout).Encode(l)
	}
	fmt.Printf("%.4g lx\n", l.Lux)
	for name, lux := range l.Shares {
		if lux > 0 {
			fmt.Printf("%8.4g lx  %5.1f %%  %s\n", lux, 100*lux/l.Lux, name)
		}
	}
	return nil
}

// triple reads X,Y,Z.
func triple(s string) (v geom.V, ok bool) {
	parts := strings.Split(s, ",")
	if len(parts) != 3 {
		return v, false
	}
	var x [3]float64
	for i, p := range parts {
		n, err := strconv.ParseFloat(strings.TrimSpace(p), 64)
		if err != nil || math.IsInf(n, 0) || math.IsNaN(n) {
			return v, false
		}
		x[i] = n
	}
	return geom.V{X: x[0], Y: x[1], Z: x[2]}, true
}
