package main

import (
	"context"
	"fmt"

	"visator/core/geom"
	"visator/core/render"
)

func bench(_ context.Context, args []string) error {
	fs := newFlags("bench", "rays FILE [--threads 1]", "Builds the acceleration structure of a model and measures rays a second: primary (a 60 degree camera) and incoherent (origins uniform in the bounds, directions uniform on the sphere), closest hits, fixed seed.")
	threads := fs.Int("threads", 1, "threads")
	rest, err := parse(fs, args)
	if err != nil {
		return err
	}
	if len(rest) != 2 || rest[0] != "rays" {
		return usagef("say: bench rays FILE")
	}
	if *threads < 1 {
		return usagef("--threads must be 1 or more")
	}
	m, err := readModel(rest[1])
	if err != nil {
		return err
	}
	b, err := render.BenchRays(m, geom.Identity, *threads)
	if err != nil {
		return fmt.Errorf("%s: %w", rest[1], err)
	}
	fmt.Printf("triangles %d  build %.3f s\n", b.Triangles, b.BuildSeconds)
	fmt.Printf("primary %.3f million rays/s  hits %.4f\n", b.Primary/1e6, b.PrimaryHits)
	fmt.Printf("incoherent %.3f million rays/s  hits %.4f\n", b.Incoherent/1e6, b.IncoherentHits)
	return nil
}
