package takes

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"visator/app/shoot"
	"visator/core/layers"
	"visator/core/optics"
	"visator/core/render"
)

// early is the order in which n frames are made, so that the move is seen early: the first and the last, then always
// the middle of what lies between two that are made.
func early(n int) (order []int) {
	if n < 1 {
		return nil
	}
	order = append(order, 0)
	if n > 1 {
		order = append(order, n-1)
	}
	between := [][2]int{{0, n - 1}}
	for len(between) > 0 {
		var next [][2]int
		for _, b := range between {
			if mid := (b[0] + b[1]) / 2; mid > b[0] {
				order = append(order, mid)
				next = append(next, [2]int{b[0], mid}, [2]int{mid, b[1]})
			}
		}
		between = next
	}
	return order
}

// missing are the frames that are not made yet, in the order in which they are, and the number of the first of all.
func (sh *shooting) missing() (first int, list []int) {
	first, last := sh.s.Frames()
	n := last - first + 1
	if len(sh.r.Frames) != n {
		sh.r.Frames = append(sh.r.Frames[:min(len(sh.r.Frames), n)], make([]string, max(n-len(sh.r.Frames), 0))...)
	}
	if sh.s.Linear && len(sh.r.Linears) != n {
		sh.r.Linears = make([]string, n)
	}
	for _, i := range early(n) {
		if sh.r.Frames[i] == "" {
			list = append(list, i)
		}
	}
	return first, list
}

func (sh *shooting) move(ctx context.Context, l *shoot.Loaded) error {
	first, missing := sh.missing()
	n := len(sh.r.Frames)
	if sh.s.Shared && len(missing) > 1 {
		if err := sh.sharedFrames(ctx, l, first, missing); err != nil {
			return err
		}
		missing = nil
	}
	had := n - len(missing)
	for k, i := range missing {
		f, err := sh.oneFrame(ctx, l, first, i)
		if err != nil {
			return err
		}
		if sh.s.Linear {
			sh.r.Linears[i] = f.EXR
		}
		sh.r.Frames[i], sh.r.Preview = f.PNG, f.PNG
		made := had + k + 1
		sh.r.Left = time.Since(sh.began).Seconds() / float64(made-had) * float64(n-made)
		note := fmt.Sprintf("%d of %d frames", made, n)
		if sh.r.Left >= 1 {
			note += ", " + spoken(sh.r.Left) + " left"
		}
		if err := sh.save(ctx, "working", float64(made)/float64(n+1), note); err != nil {
			return err
		}
	}
	sh.r.MP4, sh.r.Zip, sh.r.EXRs, sh.r.Cut = "", "", "", ""
	dir, err := os.MkdirTemp("", "visator-move-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := sh.pack(ctx, dir); err != nil {
		return err
	}
	if sh.s.Linear {
		if err := sh.packLinear(ctx); err != nil {
			return err
		}
	}
	return sh.video(ctx, dir)
}

// linear keeps a frame as OpenEXR, with its layers and with where all goes until the next.
func (sh *shooting) linear(ctx context.Context, l *shoot.Loaded, f *render.Film, v *optics.View,
	t float64) (string, error) {
	next := t + 1/sh.s.Move.Rate
	then := sh.s.At(next, l.Cast.Where)
	now, later := sh.camera(v), sh.camera(&then)
	return sh.putEXR(ctx, f, &now, nil, &layers.Later{Camera: &later,
		Moved: l.Moved(&sh.s.Light, l.Cast, t, next)})
}

// packLinear keeps the OpenEXRs of all frames as a zip.
func (sh *shooting) packLinear(ctx context.Context) error {
	k, err := sh.a.Store.PutWritten(ctx, func(w io.Writer) error {
		z := zip.NewWriter(w)
		for i, hash := range sh.r.Linears {
			data, err := sh.a.Store.ReadBlob(ctx, hash)
			if err != nil {
				return err
			}
			to, err := z.CreateHeader(&zip.FileHeader{Name: strings.TrimSuffix(frameName(i), ".png") + ".exr",
				Method: zip.Store, Modified: time.Now()})
			if err != nil {
				return err
			}
			if _, err := to.Write(data); err != nil {
				return err
			}
		}
		return z.Close()
	})
	sh.r.EXRs = k.Hash
	return err
}

// While the shutter is open things are shown at some times, each with its part of the samples; the camera has a time of
// its own for each sample, of so many.
const (
	blurSlices  = 8
	blurCameras = 64
)

