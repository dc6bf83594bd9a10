package demo

import (
	"bytes"
	"math"
	"path"
	"strings"
	"testing"

	"visator/core/intake"
	"visator/core/intake/archive"
	"visator/core/model"
	"visator/core/sizing"
	"visator/core/unit"
)

// The downloads arrive as downloads do: in mixed formats and units, with real
// shape and maps, each readable, and the same every time.
func TestDownloadsAreWhatTheySay(t *testing.T) {
	list, err := Downloads()
	if err != nil {
		t.Fatal(err)
	}
	again, err := Downloads()
	if err != nil {
		t.Fatal(err)
	}
	if len(list) < 14 {
		t.Fatalf("only %d downloads", len(list))
	}
	formats, mapped, wrong := map[string]int{}, 0, 0
	for i, d := range list {
		if !bytes.Equal(d.Data, again[i].Data) {
			t.Errorf("%s comes out differently the second time", d.Name)
		}
		m, r := open(t, d)
		if m == nil {
			continue
		}
		formats[r.Format]++
		least := 100
		if strings.Contains(d.Name, "grass") {
			least = 8
		}
		if r.Triangles < least || r.Materials < 1 {
			t.Errorf("%s: %d triangles, %d surfaces: a grey box", d.Name, r.Triangles, r.Materials)
		}
		for _, tex := range r.Textures {
			if tex.Status == model.Missing {
				t.Errorf("%s: the map %s is missing", d.Name, tex.Name)
			}
		}
		if len(r.Textures) > 0 {
			mapped++
		}
		if d.Metres != 0 {
			wrong++
		}
		if size := trueSize(d, r); size < 0.2 || size > 40_000 {
			t.Errorf("%s is really %v m", d.Name, size)
		}
	}
	if formats["GLB"] < 5 || formats["OBJ"] < 5 || mapped < 6 || wrong < 4 {
		t.Errorf("formats %v, %d with maps, %d with a wrong unit or axis", formats, mapped, wrong)
	}
}

func open(t *testing.T, d Download) (*model.Model, intake.Report) {
	t.Helper()
	var m *model.Model
	name, err := d.Name, error(nil)
	if archive.IsArchive(d.Data) {
		tree, openErr := intake.Unpack(d.Name, d.Data)
		if openErr != nil {
			t.Errorf("%v", openErr)
			return nil, intake.Report{}
		}
		found, findErr := intake.Candidates(tree)
		if findErr != nil || len(found) == 0 {
			t.Errorf("%s: no model in it: %v", d.Name, findErr)
			return nil, intake.Report{}
		}
		name = found[0].Path
		m, err = intake.ReadFrom(tree, name, name)
	} else {
		m, err = intake.Read(name, d.Data, model.Folder{})
	}
	if err != nil {
		t.Errorf("%v", err)
		return nil, intake.Report{}
	}
	return m, intake.Describe(name, m)
}

// trueSize is the largest dimension once the sizing that the demo sets is applied.
func trueSize(d Download, r intake.Report) float64 {
	s := sizing.From(r.Unit, r.UpAxis)
	if d.Metres != 0 {
		s.MetresPerUnit = d.Metres
	}
	if d.Up != "" {
		s.Up = d.Up
	}
	return s.Size(r.Box()).Max()
}

// Things are as large as they are in the world; the ranges are everyday
// knowledge (from memory), the rail's gauge is the standard one, 1.435 m.
func TestThingsAreAsLargeAsInTheWorld(t *testing.T) {
	list, err := Downloads()
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range list {
		_, r := open(t, d)
		s := sizing.From(r.Unit, r.UpAxis)
		if d.Metres != 0 {
			s.MetresPerUnit = d.Metres
		}
		if d.Up != "" {
			s.Up = d.Up
		}
		size := s.Size(r.Box())
		for word, h := range map[string][2]float64{"traveller": {1.6, 2.0}, "bench": {0.7, 1.1}, "lamp": {3, 6},
			"suitcase": {0.3, 0.6}, "railcar": {2.8, 4}, "shelter": {2.5, 4.5}, "water-tower": {6, 12},
			"conifer": {5, 15},
			"lantern": {0.2, 0.6}, "clock": {2.5, 5}} {
			if strings.Contains(d.Name, word) && (size.Y < h[0] || size.Y > h[1]) {
				t.Errorf("%s is %.3f m high, %v to %v is usual", d.Name, size.Y, h[0], h[1])
			}
		}
	}
}

func TestNoiseIsSmoothAndWithinItsRange(t *testing.T) {
	for i := range 2000 {
		x, z := float64(i)*0.37, float64(i)*0.11
		a, b := noise(7, x, z), noise(7, x+1e-4, z)
		if a < -1.01 || a > 1.01 || math.Abs(a-b) > 1e-2 {
			t.Fatalf("at %v, %v: %v, beside it %v", x, z, a, b)
		}
	}
}

// The waiting room is what a newcomer corrects together: every one of its pieces
// is said to be in millimetres and on its back, and is sure; the floor's boards
// are too wide.
func TestTheWaitingRoomIsCorrectedTogether(t *testing.T) {
	d, err := waitingRoom()
	if err != nil {
		t.Fatal(err)
	}
	tree, err := intake.Unpack(d.Name, d.Data)
	if err != nil {
		t.Fatal(err)
	}
	found, err := intake.Candidates(tree)
	if err != nil || len(found) != 7 {
		t.Fatalf("%d models, %v", len(found), err)
	}
	var list []*sizing.Subject
	wide := ""
	for _, f := range found {
		m, err := intake.ReadFrom(tree, f.Path, f.Path)
		if err != nil {
			t.Fatal(err)
		}
		list = append(list, sizing.SubjectOf(m, path.Base(f.Path)))
		for _, p := range sizing.Patterns(m) {
			wide += p.Judge(unit.InMetres, p.Repeat*0.001)
		}
	}
	for i, p := range sizing.Propose(unit.InMetres, list, nil) {
		if c := p.Candidates[0]; !p.Sure || c.MetresPerUnit != 0.001 || c.Up != "Z" || c.Size.Max() > 3 {
			t.Errorf("%s: %+v", found[i].Path, c)
		}
	}
	if wide != `one repeat of "floor_planks" is 10.00 m; pictures of planks show 0.50 m to 4.00 m` {
		t.Errorf("the pictures: %q", wide)
	}
}
