// Package pglocal runs a PostgreSQL server of the project's own: in a folder
// given, on loopback, for the demo and for tests.
package pglocal

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
)

// Server is a running cluster.
type Server struct {
	DSN     string // of the database "visator"
	Started bool   // by this Start; else it ran already
	dir     string
	bin     string
	as      *syscall.Credential
}

// ErrMissing says that PostgreSQL is not installed.
var ErrMissing = errors.New("PostgreSQL is not installed: install Debian's package postgresql (apt-get install postgresql)")

// Start starts the cluster in dir, making it first if needed, and makes sure
// that its database exists. A cluster that runs already is used. As root it
// runs as the user postgres, since the server refuses to run as root; where
// that user cannot reach dir (in root's home, say) the cluster lies below
// /var/lib/visator instead, in a folder named after dir.
func Start(ctx context.Context, dir string) (*Server, error) {
	bin, err := findBin()
	if err != nil {
		return nil, err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	s := &Server{dir: dir, bin: bin}
	if err := s.prepare(); err != nil {
		if !errors.Is(err, errUnreachable) {
			return nil, err
		}
		h := fnv.New32a()
		_, _ = h.Write([]byte(dir))
		s.dir = fmt.Sprintf("/var/lib/visator/%08x", h.Sum32())
		if err := s.prepare(); err != nil {
			return nil, err
		}
	}
	dir = s.dir
	data := filepath.Join(dir, "data")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err != nil {
		if out, err := s.run(ctx, "initdb", "-D", data, "-U", "visator", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8", "--no-instructions"); err != nil {
			return nil, fmt.Errorf("initdb in %s failed: %w: %s", data, err, lastLine(out))
		}
	}
	if _, err := s.run(ctx, "pg_ctl", "-D", data, "status"); err != nil {
		port, err := freePort()
		if err != nil {
			return nil, err
		}
		s.Started = true
		// The socket folder is the cluster's own; TCP is for loopback alone.
		opts := fmt.Sprintf("-c listen_addresses=127.0.0.1 -c port=%d -c unix_socket_directories='%s' -c max_connections=200 -c shared_buffers=64MB", port, dir)
		if out, err := s.run(ctx, "pg_ctl", "-D", data, "-l", filepath.Join(dir, "log"), "-w", "-t", "60", "-o", opts, "start"); err != nil {
			log, _ := os.ReadFile(filepath.Join(dir, "log"))
			return nil, fmt.Errorf("PostgreSQL in %s did not start: %w: %s %s", dir, err, lastLine(out), lastLine(string(log)))
		}
	}
	port, err := s.port(data)
	if err != nil {
		return nil, err
	}
	base := fmt.Sprintf("postgres://visator@127.0.0.1:%d/", port)
	if out, err := s.run(ctx, "psql", "-X", "-q", "-d", base+"postgres", "-c", "create database visator"); err != nil && !strings.Contains(out, "already exists") {
		return nil, fmt.Errorf("making the database failed: %w: %s", err, lastLine(out))
	}
	s.DSN = base + "visator?sslmode=disable"
	return s, nil
}

// Restart starts the cluster again after Stop, on the same port.
func (s *Server) Restart(ctx context.Context) error {
	data := filepath.Join(s.dir, "data")
	// The options of the last start are kept in postmaster.opts: restart uses them.
	out, err := s.run(ctx, "pg_ctl", "-D", data, "-l", filepath.Join(s.dir, "log"), "-w", "-t", "60", "restart")
	if err != nil {
		return fmt.Errorf("starting PostgreSQL again: %w: %s", err, lastLine(out))
	}
	return nil
}

// Stop stops the cluster.
func (s *Server) Stop() error {
	out, err := s.run(context.Background(), "pg_ctl", "-D", filepath.Join(s.dir, "data"), "-m", "fast", "-w", "stop")
	if err != nil {
		return fmt.Errorf("stopping PostgreSQL: %w: %s", err, lastLine(out))
	}
	return nil
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
	if s.as != nil {
		c.SysProcAttr = &syscall.SysProcAttr{Credential: s.as}
	}
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

// port reads the port from the server's own pid file, line 4.
func (s *Server) port(data string) (int, error) {
	raw, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, err
	}
	lines := strings.Split(string(raw), "\n")
	if len(lines) < 4 {
		return 0, fmt.Errorf("%s/postmaster.pid is cut short", data)
	}
	return strconv.Atoi(strings.TrimSpace(lines[3]))
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func lastLine(s string) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return lines[len(lines)-1]
}
