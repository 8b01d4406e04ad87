package endpoint

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"cirque/core/name"
)

// TestMarksSayWhatProveSays: on random endpoints, what is kept of each queue is what a proof says of it in words.
func TestMarksSayWhatProveSays(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	seen := map[Standing]int{}
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 3))
		before, after, now, rec := randomPlan(r), randomPlan(r), randomPlan(r), Record{LastSeen: at.Add(-time.Hour)}
		rec.Report = randomReport(r)
		marks, silent := Marks(now, rec.Report), r.IntN(2) == 0
		for _, e := range Expect(before, after) {
			user, state := e.Stand(marks, &rec.Report, silent)
			row := Prove([]Expectation{e}, now, rec, silent, at)[0]
			if state != row.State || user != row.User {
				t.Fatalf("%d: %+v is %s of %q, and a proof says %s of %q", seed, e, state, user, row.State, row.User)
			}
			seen[state]++
		}
		for _, queue := range []string{"q0", "q1", "q2"} {
			text := func(rows []ProofRow) (out []string) {
				for _, w := range rows {
					out = append(out, fmt.Sprint(w.Queue, " ", name.Fold(w.User), " ", w.Kind, " ", w.State))
				}
				slices.Sort(out)
				return slices.Compact(out)
			}
			got := text(Rows("desk", queue, marks, silent))
			want := text(append(Prove(Has(now, queue), now, rec, silent, at), Beyond(queue, now, rec)...))
			if !slices.Equal(got, want) {
				t.Fatalf("%d %s: %v, and a proof says %v", seed, queue, got, want)
			}
		}
	}
	for _, s := range standings {
		if s != Surplus && seen[s] == 0 {
			t.Error("never seen:", s)
		}
	}
}

func randomPlan(r *rand.Rand) (p Plan) {
	have := map[Key]bool{}
	for range r.IntN(5) {
		w := Want{Queue: fmt.Sprint("q", r.IntN(3)), User: []string{"", "mira", "Jonas"}[r.IntN(3)],
			URI: fmt.Sprint("ipp://", r.IntN(2)), Driver: "driverless", Restore: r.IntN(2) == 0}
		if !have[w.Key()] {
			have[w.Key()] = true
			p.Wants = append(p.Wants, w)
		}
	}
	return p
}

func randomReport(r *rand.Rand) (out Report) {
	out.Machine = "desk"
	for _, w := range randomPlan(r).Wants {
		out.Installed = append(out.Installed, Installed{Want: w, Own: r.IntN(4) > 0, Halted: r.IntN(6) == 0})
	}
	for _, w := range randomPlan(r).Wants[:] {
		switch r.IntN(4) {
		case 0:
			out.Failures = append(out.Failures, Failure{Queue: w.Queue, User: w.User, Step: "add", Says: "no"})
		case 1:
			out.Removed = append(out.Removed, Key{w.User, w.Queue})
		}
	}
	return out
}
