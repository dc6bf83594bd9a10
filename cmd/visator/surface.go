package main

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"os"
	"slices"

	"visator/core/model"
	"visator/core/sizing"
	"visator/core/surface"
)

// surfaceLine is a surface of a model, as JSON.
type surfaceLine struct {
	File     string           `json:"file"`
	Surface  string           `json:"surface"`
	Material surface.Material `json:"material"` // without its pictures; tile is in units of the file
	Maps     []string         `json:"maps"`
	Share    float64          `json:"share"` // of the model's area
	Doubts   string           `json:"doubts"`
}

func surfaces(ctx context.Context, args []string) error {
	fs := newFlags("surface", "[--json] FILE...",
		"Tells what each surface of a model is made of: its values, its maps, how large one repeat of them is in "+
			"units of the file, and what no real thing looks like.")
	files, asJSON, err := parseFiles(fs, args)
	if err != nil {
		return err
	}
	out := json.NewEncoder(os.Stdout)
	out.SetEscapeHTML(false)
	failed := false
	for _, file := range files {
		m, err := readModel(ctx, file)
		if err != nil {
			if err := refuse(out, asJSON, file, err); err != nil {
				return err
			}
			failed = true
			continue
		}
		for _, l := range linesOf(file, m) {
			if asJSON {
				if err := out.Encode(l); err != nil {
					return err
				}
				continue
			}
			fmt.Printf("%s: %s  %s, roughness %.0f %%, metal %.0f %%, %.0f %% of the area, maps %v", file, l.Surface,
				l.Material.Base, 100*l.Material.Rough, 100*l.Material.Metal, 100*l.Share, l.Maps)
			if l.Material.Tile > 0 {
				fmt.Printf(", one repeat %.4g", l.Material.Tile)
			}
			if l.Doubts != "" {
				fmt.Printf("; %s", l.Doubts)
			}
			fmt.Println()
		}
	}
	if failed {
		return errSaid
	}
	return nil
}

func linesOf(file string, m *model.Model) (list []surfaceLine) {
	tiles := map[int]float64{}
	for _, p := range sizing.Patterns(m) {
		tiles[p.Index] = p.Repeat
	}
	areas, whole := sizing.Areas(m), 0.0
	for _, a := range areas {
		whole += a
	}
	for i := range m.Surfaces {
		s := &m.Surfaces[i]
		l := surfaceLine{File: file, Surface: s.Name, Material: surface.Of(s, tiles[i]), Maps: []string{}}
		for name, role := range surface.Roles {
			if k := s.Slots[role].Map; k != model.None && m.Maps[k].Data != nil {
				l.Maps = append(l.Maps, name)
			}
		}
		slices.Sort(l.Maps)
		if whole > 0 {
			l.Share = areas[i] / whole
		}
		if len(l.Maps) == 0 {
			l.Doubts = l.Material.Likely()
		}
		list = append(list, l)
	}
	return list
}

func palette(_ context.Context, args []string) error {
	fs := newFlags("palette", "PICTURE... [--colours 3..12] [--json]",
		"Tells the colours of pictures with the share that each has, by clusters in OKLab: PNG, JPEG, WebP or TGA.")
	colors := fs.Int("colours", 6, "how many colours, 3 to 12")
	asJSON := fs.Bool("json", false, "one line of JSON")
	files, err := parse(fs, args)
	switch {
	case err != nil:
		return err
	case len(files) == 0:
		return usagef("name at least one picture")
	case *colors < surface.LeastColors || *colors > surface.MostColors:
		return usagef("--colours is %d to %d", surface.LeastColors, surface.MostColors)
	}
	var pictures []*image.NRGBA
	for _, file := range files {
		data, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		p, err := model.DecodePicture(data, file)
		if err != nil {
			return err
		}
		pictures = append(pictures, p)
	}
	list := surface.Palette(*colors, pictures...)
	if *asJSON {
		return json.NewEncoder(os.Stdout).Encode(map[string]any{"colours": list})
	}
	for _, s := range list {
		fmt.Printf("%s  %.1f %%\n", s.Color, 100*s.Share)
	}
	return nil
}
