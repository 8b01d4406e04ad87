package testkit

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// Plug has the spooler find a printer plugged in, by a backend of the test's own: it tells of the device as the
// spooler's own backends do, and writes what is printed into a file, whose path Plug gives. The spooler starts anew.
func (s *UnixSpooler) Plug(uri, model, id string) (printed string) {
	s.t.Helper()
	bin, at := s.programs("cups-deviced"), filepath.Join(s.dir, "plugged")
	s.must(os.MkdirAll(at, 0o755))
	s.must(os.Chmod(at, 0o777)) // run as root, it sends as another account
	printed = filepath.Join(at, "printed")
	scheme, _, _ := strings.Cut(uri, ":")
	s.must(os.WriteFile(filepath.Join(bin, "backend", scheme), []byte(fmt.Sprintf(`#!/bin/sh
[ $# -eq 0 ] && { echo 'direct %s "%s" "%s" "%s" ""'; exit 0; }
cat "${6:--}" >> '%s'
`, uri, model, model, id, printed)), 0o755))
	s.Start()
	return printed
}
