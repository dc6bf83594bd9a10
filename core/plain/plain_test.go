package plain

import (
	"encoding/json"
	"math"
	"reflect"
	"strings"
	"testing"
)

func TestWhatMayNotComeIn(t *testing.T) {
	for name, c := range map[string]struct{ json, says string }{
		"a number beyond":        {`{"at":{"x":1e308}}`, "at.x"},
		"one beyond floats":      {`{"x":1e400}`, "x"},
		"one that is large":      {`[1, 2000000000001]`, "beyond"},
		"a NUL":                  {`{"name":"a\u0000b"}`, "name"},
		"a NUL in a name":        {`{"a\u0000":1}`, "cannot be written"},
		"a bell":                 {`{"name":"\u0007"}`, "name"},
		"half a value":           {`{"a":`, "not JSON"},
		"words":                  {`hello`, "not JSON"},
		"a long text":            {`"` + strings.Repeat("x", MaxText+1) + `"`, "bytes"},
		"too deep":               {strings.Repeat("[", MaxDepth+1) + strings.Repeat("]", MaxDepth+1), "deeper"},
		"a seed that is a point": {`{"seed":1e300}`, "seed"},
		"a field after a list":   {`{"a":[1,{"b":2}],"c":[1e99]}`, "c"},
	} {
		if err := JSON([]byte(c.json)); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, fine := range []string{`{"seed":18446744073709551615,"x":-1e12,"name":"Grünau 東\n\t","list":[{"a":null},true,{"seed":7}],"none":{}}`, `null`, ``, `{"revision":-1}`} {
		if err := JSON([]byte(fine)); err != nil {
			t.Errorf("%s: %v", fine, err)
		}
	}
	if Text("a\xffb") == nil || Text("fine") != nil || Number(math.NaN()) == nil || Number(math.Inf(-1)) == nil ||
		Number(0) != nil {
		t.Error("texts or numbers")
	}
}

type inner struct {
	Deep float64 `json:"deep"`
	Own  string
}

type outer struct {
	inner
	X      float64            `json:"x"`
	Y      *float64           `json:"y"`
	List   []float64          `json:"list"`
	Raw    json.RawMessage    `json:"raw"`
	By     map[string]float64 `json:"by"`
	Hidden int                `json:"-"`
	None   []string           `json:"none"`
	Maybe  float64            `json:"maybe,omitempty"`
}

// What is finite looks the same as without Finite; what is not becomes null.
func TestFiniteIsAsJSONWithNullForWhatIsNoNumber(t *testing.T) {
	y := 2.5
	v := outer{inner{1, "own"}, 3, &y, []float64{1, 2}, json.RawMessage(`{"a":[1]}`), map[string]float64{"k": 4}, 9,
		nil, 0}
	plainly, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	through, err := json.Marshal(Finite(&v))
	if err != nil {
		t.Fatal(err)
	}
	var a, b any
	if json.Unmarshal(plainly, &a) != nil || json.Unmarshal(through, &b) != nil || !reflect.DeepEqual(a, b) {
		t.Errorf("%s\n%s", plainly, through)
	}
	bad := math.Inf(1)
	v.X, v.Y, v.List[1], v.By["k"], v.Deep = math.NaN(), &bad, math.Inf(-1), math.NaN(), math.NaN()
	out, err := json.Marshal(Finite(v))
	if err != nil || !strings.Contains(string(out), `"x":null`) || !strings.Contains(string(out), `[1,null]`) ||
		!strings.Contains(string(out), `"deep":null`) {
		t.Errorf("%s, %v", out, err)
	}
}

func FuzzJSON(f *testing.F) {
	f.Add([]byte(`{"a":[1,{"b":"c"}]}`))
	f.Add([]byte(`[[`))
	f.Fuzz(func(t *testing.T, raw []byte) {
		if JSON(raw) != nil {
			return
		}
		var v any
		if len(raw) > 0 && json.Unmarshal(raw, &v) == nil {
			check(t, v)
		}
	})
}

// check walks what was let through: nothing in it is beyond the limits.
func check(t *testing.T, v any) {
	switch v := v.(type) {
	case string:
		if strings.ContainsRune(v, 0) {
			t.Errorf("%q was let through", v)
		}
	case []any:
		for _, x := range v {
			check(t, x)
		}
	case map[string]any:
		for k, x := range v {
			if n, ok := x.(float64); ok && !whole(k) && math.Abs(n) > MaxNumber {
				t.Errorf("%s: %g was let through", k, n)
			}
			check(t, x)
		}
	}
}
