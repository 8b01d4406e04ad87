package agent

import (
	"cirque/core/name"
	"cirque/internal/winspool"
)

// sessionsBy reads the sessions of Windows' terminal services: at the machine itself, or from another computer, then
// remote on a machine that serves sessions and virtual on one that is one person's. A session that is not connected to
// anything prints to what it had.
func sessionsBy(list []winspool.Session, serves bool) []Session {
	out := []Session{}
	seen := map[placed]bool{}
	for _, s := range list {
		one := Session{User: s.User}
		if s.Protocol != winspool.ProtocolConsole && s.Client != "" {
			one.Kind, one.Machine = "virtual", s.Client
			if serves {
				one.Kind = "remote"
			}
			if s.Address != "" {
				one.Addresses = []string{s.Address}
			}
		}
		k := placed{name.Fold(one.User), one.Kind, name.Fold(one.Machine)}
		if s.User == "" || seen[k] {
			continue
		}
		seen[k] = true
		out = append(out, one)
	}
	return out
}

// placed tells sessions apart.
type placed struct{ user, kind, machine string }
