package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"visator/core/sizing"
	"visator/core/unit"
)

// sizeLine is what is proposed for a file, as JSON.
type sizeLine struct {
	File       string          `json:"file"`
	Confident  bool            `json:"confident"`
	Candidates []sizeCandidate `json:"candidates"`
}

type sizeCandidate struct {
	MetresPerUnit float64  `json:"metresPerUnit"`
	UpAxis        string   `json:"upAxis"`
	Size          sizeSize `json:"size"` // metres
	Score         float64  `json:"score"`
	Reasons       []string `json:"reasons"`
}

type sizeSize struct {
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
	Depth  float64 `json:"depth"`
}

func size(ctx context.Context, args []string) error {
	fs := newFlags("size", "[--json] FILE...",
		"Tells in which unit and with which axis up each model file is likely to be, and why.\nFiles that lie in one "+
			"folder are taken as one supplier's, who makes the same mistake in most of them.")
	files, asJSON, err := parseFiles(fs, args)
	if err != nil {
		return err
	}
	subjects, errs := make([]*sizing.Subject, len(files)), make([]error, len(files))
	groups := map[string][]int{}
	for i, file := range files {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		m, err := readModel(ctx, file)
		if err != nil {
			errs[i] = err
			continue
		}
		subjects[i] = sizing.SubjectOf(m, filepath.Base(file))
		dir := filepath.Dir(file)
		groups[dir] = append(groups[dir], i)
	}
	proposals := make([]sizing.Proposal, len(files))
	for _, g := range groups {
		list := make([]*sizing.Subject, len(g))
		for k, i := range g {
			list[k] = subjects[i]
		}
		for k, p := range sizing.Propose(unit.InMetres, list, nil) {
			proposals[g[k]] = p
		}
	}
	out := json.NewEncoder(os.Stdout)
	failed := false
	for i, file := range files {
		switch {
		case errs[i] == nil && len(proposals[i].Candidates) == 0:
			errs[i] = fmt.Errorf("%s: has no extent, so there is no size to propose", file)
			fallthrough
		case errs[i] != nil:
			err, failed = refuse(out, asJSON, file, errs[i]), true
		case asJSON:
			err = out.Encode(sizeAsJSON(file, &proposals[i]))
		default:
			tellSize(file, &proposals[i])
		}
		if err != nil {
			return err
		}
	}
	if failed {
		return errSaid
	}
	return nil
}

func sizeAsJSON(file string, p *sizing.Proposal) sizeLine {
	line := sizeLine{File: file, Confident: p.Sure}
	for _, c := range p.Candidates {
		line.Candidates = append(line.Candidates,
			sizeCandidate{c.MetresPerUnit, string(c.Up), sizeSize{c.Size.X, c.Size.Y, c.Size.Z}, c.Score, c.Reasons})
	}
	return line
}

func tellSize(file string, p *sizing.Proposal) {
	sure := "not sure"
	if p.Sure {
		sure = "sure"
	}
	fmt.Printf("%s: %s\n", file, sure)
	for i, c := range p.Candidates {
		if i == 3 {
			break
		}
		fmt.Printf("  %3.0f %%  one unit is %g m, +%s up: %s wide, %s high, %s deep\n", 100*c.Score, c.MetresPerUnit,
			c.Up, unit.InMetres.Distance(c.Size.X), unit.InMetres.Distance(c.Size.Y), unit.InMetres.Distance(c.Size.Z))
		if i == 0 {
			for _, r := range c.Reasons {
				fmt.Printf("         %s\n", r)
			}
		}
	}
}
