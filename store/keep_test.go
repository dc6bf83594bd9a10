package store_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"visator/store"
	"visator/store/storetest"
)

// A store in a folder that the test knows.
func inFolder(t *testing.T) (*store.Store, string) {
	t.Helper()
	dir := t.TempDir()
	s, err := store.Open(context.Background(), storetest.DSN(t), dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s, dir
}

// A blob that was damaged, emptied or cut on the disk is noticed when it is read, and
// is whole again when the same bytes are handed in.
func TestADamagedBlobIsNoticedAndHealed(t *testing.T) {
	s, dir := inFolder(t)
	ctx := context.Background()
	text := strings.Repeat("planks and nails, ", 1000)
	hash, _, err := s.PutBlob(ctx, strings.NewReader(text), 0)
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(dir, hash)
	for name, damage := range map[string]func() error{
		"a byte is another": func() error { return os.WriteFile(path, []byte("X"+text[1:]), 0o600) },
		"it is empty":       func() error { return os.WriteFile(path, nil, 0o600) },
		"it is cut":         func() error { return os.Truncate(path, 100) },
		"it is gone":        func() error { return os.Remove(path) },
	} {
		if err := damage(); err != nil {
			t.Fatal(err)
		}
		want := store.ErrDamaged
		if name == "it is gone" {
			want = store.ErrNotFound
		}
		if _, err := s.ReadBlob(ctx, hash); !errors.Is(err, want) {
			t.Errorf("%s: read with %v", name, err)
		}
		var out bytes.Buffer
		if err := s.Verified(ctx, &out, hash); !errors.Is(err, want) {
			t.Errorf("%s: copied with %v", name, err)
		}
		k, err := s.Put(ctx, strings.NewReader(text), 0)
		if err != nil || k.Hash != hash || k.New {
			t.Fatalf("%s: %+v, %v", name, k, err)
		}
		if data, err := s.ReadBlob(ctx, hash); err != nil || string(data) != text {
			t.Errorf("%s: not healed: %v", name, err)
		}
	}
}

// What nothing refers to is given back after its time; what is referred to in any
// column, what was put lately, and what is put meanwhile stays.
func TestSweepingIsSafe(t *testing.T) {
	s, dir := inFolder(t)
	ctx := context.Background()
	put := func(text string) string {
		t.Helper()
		hash, _, err := s.PutBlob(ctx, strings.NewReader(text), 0)
		if err != nil {
			t.Fatal(err)
		}
		return hash
	}
	kept, lost, fresh, logged := put("kept"), put("lost"), put("fresh"), put("logged")
	before := sha256.Sum256([]byte("from before there were rows"))
	old := hex.EncodeToString(before[:])
	if err := os.WriteFile(filepath.Join(dir, old), []byte("from before there were rows"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := store.InsertProduction(ctx, s.Pool,
		store.Production{ID: "p", Name: "n", Unit: "metre", Budget: 5}); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{"insert into arrival (id, production_id, name, blob, bytes, state, files) values " +
		"('a', 'p', 'n', 'x', 1, 'done', '[{\"blob\": \"" + kept + "\"}]')",
		"insert into log (production_id, revision, label, changes) values ('p', 1, 'l', " +
			"'[{\"before\":{\"light\":{\"panorama\":\"" + logged + "\"}}}]')",
		"update blob set put = now() - interval '2 days' where hash <> '" + fresh + "'"} {
		if _, err := s.Pool.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
	n, size, err := s.Sweep(ctx, store.Grace)
	if err != nil || n != 1 || size != 4 {
		t.Errorf("%d blobs of %d bytes, %v", n, size, err)
	}
	for hash, want := range map[string]bool{kept: true, lost: false, fresh: true, logged: true, old: true} {
		if _, err := os.Stat(filepath.Join(dir, hash)); (err == nil) != want {
			t.Errorf("%.8s is there: %v", hash, err == nil)
		}
	}
	// Many sweep while the same few bytes, long unused, are put: they are there then.
	var all sync.WaitGroup
	stop := make(chan struct{})
	for range 2 {
		all.Go(func() {
			for {
				select {
				case <-stop:
					return
				default:
				}
				if _, _, err := s.Sweep(ctx, store.Grace); err != nil {
					t.Error(err)
				}
			}
		})
	}
	for range 80 {
		if _, err := s.Pool.Exec(ctx, "update blob set put = now() - interval '2 days' where hash = $1",
			lost); err != nil {
			t.Fatal(err)
		}
		if k, err := s.Put(ctx, strings.NewReader("lost"), 0); err != nil || k.Hash != lost {
			t.Fatal(err)
		}
		if _, err := os.Stat(filepath.Join(dir, lost)); err != nil {
			t.Fatal("a blob that was put just now is gone")
		}
	}
	close(stop)
	all.Wait()
}

// What is kept is closed to others.
func TestBlobsAreTheOwnersAlone(t *testing.T) {
	s, dir := inFolder(t)
	hash, _, err := s.PutBlob(context.Background(), strings.NewReader("mine"), 0)
	if err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]os.FileMode{dir: 0o700, filepath.Join(dir, hash): 0o600} {
		if info, err := os.Stat(path); err != nil || info.Mode().Perm() != want {
			t.Errorf("%s: %v, %v", path, info.Mode(), err)
		}
	}
	if err := s.Writable(); err != nil {
		t.Error(err)
	}
}

// A disk that is full is told as such, by the store and of the database, and what
// was there stays.
func TestAFullDiskIsToldAsSuch(t *testing.T) {
	if !store.Full(syscall.ENOSPC) || store.Full(errors.New("another")) {
		t.Error("which errors mean it")
	}
	small := store.Room{Free: 900 << 20, Total: 100 << 30}
	if !small.Short() || small.None() || (store.Room{Free: 60 << 30, Total: 100 << 30}).Short() ||
		!(store.Room{Free: 30 << 30, Total: 1 << 40}).Short() || !(store.Room{Free: 1 << 20, Total: 1 << 30}).None() ||
		(store.Room{}).Short() {
		t.Error("when room is short")
	}
	dir := filepath.Join(t.TempDir(), "small")
	if err := os.Mkdir(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", dir).CombinedOutput(); err != nil {
		t.Skipf("a small disk cannot be mounted here: %v %s", err, out)
	}
	defer func() { _ = exec.Command("umount", "-l", dir).Run() }()
	t.Setenv("TMPDIR", dir)
	s, err := store.Open(context.Background(), storetest.DSN(t), filepath.Join(dir, "blobs"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	ctx := context.Background()
	hash, _, err := s.PutBlob(ctx, strings.NewReader("small"), 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.PutBlob(ctx, bytes.NewReader(make([]byte, 4<<20)), 0); !errors.Is(err, store.ErrFull) {
		t.Errorf("4 MB on a disk of 2: %v", err)
	}
	// Nothing of it is left, so that small things go on.
	if _, _, err := s.PutBlob(ctx, strings.NewReader("another small one"), 0); err != nil {
		t.Errorf("after it: %v", err)
	}
	if data, err := s.ReadBlob(ctx, hash); err != nil || string(data) != "small" {
		t.Errorf("%q, %v", data, err)
	}
	if r := s.Room(); r.Total != 2<<20 || !r.Short() {
		t.Errorf("room %+v", r)
	}
}

// Whoever waits for a blob that is being given back waits no longer than that.
func TestPuttingWaitsForSweeping(t *testing.T) {
	s, _ := inFolder(t)
	ctx := context.Background()
	hash, _, err := s.PutBlob(ctx, strings.NewReader("x"), 0)
	if err != nil {
		t.Fatal(err)
	}
	tx, err := s.Pool.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tx.Exec(ctx, "delete from blob where hash = $1", hash); err != nil {
		t.Fatal(err)
	}
	done := make(chan error, 1)
	go func() { _, _, err := s.PutBlob(ctx, strings.NewReader("x"), 0); done <- err }()
	select {
	case err := <-done:
		t.Fatalf("it did not wait: %v", err)
	case <-time.After(200 * time.Millisecond):
	}
	if err := tx.Commit(ctx); err != nil {
		t.Fatal(err)
	}
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	if ok, err := s.HasBlob(ctx, hash); err != nil || !ok {
		t.Errorf("%v, %v", ok, err)
	}
}
