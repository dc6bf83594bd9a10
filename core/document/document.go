// Package document describes what a set is made of: for every field of a document what it
// is called, what it measures, its range and what it begins with. The server checks by it,
// panels are drawn from it, and the docs list it. A field stands in its struct and in the
// struct's Fields, and nowhere else.
package document

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"visator/core/unit"
)

// Kind is what a field measures, and so how it is shown and typed.
type Kind string

// Kinds of fields. All are kept in SI units, angles in radians, shares as 0 to 1.
const (
	Length  Kind = "length"  // metres
	Angle   Kind = "angle"   // radians, shown in degrees
	Percent Kind = "percent" // a share, shown in per cent
	Number  Kind = "number"  // in the unit that its label names
	Count   Kind = "count"   // whole
	Yes     Kind = "yes"     // or no
	Color   Kind = "color"   // #rrggbb in sRGB; "": none
	Swatch  Kind = "swatch"  // #rrggbb in sRGB
	Choice  Kind = "choice"  // one of some words
	Text    Kind = "text"    // of so many bytes, as Min and Max say
	Thing   Kind = "thing"   // the id of a thing of the set; "": none
	List    Kind = "list"    // Names, of so many
	Unit    Kind = "unit"    // a unit of length, by a name that unit.ByName knows
)

// MaxName bounds what names something, in bytes: a label on a drawing, an id.
const MaxName = 200

// Field is one value of a document.
type Field struct {
	Key     string   `json:"key"` // as in JSON, "vary.turn" of what lies in another
	Label   string   `json:"label"`
	Kind    Kind     `json:"kind"`
	Min     *float64 `json:"min"` // as it is kept; null: any
	Max     *float64 `json:"max"`
	Choices []string `json:"choices,omitempty"`
	Default any      `json:"default"`        // null: it comes from what was drawn
	Zero    string   `json:"zero,omitempty"` // what 0, or no text, says where it lies beyond the range

	Unit   string      `json:"unit,omitempty"`   // of a number
	Digits int         `json:"digits,omitempty"` // after the point
	Says   string      `json:"says,omitempty"`   // what it is, where its label alone would not tell
	Part   string      `json:"part,omitempty"`   // of the panel in which it stands
	When   string      `json:"when,omitempty"`   // "key=value" of another field: it shows only then
	Slide  *[3]float64 `json:"slide,omitempty"`  // from, to and step of a slider, as shown
	Hint   string      `json:"hint,omitempty"`   // stands below it

	at    any    // where it is
	what  string // it is in a sentence
	drawn bool
}

// Fielded is a document that says what it is made of.
type Fielded interface{ Fields() []Field }

// Of is a field whose value is at a pointer: *float64, *int, *uint64, *bool, *string or *Names.
// what names it within a sentence.
func Of(at any, kind Kind, key, label, what string) Field {
	return Field{Key: key, Label: label, Kind: kind, at: at, what: what}
}

// In bounds a number, both ends included.
func (f Field) In(lo, hi float64) Field {
	f.Min, f.Max = &lo, &hi
	return f
}

// Or allows 0 too, or no text, whatever the range, and tells what it says.
func (f Field) Or(zero string) Field {
	f.Zero = zero
	return f
}

// Among is what a choice is of.
func (f Field) Among(words ...string) Field {
	f.Choices = words
	return f
}

// Told is the unit of a number, with so many digits after the point.
func (f Field) Told(unit string, digits int) Field {
	f.Unit, f.Digits = unit, digits
	return f
}

// Named is what the field is called where its label alone would not tell.
func (f Field) Named(says string) Field {
	f.Says = says
	return f
}

// On is the part of the panel in which the field stands.
func (f Field) On(part string) Field {
	f.Part = part
	return f
}

// If shows the field only while another has a value.
func (f Field) If(key, value string) Field {
	f.When = key + "=" + value
	return f
}

// Sliding gives the field a slider too, in the unit in which it is shown.
func (f Field) Sliding(from, to, step float64) Field {
	f.Slide = &[3]float64{from, to, step}
	return f
}

// Hinting stands below the field.
func (f Field) Hinting(hint string) Field {
	f.Hint = hint
	return f
}

// Drawn says that the value comes from what was drawn: there is none to go back to.
func (f Field) Drawn() Field {
	f.drawn = true
	return f
}

