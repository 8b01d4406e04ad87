package fleet

import (
	"context"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fault"
)

// Identities tries whom a machine's agent would take somebody for who signs in there: one sign-in name, or those of its
// last report. The machine need not have reported, or be known at all.
func Identities(ctx context.Context, s *Room, p *access.Principal, machine, login string) ([]endpoint.Identity, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	rec, err := s.store.Endpoint(ctx, machine)
	if err != nil && !fault.Is(err, fault.Unknown) {
		return nil, err
	}
	logins := []string{login}
	if login == "" {
		logins = nil
		for _, l := range rec.Report.Logins {
			logins = append(logins, l.System)
		}
	}
	if len(logins) == 0 {
		return nil, fault.New(fault.Invalid, "no-login", "say which sign-in name (login) is to be tried",
			"nobody is reported as signed in at %s", machine)
	}
	w := s.present.View().World
	out := make([]endpoint.Identity, 0, len(logins))
	for _, l := range logins {
		out = append(out, endpoint.Identify(w.Directory, w.Estate.Document().Agent().UserFrom, machine, l, rec.Report))
	}
	return out, nil
}
