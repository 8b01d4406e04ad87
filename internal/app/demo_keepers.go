package app

import (
	"slices"

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
