// Package markup reads XML into a small tree for model formats. Text stays a
// slice of the file, so that arrays of millions of numbers cost nothing. It
// trusts nothing: entities are the five of the standard and numeric ones;
// a document that declares its own, or names files outside, is refused, since
// such declarations serve only attacks in model files.
package markup

import (
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"visator/core/intake/text"
)

// Limits that real model files do not come near.
const (
	maxDepth    = 200
	maxElements = 4_000_000
)

// ErrEntities is a document that declares entities.
var ErrEntities = errors.New("declares XML entities, which model files have no use for and attacks do; export the " +
	"model again without a DOCTYPE")

// Element is one element with its attributes and what is in it.
type Element struct {
	Name     string // without its namespace prefix
	Attrs    []Attr
	Children []*Element
	Text     []byte // the first run of text, raw
	Offset   int    // byte in the file
}

// Attr is one attribute, its value with entities resolved.
type Attr struct{ Name, Value string }

// Parse reads a document and returns its root. Errors name the line.
func Parse(data []byte) (*Element, error) {
	data = text.UTF8(data)
	p := &parser{d: data, names: map[string]string{}}
	root, err := p.document()
	if err != nil {
		s := text.Scanner{Data: data, At: p.at}
		return nil, fmt.Errorf("line %d: %w", s.Line(), err)
	}
	return root, nil
}

type parser struct {
	d     []byte
	at    int
	count int
	names map[string]string // each name is kept once
	slab  []Element
}

func (p *parser) intern(b []byte) string {
	if i := bytes.LastIndexByte(b, ':'); i >= 0 {
		b = b[i+1:]
	}
	if s, ok := p.names[string(b)]; ok {
		return s
	}
	s := string(b)
	p.names[s] = s
	return s
}

var errEnd = errors.New("the file ends within an element; fetch it again")

func (p *parser) document() (*Element, error) {
	var root *Element
	var stack []*Element
	for {
		i := bytes.IndexByte(p.d[p.at:], '<')
		if i < 0 {
			if root == nil {
				return nil, errors.New("is not XML; fetch the file again")
			}
			if len(stack) > 0 {
				p.at = len(p.d)
				return nil, errEnd
			}
			return root, nil
		}
		if len(stack) > 0 {
			if top := stack[len(stack)-1]; len(top.Text) == 0 {
				top.Text = bytes.TrimSpace(p.d[p.at : p.at+i])
			}
		}
		p.at += i
		rest := p.d[p.at:]
		switch {
		case bytes.HasPrefix(rest, []byte("<!--")):
			if !p.skip("-->") {
				return nil, errEnd
			}
		case bytes.HasPrefix(rest, []byte("<![CDATA[")):
			start := p.at + 9
			if !p.skip("]]>") {
				return nil, errEnd
			}
			if len(stack) > 0 && len(stack[len(stack)-1].Text) == 0 {
				stack[len(stack)-1].Text = p.d[start : p.at-3]
			}
		case bytes.HasPrefix(rest, []byte("<?")):
			if !p.skip("?>") {
				return nil, errEnd
			}
		case bytes.HasPrefix(rest, []byte("<!")):
			start := p.at
			if !p.skip(">") {
				return nil, errEnd
			}
			if bytes.Contains(p.d[start:p.at], []byte("[")) || bytes.Contains(p.d[start:p.at], []byte("<!ENTITY")) {
				return nil, ErrEntities
			}
		case bytes.HasPrefix(rest, []byte("</")):
			start := p.at + 2
			if !p.skip(">") {
				return nil, errEnd
			}
			name := p.intern(bytes.TrimSpace(p.d[start : p.at-1]))
			if len(stack) == 0 || stack[len(stack)-1].Name != name {
				return nil, fmt.Errorf("</%.40s> ends nothing that is open; fetch the file again", name)
			}
			stack = stack[:len(stack)-1]
		default:
			e, open, err := p.element()
			if err != nil {
				return nil, err
			}
			if len(stack) > 0 {
				top := stack[len(stack)-1]
				top.Children = append(top.Children, e)
			} else if root == nil {
				root = e
			}
			if open {
				if len(stack) >= maxDepth {
					return nil, fmt.Errorf("elements lie more than %d deep in one another", maxDepth)
				}
				stack = append(stack, e)
			}
		}
	}
}

func (p *parser) skip(end string) bool {
	i := bytes.Index(p.d[p.at:], []byte(end))
	if i < 0 {
		p.at = len(p.d)
		return false
	}
	p.at += i + len(end)
	return true
}

