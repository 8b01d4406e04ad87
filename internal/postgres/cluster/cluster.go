// Package cluster runs Cirque's own PostgreSQL server in a directory: makes it, starts or adopts it, keeps it up, stops
// it. The server listens on a Unix socket only.
package cluster

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/fault"
	"cirque/internal/whole"
)

const (
	superuser   = "postgres"
	port        = 5432 // only names the socket
	maxSocket   = 107  // sun_path of unix(7), less the closing NUL
	startWithin = 45 * time.Second
	stopWithin  = 2 * time.Second
)

// Config says how to run the server.
type Config struct {
	Log *slog.Logger // nil discards
	// Throwaway trades safety for speed, for tests: no fsync, and the server ends with this process.
	Throwaway bool
}

// A Server is a running PostgreSQL server.
type Server struct {
	dir    string // holds data, run and log
	socket string
	bin    string
	user   *account // nil: runs as ourselves
	cfg    Config

	spent  bool  // its reserve was given up since
	isLean bool  // it takes no changes, since it lives on its reserve
	logged int64 // how long the log was before the server was started last

	mu   sync.Mutex
	exit chan struct{} // closed when the process that we started has ended; nil when adopted. Guarded by mu.
}

// Start makes the server in dir/postgres if it is not there, adopts it if it runs, starts it otherwise, and returns
// when it answers.
func Start(ctx context.Context, dir string, cfg Config) (*Server, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	abs, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{dir: filepath.Join(abs, "postgres"), cfg: cfg}
	if s.user, err = unprivileged(); err != nil {
		return nil, err
	}
	if err := s.mend(); err != nil {
		return nil, err
	}
	if s.bin, err = findServer(filepath.Join(s.dir, "data")); err != nil {
		return nil, err
	}
	if err := s.directories(abs); err != nil {
		return nil, err
	}
	if err := s.initialise(ctx); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, startWithin)
	defer cancel()
	if !cfg.Throwaway && s.free() < reserveSize/8 && !s.alive() && s.release() {
		s.cfg.Log.Error("the disk is full; the database is started on the room that is kept for that", "directory", s.dir)
	}
	if err := s.up(ctx); err != nil {
		return s, err
	}
	s.isLean = !cfg.Throwaway && s.readsOnly(ctx) // as an earlier start left it
	s.lean(ctx)
	return s, nil
}

// readsOnly says whether the server takes no changes.
func (s *Server) readsOnly(ctx context.Context) bool {
	conn, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return false
	}
	defer func() { _ = conn.Close(context.WithoutCancel(ctx)) }()
	var only bool
	_ = conn.QueryRow(ctx, "SELECT current_setting('default_transaction_read_only')::bool").Scan(&only)
	return only
}

// URL is the connection string for one of the server's databases.
func (s *Server) URL(database string) string {
	return fmt.Sprintf("host='%s' port=%d user=%s dbname=%s sslmode=disable", strings.ReplaceAll(s.socket, "'", `\'`),
		port, superuser, database)
}

// directories makes what the server needs and hands it to the account that runs it.
func (s *Server) directories(data string) error {
	if err := os.MkdirAll(data, 0o755); err != nil {
		return fault.New(fault.Invalid, "data-directory", "name a directory that this account may write",
			"the data directory %s cannot be made", data).Because(err)
	}
	if err := s.user.letThrough(data); err != nil {
		return err
	}
	if err := s.own(s.dir); err != nil {
		return err
	}
	if err := s.user.canEnter(s.dir); err != nil {
		return err
	}
	s.socket = s.socketDir()
	return s.own(s.socket)
}

