package updates

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/page"
	"cirque/core/update"
	"cirque/core/words"
)

// Standing tells how the latest order stands, or, for a version that is named, which machines could be brought there.
func (s *Room) Standing(ctx context.Context, p *access.Principal, version string) (out update.Standing, err error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return out, err
	}
	out.At = s.now()
	if out.Order = s.order.Load(); out.Order != nil {
		if out.Counts, _, err = s.count(ctx, *out.Order, out.At); err != nil {
			return out, err
		}
		version = cmp.Or(version, out.Order.Version)
	}
	out.Version = version
	if out.Machines, err = s.cfg.Fleet.Agents(ctx); err != nil {
		return out, err
	}
	for i := range out.Machines {
		if version != "" {
			out.Machines[i] = update.Fit(version, *s.packages.Load(), out.Machines[i])
		}
	}
	return out, nil
}

// Records tells what came of the machines that began by the latest order.
func (s *Room) Records(ctx context.Context, p *access.Principal, state string, ask page.Ask) (page.Page[update.Record],
	error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return page.Page[update.Record]{}, err
	}
	o := s.order.Load()
	if o == nil {
		return page.Page[update.Record]{Items: []update.Record{}}, nil
	}
	return s.store.UpdateRecords(ctx, o.ID, state, s.now().Add(-update.SilentAfter), ask)
}

// Begin begins to bring machines to a version.
func (s *Room) Begin(ctx context.Context, p *access.Principal, o update.Order) (update.Standing, error) {
	if err := access.Check(p, access.UpdateAgents); err != nil {
		return update.Standing{}, err
	}
	if len(o.Shares) == 0 {
		o.Shares = update.DefaultShares()
	}
	o.Each = cmp.Or(o.Each, int(update.DefaultEach/time.Second))
	if err := o.Check(s.cfg.Present.View().Document().HasSite); err != nil {
		return update.Standing{}, err
	}
	if !slices.ContainsFunc(*s.packages.Load(), func(k update.AgentPackage) bool { return k.Version == o.Version }) {
		return update.Standing{}, fault.New(fault.Conflict, "update-no-package", "add them: cirque endpoint package add "+
			"FILE...", "no package of %s is kept", o.Version)
	}
	o.State, o.Stage, o.Author, o.At, o.StageAt = update.Running, 0, p.Name, s.now(), s.now()
	if _, err := s.store.AddUpdate(ctx, o, event.Event{Kind: event.UpdateBegun, Subject: o.Version,
		Author: p.Name}.Saying("The update to {version} began, with {share} % of the machines", "version", o.Version, "share",
		o.Shares[0]).With(nil, o)); err != nil {
		return update.Standing{}, err
	}
	if err := s.read(ctx); err != nil {
		return update.Standing{}, err
	}
	return s.Standing(ctx, p, "")
}

// Act pauses an order, has it go on, has those that came by it go back, or ends it.
func (s *Room) Act(ctx context.Context, p *access.Principal, do string) (update.Standing, error) {
	if err := access.Check(p, access.UpdateAgents); err != nil {
		return update.Standing{}, err
	}
	if err := s.read(ctx); err != nil {
		return update.Standing{}, err
	}
	o := s.order.Load()
	if o == nil || o.State == update.Ended {
		return update.Standing{}, fault.New(fault.Conflict, "update-none", "begin one: cirque endpoint update begin VERSION",
			"no update is under way")
	}
	next, e, err := acted(*o, do, p.Name, s.now())
	if err != nil {
		return update.Standing{}, err
	}
	if err := s.store.SaveUpdate(ctx, *o, next, e.With(o, next)); err != nil {
		return update.Standing{}, err
	}
	if err := s.read(ctx); err != nil {
		return update.Standing{}, err
	}
	return s.Standing(ctx, p, "")
}

