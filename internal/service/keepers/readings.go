package keepers

import (
	"context"
	"slices"

	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/service/worker"
)

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "kept-readings", Run: s.readAfter}}
}

// stale notes that a server was read before its agent changed queues on it: until it is read again nobody would be led
// to what is new, and it would be compared as it was. before is what the agent said last, nil where it said nothing.
func (s *Room) stale(before *server.Record, r server.Report) {
	of := server.Keeping(s.present.View().Document(), r.Machine)
	if of == nil || r.Unread != "" {
		return
	}
	read := s.present.Stock().Server(of.Name).Server
	otherwise := before != nil && !server.SameQueues(before.Report.Found, r.Found)
	if read != nil {
		known, whole := read.Names()
		read := make(map[string]bool, len(known))
		for _, n := range known {
			read[n] = true
		}
		missing := slices.ContainsFunc(r.Found, func(f server.Found) bool { return !f.Private && !read[f.Name] })
		gone := whole && slices.ContainsFunc(r.Found, func(f server.Found) bool { return f.Own }) && len(known) > len(r.Found)
		if !missing && !gone && !otherwise {
			return
		}
	}
	select {
	case s.reread <- of.Name:
	default: // enough wait; the next report tells again
	}
}

// readAfter reads servers whose agents have changed them, one after another, until ctx is done.
func (s *Room) readAfter(ctx context.Context) error {
	for {
		select {
		case <-ctx.Done():
			return nil
		case called := <-s.reread:
			if l, err := s.present.WatchedOne(stock.KindServer, called); err == nil {
				_ = s.cfg.Readings.Read(ctx, l) // that it does not answer is told where servers are
			}
		}
	}
}
