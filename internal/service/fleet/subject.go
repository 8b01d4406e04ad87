package fleet

import (
	"context"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/name"
)

// Subject tells everything about a user or a machine. One that nothing knows is an Unknown fault.
func (s *Room) Subject(ctx context.Context, p *access.Principal, kind, called string) (endpoint.Subject, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return endpoint.Subject{}, err
	}
	w := s.present.View().World
	out := endpoint.Subject{Kind: kind, Name: called, Groups: lineup.Memberships(w.Directory, kind, called),
		Holdings: w.Holdings(kind, called), Endpoints: []endpoint.Presence{}}
	names := []string{called}
	if kind == "user" {
		names = s.present.View().NamesOf(called)
		if u, ok := w.Directory.Person(called); ok {
			out.Known, out.User, out.Name, out.Names = true, &u, u.Name, w.Directory.Ties(w.Directory.UserID(name.Fold(called)))
		}
	} else {
		if m, ok := w.Directory.Machine(called); ok {
			out.Known, out.Machine, out.Name = true, &m, m.Name
		}
		stations := w.Estate.Document().Stations
		if i := slices.IndexFunc(stations, func(st estate.Station) bool {
			return name.Fold(st.Name) == name.Fold(called)
		}); i >= 0 {
			out.Known, out.Station, out.Name = true, &stations[i], stations[i].Name
		}
	}
	if _, err := s.look(ctx, func(f *fleet.Fleet, now time.Time) {
		where := f.OfUsers
		if kind == "machine" {
			where = f.OfMachines
		}
		for _, j := range where(folded(names)...) {
			for _, here := range endpoint.Presences(j.Record().Report, kind, names...) {
				here.State = f.Now(j, now)
				out.Endpoints = append(out.Endpoints, here)
			}
		}
	}); err != nil {
		return out, err
	}
	if !out.Known && len(out.Groups)+len(out.Endpoints) == 0 && !slices.ContainsFunc(out.Holdings,
		func(h lineup.Holding) bool { return h.Direct }) {
		return out, fault.New(fault.Unknown, kind+"-unknown", "see cirque directory find", "nothing is known of a %s %q",
			kind, called)
	}
	return out, nil
}

func folded(names []string) []string {
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = name.Fold(n)
	}
	return out
}
