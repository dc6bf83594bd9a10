// Package unit reads and prints the lengths and angles that people type.
//
// Inside the program a length is a float64 in metres and an angle a float64
// in radians. Conversion factors of the foot and the inch are exact: 0.3048 m
// and 0.0254 m (NIST SP 811, appendix B).
package unit

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Unit is a unit of length that a model file or a production can be in.
type Unit struct {
	Name   string  // "metre", "centimetre", ...
	Symbol string  // "m", "cm", ...
	Metres float64 // metres in one unit
}

// The units that an artist can choose from.
var (
	Millimetre = Unit{"millimetre", "mm", 0.001}
	Centimetre = Unit{"centimetre", "cm", 0.01}
	Metre      = Unit{"metre", "m", 1}
	Inch       = Unit{"inch", "in", 0.0254}
	Foot       = Unit{"foot", "ft", 0.3048}
)

// All lists the units in the order in which they are offered.
var All = []Unit{Millimetre, Centimetre, Metre, Inch, Foot}

// spelling maps every accepted way to write a unit to its length in metres.
var spelling = map[string]float64{
	"mm": 0.001, "millimetre": 0.001, "millimetres": 0.001, "millimeter": 0.001, "millimeters": 0.001,
	"cm": 0.01, "centimetre": 0.01, "centimetres": 0.01, "centimeter": 0.01, "centimeters": 0.01,
	"dm": 0.1, "decimetre": 0.1, "decimeter": 0.1,
	"m": 1, "metre": 1, "metres": 1, "meter": 1, "meters": 1,
	"km": 1000, "kilometre": 1000, "kilometres": 1000, "kilometer": 1000, "kilometers": 1000,
	"in": 0.0254, "inch": 0.0254, "inches": 0.0254, "\"": 0.0254, "″": 0.0254, "”": 0.0254, "''": 0.0254,
	"ft": 0.3048, "foot": 0.3048, "feet": 0.3048, "'": 0.3048, "′": 0.3048, "’": 0.3048,
	"yd": 0.9144, "yard": 0.9144, "yards": 0.9144,
	"mi": 1609.344, "mile": 1609.344, "miles": 1609.344,
}

// ByName returns the unit with the given name, plural or symbol.
func ByName(name string) (Unit, bool) {
	m, ok := spelling[strings.ToLower(strings.TrimSpace(name))]
	if !ok {
		return Unit{}, false
	}
	for _, u := range All {
		if u.Metres == m {
			return u, true
		}
	}
	return Unit{Name: strings.ToLower(strings.TrimSpace(name)), Symbol: name, Metres: m}, true
}

// ParseError says what in a typed length could not be understood, and where.
type ParseError struct {
	Text   string
	Offset int // byte offset into Text
	Reason string
}

func (e *ParseError) Error() string {
	return fmt.Sprintf("%q is not a length: %s (at character %d). Write for example 1.85 m, 85 cm, 6' 1 1/2\" or 2.4m "+
		"- 18cm", e.Text, e.Reason, e.Offset+1)
}

// ParseLength reads a length with any unit, in feet and inches, with
// fractions, and as a sum: "1.85 m", "85cm", "10' 6 1/2\"", "3/8\"",
// "2.4m - 18cm", "2 * 1.2m", "12 m / 5". A number without a unit takes
// bare. The result is in metres.
func ParseLength(text string, bare Unit) (float64, error) {
	p := &parser{text: text, bare: bare.Metres}
	if p.bare == 0 {
		p.bare = 1
	}
	v, err := p.sum()
	if err == nil {
		p.space()
		if p.at < len(p.text) {
			err = p.fail("unexpected " + strconv.Quote(p.text[p.at:]))
		}
	}
	if err != nil {
		return 0, err
	}
	if math.IsNaN(v.n) || math.IsInf(v.n, 0) {
		return 0, p.fail("the result is not a number")
	}
	if !v.length {
		return v.n * p.bare, nil
	}
	return v.n, nil
}

// value is a number that is a length in metres, or still without a unit.
type value struct {
	n      float64
	length bool
	unit   float64 // metres of its last unit, of a length as typed
}

type parser struct {
	text  string
	at    int
	bare  float64
	depth int
}

// maxDepth bounds the nesting of parentheses: nobody types more by hand.
const maxDepth = 32

func (p *parser) fail(reason string) error {
	return &ParseError{Text: p.text, Offset: min(p.at, len(p.text)), Reason: reason}
}

func (p *parser) space() {
	for p.at < len(p.text) && (p.text[p.at] == ' ' || p.text[p.at] == '\t') {
		p.at++
	}
}

func (p *parser) sum() (value, error) {
	left, err := p.product()
	for err == nil {
		p.space()
		if p.at >= len(p.text) || (p.text[p.at] != '+' && p.text[p.at] != '-') {
			return left, nil
		}
		sign := 1.0
		if p.text[p.at] == '-' {
			sign = -1
		}
		p.at++
		var right value
		if right, err = p.product(); err == nil {
			l, r := p.metres(left), p.metres(right)
			left = value{n: l + sign*r, length: true}
		}
	}
	return left, err
}