// own makes a directory that only the database's account may enter, and refuses one that somebody else has made.
func (s *Server) own(dir string) error {
	uid, gid := os.Getuid(), os.Getgid()
	if s.user != nil {
		uid, gid = int(s.user.cred.Uid), int(s.user.cred.Gid)
	}
	if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
		return fault.New(fault.Invalid, "data-directory", "name a directory that this account may write", "%s cannot be made",
			dir).Because(err)
	}
	info, err := os.Lstat(dir)
	if err != nil {
		return err
	}
	owner := int(info.Sys().(*syscall.Stat_t).Uid)
	if !info.IsDir() || owner != uid && owner != os.Getuid() {
		return fault.New(fault.Invalid, "data-directory", fmt.Sprintf("chown -R it to uid %d, or name another "+
			"--data directory", uid),
			"%s belongs to another account (uid %d)", dir, owner)
	}
	if owner != uid {
		return os.Lchown(dir, uid, gid)
	}
	return nil
}

// initialise makes the cluster beside its place and moves it there whole, so that a broken attempt leaves nothing.
func (s *Server) initialise(ctx context.Context) error {
	data := filepath.Join(s.dir, "data")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err == nil {
		return nil
	}
	fresh := data + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	args := []string{"-D", fresh, "-U", superuser, "-E", "UTF8", "--locale=C.UTF-8", "--auth-local=trust",
		"--auth-host=reject"}
	if s.cfg.Throwaway {
		args = append(args, "--no-sync")
	}
	cmd := exec.CommandContext(ctx, filepath.Join(s.bin, "initdb"), args...)
	s.prepare(cmd)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fault.New(fault.Unavailable, "database-initdb", "see the cause", "the database could not be made in %s",
			data).Because(fmt.Errorf("%w: %s", err, strings.TrimSpace(string(out))))
	}
	if err := os.Rename(fresh, data); err != nil {
		return err
	}
	return whole.SyncDir(s.dir)
}

func (s *Server) prepare(cmd *exec.Cmd) {
	cmd.Dir = s.dir
	cmd.Env = []string{"LC_ALL=C.UTF-8", "TZ=UTC", "PATH=/usr/bin:/bin"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	if s.user != nil {
		cmd.SysProcAttr.Credential = s.user.cred
	}
}

func (s *Server) ping(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	return conn.Ping(ctx)
}

// starting says whether a process that we started is still there.
func (s *Server) starting() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.exit == nil {
		return false
	}
	select {
	case <-s.exit:
		return false
	default:
		return true
	}
}

// pid reads the server's process id, 0 where none is noted.
func (s *Server) pid() int {
	b, err := os.ReadFile(filepath.Join(s.dir, "data", "postmaster.pid"))
	if err != nil {
		return 0
	}
	first, _, _ := strings.Cut(string(b), "\n")
	pid, _ := strconv.Atoi(strings.TrimSpace(first))
	return pid
}

// alive says whether the noted process is a PostgreSQL server; a zombie or another program is none.
func (s *Server) alive() bool {
	pid := s.pid()
	if pid <= 1 {
		return false
	}
	name, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return syscall.Kill(pid, 0) == nil && !procFS()
	}
	stat := string(name)
	state := strings.TrimSpace(stat[strings.LastIndexByte(stat, ')')+1:])
	return strings.Contains(stat, "(postgres)") && !strings.HasPrefix(state, "Z")
}

func procFS() bool {
	_, err := os.Stat("/proc/self/stat")
	return err == nil
}

