package stock

import (
	"context"
	"slices"
	"sync"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
)

// TestLines tries the way from here to a server, a device, or each member of a set: the name, and the ports. It sends
// nothing, and keeps nothing.
func TestLines(ctx context.Context, s *Room, p *access.Principal, kind, name string) ([]stock.Line, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return nil, err
	}
	if s.cfg.Prober == nil {
		return nil, fault.New(fault.Unavailable, "no-probing", "start the service with probing", "this service reads no "+
			"servers and devices")
	}
	names := []string{name}
	if kind == "set" {
		kind = stock.KindServer
		sets := s.present.View().Document().ServerSets
		i := slices.IndexFunc(sets, func(o estate.ServerSet) bool { return o.Name == name })
		if i < 0 {
			return nil, fault.New(fault.Unknown, "set-unknown", "see cirque server set", "there is no server set %q", name)
		}
		names = sets[i].Members
	}
	out := make([]stock.Line, 0, len(names))
	for _, n := range names {
		l, err := s.present.WatchedOne(kind, n)
		if err != nil {
			return nil, err
		}
		if err := l.OnNetwork(); err != nil {
			return nil, err
		}
		out = append(out, stock.NewLine(kind, l.Name, l.URI))
	}
	var all sync.WaitGroup
	for i := range out {
		all.Go(func() { out[i] = s.cfg.Prober.TestLine(ctx, out[i]) })
	}
	all.Wait()
	return out, ctx.Err()
}
