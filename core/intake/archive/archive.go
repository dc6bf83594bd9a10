// Package archive opens downloaded zip files without trusting them: nothing
// is written to disk, no name leads out of the archive, links are refused,
// and what it unpacks to is bounded before and while it is unpacked.
package archive

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"time"
)

// Limits of one archive, all nested ones together.
const (
	MaxEntries = 20_000   // the largest libraries on sale hold some thousand files
	MaxTotal   = 16 << 30 // bytes unpacked
	MaxDepth   = 4        // zips in zips in zips
	maxNested  = 2 << 30  // an inner zip is held in memory
	maxRatio   = 1100     // deflate cannot do better than 1032:1 (RFC 1951)
)

// ErrBomb is an archive that unpacks to more than the limits.
var ErrBomb = errors.New("archive unpacks to more than is allowed; unpack it yourself and drop the folder's files")

// Archive is a read-only file tree of everything in a zip, with inner zips
// opened as folders of their name. It implements fs.FS.
type Archive struct {
	entries map[string]*entry
	dirs    map[string][]fs.DirEntry
	Skipped []string // entries left out, each with its reason
	total   uint64
	count   int
}

type entry struct {
	name string // last part
	file *zip.File
	size int64
}

// Open reads the directory of a zip of the given size. name is for errors.
func Open(name string, r io.ReaderAt, size int64) (*Archive, error) {
	a := &Archive{entries: map[string]*entry{}, dirs: map[string][]fs.DirEntry{}}
	if err := a.add(name, "", r, size, 1); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	a.index()
	return a, nil
}

func (a *Archive) add(name, prefix string, r io.ReaderAt, size int64, depth int) error {
	z, err := zip.NewReader(r, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return fmt.Errorf("not a zip that can be read (%w); fetch it again", err)
	}
	for _, f := range z.File {
		if a.count++; a.count > MaxEntries {
			return fmt.Errorf("%w: more than %d entries", ErrBomb, MaxEntries)
		}
		clean := strings.ReplaceAll(f.Name, "\\", "/")
		if f.FileInfo().IsDir() || strings.HasSuffix(clean, "/") {
			continue
		}
		where := path.Join(prefix, clean)
		switch {
		case strings.HasPrefix(clean, "/") || strings.Contains(clean, ":") || !fs.ValidPath(path.Clean(clean)) || slices.Contains(strings.Split(clean, "/"), ".."):
			return fmt.Errorf("entry %.200q leads out of the archive; it was made to do harm, do not use it", f.Name)
		case f.Mode()&fs.ModeSymlink != 0:
			a.Skipped = append(a.Skipped, fmt.Sprintf("%.200s: a link", where))
			continue
		case !f.Mode().IsRegular():
			a.Skipped = append(a.Skipped, fmt.Sprintf("%.200s: not a plain file", where))
			continue
		case f.Flags&1 != 0:
			a.Skipped = append(a.Skipped, fmt.Sprintf("%.200s: locked with a password", where))
			continue
		}
		a.total += f.UncompressedSize64
		if a.total > MaxTotal || f.UncompressedSize64 > 1<<20 && f.UncompressedSize64/maxRatio > f.CompressedSize64 {
			return fmt.Errorf("%w: %.200q claims %d bytes", ErrBomb, f.Name, f.UncompressedSize64)
		}
		if strings.EqualFold(path.Ext(clean), ".zip") {
			if depth >= MaxDepth || f.UncompressedSize64 > maxNested {
				a.Skipped = append(a.Skipped, fmt.Sprintf("%.200s: a zip that is too deep inside of others, or too large; unpack it yourself", where))
				continue
			}
			inner, err := readAll(f)
			if err != nil {
				return fmt.Errorf("%.200s: %w", where, err)
			}
			err = a.add(where, strings.TrimSuffix(where, path.Ext(where)), bytes.NewReader(inner), int64(len(inner)), depth+1)
			if err != nil {
				return fmt.Errorf("%.200s: %w", where, err)
			}
			continue
		}
		full := path.Clean(where)
		if _, twice := a.entries[full]; twice {
			a.Skipped = append(a.Skipped, fmt.Sprintf("%.200s: there twice, the first is used", where))
			continue
		}
		a.entries[full] = &entry{name: path.Base(full), file: f, size: int64(f.UncompressedSize64)}
	}
	return nil
}

