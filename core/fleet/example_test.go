package fleet_test

import (
	"fmt"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/core/page"
)

// Judgements go in as they come; counts and pages come out at any time.
func Example() {
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	f := fleet.New(15 * time.Minute)
	for i, machine := range []string{"till-1", "till-2", "desk-1"} {
		f.Put(endpoint.Judged{Record: endpoint.Record{LastSeen: now.Add(-time.Duration(i) * 10 * time.Minute),
			Report: endpoint.Report{Machine: machine}}}, fleet.Follows{Location: "ardholm/quay"})
	}
	f.Tick(now)
	fmt.Println(f.States())
	for _, j := range f.Page(fleet.Filter{Word: "till"}, page.Ask{}, now).Items {
		fmt.Println(j.Machine())
	}
	// Output:
	// map[converged:2 silent:1]
	// till-1
	// till-2
}
