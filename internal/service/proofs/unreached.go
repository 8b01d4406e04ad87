package proofs

import (
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/page"
	"cirque/internal/service/present"
)

// receivers are the machines that receive queues whoever sits there, and on which no agent had reported when they were
// looked for. That costs a lineup for each machine that the directory knows, so it is kept for an estate and a
// directory.
type receivers struct {
	sync.Mutex
	list      []endpoint.Unreached // by where they are known; guarded by the mutex, as is the rest
	estate    *lineup.Estate
	directory *directory.Directory
	made      time.Time
}

// receiversFresh is how long they are good where hours of grants begin and end.
const receiversFresh = time.Minute

// Unreached lists the machines that are known, receive queues, and from which no agent has ever reported.
func (s *Room) Unreached(ctx context.Context, p *access.Principal, word string,
	ask page.Ask) (page.Page[endpoint.Unreached], error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return page.Page[endpoint.Unreached]{}, err
	}
	list, err := s.unreached(ctx, "")
	if err != nil {
		return page.Page[endpoint.Unreached]{}, err
	}
	if word = name.Fold(word); word != "" {
		list = slices.DeleteFunc(list, func(u endpoint.Unreached) bool {
			return !strings.Contains(name.Fold(u.Machine+" "+u.Platform+" "+u.Location+" "+strings.Join(u.Queues, " ")), word)
		})
	}
	out := page.Cut(list, ask, func(u *endpoint.Unreached) string { return u.Machine })
	enrolled, err := s.letIn(ctx)
	for i := range out.Items {
		u := &out.Items[i]
		u.Enrolled = enrolled[name.Fold(u.Machine)]
		u.Why, u.Instead = endpoint.Reach(u.Platform, u.Enrolled)
	}
	return out, err
}

// unreached gives those that receive a queue, or any where none is named, without why.
func (s *Room) unreached(ctx context.Context, queue string) ([]endpoint.Unreached, error) {
	list, err := s.receivers(ctx, s.present.View())
	if err != nil {
		return nil, err
	}
	reported, err := s.cfg.Fleet.Reported(ctx)
	if err != nil {
		return nil, err
	}
	out := []endpoint.Unreached{}
	for _, u := range list {
		if (queue == "" || slices.Contains(u.Queues, queue)) && reported(name.Fold(u.Machine)) == nil {
			out = append(out, u)
		}
	}
	return out, nil
}

func (s *Room) receivers(ctx context.Context, snap *present.View) ([]endpoint.Unreached, error) {
	r := &s.receives
	r.Lock()
	defer r.Unlock()
	w, now := snap.World, s.now()
	if r.estate == w.Estate && r.directory == w.Directory && (!w.Estate.Timed() || now.Sub(r.made) < receiversFresh) {
		return r.list, nil
	}
	reported, err := s.cfg.Fleet.Reported(ctx)
	if err != nil {
		return nil, err
	}
	var all []endpoint.Unreached
	seen := map[string]bool{}
	add := func(machine, known, platform string) {
		if k := name.Fold(machine); !seen[k] && reported(k) == nil {
			seen[k] = true // once, where directory and estate both know it
			all = append(all, endpoint.Unreached{Machine: machine, Known: known, Platform: platform})
		}
	}
	for _, m := range w.Directory.Records().Machines {
		add(m.Name, "directory", m.Platform)
	}
	for _, m := range snap.Document().Stations {
		add(m.Name, "station", m.Platform)
	}
	if err := s.present.Crew.Share(ctx, len(all), nil, nil, func() func(from, to int) func() {
		return func(from, to int) func() {
			for i := from; i < to; i++ {
				receives(snap, &all[i], now)
			}
			return func() {}
		}
	}); err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(u endpoint.Unreached) bool { return len(u.Queues) == 0 })
	slices.SortFunc(all, func(a, b endpoint.Unreached) int { return strings.Compare(a.Machine, b.Machine) })
	r.list, r.estate, r.directory, r.made = all, w.Estate, w.Directory, now
	return all, nil
}

// receives says what a machine receives, whoever sits there.
func receives(snap *present.View, u *endpoint.Unreached, now time.Time) {
	q := lineup.Query{Machine: &u.Machine}
	if u.Platform != "" {
		q.Platform = &u.Platform
	}
	l, err := snap.Resolve(q, now)
	if err != nil {
		return // a platform that is none
	}
	for _, w := range endpoint.PlanFor([]lineup.Lineup{*l}).Wants {
		u.Queues = append(u.Queues, w.Queue)
	}
	if l.Context.Location != nil {
		u.Location = *l.Context.Location
	}
}

// letIn names the machines that have never reported and that a certificate or token lets in, folded.
func (s *Room) letIn(ctx context.Context) (map[string]bool, error) {
	out := map[string]bool{}
	now := s.now()
	list, err := s.store.EnrolledSilent(ctx, now)
	if err != nil {
		return nil, err
	}
	for _, folded := range list {
		out[folded] = true
	}
	for _, t := range s.present.Access().Tokens {
		if t.Role == access.Agent && !t.Ended(now) {
			out[name.Fold(t.Machine)] = true
		}
	}
	return out, nil
}
