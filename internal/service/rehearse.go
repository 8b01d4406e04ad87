package service

import (
	"context"
	"crypto/rand"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/fault"
)

// A Rehearsing says what is to be rehearsed; at least one of its parts is given, else one's own draft is meant.
type Rehearsing struct {
	Draft   string   // the name of one's own draft
	Without []string // what goes down: server:N, set:N, device:N, site:N, location:P, subnet:CIDR
	Moves   []string // who moves where in the directory: user:N=unit:P, user:N=+group:G, user:N=-group:G
	All     bool     // look at everybody, even where the change cannot touch them
}

// A Rehearsal is what came of one; it is kept for a while, so that the effects behind its figures can be looked at.
type Rehearsal struct {
	ID     string
	Report *rehearse.Report
	Down   []string // what was taken to be down

	owner string
	plan  *rehearse.Plan
	part  *rehearse.Part
}

// rehearsals keeps the latest few.
type rehearsals struct {
	mu    sync.Mutex
	list  []*Rehearsal // guarded by mu, as are the rest
	cases *rehearse.Cases
	of    *directory.Directory
	made  time.Time
}

const rehearsalsKept = 12

// casesFresh is for how long the contexts that endpoints reported are not read again.
const casesFresh = 5 * time.Second

// MayRehearse gives the fault that Rehearse would give for want of permission.
func MayRehearse(p *access.Principal) error { return access.Check(p, access.Rehearse) }

// Rehearse compares the present with what would be. progress is called now and then with how many of how many cases are
// done; when ctx ends, so does the work.
func (s *Service) Rehearse(ctx context.Context, p *access.Principal, what Rehearsing, progress func(done, total int)) (*Rehearsal, error) {
	if err := access.Check(p, access.Rehearse); err != nil {
		return nil, err
	}
	snap := s.Snapshot()
	to := snap.World
	var err error
	if what.Draft != "" || len(what.Without)+len(what.Moves) == 0 {
		if to, _, err = s.world(ctx, p, what.Draft); err != nil {
			return nil, err
		}
	}
	out := &Rehearsal{ID: rand.Text()[:16], owner: ownerOf(p), Down: []string{}}
	if len(what.Without) > 0 {
		state, down, err := rehearse.Without(to.Estate.Document(), to.Live, what.Without)
		if err != nil {
			return nil, err
		}
		out.Down = down
		to = lineup.Bind(to.Estate, to.Directory, state)
	}
	if len(what.Moves) > 0 {
		records, err := rehearse.Moved(to.Directory.Records(), what.Moves)
		if err != nil {
			return nil, err
		}
		to = lineup.Bind(to.Estate, directory.New(records), to.Live)
	}
	cases, err := s.cases(ctx, snap)
	if err != nil {
		return nil, err
	}
	out.plan = rehearse.NewPlan(snap.World, to, cases, s.now().UTC().Truncate(time.Second), what.All)
	var parts []*rehearse.Part
	if err := s.share(ctx, out.plan.Len(), nil, progress, func() func(from, to int) func() {
		desk := new(rehearse.Desk)
		return func(from, to int) func() {
			part := out.plan.Run(from, to, desk)
			return func() { parts = append(parts, part) }
		}
	}); err != nil {
		return nil, err
	}
	out.part = rehearse.Merge(parts)
	out.Report = out.plan.Report(out.part)
	s.rehearsals.keep(out)
	return out, nil
}

// stride is how many cases are done between two looks at whether anybody still wants them.
const stride = 512

// share divides n cases over as many goroutines as there are cores, in strides that end where ends allows. Each goroutine
// makes its worker once; what a worker gives is called by one goroutine at a time.
func (s *Service) share(ctx context.Context, n int, ends func(int) int, progress func(done, total int), worker func() func(from, to int) func()) error {
	select {
	case s.large <- struct{}{}:
		defer func() { <-s.large }()
	case <-ctx.Done():
		return stopped()
	}
	var cuts []int
	for at := 0; at < n; {
		at = min(at+stride, n)
		if ends != nil {
			at = ends(at)
		}
		cuts = append(cuts, at)
	}
	var next atomic.Int64
	var mu sync.Mutex
	var wg sync.WaitGroup
	done := 0
	for range min(runtime.GOMAXPROCS(0), len(cuts)) {
		wg.Go(func() {
			work := worker()
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= len(cuts) {
					return
				}
				from := 0
				if i > 0 {
					from = cuts[i-1]
				}
				result := work(from, cuts[i])
				mu.Lock()
				result()
				if done += cuts[i] - from; progress != nil {
					progress(done, n)
				}
				mu.Unlock()
			}
		})
	}
	wg.Wait()
	if ctx.Err() != nil {
		return stopped()
	}
	return nil
}

func stopped() error {
	return fault.New(fault.Unavailable, "stopped", "start it again", "the work was stopped before it was done")
}

