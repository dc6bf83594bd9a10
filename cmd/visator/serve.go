package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"visator/app"
	"visator/core/bvh"
	"visator/demo"
	"visator/jobs"
	"visator/store"
	"visator/store/pglocal"
	"visator/supplier"
	"visator/watch"
	"visator/web"
)

// place is where the database and the blobs are.
type place struct {
	database, blobs, data string
	verbose               bool
	logs                  string
	server                *pglocal.Server
	endTrace              func(context.Context) error
}

func (p *place) flags(fs *flag.FlagSet) {
	fs.StringVar(&p.database, "database", os.Getenv("VISATOR_DATABASE"),
		"PostgreSQL address; without one a server of the project's own is started, which only this user can reach")
	fs.StringVar(&p.blobs, "blobs", os.Getenv("VISATOR_BLOBS"),
		"blob store: a folder or a URL; without one a folder in the data folder")
	fs.StringVar(&p.data, "data", or(os.Getenv("VISATOR_DATA"), ".data"), "data folder")
	fs.BoolVar(&p.verbose, "verbose", false, "log every request")
	fs.StringVar(&p.logs, "log", or(os.Getenv("VISATOR_LOG"), "text"), "form of the log: text or json")
}

func or(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

func (p *place) logger() *slog.Logger {
	opts := &slog.HandlerOptions{Level: slog.LevelInfo}
	if p.verbose {
		opts.Level = slog.LevelDebug
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, opts))
	if p.logs == "json" {
		log = slog.New(slog.NewJSONHandler(os.Stderr, opts))
	}
	slog.SetDefault(log)
	return log
}

// prepare makes the data folder, which is closed to others, and has everything that
// comes in spooled into it, not into the system's folder for such things.
func (p *place) prepare() error {
	syscall.Umask(0o077) // what is written from here on is for this user alone
	mode := os.FileMode(0o700)
	if os.Geteuid() == 0 {
		mode = 0o711 // the database's user passes through to its own folder
	}
	if err := os.MkdirAll(p.data, mode); err != nil {
		return fmt.Errorf("the data folder cannot be made: %w; choose another with --data", err)
	}
	if err := os.Chmod(p.data, mode); err != nil {
		return err
	}
	abs, err := filepath.Abs(p.data)
	if err != nil {
		return err
	}
	p.data = abs
	spool := filepath.Join(abs, "spool")
	if err := os.MkdirAll(spool, 0o700); err != nil {
		return err
	}
	if list, err := os.ReadDir(spool); err == nil { // what a process that was killed left behind
		for _, e := range list {
			if info, err := e.Info(); err == nil && time.Since(info.ModTime()) > 48*time.Hour {
				_ = os.RemoveAll(filepath.Join(spool, e.Name()))
			}
		}
	}
	return os.Setenv("TMPDIR", spool)
}

// open starts the project's own database if there is no other, brings it up, or
// waits until the server has done so, and opens the store.
func (p *place) open(ctx context.Context, bringUp bool) (*store.Store, error) {
	if err := p.prepare(); err != nil {
		return nil, err
	}
	if p.database == "" {
		pg, err := pglocal.Start(ctx, filepath.Join(p.data, "postgres"))
		if err != nil {
			return nil, err
		}
		p.database, p.server = pg.DSN, pg
	}
	if p.blobs == "" {
		p.blobs = filepath.Join(p.data, "blobs")
	}
	if bringUp {
		if err := store.Migrate(ctx, p.database); err != nil {
			return nil, err
		}
	} else if err := store.AwaitCurrent(ctx, p.database, func(err error) {
		fmt.Fprintln(os.Stderr, "visator: waiting:",
			err)
	}); err != nil {
		return nil, err
	}
	end, err := startTrace(ctx)
	if err != nil {
		return nil, err
	}
	p.endTrace = end
	return store.Open(ctx, p.database, p.blobs)
}

// close stops the project's own database, if this process started it.
func (p *place) close() {
	if p.endTrace != nil {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		_ = p.endTrace(ctx)
		cancel()
	}
	if p.server != nil {
		_ = p.server.Close()
	}
}

func migrate(ctx context.Context, args []string) error {
	var p place
	fs := newFlags("migrate", "[flags]", "Brings the database to the newest form.")
	p.flags(fs)
	if _, err := parse(fs, args); err != nil {
		return err
	}
	defer p.close()
	s, err := p.open(ctx, true)
	if err != nil {
		return err
	}
	s.Close()
	fmt.Println("the database is up to date")
	return nil
}