// frame renders what is seen at a time of the move, with what moves while the shutter is open blurred if that was asked
// for: the time lies in the middle.
func (sh *shooting) frame(ctx context.Context, l *shoot.Loaded, t float64) (*render.Film, *optics.View, error) {
	cast := l.Cast
	v := sh.s.At(t, cast.Where)
	still := l.Still(sh.s.Move, &sh.s.Light)
	open, slices := 0.0, 1
	if sh.s.Blur && sh.whole() {
		open = v.Open()
		if !still {
			slices = min(blurSlices, sh.s.Samples)
		}
	}
	o := sh.s.options()
	if slices > 1 { // each time has its part, no more and no less
		o.Adaptive, o.Noise = false, 0
	}
	var f *render.Film
	for k := range slices {
		from := t - open/2 + open*float64(k)/float64(slices)
		if !still {
			var err error
			mid := max(from+open/float64(2*slices), 0)
			if sh.scene, err = l.Posed(ctx, &sh.s.ShotSettings, cast, mid); err != nil {
				return nil, nil, err
			}
		}
		sh.scene = shoot.Falling(sh.scene, &sh.s.Light, &v, t)
		part := o
		part.Samples, part.From, part.Keep = o.Samples*(k+1)/slices, f, k+1 < slices
		if open > 0 {
			cams := make([]render.Camera, blurCameras)
			for i := range cams {
				at := sh.s.At(max(from+open/float64(slices)*(float64(i)+0.5)/blurCameras, 0), cast.Where)
				cams[i] = shoot.RenderCamera(&at)
			}
			part.Moving = func(share float64) *render.Camera {
				return &cams[min(int(share*blurCameras), blurCameras-1)]
			}
		}
		var err error
		if f, err = sh.render(ctx, &v, part, slices == 1, nil); err != nil {
			return nil, nil, err
		}
	}
	return f, &v, nil
}

// frames writes the frames to dir, as frame-00001.png and so on.
func (sh *shooting) frames(ctx context.Context, dir string) error {
	for i, hash := range sh.r.Frames {
		data, err := sh.a.Store.ReadBlob(ctx, hash)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, frameName(i)), data, 0o600); err != nil {
			return err
		}
	}
	return nil
}

func frameName(i int) string { return fmt.Sprintf("frame-%05d.png", i+1) }

// pack writes the frames to dir and keeps them as a zip. Pictures are
// compressed already: they are stored as they are.
func (sh *shooting) pack(ctx context.Context, dir string) error {
	if err := sh.frames(ctx, dir); err != nil {
		return err
	}
	k, err := sh.a.Store.PutWritten(ctx, func(w io.Writer) error {
		z := zip.NewWriter(w)
		for i := range sh.r.Frames {
			if err := add(z, dir, frameName(i)); err != nil {
				return err
			}
		}
		return z.Close()
	})
	sh.r.Zip = k.Hash
	return err
}

// add puts a file into a zip as it is.
func add(z *zip.Writer, dir, name string) error {
	f, err := os.Open(filepath.Join(dir, name))
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: time.Now()})
	if err != nil {
		return err
	}
	_, err = io.Copy(w, f)
	return err
}

// fine is the quality of a video that is kept, quick of one that is looked at: of H.264's scale, where less is better.
const fine, quick = "16", "28"

// editing is a video for editing: every frame by itself, VC-3 (SMPTE ST 2019-1) with ten bits a value.
const editing = "editing"

// leastEditing is how wide and high such a video is at least, in pixels.
var leastEditing = [2]int{256, 120}

func (sh *shooting) video(ctx context.Context, dir string) error {
	path, err := sh.encode(ctx, dir, fine)
	if err != nil {
		return err
	}
	if sh.r.MP4, err = sh.keepFile(ctx, path); err != nil || !sh.s.Editing {
		return err
	}
	if path, err = sh.encode(ctx, dir, editing); err != nil {
		return err
	}
	sh.r.Cut, err = sh.keepFile(ctx, path)
	return err
}

func (sh *shooting) keepFile(ctx context.Context, path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	hash, _, err := sh.a.Store.PutBlob(ctx, f, 0)
	return hash, err
}

// encode makes a video of the frames in dir.
func (sh *shooting) encode(ctx context.Context, dir, quality string) (path string, err error) {
	ffmpeg, err := exec.LookPath("ffmpeg")
	if err != nil {
		return "", errors.New("the frames are made, but for a video Debian's package ffmpeg must be installed")
	}
	path = filepath.Join(dir, "move.mp4")
	args := []string{"-nostdin", "-loglevel", "error", "-y", "-framerate", fmt.Sprint(sh.s.Move.Rate), "-i",
		filepath.Join(dir, "frame-%05d.png")}
	if quality == editing {
		path = filepath.Join(dir, "move.mov")
		args = append(args, "-c:v", "dnxhd", "-profile:v", "dnxhr_hqx", "-pix_fmt", "yuv422p10le", path)
	} else {
		args = append(args, "-c:v", "libx264", "-crf", quality, "-pix_fmt", "yuv420p", "-movflags", "+faststart", path)
	}
	if text, err := exec.CommandContext(ctx, ffmpeg, args...).CombinedOutput(); err != nil {
		return "", fmt.Errorf("making the video: %w: %s", err, strings.TrimSpace(string(text)))
	}
	return path, nil
}
