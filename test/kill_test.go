package test

import (
	"bufio"
	"cmp"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/apiclient"
	"cirque/internal/app"
)

func databasePID(t *testing.T, data string) int {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(data, "postgres", "data", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	first, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(first)
	if err != nil {
		t.Fatal(err)
	}
	return pid
}

// serveFor runs the service in a process of its own, when the tests' own program is started with this in its
// environment.
const serveFor = "CIRQUE_TEST_SERVE"

// serveAt is where it listens, where that matters.
const serveAt = "CIRQUE_TEST_LISTEN"

// serveOn is another database than its own.
const serveOn = "CIRQUE_TEST_DATABASE"

// serveLog is a file to log into, for whoever looks for a cause.
const serveLog = "CIRQUE_TEST_LOG"

func logIfAsked() *slog.Logger {
	f, err := os.OpenFile(os.Getenv(serveLog), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil
	}
	return slog.New(slog.NewTextHandler(f, nil))
}

// serveIfAsked is the main function of that process.
func serveIfAsked() {
	data := os.Getenv(serveFor)
	if data == "" {
		return
	}
	// What is killed keeps its data as it does in earnest; and reaches nothing but loopback.
	table := data + "-table.yaml"
	if _, err := os.Stat(table); err != nil { // a test may have made another
		if err := os.WriteFile(table, []byte("\"192.0.2.1:631\": \"127.0.0.1:1\"\n"), 0o600); err != nil {
			fmt.Println("failed", err)
			os.Exit(1)
		}
	}
	r, err := app.Start(contextOfProcess(), app.Options{Data: data, Database: os.Getenv(serveOn),
		Listen:    cmp.Or(os.Getenv(serveAt), "127.0.0.1:0"),
		PlainHTTP: true, AddressTable: table, AllowOutgoing: loopback, Log: logIfAsked()})
	if err != nil {
		fmt.Println("failed", err)
		os.Exit(1)
	}
	_, secret, err := r.Service.Identity.MakeToken(contextOfProcess(), owner, access.Token{Name: fmt.Sprint("test ",
		os.Getpid()),
		Role: access.Administrator})
	fmt.Println("ready", r.URL, secret, err)
	<-contextOfProcess().Done()
	_ = r.Stop()
	os.Exit(0)
}

// A process is a service that can be killed.
type process struct {
	cmd *exec.Cmd
	*aService
	took time.Duration
}

func startProcess(t testing.TB, data string, env ...string) *process {
	t.Helper()
	if slices.ContainsFunc(env, func(e string) bool { return strings.HasPrefix(e, serveOn) }) {
		withKeys(t, data)
	}
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(append(os.Environ(), serveFor+"="+data), env...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	begin := time.Now()
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	f := strings.Fields(line)
	if err != nil || len(f) != 4 || f[0] != "ready" || f[3] != "<nil>" {
		_ = cmd.Process.Kill()
		t.Fatalf("%q %v", line, err)
	}
	p := &process{cmd: cmd, aService: &aService{Running: &app.Running{URL: f[1]}, t: t, data: t.TempDir(), token: f[2]},
		took: time.Since(begin)}
	p.c = p.client(p.token)
	t.Cleanup(func() { p.kill() })
	return p
}

func (p *process) kill() {
	_ = p.cmd.Process.Kill()
	_, _ = p.cmd.Process.Wait()
}

// TestKillNine kills service and database in turn, many times, right after a revision was published: none is ever lost,
// and each next start works by itself.
func TestKillNine(t *testing.T) {
	t.Parallel()
	dir, err := os.MkdirTemp("", "cirque-test-") // on disk: this is about what survives
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	data := filepath.Join(dir, "data")
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	p := startProcess(t, data)
	t.Cleanup(func() {
		p.kill()
		if proc, err := os.FindProcess(databasePID(t, data)); err == nil {
			if proc.Signal(os.Interrupt) != nil {
				return // it died with the last round
			}
			within(t, "the database stops", func() bool {
				_, err := os.Stat(filepath.Join(data, "postgres", "data", "postmaster.pid"))
				return err != nil
			})
		}
	})
	revisions := 0
	for round := range 6 {
		revisions++
		got := p.publish(strings.Replace(oneQueue, "title: Hall", fmt.Sprintf("title: Hall %d", round), 1))
		if got.Revision.Number != revisions {
			t.Fatalf("round %d: revision %d, want %d", round, got.Revision.Number, revisions)
		}
		database := databasePID(t, data)
		switch round % 3 {
		case 0: // the service alone: the database is adopted
			p.kill()
			p = startProcess(t, data)
			if now := databasePID(t, data); now != database {
				t.Errorf("round %d: the database was fought: %d, then %d", round, database, now)
			}
		case 1: // the database alone: it is started again
			killPID(t, database)
			within(t, "the database is back", func() bool {
				b, _ := os.ReadFile(filepath.Join(data, "postgres", "data", "postmaster.pid"))
				if len(b) == 0 || strings.HasPrefix(string(b), fmt.Sprintln(database)) {
					return false
				}
				_, err := apiclient.Get[map[string]any](t.Context(), p.c, "/readyz", url.Values{"for": {"writing"}})
				return err == nil
			})
		case 2: // both
			p.kill()
			killPID(t, database)
			p = startProcess(t, data)
		}
		e, err := apiclient.Get[struct {
			Revision struct{ Number int }
		}](t.Context(), p.c, "/api/v1/estate", nil)
		if err != nil || e.Revision.Number != revisions {
			t.Fatalf("round %d: %+v %v", round, e, err)
		}
	}
}

func killPID(t *testing.T, pid int) {
	t.Helper()
	p, err := os.FindProcess(pid)
	if err == nil {
		err = p.Kill()
	}
	if err != nil {
		t.Fatal(err)
	}
}

// TestGracefulStop: a long poll is answered and a stream ends, rather than holding the service up.
func TestGracefulStop(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	_, tag, _ := poll(t, s.c, "", "")
	done := make(chan int, 1)
	watch, err := s.c.Raw(t.Context(), "GET", "/api/v1/watch", nil, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = watch.Body.Close() }()
	go func() {
		status, _, _ := poll(t, s.c, tag, "wait=120")
		done <- status
	}()
	within(t, "the poll is under way", func() bool { return s.Service.Present.Agents.Polls() == 1 })
	begin := time.Now()
	if err := s.Stop(); err != nil {
		t.Error(err)
	}
	if took := time.Since(begin); took > 8*time.Second {
		t.Errorf("stopping took %v", took)
	}
	if status := <-done; status != http.StatusNotModified {
		t.Errorf("the poll ended with %d", status)
	}
}
