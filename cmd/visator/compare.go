package main

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"io"
	"os"

	"visator/core/compare"
)

// compared tells how different two pictures look.
func compared(_ context.Context, args []string) error {
	fs := newFlags("compare", "A.png B.png [--json] [--heat OUT.png]",
		"Tells how different two pictures of one size look: CIEDE2000 after the blur of the eye.")
	asJSON := fs.Bool("json", false, "as JSON")
	heat := fs.String("heat", "", "also draw where they differ, `OUT.png`: dark nothing, bright much")
	files, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(files) != 2 {
		return usagef("name two pictures in PNG")
	}
	a, err := readPNG(files[0])
	if err != nil {
		return err
	}
	b, err := readPNG(files[1])
	if err != nil {
		return err
	}
	d, err := compare.Pictures(a, b, compare.PerDegree)
	if err != nil {
		return fmt.Errorf("%s, %s: %w", files[0], files[1], err)
	}
	if *heat != "" {
		if err := writeWhole(*heat, func(w io.Writer) error {
			return png.Encode(w, compare.Heat(d.Apart, d.Width, d.Height, compare.Most))
		}); err != nil {
			return err
		}
	}
	if *asJSON {
		return json.NewEncoder(os.Stdout).Encode(map[string]float64{"mean": d.Mean, "most": d.Most, "seen": d.Seen})
	}
	fmt.Printf("%.3f apart on the average (CIEDE2000; about 1 is just seen), %.1f at most but for a hundredth, "+
		"%.1f %% of the picture is seen to differ\n", d.Mean, d.Most, 100*d.Seen)
	return nil
}

// readPNG reads a picture of at most 268 million pixels, as a render may have.
func readPNG(path string) (*image.NRGBA, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	c, err := png.DecodeConfig(f)
	if err == nil && c.Width*c.Height > filmMost {
		err = fmt.Errorf("%d x %d pixels are too many", c.Width, c.Height)
	}
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	m, err := png.Decode(f)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	out := image.NewNRGBA(image.Rect(0, 0, c.Width, c.Height))
	draw.Draw(out, out.Rect, m, m.Bounds().Min, draw.Src)
	return out, nil
}
