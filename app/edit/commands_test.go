package edit

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"
)

// The list of commands in the docs is what the code says: each op with the doc comment of its
// type, its fields with theirs. VISATOR_DRAW=1 writes it anew.
func TestTheListOfCommandsIsTheCodes(t *testing.T) {
	docs, fields := said(t)
	var out strings.Builder
	out.WriteString("# Commands\n\nWhat an edit can do: `POST /api/sets/{set}/edit` with `{\"revision\": 12, \"commands\": [{\"op\": \"place\", \"args\": {…}}], " +
		"\"request\": \"a name of its own\"}`. All commands are done, or none; `revision` is what their sender has seen, -1 where it does not matter. " +
		"What is not told is as nothing. This list is made from the code, by `VISATOR_DRAW=1 go test ./app/edit`.\n")
	for _, name := range Ops() {
		args := reflect.TypeOf(Arguments(name)).Elem()
		doc := docs[args.Name()]
		if doc == "" {
			t.Errorf("%s has no doc comment", args.Name())
		}
		fmt.Fprintf(&out, "\n## %s\n\n%s\n", name, strings.Replace(doc, args.Name(), "It", 1))
		if rows := rowsOf(args, fields); len(rows) > 0 {
			out.WriteString("\n| argument | | |\n|---|---|---|\n" + strings.Join(rows, ""))
		}
	}
	const file = "../../docs/commands.md"
	if os.Getenv("VISATOR_DRAW") != "" {
		if err := os.WriteFile(file, []byte(out.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if kept, err := os.ReadFile(file); err != nil || string(kept) != out.String() {
		t.Errorf("docs/commands.md is not what the code says (%v): VISATOR_DRAW=1 go test ./app/edit", err)
	}
}

// rowsOf are the fields of arguments, those of what is embedded as if they were here.
func rowsOf(args reflect.Type, said map[string]string) (rows []string) {
	kinds := map[string]string{"string": "text", "[]string": "list of texts", "float64": "number", "bool": "yes or no",
		"uint64": "whole number",
		"geom.V": "x, y, z in metres", "*geom.V": "x, y, z in metres", "json.RawMessage": "object",
		"[]float64": "numbers"}
	for i := range args.NumField() {
		f := args.Field(i)
		if f.Anonymous {
			rows = append(rows, rowsOf(f.Type, said)...)
			continue
		}
		kind := kinds[f.Type.String()]
		if kind == "" {
			kind = "object"
		}
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		rows = append(rows, fmt.Sprintf("| `%s` | %s | %s |\n", key, kind, said[args.Name()+"."+f.Name]))
	}
	return rows
}

// said are the doc comments of types, and those of their fields, here and in optics.
func said(t *testing.T) (docs, fields map[string]string) {
	docs, fields = map[string]string{}, map[string]string{}
	for _, dir := range []string{".", "../../core/optics"} {
		list, err := os.ReadDir(dir)
		if err != nil {
			t.Fatal(err)
		}
		list = slices.DeleteFunc(list, func(e os.DirEntry) bool { return !strings.HasSuffix(e.Name(), ".go") })
		for _, e := range list {
			f, err := parser.ParseFile(token.NewFileSet(), dir+"/"+e.Name(), nil, parser.ParseComments)
			if err != nil {
				t.Fatal(err)
			}
			for _, d := range f.Decls {
				g, ok := d.(*ast.GenDecl)
				if !ok || g.Tok != token.TYPE {
					continue
				}
				spec := g.Specs[0].(*ast.TypeSpec)
				docs[spec.Name.Name] = strings.Join(strings.Fields(g.Doc.Text()), " ")
				s, ok := spec.Type.(*ast.StructType)
				if !ok {
					continue
				}
				for _, field := range s.Fields.List {
					for _, n := range field.Names {
						fields[spec.Name.Name+"."+n.Name] = strings.Join(strings.Fields(field.Comment.Text()+
							field.Doc.Text()), " ")
					}
				}
			}
		}
	}
	return docs, fields
}

// Each op has a name of its own, and a type.
func TestNoTwoOpsShareANameOrAType(t *testing.T) {
	n := 0
	for _, f := range []family{placing, dressing, describing, keeping, sizes, filming, lighting, surfacing,
		taking} {
		n += len(f)
	}
	if n != len(ops) || n != len(named) {
		t.Errorf("%d ops are %d names and %d types", n, len(ops), len(named))
	}
	for name := range ops {
		args := Arguments(name)
		if c := Do(args); c.Op != name {
			t.Errorf("%s is done as %q", name, c.Op)
		} else if _, err := Of(&c); err != nil {
			t.Errorf("%s cannot be read as it is written: %v", name, err)
		}
	}
}
