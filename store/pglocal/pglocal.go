// Package pglocal runs a PostgreSQL server of the project's own, for those who
// have none: in a folder given, reached by a socket that only its owner can
// open. It lives as long as the program that started it, and is started again
// when it dies before.
package pglocal

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Server is a cluster, run by this program or found running.
type Server struct {
	DSN     string // of the database "visator", for the application's role
	Started bool   // by this Start; else it ran already, for another program
	dir     string // what belongs to the cluster
	socket  string // the folder of its socket
	bin     string
	as      *syscall.Credential

	starting sync.Mutex // held by whoever starts the server
	mu       sync.Mutex
	child    *exec.Cmd     // the server, when it is a child of this program
	ended    chan struct{} // closed when that child has ended
	ending   bool          // it is to end: nobody starts it again
	minding  chan struct{} // closed when nobody minds it any more
	quit     chan struct{} // closed to have it no longer minded
}

// The roles: keeper made the cluster and may do everything; the application
// owns its database and nothing else.
const (
	keeper      = "visator"
	application = "visator_app"
	port        = "5432" // names the socket: the server listens on no network
)

// ErrMissing says that PostgreSQL is not installed.
var ErrMissing = errors.New("PostgreSQL is not installed: install Debian's package postgresql (apt-get install " +
	"postgresql)")

