package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"visator/demo"
)

func runSupplier(ctx context.Context, args []string) error {
	fs := newFlags("supplier", "[flags]", "Serves a catalogue of generated models on loopback, with prices and "+
		"licences; some files come slowly, break off or fail.")
	port := fs.Int("port", 8471, "port on 127.0.0.1; 0 takes any that is free")
	if _, err := parse(fs, args); err != nil {
		return err
	}
	shop, err := demo.Shop()
	if err != nil {
		return err
	}
	listen, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", *port))
	if err != nil {
		return fmt.Errorf("port %d is taken (%w): stop what uses it, or choose another with --port", *port, err)
	}
	server := &http.Server{Handler: shop, ReadHeaderTimeout: 10 * time.Second,
		BaseContext: func(net.Listener) context.Context { return ctx }}
	fmt.Printf("the supplier is at http://%s\n", listen.Addr())
	go func() {
		<-ctx.Done()
		_ = server.Close()
	}()
	if err := server.Serve(listen); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// startSupplier starts the simulated supplier as a process of its own, which
// ends with ctx, and returns its address.
func startSupplier(ctx context.Context) (string, error) {
	self, err := os.Executable()
	if err != nil {
		return "", err
	}
	cmd := exec.CommandContext(ctx, self, "supplier", "--port", "0")
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	cmd.Stderr = os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM} // it does not outlive a crash
	out, err := cmd.StdoutPipe()
	if err != nil {
		return "", err
	}
	if err := cmd.Start(); err != nil {
		return "", err
	}
	go func() { _ = cmd.Wait() }()
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, at, ok := strings.Cut(lines.Text(), "the supplier is at "); ok {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return at, nil
		}
	}
	return "", errors.New("the simulated supplier did not start")
}
