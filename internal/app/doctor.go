package app

import (
	"context"
	"os"
	"path/filepath"
	"sync/atomic"
	"syscall"
	"time"

	"cirque/core/readiness"
	"cirque/internal/postgres"
)

// A doctor looks how the database and the disk of the service's own files do.
type doctor struct {
	store   *postgres.Store
	data    string
	process string
	started time.Time
	keys    atomic.Pointer[func() []string] // that this process has, by name; nil before it has any
	leased  atomic.Pointer[func() []string] // the workers that somebody has to do; nil before there are any
}

// Look looks at the database.
func (d *doctor) Look(ctx context.Context, room bool) (readiness.Database, error) {
	l := postgres.Look{Process: d.process, Started: d.started, Version: Version, Room: room}
	if f := d.keys.Load(); f != nil {
		l.Keys = (*f)()
	}
	if f := d.leased.Load(); f != nil {
		l.Leased = (*f)()
	}
	return d.store.Look(ctx, l)
}

// Disk looks at the data directory.
func (d *doctor) Disk() (dir string, free int64, failed string) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(d.data, &st); err != nil {
		return d.data, 0, err.Error()
	}
	f, err := os.CreateTemp(d.data, ".room-*")
	if err == nil {
		_, err = f.Write(make([]byte, 4096))
		_ = f.Close()
		_ = os.Remove(f.Name())
	}
	if err != nil {
		failed = err.Error()
	}
	return filepath.Clean(d.data), int64(st.Bavail) * st.Bsize, failed
}
