// Package bands makes pictures that are larger than memory, in bands of rows.
package bands

import (
	"context"
	"errors"
	"fmt"

	"visator/core/film"
	"visator/core/render"
)

// Bytes that a pixel takes: of a picture in the making, with its passes, the guides
// of the noise filter and the filter's own buffers; and of one that is made, with
// what is needed to write it.
const (
	makingBytes = 252
	madeBytes   = 32
)

// Need is how many bytes of memory a picture takes while it is made as a whole,
// beside its scene.
func Need(width, height int) int64 { return int64(width) * int64(height) * makingBytes }

// Least is how many it takes at least, made in bands.
func Least(width, height int) int64 {
	rows := min(height, 2*film.Reach+film.TileSide)
	return int64(width)*int64(height)*madeBytes + int64(width)*int64(rows)*makingBytes
}

// ErrMemory says that a picture does not fit into memory.
var ErrMemory = errors.New("the picture does not fit into memory")

// apartBytes is what a pixel takes of each kind of light that is kept apart, with the noise being removed.
const apartBytes = 60

// besideBytes is what a pixel takes of what is kept beside.
func besideBytes(x film.Extra) (n int64) {
	if x.Ways {
		n += int64(len(film.WayNames)) * apartBytes
	}
	if x.Held {
		n += film.Ranks * 8
	}
	if x.Unhidden {
		n += 8
	}
	if x.Surfaces {
		n += film.Ranks * 8
	}
	if x.Shadow {
		n += 12
	}
	return n
}

// Render makes a picture in at most so many bytes of memory: as a whole where it
// fits, else in bands of rows, one after the other, each with the rows beside it
// that the noise filter looks at. The picture is the same. Only Color and Depth of
// one that is made in bands are kept. o.Progress sees each band for itself, told of
// samples of all bands. What lights give is kept apart, and what is asked for
// beside, only where that fits too, and not in bands; nor does one in bands go on
// later, or give samples to where noise is.
func Render(ctx context.Context, s *render.Scene, cam *render.Camera, o render.Options, bytes int64) (*render.Film,
	error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	if o.Region == [4]int{} {
		o.Region = [4]int{0, 0, o.Width, o.Height}
	}
	left, top, w, h := o.Region[0], o.Region[1], o.Region[2]-o.Region[0], o.Region[3]-o.Region[1]
	need := Need(w, h)
	if o.Shares {
		apart := int64(w) * int64(h) * apartBytes * int64(s.Kinds())
		o.Shares = need+apart <= bytes
	}
	if beside := int64(w) * int64(h) * besideBytes(o.Extra); need+beside > bytes {
		o.Extra = film.Extra{}
	}
	if need <= bytes {
		return render.Render(ctx, s, cam, o)
	}
	list := bands(&o, bytes)
	if list == nil {
		return nil, fmt.Errorf("%w: %d x %d pixels take %d MB even in bands, and there are %d MB", ErrMemory, w,
			h, Least(w, h)>>20, bytes>>20)
	}
	out := &render.Film{Width: w, Height: h, Left: left, Top: top, Whole: [2]int{o.Width, o.Height},
		Color: make([]float32, 3*w*h), Depth: make([]float32, w*h)}
	margin := 0
	if o.Denoise {
		margin = film.Reach
	}
	told := o.Progress
	for i, b := range list {
		part := o
		part.Adaptive, part.From, part.Keep = false, nil, false
		part.Region[1], part.Region[3] = max(b[0]-margin, top), min(b[1]+margin, top+h)
		part.Progress = func(done, of int, f *render.Film) {
			if told != nil {
				told(i*of+done, len(list)*of, f)
			}
		}
		f, err := render.Render(ctx, s, cam, part)
		if err != nil {
			return nil, err // a picture with a part of its rows is none
		}
		skip := b[0] - part.Region[1]
		n := (b[1] - b[0]) * w
		copy(out.Color[3*(b[0]-top)*w:], f.Color[3*skip*w:][:3*n])
		copy(out.Depth[(b[0]-top)*w:], f.Depth[skip*w:][:n])
		out.Samples = max(out.Samples, f.Samples)
	}
	return out, nil
}

// bands parts a picture into bands of rows that fit; nil where none does.
func bands(o *render.Options, bytes int64) (list [][2]int) {
	margin := 0
	if o.Denoise {
		margin = film.Reach
	}
	w, h := o.Region[2]-o.Region[0], o.Region[3]-o.Region[1]
	rest := bytes - int64(w)*int64(h)*madeBytes
	rows := int(rest/(int64(w)*makingBytes)) - 2*margin
	if rows < min(film.TileSide, h) {
		return nil
	}
	for y := o.Region[1]; y < o.Region[3]; y += rows {
		list = append(list, [2]int{y, min(y+rows, o.Region[3])})
	}
	return list
}
