package proofs

import (
	"context"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/internal/service/present"
)

// testedWithin is how long ago a test page may have been sent to count for a queue.
const testedWithin = 30 * 24 * time.Hour

// Proof says how far a change has come, or how a queue stands: on which endpoints it is expected, where it has arrived,
// and from where a test page was sent since. Where neither is named the current revision is meant. A change is looked
// at with the directory and the live state of now, so that it is the change alone that is seen.
//
//nolint:funlen // one page, from its question to its figures
func (s *Room) Proof(ctx context.Context, p *access.Principal, revision int, queue string,
	limit int) (endpoint.Proof, error) {
	out := endpoint.Proof{Revision: revision, Queue: queue, At: s.now().UTC()}
	if err := access.Check(p, access.ReadFleet); err != nil {
		return out, err
	}
	snap := s.present.View()
	if revision > 0 && queue != "" {
		return out, fault.New(fault.Invalid, "proof-either", "name a revision or a queue",
			"a proof is of a change, or of a queue")
	}
	since := out.At.Add(-testedWithin)
	var before, after *lineup.World
	if queue == "" {
		if out.Revision == 0 {
			out.Revision = snap.Revision.Number
		}
		if out.Revision == 0 {
			return out, fault.New(fault.Conflict, "nothing-published", "publish an estate first",
				"nothing has been published yet")
		}
		rev, _, err := s.store.Revision(ctx, out.Revision)
		if err != nil {
			return out, err
		}
		since = rev.At
		if after, err = s.worldOf(ctx, snap, out.Revision); err != nil {
			return out, err
		}
		if out.Revision > 1 {
			if before, err = s.worldOf(ctx, snap, out.Revision-1); err != nil {
				return out, err
			}
		}
	} else {
		found, err := s.cfg.Queues.Queue(ctx, p, queue)
		if err != nil {
			return out, err
		}
		queue = found.Name
		out.Queue = queue
	}
	leave, err := s.present.Crew.Enter(ctx)
	if err != nil {
		return out, err
	}
	defer leave()
	all, err := s.store.Endpoints(ctx)
	if err != nil {
		return out, err
	}
	tested, err := s.tested(ctx, queue, since)
	if err != nil {
		return out, err
	}
	every := time.Duration(snap.Document().Agent().ReportMinutes) * time.Minute
	for _, r := range all {
		if ctx.Err() != nil {
			return out, present.Stopped()
		}
		now := s.planIn(snap.World, r)
		var rows []endpoint.ProofRow
		silent := out.At.Sub(r.LastSeen) > endpoint.SilentAfter*every
		if queue != "" {
			rows = append(endpoint.Prove(endpoint.Has(now, queue), now, r, silent, out.At), endpoint.Beyond(queue, now, r)...)
		} else {
			was := endpoint.Plan{}
			if before != nil {
				was = s.planIn(before, r)
			}
			rows = endpoint.Prove(endpoint.Expect(was, s.planIn(after, r)), now, r, silent, out.At)
		}
		if len(rows) == 0 {
			out.Others++
		}
		for i := range rows {
			if t, ok := tested[testedAt{name.Fold(r.Report.Machine), rows[i].Queue}]; ok && rows[i].Kind != "loses" {
				rows[i].Tested = &t
			}
		}
		out.Rows = append(out.Rows, rows...)
	}
	if queue != "" {
		absent, err := s.unreached(ctx, all, queue)
		if err != nil {
			return out, err
		}
		out.Absent = len(absent)
	}
	return out.Close(limit), nil
}

// worldOf is a revision's estate with the directory and live state of a snapshot.
func (s *Room) worldOf(ctx context.Context, snap *present.View, revision int) (*lineup.World, error) {
	if revision == snap.Revision.Number {
		return snap.World, nil
	}
	e, err := s.present.Past.Compiled(ctx, revision)
	if err != nil {
		return nil, err
	}
	return lineup.Bind(e, snap.World.Directory, snap.World.Live), nil
}

// planIn is what an endpoint is to have in a world, in the contexts that it last reported.
func (s *Room) planIn(w *lineup.World, r endpoint.Record) endpoint.Plan {
	return endpoint.PlanFor(s.present.View().With(w).Lineups(r, s.now()))
}

type testedAt struct{ machine, queue string }

// tested gives the latest test page from each endpoint to each queue since a time.
func (s *Room) tested(ctx context.Context, queue string, since time.Time) (map[testedAt]endpoint.Tested, error) {
	list, err := s.store.TestPages(ctx, queue, since)
	if err != nil {
		return nil, err
	}
	out := map[testedAt]endpoint.Tested{}
	for _, c := range list { // newest first
		k := testedAt{c.Machine, c.Queue}
		if _, there := out[k]; there || c.Tries() {
			continue
		}
		if t := c.Tested(); t != nil {
			out[k] = *t
		}
	}
	return out, nil
}

// Unreached lists the machines that are known, receive queues, and from which no agent has ever reported.
func (s *Room) Unreached(ctx context.Context, p *access.Principal) ([]endpoint.Unreached, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	all, err := s.store.Endpoints(ctx)
	if err != nil {
		return nil, err
	}
	return s.unreached(ctx, all, "")
}

func (s *Room) unreached(ctx context.Context, all []endpoint.Record, queue string) ([]endpoint.Unreached, error) {
	snap, now := s.present.View(), s.now()
	reported := map[string]bool{}
	for _, r := range all {
		reported[name.Fold(r.Report.Machine)] = true
	}
	enrolled, err := s.letIn(ctx)
	if err != nil {
		return nil, err
	}
	out := []endpoint.Unreached{}
	look := func(u endpoint.Unreached) {
		k := name.Fold(u.Machine)
		if reported[k] {
			return
		}
		reported[k] = true // once, where directory and estate both know it
		q := lineup.Query{Machine: &u.Machine}
		if u.Platform != "" {
			q.Platform = &u.Platform
		}
		l, err := snap.Resolve(q, now)
		if err != nil {
			return // a platform that is none
		}
		for _, w := range endpoint.PlanFor([]lineup.Lineup{*l}).Wants {
			if queue == "" || w.Queue == queue {
				u.Queues = append(u.Queues, w.Queue)
			}
		}
		if len(u.Queues) == 0 {
			return
		}
		if l.Context.Location != nil {
			u.Location = *l.Context.Location
		}
		u.Enrolled = enrolled[k]
		u.Why, u.Instead = endpoint.Reach(u.Platform, u.Enrolled)
		out = append(out, u)
	}
	for _, m := range snap.World.Directory.Records().Machines {
		if ctx.Err() != nil {
			return nil, present.Stopped()
		}
		look(endpoint.Unreached{Machine: m.Name, Known: "directory", Platform: m.Platform})
	}
	for _, m := range snap.Document().Stations {
		look(endpoint.Unreached{Machine: m.Name, Known: "station", Platform: m.Platform})
	}
	return out, nil
}

// letIn names the machines that have a certificate or a token that holds, folded.
func (s *Room) letIn(ctx context.Context) (map[string]bool, error) {
	out := map[string]bool{}
	list, err := s.store.Enrolled(ctx)
	if err != nil {
		return nil, err
	}
	now := s.now()
	for _, e := range list {
		if e.RevokedAt == nil && now.Before(e.ExpiresAt) {
			out[name.Fold(e.Machine)] = true
		}
	}
	for _, t := range s.present.Access().Tokens {
		if t.Role == access.Agent && !t.Ended(now) {
			out[name.Fold(t.Machine)] = true
		}
	}
	return out, nil
}
