package test

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5"

	"cirque/internal/testkit"
)

// twoDatabases are two servers of which one stands by for the other, synchronously: what is acknowledged is on both.
type twoDatabases struct {
	t       testing.TB
	run     func(program string, args ...string) *exec.Cmd
	dir     string
	servers map[string]*paired // a and b
}

type paired struct {
	name, at string // its address
	cmd      *exec.Cmd
}

// newTwoDatabases makes and starts both; a is the primary.
func newTwoDatabases(t *testing.T) *twoDatabases {
	t.Helper()
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	p := &twoDatabases{t: t, run: asDatabase(t), dir: filepath.Join(dir, "pair"), servers: map[string]*paired{}}
	if err := os.Mkdir(p.dir, 0o777); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(p.dir, 0o777); err != nil { // the umask may have closed it
		t.Fatal(err)
	}
	t.Cleanup(func() {
		for name := range p.servers {
			p.kill(name)
		}
		_ = os.RemoveAll(dir)
	})
	for _, name := range []string{"a", "b"} {
		p.servers[name] = &paired{name: name, at: testkit.FreeAddress(t)}
	}
	p.must("initdb", "-D", p.data("a"), "-U", "postgres", "-E", "UTF8", "--locale=C.UTF-8", "--auth=trust")
	p.start("a")
	p.on("a", "CREATE DATABASE cirque")
	p.stand("b", "a")
	return p
}

func (p *twoDatabases) data(name string) string { return filepath.Join(p.dir, name) }

// must runs one of PostgreSQL's programs.
func (p *twoDatabases) must(program string, args ...string) {
	p.t.Helper()
	if out, err := p.run(program, args...).CombinedOutput(); err != nil {
		p.t.Fatalf("%s: %v: %s", program, err, out)
	}
}

