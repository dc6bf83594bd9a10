// Visator brings downloaded models into one set, at real size, and makes
// pictures of it. Run it without arguments for the list of commands.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"strings"
	"syscall"
)

// command is one thing that the program can be asked to do.
type command struct {
	name, args, about string
	run               func(ctx context.Context, args []string) error
}

// errSaid is a failure that has been told already: only the status remains.
var errSaid = errors.New("failed")

// usageError is a wrong call; it ends the program with status 2.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

func commands() []command {
	return []command{
		{"inspect", "[--json] FILE...", "tell what model files hold", inspect},
		{"size", "[--json] FILE...", "propose unit and up axis of model files", size},
		{"lens", "--focal MM [flags]", "tell what a lens shows and what is sharp", lens},
		{"photometry", "FILE.ies|.ldt", "tell what a photometric file says", photometric},
		{"meter", "SCENE.glb --light RIG --at X,Y,Z", "tell what light falls on a place", meter},
		{"surface", "[--json] FILE...", "tell what surfaces of a model are made of", surfaces},
		{"palette", "PICTURE... [flags]", "tell the colours of pictures", palette},
		{"sun", "--lat DEG --lon DEG --time T [flags]", "tell where the sun stands", solar},
		{"clip", "SCENE [flags]", "fit the clipping range of a scene's camera", clip},
		{"render", "FILE --out PICTURE", "render a glTF scene to EXR or PNG", renderFile},
		{"finish", "PICTURE.exr --out P.png [flags]", "finish a picture of linear values", finished},
		{"compare", "A.png B.png [flags]", "tell how different two pictures look", compared},
		{"bench", "rays FILE", "measure the acceleration structure", bench},
		{"serve", "[flags]", "serve the application on loopback", serve},
		{"demo", "[flags]", "serve it with the sample production", runDemo},
		{"worker", "[flags]", "take jobs from the queue", worker},
		{"supplier", "[--port N]", "be a small simulated supplier to practise on", runSupplier},
		{"deliver", "PRODUCTION --out FILE.zip", "write a production as one parcel", delivered},
		{"migrate", "[flags]", "bring the database to the newest form", migrate},
		{"backup", "FILE [flags]", "write everything into one file", backup},
		{"restore", "FILE [flags]", "take everything back from one", restore},
	}
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	os.Exit(dispatch(ctx, os.Args[1:]))
}

func dispatch(ctx context.Context, args []string) int {
	if len(args) == 0 || args[0] == "help" || args[0] == "--help" || args[0] == "-h" {
		fmt.Println("visator: from downloaded models to a composed set and its pictures")
		fmt.Println("\nCommands (each has --help):")
		for _, c := range commands() {
			fmt.Printf("  %-9s %s\n", c.name, c.about)
		}
		return 0
	}
	for _, c := range commands() {
		if c.name != args[0] {
			continue
		}
		err := c.run(ctx, args[1:])
		var wrong usageError
		switch {
		case err == nil, errors.Is(err, flag.ErrHelp):
			return 0
		case errors.Is(err, errSaid):
			return 1
		case errors.As(err, &wrong):
			fmt.Fprintf(os.Stderr, "visator %s: %s\n", c.name, oneLine(err))
			return 2
		}
		fmt.Fprintf(os.Stderr, "visator %s: %s\n", c.name, oneLine(err))
		return 1
	}
	fmt.Fprintf(os.Stderr, "visator: %q is not a command; visator help lists them\n", args[0])
	return 2
}

func oneLine(err error) string {
	return strings.Join(strings.Fields(err.Error()), " ")
}

// newFlags returns a flag set whose --help prints how the command is called.
func newFlags(name, args, about string) *flag.FlagSet {
	fs := flag.NewFlagSet(name, flag.ContinueOnError)
	fs.SetOutput(os.Stdout)
	fs.Usage = func() {
		fmt.Printf("visator %s %s\n\n%s\n\n", name, args, about)
		fs.PrintDefaults()
	}
	return fs
}

// parseFlags is parse for what is told by its flags alone.
func parseFlags(fs *flag.FlagSet, args []string, what string) error {
	rest, err := parse(fs, args)
	if err == nil && len(rest) > 0 {
		err = usagef("%q is not asked for: %s told by its flags", rest[0], what)
	}
	return err
}

// parse reads flags that may stand before, between and after the operands.
// A flag that is wrong is a usage error of one line.
func parse(fs *flag.FlagSet, args []string) ([]string, error) {
	var rest []string
	quiet := fs.Usage
	for {
		fs.Usage = func() {}
		fs.SetOutput(discard{})
		err := fs.Parse(args)
		if errors.Is(err, flag.ErrHelp) {
			fs.SetOutput(os.Stdout)
			quiet()
			return nil, err
		}
		if err != nil {
			return nil, usageError{err}
		}
		args = fs.Args()
		if len(args) == 0 {
			return rest, nil
		}
		rest, args = append(rest, args[0]), args[1:]
	}
}

type discard struct{}

func (discard) Write(p []byte) (int, error) { return len(p), nil }
