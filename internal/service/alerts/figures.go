package alerts

import (
	"context"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/live"
)

// Figures are what is measured of the service. What the database alone knows is left out while it is away.
type Figures struct {
	Waiting, Revision int
	Servers           map[string]float64  // the part of its people that each server of the estate takes
	Leading           map[string]int      // endpoints that lead to each
	Verdicts          []continuity.Health // without anything but the verdicts, and when they were checked
	BackedUp          time.Time           // zero where it never was
	Fleet             *endpoint.Sample    // the latest; nil where there is none of the last minutes
}

// MayMeasure says whether somebody may see the figures.
func (s *Room) MayMeasure(p *access.Principal) error { return access.Check(p, access.ReadFleet) }

// Figures reads them.
func (s *Room) Figures(ctx context.Context) Figures {
	snap := s.present.View()
	f := Figures{Waiting: s.present.Agents.Polls(), Revision: snap.Revision.Number,
		Servers: map[string]float64{}, Leading: map[string]int{}}
	for _, v := range snap.Document().Servers {
		f.Servers[v.Name], f.Leading[v.Name] = 0, 0
		if snap.World.Live.Server(v.Name) == live.Serving {
			f.Servers[v.Name] = snap.World.Live.Share(v.Name)
		}
	}
	leading, err := s.cfg.Fleet.Leading(ctx)
	if err == nil {
		for name, n := range leading {
			if _, there := f.Leading[name]; there {
				f.Leading[name] = n[0]
			}
		}
		f.Verdicts, err = s.store.Verdicts(ctx)
		f.Verdicts = s.present.Proven(f.Verdicts)
	}
	if err == nil {
		var list []endpoint.Sample
		if list, err = s.store.Samples(ctx, s.now().Add(-5*endpoint.SampleEvery)); err == nil && len(list) > 0 {
			f.Fleet = &list[len(list)-1]
		}
	}
	if err == nil {
		f.BackedUp, err = s.store.BackedUp(ctx)
	}
	if err != nil && ctx.Err() == nil {
		s.log.Warn("figures could not be read", "error", err)
	}
	return f
}