func (p *parser) metres(v value) float64 {
	if v.length {
		return v.n
	}
	return v.n * p.bare
}

func (p *parser) product() (value, error) {
	left, err := p.term()
	for err == nil {
		p.space()
		if p.at >= len(p.text) || (p.text[p.at] != '*' && p.text[p.at] != '/') {
			return left, nil
		}
		op := p.text[p.at]
		p.at++
		var right value
		if right, err = p.term(); err != nil {
			break
		}
		switch {
		case op == '*' && left.length && right.length:
			return left, p.fail("a length times a length is an area")
		case op == '*':
			left = value{n: left.n * right.n, length: left.length || right.length}
		case right.length:
			return left, p.fail("cannot divide by a length")
		case right.n == 0:
			return left, p.fail("division by zero")
		default:
			left.n /= right.n
		}
	}
	return left, err
}

// term is a sign, a parenthesis, or a run of numbers with units that belong
// together, such as 10' 6 1/2".
func (p *parser) term() (value, error) {
	p.space()
	if p.at >= len(p.text) {
		return value{}, p.fail("a number is missing")
	}
	switch p.text[p.at] {
	case '-', '+':
		neg := p.text[p.at] == '-'
		if p.depth++; p.depth > maxDepth {
			return value{}, p.fail("too deeply nested")
		}
		p.at++
		v, err := p.term()
		p.depth--
		if neg {
			v.n = -v.n
		}
		return v, err
	case '(':
		if p.depth++; p.depth > maxDepth {
			return value{}, p.fail("too deeply nested")
		}
		p.at++
		v, err := p.sum()
		if err != nil {
			return v, err
		}
		p.space()
		if p.at >= len(p.text) || p.text[p.at] != ')' {
			return v, p.fail("a closing parenthesis is missing")
		}
		p.at++
		p.depth--
		return v, nil
	}
	total, err := p.quantity()
	for err == nil && total.length {
		// 6' 1": another quantity follows without an operator.
		save := p.at
		p.space()
		if p.at >= len(p.text) || !numeric(p.text[p.at]) {
			p.at = save
			break
		}
		start := p.at
		var more value
		if more, err = p.quantity(); err != nil {
			break
		}
		if !more.length { // 6' 1 means six feet one inch; 1m 85 means a centimetre count
			below := map[float64]float64{Foot.Metres: Inch.Metres, 0.9144: Foot.Metres, 1: Centimetre.Metres, 1000: 1,
				0.01: 0.001}[total.unit]
			if below == 0 {
				p.at = start
				return total, p.fail("a unit is missing")
			}
			more = value{more.n * below, true, below}
		}
		if more.n >= total.unit*(1-1e-12) { // 5' 13" is a slip of the hand
			p.at = start
			return total,
				p.fail(fmt.Sprintf("%s is no less than the unit before it",
					strings.TrimSpace(p.text[start:min(len(p.text), start+40)])))
		}
		total.n, total.unit = total.n+more.n, more.unit
	}
	return total, err
}

func numeric(c byte) bool { return c >= '0' && c <= '9' || c == '.' }

// quantity is one number, possibly mixed (6 1/2), with its unit if it has one.
func (p *parser) quantity() (value, error) {
	n, err := p.number()
	if err != nil {
		return value{}, err
	}
	save := p.at
	p.space()
	if p.at < len(p.text) && numeric(p.text[p.at]) { // mixed number: whole and fraction
		if f, ok := p.fraction(); ok {
			n += f
		} else {
			p.at = save
		}
	} else {
		p.at = save
		if p.at < len(p.text) && p.text[p.at] == '/' { // 3/8
			if d, ok := p.denominator(); ok {
				n /= d
			}
		}
	}
	save = p.at
	p.space()
	if m, size := p.unit(); size > 0 {
		p.at += size
		return value{n * m, true, m}, nil
	}
	if p.at < len(p.text) && isLetter(p.text[p.at]) {
		return value{}, p.fail("unknown unit " + strconv.Quote(word(p.text[p.at:])))
	}
	p.at = save
	return value{n: n}, nil
}

// fraction reads a/b directly; the caller restores the position when not ok.
func (p *parser) fraction() (float64, bool) {
	a, err := p.number()
	if err != nil {
		return 0, false
	}
	if d, ok := p.denominator(); ok {
		return a / d, true
	}
	return 0, false
}

// denominator reads "/8" without spaces, when it is followed by inches or the
// end of a quantity; "12 m / 5" is a division and is not taken here.
func (p *parser) denominator() (float64, bool) {
	if p.at+1 >= len(p.text) || p.text[p.at] != '/' || !numeric(p.text[p.at+1]) {
		return 0, false
	}
	save := p.at
	p.at++
	d, err := p.number()
	if err != nil || d == 0 {
		p.at = save
		return 0, false
	}
	return d, true
}

