package drawing

import (
	"bytes"
	"fmt"
	"image/png"
	"io"
	"math"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// pointsPerMM is how many points of 1/72 inch a millimetre has.
const pointsPerMM = 72 / 25.4

// WritePDF writes the drawing as a PDF of one page. The same drawing gives the
// same bytes.
func (d *Drawing) WritePDF(out io.Writer) error {
	p := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: d.W, Ht: d.H}})
	p.SetCreationDate(time.Unix(0, 0).UTC())
	p.SetModificationDate(time.Unix(0, 0).UTC())
	p.SetCatalogSort(true)
	p.SetTitle(d.Title, true)
	p.SetCreator("Visator", true)
	p.SetMargins(0, 0, 0)
	p.SetAutoPageBreak(false, 0)
	p.AddUTF8FontFromBytes("go", "", goregular.TTF)
	p.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	p.AddPage()
	p.SetLineCapStyle("round")
	p.SetLineJoinStyle("round")
	tone := func(g float64) int { return int(math.Round(255 * min(max(g, 0), 1))) }
	for _, it := range d.order {
		switch it.kind {
		case 'l':
			l := &d.Lines[it.at]
			p.SetDrawColor(tone(l.Grey), tone(l.Grey), tone(l.Grey))
			p.SetLineWidth(l.Width)
			p.SetDashPattern(l.Dash, 0)
			trace(p, l.Points)
			style := "D"
			if l.Closed {
				p.ClosePath()
			}
			p.DrawPath(style)
		case 'a':
			a := &d.Areas[it.at]
			p.SetFillColor(tone(a.Fill), tone(a.Fill), tone(a.Fill))
			p.SetDrawColor(tone(a.Line), tone(a.Line), tone(a.Line))
			p.SetLineWidth(max(a.Width, 0.01))
			p.SetDashPattern(nil, 0)
			trace(p, a.Points)
			p.ClosePath()
			if a.Width > 0 {
				p.DrawPath("DF")
			} else {
				p.DrawPath("F")
			}
		case 't':
			t := &d.Texts[it.at]
			style := ""
			if t.Bold {
				style = "B"
			}
			p.SetFont("go", style, t.Size*pointsPerMM)
			x, w := t.X, p.GetStringWidth(t.Words)
			switch t.Anchor {
			case Middle:
				x -= w / 2
			case End:
				x -= w
			}
			if t.Halo {
				p.SetFillColor(255, 255, 255)
				p.Rect(x-0.3, t.Y-t.Size*0.78, w+0.6, t.Size, "F")
			}
			p.SetTextColor(tone(t.Grey), tone(t.Grey), tone(t.Grey))
			p.Text(x, t.Y, t.Words)
		case 'i':
			i := &d.Images[it.at]
			var buf bytes.Buffer
			if err := png.Encode(&buf, i.Picture); err != nil {
				return err
			}
			name := fmt.Sprint("picture ", it.at)
			p.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, &buf)
			p.ImageOptions(name, i.X, i.Y, i.W, i.H, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
		}
	}
	return p.Output(out)
}

func trace(p *fpdf.Fpdf, points []Point) {
	for i, q := range points {
		if i == 0 {
			p.MoveTo(q.X, q.Y)
		} else {
			p.LineTo(q.X, q.Y)
		}
	}
}
