package markup

import (
	"errors"
	"strings"
	"testing"
)

func TestDocumentsBecomeTrees(t *testing.T) {
	root, err := Parse([]byte("\xef\xbb\xbf<?xml version='1.0'?>\n<!-- a <b> --><x:a id='1 &amp; 2' n=\"&#x41;\"><b> 1 " +
		"2 3 </b><b/>tail<c><![CDATA[<raw>]]></c></x:a>\n"))
	if err != nil {
		t.Fatal(err)
	}
	if root.Name != "a" || root.Attr("id") != "1 & 2" || root.Attr("n") != "A" || len(root.All("b")) != 2 ||
		root.Child("b").String() != "1 2 3" || root.Child("c").String() != "<raw>" {
		t.Errorf("%+v", root)
	}
	var none *Element
	if none.Child("x", "y").Attr("z") != "" || none.String() != "" {
		t.Error("nothing has something")
	}
}

func TestAttacksAndDamageAreRefused(t *testing.T) {
	for doc, say := range map[string]string{
		`<!DOCTYPE a [<!ENTITY x "ha"><!ENTITY y "&x;&x;">]><a>&y;</a>`:    "entities",
		`<!DOCTYPE a [<!ENTITY f SYSTEM "file:///etc/passwd">]><a>&f;</a>`: "entities",
		"<a>\n<b></a>":             "line 2",
		"<a":                       "ends within",
		"<a b=c/>":                 "no quotes",
		"<a b/>":                   "no attribute",
		"plain":                    "not XML",
		"<a><b>":                   "ends within",
		strings.Repeat("<a>", 300): "deep",
		"<a></a></b>":              "ends nothing",
		"<!-- never ends":          "ends within",
	} {
		if _, err := Parse([]byte(doc)); err == nil || !strings.Contains(err.Error(), say) {
			t.Errorf("%.60s: %v, want %q", doc, err, say)
		}
	}
	if _, err := Parse([]byte(`<!DOCTYPE a [<!ENTITY x "h">]><a/>`)); !errors.Is(err, ErrEntities) {
		t.Error(err)
	}
	// What is not known stays as it stands: nothing is fetched, nothing grows.
	if got := Unescape([]byte("&amp;&what;&#99999999999;& &")); got != "&&what;&#99999999999;& &" {
		t.Error(got)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte("<a b='&lt;'><c>1</c><!-- x --><![CDATA[y]]></a>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if root, err := Parse(data); err == nil {
			root.Walk(func(e *Element) { _ = e.String() })
		}
	})
}
