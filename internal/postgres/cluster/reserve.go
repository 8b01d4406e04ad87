package cluster

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/jackc/pgx/v5"
)

// reserveSize is how much of the disk is kept for hard times: a server on a full disk cannot even start, since it has
// to write down that it did. Two segments of its log fit in.
const reserveSize = 32 << 20

func (s *Server) reserveFile() string { return filepath.Join(s.dir, "reserve") }

// free is how much room the disk has.
func (s *Server) free() int64 {
	var st syscall.Statfs_t
	if syscall.Statfs(s.dir, &st) != nil {
		return 0
	}
	return int64(st.Bavail) * st.Bsize
}

// reserve takes the reserve, where the disk has room enough beside it. It says whether it is there.
func (s *Server) reserve() bool {
	if info, err := os.Stat(s.reserveFile()); err == nil && info.Size() == reserveSize {
		return true
	}
	if s.free() < 2*reserveSize {
		return false
	}
	f, err := os.OpenFile(s.reserveFile(), os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return false
	}
	err = errors.Join(syscall.Fallocate(int(f.Fd()), 0, 0, reserveSize), f.Close())
	if err != nil {
		_ = os.Remove(s.reserveFile())
	}
	return err == nil
}

// release gives the reserve up, and says whether there was one.
func (s *Server) release() bool {
	err := os.Remove(s.reserveFile())
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		s.cfg.Log.Warn("the room that is kept for hard times could not be given up", "error", err)
	}
	s.spent = s.spent || err == nil
	return err == nil
}

// lean has the server take no changes while it lives on its reserve, so that it can start another time; and take them
// again once the disk has room.
func (s *Server) lean(ctx context.Context) {
	if s.cfg.Throwaway {
		return
	}
	want := !s.reserve() && (s.spent || s.isLean)
	if want == s.isLean {
		return
	}
	change := "ALTER SYSTEM RESET default_transaction_read_only"
	if want {
		change = "ALTER SYSTEM SET default_transaction_read_only = on"
	}
	conn, err := pgx.Connect(ctx, s.URL("postgres"))
	if err == nil {
		defer func() { _ = conn.Close(context.WithoutCancel(ctx)) }()
		for _, sql := range []string{"SET default_transaction_read_only = off", change, "SELECT pg_reload_conf()"} {
			if _, err = conn.Exec(ctx, sql); err != nil {
				break
			}
		}
	}
	switch {
	case err != nil && ctx.Err() == nil:
		s.cfg.Log.Warn("whether the database takes changes could not be set", "takes", !want, "error", err)
	case err == nil && want:
		s.cfg.Log.Error("the disk is full: the database takes no changes until there is room on it", "directory", s.dir)
	case err == nil:
		s.cfg.Log.Info("the disk has room: the database takes changes again", "directory", s.dir)
	}
	if err == nil {
		s.isLean, s.spent = want, false
	}
}

// noRoom says whether a server ended since the disk is full.
func (s *Server) noRoom() bool {
	b, err := os.ReadFile(filepath.Join(s.dir, "log"))
	if err != nil || int64(len(b)) < s.logged {
		return s.free() == 0
	}
	said := string(b[s.logged:])
	return s.free() < reserveSize/8 && (strings.Contains(said, "No space left on device") ||
		strings.Contains(said, "free disk space") || len(said) == 0)
}
