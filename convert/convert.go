// Package convert turns model formats that belong to one program into glTF,
// by the converter of a general-purpose import library (Debian's
// assimp-utils). It runs in a process of its own with limits of time and
// memory: what hangs or crashes there takes nothing else down.
package convert

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"visator/core/intake"
	"visator/core/intake/gltf"
	"visator/core/model"
)

// Limits of one conversion.
var (
	Timeout = 10 * time.Minute // the largest scenes on sale take two
)

const (
	maxMemory = 6 << 30  // bytes of address space
	maxOutput = 4 << 30  // bytes of what comes out
	maxBeside = 64 << 20 // bytes of files beside the model that go along
	maxLog    = 64 << 10
)

// ErrMissing means that the converter is not on this machine.
var ErrMissing = errors.New("is of a format that belongs to one program, and the converter for those is not " +
	"installed (Debian's package assimp-utils); install it, or ask the supplier for glTF (.glb)")

// Available reports whether the converter is on this machine.
func Available() bool {
	_, err := exec.LookPath("assimp")
	return err == nil
}

// Any reads the model file at name within root, through the converter where its format
// is not one that is read here; errors of what is read here call it shown.
func Any(ctx context.Context, root fs.FS, name, shown string) (*model.Model, error) {
	if intake.IsForeign(name) {
		return Read(ctx, root, name)
	}
	m, err := intake.ReadFrom(root, name, shown)
	if (errors.Is(err, gltf.ErrDraco) || errors.Is(err, gltf.ErrOld)) && Available() {
		return Read(ctx, root, name)
	}
	return m, err
}

// Read converts the model file at name within root and reads it. What the converter
// loses of what it saw itself is given back or told. Small files beside it go along,
// since some formats are several files; pictures are found by name afterwards.
func Read(ctx context.Context, root fs.FS, name string) (*model.Model, error) {
	tool, err := exec.LookPath("assimp")
	if err != nil {
		return nil, fmt.Errorf("%s %w", name, ErrMissing)
	}
	dir, err := os.MkdirTemp("", "visator-convert-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	in := filepath.Join(dir, "in", plainName(name))
	if err := lay(root, name, in); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	ext := strings.ToLower(path.Ext(name))
	var lamps []byte
	if ext == ".gltf" || ext == ".glb" {
		if lamps, err = strip(in); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	out := filepath.Join(dir, "out.glb")
	if err := run(ctx, dir, tool, "export", in, out, "-fglb2"); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	info, err := os.Stat(out)
	if err != nil || info.Size() > maxOutput {
		return nil, fmt.Errorf("%s: the converter made nothing of it that can be used; ask the supplier for glTF "+
			"(.glb)",
			name)
	}
	data, err := os.ReadFile(out)
	if err != nil {
		return nil, err
	}
	folder := model.Folder{Root: root, Dir: path.Dir(name)}
	m, err := intake.Read(path.Base(name)+".glb", data, folder)
	if err != nil {
		return nil, fmt.Errorf("%s, converted: %w", name, err)
	}
	m.Format = strings.ToUpper(strings.TrimPrefix(ext, ".")) + ", converted"
	if lamps != nil {
		if err := standLamps(m, lamps); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	if ext != ".gltf" && ext != ".glb" {
		m.Unit.From = "assumed"
	}
	if ext == ".fbx" {
		if err := stateFBX(m, in); err != nil {
			return nil, err
		}
	}
	a, err := giveAccount(ctx, dir, tool, in)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		m.Warn("what the converter left out could not be told: %v", err)
		return m, nil
	}
	a.settle(m, folder)
	return m, nil
}

// strip leaves out of the glTF at in what the converter cannot bear, and returns it.
func strip(in string) ([]byte, error) {
	data, err := os.ReadFile(in)
	if err != nil {
		return nil, err
	}
	plain, lamps, err := bare(data)
	if err != nil || plain == nil {
		return nil, err
	}
	return lamps, os.WriteFile(in, plain, 0o600)
}

// stateFBX gives a model the unit and axis that the FBX at in states.
func stateFBX(m *model.Model, in string) error {
	data, err := os.ReadFile(in)
	if err != nil {
		return err
	}
	metres, up := fbxSettings(data)
	if metres > 0 {
		m.Unit = model.StatedUnit(metres)
	}
	if up != "" {
		m.Up = up
	}
	return nil
}

// plainName keeps a file's extension and drops what a command line could
// misread.
func plainName(name string) string {
	ext := path.Ext(name)
	if strings.HasSuffix(strings.ToLower(name), ".mesh.xml") {
		ext = ".mesh.xml"
	}
	return "model" + strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '.' {
			return r
		}
		return '_'
	}, ext)
}