// shown is in which unit a number of the kind is told, and how many times larger it is then.
func (k Kind) shown() (unit string, times float64) {
	switch k {
	case Length:
		return " m", 1
	case Angle:
		return "°", 180 / math.Pi
	case Percent:
		return " %", 100
	}
	return "", 1
}

// Clamp brings a number to the nearer end of its range where it lies beyond, and one that is none to the lower end.
func (f *Field) Clamp() {
	p, ok := f.at.(*float64)
	if !ok || f.Min == nil || *p == 0 && f.Zero != "" {
		return
	}
	if !(*p >= *f.Min) {
		*p = *f.Min
	}
	*p = min(*p, *f.Max)
}

// value is what the field holds: a float64, a bool or a string.
func (f *Field) value() any {
	switch p := f.at.(type) {
	case *float64:
		return *p
	case *int:
		return float64(*p)
	case *uint64:
		return float64(*p)
	case *bool:
		return *p
	case *string:
		return *p
	case *Names:
		return *p
	}
	return nil
}

var color = regexp.MustCompile(`^#[0-9a-fA-F]{6}$`)

// IsColor says whether a text is a colour, #rrggbb.
func IsColor(s string) bool { return color.MatchString(s) }

// Check says what is impossible about the fields of a document, the first of it. It changes
// nothing.
func Check(d Fielded) error {
	for _, f := range d.Fields() {
		if err := f.check(); err != nil {
			return err
		}
	}
	return nil
}

func (f *Field) check() error {
	switch v := f.value().(type) {
	case float64:
		lo, hi := math.Inf(-1), math.Inf(1)
		if f.Min != nil {
			lo, hi = *f.Min, *f.Max
		}
		if v == 0 && f.Zero != "" {
			return nil
		}
		if math.IsInf(v, 0) || !(v >= lo && v <= hi) {
			unit, times := f.Kind.shown()
			if f.Unit != "" {
				unit = " " + f.Unit
			}
			return fmt.Errorf("%s must be %.7g to %.7g%s, not %.7g", f.what, lo*times, hi*times, unit, v*times)
		}
	case string:
		if (f.Kind == Swatch || f.Kind == Color && v != "") && !IsColor(v) {
			return fmt.Errorf("%q is not a colour such as #8a8a7a", v)
		}
		if f.Kind == Text || f.Kind == Thing {
			return f.length(v)
		}
		if v == "" && f.Zero != "" {
			return nil
		}
		if _, is := unit.ByName(v); f.Kind == Unit && !is {
			return fmt.Errorf("%q is not a unit: mm, cm, m, in or ft", v)
		}
		if f.Kind == Choice && !slices.Contains(f.Choices, v) {
			last := len(f.Choices) - 1
			return fmt.Errorf("%s %s or %s, not %q", f.what, strings.Join(f.Choices[:last], ", "), f.Choices[last], v)
		}
	case Names:
		if f.Max != nil && float64(len(v)) > *f.Max {
			return fmt.Errorf("%s must be at most %.0f, not %d", f.what, *f.Max, len(v))
		}
		for _, name := range v {
			if len(name) > MaxName {
				return fmt.Errorf("%s are named in at most %d characters", f.what, MaxName)
			}
		}
	case bool:
	default:
		return errors.New(f.Key + " is of no kind that a field has")
	}
	return nil
}

// length says whether a text is as long as it may be; one that has to be there is not blank.
func (f *Field) length(text string) error {
	least, most := 0, MaxName
	if f.Max != nil {
		least, most = int(*f.Min), int(*f.Max)
	}
	if len(text) > most || least > 0 && strings.TrimSpace(text) == "" {
		return fmt.Errorf("%s has %d to %d characters", f.what, least, most)
	}
	return nil
}

// Names is a list of names or ids. What earlier releases wrote as one text, its names parted by
// commas, is read too.
type Names []string

// UnmarshalJSON reads a list, or a text.
func (n *Names) UnmarshalJSON(raw []byte) error {
	var text string
	if json.Unmarshal(raw, &text) != nil {
		return json.Unmarshal(raw, (*[]string)(n))
	}
	*n = nil
	if text != "" {
		*n = strings.Split(text, ",")
	}
	return nil
}

// Schema is the fields of a document as it begins, with what they begin with.
func Schema(d Fielded) []Field {
	list := d.Fields()
	for i := range list {
		if f := &list[i]; !f.drawn {
			f.Default = f.value()
		}
	}
	return list
}
