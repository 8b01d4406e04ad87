package testkit

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	ippclient "cirque/internal/probe/ipp"
)

// A UnixSpooler is Debian's spooler on loopback, with all that it keeps in a folder of its own.
type UnixSpooler struct {
	Port   int
	Socket string // its local socket, over which the account that runs it may administer
	URI    string // ipp://127.0.0.1:PORT/

	t    testing.TB
	dir  string
	cmd  *exec.Cmd
	done chan error
}

// NewUnixSpooler starts one, and stops it when the test ends. Over TCP everybody may do everything where open says so,
// and nobody may administer else.
func NewUnixSpooler(t testing.TB, open bool) *UnixSpooler {
	t.Helper()
	if _, err := os.Stat(spoolerBin); err != nil {
		t.Fatal("Debian's spooler is not installed: apt-get install --no-install-recommends cups-daemon")
	}
	// Not below t.TempDir: its parents are closed to the account that the spooler falls back to.
	dir, err := os.MkdirTemp("", "cirque-spooler-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil { // run as root, it sends as another account
		t.Fatal(err)
	}
	for _, d := range []string{"spool/tmp", "cache", "state", "root/ppd", "log", "doc"} {
		if err := os.MkdirAll(filepath.Join(dir, d), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	_, port, _ := net.SplitHostPort(FreeAddress(t))
	s := &UnixSpooler{Socket: filepath.Join(dir, "socket"), URI: "ipp://127.0.0.1:" + port + "/", t: t, dir: dir}
	_, _ = fmt.Sscan(port, &s.Port)
	admin := "<Limit CUPS-Add-Modify-Printer CUPS-Delete-Printer CUPS-Set-Default>\nAuthType Default\nRequire user " +
		"@SYSTEM\nOrder deny,allow\n</Limit>\n"
	kind := "Basic"
	if open {
		admin, kind = "", "None"
	}
	group := "root"
	if os.Getuid() != 0 {
		group = fmt.Sprint(os.Getgid())
	}
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(strings.ReplaceAll(text, "DIR", dir)), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	// What changes is written at once, so that one that is killed has not forgotten.
	write("cupsd.conf", fmt.Sprintf("LogLevel warn\nListen 127.0.0.1:%s\nListen DIR/socket\nDirtyCleanInterval "+
		"0\nBrowsing Off\nDefaultAuthType %s\nWebInterface No\nPreserveJobHistory Yes\n<Location />\nOrder "+
		"allow,deny\nAllow all\n</Location>\n<Policy default>\nJobPrivateAccess all\nJobPrivateValues none\n%s<Limit "+
		"All>\nOrder deny,allow\nAllow all\n</Limit>\n</Policy>\n", port, kind, admin))
	write("cups-files.conf", "FileDevice Yes\nSystemGroup "+group+"\nServerRoot DIR/root\nRequestRoot "+
		"DIR/spool\nTempDir DIR/spool/tmp\nCacheDir DIR/cache\nStateDir DIR/state\nDocumentRoot DIR/doc\nAccessLog "+
		"DIR/log/access\nErrorLog DIR/log/error\nPageLog DIR/log/page\n")
	s.Start()
	t.Cleanup(func() { s.Stop(syscall.SIGTERM) })
	return s
}

const spoolerBin = "/usr/sbin/cupsd"

// Start runs it, after Stop as before.
func (s *UnixSpooler) Start() {
	s.t.Helper()
	out, err := os.Create(filepath.Join(s.dir, "out"))
	if err != nil {
		s.t.Fatal(err)
	}
	s.cmd = exec.Command(spoolerBin, "-f", "-c", filepath.Join(s.dir, "cupsd.conf"), "-s", filepath.Join(s.dir,
		"cups-files.conf"))
	s.cmd.Stdout, s.cmd.Stderr = out, out
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := s.cmd.Start(); err != nil {
		s.t.Fatal(err)
	}
	s.done = make(chan error, 1)
	go func(cmd *exec.Cmd, done chan error) { done <- cmd.Wait(); _ = out.Close() }(s.cmd, s.done)
	// another process, that tells nobody when it is ready
	for deadline := time.Now().Add(20 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		var conn net.Conn
		for _, at := range [][2]string{{"tcp", fmt.Sprintf("127.0.0.1:%d", s.Port)}, {"unix", s.Socket}} {
			if conn, err = net.Dial(at[0], at[1]); err != nil {
				break
			}
			_ = conn.Close()
		}
		if err == nil {
			return
		}
		if time.Now().After(deadline) {
			log, _ := os.ReadFile(filepath.Join(s.dir, "log/error"))
			s.t.Fatalf("the spooler does not come up: %v\n%s", err, log)
		}
	}
}

// Stop ends it with a signal, and with it its filters, which are of its own process group.
func (s *UnixSpooler) Stop(how syscall.Signal) {
	if s.cmd == nil {
		return
	}
	_ = syscall.Kill(-s.cmd.Process.Pid, how)
	select {
	case <-s.done:
	case <-time.After(10 * time.Second):
		_ = s.cmd.Process.Kill()
		<-s.done
	}
	s.cmd = nil
}

// SetUpByHand makes a queue as a person at the machine would.
func (s *UnixSpooler) SetUpByHand(ctx context.Context, queue, uri string) error {
	by, err := ippclient.NewSpooler(s.Socket)
	if err != nil {
		return err
	}
	return by.Set(ctx, ippclient.SpoolerQueue{Name: queue, Device: uri, Shared: true}, nil)
}

// Entry gives what the spooler has on disk of a queue, word for word.
func (s *UnixSpooler) Entry(queue string) string {
	s.t.Helper()
	b, err := os.ReadFile(filepath.Join(s.dir, "root/printers.conf"))
	if err != nil {
		s.t.Fatal(err)
	}
	_, entry, _ := strings.Cut(string(b), "Printer "+queue+">\n")
	entry, _, _ = strings.Cut(entry, "</Printer>\n")
	return entry
}
