package fleet

import (
	"context"
	"fmt"
	"slices"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/stock"
)

// Report takes in what an agent says of its endpoint.
func (s *Room) Report(ctx context.Context, p *access.Principal, r endpoint.Report) (endpoint.Judged, error) {
	if err := access.Check(p, access.Report); err != nil {
		return endpoint.Judged{}, err
	}
	if err := s.present.View().CheckMachine(p, r.Machine); err != nil {
		return endpoint.Judged{}, err
	}
	if err := r.Check(); err != nil {
		return endpoint.Judged{}, err
	}
	if err := s.present.View().CheckAsking(p, r.Contexts); err != nil {
		return endpoint.Judged{}, err
	}
	before, err := s.store.Endpoint(ctx, r.Machine)
	if err != nil && !fault.Is(err, fault.Unknown) {
		return endpoint.Judged{}, err
	}
	var events []event.Event
	tell := func(kind, format string, args ...any) {
		events = append(events, event.Event{Kind: kind, Subject: r.Machine, Author: p.Name,
			Says: fmt.Sprintf(format, args...)})
	}
	if err != nil {
		tell(event.Joined, "%s reported for the first time", r.Machine)
	}
	switch was, is := len(before.Report.Failures), len(r.Failures); {
	case was == 0 && is > 0:
		tell(event.Failing, "%s: %s of %s failed: %s", r.Machine, r.Failures[0].Step, r.Failures[0].Queue, r.Failures[0].Says)
	case was > 0 && is == 0:
		tell(event.Recovered, "%s has everything again", r.Machine)
	}
	from, _ := ctx.Value(event.OriginKey{}).(string)
	rec, err := s.store.SaveReport(ctx, r, from, serversOf(s.present.View().Document(), r), events)
	if err != nil {
		return endpoint.Judged{}, err
	}
	return s.present.View().Judged(rec, s.now()), nil
}

// away names the queues that an endpoint has for where it is: those that its people would lose if it were somewhere
// that no subnet of the estate knows.
func (s *Room) away(rec endpoint.Record) []string {
	elsewhere := rec
	elsewhere.Report.Contexts = slices.Clone(rec.Report.Contexts)
	for i := range elsewhere.Report.Contexts {
		if q := &elsewhere.Report.Contexts[i]; q.Machine != nil || q.User != nil {
			q.Addresses, q.Location = nil, nil
		}
	}
	there := endpoint.PlanFor(s.present.View().Lineups(elsewhere, s.now()))
	var out []string
	for _, w := range endpoint.PlanFor(s.present.View().Lineups(rec, s.now())).Wants {
		kept := slices.ContainsFunc(there.Wants, func(o endpoint.Want) bool { return o.Key() == w.Key() })
		if !kept && !slices.Contains(out, w.Queue) {
			out = append(out, w.Queue)
		}
	}
	return out
}

// Endpoints lists all endpoints.
func (s *Room) Endpoints(ctx context.Context, p *access.Principal) ([]endpoint.Judged, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	all, err := s.store.Endpoints(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]endpoint.Judged, 0, len(all))
	for _, r := range all {
		out = append(out, s.present.View().Judged(r, s.now()))
	}
	return out, nil
}

// Endpoint gives one endpoint.
func (s *Room) Endpoint(ctx context.Context, p *access.Principal, machine string) (endpoint.Judged, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return endpoint.Judged{}, err
	}
	rec, err := s.store.Endpoint(ctx, machine)
	if err != nil {
		return endpoint.Judged{}, err
	}
	e := s.present.View().Judged(rec, s.now())
	e.Away = s.away(rec)
	return e, nil
}

// findingsShown is how many findings the first page has.
const findingsShown = 100

// Overview gives the figures of the first page.
func (s *Room) Overview(ctx context.Context, p *access.Principal) (endpoint.Overview, error) {
	all, err := s.Endpoints(ctx, p)
	if err != nil {
		return endpoint.Overview{}, err
	}
	snap := s.present.View()
	d, r := snap.Document(), snap.World.Directory.Records()
	o := endpoint.Overview{Revision: snap.Revision.Number, Author: snap.Revision.Author, Reason: snap.Revision.Reason,
		Endpoints: map[endpoint.State]int{},
		Estate:    d.Counts(),
		Directory: map[string]int{"users": len(r.Users), "groups": len(r.Groups), "machines": len(r.Machines)},
	}
	findings := append(append([]lineup.Finding{}, s.present.Stock().Findings(snap.Document())...), snap.Findings()...)
	o.Findings, o.Remarks = findings[:min(len(findings), findingsShown)], len(findings)
	if snap.Revision.Number > 0 {
		o.At = &snap.Revision.At
	}
	for _, e := range all {
		o.Endpoints[e.State]++
	}
	return o, nil
}

// serversOf names the servers to which an endpoint's own queues lead.
func serversOf(doc *estate.Document, r endpoint.Report) []string {
	out := []string{}
	for _, v := range doc.Servers {
		for _, i := range r.Installed {
			if i.Own && stock.SameAuthority(i.URI, v.URI) {
				out = append(out, v.Name)
				break
			}
		}
	}
	return out
}
