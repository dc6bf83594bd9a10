package drawing

import (
	"image"
	"image/color"
	"image/png"
	"io"
	"math"
	"sync"

	"golang.org/x/image/draw"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// maxPixels bounds a drawing as pixels: A1 at 300 dots an inch.
const maxPixels = 70_000_000

var fonts = sync.OnceValues(func() ([2]*opentype.Font, error) {
	a, err := opentype.Parse(goregular.TTF)
	if err != nil {
		return [2]*opentype.Font{}, err
	}
	b, err := opentype.Parse(gobold.TTF)
	return [2]*opentype.Font{a, b}, err
})

// WritePNG writes the drawing as pixels, so many to an inch.
func (d *Drawing) WritePNG(out io.Writer, dpi float64) error {
	m, err := d.Pixels(dpi)
	if err != nil {
		return err
	}
	return png.Encode(out, m)
}

// Pixels draws with so many pixels to an inch.
func (d *Drawing) Pixels(dpi float64) (*image.RGBA, error) {
	k := dpi / 25.4
	w, h := int(math.Ceil(d.W*k)), int(math.Ceil(d.H*k))
	if w < 1 || h < 1 || w*h > maxPixels {
		k *= math.Sqrt(maxPixels / float64(max(w*h, 1)))
		w, h = int(d.W*k), int(d.H*k)
	}
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.Draw(m, m.Bounds(), image.White, image.Point{}, draw.Src)
	face, err := fonts()
	if err != nil {
		return nil, err
	}
	tone := func(g float64) *image.Uniform {
		return image.NewUniform(color.Gray{uint8(math.Round(255 * min(max(g, 0), 1)))})
	}
	fill := func(points []Point, g float64) {
		if len(points) < 3 {
			return
		}
		// Only the part about the points is filled: a sheet has thousands of lines.
		x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
		for _, p := range points {
			x0, y0, x1, y1 = min(x0, p.X*k), min(y0, p.Y*k), max(x1, p.X*k), max(y1, p.Y*k)
		}
		r := image.Rect(int(math.Floor(x0)), int(math.Floor(y0)), int(math.Ceil(x1))+1,
			int(math.Ceil(y1))+1).Intersect(m.Bounds())
		if r.Empty() {
			return
		}
		v := vector.NewRasterizer(r.Dx(), r.Dy())
		for i, p := range points {
			x, y := float32(p.X*k-float64(r.Min.X)), float32(p.Y*k-float64(r.Min.Y))
			if i == 0 {
				v.MoveTo(x, y)
			} else {
				v.LineTo(x, y)
			}
		}
		v.ClosePath()
		v.Draw(m, r, tone(g), image.Point{})
	}
	stroke := func(points []Point, width, g float64) {
		width = max(width, 1/k) / 2
		for i := 1; i < len(points); i++ {
			a, b := points[i-1], points[i]
			l := math.Hypot(b.X-a.X, b.Y-a.Y)
			if l < 1e-9 {
				continue
			}
			nx, ny := -(b.Y-a.Y)/l*width, (b.X-a.X)/l*width
			fill([]Point{{a.X + nx, a.Y + ny}, {b.X + nx, b.Y + ny}, {b.X - nx, b.Y - ny}, {a.X - nx, a.Y - ny}}, g)
		}
	}
	for _, it := range d.order {
		switch it.kind {
		case 'l':
			l := &d.Lines[it.at]
			pts := l.Points
			if l.Closed && len(pts) > 0 {
				pts = append(append([]Point{}, pts...), pts[0])
			}
			for _, run := range dashes(pts, l.Dash) {
				stroke(run, l.Width, l.Grey)
			}
		case 'a':
			a := &d.Areas[it.at]
			fill(a.Points, a.Fill)
			if a.Width > 0 && len(a.Points) > 1 {
				stroke(append(append([]Point{}, a.Points...), a.Points[0]), a.Width, a.Line)
			}
		case 't':
			t := &d.Texts[it.at]
			f := face[0]
			if t.Bold {
				f = face[1]
			}
			ff, err := opentype.NewFace(f, &opentype.FaceOptions{Size: max(t.Size*k, 1), DPI: 72,
				Hinting: font.HintingNone})
			if err != nil {
				return nil, err
			}
			w := float64(font.MeasureString(ff, t.Words)) / 64
			x := t.X * k
			switch t.Anchor {
			case Middle:
				x -= w / 2
			case End:
				x -= w
			}
			if t.Halo {
				fill(Rect(x/k-0.3, t.Y-t.Size*0.78, w/k+0.6, t.Size), 1)
			}
			dr := font.Drawer{Dst: m, Src: tone(t.Grey), Face: ff,
				Dot: fixed.Point26_6{X: fixed.Int26_6(x * 64), Y: fixed.Int26_6(t.Y * k * 64)}}
			dr.DrawString(t.Words)
			if err := ff.Close(); err != nil {
				return nil, err
			}
		case 'i':
			i := &d.Images[it.at]
			r := image.Rect(int(math.Round(i.X*k)), int(math.Round(i.Y*k)), int(math.Round((i.X+i.W)*k)),
				int(math.Round((i.Y+i.H)*k)))
			draw.BiLinear.Scale(m, r, i.Picture, i.Picture.Bounds(), draw.Over, nil)
		}
	}
	return m, nil
}

// dashes cuts a row of points into pieces, on and off.
func dashes(points []Point, dash []float64) [][]Point {
	sum := 0.0
	for _, x := range dash {
		sum += x
	}
	if len(dash) < 2 || sum <= 0 {
		return [][]Point{points}
	}
	var out [][]Point
	at, left, on := 0, dash[0], true
	var run []Point
	for i := 1; i < len(points); i++ {
		a, b := points[i-1], points[i]
		l := math.Hypot(b.X-a.X, b.Y-a.Y)
		for s := 0.0; s < l; {
			step := min(left, l-s)
			p := Point{a.X + (b.X-a.X)*s/l, a.Y + (b.Y-a.Y)*s/l}
			q := Point{a.X + (b.X-a.X)*(s+step)/l, a.Y + (b.Y-a.Y)*(s+step)/l}
			if on {
				if len(run) == 0 {
					run = append(run, p)
				}
				run = append(run, q)
			}
			s += step
			if left -= step; left <= 1e-9 {
				if on {
					out, run = append(out, run), nil
				}
				at = (at + 1) % len(dash)
				left, on = dash[at], !on
			}
		}
	}
	if len(run) > 1 {
		out = append(out, run)
	}
	return out
}
