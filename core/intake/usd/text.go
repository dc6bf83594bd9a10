package usd

import (
	"cmp"
	"errors"
	"fmt"
	"strconv"
	"strings"

	scan "visator/core/intake/text"
)

// maxDepth bounds how deep prims and values lie in one another.
const maxDepth = 128

// parseText reads a .usda layer.
func parseText(data []byte) (*layer, error) {
	p := &parser{s: scan.Scanner{Data: scan.UTF8(data)}}
	l, err := p.layer()
	if err != nil {
		return nil, fmt.Errorf("line %d: %w", p.s.Line(), err)
	}
	return l, nil
}

type parser struct {
	s     scan.Scanner
	depth int
}

func (p *parser) peek() byte {
	p.space()
	if p.s.At >= len(p.s.Data) {
		return 0
	}
	return p.s.Data[p.s.At]
}

// space skips white space, separators and comments.
func (p *parser) space() {
	d := p.s.Data
	for p.s.At < len(d) {
		switch c := d[p.s.At]; {
		case c <= ' ' || c == ';':
			p.s.At++
		case c == '#':
			for p.s.At < len(d) && d[p.s.At] != '\n' {
				p.s.At++
			}
		default:
			return
		}
	}
}

func (p *parser) take(c byte) bool {
	if p.peek() != c {
		return false
	}
	p.s.At++
	return true
}

func (p *parser) want(c byte) error {
	if !p.take(c) {
		return fmt.Errorf("%q is expected before %.40q", c, p.s.Data[p.s.At:])
	}
	return nil
}

// word reads an identifier, with its namespaces, dots and array brackets.
func (p *parser) word() string {
	p.space()
	start := p.s.At
	for p.s.At < len(p.s.Data) {
		c := p.s.Data[p.s.At]
		if !(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '_' || c == ':' || c == '.' ||
			c >= 0x80 || c == '[' && p.s.At+1 < len(p.s.Data) && p.s.Data[p.s.At+1] == ']') {
			break
		}
		if c == '[' {
			p.s.At++
		}
		p.s.At++
	}
	return string(p.s.Data[start:p.s.At])
}

func (p *parser) layer() (*layer, error) {
	l := &layer{meta: map[string]any{}, root: *newSpec("", "def", "")}
	if p.peek() == '(' {
		if err := p.metadata(l.meta); err != nil {
			return nil, err
		}
	}
	for p.peek() != 0 {
		if err := p.item(&l.root); err != nil {
			return nil, err
		}
	}
	return l, nil
}

// metadata reads "( name = value ... )".
func (p *parser) metadata(into map[string]any) error {
	if err := p.want('('); err != nil {
		return err
	}
	for {
		switch c := p.peek(); c {
		case ')':
			p.s.At++
			return nil
		case ',':
			p.s.At++
			continue
		case '"', '\'':
			s, err := p.quoted()
			if err != nil {
				return err
			}
			into["doc"] = s
			continue
		}
		name := p.word()
		op := ""
		switch name {
		case "":
			return fmt.Errorf("%.40q does not belong into metadata", p.s.Data[p.s.At:])
		case "prepend", "append", "add", "delete", "reorder":
			op, name = name, p.word()
		}
		if err := p.want('='); err != nil {
			return err
		}
		v, err := p.value()
		if err != nil {
			return err
		}
		if op == "delete" || op == "reorder" {
			continue
		}
		if op != "" { // lists grow
			switch have := into[name].(type) {
			case []ref:
				if more, ok := v.([]ref); ok {
					v = append(have, more...)
				}
			case []string:
				v = append(have, texts(v)...)
			}
		}
		into[name] = v
	}
}

// item reads one prim, property, variant set or reordering of a prim.
func (p *parser) item(into *spec) error {
	start := p.s.At
	w := p.word()
	switch w {
	case "def", "over", "class":
		return p.prim(into, w)
	case "variantSet":
		return p.variantSet(into)
	case "reorder":
		p.word()
		if err := p.want('='); err != nil {
			return err
		}
		_, err := p.value()
		return err
	case "":
		return fmt.Errorf("%.40q does not belong here", p.s.Data[start:min(len(p.s.Data), start+60)])
	}
	return p.property(into, w)
}

func (p *parser) prim(into *spec, kind string) error {
	if p.depth++; p.depth > maxDepth {
		return fmt.Errorf("prims lie more than %d deep in one another", maxDepth)
	}
	defer func() { p.depth-- }()
	typeName := ""
	if c := p.peek(); c != '"' && c != '\'' {
		typeName = p.word()
	}
	name, err := p.quoted()
	if err != nil {
		return err
	}
	s := into.child(name)
	if s == nil {
		s = newSpec(name, kind, typeName)
		into.children = append(into.children, s)
	}
	if p.peek() == '(' {
		if err := p.metadata(s.meta); err != nil {
			return err
		}
	}
	return p.body(s)
}

