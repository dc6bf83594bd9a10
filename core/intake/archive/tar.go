package archive

import (
	"archive/tar"
	"compress/bzip2"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"github.com/bodgit/sevenzip"
	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"
)

func (a *Archive) addTar(prefix string, r *io.SectionReader, depth int) error {
	z := tar.NewReader(r)
	for {
		h, err := z.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
			return fmt.Errorf("not a tar that can be read (%w); fetch it again", err)
		}
		if h.Typeflag == tar.TypeDir {
			a.count++
			continue
		}
		where, err := a.place(prefix, h.Name)
		if err != nil {
			return err
		}
		if where == "" {
			continue
		}
		if h.Typeflag != tar.TypeReg {
			a.skip(where, "a link, or not a plain file")
			continue
		}
		if err := a.spend(where, uint64(h.Size), 0); err != nil {
			return err
		}
		var at io.ReaderAt
		if sparse(h) { // its bytes do not stand there in a row
			if at, err = a.spool.put(z, h.Size); err != nil {
				return fmt.Errorf("%.200s: %w", where, err)
			}
		} else {
			start, err := r.Seek(0, io.SeekCurrent)
			if err != nil {
				return err
			}
			if start+h.Size > r.Size() {
				return fmt.Errorf("%.200s: the archive ends within it; fetch it again", where)
			}
			at = io.NewSectionReader(r, start, h.Size)
		}
		if err := a.file(where, h.Size, at, depth, nil); err != nil {
			return err
		}
	}
}

func sparse(h *tar.Header) bool {
	for k := range h.PAXRecords {
		if strings.HasPrefix(k, "GNU.sparse.") {
			return true
		}
	}
	return h.Typeflag == tar.TypeGNUSparse
}

// addPacked unpacks one stream; what comes out is usually a tar.
func (a *Archive) addPacked(kind, prefix string, r io.ReaderAt, size int64, depth int) error {
	in := io.NewSectionReader(r, 0, size)
	var out io.Reader
	var err error
	switch kind {
	case "gzip":
		out, err = gzip.NewReader(in)
	case "bzip2":
		out = bzip2.NewReader(in)
	case "xz":
		out, err = xz.NewReader(in)
	case "zstd":
		var z *zstd.Decoder
		if z, err = zstd.NewReader(in, zstd.WithDecoderMaxMemory(512<<20), zstd.WithDecoderConcurrency(1)); err == nil {
			defer z.Close()
			out = z
		}
	}
	if err != nil {
		return fmt.Errorf("not %s data that can be read (%w); fetch it again", kind, err)
	}
	// These formats do not say how long they become: whatever is left of the
	// limit is allowed.
	at, n, err := a.spool.drain(out, int64(MaxTotal-min(a.total, MaxTotal)))
	if err != nil {
		if !errors.Is(err, ErrBomb) {
			err = fmt.Errorf("%s data are damaged (%w); fetch it again", kind, err)
		}
		return err
	}
	a.total += uint64(n)
	if kindOf(at, n) == "tar" {
		return a.addTar(prefix, io.NewSectionReader(at, 0, n), depth)
	}
	name := path.Base(prefix)
	if name == "." || name == "/" || prefix == "" {
		name = "unpacked"
	}
	return a.file(path.Join(path.Dir(prefix), name), n, at, depth, nil)
}

// addSeven unpacks a 7z in one go: its files are packed together, so that
// reading one means unpacking all before it.
func (a *Archive) addSeven(prefix string, r io.ReaderAt, size int64, depth int) error {
	locked := func(err error) bool {
		var re *sevenzip.ReadError
		return errors.As(err, &re) && re.Encrypted
	}
	z, err := sevenzip.NewReader(r, size)
	if err != nil {
		if locked(err) {
			return ErrLocked
		}
		return fmt.Errorf("not a 7z that can be read (%w); fetch it again", err)
	}
	for _, f := range z.File {
		if f.FileInfo().IsDir() {
			a.count++
			continue
		}
		where, err := a.place(prefix, f.Name)
		if err != nil {
			return err
		}
		if where == "" {
			continue
		}
		if !f.Mode().IsRegular() {
			a.skip(where, "a link, or not a plain file")
			continue
		}
		if err := a.spend(where, f.UncompressedSize, 0); err != nil {
			return err
		}
		rc, err := f.Open()
		var at io.ReaderAt
		if err == nil {
			at, err = a.spool.put(rc, int64(f.UncompressedSize))
			rc.Close()
		}
		if err != nil {
			if locked(err) {
				return ErrLocked
			}
			return fmt.Errorf("%.200s: the 7z is damaged (%w); fetch it again", where, err)
		}
		if err := a.file(where, int64(f.UncompressedSize), at, depth, nil); err != nil {
			return err
		}
	}
	return nil
}
