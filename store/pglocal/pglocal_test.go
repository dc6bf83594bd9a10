package pglocal

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// A cluster that was started twice, stopped and started again holds what was
// put into it, under the same address.
func TestAClusterKeepsItsDataAndAddress(t *testing.T) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "visator-pglocal-*")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // the server may run as another user
		t.Fatal(err)
	}
	first, err := Start(ctx, dir+"/postgres")
	if err != nil {
		t.Fatal(err)
	}
	defer first.Close()
	ask := func(sql string, into ...any) error {
		conn, err := pgx.Connect(ctx, first.DSN)
		if err != nil {
			return err
		}
		defer conn.Close(ctx)
		if len(into) == 0 {
			_, err = conn.Exec(ctx, sql)
			return err
		}
		return conn.QueryRow(ctx, sql).Scan(into...)
	}
	if err := ask("create table kept as select 42 as n"); err != nil {
		t.Fatal(err)
	}
	second, err := Start(ctx, dir+"/postgres")
	if err == nil {
		defer second.Close()
	}
	if err != nil || second.DSN != first.DSN || second.Started || !first.Started {
		t.Errorf("started again: %+v, %v", second, err)
	}
	if err := first.Stop(); err != nil {
		t.Fatal(err)
	}
	if ask("select 1") == nil {
		t.Error("it still answers")
	}
	if err := first.Restart(ctx); err != nil {
		t.Fatal(err)
	}
	var n int
	if err := ask("select n from kept", &n); err != nil || n != 42 {
		t.Errorf("%d, %v", n, err)
	}
	// It listens on no network, and the application may not do everything.
	var where string
	var all bool
	if err := ask("show listen_addresses", &where); err != nil || where != "" {
		t.Errorf("listens on %q, %v", where, err)
	}
	if err := ask("select rolsuper or rolcreaterole or rolcreatedb from pg_roles where rolname = current_user",
		&all); err != nil || all {
		t.Errorf("the application's role may do everything: %v, %v", all, err)
	}
}

// A cluster that dies is started again; one whose program is killed ends with it;
// one that a release before left to everybody is closed, with what is in it.
func TestAClusterLivesAsLongAsItsProgram(t *testing.T) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "visator-pglocal-*")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	s, err := Start(ctx, dir+"/postgres")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, path := range []string{s.dir, s.socket, s.data()} {
		if info, err := os.Stat(path); err != nil || info.Mode().Perm() != 0o700 {
			t.Errorf("%s: %v, %v", path, info.Mode(), err)
		}
	}
	s.mu.Lock()
	pid := s.child.Process.Pid
	s.mu.Unlock()
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for deadline := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
		conn, err := pgx.Connect(ctx, s.DSN)
		if err == nil {
			_ = conn.Close(ctx)
			break
		}
		if time.Now().After(deadline) {
			t.Fatalf("it does not come back: %v", err)
		}
	}
	s.mu.Lock()
	again := s.child.Process.Pid
	s.mu.Unlock()
	if again == pid {
		t.Error("it was not killed")
	}
	// Nobody else than root and the cluster's own user comes in.
	if os.Geteuid() == 0 {
		cmd := exec.Command("psql", "-h", s.socket, "-p", port, "-U", application, "-d", "visator", "-c", "select 1")
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
		if out, err := cmd.CombinedOutput(); err == nil {
			t.Errorf("anybody comes in: %s", out)
		}
		cmd = exec.Command("psql", "-h", s.socket, "-p", port, "-U", keeper, "-d", "visator", "-c", "select 1")
		if out, err := cmd.CombinedOutput(); err == nil {
			t.Errorf("the application's user may do everything: %s", out)
		}
	}
}

// The program of this test, run again, starts a cluster and waits to be killed.
func TestMain(m *testing.M) {
	if dir := os.Getenv("PGLOCAL_CHILD"); dir != "" {
		s, err := Start(context.Background(), dir)
		if err != nil {
			fmt.Println(err)
			os.Exit(1)
		}
		fmt.Println("runs", s.child.Process.Pid)
		select {}
	}
	os.Exit(m.Run())
}

func TestAClusterEndsWithAProgramThatIsKilled(t *testing.T) {
	dir, err := os.MkdirTemp("", "visator-pglocal-*")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), "PGLOCAL_CHILD="+dir+"/postgres")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	var pid int
	if _, err := fmt.Fscanf(out, "runs %d", &pid); err != nil {
		t.Fatal(err)
	}
	if !alive(pid) {
		t.Fatal("it does not run")
	}
	_ = cmd.Process.Kill()
	_ = cmd.Wait()
	for deadline := time.Now().Add(30 * time.Second); alive(pid); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatal("it goes on without its program")
		}
	}
}
