package main

import (
	"context"
	"fmt"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"visator/core/finish"
	"visator/core/footage"
	"visator/core/layers"
	"visator/core/model"
	"visator/core/motion"
	"visator/core/render"
)

// standing makes the scene of a model, with its groups of lights and what falls in it.
type standing func(m *model.Model) (*render.Scene, []string, falls, error)

// renderFrames renders frames of a recorded move.
func (c *renderCall) renderFrames(ctx context.Context, m *model.Model, stand standing) error {
	if c.region != "" || c.resume != "" || c.around || c.seconds > 0 || c.fstop > 0 {
		return usagef("frames of a move have their lens from it, and no --region, --resume, --seconds or --panorama")
	}
	if !(c.shutter >= 0 && c.shutter <= 360) {
		return usagef("--shutter is 0 to 360 degrees")
	}
	move, err := readMove(c.move)
	if err != nil {
		return err
	}
	from, to, err := c.frameRange(len(move.Frames))
	if err != nil {
		return err
	}
	f, err := footage.New(m, move)
	if err != nil {
		return err
	}
	var groups []string
	f.Options, f.Shutter = c.o, c.shutter/360
	f.Stand = func(m *model.Model) (scene *render.Scene, err error) {
		var drops falls
		scene, groups, drops, err = stand(m)
		f.Fall = drops
		return scene, err
	}
	for n := from; n <= to; n++ {
		if err := c.frame(ctx, f, n, &groups); err != nil {
			return fmt.Errorf("frame %d, those before it are made: %w", n, err)
		}
	}
	return nil
}

func readMove(path string) (*motion.Recorded, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	m, err := motion.ReadRecorded(f)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return m, nil
}

// frameRange reads --frames, of n that there are.
func (c *renderCall) frameRange(n int) (from, to int, err error) {
	if c.frames == "" {
		return 1, n, nil
	}
	a, b, two := strings.Cut(c.frames, "-")
	if !two {
		b = a
	}
	from, err1 := strconv.Atoi(strings.TrimSpace(a))
	to, err2 := strconv.Atoi(strings.TrimSpace(b))
	if err1 != nil || err2 != nil {
		return 0, 0, usagef("--frames %q is not of the form 1-24", c.frames)
	}
	if from < 1 || to < from || to > n {
		return 0, 0, usagef("--frames %d-%d: the move has the frames 1 to %d", from, to, n)
	}
	return from, to, nil
}

// frame makes a frame and writes it beside the others.
func (c *renderCall) frame(ctx context.Context, f *footage.Footage, n int, groups *[]string) error {
	film, cam, err := f.Frame(ctx, n)
	if err != nil {
		return err
	}
	kind := strings.ToLower(filepath.Ext(c.out))
	path := fmt.Sprintf("%s-%05d%s", strings.TrimSuffix(c.out, filepath.Ext(c.out)), n, kind)
	if kind == ".png" {
		v := f.View(n)
		l := &finish.Linear{Width: film.Width, Height: film.Height, Color: film.Color}
		return writeWhole(path, func(w io.Writer) error { return png.Encode(w, finish.Develop(l, &v, nil)) })
	}
	p, err := layers.Of(film, &cam, c.list, *groups, []layers.Called{{Kind: "Thing", Of: c.called}}, f.Later(n))
	if err != nil {
		return err
	}
	return c.writePicture(path, p)
}
