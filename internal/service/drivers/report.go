package drivers

import (
	"context"
	"slices"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
)

// DriverReport compares drivers, queues, machines and packages.
func (s *Room) DriverReport(ctx context.Context, p *access.Principal) (driver.Report, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return driver.Report{}, err
	}
	snap, st := s.present.View(), s.present.Stock()
	doc := snap.Document()
	demand, err := s.demand(ctx, snap)
	if err != nil {
		return driver.Report{}, err
	}
	out := driver.Report{Holdings: driver.Holdings(doc, st.Packages), Generic: []string{}, Unused: []string{}}
	out.Matrix = driver.Matrix(doc, s.present.View().Platforms(doc), out.Holdings, func(queue, platform string) int {
		return demand[rehearse.Wish{Queue: queue, Platform: platform}]
	})
	out.Unused, out.Superseded = driver.Unused(st.Packages, out.Holdings), driver.Superseded(st.Packages, out.Holdings)
	if out.Trouble, err = s.trouble(ctx, doc, out.Holdings); err != nil {
		return out, err
	}
	for _, q := range doc.Queues {
		if len(q.Drivers) > 0 || q.Retired || len(q.Devices) != 1 {
			continue
		}
		if r := st.Device(q.Devices[0]).Device; r != nil && r.Model != "" &&
			len(driver.ForModel(st.Packages, r.Model)) > 0 {
			out.Generic = append(out.Generic, q.Name)
		}
	}
	return out, nil
}

// trouble lists what endpoints could not install with a driver that is not driverless.
func (s *Room) trouble(ctx context.Context, doc *estate.Document,
	holdings []driver.Holding) ([]driver.Trouble, error) {
	out := []driver.Trouble{}
	all, err := s.cfg.Fleet.WithFailures(ctx)
	if err != nil {
		return out, err
	}
	known := map[string]driver.Holding{}
	for _, h := range holdings {
		known[h.Driver] = h
	}
	for _, e := range all {
		r := e.Report()
		remote := slices.ContainsFunc(r.Contexts, func(c lineup.Query) bool { return c.Host != nil })
		for _, f := range r.Failures {
			q, ok := doc.Find(estate.Ref{List: "queues", Name: f.Queue}).(*estate.Queue)
			if !ok || q == nil || f.Step != "add" && f.Step != "change" {
				continue
			}
			if d := driver.Choose(*q, r.Platform, known); d != "" && d != estate.Driverless {
				out = append(out, driver.Trouble{Driver: d, Exact: known[d].Exact, Machine: r.Machine, Queue: f.Queue,
					Says: f.Says, Since: f.Since, Remote: remote})
			}
		}
	}
	return out, nil
}

// demandFresh is how long what demand counted is good, where endpoints may have reported since.
const demandFresh = time.Minute

// demand counts who receives which queue on which platform, once for an estate and a directory: it looks at everybody.
func (s *Room) demand(ctx context.Context, snap *present.View) (rehearse.Demand, error) {
	s.wanted.Lock()
	defer s.wanted.Unlock()
	if w := &s.wanted; w.demand != nil && w.estate == snap.World.Estate && w.directory == snap.World.Directory &&
		s.now().Sub(w.made) < demandFresh {
		return w.demand, nil
	}
	cases, err := s.cfg.Cases.Cases(ctx, snap)
	if err != nil {
		return nil, err
	}
	now, all := s.now().UTC(), rehearse.Demand{}
	if err := s.present.Crew.Share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		scratch := new(lineup.Scratch)
		return func(from, to int) func() {
			part := rehearse.Wanted(snap.World, cases.List, now, from, to, scratch)
			return func() { all.Add(part) }
		}
	}); err != nil {
		return nil, err
	}
	s.wanted.demand, s.wanted.estate, s.wanted.directory, s.wanted.made = all, snap.World.Estate,
		snap.World.Directory, s.now()
	return all, nil
}

// wanted keeps what demand counted last.
type wanted struct {
	sync.Mutex
	demand    rehearse.Demand // nil before the first time
	estate    *lineup.Estate
	directory *directory.Directory
	made      time.Time
}
