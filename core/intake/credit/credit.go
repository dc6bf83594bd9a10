// Package credit knows who made a model, under which licence it may be used
// and what it cost: read from the texts that come along with downloads, kept
// with the model, and written out as lists of credits and of costs.
package credit

import (
	"encoding/json"
	"fmt"
	"html"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Credit is what is known about the origin of a model. Empty is unknown.
type Credit struct {
	Author   string  `json:"author"`
	Source   string  `json:"source"`   // where it was found, usually a URL
	Licence  string  `json:"licence"`  // an SPDX identifier where there is one, else as it is called
	Price    float64 `json:"price"`    // 0 with a currency is free of charge
	Currency string  `json:"currency"` // ISO 4217; "" when the price is unknown
	Notes    string  `json:"notes"`
	From     string  `json:"from"` // the file that told, or "by hand"
}

// Limits of texts.
const (
	maxField = 500
	maxNotes = 5000
	MaxText  = 256 << 10 // of a text file that is looked through
)

// Check tells what is wrong with a credit that a person typed.
func (c *Credit) Check() error {
	for what, s := range map[string]string{"author": c.Author, "source": c.Source, "licence": c.Licence} {
		if len(s) > maxField {
			return fmt.Errorf("the %s has more than %d characters", what, maxField)
		}
	}
	if len(c.Notes) > maxNotes {
		return fmt.Errorf("the notes have more than %d characters", maxNotes)
	}
	if c.Price < 0 || c.Price > 1e9 || math.IsNaN(c.Price) {
		return fmt.Errorf("a price lies between 0 and 1 000 000 000")
	}
	if c.Currency != "" && !currency.MatchString(c.Currency) {
		return fmt.Errorf("%q is not a currency: three letters, such as EUR (ISO 4217)", c.Currency)
	}
	if c.Price > 0 && c.Currency == "" {
		return fmt.Errorf("a price needs its currency, such as EUR (ISO 4217)")
	}
	return nil
}

var currency = regexp.MustCompile(`^[A-Z]{3}$`)

// Unknown lists what is not known.
func (c *Credit) Unknown() (out []string) {
	for _, f := range []struct{ what, have string }{{"author", c.Author}, {"source", c.Source}, {"licence", c.Licence},
		{"price", c.Currency}} {
		if f.have == "" {
			out = append(out, f.what)
		}
	}
	return out
}

// Terms is what a licence asks for.
type Terms struct {
	Name          string `json:"name"`
	Attribution   bool   `json:"attribution"`   // the author must be named
	ShareAlike    bool   `json:"shareAlike"`    // what is made of it goes under the same licence
	NonCommercial bool   `json:"nonCommercial"` // not for paid work
	NoDerivatives bool   `json:"noDerivatives"` // may not be changed
	Known         bool   `json:"known"`
}

// licences are those that models come under, by SPDX identifier
// (SPDX License List), with what they ask for.
var licences = map[string]Terms{
	"CC0-1.0":      {Name: "Creative Commons Zero 1.0"},
	"CC-BY-3.0":    {Name: "Creative Commons Attribution 3.0", Attribution: true},
	"CC-BY-4.0":    {Name: "Creative Commons Attribution 4.0", Attribution: true},
	"CC-BY-SA-3.0": {Name: "Creative Commons Attribution Share Alike 3.0", Attribution: true, ShareAlike: true},
	"CC-BY-SA-4.0": {Name: "Creative Commons Attribution Share Alike 4.0", Attribution: true, ShareAlike: true},
	"CC-BY-NC-4.0": {Name: "Creative Commons Attribution Non Commercial 4.0", Attribution: true, NonCommercial: true},
	"CC-BY-NC-SA-4.0": {Name: "Creative Commons Attribution Non Commercial Share Alike 4.0", Attribution: true,
		NonCommercial: true, ShareAlike: true},
	"CC-BY-ND-4.0": {Name: "Creative Commons Attribution No Derivatives 4.0", Attribution: true, NoDerivatives: true},
	"CC-BY-NC-ND-4.0": {Name: "Creative Commons Attribution Non Commercial No Derivatives 4.0", Attribution: true,
		NonCommercial: true, NoDerivatives: true},
	"MIT":          {Name: "MIT License", Attribution: true},
	"Apache-2.0":   {Name: "Apache License 2.0", Attribution: true},
	"BSD-3-Clause": {Name: "BSD 3-Clause License", Attribution: true},
	"GPL-3.0-only": {Name: "GNU General Public License 3.0", Attribution: true, ShareAlike: true},
	"Unlicense":    {Name: "The Unlicense"},
}

// TermsOf tells what a licence asks for; Known is false for one that is not
// in the list.
func TermsOf(id string) Terms {
	t, ok := licences[id]
	t.Known = ok
	if !ok {
		t.Name = id
	}
	return t
}

// Licences are the identifiers that are known, sorted.
func Licences() []string { return slices.Sorted(maps.Keys(licences)) }

var (
	ccURL     = regexp.MustCompile(`(?i)creativecommons\.org/(?:licenses/([a-z-]+)/(\d\.\d)|publicdomain/(zero|mark)/(\d\.\d))`)
	ccPhrase  = regexp.MustCompile(`(?i)\bCC[- ]?BY((?:[- ](?:NC|SA|ND))*)[- ]?v?(\d(?:\.\d)?)?`)
	ccWords   = regexp.MustCompile(`(?i)creative commons[ ,:-]+attribution((?:[ ,-]+(?:non[- ]?commercial|share[- ]?alike|no[- ]?deriv(?:ative)?s?))*)(?:[^0-9\n]{0,40}(\d\.\d))?`)
	cc0       = regexp.MustCompile(`(?i)\bCC[- ]?(?:0|zero)\b|public[- ]domain dedication|no rights reserved`)
	fieldLine = regexp.MustCompile(`(?i)^\W*(author|artist|creator|created by|model(?:led)? by|made by|designer|source|url|link|web(?:site)?|licen[cs]e|terms|price|cost|copyright)\s*(?:[:=]|\bby\b)?\s+(.+?)\s*$`)
	colonLine = regexp.MustCompile(`(?i)^\W*(author|artist|creator|source|url|link|website|licen[cs]e|price|cost)\s*[:=]\s*(.+?)\s*$`)
	copyright = regexp.MustCompile(`(?i)(?:©|\(c\)|copyright)\s*(?:©|\(c\))?\s*(?:\d{4}(?:\s*[-–]\s*\d{4})?,?)?\s*(?:by\s+)?([^\n.,;|]{2,80})`)
	webURL    = regexp.MustCompile(`https?://[^\s"'<>)\]]+`)
	amount    = regexp.MustCompile(`(?i)(?:([€$£¥])\s*(\d+(?:[.,]\d{1,2})?)|(\d+(?:[.,]\d{1,2})?)\s*(EUR|USD|GBP|CHF|JPY|SEK|PLN|CZK|€|\$|£|¥))`)
)

// Licence recognises a licence in a text: an SPDX identifier, an address of
// Creative Commons, or the words by which people call it. "" when none is.
func Licence(text string) string {
	for _, id := range slices.Backward(slices.SortedFunc(maps.Keys(licences),
		func(a, b string) int { return len(a) - len(b) })) {
		if i := strings.Index(strings.ToLower(text), strings.ToLower(id)); i >= 0 && !wordAt(text, i-1) &&
			!wordAt(text, i+len(id)) {
			return id
		}
	}
	if m := ccURL.FindStringSubmatch(text); m != nil {
		if m[3] != "" {
			return "CC0-1.0"
		}
		return known("CC-"+strings.ToUpper(m[1])+"-"+m[2], text)
	}
	if m := ccPhrase.FindStringSubmatch(text); m != nil {
		return creative(strings.ToUpper(strings.ReplaceAll(m[1], " ", "-")), m[2])
	}
	if m := ccWords.FindStringSubmatch(text); m != nil {
		w, mods := strings.ToLower(m[1]), ""
		for _, x := range []struct{ word, mod string }{{"commercial", "-NC"}, {"deriv", "-ND"}, {"alike", "-SA"}} {
			if strings.Contains(w, x.word) {
				mods += x.mod
			}
		}
		return creative(mods, m[2])
	}
	if cc0.MatchString(text) {
		return "CC0-1.0"
	}
	return ""
}

// OneLicence is Licence of a message that may credit several pieces: "" when
// they come under different ones, for then none is that of the whole.
func OneLicence(message string) string {
	found := ""
	for s := range strings.SplitSeq(message, ";") {
		switch l := Licence(s); {
		case l == "" || l == found:
		case found != "":
			return ""
		default:
			found = l
		}
	}
	return found
}

func wordAt(s string, i int) bool {
	return i >= 0 && i < len(s) && (s[i] >= 'a' && s[i] <= 'z' || s[i] >= 'A' && s[i] <= 'Z' || s[i] >= '0' &&
		s[i] <= '9' || s[i] == '-')
}

func creative(mods, version string) string {
	if version == "" {
		version = "4.0"
	} else if !strings.Contains(version, ".") {
		version += ".0"
	}
	order := ""
	for _, m := range []string{"-NC", "-SA", "-ND"} {
		if strings.Contains(mods, m) {
			order += m
		}
	}
	return "CC-BY" + order + "-" + version
}

func known(id, otherwise string) string {
	if len(id) > 40 {
		return otherwise[:min(len(otherwise), 80)]
	}
	return id
}

// IsText reports whether a file that came along may tell about the model.
func IsText(name string) bool {
	name = strings.ToLower(name)
	name = name[strings.LastIndexByte(name, '/')+1:]
	for _, w := range []string{"readme", "license", "licence", "copying", "credit", "author", "attribution", "info",
		"about", "legal", "copyright", "metadata", "receipt", "invoice"} {
		if strings.Contains(name, w) {
			for _, ext := range []string{".txt", ".md", ".json", ".rtf", ".htm", ".html", ".nfo"} {
				if strings.HasSuffix(name, ext) {
					return true
				}
			}
			return !strings.Contains(name, ".")
		}
	}
	return strings.HasSuffix(name, ".txt") || strings.HasSuffix(name, ".md")
}

// Read looks through one text for what it tells.
func Read(name string, text []byte) Credit {
	var c Credit
	var tree any
	if json.Unmarshal(text, &tree) == nil {
		c = fromJSON(tree)
	} else {
		c = fromText(plainText(string(text)))
	}
	if c != (Credit{}) {
		c.From = name
	}
	return c
}

var (
	htmlMark  = regexp.MustCompile(`(?i)<(?:!doctype|html|head|body|p|div|span|a|br|b|h[1-6]|table|ul|li)\b`)
	htmlDead  = regexp.MustCompile(`(?is)<(script|style)\b.*?</(?:script|style)\s*>`)
	htmlLink  = regexp.MustCompile(`(?is)<a\b[^>]*?href\s*=\s*["']?(https?://[^\s"'>]+)[^>]*>(.*?)</a\s*>`)
	htmlBlock = regexp.MustCompile(`(?i)</?(?:p|div|br|li|tr|h[1-6]|table|ul|ol|title|dt|dd)\b[^>]*>`)
	htmlTag   = regexp.MustCompile(`<[^<>]*>`)
)

// plainText is what a page says without its tags, its addresses behind their words.
func plainText(s string) string {
	if !htmlMark.MatchString(s) {
		return s
	}
	s = htmlDead.ReplaceAllString(s, " ")
	s = htmlLink.ReplaceAllString(s, "$2 ($1)")
	s = htmlBlock.ReplaceAllString(s, "\n")
	return html.UnescapeString(htmlTag.ReplaceAllString(s, " "))
}

func fromText(s string) (c Credit) {
	for line := range strings.Lines(s) {
		line = strings.TrimSpace(line)
		m := colonLine.FindStringSubmatch(line)
		if m == nil {
			m = fieldLine.FindStringSubmatch(line)
		}
		if m == nil {
			continue
		}
		c.take(strings.ToLower(m[1]), m[2])
	}
	if c.Licence == "" {
		c.Licence = Licence(s)
	}
	if c.Author == "" {
		if m := copyright.FindStringSubmatch(s); m != nil {
			c.Author = clip(strings.TrimSpace(m[1]))
		}
	}
	if c.Source == "" {
		for _, u := range webURL.FindAllString(s, 20) {
			if !strings.Contains(u, "creativecommons.org") && !strings.Contains(u, "opensource.org") {
				c.Source = clip(strings.TrimRight(u, ".,;"))
				break
			}
		}
	}
	return c
}

func clip(s string) string { return strings.ToValidUTF8(s[:min(len(s), maxField)], "") }

func (c *Credit) take(key, value string) {
	value = clip(strings.Trim(value, " \t\"'*_,"))
	switch {
	case value == "":
	case strings.HasPrefix(key, "licen") || key == "terms":
		if c.Licence == "" {
			if c.Licence = Licence(value); c.Licence == "" && len(value) <= 120 {
				c.Licence = value
			}
		}
	case key == "price" || key == "cost":
		c.price(value)
	case key == "source" || key == "url" || key == "link" || strings.HasPrefix(key, "web"):
		if c.Source == "" {
			c.Source = value
		}
	case key == "copyright":
	default:
		if c.Author == "" && len(value) <= 120 {
			c.Author = value
		}
	}
}

var signs = map[string]string{"€": "EUR", "$": "USD", "£": "GBP", "¥": "JPY"}

func (c *Credit) price(s string) {
	if m := amount.FindStringSubmatch(s); m != nil {
		number, unit := m[2]+m[3], m[1]+m[4]
		v, err := strconv.ParseFloat(strings.Replace(number, ",", ".", 1), 64)
		if err == nil {
			c.Price, c.Currency = v, strings.ToUpper(unit)
			if iso, ok := signs[unit]; ok {
				c.Currency = iso
			}
		}
	} else if strings.Contains(strings.ToLower(s), "free") {
		c.Price, c.Currency = 0, "EUR"
	}
}

// fromJSON looks for the usual keys at the top and one level below.
func fromJSON(tree any) (c Credit) {
	top, ok := tree.(map[string]any)
	if !ok {
		return c
	}
	look := func(m map[string]any) {
		for _, k := range slices.Sorted(maps.Keys(m)) {
			key := strings.ToLower(k)
			switch v := m[k].(type) {
			case string:
				if slices.Contains([]string{"author", "artist", "creator", "license", "licence", "source", "url",
					"link", "price", "cost"}, key) {
					c.take(key, v)
				}
				if key == "currency" && currency.MatchString(v) {
					c.Currency = v
				}
			case float64:
				if key == "price" || key == "cost" {
					c.Price = max(v, 0)
				}
			case map[string]any:
				if name, ok := v["name"].(string); ok &&
					slices.Contains([]string{"author", "artist", "creator", "license", "licence"}, key) {
					c.take(key, name)
				}
			}
		}
	}
	look(top)
	for _, k := range slices.Sorted(maps.Keys(top)) {
		if m, ok := top[k].(map[string]any); ok && slices.Contains([]string{"asset", "model", "extras", "meta",
			"metadata"}, strings.ToLower(k)) {
			look(m)
		}
	}
	return c
}

// Join fills what c does not know from other.
func (c Credit) Join(other Credit) Credit {
	or := func(a *string, b string) {
		if *a == "" {
			*a = b
		}
	}
	or(&c.Author, other.Author)
	or(&c.Source, other.Source)
	or(&c.Licence, other.Licence)
	or(&c.Notes, other.Notes)
	or(&c.From, other.From)
	if c.Currency == "" {
		c.Price, c.Currency = other.Price, other.Currency
	}
	return c
}