func nameEnd(d []byte, i int) int {
	for i < len(d) && d[i] > ' ' && d[i] != '=' && d[i] != '>' && d[i] != '/' {
		i++
	}
	return i
}

func (p *parser) blank() {
	for p.at < len(p.d) && p.d[p.at] <= ' ' {
		p.at++
	}
}

func (p *parser) element() (e *Element, open bool, err error) {
	if p.count++; p.count > maxElements {
		return nil, false, fmt.Errorf("more than %d elements", maxElements)
	}
	if len(p.slab) == 0 {
		p.slab = make([]Element, 256)
	}
	e, p.slab = &p.slab[0], p.slab[1:]
	e.Offset = p.at
	start := p.at + 1
	end := nameEnd(p.d, start)
	if end == start {
		return nil, false, errors.New("a \"<\" that begins no element; fetch the file again")
	}
	e.Name = p.intern(p.d[start:end])
	p.at = end
	for {
		p.blank()
		if p.at >= len(p.d) {
			return nil, false, errEnd
		}
		switch p.d[p.at] {
		case '>':
			p.at++
			return e, true, nil
		case '/':
			p.at++
			if p.at >= len(p.d) || p.d[p.at] != '>' {
				return nil, false, errors.New("a \"/\" without \">\"; fetch the file again")
			}
			p.at++
			return e, false, nil
		}
		start := p.at
		p.at = nameEnd(p.d, p.at)
		name := p.d[start:p.at]
		p.blank()
		if len(name) == 0 || p.at >= len(p.d) || p.d[p.at] != '=' {
			return nil, false, fmt.Errorf("%.40q is no attribute; fetch the file again",
				p.d[start:min(len(p.d), start+40)])
		}
		p.at++
		p.blank()
		if p.at >= len(p.d) || p.d[p.at] != '"' && p.d[p.at] != '\'' {
			return nil, false, fmt.Errorf("the attribute %.40q has no quotes; fetch the file again", name)
		}
		close := bytes.IndexByte(p.d[p.at+1:], p.d[p.at])
		if close < 0 {
			return nil, false, errEnd
		}
		value := p.d[p.at+1 : p.at+1+close]
		p.at += close + 2
		e.Attrs = append(e.Attrs, Attr{p.intern(name), Unescape(value)})
	}
}

// Unescape resolves the five entities of XML and numeric ones; others stay.
func Unescape(b []byte) string {
	if bytes.IndexByte(b, '&') < 0 {
		return string(b)
	}
	var out strings.Builder
	for len(b) > 0 {
		i := bytes.IndexByte(b, '&')
		if i < 0 {
			break
		}
		out.Write(b[:i])
		b = b[i:]
		end := bytes.IndexByte(b[:min(len(b), 12)], ';')
		if end < 0 {
			out.WriteByte('&')
			b = b[1:]
			continue
		}
		switch name := string(b[1:end]); name {
		case "lt":
			out.WriteByte('<')
		case "gt":
			out.WriteByte('>')
		case "amp":
			out.WriteByte('&')
		case "quot":
			out.WriteByte('"')
		case "apos":
			out.WriteByte('\'')
		default:
			code, err := strconv.ParseInt(strings.Replace(strings.TrimPrefix(name, "#"), "x", "0x", 1), 0, 32)
			if !strings.HasPrefix(name, "#") || err != nil {
				out.Write(b[:end+1])
			} else {
				out.WriteRune(rune(code))
			}
		}
		b = b[end+1:]
	}
	out.Write(b)
	return out.String()
}

// Attr is the value of an attribute, "" without it. It may be asked of nil.
func (e *Element) Attr(name string) string {
	if e != nil {
		for i := range e.Attrs {
			if e.Attrs[i].Name == name {
				return e.Attrs[i].Value
			}
		}
	}
	return ""
}

// Child is the first child at a path of names, or nil. It may be asked of nil.
func (e *Element) Child(path ...string) *Element {
next:
	for _, name := range path {
		if e == nil {
			return nil
		}
		for _, c := range e.Children {
			if c.Name == name {
				e = c
				continue next
			}
		}
		return nil
	}
	return e
}

// All are the children of a name. It may be asked of nil.
func (e *Element) All(name string) (out []*Element) {
	if e != nil {
		for _, c := range e.Children {
			if c.Name == name {
				out = append(out, c)
			}
		}
	}
	return out
}

// String is the text of the element, "" of nil.
func (e *Element) String() string {
	if e == nil {
		return ""
	}
	return Unescape(e.Text)
}

// Walk visits the element and all below it.
func (e *Element) Walk(visit func(e *Element)) {
	visit(e)
	for _, c := range e.Children {
		c.Walk(visit)
	}
}
