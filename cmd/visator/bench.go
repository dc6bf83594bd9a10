package main

import (
	"bufio"
	"context"
	"fmt"
	"math"
	"os"
	"strconv"
	"time"

	"visator/core/bvh"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/raybench"
	"visator/core/simplify"
	"visator/core/trial"
)

func bench(ctx context.Context, args []string) error {
	fs := newFlags("bench", "rays FILE [--threads 1] | paths | noise | growth | profile OUT.pgo | "+
		"read FILE | simplify FILE N OUT.obj | distance A B | model N FILE.obj",
		`rays: builds the acceleration structure of a model and measures rays a second: primary (a 60 degree camera) and
incoherent (origins uniform in the bounds, directions uniform on the sphere), closest hits; shadow: the same rays as
incoherent, any hit; fixed seed.
paths: renders a grey ring of a million triangles under an even sky on one thread, by paths of up to five rays, and
tells samples a second.
noise: renders six scenes of its own with 16 samples a pixel and tells to how many the removal of noise comes, beside
references of 256 samples.
growth: how long scenes take to be ready, and samples a second, with ever more triangles, instances, lamps, pixels and
threads.
profile: renders six scenes of its own for some seconds and writes what the processor did, for the compiler.
read: reads a model file five times and prints the shortest time.
simplify: reduces a model of one mesh to N triangles and prints the time.
distance: prints the Hausdorff distance of two models of one mesh.
model: writes a model of 2 N x N triangles to try the others on.`)
	threads := fs.Int("threads", 1, "threads")
	plain := fs.Bool("plain", false, "rays, paths: by plain code, not by vector instructions")
	coordinates := fs.Bool("coordinates", false, "model: with texture coordinates")
	rest, err := parse(fs, args)
	if err != nil {
		return err
	}
	switch {
	case len(rest) == 2 && rest[0] == "rays":
		if *plain {
			defer bvh.Plainly()()
		}
		return benchRays(ctx, rest[1], *threads)
	case len(rest) == 1 && rest[0] == "paths":
		if *plain {
			defer bvh.Plainly()()
		}
		rate, err := trial.Paths(ctx, 32)
		if err == nil {
			fmt.Printf("paths %.3f million samples/s\nby %s\n", rate/1e6, bvh.Way())
		}
		return err
	case len(rest) == 1 && rest[0] == "growth":
		return trial.Growth(ctx, os.Stdout, 10_010_000)
	case len(rest) == 1 && rest[0] == "noise":
		return trial.Report(ctx, os.Stdout, 240, 16, 256, *threads)
	case len(rest) == 2 && rest[0] == "profile":
		return trial.Profile(ctx, rest[1], 4*time.Second)
	case len(rest) == 2 && rest[0] == "read":
		return benchRead(ctx, rest[1])
	case len(rest) == 4 && rest[0] == "simplify":
		return benchSimplify(ctx, rest[1], rest[2], rest[3])
	case len(rest) == 3 && rest[0] == "distance":
		return benchDistance(ctx, rest[1], rest[2])
	case len(rest) == 3 && rest[0] == "model":
		return benchModel(rest[1], rest[2], *coordinates)
	}
	return usagef("say: bench rays FILE, bench paths, bench noise, bench growth, bench profile OUT.pgo, " +
		"bench read FILE, bench simplify FILE N OUT.obj, bench distance A B or bench model N FILE.obj")
}

func benchRays(ctx context.Context, file string, threads int) error {
	if threads < 1 {
		return usagef("--threads must be 1 or more")
	}
	m, err := readModel(ctx, file)
	if err != nil {
		return err
	}
	b, err := raybench.Rays(m, geom.Identity, threads)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	fmt.Printf("triangles %d  build %.3f s\n", b.Triangles, b.BuildSeconds)
	fmt.Printf("memory %.1f bytes a triangle\n", b.Bytes)
	fmt.Printf("primary %.3f million rays/s  hits %.4f\n", b.Primary/1e6, b.PrimaryHits)
	fmt.Printf("incoherent %.3f million rays/s  hits %.4f\n", b.Incoherent/1e6, b.IncoherentHits)
	fmt.Printf("shadow %.3f million rays/s  hits %.4f\n", b.Shadow/1e6, b.ShadowHits)
	fmt.Printf("by %s\n", bvh.Way())
	return nil
}

func benchRead(ctx context.Context, file string) error {
	best := time.Duration(math.MaxInt64)
	for range 5 {
		start := time.Now()
		m, err := readModel(ctx, file)
		if err != nil {
			return err
		}
		if took := time.Since(start); took < best {
			best = took
		}
		if m.Weigh().Triangles == 0 {
			return fmt.Errorf("%s has no triangles", file)
		}
	}
	fmt.Printf("read in %.3f s\n", best.Seconds())
	return nil
}

func benchSimplify(ctx context.Context, file, triangles, out string) error {
	n, err := strconv.Atoi(triangles)
	if err != nil || n < 0 {
		return usagef("%q is not a number of triangles", triangles)
	}
	m, err := readModel(ctx, file)
	if err != nil {
		return err
	}
	start := time.Now()
	small, r := simplify.Mesh(&m.Meshes[0], n)
	took := time.Since(start)
	fmt.Printf("simplified to %d triangles in %.3f s, error %.3g\n", r.Triangles, took.Seconds(), r.Error)
	m.Meshes[0] = small
	f, err := os.Create(out)
	if err != nil {
		return err
	}
	defer f.Close()
	if err := exchange.WriteOBJ(f, m, geom.Identity, ""); err != nil {
		return err
	}
	return f.Close()
}

func benchDistance(ctx context.Context, a, b string) error {
	x, err := readModel(ctx, a)
	if err != nil {
		return err
	}
	y, err := readModel(ctx, b)
	if err != nil {
		return err
	}
	fmt.Printf("distance %.6g\n", simplify.Distance(&x.Meshes[0].Parts[0], &y.Meshes[0].Parts[0]))
	return nil
}

// benchModel writes a bumpy ring whose triangles are all alike in size and
// lie in every direction.
func benchModel(side, file string, coordinates bool) error {
	n, err := strconv.Atoi(side)
	if err != nil || n < 3 || n > 5000 {
		return usagef("%q is not a number of 3 to 5000", side)
	}
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	for i := range n {
		for j := range n {
			u, v := 2*math.Pi*float64(i)/float64(n), 2*math.Pi*float64(j)/float64(n)
			r := 0.35 + 0.03*math.Sin(23*u+5*v)*math.Cos(17*v)
			if coordinates {
				fmt.Fprintf(w, "vt %.6f %.6f\n", float64(i)/float64(n), float64(j)/float64(n))
			}
			fmt.Fprintf(w, "v %.6f %.6f %.6f\n", (1+r*math.Cos(v))*math.Cos(u), r*math.Sin(v),
				(1+r*math.Cos(v))*math.Sin(u))
		}
	}
	for i := range n {
		for j := range n {
			a, b, c, d := i*n+j+1, (i+1)%n*n+j+1, (i+1)%n*n+(j+1)%n+1, i*n+(j+1)%n+1
			if coordinates {
				fmt.Fprintf(w, "f %d/%[1]d %d/%[2]d %d/%[3]d\nf %[1]d/%[1]d %[3]d/%[3]d %[4]d/%[4]d\n", a, b, c, d)
				continue
			}
			fmt.Fprintf(w, "f %d %d %d\nf %d %d %d\n", a, b, c, a, c, d)
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}
