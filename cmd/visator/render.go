package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"visator/core/exchange"
	"visator/core/eye"
	"visator/core/finish"
	"visator/core/geom"
	"visator/core/layers"
	"visator/core/model"
	"visator/core/render"
	"visator/core/sky"
	"visator/core/surface"
	"visator/core/unit"
)

type renderCall struct {
	file, camera, size, background, env, light, surfaces, out, passes string
	region, resume, move, frames                                      string
	shutter                                                           float64
	o                                                                 render.Options
	percent, seconds                                                  float64
	even, half, dwaa, around                                          bool
	layers                                                            string
	list                                                              []string // of layers
	called                                                            func(object uint32) string
	strength, turn, focus, fstop, ev                                  float64
	noDenoise                                                         bool
}

func renderFile(ctx context.Context, args []string) error {
	var c renderCall
	fs := newFlags("render", "FILE.glb|.gltf [flags] --out F.exr|.png",
		"Renders a glTF scene with its own cameras and lights. EXR pixels are scene-linear cd/m²; PNG pixels are "+
			"exposed and tone-mapped.")
	fs.StringVar(&c.camera, "camera", "0", "`INDEX|NAME` of the camera")
	fs.StringVar(&c.size, "size", "1280x720", "picture size in pixels, `WxH`")
	fs.IntVar(&c.o.Samples, "samples", 64, "samples a pixel")
	fs.Uint64Var(&c.o.Seed, "seed", 1, "seed; the same seed gives the same picture")
	fs.IntVar(&c.o.Threads, "threads", 0, "threads; 0 is all cores")
	fs.IntVar(&c.o.Bounces, "bounces", render.DefaultBounces, "indirect bounces")
	fs.StringVar(&c.background, "background", "", "constant light from everywhere, `R,G,B` in cd/m²")
	fs.StringVar(&c.env, "environment", "", "panorama in Radiance HDR or OpenEXR, `F.hdr|.exr`")
	fs.Float64Var(&c.strength, "environment-strength", 1, "cd/m² of a panorama value of 1")
	fs.Float64Var(&c.turn, "environment-turn", 0,
		"turn of the panorama about +Y in `DEGREES`, counter-clockwise seen from above")
	fs.BoolVar(&c.noDenoise, "no-denoise", false, "keep the noise, and clamp nothing")
	fs.Float64Var(&c.focus, "focus", 0,
		"focus distance along the view axis in `METRES`; 0 is the nearest thing in the "+
			"middle of the picture")
	fs.Float64Var(&c.fstop, "fstop", 0, "f-number of the lens on a sensor 24 mm high; 0 is a pinhole")
	fs.StringVar(&c.light, "light", "", "the light of a rig, `RIG.json`, in the place of the scene's own")
	fs.StringVar(&c.surfaces, "surfaces", "",
		"what surfaces are made of instead, and wear, `OVERRIDES.json`; see docs/surface.md")
	fs.BoolVar(&c.o.Shares, "shares", false, "also write, into the EXR, what each group of lights gives")
	fs.StringVar(&c.layers, "layers", "",
		"write these `LAYERS` into the EXR, and a list of them beside it; all is all, see docs/shoot.md")
	fs.BoolVar(&c.half, "half", false, "16 bits a value where that is enough")
	fs.BoolVar(&c.dwaa, "dwaa", false,
		"pack layers as DWAA: colours have 16 bits a value and lose what is hardly seen, all else is as it was")
	fs.BoolVar(&c.around, "panorama", false, "all around from where the camera stands, by longitude and latitude")
	fs.StringVar(&c.passes, "passes", "", "also write, into the EXR: `depth,normal,albedo,objectId`")
	fs.StringVar(&c.region, "region", "",
		"only the part of the picture from `X0,Y0,X1,Y1`, in pixels from the upper left")
	fs.Float64Var(&c.percent, "until-noise", 0,
		"`PERCENT` of noise that is little enough: fewer samples are made then, see docs/shoot.md")
	fs.Float64Var(&c.seconds, "seconds", 0, "stop after so many seconds; 0 is no limit")
	fs.BoolVar(&c.even, "even", false, "as many samples everywhere, not more where noise is left")
	fs.StringVar(&c.move, "move", "", "a move, frame by frame, `MOVE.json`, as parcels have it; see docs/shoot.md")
	fs.StringVar(&c.frames, "frames", "",
		"of a move the frames `A-B`, counted from 1; each is a file of its own, its number behind the name")
	fs.Float64Var(&c.shutter, "shutter", 0,
		"of a move: for how many `DEGREES` of a frame's 360 the shutter is open, by which what moves is blurred")
	fs.StringVar(&c.resume, "resume", "",
		"`FILM` to lay what is made aside in, and to go on with if it is there: for more samples, or after a stop")
	fs.Float64Var(&c.ev, "ev", 0, "exposure value EV100 of a PNG; measured from the picture when not given")
	fs.StringVar(&c.out, "out", "", "picture to write, `F.exr|.png`")
	files, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(files) != 1 {
		return usagef("name one .glb or .gltf file")
	}
	c.file = files[0]
	return c.run(ctx, flagsGiven(fs))
}

