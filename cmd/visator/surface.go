package main

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"os"

	"visator/core/model"
	"visator/core/surface"
)

// surfaceLine is a surface of a model, as JSON; its tile is in units of the file.
type surfaceLine struct {
	File string `json:"file"`
	surface.Found
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
		for _, l := range surface.Of(m, 1) {
			if asJSON {
				if err := out.Encode(surfaceLine{file, l}); err != nil {
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
