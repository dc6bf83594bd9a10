package archive

import (
	"archive/zip"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/simplifiedchinese"
)

func (a *Archive) addZip(prefix string, r io.ReaderAt, size int64, depth int) error {
	z, err := zip.NewReader(r, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return fmt.Errorf("not a zip that can be read (%w); fetch it again", err)
	}
	names := readableNames(z.File)
	for i, f := range z.File {
		if f.FileInfo().IsDir() {
			a.count++
			continue
		}
		where, err := a.place(prefix, names[i])
		if err != nil {
			return err
		}
		switch {
		case where == "":
			continue
		case f.Mode()&fs.ModeSymlink != 0:
			a.skip(where, "a link")
			continue
		case !f.Mode().IsRegular():
			a.skip(where, "not a plain file")
			continue
		case f.Flags&1 != 0:
			a.locked++
			a.skip(where, "locked with a password")
			continue
		}
		if err := a.spend(where, f.UncompressedSize64, max(f.CompressedSize64, 1)); err != nil {
			return err
		}
		if inside, ok := localName(f, r); ok && inside != f.Name {
			return fmt.Errorf("entry %.200q calls itself %.200q inside; the archive was made to deceive, do not use it",
				f.Name, inside)
		}
		// Stored entries that are archives are read in place.
		var at io.ReaderAt
		if offset, err := f.DataOffset(); err == nil && f.Method == zip.Store &&
			f.CompressedSize64 == f.UncompressedSize64 && hasExtension(where) {
			at = io.NewSectionReader(r, offset, int64(f.UncompressedSize64))
		}
		if err := a.file(where, int64(f.UncompressedSize64), at, depth, f.Open); err != nil {
			return err
		}
	}
	return nil
}

// localName reads the name in an entry's own header, which stands before its
// data; ok is false when that header is not found where it should be.
func localName(f *zip.File, r io.ReaderAt) (string, bool) {
	const header = 30 // APPNOTE.TXT, 4.3.7
	data, err := f.DataOffset()
	if err != nil {
		return "", false
	}
	// The extra field's length is only known from the header itself.
	buf := make([]byte, min(data, int64(header+len(f.Name)+1024)))
	if _, err := r.ReadAt(buf, data-int64(len(buf))); err != nil {
		return "", false
	}
	for at := len(buf) - header; at >= 0; at-- {
		if binary.LittleEndian.Uint32(buf[at:]) != 0x04034b50 {
			continue
		}
		n, extra := int(binary.LittleEndian.Uint16(buf[at+26:])), int(binary.LittleEndian.Uint16(buf[at+28:]))
		if at+header+n+extra == len(buf) {
			return string(buf[at+header : at+header+n]), true
		}
	}
	return "", false
}

// readableNames decodes the names of entries. Those without the mark of UTF-8
// are in whatever code page their author had: an Info-ZIP Unicode field tells,
// else UTF-8 that is valid is believed, else the code page in which all names
// of the archive make sense.
func readableNames(files []*zip.File) []string {
	out := make([]string, len(files))
	var unclear []int
	for i, f := range files {
		out[i] = f.Name
		if u, ok := unicodeField(f.Extra); ok {
			out[i] = u
		} else if f.NonUTF8 && !utf8.ValidString(f.Name) {
			unclear = append(unclear, i)
		}
	}
	if len(unclear) == 0 {
		return out
	}
	for _, e := range []encoding.Encoding{japanese.ShiftJIS, simplifiedchinese.GBK, charmap.CodePage437} {
		decoded, good := make([]string, len(unclear)), true
		for k, i := range unclear {
			s, err := e.NewDecoder().String(files[i].Name)
			good = good && err == nil && sensible(s, e == charmap.CodePage437)
			decoded[k] = s
		}
		if good {
			for k, i := range unclear {
				out[i] = decoded[k]
			}
			break
		}
	}
	return out
}

// sensible tells whether a decoded name reads as one: no broken characters,
// and in the wide code pages runs of their script, not single accents.
func sensible(s string, western bool) bool {
	wide, odd := 0, 0
	for _, r := range s {
		switch {
		case r == utf8.RuneError:
			return false
		case unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana):
			wide++
		case r > 127:
			odd++
		}
	}
	return western || wide >= 2 && odd <= wide
}

// unicodeField is the Info-ZIP Unicode Path extra field (0x7075).
func unicodeField(extra []byte) (string, bool) {
	for len(extra) >= 4 {
		id, n := binary.LittleEndian.Uint16(extra), int(binary.LittleEndian.Uint16(extra[2:]))
		extra = extra[4:]
		if n > len(extra) {
			break
		}
		if id == 0x7075 && n > 5 && extra[0] == 1 && utf8.Valid(extra[5:n]) {
			return strings.Clone(string(extra[5:n])), true
		}
		extra = extra[n:]
	}
	return "", false
}
