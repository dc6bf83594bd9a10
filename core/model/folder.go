package model

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"path"
	"slices"
	"strings"
)

// Folder is where a model file stands and where its references are looked up.
// Names are slash-separated paths below the root; nothing outside can be
// named. The zero Folder holds nothing.
type Folder struct {
	Root fs.FS
	Dir  string // the model's own folder within Root, "." for the root itself
	// Limit is the largest file that is read, in bytes; 0 means DefaultFileLimit.
	Limit int64
}

// DefaultFileLimit bounds one referenced file: the largest buffers and maps
// that artists meet are a few gigabytes.
const DefaultFileLimit = 4 << 30

// ErrOutside is a reference that leaves the folder: by "..", an absolute path
// or a scheme such as http: or file:.
var ErrOutside = errors.New("reference leads out of the model's folder; put the file beside the model and refer to " +
	"it by a relative path")

// Resolve turns a reference as written in a file into a path below the root.
func (f Folder) Resolve(ref string) (string, error) {
	p := strings.ReplaceAll(ref, "\\", "/")
	if strings.HasPrefix(p, "/") || strings.Contains(p, "\x00") || hasScheme(p) {
		return "", fmt.Errorf("%.200q: %w", ref, ErrOutside)
	}
	dir := f.Dir
	if dir == "" {
		dir = "."
	}
	full := path.Join(dir, p)
	if full == ".." || strings.HasPrefix(full, "../") || !fs.ValidPath(full) {
		return "", fmt.Errorf("%.200q: %w", ref, ErrOutside)
	}
	return full, nil
}

// hasScheme finds "http:", "file:" and also drive letters such as "C:".
func hasScheme(p string) bool {
	i := strings.IndexByte(p, ':')
	return i > 0 && !strings.Contains(p[:i], "/") && !strings.ContainsAny(p[:i], " .")
}

// Read returns the bytes of the file that ref names. A name that is not there
// as written is also tried with its percent signs decoded, and without regard
// to case.
func (f Folder) Read(ref string) ([]byte, error) {
	full, err := f.Resolve(ref)
	if err != nil {
		return nil, err
	}
	if f.Root == nil {
		return nil, fmt.Errorf("%.200q: %w", ref, fs.ErrNotExist)
	}
	data, err := f.readFile(full)
	if err == nil || !errors.Is(err, fs.ErrNotExist) {
		return data, err
	}
	if decoded, derr := url.PathUnescape(ref); derr == nil && decoded != ref {
		if full, derr = f.Resolve(decoded); derr != nil {
			return nil, derr
		}
		if data, derr = f.readFile(full); derr == nil {
			return data, nil
		}
	}
	if name, ok := f.ignoringCase(full); ok {
		return f.readFile(name)
	}
	return nil, err
}

// Near reads a file that a model refers to. Paths of the author's own disk,
// such as C:\work\bark.png, are tried by their last part.
func (f Folder) Near(ref string) ([]byte, error) {
	data, err := f.Read(ref)
	if err == nil {
		return data, nil
	}
	base := path.Base(strings.ReplaceAll(ref, "\\", "/"))
	if base != ref && base != "." && base != "/" && base != ".." {
		if data, berr := f.Read(base); berr == nil {
			return data, nil
		}
	}
	return nil, err
}

// ignoringCase finds the file that full names when case does not count, in
// folders neither: models come from systems where it does not.
func (f Folder) ignoringCase(full string) (string, bool) {
	at := "."
	for _, part := range strings.Split(full, "/") {
		entries, err := fs.ReadDir(f.Root, at)
		if err != nil {
			return "", false
		}
		found := slices.IndexFunc(entries, func(e fs.DirEntry) bool { return e.Name() == part })
		if found < 0 {
			found = slices.IndexFunc(entries, func(e fs.DirEntry) bool { return strings.EqualFold(e.Name(), part) })
		}
		if found < 0 {
			return "", false
		}
		at = path.Join(at, entries[found].Name())
	}
	return at, true
}

// Open opens the file that ref names, as it is written there, and tells its
// size in bytes.
func (f Folder) Open(ref string) (io.ReadCloser, int64, error) {
	full, err := f.Resolve(ref)
	if err != nil {
		return nil, 0, err
	}
	return f.open(full)
}

func (f Folder) open(name string) (io.ReadCloser, int64, error) {
	file, err := f.Root.Open(name)
	if err != nil {
		return nil, 0, err
	}
	limit := f.Limit
	if limit == 0 {
		limit = DefaultFileLimit
	}
	info, err := file.Stat()
	switch {
	case err != nil:
	case !info.Mode().IsRegular():
		err = fmt.Errorf("%s is not a plain file", name)
	case info.Size() > limit:
		err = fmt.Errorf("%s is %d bytes, more than the limit of %d", name, info.Size(), limit)
	default:
		return file, info.Size(), nil
	}
	file.Close()
	return nil, 0, err
}

func (f Folder) readFile(name string) ([]byte, error) {
	file, size, err := f.open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	data := make([]byte, size)
	n, err := io.ReadFull(file, data)
	if err == io.ErrUnexpectedEOF || err == io.EOF {
		err = nil
	}
	return data[:n], err
}
