package main

import (
	"context"
	"fmt"
	"io"
	"strings"

	"visator/app"
	"visator/app/deliver"
	"visator/jobs"
)

// delivered writes a production as one parcel, also while the server runs.
func delivered(ctx context.Context, args []string) error {
	var p place
	fs := newFlags("deliver", "PRODUCTION --out FILE.zip [flags]",
		"Writes a production, by its name or id, into one file to hand over: pictures, the sets, papers, credits.")
	p.flags(fs)
	out := fs.String("out", "", "file to write, `FILE.zip`")
	var names []string
	for _, k := range deliver.Parts {
		names = append(names, k[0])
	}
	parts := fs.String("parts", strings.Join(names, ","), "what goes into it, `PART,PART`")
	rest, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(rest) != 1 || *out == "" {
		return usagef("name the production, and the file to write with --out")
	}
	defer p.close()
	s, err := p.open(ctx, false)
	if err != nil {
		return err
	}
	defer s.Close()
	list, err := s.Productions(ctx)
	if err != nil {
		return err
	}
	id := ""
	for _, x := range list {
		if x.ID == rest[0] || x.Name == rest[0] {
			if id != "" {
				return fmt.Errorf("there are several productions called %s: give its id", rest[0])
			}
			id = x.ID
		}
	}
	if id == "" {
		return fmt.Errorf("there is no production called %s", rest[0])
	}
	a := app.New(s)
	if _, err := jobs.Open(ctx, a, 0, p.logger()); err != nil {
		return err
	}
	want := deliver.Settings{Parts: strings.Split(*parts, ",")}
	if err := want.Check(); err != nil {
		return usageError{err}
	}
	files := 0
	if err := writeWhole(*out, func(w io.Writer) (err error) {
		files, err = a.Write(ctx, id, want, w)
		return err
	}); err != nil {
		return fmt.Errorf("%s was not written: %w", *out, err)
	}
	fmt.Printf("%s: %d files\n", *out, files)
	return nil
}