func (p *parser) body(s *spec) error {
	if err := p.want('{'); err != nil {
		return err
	}
	for !p.take('}') {
		if p.peek() == 0 {
			return errors.New("the file ends within a prim; fetch it again")
		}
		if err := p.item(s); err != nil {
			return err
		}
	}
	return nil
}

func (p *parser) variantSet(into *spec) error {
	set, err := p.quoted()
	if err != nil {
		return err
	}
	if err := cmp.Or(p.want('='), p.want('{')); err != nil {
		return err
	}
	if into.variants == nil {
		into.variants = map[string]map[string]*spec{}
	}
	if into.variants[set] == nil {
		into.variants[set] = map[string]*spec{}
	}
	for !p.take('}') {
		name, err := p.quoted()
		if err != nil {
			return err
		}
		v := newSpec("", "over", "")
		if p.peek() == '(' {
			if err := p.metadata(v.meta); err != nil {
				return err
			}
		}
		if p.depth++; p.depth > maxDepth {
			return fmt.Errorf("variants lie more than %d deep in one another", maxDepth)
		}
		err = p.body(v)
		p.depth--
		if err != nil {
			return err
		}
		into.variants[set][name] = v
	}
	return nil
}

func (p *parser) property(into *spec, first string) error {
	typeName := first
	for typeName == "custom" || typeName == "uniform" || typeName == "varying" || typeName == "config" ||
		typeName == "prepend" || typeName == "append" || typeName == "add" || typeName == "delete" ||
		typeName == "reorder" {
		typeName = p.word()
	}
	full := p.word()
	name, part, _ := strings.Cut(full, ".")
	if name == "" {
		return fmt.Errorf("%.40q is no property", typeName)
	}
	pr := into.props[name]
	if pr == nil {
		pr = &prop{typeName: typeName}
		into.props[name] = pr
	}
	if p.take('=') {
		v, err := p.value()
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		switch {
		case part == "connect" || typeName == "rel":
			pr.targets = texts(v)
		case part == "timeSamples":
			if t, ok := v.(samples); ok && pr.value == nil {
				pr.value = t.first
			}
		default:
			pr.value = v
		}
	}
	if p.peek() == '(' {
		pr.meta = map[string]any{}
		return p.metadata(pr.meta)
	}
	return nil
}

// samples is a dictionary whose keys are times: only the first counts here.
type samples struct{ first any }

func (p *parser) quoted() (string, error) {
	q := p.peek()
	if q != '"' && q != '\'' {
		return "", fmt.Errorf("a name in quotes is expected before %.40q",
			p.s.Data[p.s.At:min(len(p.s.Data), p.s.At+60)])
	}
	d := p.s.Data
	long := p.s.At+2 < len(d) && d[p.s.At+1] == q && d[p.s.At+2] == q
	end := string(q)
	if long {
		end = strings.Repeat(end, 3)
	}
	p.s.At += len(end)
	var out strings.Builder
	for p.s.At < len(d) {
		if d[p.s.At] == '\\' && p.s.At+1 < len(d) {
			c := d[p.s.At+1]
			if e, ok := map[byte]byte{'n': '\n', 't': '\t', 'r': '\r'}[c]; ok {
				c = e
			}
			out.WriteByte(c)
			p.s.At += 2
			continue
		}
		if strings.HasPrefix(string(d[p.s.At:min(len(d), p.s.At+3)]), end) {
			p.s.At += len(end)
			return out.String(), nil
		}
		out.WriteByte(d[p.s.At])
		p.s.At++
	}
	return "", errors.New("a text in quotes has no end; fetch the file again")
}

// between reads what stands between an opening mark and its end.
func (p *parser) between(end string) (string, error) {
	i := strings.Index(string(p.s.Data[p.s.At:min(len(p.s.Data), p.s.At+8192)]), end)
	if i < 0 {
		return "", fmt.Errorf("%q is missing; fetch the file again", end)
	}
	s := string(p.s.Data[p.s.At : p.s.At+i])
	p.s.At += i + len(end)
	return s, nil
}

func (p *parser) reference() (ref, error) {
	var r ref
	var err error
	if p.take('@') {
		mark := "@"
		if strings.HasPrefix(string(p.s.Data[p.s.At:min(len(p.s.Data), p.s.At+2)]), "@@") {
			p.s.At += 2
			mark = "@@@"
		}
		if r.asset, err = p.between(mark); err != nil {
			return r, err
		}
	}
	if p.s.At < len(p.s.Data) && p.s.Data[p.s.At] == '<' {
		p.s.At++
		if r.path, err = p.between(">"); err != nil {
			return r, err
		}
	}
	return r, nil
}

