package kinds

import (
	"math"
	"strings"
	"testing"
)

func TestTheTableIsWhole(t *testing.T) {
	if len(All) < 250 {
		t.Errorf("%d kinds", len(All))
	}
	names := map[string]bool{}
	for _, k := range All {
		if k.Name == "" || len(k.Words) == 0 || k.Source == "" || names[k.Name] {
			t.Errorf("%+v: a name that no other kind has, words and a source are needed", k)
		}
		names[k.Name] = true
		if k.Breadth.Low > k.Length.High {
			t.Errorf("%s: broader than long", k.Name)
		}
		if m, _ := Recognise(k.Name); len(m) == 0 || m[0].Kind.Name != k.Name {
			t.Errorf("%q is not recognised as itself but as %v", k.Name, m)
		}
	}
	for _, bad := range []string{"a | 1-2 | 1-2 | 1-2 | a | b", "a | 2-1 | 1-2 | 1-2 | a | b | c",
		"a | x | 1-2 | 1-2 | a | b | c", "a | 0-1 | 1-2 | 1-2 | a | b | c"} {
		if _, err := parse(bad); err == nil {
			t.Errorf("%q was accepted", bad)
		}
	}
}

// Sizes that standards give lie in the ranges of the table.
func TestStandardSizesAreInTheTable(t *testing.T) {
	for name, d := range map[string][3]float64{
		"shipping container": {2.591, 6.058, 2.438},    // ISO 668, 1CC
		"brick":              {0.071, 0.24, 0.115},     // DIN 105-100, NF
		"pallet":             {0.144, 1.2, 0.8},        // EN 13698-1
		"oil drum":           {0.88, 0.585, 0.585},     // ISO 15750-2
		"paper sheet":        {0.0001, 0.297, 0.21},    // ISO 216, A4
		"football goal":      {2.44, 7.32, 2},          // IFAB laws of the game, law 1; depth from memory
		"ball":               {0.22, 0.22, 0.22},       // IFAB laws of the game, law 2: 68 to 70 cm round
		"small ball":         {0.0668, 0.0668, 0.0668}, // ITF rules of tennis: 6.54 to 6.86 cm
		"light bulb":         {0.108, 0.06, 0.06},      // IEC 60064, A60; length from memory
		"door":               {2.032, 0.915, 0.1},      // ADA 2010, 404.2.3: at least 815 mm clear; leaf from memory
		"handrail":           {0.9, 2, 0.05},           // ADA 2010, 505.4: 865 to 965 mm
		"washing machine":    {0.85, 0.6, 0.6},         // EN 1116
		"person":             {1.755, 0.5, 0.3},        // ISO/TR 7250-2, men of many countries, about the mean
		"basketball hoop":    {3.05 + 0.9, 1.8, 1.2},   // FIBA: rim at 3.05 m, board 1.05 m high from 0.15 m below it
	} {
		i := number(name)
		if i < 0 {
			t.Errorf("no kind %q", name)
			continue
		}
		for k, r := range []Range{All[i].Height, All[i].Length, All[i].Breadth} {
			if d[k] < r.Low*0.999 || d[k] > r.High*1.001 {
				t.Errorf("%s: dimension %d is %v, the table has %v to %v", name, k, d[k], r.Low, r.High)
			}
		}
	}
}

func number(name string) int {
	for i := range All {
		if All[i].Name == name {
			return i
		}
	}
	return -1
}

func TestNames(t *testing.T) {
	for name, want := range map[string]string{
		"SM_DiningChair_02.obj": "chair", "chr_03": "chair", "gartenstuhl": "chair", "Stühle_alt": "chair",
		"chaises": "chair", "table-lamp": "table lamp", "tischlampe_01": "table lamp",
		"Tür_alt": "door", "tuer_01": "door", "porte-bois": "door", "street light": "street lamp",
		"coffeeTable": "coffee table", "mesa_de_centro": "coffee table", "wooden_crate_high": "crate",
		"car_wheel": "wheel", "tbl": "table", "Bücherregal": "shelf", "buecherregal": "shelf", "refrig": "fridge",
		"tower_block": "office tower", "glass_bottle": "bottle", "wndw_big": "window",
		"Küchenstuhl": "chair", "TreeBig03": "tree", "HTTPServerRack": "shelf", "стул": "chair", "old_bed": "bed",
		"fauteuil_club": "armchair", "OAK_TREE_LOD0": "tree",
	} {
		m, rely := Recognise(name)
		if len(m) == 0 || m[0].Kind.Name != want || rely < 0.5 {
			t.Errorf("%s: %v (%v), want %s", name, m, rely, want)
		}
	}
	for _, name := range []string{"", "asset_0042", "Object_12", "final_v3_high", "mesh", "🙂", "___"} {
		if m, rely := Recognise(name); len(m) != 0 || rely != 0 {
			t.Errorf("%s: %v (%v)", name, m, rely)
		}
	}
	_, whole := Recognise("door")
	if _, rely := Recognise("door_handle"); rely > whole/2 {
		t.Errorf("door_handle is relied on with %v", rely)
	}
	if _, rely := Recognise("toy_car"); rely > whole/2 {
		t.Errorf("toy_car is relied on with %v", rely)
	}
}

func TestPartsTellTheWhole(t *testing.T) {
	for list, want := range map[string]string{"seat leg_fl leg_fr backrest armrest": "chair armchair bench stadium",
		"wheel_fl bonnet windshield": "car", "trunk leaves": "tree", "cork label": "bottle",
		"table_top table_leg": "table",
		"buffer_l bogie":      "railcar"} {
		m := FromParts(strings.Fields(list))
		if len(m) == 0 || !strings.Contains(want, strings.Fields(m[0].Kind.Name)[0]) {
			t.Errorf("%s: %v", list, m)
		}
	}
	if m := FromParts([]string{"Object_1", "Cube.002"}); len(m) != 0 {
		t.Errorf("%v", m)
	}
}

// Whatever a name is, the weights are a distribution.
func FuzzRecognise(f *testing.F) {
	for _, s := range []string{"SM_DiningChair_02", "Tür", "a\xffb", "椅子", "table table lamp lamp door"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, name string) {
		m, rely := Recognise(name)
		sum := 0.0
		for _, x := range m {
			sum += x.Weight
		}
		if len(m) > 0 && math.Abs(sum-1) > 1e-9 || rely < 0 || rely > 1 || (len(m) == 0) != (rely == 0) {
			t.Errorf("%q: sum %v, reliance %v", name, sum, rely)
		}
		FromParts([]string{name, "seat"})
	})
}
