// Package archive opens downloads as trees of files without trusting them:
// zip, 7z and tar (plain or packed by gzip, bzip2, xz or zstd), each within
// each. No name leads out of the tree, links are refused, and what it unpacks
// to is bounded before and while it is unpacked. What cannot be read in place
// is unpacked into one temporary file that has no name; Close lets it go.
package archive

import (
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

// Limits of one arrival, all nested archives together.
const (
	MaxEntries = 20_000   // the largest libraries on sale hold some thousand files
	MaxTotal   = 16 << 30 // bytes unpacked
	MaxDepth   = 4        // archives in archives in archives
	maxRatio   = 1100     // deflate cannot do better than 1032:1 (RFC 1951)
)

// ErrBomb is an archive that unpacks to more than the limits.
var ErrBomb = errors.New("archive unpacks to more than is allowed; unpack it yourself and drop the folder's files")

// ErrLocked is an archive of which nothing can be read without a password.
var ErrLocked = errors.New("is locked with a password; unpack it with the password that your supplier gave you and " +
	"drop the folder")

// Archive is a read-only file tree of everything in a download, with inner
// archives opened as folders of their name. It implements fs.FS.
type Archive struct {
	entries map[string]*entry
	dirs    map[string][]fs.DirEntry
	Said    []string // what is worth saying: entries left out or kept under another name, each with its reason
	locked  int
	total   uint64
	count   int
	spool   spool
}

type entry struct {
	name string // last part
	size int64
	open func() (io.ReadCloser, error)
}

// File is one file of a download that came as a folder.
type File struct {
	Path string // slash-separated, relative
	Size int64
	At   io.ReaderAt
}

// Open reads the directory of an archive of the given size. name is for
// errors, and what a file that is no archive is called in the tree.
func Open(name string, r io.ReaderAt, size int64) (*Archive, error) {
	return OpenAll([]File{{name, size, r}})
}

// OpenAll makes one tree of many files. Archives among them become folders of
// their name; one that comes alone is itself the root.
func OpenAll(files []File) (*Archive, error) {
	a := &Archive{entries: map[string]*entry{}, dirs: map[string][]fs.DirEntry{}}
	for _, f := range files {
		where, err := a.place("", f.Path)
		if err == nil && len(files) == 1 && kindOf(f.At, f.Size) != "" {
			err = a.add("", f.At, f.Size, 1)
		} else if err == nil && where != "" {
			err = a.file(where, f.Size, f.At, 0,
				func() (io.ReadCloser, error) { return io.NopCloser(io.NewSectionReader(f.At, 0, f.Size)), nil })
		}
		if err != nil {
			a.Close()
			return nil, fmt.Errorf("%s: %w", f.Path, err)
		}
	}
	if len(a.entries) == 0 && a.locked > 0 {
		a.Close()
		return nil, fmt.Errorf("%s: %w", files[0].Path, ErrLocked)
	}
	a.index()
	return a, nil
}

// Close lets go of what was unpacked. The tree cannot be read afterwards.
func (a *Archive) Close() { a.spool.close() }

// Files are the paths of all files, sorted.
func (a *Archive) Files() []string {
	out := make([]string, 0, len(a.entries))
	for p := range a.entries {
		out = append(out, p)
	}
	slices.Sort(out)
	return out
}

// kinds of archives by their first bytes.
var marks = []struct{ mark, kind string }{
	{"PK\x03\x04", "zip"}, {"PK\x05\x06", "zip"}, {"7z\xbc\xaf\x27\x1c", "7z"}, {"\x1f\x8b", "gzip"},
	{"BZh", "bzip2"}, {"\xfd7zXZ\x00", "xz"}, {"\x28\xb5\x2f\xfd", "zstd"}, {"Rar!", "rar"},
}

// kindOf tells an archive by its content: "" when it is none.
func kindOf(r io.ReaderAt, size int64) string {
	var head [512]byte
	n, _ := r.ReadAt(head[:min(size, 512)], 0)
	for _, m := range marks {
		if bytes.HasPrefix(head[:n], []byte(m.mark)) {
			return m.kind
		}
	}
	if n > 262 && string(head[257:262]) == "ustar" {
		return "tar"
	}
	return ""
}

// IsArchive reports whether a file that begins with head is opened here.
func IsArchive(head []byte) bool { return kindOf(bytes.NewReader(head), int64(len(head))) != "" }

// extensions that inner archives have: other files, also those that are zips
// inside (.usdz, .zae, office documents), stay files.
var extensions = []string{".zip", ".7z", ".tar", ".tgz", ".gz", ".tbz2", ".bz2", ".txz", ".xz", ".zst", ".rar"}

// IsName reports whether a file of this name may be an archive.
func IsName(name string) bool { return hasExtension(name) }

func hasExtension(name string) bool {
	return slices.Contains(extensions, strings.ToLower(path.Ext(name)))
}

// folderOf is the folder that an inner archive becomes.
func folderOf(where string) string {
	out := strings.TrimSuffix(where, path.Ext(where))
	if strings.EqualFold(path.Ext(out), ".tar") {
		out = strings.TrimSuffix(out, path.Ext(out))
	}
	return out
}

// add reads the archive r into the folder prefix.
func (a *Archive) add(prefix string, r io.ReaderAt, size int64, depth int) error {
	switch kind := kindOf(r, size); kind {
	case "zip":
		return a.addZip(prefix, r, size, depth)
	case "7z":
		return a.addSeven(prefix, r, size, depth)
	case "tar":
		return a.addTar(prefix, io.NewSectionReader(r, 0, size), depth)
	case "rar":
		return errors.New("is a RAR archive, which is not read here; unpack it and drop the folder")
	case "":
		return errors.New("is not an archive that can be read; fetch it again")
	default:
		return a.addPacked(kind, prefix, r, size, depth)
	}
}

// place checks an entry's name and returns its path in the tree; "" when the
// entry is a folder.
func (a *Archive) place(prefix, name string) (string, error) {
	if a.count++; a.count > MaxEntries {
		return "", fmt.Errorf("%w: more than %d entries", ErrBomb, MaxEntries)
	}
	clean := strings.ReplaceAll(name, "\\", "/")
	if strings.HasSuffix(clean, "/") {
		return "", nil
	}
	// Names with drives, roots and ".." are kept below the tree's root: an archive whose
	// author packed his disk, or who means harm, gives what is in it and no more.
	var parts []string
	for _, part := range strings.Split(strings.ReplaceAll(clean, "\x00", "_"), "/") {
		if part != "" && part != "." && part != ".." && !(len(parts) == 0 && strings.HasSuffix(part, ":")) {
			parts = append(parts, strings.ReplaceAll(part, ":", "_"))
		}
	}
	inside := strings.Join(parts, "/")
	if inside == "" || !fs.ValidPath(inside) {
		a.skip(name, "its name cannot be written")
		return "", nil
	}
	if inside != path.Clean(clean) {
		a.say(fmt.Sprintf("%.200s: its name leads out of the folder, it is kept as %.200s", name,
			path.Join(prefix, inside)))
	}
	return path.Join(prefix, inside), nil
}

// skip notes an entry that is left out.
func (a *Archive) skip(where, why string) { a.say(fmt.Sprintf("left out: %.200s: %s", where, why)) }

func (a *Archive) say(what string) {
	if len(a.Said) < 1000 { // more would tell nobody more
		a.Said = append(a.Said, what)
	}
}

// spend counts what an entry unpacks to.
func (a *Archive) spend(where string, size, packed uint64) error {
	a.total += size
	if a.total > MaxTotal || size > MaxTotal || packed > 0 && size > 1<<20 && size/maxRatio > packed {
		return fmt.Errorf("%w: %.200q claims %d bytes", ErrBomb, where, size)
	}
	return nil
}

// file puts a file into the tree, or opens it when it is an archive. at may
// be nil when the file can only be read from its beginning.
func (a *Archive) file(where string, size int64, at io.ReaderAt, depth int, open func() (io.ReadCloser, error)) error {
	if hasExtension(where) {
		if depth >= MaxDepth {
			a.skip(where, "an archive that is too deep inside of others; unpack it yourself")
			return nil
		}
		if at == nil {
			rc, err := open()
			if err != nil {
				return fmt.Errorf("%.200s: %w", where, err)
			}
			at, err = a.spool.put(rc, size)
			rc.Close()
			if err != nil {
				return fmt.Errorf("%.200s: %w", where, err)
			}
		}
		if kindOf(at, size) != "" {
			err := a.add(folderOf(where), at, size, depth+1)
			if errors.Is(err, ErrBomb) || a.spool.err != nil {
				return fmt.Errorf("%.200s: %w", where, err)
			}
			if err != nil { // one that is bad does not keep the rest out
				a.skip(where, err.Error())
			}
			return nil
		}
	}
	full := path.Clean(where)
	if _, twice := a.entries[full]; twice {
		a.skip(where, "there twice, the first is used")
		return nil
	}
	if at != nil {
		open = func() (io.ReadCloser, error) { return io.NopCloser(io.NewSectionReader(at, 0, size)), nil }
	}
	a.entries[full] = &entry{name: path.Base(full), size: size, open: open}
	return nil
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
		rc, err := e.open()
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
