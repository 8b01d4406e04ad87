package cluster

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/fault"
)

func scratch(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "cirque-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return filepath.Join(dir, "data")
}

// start runs a server that outlives this process, as the service's does, but without the cost of fsync.
func start(t *testing.T, dir string) *Server {
	t.Helper()
	s, err := Start(t.Context(), dir, Config{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	return s
}

func ask(t *testing.T, s *Server, sql string) string {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = conn.Close(context.Background()) }()
	var out string
	if err := conn.QueryRow(t.Context(), sql).Scan(&out); err != nil {
		t.Fatal(err)
	}
	return out
}

// TestLife starts, adopts, loses and restarts one server, and its data stays.
func TestLife(t *testing.T) {
	t.Parallel()
	dir := scratch(t)
	s := start(t, dir)
	conn, err := pgx.Connect(t.Context(), s.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(t.Context(), "CREATE TABLE kept AS SELECT 'still here' AS word"); err != nil {
		t.Fatal(err)
	}
	_ = conn.Close(t.Context())
	if listen := ask(t, s, "SELECT current_setting('listen_addresses')"); listen != "" {
		t.Errorf("it listens at %q", listen)
	}

	// As after a kill -9 of the service: the server still runs, and is taken over rather than fought.
	pid := s.pid()
	adopted := start(t, dir)
	if adopted.pid() != pid {
		t.Errorf("a second server was started: %d, then %d", pid, adopted.pid())
	}

	// As after a kill -9 of the database: it is started again by whoever keeps it.
	ctx, stop := context.WithCancel(t.Context())
	kept := make(chan struct{})
	go func() { defer close(kept); adopted.Keep(ctx) }()
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for adopted.pid() == pid || adopted.ping(ctx) != nil {
		if t.Context().Err() != nil {
			t.Fatal("it was not started again")
		}
	}
	if word := ask(t, adopted, "SELECT word FROM kept"); word != "still here" {
		t.Errorf("after the kill: %q", word)
	}
	stop()
	<-kept
	if err := adopted.Stop(); err != nil {
		t.Fatal(err)
	}
	if err := s.ping(t.Context()); err == nil {
		t.Error("it still answers after it was stopped")
	}
	again := start(t, dir)
	if word := ask(t, again, "SELECT word FROM kept"); word != "still here" {
		t.Errorf("after a stop: %q", word)
	}
}

func TestLongPath(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(scratch(t), strings.Repeat("long", 20), strings.Repeat("path", 20))
	s := start(t, dir)
	if len(s.socket)+len("/.s.PGSQL.5432") > maxSocket {
		t.Errorf("the socket's path is too long: %s", s.socket)
	}
	t.Cleanup(func() { _ = os.RemoveAll(s.socket) })
	if s, err := Attach(t.Context(), dir); err != nil || s.URL("postgres") == "" {
		t.Error(err)
	}
}

func TestWrongVersionIsExplained(t *testing.T) {
	t.Parallel()
	dir := scratch(t)
	data := filepath.Join(dir, "postgres", "data")
	if err := os.MkdirAll(data, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(data, "PG_VERSION"), []byte("9\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	_, err := Start(t.Context(), dir, Config{})
	if f := fault.As(err); f == nil || f.Code != "database-version" || !strings.Contains(f.What, "PostgreSQL 9") ||
		f.Fix == "" {
		t.Errorf("%v", err)
	}
}

func TestBrokenInitLeavesNothing(t *testing.T) {
	t.Parallel()
	dir := scratch(t)
	// An attempt that was killed halfway left this.
	if err := os.MkdirAll(filepath.Join(dir, "postgres", "data.new", "base"), 0o755); err != nil {
		t.Fatal(err)
	}
	start(t, dir)
}

func TestUnreachableIsExplained(t *testing.T) {
	t.Parallel()
	if os.Getuid() != 0 {
		t.Skip("only root hands the database to another account")
	}
	closed := filepath.Dir(scratch(t))
	if err := os.Chmod(closed, 0o700); err != nil {
		t.Fatal(err)
	}
	_, err := Start(t.Context(), filepath.Join(closed, "a", "data"), Config{})
	if f := fault.As(err); f == nil || f.Code != "data-unreachable" || !strings.Contains(f.Fix, "chmod o+x "+closed) {
		t.Errorf("%v", err)
	}
}

// TestPrivateDataDirectory: a data directory that only root may enter, such as mktemp -d makes, is opened to passing
// through, and to no more.
func TestPrivateDataDirectory(t *testing.T) {
	t.Parallel()
	dir := scratch(t)
	if err := os.Mkdir(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	start(t, dir)
	info, err := os.Stat(dir)
	if err != nil {
		t.Fatal(err)
	}
	if mode := info.Mode().Perm(); mode != 0o700 && mode != 0o701 {
		t.Errorf("the data directory has mode %o", mode)
	}
}

func TestSomebodyElsesDirectoryIsRefused(t *testing.T) {
	t.Parallel()
	if os.Getuid() != 0 {
		t.Skip("only root can make one")
	}
	dir := scratch(t)
	if err := os.MkdirAll(filepath.Join(dir, "postgres"), 0o777); err != nil {
		t.Fatal(err)
	}
	if err := os.Chown(filepath.Join(dir, "postgres"), 12345, 12345); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), dir, Config{}); fault.As(err).Code != "data-directory" {
		t.Errorf("%v", err)
	}
}

// TestOtherProcessIsNoServer: a stale pid file may name a process of another kind.
func TestOtherProcessIsNoServer(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if err := os.MkdirAll(filepath.Join(dir, "data"), 0o755); err != nil {
		t.Fatal(err)
	}
	for _, pid := range []string{"1", strconv.Itoa(os.Getpid()), "not a number", ""} {
		if err := os.WriteFile(filepath.Join(dir, "data", "postmaster.pid"), []byte(pid+"\n"), 0o644); err != nil {
			t.Fatal(err)
		}
		if (&Server{dir: dir}).alive() {
			t.Errorf("process %q is taken for the database", pid)
		}
	}
}

// TestMended: what a full disk or a hand left of the files whose content is known keeps no server from starting.
func TestMended(t *testing.T) {
	t.Parallel()
	for name, spoil := range map[string]func(t *testing.T, data string){
		"no version":         func(t *testing.T, data string) { empty(t, filepath.Join(data, "PG_VERSION")) },
		"no database's":      func(t *testing.T, data string) { empty(t, filepath.Join(data, "base", "1", "PG_VERSION")) },
		"no access":          func(t *testing.T, data string) { empty(t, filepath.Join(data, "pg_hba.conf")) },
		"an empty note":      func(t *testing.T, data string) { empty(t, filepath.Join(data, "postmaster.pid")) },
		"open to all":        func(t *testing.T, data string) { chmod(t, data, 0o777) },
		"open to some":       func(t *testing.T, data string) { chmod(t, data, 0o755) },
		"no settings at all": func(t *testing.T, data string) { empty(t, filepath.Join(data, "postgresql.conf")) },
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := scratch(t)
			s := start(t, dir)
			if err := s.Stop(); err != nil {
				t.Fatal(err)
			}
			spoil(t, filepath.Join(dir, "postgres", "data"))
			begun := time.Now()
			start(t, dir)
			if took := time.Since(begun); took > startWithin/2 {
				t.Errorf("it took %v", took)
			}
			if b, _ := os.ReadFile(filepath.Join(dir, "postgres", "log")); strings.Count(string(b), "FATAL") > 20 {
				t.Errorf("the log:\n%s", b)
			}
		})
	}
}

func empty(t *testing.T, file string) {
	t.Helper()
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
}

func chmod(t *testing.T, dir string, mode os.FileMode) {
	t.Helper()
	if err := os.Chmod(dir, mode); err != nil {
		t.Fatal(err)
	}
}

// TestHopeless: data from which no server starts are told of at once, with the server's own words, and not tried again.
func TestHopeless(t *testing.T) {
	t.Parallel()
	dir := scratch(t)
	s := start(t, dir)
	if err := s.Stop(); err != nil {
		t.Fatal(err)
	}
	empty(t, filepath.Join(dir, "postgres", "data", "global", "pg_control"))
	before, err := os.ReadFile(filepath.Join(dir, "postgres", "log"))
	if err != nil {
		t.Fatal(err)
	}
	_, err = Start(t.Context(), dir, Config{})
	if f := fault.As(err); f == nil || f.Code != "database-start" || !strings.Contains(f.What, "pg_control") {
		t.Fatalf("%v", err)
	}
	after, err := os.ReadFile(filepath.Join(dir, "postgres", "log"))
	if err != nil {
		t.Fatal(err)
	}
	said := string(after[len(before):])
	if n := strings.Count(said, "FATAL") + strings.Count(said, "PANIC"); n != 1 {
		t.Errorf("it was tried %d times:\n%s", n, said)
	}
}