func (p *twoDatabases) start(name string) {
	p.t.Helper()
	s := p.servers[name]
	_, port, _ := net.SplitHostPort(s.at)
	s.cmd = p.run("postgres", "-D", p.data(name), "-h", "127.0.0.1", "-p", port, "-k", p.dir, "-c", "max_connections=150",
		"-c", "wal_keep_size=256MB", "-c", "wal_log_hints=on", "-c", "hot_standby=on")
	log, err := os.OpenFile(filepath.Join(p.dir, name+".log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		p.t.Fatal(err)
	}
	defer func() { _ = log.Close() }()
	s.cmd.Stdout, s.cmd.Stderr = log, log
	if err := s.cmd.Start(); err != nil {
		p.t.Fatal(err)
	}
	within(p.t, "the database "+name+" answers", func() bool {
		conn, err := pgx.Connect(p.t.Context(), p.url(name))
		if err == nil {
			_ = conn.Close(p.t.Context())
		}
		return err == nil
	})
}

// url is that of one of them, as an operator reaches it.
func (p *twoDatabases) url(name string) string {
	return "postgres://postgres@" + p.servers[name].at + "/postgres?sslmode=disable&connect_timeout=2"
}

// both is the URL that services have.
func (p *twoDatabases) both() string {
	return fmt.Sprintf("postgres://postgres@%s,%s/cirque?sslmode=disable&target_session_attrs=read-write&connect_timeout=2",
		p.servers["a"].at, p.servers["b"].at)
}

func (p *twoDatabases) on(name, sql string) { p.t.Helper(); testkit.Exec(p.t, p.url(name), sql) }

// stand has one stand by for the other, synchronously, from a copy that it makes.
func (p *twoDatabases) stand(name, by string) {
	p.t.Helper()
	if err := os.RemoveAll(p.data(name)); err != nil {
		p.t.Fatal(err)
	}
	host, port, _ := net.SplitHostPort(p.servers[by].at)
	p.must("pg_basebackup", "-d", fmt.Sprintf("host=%s port=%s user=postgres application_name=%s", host, port, name), "-D",
		p.data(name), "-R", "-X", "stream", "--checkpoint=fast")
	p.start(name)
	p.synchronous(by, name)
	within(p.t, name+" stands by for "+by, func() bool {
		return testkit.One[int](p.t, p.url(by), "SELECT count(*) FROM pg_stat_replication WHERE sync_state = 'sync'") == 1
	})
}

// synchronous has a primary wait for a standby; for none where it is "".
func (p *twoDatabases) synchronous(primary, standby string) {
	p.t.Helper()
	to := "''"
	if standby != "" {
		to = "'FIRST 1 (" + standby + ")'"
	}
	p.on(primary, "ALTER SYSTEM SET synchronous_standby_names = "+to)
	p.on(primary, "SELECT pg_reload_conf()")
}

// promote has a standby take over.
func (p *twoDatabases) promote(name string) {
	p.t.Helper()
	p.must("pg_ctl", "-D", p.data(name), "promote", "-w")
	p.synchronous(name, "")
}

// kill ends one of them without a word, with all that it has begun.
func (p *twoDatabases) kill(name string) {
	s := p.servers[name]
	if s.cmd == nil {
		return
	}
	// Its processes notice that it is gone, and end.
	_ = s.cmd.Process.Signal(syscall.SIGKILL)
	_ = s.cmd.Wait()
	s.cmd = nil
	within(p.t, "the processes of "+name+" have ended", func() bool {
		b, err := os.ReadFile(filepath.Join(p.data(name), "postmaster.pid"))
		lines := strings.Split(string(b), "\n")
		if err != nil || len(lines) < 7 {
			return true
		}
		key := strings.Fields(lines[6]) // of its shared memory, which nobody holds any more
		return len(key) < 2 || unheld(key[1])
	})
}

// unheld says whether nobody is attached to a System V shared memory segment.
func unheld(id string) bool {
	b, err := os.ReadFile("/proc/sysvipc/shm")
	if err != nil {
		return true
	}
	for line := range strings.Lines(string(b)) {
		if f := strings.Fields(line); len(f) > 6 && f[1] == id {
			return f[6] == "0"
		}
	}
	return true
}

// A balancer is Debian's haproxy before services, passing TCP through.
type balancer struct {
	t   *testing.T
	at  string
	cfg string
	cmd *exec.Cmd
}

func newBalancer(t *testing.T, services ...string) *balancer {
	t.Helper()
	if _, err := os.Stat("/usr/sbin/haproxy"); err != nil {
		t.Skip("there is no haproxy here; make setup installs it")
	}
	b := &balancer{t: t, at: testkit.FreeAddress(t), cfg: filepath.Join(t.TempDir(), "haproxy.cfg")}
	var text strings.Builder
	fmt.Fprintf(&text, `defaults
	mode tcp
	timeout connect 2s
	timeout client 2m
	timeout server 2m
	retries 2
	option redispatch
listen cirque
	bind %s
	option httpchk GET /readyz
	default-server check inter 200ms fall 2 rise 2 on-marked-down shutdown-sessions
`, b.at)
	for i, at := range services {
		fmt.Fprintf(&text, "\tserver s%d %s\n", i+1, at)
	}
	if err := os.WriteFile(b.cfg, []byte(text.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.kill)
	b.start()
	return b
}

func (b *balancer) start() {
	b.t.Helper()
	b.cmd = exec.Command("/usr/sbin/haproxy", "-db", "-q", "-f", b.cfg)
	if err := b.cmd.Start(); err != nil {
		b.t.Fatal(err)
	}
	within(b.t, "the balancer answers", func() bool {
		c, err := net.Dial("tcp", b.at)
		if err == nil {
			_ = c.Close()
		}
		return err == nil
	})
}

func (b *balancer) kill() {
	if b.cmd != nil {
		_ = b.cmd.Process.Kill()
		_ = b.cmd.Wait()
		b.cmd = nil
	}
}