func (c *renderCall) run(ctx context.Context, given map[string]bool) error {
	kind := strings.ToLower(filepath.Ext(c.out))
	if kind != ".exr" && kind != ".png" {
		return usagef("--out must name an .exr or .png file, not %q", c.out)
	}
	w, h, ok := strings.Cut(strings.ToLower(c.size), "x")
	var errW, errH error
	c.o.Width, errW = strconv.Atoi(w)
	c.o.Height, errH = strconv.Atoi(h)
	if !ok || errW != nil || errH != nil {
		return usagef("--size %q is not of the form 1280x720", c.size)
	}
	c.o.Denoise = !c.noDenoise
	if err := c.asFilm(); err != nil {
		return err
	}
	if err := c.o.Check(); err != nil {
		return usageError{err}
	}
	if c.fstop < 0 || c.focus < 0 {
		return usagef("--fstop and --focus cannot be negative")
	}
	if c.light != "" && (c.background != "" || c.env != "") {
		return usagef("--light brings its own sky: leave --background and --environment out")
	}
	if c.o.Shares && (kind != ".exr" || c.light == "") {
		return usagef("--shares need --light and an .exr file")
	}
	wanted, err := c.wantedPasses(kind)
	if err != nil {
		return err
	}
	if c.dwaa && c.layers == "" {
		return usagef("--dwaa needs --layers")
	}
	if c.layers != "" {
		if kind != ".exr" {
			return usagef("--layers need an .exr file")
		}
		if c.list, err = layers.Wanted(c.layers); err != nil {
			return usageError{err}
		}
		c.o.Extra = layers.Extra(c.list)
		c.o.Shares = c.o.Shares || c.light != "" && slices.Contains(c.list, "lights")
	}
	m, err := readModel(ctx, c.file)
	if err != nil {
		return err
	}
	c.called = func(object uint32) string {
		if n := int(object) - 1; n >= 0 && n < len(m.Nodes) {
			return m.Nodes[n].Name
		}
		return ""
	}
	var weathers []surface.Weather
	if c.surfaces != "" {
		if m, weathers, err = readOverrides(c.surfaces, m); err != nil {
			return err
		}
	}
	library := &render.Library{Threads: c.o.Threads}
	if c.move != "" {
		return c.renderFrames(ctx, m, func(m *model.Model) (*render.Scene, []string, falls, error) {
			return c.scene(library, m, weathers)
		})
	}
	scene, groups, drops, err := c.scene(library, m, weathers)
	if err != nil {
		return err
	}
	cam, err := c.findCamera(m)
	if err != nil {
		return err
	}
	cam.Around = c.around
	if drops != nil {
		scene = drops(scene, cam.World.Point(geom.V{}))
	}
	if c.fstop > 0 {
		focus := c.focus
		if focus == 0 {
			hit, ok := scene.Closest(cam.Ray(0.5, 0.5, 0.5, 0.5))
			if !ok {
				return usagef("nothing stands in the middle of the picture: give --focus in metres")
			}
			focus = hit.T
		}
		cam.Open(c.fstop, focus)
	}
	film, err := c.expose(ctx, scene, &cam)
	if err != nil {
		return err
	}
	if c.list != nil {
		return c.writeLayers(film, &cam, groups)
	}
	return c.write(film, kind, wanted, groups, given["ev"])
}

// scene is the scene of a model in the light that is asked for, with its groups of lights.
func (c *renderCall) scene(library *render.Library, m *model.Model, weathers []surface.Weather) (scene *render.Scene,
	groups []string, drops falls, err error) {
	scene = &render.Scene{}
	if err := scene.Place(library, m, geom.Identity, func(n int) uint32 { return uint32(n + 1) }); err != nil {
		return nil, nil, nil, err
	}
	if c.light == "" {
		scene.PlaceLights(m, geom.Identity)
	}
	if scene.Env, err = c.environment(); err != nil {
		return nil, nil, nil, err
	}
	scene.Build()
	if c.light != "" {
		if scene, groups, drops, err = inLight(scene, m, c.light); err != nil {
			return nil, nil, nil, err
		}
	}
	scene.Weathers = weathers // whatever light it is in
	return scene, groups, drops, nil
}

