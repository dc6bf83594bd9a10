package film

import (
	"archive/zip"
	"bufio"
	"compress/flate"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
)

// kept is what a film that is laid aside says of itself, in film.json.
type kept struct {
	Version int    `json:"version"`
	Of      string `json:"of"` // the picture that it is of, as whoever laid it aside tells one from another
	Whole   [2]int `json:"whole"`
	Part    [4]int `json:"part"`
	Extra   Extra  `json:"extra"`
	Samples int    `json:"samples"`
	Planned bool   `json:"planned"`
}

// Version is that of the form of films that are laid aside, and of the numbers that their samples are made of.
const Version = 3

// ErrOther is a film of another picture than the one that is to go on.
var ErrOther = errors.New("the film is of another picture")

// maxKinds bounds what a film that is read may ask for.
const maxKinds = 10_100

// parts are the numbers of an open film by the names of the files that hold them.
func (f *Film) parts() (list []struct {
	name string
	data any
}) {
	add := func(name string, data any) {
		list = append(list, struct {
			name string
			data any
		}{name, data})
	}
	add("counts", f.counts)
	add("sum", f.sum)
	add("square", f.square)
	add("shine", f.shine)
	add("guide", f.guide)
	add("depth", f.Depth)
	add("normal", f.Normal)
	add("albedo", f.Albedo)
	add("object", f.Object)
	if f.rates != nil {
		add("rates", f.rates)
	}
	if f.held != nil {
		add("held", f.held)
	}
	if f.open != nil {
		add("open", f.open)
	}
	if f.made != nil {
		add("made", f.made)
	}
	if f.sent != nil {
		add("sent", f.sent)
	}
	for g := range f.shone {
		add(fmt.Sprintf("shone-%d", g), f.shone[g])
	}
	for g := range f.apart {
		add(fmt.Sprintf("apart-%d", g), f.apart[g])
	}
	return list
}

// Save lays an open film aside, to go on later: a zip with film.json and its numbers, little-endian, each kind in a
// file. of tells what picture it is of.
func (f *Film) Save(w io.Writer, of string) error {
	z := zip.NewWriter(w)
	// It is done again and again while others wait; noise hardly packs, however long it is tried.
	z.RegisterCompressor(zip.Deflate, func(to io.Writer) (io.WriteCloser, error) {
		return flate.NewWriter(to, flate.BestSpeed)
	})
	head := kept{Version: Version, Of: of, Whole: f.Whole, Part: [4]int{f.Left, f.Top, f.Left + f.Width,
		f.Top + f.Height}, Extra: f.Extra(), Samples: f.Samples, Planned: f.rates != nil}
	raw, err := json.Marshal(&head)
	if err != nil {
		return err
	}
	put := func(name string, write func(w io.Writer) error) {
		if err != nil {
			return
		}
		var to io.Writer
		if to, err = z.Create(name); err == nil {
			b := bufio.NewWriterSize(to, 1<<16)
			err = errors.Join(write(b), b.Flush())
		}
	}
	put("film.json", func(w io.Writer) error { _, err := w.Write(raw); return err })
	for _, p := range f.parts() {
		put(p.name, func(w io.Writer) error { return binary.Write(w, binary.LittleEndian, p.data) })
	}
	return errors.Join(err, z.Close())
}

// Load takes up a film that was laid aside. of is the picture that is to go on: another is ErrOther. A picture of more
// pixels than most is refused before room is made for it.
func Load(r io.ReaderAt, size int64, of string, most int) (*Film, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, fmt.Errorf("this is no film that was laid aside: %w", err)
	}
	var head kept
	if err := part(z, "film.json", func(r io.Reader) error {
		return json.NewDecoder(io.LimitReader(r, 1<<16)).Decode(&head)
	}); err != nil {
		return nil, err
	}
	p := head.Part
	switch {
	case head.Version != Version:
		return nil, fmt.Errorf("the film is of form %d, this program reads %d: render it anew", head.Version, Version)
	case head.Of != of:
		return nil, ErrOther
	case p[0] < 0 || p[1] < 0 || p[2] <= p[0] || p[3] <= p[1] || p[2] > head.Whole[0] || p[3] > head.Whole[1] ||
		head.Whole[0] > math.MaxInt32 || head.Whole[1] > math.MaxInt32 || head.Samples < 1 || head.Extra.Kinds < 0 ||
		head.Extra.Kinds > maxKinds:
		return nil, fmt.Errorf("the film says of itself what cannot be: part %v of %v, %d samples, %d kinds of light",
			p, head.Whole, head.Samples, head.Extra.Kinds)
	case int64(p[2]-p[0])*int64(p[3]-p[1])*int64(1+head.Extra.Kinds/8) > int64(most):
		return nil, fmt.Errorf("the film has %d x %d pixels: it does not fit into memory", p[2]-p[0], p[3]-p[1])
	}
	f := New(head.Whole, p, head.Extra)
	f.Samples = head.Samples
	if head.Planned {
		f.rates = make([]float32, len(f.counts))
	}
	for _, p := range f.parts() {
		if err := part(z, p.name, func(r io.Reader) error {
			return binary.Read(bufio.NewReaderSize(r, 1<<16), binary.LittleEndian, p.data)
		}); err != nil {
			return nil, err
		}
	}
	for i, n := range f.counts {
		if n < 0 || f.rates != nil && !(f.rates[i] >= 0 && f.rates[i] <= mostRate) {
			return nil, fmt.Errorf("the film says of pixel %d what cannot be", i)
		}
	}
	return f, nil
}

// part reads a file of a film.
func part(z *zip.Reader, name string, read func(r io.Reader) error) error {
	r, err := z.Open(name)
	if err != nil {
		return fmt.Errorf("the film lacks %s: render it anew", name)
	}
	defer r.Close()
	if err := read(r); err != nil {
		return fmt.Errorf("%s of the film: %w: render it anew", name, err)
	}
	return nil
}