// readAll unpacks one entry and refuses one that is longer than it said.
func readAll(f *zip.File) ([]byte, error) {
	rc, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer rc.Close()
	var buf bytes.Buffer
	n, err := io.Copy(&buf, io.LimitReader(rc, int64(f.UncompressedSize64)+1))
	if err == nil && n > int64(f.UncompressedSize64) {
		err = ErrBomb
	}
	return buf.Bytes(), err
}

func (a *Archive) index() {
	a.dirs["."] = nil
	for full, e := range a.entries {
		var child fs.DirEntry = dirEntry{e.name, e.size, false}
		for dir := path.Dir(full); ; dir = path.Dir(dir) {
			_, known := a.dirs[dir]
			a.dirs[dir] = append(a.dirs[dir], child)
			if known || dir == "." {
				break
			}
			child = dirEntry{path.Base(dir), 0, true}
		}
	}
	for _, list := range a.dirs {
		slices.SortFunc(list, func(x, y fs.DirEntry) int { return strings.Compare(x.Name(), y.Name()) })
	}
}

// Open implements fs.FS. Files are unpacked as they are read.
func (a *Archive) Open(name string) (fs.File, error) {
	if !fs.ValidPath(name) {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrInvalid}
	}
	if e, ok := a.entries[name]; ok {
		rc, err := e.file.Open()
		if err != nil {
			return nil, &fs.PathError{Op: "open", Path: name, Err: err}
		}
		return &openFile{dirEntry{e.name, e.size, false}, rc, io.LimitReader(rc, e.size)}, nil
	}
	if _, ok := a.dirs[name]; ok {
		return &openDir{dirEntry{path.Base(name), 0, true}, a.dirs[name]}, nil
	}
	return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
}

// ReadDir implements fs.ReadDirFS.
func (a *Archive) ReadDir(name string) ([]fs.DirEntry, error) {
	list, ok := a.dirs[name]
	if !ok {
		return nil, &fs.PathError{Op: "readdir", Path: name, Err: fs.ErrNotExist}
	}
	return slices.Clone(list), nil
}

type dirEntry struct {
	name string
	size int64
	dir  bool
}

func (d dirEntry) Name() string               { return d.name }
func (d dirEntry) Size() int64                { return d.size }
func (d dirEntry) IsDir() bool                { return d.dir }
func (d dirEntry) ModTime() time.Time         { return time.Time{} }
func (d dirEntry) Sys() any                   { return nil }
func (d dirEntry) Info() (fs.FileInfo, error) { return d, nil }
func (d dirEntry) Type() fs.FileMode          { return d.Mode().Type() }
func (d dirEntry) Mode() fs.FileMode {
	if d.dir {
		return fs.ModeDir | 0o555
	}
	return 0o444
}

type openFile struct {
	info dirEntry
	rc   io.Closer
	io.Reader
}

func (f *openFile) Stat() (fs.FileInfo, error) { return f.info, nil }
func (f *openFile) Close() error               { return f.rc.Close() }

type openDir struct {
	info dirEntry
	left []fs.DirEntry
}

func (d *openDir) Stat() (fs.FileInfo, error) { return d.info, nil }
func (d *openDir) Close() error               { return nil }
func (d *openDir) Read([]byte) (int, error) {
	return 0, &fs.PathError{Op: "read", Path: d.info.name, Err: errors.New("is a folder")}
}
func (d *openDir) ReadDir(n int) ([]fs.DirEntry, error) {
	if n <= 0 || n > len(d.left) {
		if n > 0 && len(d.left) == 0 {
			return nil, io.EOF
		}
		n = len(d.left)
	}
	out := d.left[:n]
	d.left = d.left[n:]
	return out, nil
}
