package archive

import (
	"fmt"
	"io"
	"os"
)

// spool is a temporary file without a name, to which streams are unpacked so
// that they can be read anywhere. The zero spool is empty.
type spool struct {
	file *os.File
	end  int64
	err  error // of this machine's disk, not of what is unpacked
}

// Write appends to the spool.
func (s *spool) Write(p []byte) (int, error) {
	n, err := s.file.WriteAt(p, s.end)
	s.end += int64(n)
	if err != nil {
		s.err = err
	}
	return n, err
}

// put unpacks size bytes of r and returns them. More or fewer are an error.
func (s *spool) put(r io.Reader, size int64) (io.ReaderAt, error) {
	at, n, err := s.drain(r, size)
	if err == nil && n != size {
		err = fmt.Errorf("%d bytes were announced, %d are there; fetch the archive again", size, n)
	}
	return at, err
}

// drain unpacks r to its end; more than limit bytes are ErrBomb.
func (s *spool) drain(r io.Reader, limit int64) (io.ReaderAt, int64, error) {
	if s.file == nil {
		f, err := os.CreateTemp("", "visator-unpacked-*")
		if err != nil {
			s.err = err
			return nil, 0, err
		}
		_ = os.Remove(f.Name()) // it lives as long as it is open
		s.file = f
	}
	start := s.end
	n, err := io.Copy(s, io.LimitReader(r, limit+1))
	if err == nil && n > limit {
		err = ErrBomb
	}
	return io.NewSectionReader(s.file, start, n), n, err
}

func (s *spool) close() {
	if s.file != nil {
		_ = s.file.Close()
		s.file = nil
	}
}
