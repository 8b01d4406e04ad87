package keepers

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/server"
	"cirque/core/words"
)

// recordOf finds what the agent that keeps a server said last.
func recordOf(list []server.Record, machine string) *server.Record {
	bare := func(m string) string { return name.BareMachine(name.Fold(m)) }
	i := slices.IndexFunc(list, func(r server.Record) bool { return bare(r.Report.Machine) == bare(machine) })
	if i < 0 {
		return nil
	}
	return &list[i]
}

// records gives what all agents that keep servers said last, by machine. What this process has read already is not read
// again: a report is as long as its server has queues. They are not to be changed.
func (s *Room) records(ctx context.Context) ([]server.Record, error) {
	versions, err := s.store.KeeperVersions(ctx)
	if err != nil {
		return nil, err
	}
	said := map[string]server.Versioned{}
	var read []string
	s.mu.Lock()
	for machine, v := range versions {
		if r := s.said[machine]; r.Version == v {
			said[machine] = r
		} else {
			read = append(read, machine)
		}
	}
	s.mu.Unlock()
	if len(read) > 0 {
		fresh, err := s.store.KeepersOf(ctx, read)
		if err != nil {
			return nil, err
		}
		maps.Copy(said, fresh)
	}
	s.mu.Lock()
	s.said = said
	s.mu.Unlock()
	out := make([]server.Record, 0, len(said))
	for _, r := range said {
		out = append(out, r.Record)
	}
	slices.SortFunc(out, func(a, b server.Record) int { return cmp.Compare(a.Report.Machine, b.Report.Machine) })
	return out, nil
}

// Kept lists the servers that are kept, by name, and then machines whose agents are ready to keep one.
func (s *Room) Kept(ctx context.Context, p *access.Principal) ([]server.Summary, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	records, err := s.records(ctx)
	if err != nil {
		return nil, err
	}
	v, now := s.present.View(), s.cfg.Now()
	out := []server.Summary{}
	doc := v.Document()
	for i := range doc.Servers {
		of := &doc.Servers[i]
		if !of.Kept {
			continue
		}
		plan := s.plan(v, of.Name)
		plan.Wants = withPackages(plan.Wants, s.present.Stock().Packages, of.RunsOn())
		out = append(out, server.NewSheet(of, plan, recordOf(records, of.KeptBy()), now, s.cfg.Zone,
			v.ReportsEvery()).Summary)
	}
	for _, r := range records {
		if server.Keeping(doc, r.Report.Machine) == nil {
			out = append(out, server.Offering(r))
		}
	}
	slices.SortStableFunc(out, func(a, b server.Summary) int {
		return cmp.Or(-cmp.Compare(min(len(a.Server), 1), min(len(b.Server), 1)), cmp.Compare(a.Server, b.Server),
			cmp.Compare(a.Machine, b.Machine))
	})
	return out, nil
}

// Troubled gives the kept servers that fail, or whose agents are silent.
func (s *Room) Troubled(ctx context.Context) ([]server.Summary, error) {
	v, now := s.present.View(), s.cfg.Now()
	records, err := s.records(ctx)
	if err != nil {
		return nil, err
	}
	var out []server.Summary
	for _, r := range records {
		of := server.Keeping(v.Document(), r.Report.Machine)
		if of == nil || !r.Troubled(now, v.ReportsEvery()) {
			continue
		}
		sheet := server.NewSheet(of, s.plan(v, of.Name), &r, now, s.cfg.Zone, v.ReportsEvery())
		if sheet.State == server.Failing || sheet.State == server.Silent {
			out = append(out, sheet.Summary)
		}
	}
	return out, nil
}

// FoundOn gives what agents found on the servers that they keep, by server.
func (s *Room) FoundOn(ctx context.Context) (map[string][]server.Found, error) {
	records, err := s.records(ctx)
	if err != nil {
		return nil, err
	}
	out := map[string][]server.Found{}
	for _, r := range records {
		if of := server.Keeping(s.present.View().Document(), r.Report.Machine); of != nil {
			out[of.Name] = r.Report.Found
		}
	}
	return out, nil
}

// Sheet gives all about one kept server, or about a machine whose agent is ready to keep one.
func (s *Room) Sheet(ctx context.Context, p *access.Principal, called string) (server.Sheet, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return server.Sheet{}, err
	}
	records, err := s.records(ctx)
	if err != nil {
		return server.Sheet{}, err
	}
	v := s.present.View()
	of, err := s.server(v, called)
	if err != nil {
		r := recordOf(records, called)
		if r != nil && server.Keeping(v.Document(), called) == nil && fault.Is(err, fault.Unknown) {
			return server.OfferingSheet(*r), nil
		}
		return server.Sheet{}, err
	}
	plan := s.plan(v, called)
	plan.Wants = withPackages(plan.Wants, s.present.Stock().Packages, of.RunsOn())
	return server.NewSheet(of, plan, recordOf(records, of.KeptBy()), s.cfg.Now(), s.cfg.Zone, v.ReportsEvery()), nil
}

