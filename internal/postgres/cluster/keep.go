package cluster

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"cirque/core/fault"
)

// up returns once the server answers, adopting a running one and starting it where none runs. A server that ends by
// itself says why: that is told at once, unless it only waits for an earlier one to be gone.
func (s *Server) up(ctx context.Context) error {
	var last error
	spawned := false
	for {
		if last = s.ping(ctx); last == nil {
			return nil
		}
		pause := 20 * time.Millisecond
		if !s.starting() && !s.alive() {
			if spawned {
				if s.noRoom() && s.release() {
					s.cfg.Log.Error("the disk is full; the database is started on the room that is kept for that", "directory", s.dir)
					spawned = false
					continue
				}
				if why := s.reason(); why != "" && !s.passing(why) {
					return fault.New(fault.Unavailable, "database-start", "mend that; its log is "+filepath.Join(s.dir, "log"),
						"the database in %s does not start: %s", s.dir, why).Because(last)
				}
				pause = 250 * time.Millisecond
				if err := s.mend(); err != nil {
					return err
				}
			}
			if err := s.spawn(); err != nil {
				return err
			}
			spawned = true
		}
		select {
		case <-ctx.Done():
			return fault.New(fault.Unavailable, "database-start", "read "+filepath.Join(s.dir, "log"),
				"the database in %s does not start", s.dir).Because(fmt.Errorf("%w; %s", last, s.logTail()))
		case <-time.After(pause):
		}
	}
}

// reason gives what the server that was started last wrote before it ended, in its own words; "" where it wrote
// nothing of the kind.
func (s *Server) reason() string {
	b, err := os.ReadFile(filepath.Join(s.dir, "log"))
	if err != nil || int64(len(b)) < s.logged {
		return ""
	}
	why := ""
	for line := range strings.Lines(string(b[s.logged:])) {
		for _, kind := range []string{"FATAL:", "PANIC:", "postgres:"} {
			_, text, ok := strings.Cut(line, kind)
			// What it tells those who ask meanwhile is no reason.
			if text = strings.TrimSpace(text); ok && !strings.HasPrefix(text, "the database system is ") {
				why = text
			}
		}
		if why == "" {
			continue
		}
		for _, kind := range []string{"DETAIL:", "HINT:"} {
			if _, text, ok := strings.Cut(line, kind); ok {
				return why + "; " + strings.TrimSuffix(strings.TrimSpace(text), ".")
			}
		}
	}
	return why
}

// passing says whether a server ended for a reason that passes by itself: another one has not quite gone.
func (s *Server) passing(why string) bool {
	if strings.Contains(why, "postmaster.pid") && hollow(filepath.Join(s.dir, "data", "postmaster.pid"), 0) {
		return true // it is taken away once it is certain that nobody fills it
	}
	for _, part := range []string{"already exists", "is empty", "shared memory block", "could not bind",
		"could not create any Unix-domain"} {
		if strings.Contains(why, part) {
			return true
		}
	}
	return false
}

// Keep starts the server again whenever it has ended, until ctx is done. Where it does not start, that is told once,
// and tried again after a while that grows.
func (s *Server) Keep(ctx context.Context) {
	const shortest, longest = 500 * time.Millisecond, 15 * time.Second
	wait, told := shortest, ""
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		if s.starting() || s.alive() {
			wait, told = shortest, ""
			s.lean(ctx)
			continue
		}
		if told == "" {
			s.cfg.Log.Warn("the database has ended; starting it again")
		}
		again, cancel := context.WithTimeout(ctx, startWithin)
		err := s.mend()
		if err == nil {
			err = s.up(again)
		}
		cancel()
		switch {
		case err == nil:
			wait, told = shortest, ""
		case ctx.Err() == nil:
			if f := fault.As(err); f.What != told {
				told = f.What
				s.cfg.Log.Error("the database does not start; it is tried again", "error", err)
			}
			wait = min(2*wait, longest)
		}
	}
}
