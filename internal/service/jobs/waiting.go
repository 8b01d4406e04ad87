package jobs

import (
	"context"
	"fmt"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/stock"
)

// WaitingJobs lists what waits on a server, whose it is, and what becomes of it: as it is now, or, where the server
// does not answer, as it told last.
func (s *Room) WaitingJobs(ctx context.Context, p *access.Principal, server string) (stock.Waiting, error) {
	out := stock.Waiting{Server: server, Jobs: []stock.WaitingJob{}}
	if err := access.Check(p, access.ReadStock); err != nil {
		return out, err
	}
	l, err := s.present.WatchedOne(stock.KindServer, server)
	if err != nil {
		return out, err
	}
	healths, err := s.store.Healths(ctx)
	if err != nil {
		return out, err
	}
	found := continuity.VerdictOf(s.present.Proven(healths), server)
	if s.cfg.Prober != nil && found != continuity.Gone {
		out.Now = s.cfg.Readings.Read(ctx, l) == nil
	}
	kept := s.present.Stock().Server(server)
	if kept.Server == nil {
		out.Now = false
		out.Says = "it has never been read, so what waits on it is not known"
		return out, nil
	}
	out.Now = out.Now && kept.Check.OK
	out.At = kept.Check.Answered
	out.Total = kept.Server.Count().Jobs
	out.Jobs = s.present.View().WaitingJobs(server, kept.Server, kept.Server.Waiting, found)
	at := ""
	if !out.Now && out.At != nil {
		at = ", as it told on " + out.At.UTC().Format("2006-01-02 15:04 UTC")
	}
	switch out.Total {
	case 0:
		out.Says = "nothing waits on it" + at
	case 1:
		out.Says = "1 job waits on it" + at
	default:
		out.Says = fmt.Sprintf("%d jobs wait on it%s", out.Total, at)
	}
	return out, nil
}
