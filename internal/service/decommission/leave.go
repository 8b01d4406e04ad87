package decommission

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/core/stock"
	"cirque/core/words"
)

// jobsAsked is how many ended jobs are asked of each queue.
const jobsAsked = 200

// Depends says what still leads to a server, who would miss it, and who used it lately.
func (s *Room) Depends(ctx context.Context, p *access.Principal, server string) (decommission.Leaving, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return decommission.Leaving{}, err
	}
	l, err := s.present.WatchedOne(stock.KindServer, server)
	if err != nil {
		return decommission.Leaving{}, err
	}
	w := s.present.View().World
	out := decommission.Leaving{Dependents: decommission.DependentsOf(w.Estate.Document(), server, w.Live.Lacks),
		Grants: []string{},
		Lately: []decommission.LateUse{}}
	for _, q := range out.Queues {
		for _, g := range w.Estate.Selecting(q) {
			if !slices.Contains(out.Grants, g) {
				out.Grants = append(out.Grants, g)
			}
		}
	}
	slices.Sort(out.Grants)
	out.Unused = len(out.Queues) == 0 && len(out.Sets) == 0
	if l.InEstate && len(out.Queues) > 0 {
		r, err := s.cfg.Rehearsals.Rehearsed(ctx, p, rehearse.Ask{Without: []string{"server:" + server}})
		if err != nil {
			return out, err
		}
		for kind, n := range r.Totals {
			if kind == rehearse.Loses || kind == rehearse.Stranded || kind == rehearse.NoPath {
				out.People = max(out.People, n.People)
			}
		}
	}
	s.lately(ctx, l, &out)
	known, err := s.kept(ctx, server, &out)
	if err != nil {
		return out, err
	}
	switch {
	case out.Unused:
		out.Says = fmt.Sprintf("Nothing in the estate leads to %s: it may be switched off.%s", server, s.quiet(out, known))
	case len(out.Queues) == 0:
		out.Says = fmt.Sprintf("No queue leads to %s; it is still a member of %s.", server, strings.Join(out.Sets, " and "))
	default:
		out.Says = fmt.Sprintf("%s to %s; %d of them nobody could reach without it.",
			words.Count(len(out.Queues), "queue leads", "queues lead"), server, len(out.Only))
		if len(out.Lacked) > 0 {
			out.Says = fmt.Sprintf("%s %s.", strings.TrimSuffix(out.Says, ".")+":",
				strings.Join(out.Lacked[:min(5, len(out.Lacked))], ", "))
		}
	}
	return out, nil
}

// lately reads the server's own lists of ended jobs.
func (s *Room) lately(ctx context.Context, l stock.Listed, out *decommission.Leaving) {
	r := s.present.Stock().Server(l.Name).Server
	if r == nil || s.cfg.Prober == nil {
		out.Told = "the server has not been read, so its late use is not known"
		return
	}
	jobs, failed := s.endedJobs(ctx, l, r, jobsAsked)
	uses := map[[3]string]*decommission.LateUse{}
	for _, j := range jobs {
		k := [3]string{j.Queue, j.Owner, j.From}
		u := uses[k]
		if u == nil {
			u = &decommission.LateUse{Queue: j.Queue, Owner: j.Owner, From: j.From}
			uses[k] = u
		}
		u.Jobs++
		if j.At != nil && (u.Last == nil || j.At.After(*u.Last)) {
			u.Last = j.At
		}
		if j.At != nil && (out.Since == nil || j.At.Before(*out.Since)) {
			out.Since = j.At
		}
	}
	for _, u := range uses {
		out.Lately = append(out.Lately, *u)
	}
	slices.SortFunc(out.Lately, func(a, b decommission.LateUse) int {
		if a.Last != nil && b.Last != nil && !a.Last.Equal(*b.Last) {
			return b.Last.Compare(*a.Last)
		}
		return cmp.Or(cmp.Compare(a.Queue, b.Queue), cmp.Compare(a.Owner, b.Owner), cmp.Compare(a.From, b.From))
	})
	switch {
	case failed != nil && len(jobs) == 0:
		out.Told = "its lists of ended jobs cannot be read: " + fault.As(failed).What
	case failed != nil:
		out.Told = "some of its lists of ended jobs cannot be read: " + fault.As(failed).What
	case len(jobs) == 0:
		out.Told = "the server remembers no ended jobs; that proves nothing if it does not keep them"
	default:
		out.Told = fmt.Sprintf("from the server's own lists, %s, at most %d a queue", words.Count(len(jobs),
			"ended job"), jobsAsked)
		if slices.ContainsFunc(out.Lately, func(u decommission.LateUse) bool { return u.Owner == "" }) {
			out.Told += "; of some it does not tell whose they were: its sign-in may be let see that"
		}
	}
}

// Orphans lists what leads nowhere, and what nothing leads to.
func (s *Room) Orphans(_ context.Context, p *access.Principal) (decommission.Orphans, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return decommission.Orphans{}, err
	}
	w, st := s.present.View().World, s.present.Stock()
	servers := map[string]*stock.Server{}
	for k, v := range st.Kept.All() {
		if k.Kind == stock.KindServer {
			servers[k.Name] = v.Server
		}
	}
	given := lineup.Givens(w, s.cfg.Now())
	doc := w.Estate.Document()
	by := map[string]bool{}
	for i, q := range doc.Queues {
		by[q.Name] = given[i].State == lineup.IsGiven
	}
	var answering []string
	for _, f := range st.Found {
		answering = append(answering, f.Address)
	}
	return decommission.OrphansOf(doc, func(q string) bool { return by[q] }, servers, st.Reservations, answering), nil
}