func worker(ctx context.Context, args []string) error {
	var p place
	fs := newFlags("worker", "[flags]",
		"Takes jobs from the queue until it is stopped: intake and renders. Any number "+
			"of workers share one database and blob store.")
	p.flags(fs)
	n := fs.Int("jobs", 1, "intakes, and takes, at a time")
	if _, err := parse(fs, args); err != nil {
		return err
	}
	if *n < 1 {
		return usagef("--jobs must be 1 or more")
	}
	defer p.close()
	s, err := p.open(ctx, false)
	if err != nil {
		return err
	}
	defer s.Close()
	a := app.New(s)
	defer a.Close()
	if from := os.Getenv("VISATOR_SUPPLIER"); from != "" {
		a.Supplier = &supplier.Client{Address: strings.TrimSuffix(from, "/")}
	}
	pool, err := jobs.Open(ctx, a, *n, p.logger(), traced()...)
	if err != nil {
		return err
	}
	if err := pool.Start(ctx); err != nil {
		return err
	}
	fmt.Println("working; stop with Ctrl-C")
	<-ctx.Done()
	return stopPool(pool)
}

func stopPool(pool *jobs.Pool) error {
	ctx, cancel := context.WithTimeout(context.Background(), 15*time.Second)
	defer cancel()
	return pool.Stop(ctx)
}

func serve(ctx context.Context, args []string) error { return run(ctx, "serve", args, false) }

func runDemo(ctx context.Context, args []string) error { return run(ctx, "demo", args, true) }

func run(ctx context.Context, name string, args []string, withDemo bool) (err error) {
	var p place
	about := "Serves the application on loopback, with one worker in the same process."
	if withDemo {
		about = "Serves the application with the sample production, which is made if it is not there yet."
	}
	fs := newFlags(name, "[flags]", about)
	p.flags(fs)
	port := fs.Int("port", 8470, "port on 127.0.0.1; 0 takes any that is free")
	workers := fs.Int("workers", 1, "intakes, and takes, at a time in this process; 0 leaves them to visator worker")
	from := fs.String("supplier", os.Getenv("VISATOR_SUPPLIER"),
		"address of a supplier, such as http://127.0.0.1:8471; the demo starts the simulated one")
	watched := fs.String("watch", "",
		"a folder: what is put into it arrives in the newest production, or, in a folder "+
			"of a production's name, in that one")
	takes := true
	if withDemo {
		fs.BoolVar(&takes, "takes", true, "put the three shots of the demo in the queue")
	}
	if _, err := parse(fs, args); err != nil {
		return err
	}
	// More than the cores: renders and what measures sets give way on threads of
	// their own, and a request should not wait for one of them to be scheduled out.
	runtime.GOMAXPROCS(3*runtime.NumCPU() + 2)
	listen, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", *port)) // before anything else is begun
	if err != nil {
		return fmt.Errorf("port %d is taken (%w): stop what uses it, or choose another with --port", *port, err)
	}
	defer listen.Close()
	log := p.logger()
	log.Info("rays are traced", "by", bvh.Way())
	defer p.close()
	s, err := p.open(ctx, true)
	if err != nil {
		return err
	}
	defer s.Close()
	a := app.New(s)
	defer a.Close()
	if *from == "" && withDemo {
		if *from, err = startSupplier(ctx); err != nil {
			return err
		}
	}
	if *from != "" {
		a.Supplier = &supplier.Client{Address: strings.TrimSuffix(*from, "/")}
	}
	pool, err := jobs.Open(ctx, a, *workers, log, traced()...)
	if err != nil {
		return err
	}
	if withDemo {
		if _, err := demo.Load(ctx, a, takes, func(what string) { fmt.Println(what) }); err != nil {
			return fmt.Errorf("loading the demo: %w", err)
		}
	}
	if *workers > 0 {
		if err := pool.Start(ctx); err != nil {
			return err
		}
		defer func() { err = errors.Join(err, stopPool(pool)) }()
	}
	if _, err := a.Requeue(ctx); err != nil {
		return err
	}
	site, err := web.New(a, p.database, log)
	if err != nil {
		return err
	}
	go site.Listen(ctx)
	if *watched != "" {
		w, err := watch.New(a, *watched, log)
		if err != nil {
			return err
		}
		go w.Run(ctx)
	}
	server := &http.Server{Handler: tracedHandler(site.Handler()), ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout: 2 * time.Minute,
		// Pages that are open hold a stream of events: it ends with the server.
		BaseContext: func(net.Listener) context.Context { return ctx }}
	fmt.Printf("Visator is at http://%s\n", listen.Addr())
	go func() {
		<-ctx.Done()
		soon, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		_ = server.Shutdown(soon)
	}()
	if err := server.Serve(listen); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