// cases gives everybody, in the contexts in which endpoints last reported them.
func (s *Service) cases(ctx context.Context, snap *Snapshot) (*rehearse.Cases, error) {
	r := &s.rehearsals
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.cases != nil && r.of == snap.World.Directory && s.now().Sub(r.made) < casesFresh {
		return r.cases, nil
	}
	all, err := s.store.Endpoints(ctx)
	if err != nil {
		return nil, err
	}
	var seen []lineup.Context
	for _, e := range all {
		for _, q := range e.Report.Contexts {
			q.Time = nil
			if c, err := q.Context(time.Time{}); err == nil {
				seen = append(seen, c)
			}
		}
	}
	r.cases = rehearse.NewCases(snap.World.Directory.Records(), snap.World.Estate.Document().Stations, seen)
	r.of, r.made = snap.World.Directory, s.now()
	return r.cases, nil
}

func (r *rehearsals) keep(one *Rehearsal) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.list = slices.Insert(r.list, 0, one)
	r.list = r.list[:min(len(r.list), rehearsalsKept)]
}

// An Effect is all that changes in one context.
type Effect struct {
	Kind     string          `json:"kind" enum:"user,machine"`
	Name     string          `json:"name"`
	Context  lineup.Query    `json:"context"`
	Location string          `json:"location"`
	Seen     bool            `json:"seen" doc:"An endpoint reported the context; else nothing is known but who it is."`
	Items    []rehearse.Item `json:"items"`
}

// Effects gives the single contexts behind a figure of one's own rehearsal.
func (s *Service) Effects(_ context.Context, p *access.Principal, id string, f rehearse.Filter, from, limit int) ([]Effect, int, error) {
	if err := access.Check(p, access.Rehearse); err != nil {
		return nil, 0, err
	}
	s.rehearsals.mu.Lock()
	i := slices.IndexFunc(s.rehearsals.list, func(r *Rehearsal) bool { return r.ID == id && r.owner == ownerOf(p) })
	var r *Rehearsal
	if i >= 0 {
		r = s.rehearsals.list[i]
	}
	s.rehearsals.mu.Unlock()
	if r == nil {
		return nil, 0, fault.New(fault.Unknown, "rehearsal-unknown", "rehearse again", "the rehearsal is no longer kept here")
	}
	some, total := r.plan.Select(r.part, f, from, limit)
	out := make([]Effect, 0, len(some))
	for _, e := range some {
		c := r.plan.Cases[e.Case]
		out = append(out, Effect{c.Kind, c.Name, c.Context.Query(), e.Location, c.Seen, e.Items})
	}
	return out, total, nil
}

// Coverage says on which single servers and devices how many depend.
func (s *Service) Coverage(ctx context.Context, p *access.Principal) ([]rehearse.Dependence, error) {
	if err := access.Check(p, access.Rehearse); err != nil {
		return nil, err
	}
	snap := s.Snapshot()
	cases, err := s.cases(ctx, snap)
	if err != nil {
		return nil, err
	}
	now := s.now().UTC()
	var shares []rehearse.Share
	err = s.share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		scratch := new(lineup.Scratch)
		return func(from, to int) func() {
			part := rehearse.Cover(snap.World, cases.List, now, from, to, scratch)
			return func() { shares = append(shares, part) }
		}
	})
	return rehearse.Coverage(shares), err
}

// A Roll is who has a queue.
type Roll struct {
	Queue     string            `json:"queue"`
	From      time.Time         `json:"from"`
	Until     time.Time         `json:"until"`
	Revisions []int             `json:"revisions" doc:"The revisions that were current in that time."`
	Looked    rehearse.Count    `json:"looked" doc:"Everybody; who is not among the holders has it not."`
	Permitted rehearse.Count    `json:"permitted" doc:"Who may print to it by its access rules, whatever grants say."`
	Holders   []rehearse.Holder `json:"holders"`
}

