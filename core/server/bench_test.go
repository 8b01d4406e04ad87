package server_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/server"
	"cirque/internal/large"
)

// BenchmarkWanted works out one server's queues in a large organisation: the usual 50, and 2,000, each for the people of
// a group; then what the next server of the same estate costs, and a comparison with what is there.
func BenchmarkWanted(b *testing.B) {
	o := large.New(1, large.ForBench())
	d := directory.New(o.Directory)
	now := time.Date(2026, 12, 1, 9, 0, 0, 0, time.UTC)
	of := func(string) *time.Location { return time.UTC }
	for _, n := range []int{50, 2000} {
		whole := *o.Estate
		doc := &whole
		doc.Servers, doc.Queues = slices.Clone(doc.Servers), slices.Clone(doc.Queues)
		s := &doc.Servers[0]
		s.Kept = true
		for i := range min(n, len(doc.Queues)) {
			q := &doc.Queues[i]
			q.Paths = []estate.Path{{Server: s.Name}}
			q.Access = &estate.Access{Allow: []string{"group:" + o.Directory.Groups[i%len(o.Directory.Groups)].Name}}
		}
		b.Run(fmt.Sprintf("queues-%d", n), func(b *testing.B) {
			var plan server.Plan
			for b.Loop() {
				plan = server.Wanted(doc, d, s.Name, now, of)
			}
			if len(plan.Wants) == 0 {
				b.Fatal("nothing is wanted")
			}
		})
		planner := server.NewPlanner(doc, d)
		plan := planner.Wanted(s.Name, now, of)
		b.Run(fmt.Sprintf("next-%d", n), func(b *testing.B) {
			for b.Loop() {
				plan = planner.Wanted(s.Name, now, of)
			}
		})
		b.Run(fmt.Sprintf("steps-%d", n), func(b *testing.B) {
			var steps []server.Step
			wants, _ := server.At(plan.Wants, now, of)
			found := make([]server.Found, 0, len(wants))
			for _, w := range slices.Backward(wants) {
				found = append(found, server.Found{Now: w, Own: true})
			}
			found[0].Comment = "otherwise"
			for b.Loop() {
				wants, _ = server.At(plan.Wants, now, of)
				steps = server.Steps(wants, found, nil)
			}
			if len(steps) != 1 {
				b.Fatal(len(steps), "steps")
			}
		})
	}
}
