package proofs

import (
	"context"
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
	a := asking{snap: s.present.View(), tally: endpoint.NewTally(limit), of: map[string]*fleet.Judgement{},
		shown: map[string]shown{}}
	var err error
	if queue != "" {
		err = s.ofQueue(ctx, p, &out, &a)
	} else {
		err = s.ofChange(ctx, &out, &a)
	}
	if err != nil {
		return out, err
	}
	return out.Close(a.tally, func(rows []endpoint.ProofRow) { s.say(&a, rows, out) }), nil
}

// asking is one proof on its way.
type asking struct {
	snap   *present.View
	tested map[testedAt]endpoint.Tested
	on     map[string]bool // folded machines that are in tested
	tally  *endpoint.Tally
	// Of the endpoints whose rows may be kept, by machine: they, and what stands behind what a change asks of them.
	of       map[string]*fleet.Judgement
	shown    map[string]shown
	was, now lineup.Scratch
}

// add counts a row.
func (a *asking) add(j *fleet.Judgement, r endpoint.ProofRow) {
	if t, ok := a.tested[testedAt{name.Fold(r.Machine), r.Queue}]; ok && r.Kind != "loses" {
		r.Tested = &t
	}
	if !a.tally.Full(r.State) {
		a.of[r.Machine] = j
	}
	a.tally.Add(r)
}

// ofQueue counts the rows of a queue, without words.
func (s *Room) ofQueue(ctx context.Context, p *access.Principal, out *endpoint.Proof, a *asking) error {
	found, err := s.cfg.Queues.Queue(ctx, p, out.Queue)
	if err != nil {
		return err
	}
	out.Queue = found.Name
	if err := s.tested(ctx, a, out.Queue, out.At.Add(-testedWithin)); err != nil {
		return err
	}
	list, silent, all, err := s.cfg.Fleet.OfQueue(ctx, out.Queue)
	if err != nil {
		return err
	}
	for i, j := range list {
		for _, r := range endpoint.Rows(j.Machine(), out.Queue, j.Marks, silent[i]) {
			a.add(j, r)
		}
		if j.IsDefault(out.Queue) {
			out.Default++
		}
	}
	out.Others = all - len(list)
	absent, err := s.unreached(ctx, out.Queue)
	out.Absent = len(absent)
	return err
}

// ofChange counts the rows of a change, without words.
func (s *Room) ofChange(ctx context.Context, out *endpoint.Proof, a *asking) error {
	current := a.snap.Revision
	if out.Revision == 0 {
		out.Revision = current.Number
	}
	if out.Revision == 0 {
		return fault.New(fault.Conflict, "nothing-published", "publish an estate first",
			"nothing has been published yet")
	}
	if out.Revision != current.Number {
		var err error
		if current, _, err = s.store.Revision(ctx, out.Revision); err != nil {
			return err
		}
	}
	var since time.Time
	if current.At != nil {
		since = *current.At
	}
	if err := s.tested(ctx, a, "", since); err != nil {
		return err
	}
	c, err := s.change(ctx, a.snap, out.Revision)
	if err != nil {
		return err
	}
	list, silent, err := s.cfg.Fleet.Every(ctx)
	if err != nil {
		return err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := c.look(ctx, s, list); err != nil {
		return err
	}
	counts, full := perStanding[int]{}, a.full()
	for i, r := range c.rows {
		if r.asked == (asked{}) {
			out.Others++
			continue
		}
		quiet := 0
		if silent[i] {
			quiet = 1
		}
		look := len(a.on) > 0 && a.on[name.Fold(r.of.Machine())]
		for k, n := range r.asked {
			look = look || n > 0 && !full[quiet][k]
		}
		if look {
			a.rows(s, c, r.of, silent[i])
			full = a.full()
			continue
		}
		for k, n := range r.asked {
			counts[quiet][k] += int(n)
		}
	}
	for quiet, of := range counts {
		for k, n := range of {
			if n > 0 {
				a.tally.Count(endpoint.Late(standings[k], quiet == 1), n)
			}
		}
	}
	return nil
}

// perStanding has a value for each standing of an endpoint that reports in time, and of one that is silent.
type perStanding[T any] [2][len(asked{})]T

// full says of which standings rows need only be counted.
func (a *asking) full() (out perStanding[bool]) {
	for quiet := range out {
		for k, state := range standings {
			out[quiet][k] = a.tally.Full(endpoint.Late(state, quiet == 1))
		}
	}
	return out
}

// rows counts what a change asks of one endpoint row by row.
func (a *asking) rows(s *Room, c *change, j *fleet.Judgement, silent bool) {
	one := c.show(s, j, &a.was, &a.now)
	a.shown[j.Machine()] = one
	for _, e := range one.asks {
		row := endpoint.ProofRow{Machine: j.Machine(), Queue: e.Queue, Kind: e.Kind}
		row.User, row.State = e.Stand(j.Marks, j.Report(), silent)
		a.add(j, row)
	}
}

// say gives rows their words: those that follow from what their endpoints reported last and what they are to have now.
func (s *Room) say(a *asking, rows []endpoint.ProofRow, of endpoint.Proof) {
	said := map[endpoint.ProofRow]string{}
	key := func(r endpoint.ProofRow) endpoint.ProofRow {
		return endpoint.ProofRow{Machine: r.Machine, User: name.Fold(r.User), Queue: r.Queue, Kind: r.Kind}
	}
	done, scratch := map[string]bool{}, new(lineup.Scratch)
	for i := range rows {
		if machine := rows[i].Machine; !done[machine] {
			done[machine] = true
			r := a.of[machine].Record()
			one, known := a.shown[machine]
			if !known {
				one.now = s.planIn(a.snap.World, r.Report.Contexts, scratch)
			}
			silent := of.At.Sub(r.LastSeen) > endpoint.SilentAfter*a.snap.ReportsEvery()
			if of.Queue != "" {
				one.asks = endpoint.Has(one.now, of.Queue)
			}
			words := endpoint.Prove(one.asks, one.now, r, silent, of.At)
			if of.Queue != "" {
				words = append(words, endpoint.Beyond(of.Queue, one.now, r)...)
			}
			for _, w := range words {
				said[key(w)] = w.Says
			}
		}
		if rows[i].Says = said[key(rows[i])]; rows[i].Says == "" {
			rows[i].Says = "a change that has just come asks something else of it"
		}
	}
}

// planIn is what an endpoint is to have in a world, in the contexts that it last reported.
func (s *Room) planIn(w *lineup.World, contexts []lineup.Query, scratch *lineup.Scratch) endpoint.Plan {
	plan, _ := s.present.View().With(w).Plan(contexts, s.now(), scratch)
	return plan
}

type testedAt struct{ machine, queue string }

// tested notes the latest test page from each endpoint to each queue since a time.
func (s *Room) tested(ctx context.Context, a *asking, queue string, since time.Time) error {
	list, err := s.store.TestPages(ctx, queue, since)
	if err != nil {
		return err
	}
	a.tested, a.on = map[testedAt]endpoint.Tested{}, map[string]bool{}
	for _, c := range list { // newest first
		k := testedAt{c.Machine, c.Queue}
		if _, there := a.tested[k]; there || c.Tries() {
			continue
		}
		if t := c.Tested(); t != nil {
			a.tested[k] = *t
			a.on[c.Machine] = true
		}
	}
	return nil
}
