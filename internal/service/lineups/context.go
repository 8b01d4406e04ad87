package lineups

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/lineup"
)

// Complete adds to a context what is known of its machine, and says which of its names nobody knows. Who may ask only
// for themselves is told of machines on which they sit.
func (s *Room) Complete(ctx context.Context, p *access.Principal, q lineup.Query) (endpoint.Supplied, error) {
	v := s.present.View()
	if err := s.mayAsk(ctx, p, q); err != nil {
		return endpoint.Supplied{}, err
	}
	if _, err := q.Context(s.now()); err != nil {
		return endpoint.Supplied{}, err
	}
	k, err := s.supplier(ctx)
	if err != nil {
		return endpoint.Supplied{}, err
	}
	any := access.Check(p, access.AskAny) == nil
	if !any {
		reported := k.Reported
		k.Reported = func(machine string) *endpoint.Record {
			r := reported(machine)
			if r != nil && p.Role != access.Agent && !slices.ContainsFunc(r.Report.Contexts, func(c lineup.Query) bool {
				return c.User != nil && v.IsPerson(p, *c.User)
			}) {
				return nil
			}
			return r
		}
	}
	out := k.Supply(q)
	if !any {
		out.Unknown = []endpoint.Unknown{} // near names are others'
	}
	return out, nil
}

// KnownPerson gives an Unknown fault, with names that may have been meant, for a person whom neither the directory nor
// any endpoint knows.
func (s *Room) KnownPerson(ctx context.Context, called string) error {
	k, err := s.supplier(ctx)
	if err != nil {
		return err
	}
	return k.CheckUser(called)
}

// KnownMachine is KnownPerson for a machine.
func (s *Room) KnownMachine(ctx context.Context, called string) error {
	k, err := s.supplier(ctx)
	if err != nil {
		return err
	}
	return k.CheckMachine(called)
}

func (s *Room) supplier(ctx context.Context) (endpoint.Supplier, error) {
	reported, err := s.cfg.Fleet.Reported(ctx)
	if err != nil {
		return endpoint.Supplier{}, err
	}
	return endpoint.Supplier{World: s.present.View().World,
		Reported: func(machine string) *endpoint.Record {
			if j := reported(machine); j != nil {
				r := j.Record()
				return &r
			}
			return nil
		},
		Seen: func(user string) bool {
			list, err := s.cfg.Fleet.OfUsers(ctx, []string{user})
			return err == nil && len(list) > 0
		}}, nil
}
