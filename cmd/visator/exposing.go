package main

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"visator/core/exchange"
	"visator/core/film"
	"visator/core/layers"
	"visator/core/render"
)

// asFilm takes from the flags what part of the picture is made, and for how long.
func (c *renderCall) asFilm() error {
	if c.region != "" {
		parts := strings.Split(c.region, ",")
		if len(parts) != 4 {
			return usagef("--region %q is not of the form X0,Y0,X1,Y1", c.region)
		}
		for i, p := range parts {
			n, err := strconv.Atoi(strings.TrimSpace(p))
			if err != nil {
				return usagef("--region: %q is no pixel", p)
			}
			c.o.Region[i] = n
		}
		if c.o.Region == [4]int{} {
			return usagef("--region 0,0,0,0 has no pixels")
		}
	}
	if !(c.percent >= 0 && c.percent <= 100) {
		return usagef("--until-noise is 0 to 100 percent")
	}
	if !(c.seconds >= 0) {
		return usagef("--seconds cannot be negative")
	}
	c.o.Noise, c.o.Adaptive, c.o.Keep = c.percent/100, !c.even, true
	return nil
}

// filmMost is how many pixels of a film that goes on are read: as many as a picture may have.
const filmMost = render.MaxSide * render.MaxSide

// expose renders, goes on with a film if there is one, and lays it aside if asked.
func (c *renderCall) expose(ctx context.Context, s *render.Scene, cam *render.Camera) (*render.Film, error) {
	of := ""
	if c.resume != "" {
		var err error
		if of, err = c.of(); err != nil {
			return nil, err
		}
		if c.o.From, err = openFilm(c.resume, of); err != nil {
			return nil, err
		}
	}
	if began := time.Now(); c.seconds > 0 {
		c.o.Stop = func(int) bool { return time.Since(began).Seconds() > c.seconds }
	}
	f, err := render.Render(ctx, s, cam, c.o)
	if f == nil {
		return nil, err
	}
	if c.resume != "" { // what was made before a stop is laid aside too
		err = errors.Join(err, writeWhole(c.resume, func(w io.Writer) error { return f.Save(w, of) }))
	}
	if err == nil {
		if noise := f.Noise(); !math.IsNaN(noise) {
			fmt.Fprintf(os.Stderr, "%d samples a pixel, %.2f %% noise before its removal\n", f.Samples, 100*noise)
		}
	}
	return f, err
}

func openFilm(path, of string) (*render.Film, error) {
	file, err := os.Open(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return nil, err
	}
	f, err := film.Load(file, info.Size(), of, filmMost)
	if errors.Is(err, film.ErrOther) {
		return nil, fmt.Errorf("%s: %w: of another scene, size, region, light, camera or seed. Name another file, or "+
			"render with what it was made with", path, err)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return f, nil
}

// writeLayers writes the picture with its layers, and beside it a list of what they are.
func (c *renderCall) writeLayers(f *render.Film, cam *render.Camera, groups []string) error {
	p, err := layers.Of(f, cam, c.list, groups, []layers.Called{{Kind: "Thing", Of: c.called}}, nil)
	if err != nil {
		return err
	}
	if c.around {
		p.Texts[exchange.EnvMap] = "latlong"
	}
	if err := c.writePicture(c.out, p); err != nil {
		return err
	}
	list := strings.TrimSuffix(c.out, filepath.Ext(c.out)) + ".layers.json"
	return writeWhole(list, func(w io.Writer) error {
		enc := json.NewEncoder(w)
		enc.SetIndent("", "  ")
		return enc.Encode(map[string]any{"picture": filepath.Base(c.out), "layers": p.Lines})
	})
}

// writePicture writes a picture with layers as it is asked to be packed.
func (c *renderCall) writePicture(path string, p *layers.Picture) error {
	if c.half {
		p.Channels = exchange.Halves(p.Channels)
	}
	write := exchange.WriteEXRWith
	if c.dwaa {
		write = exchange.WriteEXRPacked
	}
	return writeWhole(path, func(w io.Writer) error { return write(w, p.Width, p.Height, p.Channels, p.Texts) })
}

// of tells the picture that is asked for from all others: by what the files hold that it is made of, and all that
// is told of it but how long.
func (c *renderCall) of() (string, error) {
	h := sha256.New()
	for _, name := range []string{c.file, c.env, c.light, c.surfaces} {
		fmt.Fprintf(h, "%d\n", len(name))
		if name == "" {
			continue
		}
		f, err := os.Open(name)
		if err != nil {
			return "", err
		}
		_, err = io.Copy(h, f)
		f.Close()
		if err != nil {
			return "", err
		}
	}
	fmt.Fprintln(h, c.camera, c.size, c.background, c.strength, c.turn, c.focus, c.fstop, c.o.Seed, c.o.Bounces,
		c.o.Region, c.o.Denoise, c.o.Shares, c.o.Adaptive, c.o.Extra, c.around)
	return fmt.Sprintf("%x", h.Sum(nil)), nil
}
