package present

import (
	"slices"
	"time"

	"cirque/core/continuity"
	"cirque/core/decommission"
	"cirque/core/endpoint"
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

// WaitingJobs says of each of some jobs that wait on a server what becomes of it, by what the server told last and what
// is proven of it.
func (v *View) WaitingJobs(server string, r *stock.Server, jobs []stock.Job,
	found continuity.Verdict) []stock.WaitingJob {
	out := make([]stock.WaitingJob, 0, len(jobs))
	if len(jobs) == 0 {
		return out
	}
	w := v.World
	doc := w.Estate.Document()
	only := decommission.DependentsOf(doc, server, w.Live.Lacks).Only
	through, handed := stock.Through(doc, server), v.HandedOn(server)
	for _, j := range jobs {
		otherwise := slices.ContainsFunc(through[j.Queue], func(q string) bool { return !slices.Contains(only, q) })
		q := r.Find(j.Queue)
		x := stock.WaitingJob{Job: j, Becomes: continuity.Fate(w.Live.Server(server), found, q != nil && !q.Ready(),
			otherwise)}
		if to := handed[j.Queue]; to != "" && found != continuity.Gone {
			x.Becomes = "it is handed on to " + to
		}
		if u, ok := w.Directory.Person(j.Owner); ok {
			x.Person = u.Name
		}
		out = append(out, x)
	}
	return out
}

// HandedOn names, by queue there, the servers to which jobs go on from a kept server that is out of duty; a queue that
// nobody takes over is not among them.
func (v *View) HandedOn(server string) map[string]string {
	doc := v.Document()
	if of := doc.Server(server); of == nil || !of.Kept {
		return nil
	}
	out := map[string]string{}
	for _, o := range continuity.Onward(doc, v.World.Live, server) {
		out[o.Name] = o.To
	}
	return out
}

// Proven gives what probing found as it stands now: what nobody has renewed is unproven.
func (p *Present) Proven(list []continuity.Health) []continuity.Health {
	every := p.View().Document().Continuity().Probe.D()
	return continuity.Aged(list, p.cfg.Now(), every)
}
