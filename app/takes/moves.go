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

	"visator/app/shoot"
)

func (sh *shooting) move(ctx context.Context, l *shoot.Loaded) error {
	first, last := sh.s.Frames()
	n := last - first + 1
	cast := l.Cast
	for i := len(sh.r.Frames); i < n; i++ {
		t := float64(first+i) / sh.s.Move.Rate
		v := sh.s.At(t, cast.Where)
		if !l.Still(sh.s.Move, &sh.s.Light) {
			var err error
			if sh.scene, err = l.Posed(ctx, &sh.s.ShotSettings, cast, t); err != nil {
				return err
			}
		}
		sh.scene = shoot.Falling(sh.scene, &sh.s.Light, &v, t)
		f, err := sh.expose(ctx, &v, nil)
		if err != nil {
			return err
		}
		hash, err := sh.putPNG(ctx, f, &v)
		if err != nil {
			return err
		}
		sh.r.Frames, sh.r.Preview = append(sh.r.Frames, hash), hash
		if err := sh.save(ctx, "working", float64(i+1)/float64(n+1), fmt.Sprintf("frame %d of %d", i+1,
			n)); err != nil {
			return err
		}
	}
	dir, err := os.MkdirTemp("", "visator-move-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := sh.pack(ctx, dir); err != nil {
		return err
	}
	return sh.video(ctx, dir)
}

// pack writes the frames to dir and keeps them as a zip. Pictures are
// compressed already: they are stored as they are.
func (sh *shooting) pack(ctx context.Context, dir string) error {
	zipped, err := os.Create(filepath.Join(dir, "frames.zip"))
	if err != nil {
		return err
	}
	defer zipped.Close()
	z := zip.NewWriter(zipped)
	for i, hash := range sh.r.Frames {
		data, err := sh.a.Store.ReadBlob(ctx, hash)
		if err != nil {
			return err
		}
		name := fmt.Sprintf("frame-%05d.png", i+1)
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o600); err != nil {
			return err
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	if _, err := zipped.Seek(0, io.SeekStart); err != nil {
		return err
	}
	sh.r.Zip, _, err = sh.a.Store.PutBlob(ctx, zipped, 0)
	return err
}

func (sh *shooting) video(ctx context.Context, dir string) error {
	ffmpeg, err := exec.LookPath("ffmpeg")
	if err != nil {
		return errors.New("the frames are made, but for a video Debian's package ffmpeg must be installed")
	}
	out := filepath.Join(dir, "move.mp4")
	cmd := exec.CommandContext(ctx, ffmpeg, "-nostdin", "-loglevel", "error", "-y", "-framerate",
		fmt.Sprint(sh.s.Move.Rate),
		"-i", filepath.Join(dir, "frame-%05d.png"), "-c:v", "libx264", "-crf", "16", "-pix_fmt", "yuv420p", "-movflags",
		"+faststart", out)
	if text, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("making the video: %w: %s", err, strings.TrimSpace(string(text)))
	}
	f, err := os.Open(out)
	if err != nil {
		return err
	}
	defer f.Close()
	sh.r.MP4, _, err = sh.a.Store.PutBlob(ctx, f, 0)
	return err
}
