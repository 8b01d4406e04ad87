package app

import (
	"cmp"
	"context"
	"path/filepath"
	"slices"
	"sync"

	"cirque/internal/agent"
	"cirque/internal/sim"
)

// demoKeepers opens the spoolers of the demo's print servers that agents keep, and has their stand-ins show what is in
// them.
func demoKeepers(dir string, keepers []sim.Keeper, printers *sim.Set) ([]*agent.StandInServer, error) {
	var out []*agent.StandInServer
	for _, k := range keepers {
		s, err := k.Open(dir)
		if err != nil {
			return nil, err
		}
		out = append(out, s)
		i := slices.IndexFunc(printers.Printers, func(p *sim.Printer) bool { return p.Name == k.Machine })
		printers.Printers[i].Follow = func() []sim.Queue { return sim.Shared(s) }
	}
	return out, nil
}

// crew runs the demo's agents until stop is called.
func (d *Demo) crew(ctx context.Context, o Options, sims standIns, kept []*agent.StandInServer) (stop func() error) {
	run, cancel := context.WithCancel(ctx)
	invite := sync.OnceValues(func() (string, error) { return d.invitation(run, len(sims.Endpoints)+len(kept)) })
	crew := sim.Crew{Service: cmp.Or(d.SecureURL, d.URL), Dir: filepath.Join(o.Data, "agents"), Reach: o.table,
		Invite: invite, Log: o.Log}
	var wg sync.WaitGroup
	wg.Go(func() {
		if err := crew.Run(run, sims.Endpoints); err != nil {
			o.Log.Error("the demo's agents do not run", "error", err)
		}
	})
	wg.Go(func() {
		if err := crew.Keep(run, sims.Keepers, kept); err != nil {
			o.Log.Error("the demo's agents of print servers do not run", "error", err)
		}
	})
	return func() error { cancel(); wg.Wait(); return nil }
}
