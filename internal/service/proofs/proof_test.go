package proofs_test

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/internal/service/proofs"
	"cirque/internal/testkit/rooms"
	"cirque/internal/testkit/worlds"
)

// kept is a fleet in which everything is judged against the present view; who stands as before keeps their judgement.
type kept struct {
	proofs.Store
	*rooms.World
	recs  map[string]endpoint.Record // by folded machine
	fleet *fleet.Fleet
}

func (k *kept) Revision(ctx context.Context, n int) (estate.Revision, *estate.Document, error) {
	return k.World.Revision(ctx, n)
}

func (k *kept) Queue(_ context.Context, _ *access.Principal, called string) (lineup.QueueSheet, error) {
	return k.Present.View().Queue(called, time.Now())
}

func (*kept) EnrolledSilent(context.Context, time.Time) ([]string, error) { return nil, nil }

func (*kept) TestPages(context.Context, string, time.Time) ([]endpoint.Checkup, error) {
	return nil, nil
}

func (k *kept) judge() {
	v := k.Present.View()
	for _, rec := range k.recs {
		plan, location := v.Plan(rec.Report.Contexts, k.Now(), new(lineup.Scratch))
		judged, marks := v.Judge(rec, plan, k.Now()), endpoint.Marks(plan, rec.Report)
		if j := k.fleet.Get(rec.Report.Machine); j == nil || !j.LastSeen().Equal(rec.LastSeen) ||
			!reflect.DeepEqual(j.Marks, marks) {
			k.fleet.Put(judged, fleet.Follows{Marks: marks, Location: location, World: v.World})
		}
	}
}

func (k *kept) Every(context.Context) (list []*fleet.Judgement, silent []bool, err error) {
	list = k.fleet.All()
	for _, j := range list {
		silent = append(silent, k.fleet.Now(j, k.Now()) == endpoint.Silent)
	}
	return list, silent, nil
}

func (k *kept) OfQueue(_ context.Context, queue string) (list []*fleet.Judgement, silent []bool, all int, err error) {
	list = k.fleet.OfQueue(queue)
	for _, j := range list {
		silent = append(silent, k.fleet.Now(j, k.Now()) == endpoint.Silent)
	}
	return list, silent, k.fleet.Len(), nil
}

func (k *kept) Reported(context.Context) (func(string) *fleet.Judgement, error) {
	return k.fleet.Get, nil
}

// slowly proves by looking at everybody anew: rows as "machine user queue kind state says", sorted.
func (k *kept) slowly(t *testing.T, of int, queue string) []string {
	t.Helper()
	v := k.Present.View()
	world := func(n int) *lineup.World {
		e, err := k.Present.Past.Compiled(t.Context(), n)
		if err != nil {
			t.Fatal(err)
		}
		return lineup.Bind(e, v.World.Directory, v.World.Live)
	}
	plan := func(w *lineup.World, r endpoint.Record) endpoint.Plan {
		return endpoint.PlanFor(v.With(w).Lineups(r, k.Now()))
	}
	var rows []endpoint.ProofRow
	for _, r := range k.recs {
		now, silent := plan(v.World, r), k.Now().Sub(r.LastSeen) > endpoint.SilentAfter*v.ReportsEvery()
		if queue != "" {
			rows = append(rows, append(endpoint.Prove(endpoint.Has(now, queue), now, r, silent, k.Now()),
				endpoint.Beyond(queue, now, r)...)...)
			continue
		}
		var was endpoint.Plan
		if of > 1 {
			was = plan(world(of-1), r)
		}
		rows = append(rows, endpoint.Prove(endpoint.Expect(was, plan(world(of), r)), now, r, silent, k.Now())...)
	}
	return lines(rows)
}

func lines(rows []endpoint.ProofRow) []string {
	out := []string{}
	for _, r := range rows {
		out = append(out, strings.Join([]string{r.Machine, name.Fold(r.User), r.Queue, r.Kind, string(r.State), r.Says},
			" | "))
	}
	slices.Sort(out)
	return out
}