// Start starts the cluster in dir, making it first if needed, and makes sure
// that its database exists. A cluster that runs already is used, and taken over
// when the program that runs it ends. As root it runs as the user postgres, since
// the server refuses to run as root; where that user cannot reach dir (in root's
// home, say) the cluster lies below /var/lib/visator instead, in a folder named
// after dir.
func Start(ctx context.Context, dir string) (*Server, error) {
	bin, err := findBin()
	if err != nil {
		return nil, err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	s := &Server{dir: dir, bin: bin, quit: make(chan struct{}), minding: make(chan struct{})}
	if err := s.prepare(); err != nil {
		if !errors.Is(err, errUnreachable) {
			return nil, err
		}
		s.dir = "/var/lib/visator/" + nameOf(dir)
		if err := s.prepare(); err != nil {
			return nil, err
		}
	}
	if err := s.makeSocket(); err != nil {
		return nil, err
	}
	if _, err := os.Stat(filepath.Join(s.data(), "PG_VERSION")); err != nil {
		if out, err := s.run(ctx, "initdb", "-D", s.data(), "-U", keeper, "-A", "peer", "-E", "UTF8",
			"--locale=C.UTF-8", "--no-instructions"); err != nil {
			return nil, fmt.Errorf("initdb in %s failed: %w: %s", s.data(), err, lastLine(out))
		}
	}
	// Who may come in is written anew each time: releases before let in everybody
	// on the machine, and their server is ended.
	if err := s.allow(); err != nil {
		return nil, err
	}
	switch running, old := s.running(); {
	case running && old:
		if out, err := s.run(ctx, "pg_ctl", "-D", s.data(), "-m", "fast", "-w", "stop"); err != nil {
			return nil, fmt.Errorf("the server of an older release does not end: %w: %s", err, lastLine(out))
		}
		fallthrough
	case !running:
		if err := s.launch(ctx); err != nil {
			return nil, err
		}
		s.Started = true
	}
	if err := s.found(ctx); err != nil {
		_ = s.Stop()
		return nil, err
	}
	s.DSN = s.Address("visator")
	go s.mind()
	return s, nil
}

// Address is that of a database of the cluster, for the application's role.
func (s *Server) Address(database string) string {
	q := url.Values{"host": {s.socket}, "port": {port}, "user": {application}, "sslmode": {"disable"}}
	return "postgres:///" + database + "?" + q.Encode()
}

// Admin runs a command as the one who may do everything, for tests.
func (s *Server) Admin(ctx context.Context, sql string) error {
	_, err := s.ask(ctx, "postgres", sql)
	return err
}

func (s *Server) data() string { return filepath.Join(s.dir, "data") }

// makeSocket makes the folder of the socket, which nobody else can enter: the
// cluster's own, or, since a socket's path has at most 107 bytes, one in the
// system's folder for such things.
func (s *Server) makeSocket() error {
	s.socket = s.dir
	if len(s.dir)+len("/.s.PGSQL."+port+".lock") <= 100 {
		return nil
	}
	s.socket = filepath.Join("/tmp", fmt.Sprintf("visator-%d-%s", os.Geteuid(), nameOf(s.dir)))
	if err := os.Mkdir(s.socket, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
		return err
	}
	owner := os.Geteuid()
	if s.as != nil {
		if err := os.Chown(s.socket, int(s.as.Uid), int(s.as.Gid)); err != nil {
			return err
		}
		owner = int(s.as.Uid)
	}
	info, err := os.Lstat(s.socket)
	if err != nil {
		return err
	}
	if st, ok := info.Sys().(*syscall.Stat_t); !ok || !info.IsDir() || int(st.Uid) != owner {
		return fmt.Errorf("%s belongs to somebody else: remove it, or choose a shorter data folder with --data",
			s.socket)
	}
	return os.Chmod(s.socket, 0o700)
}

// allow writes who may come in: by the socket alone, and only the user that the
// server runs as, who may be either role, and root, who is the application.
func (s *Server) allow() error {
	who, err := user.Current()
	if err != nil {
		return err
	}
	runs := who.Username
	if s.as != nil {
		u, err := user.LookupId(strconv.Itoa(int(s.as.Uid)))
		if err != nil {
			return err
		}
		runs = u.Username
	}
	ident := fmt.Sprintf("keepers %q %s\nkeepers %q %s\n", runs, keeper, runs, application)
	if runs != who.Username {
		ident += fmt.Sprintf("keepers %q %s\n", who.Username, application)
	}
	for name, text := range map[string]string{"pg_hba.conf": "local all all peer map=keepers\n",
		"pg_ident.conf": ident} {
		path := filepath.Join(s.data(), name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			return err
		}
		if s.as != nil {
			if err := os.Chown(path, int(s.as.Uid), int(s.as.Gid)); err != nil {
				return err
			}
		}
	}
	return nil
}

// running reports whether the cluster runs, and whether as releases before did it:
// on a port of the network.
func (s *Server) running() (yes, old bool) {
	raw, err := os.ReadFile(filepath.Join(s.data(), "postmaster.pid"))
	if err != nil {
		return false, false
	}
	lines := strings.Split(string(raw), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(lines[0]))
	if err != nil || !alive(pid) {
		return false, false
	}
	// Line 6 is the address that it listens on, empty for none.
	return true, len(lines) > 5 && strings.TrimSpace(lines[5]) != ""
}

// alive reports whether a process is there and is a PostgreSQL server: numbers of
// processes are used again.
func alive(pid int) bool {
	name, err := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	return err == nil && strings.HasPrefix(string(name), "postgres")
}

// launch runs the server as a child of this program and waits until it answers.
func (s *Server) launch(ctx context.Context) error {
	logged, err := os.OpenFile(filepath.Join(s.dir, "log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	cmd := s.command(context.Background(), filepath.Join(s.bin, "postgres"), "-D", s.data(), "-c", "listen_addresses=",
		"-c", "port="+port,
		"-c", "unix_socket_directories="+s.socket, "-c", "unix_socket_permissions=0700", "-c", "max_connections=200",
		"-c",
		"shared_buffers=64MB")
	cmd.Stdout, cmd.Stderr = logged, logged
	// It ends, in order, when this program ends, however that comes: even killed.
	// Its own group keeps a Ctrl-C that is meant for this program from it.
	cmd.SysProcAttr.Pdeathsig, cmd.SysProcAttr.Setpgid = syscall.SIGINT, true
	started, ended := make(chan error), make(chan struct{})
	go func() {
		// The signal comes when the thread ends that made the child: this one stays.
		runtime.LockOSThread()
		defer close(ended)
		defer logged.Close()
		err := cmd.Start()
		started <- err
		if err == nil {
			_ = cmd.Wait()
		}
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("PostgreSQL in %s did not start: %w", s.dir, err)
	}
	s.mu.Lock()
	s.child, s.ended = cmd, ended
	s.mu.Unlock()
	for deadline := time.Now().Add(time.Minute); ; {
		select {
		case <-ended:
			text, _ := os.ReadFile(filepath.Join(s.dir, "log"))
			return fmt.Errorf("PostgreSQL in %s did not start: %s", s.dir, lastLine(string(text)))
		case <-ctx.Done():
			_ = cmd.Process.Signal(syscall.SIGINT)
			return ctx.Err()
		case <-time.After(30 * time.Millisecond):
		}
		if _, err := s.ask(ctx, "postgres", "select 1"); err == nil {
			return nil
		} else if time.Now().After(deadline) {
			_ = cmd.Process.Signal(syscall.SIGINT)
			return fmt.Errorf("PostgreSQL in %s does not answer after a minute: %w; see its log beside", s.dir, err)
		}
	}
}

// found makes the application's role and database where they are not there, and
// gives it what a release before made as the keeper.
func (s *Server) found(ctx context.Context) error {
	for _, do := range []struct{ in, sql string }{
		{"postgres", "do $$ begin if not exists (select from pg_roles where rolname = '" + application +
			"') then create role " + application + " login; end if; end $$"},
		{"postgres", "create database visator owner " + application},
		{"postgres", "alter database visator owner to " + application},
		{"visator", `do $$ declare r record; begin
			for r in select format('alter table %s owner to ` + application + `', c.oid::regclass) as sql from pg_class c where relnamespace = 'public'::regnamespace and relkind in ('r', 'p', 'v', 'm') and relowner <> '` + application + `'::regrole
				union all select format('alter type %s owner to ` + application + `', t.oid::regtype) from pg_type t where typnamespace = 'public'::regnamespace and typtype in ('e', 'd') and typowner <> '` + application + `'::regrole
				union all select format('alter function %s owner to ` + application + `', p.oid::regprocedure) from pg_proc p where pronamespace = 'public'::regnamespace and proowner <> '` + application + `'::regrole
			loop execute r.sql; end loop; end $$`},
	} {
		if out, err := s.ask(ctx, do.in, do.sql); err != nil && !strings.Contains(out, "already exists") {
			return fmt.Errorf("making the database failed: %w: %s", err, lastLine(out))
		}
	}
	return nil
}

// ask runs a command of SQL as the keeper.
func (s *Server) ask(ctx context.Context, database, sql string) (string, error) {
	return s.run(ctx, "psql", "-X", "-q", "-v", "ON_ERROR_STOP=1", "-h", s.socket, "-p", port, "-U", keeper, "-d",
		database, "-c", sql)
}

// lookEvery is how often a cluster is looked after that another program runs.
const lookEvery = 2 * time.Second

// mind starts the cluster again when it has died, until it is stopped: this
// program's own at once, another's when that program is gone too.
func (s *Server) mind() {
	defer close(s.minding)
	for {
		s.mu.Lock()
		ended := s.ended
		s.mu.Unlock()
		if ended == nil {
			select {
			case <-s.quit:
				return
			case <-time.After(lookEvery):
			}
		} else {
			select {
			case <-s.quit:
				return
			case <-ended:
			}
		}
		again, err := s.revive()
		if err != nil {
			fmt.Fprintln(os.Stderr, "visator:", err)
		}
		if !again || err != nil {
			select {
			case <-s.quit:
				return
			case <-time.After(reviveEvery): // stopped for a while: Restart goes on
			}
		}
	}
}

const reviveEvery = 100 * time.Millisecond

// revive starts the server if it neither runs nor was stopped, and reports whether
// it runs.
func (s *Server) revive() (bool, error) {
	s.starting.Lock()
	defer s.starting.Unlock()
	s.mu.Lock()
	ending := s.ending
	s.mu.Unlock()
	if running, _ := s.running(); running || ending {
		return running, nil
	}
	fmt.Fprintln(os.Stderr, "visator: the database has ended unasked and is started again; see",
		filepath.Join(s.dir, "log"))
	return true, s.launch(context.Background())
}

// Restart starts the cluster again after Stop, under the same address.
func (s *Server) Restart(ctx context.Context) error {
	s.starting.Lock()
	defer s.starting.Unlock()
	s.mu.Lock()
	s.ending = false
	s.mu.Unlock()
	if running, _ := s.running(); running {
		return nil
	}
	return s.launch(ctx)
}

// Stop stops the cluster, when this program runs it.
func (s *Server) Stop() error {
	s.mu.Lock()
	child, ended := s.child, s.ended
	s.ending = true
	s.mu.Unlock()
	if child == nil {
		return nil
	}
	_ = child.Process.Signal(syscall.SIGINT)
	select {
	case <-ended:
		return nil
	case <-time.After(time.Minute):
		_ = child.Process.Signal(syscall.SIGQUIT)
		return fmt.Errorf("PostgreSQL in %s does not end", s.dir)
	}
}

// Kill ends the server as a fault of its own would, for tests: it is started again by
// itself.
func (s *Server) Kill() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.child == nil {
		return errors.New("it is not run by this program")
	}
	return s.child.Process.Signal(syscall.SIGQUIT)
}

// Await waits until the server answers, or for a minute.
func (s *Server) Await(ctx context.Context) error {
	for deadline := time.Now().Add(time.Minute); ; time.Sleep(100 * time.Millisecond) {
		_, err := s.ask(ctx, "postgres", "select 1")
		if err == nil || time.Now().After(deadline) {
			return err
		}
	}
}

// Close stops the cluster, when this program runs it, and no longer minds it.
func (s *Server) Close() error {
	s.mu.Lock()
	s.ending = true
	s.mu.Unlock()
	close(s.quit)
	<-s.minding
	return s.Stop()
}

func nameOf(dir string) string {
	h := fnv.New32a()
	_, _ = h.Write([]byte(dir))
	return fmt.Sprintf("%08x", h.Sum32())
}

func findBin() (string, error) {
	list, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	slices.SortFunc(list, func(a, b string) int { return version(b) - version(a) })
	if len(list) > 0 {
		return filepath.Dir(list[0]), nil
	}
	if p, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(p), nil
	}
	return "", ErrMissing
}

