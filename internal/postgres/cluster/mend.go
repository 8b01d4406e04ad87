package cluster

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/internal/whole"
)

// catalogs are the catalog version numbers of major versions, by which a cluster without a version is known.
var catalogs = map[string]int{"202209061": 15, "202307071": 16, "202406281": 17, "202506291": 18}

// halfWritten is for how long an empty note of a server may be one that it is about to fill.
const halfWritten = 2 * time.Second

// mend puts right what a full disk, a power cut or a hand left of files whose content is known: PostgreSQL would refuse
// to start over each of them.
func (s *Server) mend() error {
	data := filepath.Join(s.dir, "data")
	info, err := os.Stat(data)
	if err != nil {
		return nil // there is none yet
	}
	if info.Mode().Perm()&0o027 != 0 {
		s.cfg.Log.Warn("the database's directory was open to others, and is closed to them again", "directory", data,
			"mode", fmt.Sprintf("%o", info.Mode().Perm()))
		if err := os.Chmod(data, 0o700); err != nil {
			return fault.New(fault.Invalid, "data-mode", "chmod 700 it", "%s is open to others (mode %o), and PostgreSQL does "+
				"not take that", data, info.Mode().Perm()).Because(err)
		}
	}
	if hollow(filepath.Join(data, "postmaster.pid"), halfWritten) {
		s.cfg.Log.Warn("the note of a server that never was is taken away", "file", filepath.Join(data, "postmaster.pid"))
		if err := os.Remove(filepath.Join(data, "postmaster.pid")); err != nil {
			return err
		}
	}
	if file := filepath.Join(data, "pg_hba.conf"); hollow(file, 0) {
		s.cfg.Log.Warn("an empty file is written anew", "file", file)
		if err := s.write(file, "local all all trust\n"); err != nil {
			return err
		}
	}
	return s.mendVersions(data)
}

// mendVersions writes the files anew that say of which version a cluster and its databases are.
func (s *Server) mendVersions(data string) error {
	files, _ := filepath.Glob(filepath.Join(data, "base", "*", "PG_VERSION"))
	files = slices.DeleteFunc(append(files, filepath.Join(data, "PG_VERSION")), func(f string) bool {
		return !hollow(f, 0)
	})
	if len(files) == 0 {
		return nil
	}
	version := 0
	if b, err := whole.Read(filepath.Join(data, "PG_VERSION")); err == nil {
		version, _ = strconv.Atoi(strings.TrimSpace(string(b)))
	}
	number := regexp.MustCompile(`Catalog version number:\s+(\d+)`)
	programs, _ := filepath.Glob("/usr/lib/postgresql/*/bin/pg_controldata")
	for _, program := range programs {
		if version > 0 {
			break
		}
		cmd := exec.Command(program, "-D", data)
		cmd.Env = []string{"LC_ALL=C"}
		out, err := cmd.Output()
		if found := number.FindSubmatch(out); err == nil && found != nil {
			version = catalogs[string(found[1])]
		}
	}
	if version == 0 {
		return fault.New(fault.Unavailable, "database-broken", "restore the data from a copy", "%s is empty, and of which "+
			"version the database is cannot be read from it", files[0])
	}
	for _, f := range files {
		s.cfg.Log.Warn("an empty file is written anew", "file", f, "version", version)
		if err := s.write(f, fmt.Sprintln(version)); err != nil {
			return err
		}
	}
	return nil
}

// write puts a file in place that belongs to whoever runs the database.
func (s *Server) write(file, text string) error {
	if err := whole.Write(file, []byte(text), 0o600); err != nil || s.user == nil {
		return err
	}
	return os.Chown(file, int(s.user.cred.Uid), int(s.user.cred.Gid))
}

// hollow says whether a file is there and has been empty for so long.
func hollow(file string, age time.Duration) bool {
	info, err := os.Stat(file)
	return err == nil && info.Size() == 0 && time.Since(info.ModTime()) >= age
}