// TestProofOfChanges: whatever is published, goes down, comes up and is reported, a proof of a change and one of a
// queue say of everybody what looking at everybody anew says, also where most was found before.
func TestProofOfChanges(t *testing.T) {
	t.Parallel()
	all := 0
	for seed := range uint64(100) {
		m := worlds.New(seed)
		w := rooms.New(t, "estate: 1", directory.Records{})
		next := func() *estate.Document {
			doc := m.Estate()
			if seed%2 == 0 { // what was found with another live state is used again where there are no hours
				for i := range doc.Grants {
					doc.Grants[i].Open = nil
				}
				for i := range doc.Queues {
					doc.Queues[i].Open = nil
				}
			}
			return doc
		}
		w.PublishDocument(next())
		w.Import(m.Directory())
		w.Refresh(t)
		k := &kept{World: w, recs: map[string]endpoint.Record{}, fleet: fleet.New(endpoint.SilentAfter * 5 * time.Minute)}
		r := proofs.New(proofs.Config{Store: k, Present: w.Present, Now: w.Now, Fleet: k, Queues: k})
		report := func(i int) {
			rec := endpoint.Record{LastSeen: w.Now().Add(-time.Duration(m.IntN(20)) * time.Minute),
				Report: endpoint.Report{Machine: fmt.Sprint("m", i), Contexts: []lineup.Query{m.Query(), m.Query()}}}
			for _, want := range endpoint.PlanFor(w.Present.View().Lineups(rec, w.Now())).Wants {
				if m.Maybe(0.7) {
					rec.Report.Installed = append(rec.Report.Installed, endpoint.Installed{Want: want, Own: true})
				} else if m.Maybe(0.3) {
					rec.Report.Failures = append(rec.Report.Failures, endpoint.Failure{Queue: want.Queue, User: want.User,
						Step: "add", Says: "no", Since: w.Now()})
				}
			}
			k.recs[rec.Report.Machine] = rec
		}
		for i := range 8 {
			report(i)
		}
		published := 2
		for range 10 {
			switch m.IntN(5) {
			case 0:
				doc := *w.Present.View().Document()
				doc.Queues = slices.Clone(doc.Queues)
				if q := &doc.Queues[m.IntN(len(doc.Queues))]; len(q.Paths) > 1 { // it matters while the first one is usable
					q.Paths = q.Paths[1:]
				} else {
					doc = *next()
				}
				w.PublishDocument(&doc)
				published++
			case 1, 2:
				picks := w.State.Picks
				w.State = m.Live()
				w.State.Picks = picks
			case 3:
				w.Pass(time.Second) // no two reports come at once
				report(m.IntN(9))
			}
			w.Refresh(t)
			k.judge()
			for _, of := range []int{published, published - 1} {
				p, err := r.Proof(t.Context(), rooms.Who(access.Auditor), of, "", 10000)
				if err != nil {
					t.Fatal(err)
				}
				if got, want := lines(p.Rows), k.slowly(t, of, ""); !slices.Equal(got, want) {
					t.Fatalf("seed %d, revision %d of %d:\n%s\nlooked at anew\n%s", seed, of, published,
						strings.Join(got, "\n"), strings.Join(want, "\n"))
				}
				all += len(p.Rows)
			}
			p, err := r.Proof(t.Context(), rooms.Who(access.Auditor), 0, "q1", 10000)
			if fault.Is(err, fault.Unknown) {
				continue
			}
			if got, want := lines(p.Rows), k.slowly(t, 0, p.Queue); err != nil || !slices.Equal(got, want) {
				t.Fatalf("seed %d, queue %s: %v\n%s\nlooked at anew\n%s", seed, p.Queue, err, strings.Join(got, "\n"),
					strings.Join(want, "\n"))
			}
		}
	}
	if all < 1000 {
		t.Error("too dull:", all)
	}
}

// TestProofKeepsFew: of many rows few are shown, and all are counted.
func TestProofKeepsFew(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, `{estate: 1, queues: [{name: hall, paths: [{gateway: true}]}],
		grants: [{name: g, effect: place, queues: [hall], to: [everyone]}]}`, directory.Records{})
	k := &kept{World: w, recs: map[string]endpoint.Record{}, fleet: fleet.New(time.Hour)}
	for i := range 50 {
		n := fmt.Sprint("m", i)
		k.recs[n] = endpoint.Record{LastSeen: w.Now(), Report: endpoint.Report{Machine: n,
			Contexts: []lineup.Query{{Machine: &n, User: &n}}}}
	}
	k.judge()
	r := proofs.New(proofs.Config{Store: k, Present: w.Present, Now: w.Now, Fleet: k, Queues: k})
	for _, queue := range []string{"", "hall"} {
		p, err := r.Proof(t.Context(), rooms.Who(access.Auditor), 0, queue, 3)
		if err != nil || len(p.Rows) != 3 || p.Pending != 50 || p.Expected != 50 || p.Rows[0].Says == "" {
			t.Errorf("%q: %+v %v", queue, p, err)
		}
	}
}