// Why says why a queue is, or is not, to be on a server.
func (s *Room) Why(_ context.Context, p *access.Principal, called, queue string) (server.Why, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return server.Why{}, err
	}
	v := s.present.View()
	if n, ok := v.World.Estate.HasQueue(queue); ok {
		queue = n
	}
	w, ok := server.Explain(v.Document(), v.World.Directory, called, queue, s.cfg.Now(), s.cfg.Zone)
	if !ok {
		return w, fault.New(fault.Unknown, "queue-unknown", "see cirque server list and cirque queue list",
			"the estate has no server %q, or no queue %q", called, queue)
	}
	return w, nil
}

// Take has queues that somebody else made on a kept server become Cirque's own. Each has to be wanted there: what is
// not would be taken away at once.
func (s *Room) Take(ctx context.Context, p *access.Principal, called string, queues []string) ([]string, error) {
	if err := access.Check(p, access.Publish); err != nil {
		return nil, err
	}
	sheet, err := s.Sheet(ctx, p, called)
	if err != nil {
		return nil, err
	}
	of, err := s.server(s.present.View(), called)
	if err != nil {
		return nil, err
	}
	if err := may(p, of); err != nil {
		return nil, err
	}
	if len(queues) == 0 {
		for _, r := range sheet.Rows {
			if r.State == server.RowInTheWay {
				queues = append(queues, r.Name)
			}
		}
	}
	if len(queues) == 0 {
		return nil, fault.New(fault.Conflict, "nothing-to-take", "see cirque server kept "+called, "nothing on %s that "+
			"somebody else made is in the way of a queue of the estate", called)
	}
	for _, q := range queues {
		i := slices.IndexFunc(sheet.Rows, func(r server.Row) bool { return r.Name == q })
		switch {
		case i < 0 || sheet.Rows[i].State == server.RowMissing:
			return nil, fault.New(fault.Unknown, "found-queue-unknown", "see cirque server kept "+called,
				"no queue %q was found on %s", q, called)
		case sheet.Rows[i].State == server.RowOther:
			return nil, fault.New(fault.Conflict, "not-wanted", "take it into the estate first: cirque adopt --server "+called+
				" --queue "+q+", and publish", "no queue of the estate is called %q on %s: taken over, it would go", q, called)
		case sheet.Rows[i].State != server.RowInTheWay:
			return nil, fault.New(fault.Conflict, "own-already", "", "%s on %s is Cirque's own already", q, called)
		}
	}
	e := event.Event{Kind: event.QueueTaken, Subject: called, Author: p.Name}.Saying(
		"Of {server} are to become Cirque's own: {queues}", "server", called, "queues", words.Few(queues, 10))
	if err := s.store.Take(ctx, called, sheet.Machine, queues, p.Name, e.With(nil, queues)); err != nil {
		return nil, err
	}
	s.present.Agents.Wake(sheet.Machine) // here at once; the other processes hear of it
	return queues, nil
}

// Leave takes that back for a queue that has not been taken over yet.
func (s *Room) Leave(ctx context.Context, p *access.Principal, called, queue string) error {
	if err := access.Check(p, access.Publish); err != nil {
		return err
	}
	of, err := s.server(s.present.View(), called)
	if err != nil {
		return err
	}
	if err := may(p, of); err != nil {
		return err
	}
	return s.store.Leave(ctx, called, of.KeptBy(), queue, event.Event{Kind: event.QueueLeft, Subject: called,
		Author: p.Name}.Saying("{queue} of {server} is left to whoever made it", "queue", queue, "server", called))
}

// Forget forgets what an agent said that keeps no server of the estate.
func (s *Room) Forget(ctx context.Context, p *access.Principal, machine string) error {
	if err := access.CheckAt(p, access.Publish, "", "the machine "+machine); err != nil {
		return err
	}
	if of := server.Keeping(s.present.View().Document(), machine); of != nil {
		return fault.New(fault.Conflict, "server-kept", "leave out kept, and publish, first", "%s keeps %s",
			strings.TrimSpace(machine), of.Name)
	}
	return s.store.RemoveKeeper(ctx, machine, event.Event{Kind: event.QueueLeft, Subject: machine,
		Author: p.Name}.Saying("What the agent on {machine} said of its print server was forgotten", "machine", machine))
}
