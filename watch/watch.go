// Package watch takes in what is put into a folder: files and folders that
// have stopped growing arrive as downloads do, and move into a folder "taken
// in" beside them.
package watch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"time"

	"visator/app"
	"visator/app/act"
	"visator/app/library"
	"visator/store"
)

// Taken is the folder to which files go when they have arrived.
const Taken = "taken in"

// Refused is the folder to which files go that could not be taken in.
const Refused = "refused"

// Watcher looks at one folder. Every says how often; what has not changed
// between two looks has been copied whole.
type Watcher struct {
	Every time.Duration
	a     *app.App
	dir   string
	log   *slog.Logger
	seen  map[string]state
}

type state struct {
	size  int64
	newer time.Time
	files int
}

// New checks the folder.
func New(a *app.App, dir string, log *slog.Logger) (*Watcher, error) {
	info, err := os.Stat(dir)
	if err != nil || !info.IsDir() {
		return nil, fmt.Errorf("the folder to watch, %s, is not there: make it, or watch another", dir)
	}
	return &Watcher{Every: 2 * time.Second, a: a, dir: dir, log: log, seen: map[string]state{}}, nil
}

// Run looks until ctx ends.
func (w *Watcher) Run(ctx context.Context) {
	tick := time.NewTicker(w.Every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := w.safely(ctx); err != nil && ctx.Err() == nil {
				w.log.Warn("the watched folder could not be looked through", "error", err)
			}
		}
	}
}

// safely looks once; a fault of the program ends this look, not the program.
func (w *Watcher) safely(ctx context.Context) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("it broke off by a fault of the program: %v\n%s", r, debug.Stack())
		}
	}()
	return w.Look(ctx)
}

// Look looks once: files in the folder go to the newest production, those in a
// folder of a production's name to that one.
func (w *Watcher) Look(ctx context.Context) error {
	list, err := w.a.Store.Productions(ctx)
	if err != nil || len(list) == 0 {
		return err
	}
	byName := map[string]store.Production{}
	for _, p := range list {
		byName[p.Name] = p
	}
	return w.folder(ctx, w.dir, list[len(list)-1], byName)
}

func (w *Watcher) folder(ctx context.Context, dir string, to store.Production,
	byName map[string]store.Production) error {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	var errs []error
	for _, e := range entries {
		name := e.Name()
		path := filepath.Join(dir, name)
		if strings.HasPrefix(name, ".") || name == Taken || name == Refused || e.Type()&fs.ModeSymlink != 0 {
			continue
		}
		if p, ok := byName[name]; ok && e.IsDir() {
			errs = append(errs, w.folder(ctx, path, p, nil))
			continue
		}
		now, err := measure(path)
		if err != nil {
			continue // it is being moved: next time
		}
		if was, ok := w.seen[path]; !ok || was != now || now.files == 0 {
			w.seen[path] = now
			continue
		}
		delete(w.seen, path)
		err = w.take(ctx, to.ID, path)
		if store.Full(err) || errors.Is(err, act.ErrFull) || store.Away(err) {
			errs = append(errs, err) // no fault of the file: it is tried again
			continue
		}
		if err != nil {
			w.log.Warn("could not be taken in from the watched folder", "file", path, "error", err)
			errs = append(errs, w.move(path, Refused))
			continue
		}
		errs = append(errs, w.move(path, Taken))
	}
	return errors.Join(errs...)
}

func measure(path string) (s state, err error) {
	err = filepath.WalkDir(path, func(_ string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		s.files++
		s.size += info.Size()
		if info.ModTime().After(s.newer) {
			s.newer = info.ModTime()
		}
		return nil
	})
	return s, err
}

// take takes in a file, or a folder as one arrival. Links are not followed.
func (w *Watcher) take(ctx context.Context, production, path string) error {
	root, err := os.OpenRoot(filepath.Dir(path))
	if err != nil {
		return err
	}
	defer root.Close()
	var files []string
	err = filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			rel, rerr := filepath.Rel(filepath.Dir(path), p)
			files = append(files, rel)
			return rerr
		}
		return err
	})
	if err != nil {
		return err
	}
	var open *os.File
	defer func() {
		if open != nil {
			open.Close()
		}
	}()
	i := 0
	_, _, err = w.a.ArriveFolder(ctx, production, filepath.Base(path), "", func() (library.Incoming, error) {
		if open != nil {
			open.Close()
			open = nil
		}
		if i >= len(files) {
			return library.Incoming{}, io.EOF
		}
		i++
		if open, err = root.Open(files[i-1]); err != nil {
			return library.Incoming{}, err
		}
		return library.Incoming{Path: filepath.ToSlash(files[i-1]), Body: open}, nil
	})
	return err
}

// move puts what was dealt with out of the way, under a name that is free.
func (w *Watcher) move(path, folder string) error {
	dir := filepath.Join(filepath.Dir(path), folder)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	to := filepath.Join(dir, filepath.Base(path))
	for n := 2; ; n++ {
		if _, err := os.Lstat(to); errors.Is(err, fs.ErrNotExist) {
			return os.Rename(path, to)
		}
		to = filepath.Join(dir, fmt.Sprintf("%d %s", n, filepath.Base(path)))
	}
}
