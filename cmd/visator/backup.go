package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"visator/app"
	"visator/jobs"
	"visator/store"
)

// backup writes everything into one file, also while the server runs.
func backup(ctx context.Context, args []string) error {
	var p place
	fs := newFlags("backup", "FILE [flags]",
		"Writes all productions, with their files, into one file. The server may go on meanwhile.")
	p.flags(fs)
	rest, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(rest) != 1 {
		return usagef("give the file to write, such as monday.visator")
	}
	path, err := filepath.Abs(rest[0])
	if err != nil {
		return err
	}
	if _, err := os.Stat(path); err == nil {
		return fmt.Errorf("%s is there already: choose another name, or move it away", rest[0])
	}
	defer p.close()
	s, err := p.open(ctx, false)
	if err != nil {
		return err
	}
	defer s.Close()
	var m store.Manifest
	err = app.WriteWhole(path, func(w io.Writer) (err error) {
		m, err = app.New(s).Backup(ctx, w)
		return err
	})
	if err != nil {
		return fmt.Errorf("%s was not written: %w", rest[0], err)
	}
	tell(rest[0], &m)
	return nil
}

// tell says what is in a file.
func tell(path string, m *store.Manifest) {
	fmt.Printf("%s: %d productions, %d sets, %d things in them, %d edits, %d files\n", path,
		m.Tables["production"].Rows, m.Tables["sets"].Rows, m.Documents(), m.Tables["log"].Rows, m.Blobs)
	for _, h := range m.Damaged {
		fmt.Printf("  damaged before it was written: file %.12s; hand in what it came from again\n", h)
	}
}

// restore takes such a file back, also while the server runs.
func restore(ctx context.Context, args []string) error {
	var p place
	fs := newFlags("restore", "FILE [flags]",
		"Takes back what visator backup wrote. The file is looked through first: a damaged one changes nothing.")
	p.flags(fs)
	replace := fs.Bool("replace", false, "take the place of what is there, which is written to a backup in the data "+
		"folder first")
	rest, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(rest) != 1 {
		return usagef("give the file to read, such as monday.visator")
	}
	f, err := os.Open(rest[0])
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	defer p.close()
	s, err := p.open(ctx, true)
	if err != nil {
		return err
	}
	defer s.Close()
	a := app.New(s)
	if _, err := jobs.Open(ctx, a, 0, p.logger()); err != nil {
		return err
	}
	m, kept, err := a.Restore(ctx, f, info.Size(), *replace, p.data)
	if kept != "" {
		fmt.Println("what was here is kept in", kept)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", rest[0], err)
	}
	tell(rest[0], &m)
	return nil
}