func (p *parser) number() (float64, error) {
	p.space()
	start := p.at
	digits, comma := 0, -1
	for p.at < len(p.text) {
		c := p.text[p.at]
		if c == ',' && comma < 0 && p.at+1 < len(p.text) && p.text[p.at+1] >= '0' && p.text[p.at+1] <= '9' &&
			!strings.Contains(p.text[start:p.at], ".") {
			comma = p.at // a decimal comma, as most of Europe writes it
			p.at++
			continue
		}
		if !numeric(c) || c == '.' && comma >= 0 {
			break
		}
		if c != '.' {
			digits++
		}
		p.at++
	}
	if digits == 0 {
		return 0, p.fail("a number is expected here")
	}
	n, err := strconv.ParseFloat(strings.Replace(p.text[start:p.at], ",", ".", 1), 64)
	if err != nil {
		p.at = start
		return 0, p.fail("not a number")
	}
	return n, nil
}

// unit returns the metres of the unit that starts here and its byte length.
func (p *parser) unit() (float64, int) {
	rest := p.text[p.at:]
	for _, mark := range []string{"''", "'", "\"", "′", "″", "’", "”"} {
		if strings.HasPrefix(rest, mark) {
			return spelling[mark], len(mark)
		}
	}
	w := word(rest)
	if m, ok := spelling[strings.ToLower(w)]; ok && w != "" {
		return m, len(w)
	}
	return 0, 0
}

func isLetter(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

func word(s string) string {
	n := 0
	for n < len(s) && isLetter(s[n]) {
		n++
	}
	return s[:n]
}

// Format prints a length of m metres in unit u, with as many decimals as a
// surveyor would write: millimetres whole, metres to the millimetre.
func Format(m float64, u Unit) string {
	if u.Name == Foot.Name {
		return FeetInches(m)
	}
	v := m / u.Metres
	decimals := 3
	switch {
	case u.Metres <= 0.001:
		decimals = 0
	case u.Metres <= 0.0254:
		decimals = 1
	case math.Abs(v) >= 100:
		decimals = 1
	}
	return strconv.FormatFloat(v, 'f', decimals, 64) + " " + u.Symbol
}

// FeetInches prints a length of m metres as feet and inches to 1/16 inch.
func FeetInches(m float64) string {
	sign := ""
	if m < 0 {
		sign, m = "-", -m
	}
	sixteenths := math.Round(m / Inch.Metres * 16)
	feet := math.Floor(sixteenths / 192)
	sixteenths -= feet * 192
	inches := math.Floor(sixteenths / 16)
	part := int(sixteenths - inches*16)
	out := fmt.Sprintf("%s%.0f' %.0f", sign, feet, inches)
	if part > 0 {
		den := 16
		for part%2 == 0 {
			part, den = part/2, den/2
		}
		out += fmt.Sprintf(" %d/%d", part, den)
	}
	return out + "\""
}

// Ruler is what lengths are told in.
type Ruler int

const (
	InMetres Ruler = iota // millimetres to kilometres
	InFeet                // inches to miles
)

// RulerOf is the ruler that goes with a unit of a production.
func RulerOf(unit string) Ruler {
	if unit == Foot.Name || unit == Inch.Name {
		return InFeet
	}
	return InMetres
}

// Distance prints a length as a ruler would: 0.90 m, 35.0 m, 1.8 km; or 2.9 ft,
// 115 ft, 1.1 mi (a mile is 5280 feet: NIST SP 811, appendix B).
func (r Ruler) Distance(m float64) string {
	print := func(v float64, digits int, unit string) string {
		return strconv.FormatFloat(v, 'f', digits, 64) + " " + unit
	}
	if a := math.Abs(m) / Foot.Metres; r == InFeet && !math.IsInf(m, 0) {
		switch ft := m / Foot.Metres; {
		case a >= 5280:
			return print(ft/5280, 1, "mi")
		case a >= 10:
			return print(ft, 0, "ft")
		case a >= 1:
			return print(ft, 1, "ft")
		case a >= 1.0/12 || a == 0:
			return print(12*ft, 1, "in")
		default:
			return print(12*ft, 2, "in")
		}
	}
	switch a := math.Abs(m); {
	case math.IsInf(m, 0):
		return "infinity"
	case a >= 1000:
		return print(m/1000, 1, "km")
	case a >= 10:
		return print(m, 1, "m")
	case a >= 0.1 || a == 0:
		return print(m, 2, "m")
	default:
		return print(m*1000, 1, "mm")
	}
}

// Radians converts degrees to radians.
func Radians(deg float64) float64 { return deg * math.Pi / 180 }

// Turned is an angle in radians in 0 to 2 pi.
func Turned(rad float64) float64 { return math.Mod(math.Mod(rad, 2*math.Pi)+2*math.Pi, 2*math.Pi) }

// Degrees converts radians to degrees.
func Degrees(rad float64) float64 { return rad * 180 / math.Pi }
