package present

import (
	"slices"
	"time"

	"cirque/core/continuity"
	"cirque/core/decommission"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/stock"
)

// Lineups gives the lineups of what an endpoint last reported, as they are in this view; a location that is gone gives
// none.
func (v *View) Lineups(r endpoint.Record, now time.Time) []lineup.Lineup {
	out := []lineup.Lineup{}
	for _, q := range r.Report.Contexts {
		q.Time = nil
		if l, err := v.Resolve(q, now); err == nil {
			out = append(out, *l)
		}
	}
	return out
}

// Plan gives what somewhere is to have in whose contexts it last reported, and where it is, by the first of them that
// tells. It is PlanFor of Lineups, for less; the scratch is the caller's.
func (v *View) Plan(contexts []lineup.Query, now time.Time, s *lineup.Scratch) (plan endpoint.Plan, location string) {
	var p endpoint.Planner
	for _, q := range contexts {
		q.Time = nil
		c, err := q.Context(now)
		if err != nil {
			continue
		}
		l, err := v.World.Resolve(c, s)
		if err != nil {
			continue
		}
		if location == "" && l.Context.Location != nil {
			location = *l.Context.Location
		}
		p.Add(l)
	}
	return p.Plan, location
}

// Resolve answers one context with a lineup of the caller's own.
func (v *View) Resolve(q lineup.Query, now time.Time) (*lineup.Lineup, error) {
	c, err := q.Context(now)
	if err != nil {
		return nil, err
	}
	return v.World.Resolve(c, nil)
}

// Judge works out drift and state of an endpoint that is to have what a plan says, against this view.
func (v *View) Judge(rec endpoint.Record, plan endpoint.Plan, now time.Time) endpoint.Judged {
	drift := endpoint.Drift(plan, rec.Report)
	says := append(endpoint.People(v.World.Directory, v.Document().Agent(), rec.Report), endpoint.Seen(rec)...)
	return endpoint.Judged{Record: rec, State: endpoint.StateOf(rec, drift, now, v.ReportsEvery()), Drift: drift,
		Says: says}
}

// Judged is Judge with the plan that follows from this view; it costs a lineup for each of the endpoint's contexts.
func (v *View) Judged(rec endpoint.Record, now time.Time) endpoint.Judged {
	return v.Judge(rec, endpoint.PlanFor(v.Lineups(rec, now)), now)
}

// WaitingJob says what becomes of a job that waits on a server, by what the server told last and what is proven of it.
func (v *View) WaitingJob(server string, r *stock.Server, j stock.Job, found continuity.Verdict) stock.WaitingJob {
	w := v.World
	doc := w.Estate.Document()
	only := decommission.DependentsOf(doc, server, w.Live.Lacks).Only
	otherwise := false
	for _, q := range stock.Through(doc, server)[j.Queue] {
		otherwise = otherwise || !slices.Contains(only, q)
	}
	q := r.Find(j.Queue)
	out := stock.WaitingJob{Job: j, Becomes: continuity.Fate(w.Live.Server(server), found, q != nil &&
		!q.Ready(), otherwise)}
	if to := v.HandedOn(server, j.Queue); to != "" && found != continuity.Gone {
		out.Becomes = "it is handed on to " + to
	}
	if u, ok := w.Directory.Person(j.Owner); ok {
		out.Person = u.Name
	}
	return out
}

// HandedOn names the server to which the jobs of a queue go on, from a kept server that is out of duty; "" where nobody
// takes them over.
func (v *View) HandedOn(server, queue string) string {
	doc := v.Document()
	if of, ok := doc.Find(estate.Ref{List: "servers", Name: server}).(*estate.Server); !ok || !of.Kept {
		return ""
	}
	for _, o := range continuity.Onward(doc, v.World.Live, server) {
		if o.Name == queue {
			return o.To
		}
	}
	return ""
}

// Proven gives what probing found as it stands now: what nobody has renewed is unproven.
func (p *Present) Proven(list []continuity.Health) []continuity.Health {
	every := p.View().Document().Continuity().Probe.D()
	return continuity.Aged(list, p.cfg.Now(), every)
}