// Who finds everybody whose lineup has a queue, at a moment of the past or throughout a time of it: with the estate, the
// directory, live state and picks as they were, in the contexts in which people were last seen. until may be zero.
func (s *Service) Who(ctx context.Context, p *access.Principal, queue string, from, until time.Time) (Roll, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return Roll{}, err
	}
	out := Roll{Queue: queue, From: from, Until: until, Holders: []rehearse.Holder{}, Revisions: []int{}}
	moments := []When{{}}
	if !from.IsZero() {
		moments[0].AsOf = &from
	} else {
		out.From = s.now().UTC().Truncate(time.Second)
	}
	if until.IsZero() {
		until = out.From.Add(time.Second)
		out.Until = out.From
	} else {
		// The estate may have changed in that time.
		list, err := s.store.Revisions(ctx, 1000)
		if err != nil {
			return out, err
		}
		for _, r := range slices.Backward(list) {
			if r.At.After(from) && r.At.Before(until) {
				moments = append(moments, When{AsOf: &r.At})
			}
		}
	}
	known := false
	for i, m := range moments {
		snap, err := s.at(ctx, p, m)
		if fault.Is(err, fault.Unknown) && len(moments) > i+1 {
			continue // nothing was published yet
		}
		if err != nil {
			return out, err
		}
		out.Revisions = append(out.Revisions, snap.World.Estate.Revision())
		present, ok := snap.World.Estate.HasQueue(queue)
		if !ok {
			continue
		}
		known, out.Queue = true, present
		begin, end := out.From, until
		if m.AsOf != nil {
			begin = *m.AsOf
		}
		if i+1 < len(moments) {
			end = *moments[i+1].AsOf
		}
		if err := s.roll(ctx, snap, present, begin, end, &out); err != nil {
			return out, err
		}
	}
	if !known {
		return out, fault.New(fault.Unknown, "queue-unknown", "see cirque queue list", "the estate of that time has no queue %q", queue)
	}
	return out, nil
}

// roll adds who had a queue in one stretch of time.
func (s *Service) roll(ctx context.Context, snap *Snapshot, queue string, begin, end time.Time, out *Roll) error {
	present, err := s.cases(ctx, s.Snapshot())
	if err != nil {
		return err
	}
	cases := present
	if snap.World.Directory != s.Snapshot().World.Directory {
		var seen []lineup.Context
		for _, c := range present.List {
			if c.Seen {
				seen = append(seen, c.Context)
			}
		}
		cases = rehearse.NewCases(snap.World.Directory.Records(), snap.World.Estate.Document().Stations, seen)
	}
	var rolls []rehearse.Roll
	if err := s.share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		return func(from, to int) func() {
			r := rehearse.Holders(snap.World, cases.List, queue, begin, end, from, to)
			return func() { rolls = append(rolls, r) }
		}
	}); err != nil {
		return err
	}
	rehearse.AddRolls(&out.Holders, &out.Looked, &out.Permitted, rolls)
	return nil
}

// Reach says how far a grant of the estate, or of one's own draft, goes.
func (s *Service) Reach(ctx context.Context, p *access.Principal, grant string, when When) (lineup.Reach, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return lineup.Reach{}, err
	}
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return lineup.Reach{}, err
	}
	return s.reach(ctx, snap.World, grant)
}

// ReachOf says how far a grant would go that is not kept anywhere yet.
func (s *Service) ReachOf(ctx context.Context, p *access.Principal, draft string, edit estate.Edit) (lineup.Reach, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return lineup.Reach{}, err
	}
	d, err := s.draft(ctx, p, draft)
	if err != nil {
		return lineup.Reach{}, err
	}
	edit.List = "grants"
	changes, err := estate.ParseEdits([]estate.Edit{edit}, d.Document, d.base, s.parsing())
	if err != nil {
		return lineup.Reach{}, err
	}
	doc := d.Document.With(changes)
	if problems := estate.Integrity(doc); len(problems) > 0 {
		return lineup.Reach{}, incoherent(problems)
	}
	snap := s.Snapshot()
	w := lineup.Bind(lineup.Compile(doc, 0, s.compiling(snap.World.Estate)), snap.World.Directory, snap.World.Live)
	return s.reach(ctx, w, edit.Name)
}

func (s *Service) reach(ctx context.Context, w *lineup.World, grant string) (lineup.Reach, error) {
	r, ok := w.Reach(grant)
	if !ok {
		return r, fault.New(fault.Unknown, "grant-unknown", "see the grants of the estate", "the estate has no grant %q", grant)
	}
	cases, err := s.cases(ctx, s.Snapshot())
	if err != nil {
		return r, err
	}
	m := w.Estate.MarkGrants([]string{grant})
	scratch := s.scratch.Get().(*lineup.Scratch)
	defer s.scratch.Put(scratch)
	now := s.now()
	for _, c := range cases.List {
		if !c.Seen {
			continue
		}
		r.OfSeen++
		c.Context.Time = now
		if w.Match(c.Context, m, scratch) {
			r.Seen++
		}
	}
	return r, nil
}

// Bare lists who has no queue at all just now, in the contexts in which they were last seen.
func (s *Service) Bare(ctx context.Context, p *access.Principal) (people, machines []string, err error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, nil, err
	}
	snap := s.Snapshot()
	cases, err := s.cases(ctx, snap)
	if err != nil {
		return nil, nil, err
	}
	people, machines = []string{}, []string{}
	now := s.now().UTC()
	err = s.share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		return func(from, to int) func() {
			a, b := rehearse.Bare(snap.World, cases.List, now, from, to)
			return func() { people, machines = append(people, a...), append(machines, b...) }
		}
	})
	slices.Sort(people)
	slices.Sort(machines)
	return people, machines, err
}
