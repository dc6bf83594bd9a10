// Package plain says what may be in any text, number or description that comes
// from outside, before anybody asks what it means: texts that can be stored and
// shown, numbers with which can be computed. What is possible for one kind of
// thing is said by that kind's own Check.
package plain

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Limits of what comes in.
const (
	// MaxNumber is the largest magnitude of a number: its fourth power, and sums of
	// millions of those, are far from the largest that can be computed with.
	MaxNumber = 1e12
	// MaxText is the longest text, in bytes: a long note, a thousand ids.
	MaxText = 100_000
	// MaxDepth is how deep objects and lists may lie in one another.
	MaxDepth = 40
)

// whole are the fields that hold any whole number of 64 bits: seeds of chance, and
// revisions.
func whole(key string) bool {
	return strings.EqualFold(key, "seed") || strings.EqualFold(key, "revision")
}

// Text says what is wrong with a text: it is UTF-8, holds nothing that cannot be
// seen but line ends and tabs, and has at most MaxText bytes.
func Text(s string) error {
	switch {
	case len(s) > MaxText:
		return fmt.Errorf("a text of %d bytes; at most %d are taken", len(s), MaxText)
	case !utf8.ValidString(s):
		return fmt.Errorf("%.60q is not text in UTF-8", s)
	}
	for _, r := range s {
		if unicode.IsControl(r) && r != '\n' && r != '\r' && r != '\t' {
			return fmt.Errorf("%.60q holds a character that cannot be written (%U)", s, r)
		}
	}
	return nil
}

// Cell is a text for a table that a spreadsheet opens: one that the spreadsheet would
// take for a formula has a ' before it.
func Cell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// Number says what is wrong with a number: it is finite, and its magnitude is at
// most MaxNumber.
func Number(x float64) error {
	if !(math.Abs(x) <= MaxNumber) {
		return fmt.Errorf("%g is beyond what is computed with: numbers lie between %g and %g", x, -MaxNumber, MaxNumber)
	}
	return nil
}

// JSON says what is wrong with one JSON value: with its form, or with a text or a
// number in it, and in which field.
func JSON(raw []byte) error {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.UseNumber()
	// The fields that lead to what is read; "" within a list.
	var path []string
	var object []bool // whether each is an object, and
	var named []bool  // whether the next of it is a value: its name was read
	for {
		t, err := dec.Token()
		if errors.Is(err, io.EOF) && len(object) == 0 {
			return nil
		}
		if err != nil {
			return fmt.Errorf("not JSON: %w", err)
		}
		top := len(object) - 1
		if d, ok := t.(json.Delim); ok && (d == '}' || d == ']') {
			object, named, path = object[:top], named[:top], path[:top]
			done(object, named)
			continue
		}
		if top >= 0 && object[top] && !named[top] {
			key := t.(string)
			if err := Text(key); err != nil {
				return err
			}
			path[top], named[top] = key, true
			continue
		}
		switch v := t.(type) {
		case json.Delim:
			if len(object) == MaxDepth {
				return fmt.Errorf("%s lies deeper than %d levels", where(path), MaxDepth)
			}
			object, named, path = append(object, v == '{'), append(named, false), append(path, "")
			continue
		case string:
			if err := Text(v); err != nil {
				return fmt.Errorf("%s: %w", where(path), err)
			}
		case json.Number:
			if err := number(v, path); err != nil {
				return fmt.Errorf("%s: %w", where(path), err)
			}
		}
		done(object, named)
	}
}

// Read reads JSON over what is there; a field that nobody knows is an error, so that what is
// misspelt is not lost in silence.
func Read(raw []byte, over any) error {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.DisallowUnknownFields()
	return dec.Decode(over)
}

// done says that a value of the innermost object was read.
func done(object, named []bool) {
	if top := len(object) - 1; top >= 0 && object[top] {
		named[top] = false
	}
}

func number(v json.Number, path []string) error {
	if n := len(path); n > 0 && whole(path[n-1]) {
		if _, err := strconv.ParseUint(strings.TrimPrefix(v.String(), "-"), 10, 64); err == nil {
			return nil
		}
	}
	x, err := v.Float64()
	if err != nil {
		return fmt.Errorf("%.40s is beyond what is computed with", v)
	}
	return Number(x)
}

func where(path []string) string {
	named := make([]string, 0, len(path))
	for _, p := range path {
		if p != "" {
			named = append(named, p)
		}
	}
	if len(named) == 0 {
		return "the value"
	}
	return strings.Join(named, ".")
}

// Finite is v in a form that JSON can hold: numbers that are not finite become
// null, whatever they are in. It is asked when JSON refused v.
func Finite(v any) any { return finite(v) }

// Answer is something as JSON. A figure in it that is no number is sent as none; told is
// called with why, for those who can mend it.
func Answer(what any, told func(error)) ([]byte, error) {
	raw, err := json.Marshal(what)
	var none *json.UnsupportedValueError
	if errors.As(err, &none) {
		told(err)
		raw, err = json.Marshal(finite(what))
	}
	return raw, err
}
