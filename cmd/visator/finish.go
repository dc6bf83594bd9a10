package main

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"maps"
	"os"
	"path/filepath"
	"strings"

	"visator/core/cube"
	"visator/core/finish"
	"visator/core/layers"
	"visator/core/openexr"
	"visator/core/optics"
)

// maxChain bounds the file of a finish: a hundred steps with room.
const maxChain = 1 << 20

// finished develops a picture of linear values.
func finished(_ context.Context, args []string) error {
	fs := newFlags("finish", "PICTURE.exr [--chain CHAIN.json] [--ev EV] [--focal MM] --out P.png",
		"Finishes a picture of linear values in cd/m²: exposure, the steps of a chain in the order of light, and the "+
			"screen's encoding.")
	chain := fs.String("chain", "", "the steps and their settings, `CHAIN.json`; none: the neutral tone alone")
	ev := fs.Float64("ev", 0, "exposure value EV100; measured from the picture when not given")
	focal := fs.Float64("focal", 50, "focal length in `MM`, of a sensor 36 mm wide: by which the edges darken")
	out := fs.String("out", "", "picture to write, `P.png`")
	as := fs.String("encoding", "sRGB", "how its values are written: `sRGB`, Display P3, Rec.709 or PQ")
	bits := fs.Int("bits", 0, "`BITS` a value: 8 or 16, dithered; 0 is 8, not dithered")
	table := fs.String("cube", "", "also write the chain as a table, `LOOK.cube`, to be laid over a picture without it")
	look := fs.String("look", "", "a table that is laid over what a screen shows, `LOOK.cube`")
	files, err := parse(fs, args)
	switch {
	case err != nil:
		return err
	case len(files) != 1 || *out == "":
		return usagef("name one picture in OpenEXR, and the one to write with --out")
	case !(*focal >= 1 && *focal <= 10_000):
		return usagef("--focal is 1 to 10,000 mm")
	case *bits != 0 && *bits != 8 && *bits != 16:
		return usagef("--bits is 8 or 16")
	}
	c, err := readChain(*chain)
	if err != nil {
		return err
	}
	encoding, err := finish.EncodingOf(*as)
	if err != nil {
		return usageError{err}
	}
	if *table != "" {
		if err := writeCube(*table, c); err != nil {
			return err
		}
	}
	if *look != "" {
		if c, err = withLook(c, *look); err != nil {
			return err
		}
	}
	v := optics.Default()
	v.SensorW, v.Focal, v.EV = 36, *focal, *ev
	l, err := readLinear(files[0])
	if err != nil {
		return fmt.Errorf("%s: %w", files[0], err)
	}
	v.Aspect = float64(l.Width) / float64(l.Height)
	if !flagsGiven(fs)["ev"] {
		v.EV = finish.Measure(l.Color)
	}
	return writeWhole(*out, func(w io.Writer) error {
		if *bits == 0 && encoding.Name == "sRGB" {
			return png.Encode(w, finish.Develop(l, &v, c))
		}
		return finish.WritePNG(w, l, &v, c, encoding, max(*bits, 8))
	})
}

// writeCube writes a chain as a table.
func writeCube(path string, c finish.Chain) error {
	table, err := c.Cube(strings.TrimSuffix(filepath.Base(path), filepath.Ext(path)))
	if err != nil {
		return err
	}
	return writeWhole(path, table.Write)
}

// withLook is a chain with a table that is laid over what a screen shows.
func withLook(c finish.Chain, path string) (finish.Chain, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	sum := sha256.New()
	table, err := cube.Read(io.TeeReader(f, sum))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	name := fmt.Sprintf("%x", sum.Sum(nil))
	finish.Learn(name, table)
	out := finish.Chain{}
	maps.Copy(out, c)
	out["look"], err = json.Marshal(finish.Look{Table: name, Share: 1})
	return out, err
}

// readLinear reads what is finished of a picture.
func readLinear(path string) (*finish.Linear, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	e, err := openexr.Open(f)
	if err != nil {
		return nil, err
	}
	return layers.Linear(e, e.Width)
}

// readChain reads the steps of a finish; none of no file.
func readChain(path string) (c finish.Chain, err error) {
	if path == "" {
		return nil, nil
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	raw, err := io.ReadAll(io.LimitReader(f, maxChain))
	if err == nil {
		err = json.Unmarshal(raw, &c)
	}
	if err == nil {
		err = c.Check()
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return c, nil
}
