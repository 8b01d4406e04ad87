package fleet

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/page"
)

// A Row is one endpoint in a list: what a reader looks for, and the first thing that is wrong.
type Row struct {
	Machine   string               `json:"machine"`
	State     endpoint.State       `json:"state" enum:"converged,behind,failing,silent"`
	Location  string               `json:"location,omitempty" doc:"Where it is, by the first of its contexts that tells."`
	Users     []string             `json:"users" doc:"Who has a session there."`
	Queues    int                  `json:"queues" doc:"Installed, whoever installed them."`
	Platform  string               `json:"platform"`
	Version   string               `json:"version" doc:"Of its agent."`
	Spooler   string               `json:"spooler"`
	Revision  int                  `json:"revision" doc:"Of the estate from which its lineups came when it reported."`
	FirstSeen time.Time            `json:"first_seen"`
	LastSeen  time.Time            `json:"last_seen"`
	SeenFrom  string               `json:"seen_from,omitempty"`
	Failures  int                  `json:"failures" doc:"Steps that failed."`
	Failure   *endpoint.Failure    `json:"failure,omitempty" doc:"The first of them."`
	Drift     int                  `json:"drift" doc:"Differences from what it should have."`
	Differs   *endpoint.Difference `json:"differs,omitempty" doc:"The first of them."`
	Unclear   int                  `json:"unclear" doc:"Remarks on how its people and addresses are known; see the endpoint itself."`
}

// Row gives an endpoint's at a time.
func (f *Fleet) Row(j *Judgement, now time.Time) Row {
	r := j.Report()
	out := Row{Machine: r.Machine, State: f.Now(j, now), Location: j.Location, Users: []string{}, Queues: len(j.pooled),
		Platform: r.Platform, Version: r.Version, Spooler: r.Spooler, Revision: r.Revision, FirstSeen: j.record.FirstSeen,
		LastSeen: j.record.LastSeen, SeenFrom: j.record.SeenFrom, Failures: len(r.Failures), Drift: len(j.Drift),
		Unclear: len(j.Says)}
	for _, q := range r.Contexts {
		if q.User != nil && !slices.Contains(out.Users, *q.User) {
			out.Users = append(out.Users, *q.User)
		}
	}
	if len(r.Failures) > 0 {
		out.Failure = &r.Failures[0]
	}
	if len(j.Drift) > 0 {
		out.Differs = &j.Drift[0]
	}
	return out
}

// A Filter narrows a page; zero values do not.
type Filter struct {
	State endpoint.State
	Site  string // where it is
	Word  string // in the name of the machine, of somebody there, or of a queue
	Queue string // that it is to have, or has and must not
	// Only is the one endpoint that is meant; nothing else counts then.
	Only string
	// Sort is by what: one of Sorts, a dash before it for the other way round; by name when empty.
	Sort string
}

// Sorts are what pages can be sorted by, beside the name. Those that are alike stand by name.
var Sorts = []string{"state", "last_seen", "queues", "users", "revision", "platform", "location"}

// sorter gives the order that a filter asks for; nil for that by name.
func (f *Fleet) sorter(by Filter, now time.Time) func(a, b *Judgement) int {
	what, back := strings.CutPrefix(by.Sort, "-")
	var order func(a, b *Judgement) int
	switch what {
	case "state":
		order = func(a, b *Judgement) int { return cmp.Compare(f.Now(a, now), f.Now(b, now)) }
	case "last_seen":
		order = func(a, b *Judgement) int { return a.LastSeen().Compare(b.LastSeen()) }
	case "queues":
		order = func(a, b *Judgement) int { return cmp.Compare(len(a.pooled), len(b.pooled)) }
	case "users":
		order = func(a, b *Judgement) int { return cmp.Compare(len(a.Report().Contexts), len(b.Report().Contexts)) }
	case "revision":
		order = func(a, b *Judgement) int { return cmp.Compare(a.Report().Revision, b.Report().Revision) }
	case "platform":
		order = func(a, b *Judgement) int { return cmp.Compare(a.Report().Platform, b.Report().Platform) }
	case "location":
		order = func(a, b *Judgement) int { return cmp.Compare(a.Location, b.Location) }
	default:
		if !back {
			return nil
		}
		return func(a, b *Judgement) int { return cmp.Compare(name.Fold(b.Machine()), name.Fold(a.Machine())) }
	}
	if back {
		return func(a, b *Judgement) int { return order(b, a) }
	}
	return order
}

func (f *Fleet) matches(e *entry, by Filter, folded string) bool {
	if by.State != "" && (e.quiet != (by.State == endpoint.Silent) || !e.quiet && e.j.State != by.State) ||
		by.Site != "" && estate.Site(e.j.Location) != by.Site ||
		by.Queue != "" && !slices.ContainsFunc(e.j.Marks, func(m endpoint.Mark) bool { return m.Queue == by.Queue }) {
		return false
	}
	return folded == "" || strings.Contains(e.text, folded)
}

// candidates gives, by name, no fewer endpoints than a filter lets through, by the index that gives the fewest.
func (f *Fleet) candidates(by Filter) []*entry {
	best, sets := f.order, []map[*entry]struct{}{}
	if by.Queue != "" {
		sets = append(sets, f.queues[by.Queue])
	}
	if by.Site != "" {
		sets = append(sets, f.sites[by.Site])
	}
	if by.State == endpoint.Failing {
		sets = append(sets, f.failing)
	}
	if by.State == endpoint.Silent {
		best = f.quiet()
	}
	var least map[*entry]struct{}
	for i, s := range sets {
		if i == 0 || len(s) < len(least) {
			least = s
		}
	}
	if len(sets) == 0 || len(best) < len(least) {
		return best
	}
	return f.list(least)
}

// Page gives a page of endpoints. Tick is to be called first. A word, or another order than that by name, looks at
// every endpoint that the rest of the filter lets through.
func (f *Fleet) Page(by Filter, ask page.Ask, now time.Time) page.Page[*Judgement] {
	if by.Only != "" {
		out := page.Page[*Judgement]{Items: []*Judgement{}}
		if j := f.Get(by.Only); j != nil {
			out.Items, out.Total = append(out.Items, j), 1
		}
		return out
	}
	if order := f.sorter(by, now); order != nil {
		var all []*Judgement
		for _, e := range f.candidates(by) {
			if f.matches(e, by, name.Fold(by.Word)) {
				all = append(all, e.j)
			}
		}
		slices.SortStableFunc(all, order)
		return page.Cut(all, ask, func(j **Judgement) string { return (*j).Machine() })
	}
	by.Sort = ""
	list := f.candidates(by)
	from, there := slices.BinarySearchFunc(list, name.Fold(ask.After), func(e *entry, n string) int {
		return strings.Compare(e.folded, n)
	})
	if there {
		from++
	}
	limit, out := ask.Size(), page.Page[*Judgement]{Items: []*Judgement{}}
	if by == (Filter{}) {
		to := min(from+limit, len(list))
		out.Items, out.Total = judgements(list[from:to]), len(list)
		if to < len(list) {
			out.Next = list[to-1].j.Machine()
		}
		return out
	}
	folded := name.Fold(by.Word)
	for i, e := range list {
		if !f.matches(e, by, folded) {
			continue
		}
		out.Total++
		switch {
		case i < from:
		case len(out.Items) < limit:
			out.Items = append(out.Items, e.j)
		case out.Next == "":
			out.Next = out.Items[limit-1].Machine()
		}
	}
	return out
}