func version(path string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return n
}

var errUnreachable = errors.New("the user postgres cannot reach the data folder: put it elsewhere with VISATOR_DATA")

// prepare makes the folder, for the user postgres when run as root.
func (s *Server) prepare() error {
	if err := os.MkdirAll(filepath.Dir(s.dir), 0o755); err != nil {
		return err
	}
	if err := os.Mkdir(s.dir, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
		return err
	}
	if os.Geteuid() != 0 {
		return nil
	}
	return s.own()
}

// own gives the folder to the user postgres.
func (s *Server) own() error {
	u, err := user.Lookup("postgres")
	if err != nil {
		return fmt.Errorf("running as root needs the user postgres, which Debian's package postgresql makes: %w", err)
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	s.as = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	if err := os.Chown(s.dir, uid, gid); err != nil {
		return err
	}
	if s.command(context.Background(), "/usr/bin/test", "-w", s.dir).Run() != nil {
		return fmt.Errorf("%s: %w", s.dir, errUnreachable)
	}
	return nil
}

func (s *Server) command(ctx context.Context, path string, args ...string) *exec.Cmd {
	c := exec.CommandContext(ctx, path, args...)
	c.Dir = "/"
	c.Env = append(os.Environ(), "LC_ALL=C.UTF-8")
	c.SysProcAttr = &syscall.SysProcAttr{Credential: s.as}
	return c
}

// run runs one of PostgreSQL's programs. Its output goes through a file: the
// server would hold a pipe open.
func (s *Server) run(ctx context.Context, name string, args ...string) (string, error) {
	out, err := os.CreateTemp("", "visator-pg-*")
	if err != nil {
		return "", err
	}
	defer os.Remove(out.Name())
	defer out.Close()
	c := s.command(ctx, filepath.Join(s.bin, name), args...)
	c.Stdout, c.Stderr = out, out
	err = c.Run()
	text, _ := os.ReadFile(out.Name())
	return string(text), err
}

func lastLine(s string) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return lines[len(lines)-1]
}