func lay(root fs.FS, name, in string) error {
	if err := os.MkdirAll(filepath.Dir(in), 0o700); err != nil {
		return err
	}
	if err := copyFile(root, name, in, maxOutput); err != nil {
		return err
	}
	beside, err := fs.ReadDir(root, path.Dir(name))
	if err != nil {
		return err
	}
	left := int64(maxBeside)
	for _, e := range beside {
		info, err := e.Info()
		if err != nil || e.IsDir() || e.Name() == path.Base(name) || info.Size() > left || strings.ContainsAny(e.Name(),
			"/\\\x00") {
			continue
		}
		if err := copyFile(root, path.Join(path.Dir(name), e.Name()), filepath.Join(filepath.Dir(in), e.Name()),
			left); err != nil {
			return err
		}
		left -= info.Size()
	}
	return nil
}

func copyFile(root fs.FS, from, to string, limit int64) error {
	r, err := root.Open(from)
	if err != nil {
		return err
	}
	defer r.Close()
	w, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(w, io.LimitReader(r, limit))
	return errors.Join(err, w.Close())
}

// run starts the tool under its limits and waits; the whole group of
// processes ends with ctx or when the time is over.
func run(ctx context.Context, dir string, tool string, args ...string) error {
	ctx, cancel := context.WithTimeout(ctx, Timeout)
	defer cancel()
	limits := fmt.Sprintf("ulimit -v %d; ulimit -t %d; ulimit -c 0; exec \"$@\"", maxMemory>>10, int(Timeout.Seconds())+
		1)
	cmd := exec.CommandContext(ctx, "/bin/sh", append([]string{"-c", limits, "sh", tool}, args...)...)
	cmd.Dir = dir
	cmd.Env = []string{"PATH=/usr/bin:/bin", "HOME=" + dir, "LANG=C.UTF-8"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = 5 * time.Second
	var log bytes.Buffer
	w := &limited{w: &log, left: maxLog}
	cmd.Stdout, cmd.Stderr = w, w
	err := cmd.Run()
	switch {
	case err == nil:
		return nil
	case errors.Is(context.Cause(ctx), context.DeadlineExceeded):
		return fmt.Errorf("the converter did not end within %v and was stopped; ask the supplier for glTF (.glb)",
			Timeout)
	case ctx.Err() != nil:
		return ctx.Err()
	}
	why := strings.ReplaceAll(reason(log.String(), err), filepath.Join(dir, "in")+"/", "")
	return fmt.Errorf("the converter cannot read it (%s); ask the supplier for glTF (.glb)", why)
}

// reason is the converter's own last word, or how it ended.
func reason(log string, err error) string {
	for line := range strings.Lines(log) {
		if i := strings.Index(line, "ERROR:"); i >= 0 {
			return strings.TrimSpace(line[i+6:])
		}
	}
	return err.Error()
}

// limited drops what is beyond its limit.
type limited struct {
	w    io.Writer
	left int
}

func (l *limited) Write(p []byte) (int, error) {
	n := min(len(p), l.left)
	l.left -= n
	_, err := l.w.Write(p[:n])
	return len(p), err
}
