package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"visator/convert"
	"visator/core/intake"
	"visator/core/intake/archive"
	"visator/core/model"
	"visator/core/unit"
)

func inspect(ctx context.Context, args []string) error {
	fs := newFlags("inspect", "[--json] FILE...",
		"Tells what each model file holds: triangles, parts, size, textures found and missing.")
	files, asJSON, err := parseFiles(fs, args)
	if err != nil {
		return err
	}
	failed := false
	out := json.NewEncoder(os.Stdout)
	out.SetEscapeHTML(false)
	for _, file := range files {
		m, err := readModel(ctx, file)
		switch {
		case err != nil:
			err, failed = refuse(out, asJSON, file, err), true
		case asJSON:
			err = out.Encode(intake.Describe(file, m))
		default:
			describe(intake.Describe(file, m))
		}
		if err != nil {
			return err
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	if failed {
		return errSaid
	}
	return nil
}

// parseFiles reads the arguments of a command that tells something of each
// file, as JSON if that is asked for.
func parseFiles(fs *flag.FlagSet, args []string) (files []string, asJSON bool, err error) {
	fs.BoolVar(&asJSON, "json", false, "print one JSON object a line per file")
	if files, err = parse(fs, args); err == nil && len(files) == 0 {
		err = usagef("name at least one file")
	}
	return files, asJSON, err
}

// refuse says why nothing can be told of a file.
func refuse(out *json.Encoder, asJSON bool, file string, why error) error {
	if asJSON {
		return out.Encode(intake.Failure{File: file, Error: oneLine(why)})
	}
	fmt.Fprintln(os.Stderr, oneLine(why))
	return nil
}

// peek returns the first bytes of a file, enough to tell what it is.
func peek(file string) ([]byte, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	start := make([]byte, 4096)
	n, err := io.ReadFull(f, start)
	if err == io.EOF || err == io.ErrUnexpectedEOF {
		err = nil
	}
	return start[:n], err
}

// readModel reads a model file of the disk, with what lies beside and below it. Of an
// archive or folder, the likeliest model is read.
func readModel(ctx context.Context, file string) (*model.Model, error) {
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	if info.IsDir() {
		root, err := os.OpenRoot(file)
		if err != nil {
			return nil, err
		}
		defer root.Close()
		return likeliest(ctx, root.FS(), file)
	}
	start, err := peek(file)
	if err != nil {
		return nil, err
	}
	if archive.IsArchive(start) && !intake.IsModel(file) && !intake.IsForeign(file) {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		tree, err := archive.Open(file, f, info.Size())
		if err != nil {
			return nil, err
		}
		defer tree.Close()
		m, err := likeliest(ctx, tree, file)
		if err == nil {
			m.Warnings = append(m.Warnings, tree.Said...)
		}
		return m, err
	}
	// A root keeps every look-up inside the folder, links included.
	root, err := os.OpenRoot(filepath.Dir(file))
	if err != nil {
		return nil, err
	}
	defer root.Close()
	return convert.Any(ctx, root.FS(), filepath.Base(file), file)
}

// likeliest reads the model of a tree of files that is proposed first.
func likeliest(ctx context.Context, tree fs.FS, name string) (*model.Model, error) {
	found, err := intake.Candidates(tree)
	if err != nil {
		return nil, err
	}
	if len(found) == 0 {
		return nil, fmt.Errorf("%s: no model in it: %w", name, intake.ErrFormat)
	}
	m, err := convert.Any(ctx, tree, found[0].Path, found[0].Path)
	if err == nil && len(found) > 1 {
		m.Warn("%d more models are in %s; this is %s", len(found)-1, name, found[0].Path)
	}
	return m, err
}

func describe(r intake.Report) {
	fmt.Printf("%s: %s, %d triangles, %d vertices, %d parts, %d materials\n", r.File, r.Format, r.Triangles, r.Vertices,
		r.Parts, r.Materials)
	fmt.Printf("  %s wide, %s high, %s deep (unit %s, %s; %s up)\n", unit.Format(r.Size.Width, unit.Metre),
		unit.Format(r.Size.Height, unit.Metre), unit.Format(r.Size.Depth, unit.Metre), r.Unit.Name, r.Unit.From,
		r.UpAxis)
	for _, t := range r.Textures {
		fmt.Printf("  map %s: %s, %s\n", t.Name, t.Role, t.Status)
	}
	for _, w := range r.Warnings {
		fmt.Printf("  note: %s\n", w)
	}
}
