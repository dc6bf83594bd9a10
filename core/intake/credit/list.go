package credit

import (
	"encoding/csv"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"visator/core/plain"
)

// Line is a piece in a list of credits.
type Line struct {
	Piece  string
	Copies int // placements in the set
	Credit
}

// WriteText writes the credits as they go out with a picture: one paragraph a
// piece, then what is not known, then the costs.
func WriteText(w io.Writer, title string, lines []Line) error {
	var b strings.Builder
	fmt.Fprintf(&b, "Credits: %s\n\n", title)
	for _, l := range lines {
		fmt.Fprintf(&b, "%s\n", l.Piece)
		fmt.Fprintf(&b, "  by %s\n", orUnknown(l.Author))
		if t := TermsOf(l.Licence); t.Known {
			fmt.Fprintf(&b, "  licence %s (%s)\n", l.Licence, t.Name)
		} else {
			fmt.Fprintf(&b, "  licence %s\n", orUnknown(l.Licence))
		}
		if l.Source != "" {
			fmt.Fprintf(&b, "  from %s\n", l.Source)
		}
	}
	var open []string
	for _, l := range lines {
		if u := l.Unknown(); len(u) > 0 {
			open = append(open, fmt.Sprintf("  %s: %s", l.Piece, strings.Join(u, ", ")))
		}
	}
	if len(open) > 0 {
		fmt.Fprintf(&b, "\nNot known\n%s\n", strings.Join(open, "\n"))
	}
	if sums := Costs(lines); len(sums) > 0 {
		fmt.Fprintf(&b, "\nCosts\n")
		for _, c := range slices.Sorted(maps.Keys(sums)) {
			fmt.Fprintf(&b, "  %.2f %s\n", sums[c], c)
		}
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// Message is the credits on one line, as a file that holds all the pieces
// carries them (glTF 2.0, asset.copyright); "" when nobody is known.
func Message(lines []Line) string {
	var out []string
	for _, l := range lines {
		if l.Author == "" && l.Licence == "" {
			continue
		}
		s := l.Piece
		if l.Author != "" {
			s += " by " + l.Author
		}
		if l.Licence != "" {
			s += " (" + l.Licence + ")"
		}
		out = append(out, s)
	}
	return strings.Join(out, "; ")
}

func orUnknown(s string) string {
	if s == "" {
		return "(not known)"
	}
	return s
}

// Costs sums the prices by currency; a piece is paid for once, however often
// it stands.
func Costs(lines []Line) map[string]float64 {
	out := map[string]float64{}
	for _, l := range lines {
		if l.Currency != "" && l.Price > 0 {
			out[l.Currency] += l.Price
		}
	}
	return out
}

// WriteCSV writes one row a piece (RFC 4180).
func WriteCSV(w io.Writer, lines []Line) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	_ = c.Write([]string{"piece", "placements", "author", "licence", "attribution needed", "non-commercial", "source",
		"price", "currency", "notes"})
	yes := map[bool]string{true: "yes", false: "no"}
	for _, l := range lines {
		t := TermsOf(l.Licence)
		price, attribution, commercial := "", "unknown", "unknown"
		if l.Currency != "" {
			price = fmt.Sprintf("%.2f", l.Price)
		}
		if t.Known {
			attribution, commercial = yes[t.Attribution], yes[t.NonCommercial]
		}
		_ = c.Write([]string{plain.Cell(l.Piece), fmt.Sprint(l.Copies), plain.Cell(l.Author), plain.Cell(l.Licence),
			attribution, commercial, plain.Cell(l.Source), price, l.Currency, plain.Cell(l.Notes)})
	}
	c.Flush()
	return c.Error()
}
