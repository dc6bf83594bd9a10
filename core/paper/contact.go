package paper

import (
	"image"

	"visator/core/drawing"
)

// Frame is a picture on a contact sheet, with what is written below it; no picture is drawn as an empty frame.
type Frame struct {
	Name, Words string
	Picture     image.Image
}

// Contact sheets have so many pictures a page.
const contactAcross, contactDown = 4, 3

// ContactSheets draws pictures side by side, at equal scale, as many pages as they take.
func ContactSheets(title string, list []Frame) (pages []*drawing.Drawing) {
	const gap, words, top = 5.0, 9.0, 26.0
	w := (sheetW - 2*margin - gap*(contactAcross-1)) / contactAcross
	h := (sheetH-margin-top-gap*(contactDown-1))/contactDown - words
	for from := 0; from < len(list); from += contactAcross * contactDown {
		d := &drawing.Drawing{Title: title + ", contact sheet", W: sheetW, H: sheetH}
		d.Text(drawing.Text{X: margin, Y: 17, Words: title, Size: 6, Bold: true})
		d.Line(drawing.Line{Points: []drawing.Point{{X: margin, Y: 21}, {X: sheetW - margin, Y: 21}}, Width: 0.3})
		for k, f := range list[from:min(from+contactAcross*contactDown, len(list))] {
			x, y := margin+float64(k%contactAcross)*(w+gap), top+float64(k/contactAcross)*(h+words+gap)
			pw, ph := w, h
			if f.Picture != nil {
				b := f.Picture.Bounds()
				if a := float64(b.Dx()) / float64(max(b.Dy(), 1)); w/a > h {
					pw = h * a
				} else {
					ph = w / a
				}
				d.Image(drawing.Image{X: x, Y: y, W: pw, H: ph, Picture: f.Picture})
			}
			d.Line(drawing.Line{Points: drawing.Rect(x, y, pw, ph), Width: 0.2, Closed: true})
			d.Text(drawing.Text{X: x, Y: y + ph + 4, Words: f.Name, Size: 3.4, Bold: true})
			d.Text(drawing.Text{X: x, Y: y + ph + 7.6, Words: f.Words, Size: 2.6, Grey: 0.3})
		}
		pages = append(pages, d)
	}
	return pages
}
