package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"visator/app/desk"
	"visator/app/edit"
	"visator/core/geom"
	"visator/core/lay"
	"visator/core/motion"
	"visator/core/optics"
	"visator/store"
)

// raw is a value as it stands in JSON, which encoding/json would not write.
type raw string

func (r raw) MarshalJSON() ([]byte, error) { return []byte(r), nil }

// hostile are values that no field expects.
var hostile = []any{raw("1e308"), raw("-1e155"), 2147483648, int64(9223372036854775807), -1, "a\x00b",
	strings.Repeat("x", 3000), nil, []any{}, map[string]any{}}

// few are those that stand for the others where there are many fields.
var few = []any{raw("1e308"), 2147483648, "a\x00b", "nobody", nil, map[string]any{}}

// mutants are all documents that doc becomes when one value in it, at whatever
// depth, is a hostile one.
func mutants(doc any, each func(any)) { mutantsOf(doc, hostile, each) }

func mutantsOf(doc any, values []any, each func(any)) {
	switch d := doc.(type) {
	case map[string]any:
		for k, old := range d {
			mutantsOf(old, values, func(v any) { d[k] = v; each(doc) })
			d[k] = old
		}
	case []any:
		for i, old := range d {
			mutantsOf(old, values, func(v any) { d[i] = v; each(doc) })
			d[i] = old
		}
	}
	for _, v := range values {
		each(v)
	}
}

// tree is a value as JSON has it.
func tree(t *testing.T, v any) (out any) {
	t.Helper()
	text, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(text, &out); err != nil {
		t.Fatal(err)
	}
	return out
}

// struck is a site that hostile requests are made to, without a network between.
type struck struct {
	*site
	production, set, box, other, piece, shot, room string
	made                                           int
}

func (s *struck) ask(method, path string, body io.Reader) (int, string) {
	s.made++
	req := httptest.NewRequest(method, "http://127.0.0.1/", body)
	req.URL.Path, req.URL.RawPath, req.URL.RawQuery = "", "", ""
	u, err := url.Parse("http://127.0.0.1" + path)
	if err != nil {
		s.Fatal(err)
	}
	req.URL, req.RequestURI = u, path
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	req.Header.Set("Content-Type", "application/json")
	// An event stream, and a slow answer, end.
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	w := httptest.NewRecorder()
	s.Config.Handler.ServeHTTP(w, req.WithContext(ctx))
	if ctx.Err() != nil {
		s.Errorf("%s %.200s took 20 s", method, path)
	}
	return w.Code, w.Body.String()
}

// refuses makes a request that is answered or refused: never with a fault of the
// server's own.
func (s *struck) refuses(method, path string, body any) {
	s.Helper()
	text, err := json.Marshal(body)
	if err != nil {
		s.Fatal(err)
	}
	code, said := s.ask(method, path, bytes.NewReader(text))
	if code >= 500 || code < 200 {
		s.Errorf("%s %.200s with %.400s: %d %.200s", method, path, text, code, said)
	}
}

