package drawing

import (
	"bufio"
	"bytes"
	"encoding/base64"
	"fmt"
	"html"
	"image/png"
	"io"
	"math"
	"strings"
)

func grey(g float64) string {
	v := int(math.Round(255 * min(max(g, 0), 1)))
	return fmt.Sprintf("#%02x%02x%02x", v, v, v)
}

func path(points []Point, closed bool) string {
	var b strings.Builder
	for i, p := range points {
		fmt.Fprintf(&b, "%c%.3f %.3f", "ML"[min(i, 1)], p.X, p.Y)
	}
	if closed {
		b.WriteByte('Z')
	}
	return b.String()
}

// WriteSVG writes the drawing as SVG 1.1 (W3C), in millimetres.
func (d *Drawing) WriteSVG(out io.Writer) error {
	w := bufio.NewWriter(out)
	fmt.Fprintf(w, "<svg xmlns=\"http://www.w3.org/2000/svg\" xmlns:xlink=\"http://www.w3.org/1999/xlink\" "+
		"width=\"%gmm\" height=\"%gmm\" viewBox=\"0 0 %g %g\" font-family=\"Helvetica, Arial, "+
		"sans-serif\">\n<title>%s</title>\n<rect width=\"%g\" height=\"%g\" fill=\"#fff\"/>\n", d.W, d.H, d.W, d.H,
		html.EscapeString(d.Title), d.W, d.H)
	for _, it := range d.order {
		switch it.kind {
		case 'l':
			l := &d.Lines[it.at]
			dash := ""
			if len(l.Dash) > 0 {
				dash = fmt.Sprintf(" stroke-dasharray=\"%s\"", strings.Trim(fmt.Sprint(l.Dash), "[]"))
			}
			fmt.Fprintf(w, "<path d=\"%s\" fill=\"none\" stroke=\"%s\" stroke-width=\"%g\"%s/>\n",
				path(l.Points, l.Closed), grey(l.Grey), l.Width, dash)
		case 'a':
			a := &d.Areas[it.at]
			stroke := ""
			if a.Width > 0 {
				stroke = fmt.Sprintf(" stroke=\"%s\" stroke-width=\"%g\"", grey(a.Line), a.Width)
			}
			fmt.Fprintf(w, "<path d=\"%s\" fill=\"%s\"%s/>\n", path(a.Points, true), grey(a.Fill), stroke)
		case 't':
			t := &d.Texts[it.at]
			anchor := [...]string{"start", "middle", "end"}[t.Anchor]
			more := ""
			if t.Bold {
				more = " font-weight=\"bold\""
			}
			if t.Halo {
				more += fmt.Sprintf(" stroke=\"#fff\" stroke-width=\"%g\" paint-order=\"stroke\"", t.Size/3)
			}
			fmt.Fprintf(w, "<text x=\"%.3f\" y=\"%.3f\" font-size=\"%g\" text-anchor=\"%s\" fill=\"%s\"%s>%s</text>\n",
				t.X, t.Y, t.Size, anchor, grey(t.Grey), more, html.EscapeString(t.Words))
		case 'i':
			i := &d.Images[it.at]
			var buf bytes.Buffer
			if err := png.Encode(&buf, i.Picture); err != nil {
				return err
			}
			fmt.Fprintf(w, "<image x=\"%g\" y=\"%g\" width=\"%g\" height=\"%g\" preserveAspectRatio=\"none\" "+
				"xlink:href=\"data:image/png;base64,%s\"/>\n", i.X, i.Y, i.W, i.H,
				base64.StdEncoding.EncodeToString(buf.Bytes()))
		}
	}
	fmt.Fprintln(w, "</svg>")
	return w.Flush()
}
