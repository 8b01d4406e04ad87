package proofs

import (
	"context"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/internal/service/present"
)

// testedWithin is how long ago a test page may have been sent to count for a queue.
const testedWithin = 30 * 24 * time.Hour

// Proof says how far a change has come, or how a queue stands: on which endpoints it is expected, where it has arrived,
// and from where a test page was sent since. Where neither is named the current revision is meant. A change is looked
// at with the directory and the live state of now, so that it is the change alone that is seen.
func (s *Room) Proof(ctx context.Context, p *access.Principal, revision int, queue string,
	limit int) (endpoint.Proof, error) {
	out := endpoint.Proof{Revision: revision, Queue: queue, At: s.now().UTC()}
	if err := access.Check(p, access.ReadFleet); err != nil {
		return out, err
	}
	if revision > 0 && queue != "" {
		return out, fault.New(fault.Invalid, "proof-either", "name a revision or a queue",
			"a proof is of a change, or of a queue")
	}
	snap := s.present.View()
	var err error
	since := out.At.Add(-testedWithin)
	expects := map[string][]endpoint.Expectation{} // by machine; of a change
	if queue != "" {
		err = s.ofQueue(ctx, p, &out)
	} else {
		since, err = s.ofChange(ctx, snap, &out, expects)
	}
	if err != nil {
		return out, err
	}
	tested, err := s.tested(ctx, out.Queue, since)
	if err != nil {
		return out, err
	}
	for i := range out.Rows {
		r := &out.Rows[i]
		if t, ok := tested[testedAt{name.Fold(r.Machine), r.Queue}]; ok && r.Kind != "loses" {
			r.Tested = &t
		}
	}
	return out.Close(limit, func(rows []endpoint.ProofRow) { err = s.say(ctx, snap, rows, expects, out) }), err
}

// ofQueue gives the rows of a queue, without words.
func (s *Room) ofQueue(ctx context.Context, p *access.Principal, out *endpoint.Proof) error {
	found, err := s.cfg.Queues.Queue(ctx, p, out.Queue)
	if err != nil {
		return err
	}
	out.Queue = found.Name
	list, silent, all, err := s.cfg.Fleet.OfQueue(ctx, out.Queue)
	if err != nil {
		return err
	}
	for i, j := range list {
		out.Rows = append(out.Rows, endpoint.Rows(j.Machine(), out.Queue, j.Marks, silent[i])...)
		if j.IsDefault(out.Queue) {
			out.Default++
		}
	}
	out.Others = all - len(list)
	absent, err := s.unreached(ctx, out.Queue)
	out.Absent = len(absent)
	return err
}

// ofChange gives the rows of a change, without words, and when it was made; expects gets what it asks of whom.
func (s *Room) ofChange(ctx context.Context, snap *present.View, out *endpoint.Proof,
	expects map[string][]endpoint.Expectation) (since time.Time, err error) {
	if out.Revision == 0 {
		out.Revision = snap.Revision.Number
	}
	if out.Revision == 0 {
		return since, fault.New(fault.Conflict, "nothing-published", "publish an estate first",
			"nothing has been published yet")
	}
	rev, _, err := s.store.Revision(ctx, out.Revision)
	if err != nil {
		return since, err
	}
	c, err := s.change(ctx, snap, out.Revision)
	if err != nil {
		return since, err
	}
	var list []*fleet.Judgement
	var silent []bool
	if err := s.cfg.Fleet.Each(ctx, func(j *fleet.Judgement, state endpoint.State) error {
		list, silent = append(list, j), append(silent, state == endpoint.Silent)
		return nil
	}); err != nil {
		return since, err
	}
	asks, err := c.of(ctx, s, list)
	if err != nil {
		return since, err
	}
	for i, j := range list {
		if len(asks[i]) == 0 {
			out.Others++
			continue
		}
		expects[j.Machine()] = asks[i]
		for _, e := range asks[i] {
			row := endpoint.ProofRow{Machine: j.Machine(), Queue: e.Queue, Kind: e.Kind}
			row.User, row.State = e.Stand(j.Marks, j.Report(), silent[i])
			out.Rows = append(out.Rows, row)
		}
	}
	return rev.At, nil
}

// say gives rows their words: those that follow from what their endpoints reported last and what they are to have now.
func (s *Room) say(ctx context.Context, snap *present.View, rows []endpoint.ProofRow,
	expects map[string][]endpoint.Expectation, of endpoint.Proof) error {
	var named []string
	for _, r := range rows {
		named = append(named, name.Fold(r.Machine))
	}
	slices.Sort(named)
	list, err := s.store.EndpointsNamed(ctx, slices.Compact(named))
	if err != nil {
		return err
	}
	every := time.Duration(snap.Document().Agent().ReportMinutes) * time.Minute
	said := map[endpoint.ProofRow]string{}
	key := func(r endpoint.ProofRow) endpoint.ProofRow {
		return endpoint.ProofRow{Machine: name.Fold(r.Machine), User: name.Fold(r.User), Queue: r.Queue, Kind: r.Kind}
	}
	for _, r := range list {
		now, silent := s.planIn(snap.World, r), of.At.Sub(r.LastSeen) > endpoint.SilentAfter*every
		asks := expects[r.Report.Machine]
		if of.Queue != "" {
			asks = endpoint.Has(now, of.Queue)
		}
		words := endpoint.Prove(asks, now, r, silent, of.At)
		if of.Queue != "" {
			words = append(words, endpoint.Beyond(of.Queue, now, r)...)
		}
		for _, w := range words {
			said[key(w)] = w.Says
		}
	}
	for i := range rows {
		if rows[i].Says = said[key(rows[i])]; rows[i].Says == "" {
			rows[i].Says = "it has just reported something else"
		}
	}
	return nil
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