// value reads any value. Files become asset, or ref when a prim in them is
// named; paths become strings.
func (p *parser) value() (any, error) {
	if p.depth++; p.depth > maxDepth {
		return nil, fmt.Errorf("values lie more than %d deep in one another", maxDepth)
	}
	defer func() { p.depth-- }()
	switch c := p.peek(); {
	case c == '"' || c == '\'':
		return p.quoted()
	case c == '@':
		r, err := p.reference()
		if err != nil {
			return nil, err
		}
		if p.onLine() == '(' { // the offset of its times
			if err := p.metadata(map[string]any{}); err != nil {
				return nil, err
			}
		}
		if r.path != "" {
			return []ref{r}, nil
		}
		return asset(r.asset), nil
	case c == '<':
		p.s.At++
		return p.between(">")
	case c == '(':
		return p.list(')')
	case c == '[':
		return p.list(']')
	case c == '{':
		return p.dictionary()
	case c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9':
		v, end, ok := scan.Decimal(p.s.Data, p.s.At)
		if !ok {
			return nil, fmt.Errorf("%.40q is not a number", p.s.Data[p.s.At:min(len(p.s.Data), p.s.At+40)])
		}
		p.s.At = end
		return v, nil
	}
	w := p.word()
	switch w {
	case "":
		return nil, fmt.Errorf("%.40q is not a value", p.s.Data[p.s.At:min(len(p.s.Data), p.s.At+40)])
	case "None":
		return nil, nil
	case "true", "True":
		return true, nil
	case "false", "False":
		return false, nil
	case "inf", "nan":
		return strconv.ParseFloat(w, 64)
	}
	return w, nil
}

// onLine is the next character on this line that is no space.
func (p *parser) onLine() byte {
	for i := p.s.At; i < len(p.s.Data); i++ {
		if c := p.s.Data[i]; c != ' ' && c != '\t' {
			return c
		}
	}
	return 0
}

// list reads a tuple or an array: of numbers, flat, however deep they lie in
// tuples; else of texts or of references.
func (p *parser) list(end byte) (any, error) {
	p.s.At++
	var nums []float64
	var strs []string
	var refs []ref
	for !p.take(end) {
		switch c := p.peek(); {
		case c == 0:
			return nil, errors.New("a list has no end; fetch the file again")
		case c == ',':
			p.s.At++
			continue
		case c >= '0' && c <= '9' || c == '-':
			// The usual large array: numbers and commas.
			if v, at, ok := scan.Decimal(p.s.Data, p.s.At); ok {
				nums, p.s.At = append(nums, v), at
				continue
			}
		}
		v, err := p.value()
		if err != nil {
			return nil, err
		}
		switch v := v.(type) {
		case float64:
			nums = append(nums, v)
		case bool:
			nums = append(nums, map[bool]float64{true: 1}[v])
		case []float64:
			nums = append(nums, v...)
		case string:
			strs = append(strs, v)
		case asset:
			strs, refs = append(strs, string(v)), append(refs, ref{asset: string(v)})
		case []ref:
			refs = append(refs, v...)
		}
	}
	switch {
	case len(refs) > len(strs):
		return refs, nil
	case len(strs) > 0:
		return strs, nil
	case nums == nil:
		return []float64{}, nil
	}
	return nums, nil
}

// dictionary reads "{ type name = value }" and "{ time: value }".
func (p *parser) dictionary() (any, error) {
	p.s.At++
	out := map[string]any{}
	var times samples
	isTimes := false
	for !p.take('}') {
		c := p.peek()
		if c == ',' {
			p.s.At++
			continue
		}
		if c == 0 {
			return nil, errors.New("a dictionary has no end; fetch the file again")
		}
		if c >= '0' && c <= '9' || c == '-' || c == '.' {
			if _, at, ok := scan.Decimal(p.s.Data, p.s.At); ok {
				p.s.At = at
			}
			if err := p.want(':'); err != nil {
				return nil, err
			}
			v, err := p.value()
			if err != nil {
				return nil, err
			}
			if !isTimes {
				times.first, isTimes = v, true
			}
			continue
		}
		p.word() // its type
		name := ""
		var err error
		if c := p.peek(); c == '"' || c == '\'' {
			name, err = p.quoted()
		} else {
			name = p.word()
		}
		if err := cmp.Or(err, p.want('=')); err != nil {
			return nil, err
		}
		if out[name], err = p.value(); err != nil {
			return nil, err
		}
	}
	if isTimes {
		return times, nil
	}
	return out, nil
}
