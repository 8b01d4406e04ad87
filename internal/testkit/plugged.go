package testkit

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

// finder gives the spooler's program that asks its backends what they find: the system's, or that of make setup.
func finder(t testing.TB) string {
	t.Helper()
	const at = "usr/lib/cups/daemon/cups-deviced"
	if _, err := os.Stat("/" + at); err == nil {
		return "/" + at
	}
	dir, err := os.Getwd()
	for ; err == nil && dir != "/"; dir = filepath.Dir(dir) {
		if f := filepath.Join(dir, ".bin/spooler", at); isFile(f) {
			return f
		}
	}
	t.Fatal("the spooler cannot look what is plugged in: make setup")
	return ""
}

func isFile(at string) bool {
	s, err := os.Stat(at)
	return err == nil && s.Mode().IsRegular()
}

// Plug has the spooler find a printer plugged in, by a backend of the test's own: it tells of the device as the
// spooler's own backends do, and writes what is printed into a file, whose path Plug gives. The spooler starts anew.
func (s *UnixSpooler) Plug(uri, model, id string) (printed string) {
	s.t.Helper()
	s.Stop(syscall.SIGTERM)
	must := func(err error) {
		s.t.Helper()
		if err != nil {
			s.t.Fatal(err)
		}
	}
	bin, at := filepath.Join(s.dir, "bin"), filepath.Join(s.dir, "plugged")
	must(os.MkdirAll(filepath.Join(bin, "backend"), 0o755))
	must(os.MkdirAll(at, 0o755))
	must(os.Chmod(at, 0o777)) // run as root, it sends as another account
	must(os.MkdirAll(filepath.Join(bin, "daemon"), 0o755))
	must(os.Symlink("/usr/lib/cups/notifier", filepath.Join(bin, "notifier")))
	must(os.Symlink("/usr/lib/cups/daemon/cups-exec", filepath.Join(bin, "daemon", "cups-exec")))
	must(os.Symlink(finder(s.t), filepath.Join(bin, "daemon", "cups-deviced")))
	printed = filepath.Join(at, "printed")
	scheme, _, _ := strings.Cut(uri, ":")
	must(os.WriteFile(filepath.Join(bin, "backend", scheme), []byte(fmt.Sprintf(`#!/bin/sh
[ $# -eq 0 ] && { echo 'direct %s "%s" "%s" "%s" ""'; exit 0; }
cat "${6:--}" >> '%s'
`, uri, model, model, id, printed)), 0o755))
	conf := filepath.Join(s.dir, "cups-files.conf")
	b, err := os.ReadFile(conf)
	must(err)
	must(os.WriteFile(conf, append(b, "ServerBin "+bin+"\n"...), 0o644))
	s.Start()
	return printed
}
