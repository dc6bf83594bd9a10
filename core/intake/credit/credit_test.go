package credit

import (
	"bytes"
	"encoding/csv"
	"strings"
	"testing"
)

func TestLicencesAreRecognised(t *testing.T) {
	// Identifiers are those of the SPDX License List; the phrases are the ways
	// in which suppliers write them (from memory).
	for text, want := range map[string]string{
		"SPDX-License-Identifier: CC-BY-4.0":                        "CC-BY-4.0",
		"Licensed under CC BY-NC-SA 4.0":                            "CC-BY-NC-SA-4.0",
		"https://creativecommons.org/licenses/by-sa/3.0/":           "CC-BY-SA-3.0",
		"see http://creativecommons.org/publicdomain/zero/1.0/":     "CC0-1.0",
		"This model is CC0.":                                        "CC0-1.0",
		"Creative Commons Attribution 4.0 International":            "CC-BY-4.0",
		"Creative Commons Attribution-NonCommercial-ShareAlike 4.0": "CC-BY-NC-SA-4.0",
		"Creative Commons Attribution, No Derivatives":              "CC-BY-ND-4.0",
		"cc-by":                            "CC-BY-4.0",
		"the MIT licence":                  "MIT",
		"do not submit without permission": "",
		"all rights reserved":              "",
	} {
		if got := Licence(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

func TestTextsThatComeAlongAreRead(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		want Credit
	}{
		"readme.txt": {"Lamp post\nAuthor: Ada Example\nLicense: CC-BY 4.0\nSource: " +
			"https://models.example/lamp\nPrice: 12,50 EUR\n",
			Credit{Author: "Ada Example", Licence: "CC-BY-4.0", Source: "https://models.example/lamp", Price: 12.5,
				Currency: "EUR"}},
		"credits.md": {"# Model by Jo Sample\n\nFound at https://models.example/x. Use it as you like: CC0.",
			Credit{Author: "Jo Sample", Licence: "CC0-1.0", Source: "https://models.example/x"}},
		"license.txt": {"© 2024 North Yard Models. All rights reserved.\n", Credit{Author: "North Yard Models"}},
		"info.json":   {`{"author": {"name": "Kim"}, "license": "CC-BY-SA-4.0", "url": "https://models.example/y", "price": 3, "currency": "USD"}`, Credit{Author: "Kim", Licence: "CC-BY-SA-4.0", Source: "https://models.example/y", Price: 3, Currency: "USD"}},
		"invoice.txt": {"Price: $ 40\nLicence: Studio use, one seat",
			Credit{Price: 40, Currency: "USD", Licence: "Studio use, one seat"}},
		"nothing.txt":   {"Thanks for downloading!", Credit{}},
		"metadata.json": {`[1, 2]`, Credit{}},
	} {
		if c.want != (Credit{}) {
			c.want.From = name
		}
		if got := Read(name, []byte(c.text)); got != c.want {
			t.Errorf("%s:\n got %+v\nwant %+v", name, got, c.want)
		}
		if !IsText("a/" + name) {
			t.Errorf("%s is not looked into", name)
		}
	}
	if IsText("model.obj") || IsText("readme.png") {
		t.Error("a model or picture is taken for a text")
	}
}

func TestListsGoOut(t *testing.T) {
	lines := []Line{
		{"lamp", 3, Credit{Author: "Ada Example", Licence: "CC-BY-4.0", Price: 12.5, Currency: "EUR",
			Source: "https://models.example/lamp"}},
		{"=bench", 1, Credit{Price: 7.5, Currency: "EUR"}},
	}
	var text, table bytes.Buffer
	if err := WriteText(&text, "halt", lines); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"by Ada Example", "Creative Commons Attribution 4.0",
		"=bench: author, source, licence", "20.00 EUR"} {
		if !strings.Contains(text.String(), want) {
			t.Errorf("%q is not in\n%s", want, text.String())
		}
	}
	if err := WriteCSV(&table, lines); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&table).ReadAll()
	if err != nil || len(rows) != 3 || rows[1][4] != "yes" || rows[2][0] != "'=bench" || rows[2][4] != "unknown" {
		t.Errorf("%v, %q", err, rows)
	}
	if m := Message(append(lines,
		Line{Piece: "mast", Credit: Credit{Licence: "CC0-1.0"}})); m != "lamp by Ada Example "+
		"(CC-BY-4.0); mast (CC0-1.0)" || OneLicence(m) != "" {
		t.Errorf("%s: under %q", m, OneLicence(m))
	}
	if m := Message(lines); OneLicence(m) != "CC-BY-4.0" {
		t.Errorf("%s: under %q", m, OneLicence(m))
	}
}

func TestWhatIsTypedIsChecked(t *testing.T) {
	for _, c := range []Credit{{Price: -1}, {Price: 3}, {Currency: "euro"}, {Author: strings.Repeat("x", 1000)}} {
		if c.Check() == nil {
			t.Errorf("%+v was accepted", c)
		}
	}
	c := Credit{Licence: "CC-BY-4.0", Price: 3, Currency: "EUR"}
	if c.Check() != nil || len(c.Unknown()) != 2 {
		t.Errorf("%v, %v", c.Check(), c.Unknown())
	}
	if j := c.Join(Credit{Author: "a", Price: 9, Currency: "USD"}); j.Author != "a" || j.Price != 3 {
		t.Errorf("%+v", j)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("Author: x\nLicense: CC-BY 4.0\n© 2020 y"))
	f.Add([]byte(`{"author":{"name":"k"},"asset":{"license":"CC0"}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		c := Read("a.txt", data)
		if err := c.Check(); err != nil && c.Currency != "" {
			t.Errorf("%+v: %v", c, err)
		}
	})
}

func TestPagesAreReadWithoutTheirTags(t *testing.T) {
	page := `<!DOCTYPE html><html><head><style>.a{author: x}</style></head><body><h1>Lamp</h1>
		<p class="by">Author: <b>Ada &amp; Example</b></p><p>Licence: <a href="https://creativecommons.org/licenses/by/4.0/">CC BY 4.0</a></p>
		<p>Source: <a href="https://models.example/lamp">here</a></p></body></html>`
	c := Read("readme.html", []byte(page))
	if c.Author != "Ada & Example" || c.Licence != "CC-BY-4.0" || !strings.Contains(c.Source,
		"https://models.example/lamp") || strings.ContainsAny(c.Source, "<>") {
		t.Errorf("%+v", c)
	}
	if c := Read("a.txt", []byte("Author: A < B and C > D\n")); c.Author != "A < B and C > D" {
		t.Errorf("plain text: %+v", c)
	}
}
