package places

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"runtime/debug"
	"sync/atomic"
	"time"

	"cirque/core/driver"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/worker"
)

// work fetches what is asked for, one archive at a time, and looks at places that are due, until ctx is done or the
// database is away.
func (s *Room) work(ctx context.Context) error {
	notices, stop := s.cfg.Present.Hub.Subscribe(event.Places)
	defer stop()
	for ctx.Err() == nil {
		f, err := s.store.BeginFetch(ctx)
		if err != nil {
			return err
		}
		if f != nil {
			if err := s.fetch(ctx, *f); err != nil {
				return err
			}
			continue
		}
		next, err := s.lookAtDue(ctx)
		if err != nil {
			return err
		}
		t := time.NewTimer(min(max(next, time.Second), time.Minute))
		select {
		case <-ctx.Done():
		case <-notices:
		case <-t.C:
		}
		t.Stop()
	}
	return nil
}

// lookAtDue looks at the place that has waited longest, if it is due, and says when the next is.
func (s *Room) lookAtDue(ctx context.Context) (next time.Duration, err error) {
	list, err := s.store.Places(ctx)
	if err != nil {
		return 0, err
	}
	var due *driver.PlaceView
	for i := range list {
		if due == nil || list[i].Look.Tried.Before(due.Look.Tried) {
			due = &list[i]
		}
	}
	if due == nil {
		return time.Minute, nil
	}
	if wait := driver.LookEvery - s.cfg.Now().Sub(due.Look.Tried); wait > 0 {
		return wait, nil
	}
	_, err = s.lookAgain(ctx, *due, "schedule")
	return 0, err
}

// fetch fetches one archive and keeps what came of it. Its error is the database's.
func (s *Room) fetch(ctx context.Context, f driver.Fetch) error {
	during, cancel := context.WithCancel(ctx)
	defer cancel()
	var got, total atomic.Int64
	f.State, f.Got, f.Total = driver.FetchRunning, 0, 0
	save := func() error {
		now := f
		now.Got, now.Total = got.Load(), total.Load()
		stop, err := s.store.SaveFetch(ctx, now)
		if stop {
			cancel()
		}
		return err
	}
	if err := save(); err != nil {
		return err
	}
	end := worker.Beat(500*time.Millisecond, func() {
		if err := save(); err != nil && ctx.Err() == nil {
			s.cfg.Log.Warn("the progress of what is fetched could not be kept", "place", f.Place, "error", err)
		}
	})
	pkg, known, err := s.take(during, f, func(a, b int64) { got.Store(a); total.Store(b) })
	end()
	if ctx.Err() != nil {
		return nil // another process begins it anew
	}
	f.Got, f.Total = got.Load(), total.Load()
	switch fe := fault.As(err); {
	case err != nil && during.Err() != nil:
		f.State, f.Says = driver.FetchStopped, "it was stopped, and nothing of it was kept"
	case err != nil:
		f.State, f.Code, f.Says, f.Fix, f.Details = driver.FetchFailed, fe.Code, fe.What, fe.Fix, fe.Details
	default:
		pkg.Files = nil
		f.State, f.Package, f.Known = driver.FetchDone, &pkg, known
	}
	_, err = s.store.SaveFetch(ctx, f)
	return err
}

// take fetches an archive, holds it against its checksum, and has it kept.
func (s *Room) take(ctx context.Context, f driver.Fetch, tell func(got, total int64)) (p driver.Package, known bool,
	err error) {
	defer func() { // an archive that nobody thought of is not to be tried again for ever
		if v := recover(); v != nil {
			s.cfg.Log.Error("an archive cannot be taken in", "place", f.Place, "file", f.File, "value", v, "stack",
				string(debug.Stack()))
			err = fault.New(fault.Internal, "package-refused", "see the log, and leave it where it is",
				"%s cannot be taken in",
				f.File)
		}
	}()
	v, err := s.place(ctx, f.Place)
	if err != nil {
		return p, false, err
	}
	b, err := s.cfg.Ways.Archive(ctx, v.Place, f.File, tell)
	if err != nil {
		return p, false, err
	}
	sum := sha256.Sum256(b)
	if is := hex.EncodeToString(sum[:]); f.SHA256 == "" {
		f.SHA256 = is // a spooler tells of none
	} else if is != f.SHA256 {
		return p, false, fault.New(fault.Invalid, "checksum-differs", "look at the place again, and fetch it again; if it "+
			"stays so, ask whoever keeps the place", "%s of %s is not what its checksum says: nothing of it is kept", f.File,
			f.Place)
	}
	return s.cfg.Packages.TakePackage(ctx, f.Author, f.Name, "", b, driver.Archive{SHA256: f.SHA256, Place: f.Place,
		File: f.File}, f.Dry)
}
