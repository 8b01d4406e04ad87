package testkit

import (
	"os"
	"path/filepath"
)

// BringAlong has the spooler bring descriptions of printers (PPD) along, by the names of their files. It starts anew.
func (s *UnixSpooler) BringAlong(descriptions map[string]string) {
	s.t.Helper()
	s.programs("cups-driverd")
	data := filepath.Join(s.dir, "data")
	s.must(os.MkdirAll(filepath.Join(data, "model"), 0o755))
	s.must(os.Symlink("/usr/share/cups/mime", filepath.Join(data, "mime")))
	for name, text := range descriptions {
		s.must(os.WriteFile(filepath.Join(data, "model", name), []byte(text), 0o644))
	}
	s.configure("DataDir " + data)
	s.Start()
}