func acted(o update.Order, do, who string, now time.Time) (next update.Order, e event.Event, err error) {
	next = o
	e = event.Event{Kind: event.UpdateActed, Subject: o.Version, Author: who}
	switch do {
	case update.Pause:
		if o.State != update.Running {
			return o, e, fault.New(fault.Conflict, "update-not-running", "see cirque endpoint update show", "the update to %s "+
				"is %s", o.Version, o.State)
		}
		next.State, next.Why = update.Paused, "by "+who
		return next, e.Saying("The update to {version} was paused", "version", o.Version), nil
	case update.GoOn:
		next, err = o.Resume(now)
		return next, e.Saying("The update to {version} goes on", "version", o.Version), err
	case update.GoBack:
		next.State, next.Why = update.Back, "by "+who
		return next, e.Saying("What came by the update to {version} goes back", "version", o.Version), nil
	case update.End:
		next.State, next.Why = update.Ended, "by "+who
		return next, e.Saying("The update to {version} was ended", "version", o.Version), nil
	}
	return o, e, fault.New(fault.Invalid, "update-do", "write pause, go-on, back or end", "%q can be done with no "+
		"update", do)
}

// Tells says by which order a machine that has just reported is to be told, "" for none. Nothing is asked for it.
func (s *Room) Tells(m update.Machine) string {
	o := s.order.Load()
	if o == nil || o.State == update.Ended || !m.Able() {
		return ""
	}
	m.Name = s.cfg.Present.View().MachineName(m.Name) // as its certificate has it, so that it has one place
	if o.Site != "" {
		m.Site = s.cfg.Present.View().SiteOf(m.Name, nil, s.now())
	}
	if !o.Tells(m) {
		return ""
	}
	if o.State == update.Back {
		return fmt.Sprintf("%d back", o.ID)
	}
	return fmt.Sprint(o.ID)
}

// Offer gives a machine the package that it is to install, and the one of the version that it has, as its own way back,
// where that is kept.
func (s *Room) Offer(ctx context.Context, p *access.Principal, m update.Machine) (to update.AgentPackage,
	back *update.AgentPackage, order int64, err error) {
	if err := access.Check(p, access.Report); err != nil {
		return to, nil, 0, err
	}
	m.Name = p.Machine
	none := fault.New(fault.Conflict, "update-not-told", "", "this machine is to stay at the version that it has")
	if s.Tells(m) == "" {
		return to, nil, 0, none
	}
	o := s.order.Load()
	version := o.Version
	r, err := s.store.UpdateRecord(ctx, o.ID, m.Name)
	if err != nil {
		return to, nil, 0, err
	}
	if o.State == update.Running && r != nil && r.State == update.Failed {
		return to, nil, 0, none // once is enough
	}
	if o.State == update.Back {
		if r == nil || r.State == update.WentBack {
			return to, nil, 0, none
		}
		version = r.Former
	}
	kept := func(version string) *update.AgentPackage {
		list := *s.packages.Load()
		i := slices.IndexFunc(list, func(k update.AgentPackage) bool {
			return k.Version == version && k.Platform == m.Platform && k.Kind == m.Updates
		})
		if i < 0 {
			return nil
		}
		return &list[i]
	}
	k := kept(version)
	if k == nil {
		return to, nil, 0, fault.New(fault.Conflict, "update-no-package", "add it: cirque endpoint package add FILE",
			"no .%s of %s for %s is kept", m.Updates, version, m.Platform)
	}
	return *k, kept(m.Version), o.ID, nil
}

// Said keeps what a machine says of an order: that it begins, or what came of it.
func (s *Room) Said(ctx context.Context, p *access.Principal, order int64, r update.Record) error {
	if err := access.Check(p, access.Report); err != nil {
		return err
	}
	o := s.order.Load()
	if o == nil || o.ID != order {
		return nil // one of long ago
	}
	r.Machine, r.At, r.Says = p.Machine, s.now(), words.OneLine(r.Says, 500)
	var events []event.Event
	if r.State == update.Failed {
		events = append(events, event.Event{Kind: event.UpdateFailed, Subject: r.Machine, Author: p.Name}.Saying(
			"{machine} did not come to {version}: {reason}", "machine", r.Machine, "version", o.Version, "reason", r.Says))
	}
	return s.store.SaveUpdateRecord(ctx, order, r, events...)
}
