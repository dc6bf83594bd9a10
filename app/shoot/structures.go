package shoot

import (
	"bufio"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"visator/core/cast"
	"visator/store"
)

// Limits of the structures that are kept on disk, beside the blobs: they are made again where they are missing. None is
// written where it would take more than a share of the room that is left.
const (
	mostKept  = 4 << 30 // bytes; those that were used longest ago go first
	shareFree = 10
)

// structures are those of meshes in a folder, each in a file by its name.
type structures struct {
	folder string
	room   func() store.Room
	mu     sync.Mutex // who writes, and who makes room
	bytes  int64      // about how many are there; 0: not counted yet
}

// kept are the structures of a folder, which need not be there, on a disk that has so much room; nil of none.
func kept(folder string, room func() store.Room) *structures {
	if folder == "" {
		return nil
	}
	return &structures{folder: folder, room: room}
}

// Load reads a structure; nil: it is not there, or damaged, and then it is thrown away.
func (s *structures) Load(key string) *cast.Tree {
	path := filepath.Join(s.folder, key)
	f, err := os.Open(path)
	if err != nil {
		return nil
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil
	}
	t, err := cast.Saved(f, info.Size())
	if err != nil {
		_ = os.Remove(path)
		return nil
	}
	now := time.Now()
	_ = os.Chtimes(path, now, now) // it is used
	return t
}

// Save keeps a structure, if there is room. What goes wrong is no fault of the picture: it is built again then.
func (s *structures) Save(key string, t *cast.Tree) {
	s.mu.Lock()
	defer s.mu.Unlock()
	size := t.SavedBytes()
	if size > s.room().Free/shareFree || size > mostKept/2 || os.MkdirAll(s.folder, 0o700) != nil {
		return
	}
	if s.bytes += size; s.bytes == size || s.bytes > mostKept {
		s.makeRoom(size)
	}
	f, err := os.CreateTemp(s.folder, ".new-*")
	if err != nil {
		return
	}
	defer os.Remove(f.Name())
	w := bufio.NewWriterSize(f, 1<<20)
	err = t.Save(w)
	if err == nil {
		err = w.Flush()
	}
	if closed := f.Close(); err == nil && closed == nil {
		_ = os.Rename(f.Name(), filepath.Join(s.folder, key))
	}
}

// makeRoom counts what is there, and removes what was used longest ago, an eighth of all, where so many bytes more do
// not fit.
func (s *structures) makeRoom(size int64) {
	list, err := os.ReadDir(s.folder)
	if err != nil {
		return
	}
	var files []os.FileInfo
	s.bytes = size
	for _, e := range list {
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() {
			files = append(files, info)
			s.bytes += info.Size()
		}
	}
	if s.bytes <= mostKept {
		return
	}
	slices.SortFunc(files, func(a, b os.FileInfo) int { return a.ModTime().Compare(b.ModTime()) })
	for _, f := range files {
		if s.bytes <= mostKept-mostKept/8 {
			return
		}
		if os.Remove(filepath.Join(s.folder, f.Name())) == nil {
			s.bytes -= f.Size()
		}
	}
}
