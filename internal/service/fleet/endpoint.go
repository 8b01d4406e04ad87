package fleet

import (
	"context"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/page"
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
	from, _ := ctx.Value(event.OriginKey{}).(string)
	rec, err := s.store.SaveReport(ctx, r, from, serversOf(s.addresses(s.present.View().Document()), r),
		func(before endpoint.Before) []event.Event { return reportEvents(p, before, r) })
	if err != nil {
		return endpoint.Judged{}, err
	}
	s.skew.Store(int64(s.now().Sub(rec.LastSeen)))
	return s.taken(rec), nil
}

// reportEvents says what a report tells that was otherwise before.
func reportEvents(p *access.Principal, before endpoint.Before, r endpoint.Report) (events []event.Event) {
	tell := func(kind, pattern string, pairs ...any) {
		events = append(events, event.Event{Kind: kind, Subject: r.Machine, Author: p.Name}.Saying(pattern, pairs...))
	}
	if !before.Known {
		tell(event.Joined, "{machine} reported for the first time", "machine", r.Machine)
	}
	switch is := len(r.Failures) > 0; {
	case !before.Failing && is:
		f := r.Failures[0]
		tell(event.Failing, "{machine}: {step} of {queue} failed: {reason}", "machine", r.Machine, "step", f.Step,
			"queue", f.Queue, "reason", f.Says)
	case before.Failing && !is:
		tell(event.Recovered, "{machine} has everything again", "machine", r.Machine)
	}
	return events
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

// Endpoints gives a page of endpoints by name.
func (s *Room) Endpoints(ctx context.Context, p *access.Principal, by fleet.Filter,
	ask page.Ask) (out page.Page[fleet.Row], err error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return out, err
	}
	_, err = s.look(ctx, func(f *fleet.Fleet, now time.Time) {
		out = page.Map(f.Page(by, ask, now), func(j *fleet.Judgement) fleet.Row { return f.Row(j, now) })
	})
	doc := s.present.View().Document()
	switch {
	case err != nil || out.Total > 0:
	case by.Site != "" && !doc.HasSite(by.Site):
		err = fault.New(fault.Unknown, "site-unknown", "name the first part of a location's path",
			"the estate has no site %q",
			by.Site)
	case by.Queue != "":
		_, err = doc.QueueCalled(by.Queue) // one that is gone may still be on endpoints
	}
	return out, err
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
	e.Attached = endpoint.AsDevices(rec.Report, s.present.View().Document().Devices)
	return e, nil
}

// findingsShown is how many findings the first page has.
const findingsShown = 100

// Overview gives the figures of the first page.
func (s *Room) Overview(ctx context.Context, p *access.Principal) (endpoint.Overview, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return endpoint.Overview{}, err
	}
	snap := s.present.View()
	d, r := snap.Document(), snap.World.Directory.Records()
	o := endpoint.Overview{Revision: snap.Revision.Number, Author: snap.Revision.Author, Reason: snap.Revision.Reason,
		Estate:    d.Counts(),
		Directory: map[string]int{"users": len(r.Users), "groups": len(r.Groups), "machines": len(r.Machines)},
	}
	all := s.present.Remarks(snap.World, s.present.Verdicts(snap.World), snap.Findings())
	o.Remarks = len(all)
	o.Findings = append([]lineup.Finding{}, all[:min(len(all), findingsShown)]...)
	o.At = snap.Revision.At
	var err error
	o.Behind, err = s.look(ctx, func(f *fleet.Fleet, _ time.Time) { o.Endpoints = f.States() })
	return o, err
}

// serversOf names the servers to which an endpoint's own queues lead.
func serversOf(to stock.Authorities, r endpoint.Report) []string {
	out := []string{}
	for _, i := range r.Installed {
		if !i.Own {
			continue
		}
		for _, v := range to.Servers(i.URI) {
			if !slices.Contains(out, v) {
				out = append(out, v)
			}
		}
	}
	slices.Sort(out)
	return out
}