func (c *renderCall) wantedPasses(kind string) ([]string, error) {
	if c.passes == "" {
		return nil, nil
	}
	if kind != ".exr" {
		return nil, usagef("--passes need an .exr file")
	}
	list := strings.Split(c.passes, ",")
	for _, p := range list {
		if !slices.Contains([]string{"depth", "normal", "albedo", "objectId"}, p) {
			return nil, usagef("pass %q is not one of depth, normal, albedo, objectId", p)
		}
	}
	return list, nil
}

func (c *renderCall) environment() (*sky.Environment, error) {
	var constant geom.V
	if c.background != "" {
		parts := strings.Split(c.background, ",")
		if len(parts) != 3 {
			return nil, usagef("--background %q is not of the form R,G,B", c.background)
		}
		var v [3]float64
		for i, p := range parts {
			x, err := strconv.ParseFloat(strings.TrimSpace(p), 64)
			if err != nil || !(x >= 0) || x > 1e12 {
				return nil, usagef("--background: %q is not a luminance", p)
			}
			v[i] = x
		}
		constant = geom.V{X: v[0], Y: v[1], Z: v[2]}
	}
	if c.env == "" {
		if c.background == "" {
			return nil, nil
		}
		return &sky.Environment{Constant: constant}, nil
	}
	if !(c.strength >= 0) {
		return nil, usagef("--environment-strength cannot be %v", c.strength)
	}
	f, err := os.Open(c.env)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	pix, w, h, _, err := exchange.ReadPanorama(f)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", c.env, err)
	}
	e := sky.New(pix, w, h, c.strength, unit.Radians(c.turn))
	e.Constant = constant
	return e, nil
}

// findCamera finds the camera by name or by its number in the file.
func (c *renderCall) findCamera(m *model.Model) (cam render.Camera, err error) {
	index, numErr := strconv.Atoi(c.camera)
	found := false
	m.Walk(func(_ int, n *model.Node, world geom.M) {
		if n.Camera == model.None || found {
			return
		}
		if numErr == nil && n.Camera == index || numErr != nil &&
			(m.Cameras[n.Camera].Name == c.camera || n.Name == c.camera) {
			cam, found = eye.From(&m.Cameras[n.Camera], world, c.o.Width, c.o.Height), true
		}
	})
	if !found {
		return cam, fmt.Errorf("%s has no camera %q in its scene (%d in all)", c.file, c.camera, len(m.Cameras))
	}
	return cam, nil
}

func (c *renderCall) write(film *render.Film, kind string, passes, groups []string, evGiven bool) error {
	return writeWhole(c.out, func(w io.Writer) error {
		if kind == ".png" {
			ev := c.ev
			if !evGiven {
				ev = finish.Measure(film.Color)
			}
			return png.Encode(w, finish.Picture(film.Color, film.Width, film.Height, ev))
		}
		return exchange.WriteEXR(w, film.Width, film.Height, append(FilmChannels(film, passes),
			exchange.Shares(film.Shares, groups)...))
	})
}

// writeWhole writes a file beside where it is to be and renames it, so that a failure leaves what was there, and no
// half file.
func writeWhole(path string, write func(w io.Writer) error) error {
	tmp, err := os.CreateTemp(filepath.Dir(path), ".visator-*")
	if err != nil {
		return err
	}
	defer os.Remove(tmp.Name())
	if err = errors.Join(write(tmp), tmp.Chmod(0o644), tmp.Close()); err != nil {
		return err
	}
	return os.Rename(tmp.Name(), path)
}

// flagsGiven are the names of the flags of a call.
func flagsGiven(fs *flag.FlagSet) map[string]bool {
	given := map[string]bool{}
	fs.Visit(func(f *flag.Flag) { given[f.Name] = true })
	return given
}

// FilmChannels are the colour of a film and the passes that are asked for.
func FilmChannels(f *render.Film, passes []string) []exchange.Channel {
	list := exchange.RGB("", f.Color)
	for _, p := range passes {
		switch p {
		case "depth":
			list = append(list, exchange.Channel{Name: "Z", Data: f.Depth, Stride: 1})
		case "normal":
			for k, axis := range []string{"X", "Y", "Z"} {
				list = append(list, exchange.Channel{Name: "normal." + axis, Data: f.Normal, Stride: 3, Offset: k})
			}
		case "albedo":
			list = append(list, exchange.RGB("albedo.", f.Albedo)...)
		case "objectId":
			list = append(list, exchange.Channel{Name: "objectId.V", Data: f.Object, Stride: 1})
		}
	}
	return list
}