func newStruck(t *testing.T) *struck {
	s := &struck{site: newSite(t)}
	ctx := context.Background()
	var err error
	if s.production, s.set, err = s.app.NewProduction(ctx, "struck", "metre"); err != nil {
		t.Fatal(err)
	}
	ar, _, err := s.app.Arrive(ctx, s.production, "a.obj", strings.NewReader("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.app.RunIntake(ctx, ar.ID); err != nil {
		t.Fatal(err)
	}
	s.piece = "p" + ar.ID
	put := func(deeds ...desk.Command) []string {
		t.Helper()
		r, err := s.app.Edit(ctx, s.set, desk.Request{Revision: -1, Commands: deeds})
		if err != nil {
			t.Fatal(err)
		}
		return r.Made
	}
	made := put(edit.Do(&edit.Place{StandIn: "box"}), edit.Do(&edit.Place{Piece: s.piece, At: geom.V{X: 2}}),
		edit.Do(&edit.KeepShot{Name: "a shot"}))
	s.box, s.other, s.shot = made[0], made[1], made[2]
	square := []lay.P{{}, {X: 4}, {X: 4, Z: 4}, {Z: 4}}
	text, _ := json.Marshal(lay.Room{Outline: square, Height: 2.5, Wall: 0.1})
	s.room = put(edit.Do(&edit.AddElement{Kind: "room", Name: "room", Spec: text}))[0]
	return s
}

// argsOf are those of a change of a row.
func argsOf(kind, id string, patch any) map[string]any {
	if kind == "set" {
		return map[string]any{"patch": patch}
	}
	return map[string]any{"id": id, "patch": patch}
}

// Whatever is sent in whichever field of whichever command, it is done or refused.
func TestNoFieldOfACommandBreaksTheServer(t *testing.T) {
	s := newStruck(t)
	path := "/api/sets/" + s.set + "/edit"
	v := optics.Default()
	fine := map[string]any{"kind": "room", "id": s.box, "ids": []any{s.box, s.other},
		"patch": map[string]any{"name": "n"}, "piece": s.piece, "standIn": "box", "spec": map[string]any{"height": 2.5},
		"at": map[string]any{"x": 1, "y": 0, "z": 1}, "by": map[string]any{"x": 1, "y": 0, "z": 1}, "name": "n",
		"pattern": "n", "layer": "n", "of": "height", "to": "x-mid", "along": "x", "across": "x", "side": "back",
		"metres": 1, "was": 1, "like": s.box, "likeOf": "width", "turn": 0.1, "seed": 1,
		"stroke": map[string]any{"do": "raise"}, "step": map[string]any{"op": "drop", "parts": []any{"p"}},
		"upright": []any{0.5, 0.5, 0.5, 0.5}}
	for _, do := range edit.Ops() {
		raw, err := json.Marshal(edit.Arguments(do))
		if err != nil {
			t.Fatal(err)
		}
		has := map[string]any{}
		if err := json.Unmarshal(raw, &has); err != nil {
			t.Fatal(err)
		}
		for field, as := range has {
			args := map[string]any{}
			for k, as := range has {
				args[k] = as
				if v, ok := fine[k]; ok {
					args[k] = v
				}
			}
			deed := map[string]any{"op": do, "args": args}
			if v, ok := fine[field]; ok {
				as = v
			}
			mutantsOf(as, few, func(m any) {
				args[field] = m
				s.refuses("POST", path, map[string]any{"revision": -1, "commands": []any{deed}})
			})
			if t.Failed() {
				t.Fatalf("by %s in %s, after %d requests", do, field, s.made)
			}
			// What was deleted on the way is brought back.
			if n, err := store.PlacementsOf(context.Background(), s.app.Store.Pool, s.set,
				[]string{s.box, s.other}); err != nil || len(n) < 2 {
				for range 6 {
					s.ask("POST", "/api/sets/"+s.set+"/undo", nil)
				}
			}
		}
	}
	mutants(map[string]any{"revision": 1, "commands": []any{}, "request": "r"},
		func(m any) { s.refuses("POST", path, m) })
	square := []lay.P{{}, {X: 4}, {X: 4, Z: 4}, {Z: 4}}
	line := []geom.V{{}, {X: 3, Y: 1}}
	kinds := map[string]lay.Spec{
		"room": &lay.Room{Outline: square, Height: 2.5, Wall: 0.1,
			Openings: []lay.Opening{{Along: 1, Width: 0.8, Head: 2, Door: "left", Bays: 1, Pitch: 1, Floors: 1,
				Storey: 2.5}}},
		"row": &lay.Array{Shape: "line", Points: square[:2], Pieces: []lay.Share{{Piece: s.piece, Weight: 1}},
			By: "count", Count: 2},
		"line": &lay.Garland{Points: line, Sag: 0.1, Thick: 0.01, Pieces: []lay.Share{{Piece: s.piece, Weight: 1}},
			Spacing: 1},
		"drift": &lay.Scatter{Area: square, Keep: [][]lay.P{{{X: 1, Z: 1}, {X: 2, Z: 1}, {X: 2, Z: 2}}},
			Pieces: []lay.Share{{Piece: s.piece, Weight: 1}}, Density: 0.2, SizeMin: 1, SizeMax: 1},
		"ground": &lay.Ground{Width: 4, Depth: 4, Cell: 1, Rough: 0.1, Grain: 2,
			Strokes: []lay.Sculpt{{Do: "raise", Points: square[:2], Radius: 1, Height: 0.1}}},
		"path": &lay.Path{Points: square[:2], Width: 1}, "water": &lay.Water{Outline: square, Ripple: 0.01, Length: 1},
		"card":  &lay.Card{Shape: "ridge", Width: 2, Height: 1},
		"layer": &lay.Layer{}, "group": &lay.Group{Parent: "g"}, "meant": &lay.Meant{Snag: "s", Why: "w"},
		"limit": &lay.Limit{Triangles: 1, Instances: 1, Megabytes: 1},
	}
	for kind, spec := range kinds {
		mutants(tree(t, spec), func(m any) {
			s.refuses("POST", path,
				map[string]any{"revision": -1,
					"commands": []any{map[string]any{"op": "add element",
						"args": map[string]any{"kind": kind, "name": kind, "spec": m}}}})
		})
		if t.Failed() {
			t.Fatalf("by a %s", kind)
		}
	}
	rail := &motion.CameraPath{Kind: "path", Points: line, Seconds: 2, Easing: "linear"}
	move := &motion.Move{Rate: 24, Seconds: 2, Keys: []motion.Key{{View: v, Seconds: 2, Easing: "linear"}}, Rail: rail,
		Pulls:    []motion.FocusKey{{At: 0, Metres: 2}},
		Rides:    []motion.Animation{{IDs: []string{s.box}, Points: line, Seconds: 1, Easing: "linear"}},
		Flickers: []motion.Flicker{{Hertz: 2, Depth: 0.5}},
		Plays:    []motion.Flipbook{{ID: s.box, Pictures: []string{"x"}, Rate: 2}}}
	set, err := store.GetSet(context.Background(), s.app.Store.Pool, s.set)
	if err != nil {
		t.Fatal(err)
	}
	docs := map[string]any{
		"placement " + s.box: map[string]any{"name": "n", "at": map[string]any{"x": 1, "y": 1, "z": 1}, "yaw": 1,
			"pitch": 0,
			"roll":  0, "scale": map[string]any{"x": 1, "y": 1, "z": 1}, "size": map[string]any{"x": 1, "y": 1, "z": 1},
			"order": 1, "layer": "l", "group": "g", "tint": "#ffffff", "recast": "r", "hidden": false, "locked": false,
			"id": "x", "piece": "y"},
		"set " + s.set: map[string]any{"view": tree(t, v), "light": tree(t, set.Light), "move": tree(t, move),
			"hide": []any{"l"}, "first": 1, "last": 2, "shot": "s", "name": "n", "id": "x",
			"match": map[string]any{"picture": "", "opacity": 1, "wipe": 1,
				"points": []any{map[string]any{"x": 0.5, "y": 0.5, "at": map[string]any{"x": 0, "y": 0, "z": 0}}},
				"lines":  []any{map[string]any{"axis": "x", "x0": 0, "y0": 0, "x1": 1, "y1": 1}}, "pixels": 1,
				"each": []any{1}}},
		"shot " + s.shot: map[string]any{"name": "n", "note": "n", "status": "s", "order": 1, "first": 0, "last": 0,
			"id": "x"},
		"piece " + s.piece: map[string]any{"name": "n", "gone": false, "tags": []any{"t"}, "favourite": true,
			"arrival": "a", "source": "s", "sizing": map[string]any{"metresPerUnit": 1, "factor": 1, "up": "Y",
				"turn": 0, "pivot": "", "point": map[string]any{"x": 0, "y": 0, "z": 0}, "sunk": 0, "light": 0,
				"stretch": map[string]any{"x": 1, "y": 1, "z": 1}},
			"credit": map[string]any{"author": "a", "price": 1, "currency": "EUR", "licence": "l", "notes": "n"}},
		"element " + s.room: map[string]any{"name": "n", "layer": "l", "hidden": false, "locked": false,
			"spec": map[string]any{"height": 2.5, "floor": 0}},
	}
	for row, doc := range docs {
		kind, id, _ := strings.Cut(row, " ")
		mutants(doc, func(m any) {
			s.refuses("POST", path,
				map[string]any{"revision": -1,
					"commands": []any{map[string]any{"op": "change " + kind, "args": argsOf(kind, id, m)}}})
		})
		if t.Failed() {
			t.Fatalf("by a change of a %s", kind)
		}
	}
	// After all that the set opens, and something can be placed.
	if code, said := s.ask("GET", "/api/sets/"+s.set+"/state", nil); code != 200 {
		t.Errorf("the state: %d %.300s", code, said)
	}
	if code, said := s.ask("POST", path,
		strings.NewReader(`{"revision":-1,"commands":[{"op":"place","args":{"standIn":"box"}},{"op":"add element","args":{"kind":"layer","name":"behind all"}}]}`)); code != 200 {
		t.Errorf("placing: %d %s", code, said)
	}
	t.Logf("%d requests", s.made)
}

// The same for everything that is not an edit.
func TestNoFieldOfARequestBreaksTheServer(t *testing.T) {
	s := newStruck(t)
	words := []string{"a%00b", "%FF", "%C3%28", "nobody", strings.Repeat("x", 2000), "..", "%2e%2e%2f", "-1", "1e308",
		"9223372036854775808", "99999999999", "NaN", "true", "'", "%25"}
	routes := map[string][]string{
		"/api/schema": nil, "/api/sets/{set}/state": nil, "/api/sets/{set}/topics": {"have"},
		"/api/sets/{set}/topics/{box}": nil,
		"/api/sets/{set}/outlines":     {"of"}, "/api/sets/{set}/sky": nil,
		"/api/takes/{take}/developed": {"finish"}, "/api/takes/{take}/white": {"x", "y"},
		"/api/takes/{take}/raw":     {"wide"},
		"/api/takes/{take}/written": {"encoding", "bits"},
		"/api/takes/{take}/noise":   nil, "/api/queue": {"x"}, "/api/sets/{set}/changed": {"shot"}, "/api/takes/{take}/look": nil, "/api/sets/{set}/contact": {"as", "page"}, "/api/productions/{production}/parcels": nil, "/api/takes/{take}/against/{take}": nil, "/api/takes/{take}/heat/{take}": nil,
		"/api/takes/{take}/mix": {"by", "tint"}, "/api/sets/{set}/false": {"by"}, "/api/sets/{set}/ownsun": nil,
		"/api/sets/{set}/year": {"x", "y"}, "/api/sets/{set}/rig": {"shot"}, "/api/sets/{set}/fixtures": nil, "/api/sets/{set}/sun": nil,
		"/api/sets/{set}/surfaces": {"thing", "piece"}, "/api/sets/{set}/sample": {"thing", "piece", "surface", "flat"},
		"/api/sample": {"m", "flat"}, "/api/color": {"text"},
		"/api/finishes": nil, "/api/finishes/{box}": nil, "/api/finishes/{box}/sample": {"flat"},
		"/api/palette": {"of", "colors"}, "/api/sets/{set}/held": {"board"},
		"/api/sets/{set}/true": {"width", "seen", "clean"}, "/api/sets/{set}/meter": {"x", "y"}, "/api/sets/{set}/export": nil,
		"/api/sets/{set}/frame": {"t"}, "/api/sets/{set}/track": {"from", "count"},
		"/api/sets/{set}/sheet": {"shot", "as"}, "/api/sets/{set}/cutouts": {"shot", "as", "all"},
		"/api/sets/{set}/lenses": {"share", "focals", "subject"}, "/api/sets/{set}/elements/{room}/model": nil,
		"/api/sets/{set}/elements/{room}/instances": {"most"}, "/api/sets/{set}/requests/{shot}": nil,
		"/api/sets/{set}/shelf":   {"find", "licence", "format", "marked", "where", "weight", "size", "price"},
		"/api/sets/{set}/credits": {"as"},
		"/api/pieces/{piece}":     nil, "/api/pieces/{piece}/size": nil, "/api/arrivals/{arrival}/tray": nil,
		"/api/arrivals/{arrival}/uses": nil, "/api/length": {"unit", "text"}, "/api/standins/{box}": nil,
		"/api/supplier":      {"find"},
		"/api/thumbs/{hash}": {"channel", "invert"}, "/blobs/{hash}": {"as", "name"}, "/sets/{set}/dress": nil,
		"/sets/{set}/{box}": nil, "/productions/{production}/file": nil, "/static/{box}": nil, "/": {"x"},
	}
	hash := strings.Repeat("0", 64)
	arrival := s.piece[1:]
	names := map[string]string{"set": s.set, "room": s.room, "shot": s.shot, "piece": s.piece, "arrival": arrival,
		"production": s.production, "box": s.box, "hash": hash, "take": "nothing"}
	filled := func(route, but, with string) string {
		for k, v := range names {
			if k == but {
				v = with
			}
			route = strings.ReplaceAll(route, "{"+k+"}", v)
		}
		return route
	}
	for route, fields := range routes {
		for k := range names {
			if !strings.Contains(route, "{"+k+"}") {
				continue
			}
			for _, w := range words {
				s.refuses("GET", filled(route, k, w), nil)
			}
		}
		for _, f := range fields {
			for _, w := range words {
				q := f + "=" + w
				for _, o := range fields {
					if o != f {
						q += "&" + o + "=1"
					}
				}
				s.refuses("GET", filled(route, "", "")+"?"+q, nil)
				s.refuses("GET", filled(route, "", "")+"?"+w+"=1&"+q, nil)
			}
		}
		s.refuses("GET", filled(route, "", ""), nil)
	}
	if code, _ := s.ask("GET", "/api/thumbs/"+hash, nil); code != http.StatusNotFound {
		t.Errorf("a small picture of nothing: %d", code)
	}
	posts := map[string]any{
		"/api/sets/{set}/keep": map[string]any{"group": s.room}, "/api/sets/{set}/takes": map[string]any{"shot": s.shot,
			"kind": "still", "settings": map[string]any{"width": 4, "height": 4, "samples": 1, "seconds": 1, "seed": 1,
				"bounces": 1, "denoise": true}},
		"/api/productions/{production}/parcels": map[string]any{"set": s.set, "parts": []any{"glb"}},
		"/api/parcels/{take}/cancel":            map[string]any{},
		"/api/takes/{take}/frames":              map[string]any{"from": 1, "to": 2},
		"/api/takes/{take}/queue":               map[string]any{"do": "hold", "other": "t", "at": "2026-01-01T00:00:00Z"},
		"/api/takes/{take}/more":                map[string]any{"samples": 9, "seconds": 1, "noise": 0.1},
		"/api/takes/{take}/marks":               map[string]any{"stars": 1, "note": "n", "rejected": true, "current": true},
		"/api/takes/{take}/cancel":              map[string]any{}, "/api/takes/{take}/bin": map[string]any{},
		"/api/sets/{set}/undo": map[string]any{"request": "r"}, "/api/sets/{set}/redo": map[string]any{"request": "r"},
		"/api/productions/{production}/options": map[string]any{"unit": "metre", "budget": 10000},
		"/api/arrivals/{arrival}/take": map[string]any{"paths": []any{"a.obj"},
			"renew": map[string]any{"a.obj": s.piece}},
		"/api/arrivals/{arrival}/cancel": map[string]any{}, "/api/arrivals/{arrival}/bin": map[string]any{},
		"/api/arrivals/{arrival}/resume": map[string]any{},
		"/api/arrivals/{arrival}/maps":   map[string]any{"piece": s.piece},
		"/api/pieces/{piece}/map": map[string]any{"surface": "s", "arrival": arrival, "file": "f", "role": "baseColor",
			"channel": 1}, "/api/productions/{production}/order": map[string]any{"goods": "g", "file": "f"},
		"/api/productions/{production}/bring": map[string]any{"piece": s.piece},
		"/api/sets/{set}/cameras":             map[string]any{"piece": s.piece},
		"/api/sets/{set}/sun":                 map[string]any{"piece": s.piece},
		"/bin/{box}/{set}/back":               map[string]any{},
	}
	for route, body := range posts {
		for k := range names {
			if strings.Contains(route, "{"+k+"}") {
				for _, w := range words {
					s.refuses("POST", filled(route, k, w), body)
				}
			}
		}
		mutants(body, func(m any) { s.refuses("POST", filled(route, "", ""), m) })
		for _, text := range []string{"", "{", "\xff", "null", "[]", `"\ud800"`, strings.Repeat("[", 100)} {
			if code, said := s.ask("POST", filled(route, "", ""), strings.NewReader(text)); code >= 500 {
				t.Errorf("%s with %.40q: %d %s", route, text, code, said)
			}
		}
	}
	for _, name := range words {
		for _, route := range []string{"/api/productions/" + s.production + "/arrivals?name=" + name + ".obj",
			"/api/productions/" + s.production + "/folders?name=" + name + "&piece=" + name,
			"/api/productions/" + name + "/panorama", "/api/productions/" + name + "/picture", "/productions/" + name +
				"/sets",
			"/productions/take-in", "/productions"} {
			if code, said := s.ask("POST", route, strings.NewReader("name="+name)); code >= 500 {
				t.Errorf("%s: %d %s", route, code, said)
			}
		}
	}
	if slices.Contains(edit.Ops(), "") || s.made < 2000 {
		t.Errorf("only %d requests", s.made)
	}
	t.Logf("%d requests", s.made)
}
