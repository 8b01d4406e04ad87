package alerts

import (
	"context"
	"time"

	"cirque/core/estate"
	"cirque/core/server"
)

// keptFaults are of servers that Cirque keeps: what cannot be brought there, and agents that say nothing more.
func (s *Room) keptFaults(ctx context.Context, f *finder) error {
	if s.cfg.Kept == nil {
		return nil
	}
	list, err := s.cfg.Kept.Troubled(ctx)
	if err != nil {
		return err
	}
	doc := s.present.View().Document()
	for _, k := range list {
		where := ""
		if of := doc.Server(k.Server); of != nil {
			where = of.Location
		}
		if k.State == server.Silent {
			f.add(estate.AboutServers, "server "+k.Server+" unkept", k.Server, where, *k.LastSeen,
				"see that cirque-agent run --serve runs on "+k.Machine,
				"the agent on %s, which keeps the server %s, says nothing; it was last heard of on %s", k.Machine, k.Server,
				k.LastSeen.UTC().Format("2006-01-02 15:04 UTC"))
			continue
		}
		f.add(estate.AboutServers, "server "+k.Server+" failing", k.Server, where, time.Time{},
			"see what fails: cirque server kept "+k.Server, "the server %s is not as the estate wants it: %s", k.Server, k.Says)
	}
	return nil
}
