package continuity_test

import (
	"fmt"
	"time"

	"cirque/core/continuity"
)

// One failed probe proves nothing; so many in a row do, and so many good ones take it back.
func Example() {
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	rule := continuity.Rule{Every: 10 * time.Second, DownAfter: 2, UpAfter: 2, FlapMost: 4, FlapWithin: time.Hour}
	h := continuity.Health{Kind: "server", Name: "ps-1"}
	for _, ok := range []bool{true, false, true, false, false, true, true} {
		at = at.Add(rule.Every)
		h, _ = h.Step(continuity.Probe{OK: ok, Says: "refused"}, at, rule)
		fmt.Print(h.Verdict, " ")
	}
	// Output: up up up up down down up
}
