package testkit

import (
	"cirque/internal/sim"

	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// A Rsyslogd is Debian's log server on loopback, which takes RFC 5425.
type Rsyslogd struct {
	Target string // tls://127.0.0.1:PORT
	CA     string // the authority of its certificate, PEM

	t    testing.TB
	dir  string
	cmd  *exec.Cmd
	done chan error
}

// NewRsyslogd starts one, and stops it when the test ends.
func NewRsyslogd(t testing.TB) *Rsyslogd {
	t.Helper()
	if _, err := os.Stat("/usr/sbin/rsyslogd"); err != nil {
		t.Fatal("Debian's log server is not installed: apt-get install --no-install-recommends rsyslog rsyslog-gnutls")
	}
	dir, err := os.MkdirTemp("", "cirque-rsyslogd-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	cert, key, err := sim.SelfSigned("127.0.0.1")
	if err != nil {
		t.Fatal(err)
	}
	r := &Rsyslogd{CA: cert, t: t, dir: dir}
	conf := strings.ReplaceAll(`global(workDirectory="DIR" maxMessageSize="64k" defaultNetstreamDriver="gtls"
  defaultNetstreamDriverCAFile="DIR/cert.pem" defaultNetstreamDriverCertFile="DIR/cert.pem"
  defaultNetstreamDriverKeyFile="DIR/key.pem")
module(load="imtcp" streamDriver.name="gtls" streamDriver.mode="1" streamDriver.authMode="anon")
input(type="imtcp" port="0" address="127.0.0.1" listenPortFileName="DIR/port")
template(name="kept" type="string"
  string="%syslogfacility-text% %syslogseverity-text% %hostname% %app-name% %msgid% %structured-data%|%msg%\n")
action(type="omfile" file="DIR/log" template="kept" flushOnTXEnd="on")
`, "DIR", dir)
	for name, text := range map[string]string{"conf": conf, "cert.pem": cert, "key.pem": key} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	r.start()
	t.Cleanup(func() { r.Stop() })
	port, err := os.ReadFile(filepath.Join(dir, "port"))
	if err != nil {
		t.Fatal(err)
	}
	r.Target = "tls://127.0.0.1:" + strings.TrimSpace(string(port))
	return r
}

func (r *Rsyslogd) start() {
	r.t.Helper()
	r.cmd = exec.Command("/usr/sbin/rsyslogd", "-n", "-f", filepath.Join(r.dir, "conf"), "-i", filepath.Join(r.dir, "pid"))
	var says strings.Builder
	r.cmd.Stderr = &says
	r.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	if err := r.cmd.Start(); err != nil {
		r.t.Fatal(err)
	}
	r.done = make(chan error, 1)
	go func() { r.done <- r.cmd.Wait() }()
	for begin := time.Now(); time.Since(begin) < time.Minute; time.Sleep(20 * time.Millisecond) {
		if b, err := os.ReadFile(filepath.Join(r.dir, "port")); err == nil && len(b) > 0 {
			return
		}
	}
	r.t.Fatal("the log server does not listen:", says.String())
}

// Stop ends it.
func (r *Rsyslogd) Stop() {
	if r.cmd == nil {
		return
	}
	_ = r.cmd.Process.Signal(syscall.SIGTERM)
	<-r.done
	r.cmd = nil
}

// Lines are what it has kept.
func (r *Rsyslogd) Lines() []string {
	b, _ := os.ReadFile(filepath.Join(r.dir, "log")) // there is none before the first
	return strings.Split(strings.TrimSpace(string(b)), "\n")
}