func (s *Server) spawn() error {
	log, err := os.OpenFile(filepath.Join(s.dir, "log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer func() { _ = log.Close() }()
	if s.logged, err = log.Seek(0, io.SeekEnd); err != nil {
		return err
	}
	args := []string{"-D", filepath.Join(s.dir, "data"), "-p", strconv.Itoa(port), "-k", s.socket, "-c",
		"listen_addresses=", "-c", "max_connections=60", "-c", "logging_collector=off"}
	if s.cfg.Throwaway {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off", "-c",
			"max_connections=200", "-c", "shared_buffers=64MB")
	}
	cmd := exec.Command(filepath.Join(s.bin, "postgres"), args...)
	s.prepare(cmd)
	cmd.Stdout, cmd.Stderr = log, log
	exit := make(chan struct{})
	started := make(chan error, 1)
	go run(cmd, s.cfg.Throwaway, started, exit)
	if err := <-started; err != nil {
		return fault.New(fault.Unavailable, "database-start", "check the PostgreSQL installation", "%s cannot be run",
			cmd.Path).Because(err)
	}
	s.mu.Lock()
	s.exit = exit
	s.mu.Unlock()
	return nil
}

func (s *Server) logTail() string {
	b, _ := os.ReadFile(filepath.Join(s.dir, "log"))
	lines := strings.Split(strings.TrimSpace(string(b)), "\n")
	return strings.Join(lines[max(0, len(lines)-3):], " | ")
}

// Stop ends the server cleanly, also one that was adopted, and waits until it is gone; one that has much to write down
// ends by itself afterwards, and the next start waits for it.
func (s *Server) Stop() error {
	pid := s.pid()
	if pid <= 1 || !s.alive() {
		return nil
	}
	if err := syscall.Kill(pid, syscall.SIGINT); err != nil { // "fast": ends sessions, writes a checkpoint
		return err
	}
	within := stopWithin
	if s.cfg.Throwaway {
		within = startWithin // its files are taken away next
	}
	for end := time.Now().Add(within); time.Now().Before(end); time.Sleep(5 * time.Millisecond) {
		if !s.starting() && !s.alive() {
			return nil
		}
	}
	s.cfg.Log.Warn("the database is still writing down what it holds, and ends by itself", "process", pid)
	return nil
}

// Oldest is the oldest major version that Cirque works with.
const Oldest = 15

// findServer gives the folder of the programs that fit the data: its own major version, else the newest.
func findServer(data string) (string, error) {
	found := map[int]string{}
	paths, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	for _, p := range paths {
		if v, err := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(p)))); err == nil {
			found[v] = filepath.Dir(p)
		}
	}
	var versions []int
	for v := range found {
		versions = append(versions, v)
	}
	slices.Sort(versions)
	if b, err := os.ReadFile(filepath.Join(data, "PG_VERSION")); err == nil {
		want, _ := strconv.Atoi(strings.TrimSpace(string(b)))
		if bin, ok := found[want]; ok {
			return bin, nil
		}
		return "", fault.New(fault.Unavailable, "database-version", fmt.Sprintf("install it (apt-get install "+
			"--no-install-recommends postgresql-%d), or move the data with pg_upgrade", want),
			"the database in %s was made by PostgreSQL %d, and installed here is %s", data, want, orNone(versions))
	}
	if len(versions) == 0 || versions[len(versions)-1] < Oldest {
		return "", fault.New(fault.Unavailable, "database-missing", "apt-get install --no-install-recommends postgresql, "+
			"or name a server with --database URL",
			"PostgreSQL %d or later is needed, and installed here is %s", Oldest, orNone(versions))
	}
	return found[versions[len(versions)-1]], nil
}

// Programs gives the major version of the programs by which a data directory's server would be run. A fault says that
// none here can.
func Programs(dir string) (major int, err error) {
	bin, err := findServer(filepath.Join(dir, "postgres", "data"))
	if err != nil {
		return 0, err
	}
	return strconv.Atoi(filepath.Base(filepath.Dir(bin)))
}

func orNone(versions []int) string {
	if len(versions) == 0 {
		return "none"
	}
	return strings.Trim(fmt.Sprint(versions), "[]")
}

// Attach reaches a server that another process runs in dir.
func Attach(ctx context.Context, dir string) (*Server, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{dir: filepath.Join(abs, "postgres"), cfg: Config{Log: slog.New(slog.DiscardHandler)}}
	s.socket = s.socketDir()
	if err := s.ping(ctx); err != nil {
		return nil, fault.New(fault.Unavailable, "database-unavailable", "run this as the account that runs the service, "+
			"and see that it runs", "the database in %s does not answer", dir).Because(err)
	}
	return s, nil
}

// socketDir is beside the data, or, where that path would be too long for a socket, in the temporary directory.
func (s *Server) socketDir() string {
	near := filepath.Join(s.dir, "run")
	if len(near)+len("/.s.PGSQL.5432") > maxSocket {
		return filepath.Join(os.TempDir(), fmt.Sprintf("cirque-%x", sha256.Sum256([]byte(s.dir)))[:24])
	}
	return near
}
