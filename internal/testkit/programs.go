package testkit

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"
)

// program gives a program of the spooler's whole package: the system's, or that of make setup.
func program(t testing.TB, name string) string {
	t.Helper()
	at := "usr/lib/cups/daemon/" + name
	if _, err := os.Stat("/" + at); err == nil {
		return "/" + at
	}
	dir, err := os.Getwd()
	for ; err == nil && dir != "/"; dir = filepath.Dir(dir) {
		if f := filepath.Join(dir, ".bin/spooler", at); isFile(f) {
			return f
		}
	}
	t.Fatalf("the spooler lacks %s: make setup", name)
	return ""
}

func isFile(at string) bool {
	s, err := os.Stat(at)
	return err == nil && s.Mode().IsRegular()
}

// programs stops the spooler and gives it a folder of programs of its own, with some of the whole package.
func (s *UnixSpooler) programs(names ...string) (bin string) {
	s.t.Helper()
	s.Stop(syscall.SIGTERM)
	bin = filepath.Join(s.dir, "bin")
	s.must(os.MkdirAll(filepath.Join(bin, "backend"), 0o755))
	s.must(os.MkdirAll(filepath.Join(bin, "daemon"), 0o755))
	s.must(os.Symlink("/usr/lib/cups/notifier", filepath.Join(bin, "notifier")))
	s.must(os.Symlink("/usr/lib/cups/daemon/cups-exec", filepath.Join(bin, "daemon", "cups-exec")))
	for _, n := range names {
		s.must(os.Symlink(program(s.t, n), filepath.Join(bin, "daemon", n)))
	}
	s.configure("ServerBin " + bin)
	return bin
}

// configure adds a line to what says where the spooler's files are.
func (s *UnixSpooler) configure(line string) {
	s.t.Helper()
	conf := filepath.Join(s.dir, "cups-files.conf")
	b, err := os.ReadFile(conf)
	s.must(err)
	s.must(os.WriteFile(conf, append(b, line+"\n"...), 0o644))
}

func (s *UnixSpooler) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}
