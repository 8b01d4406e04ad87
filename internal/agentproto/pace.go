package agentproto

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// PaceHeader carries a Pace with each answer to an agent.
const PaceHeader = "Cirque-Pace"

// A Pace says how often an agent does what; the service sets it for all agents.
type Pace struct {
	Wait   time.Duration // how long it waits for a change before it asks anew
	Report time.Duration // it reports at least so often
	Gap    time.Duration // after a broken connection it asks again within this
}

// DefaultPace is an agent's until the service says another.
var DefaultPace = Pace{Wait: DefaultWait, Report: 5 * time.Minute, Gap: 90 * time.Second}

// bounds hold each part of a pace.
var bounds = map[string][2]time.Duration{"wait": {time.Second, MaxWait}, "report": {time.Second, 24 * time.Hour},
	"gap": {time.Second, 24 * time.Hour}}

// String writes the header, in whole seconds.
func (p Pace) String() string {
	return fmt.Sprintf("wait=%d, report=%d, gap=%d", int(p.Wait/time.Second), int(p.Report/time.Second),
		int(p.Gap/time.Second))
}

// ParsePace reads the header; what it does not say, or not within bounds, stays as it was before.
func ParsePace(header string, before Pace) Pace {
	for part := range strings.SplitSeq(header, ",") {
		k, v, _ := strings.Cut(strings.TrimSpace(part), "=")
		n, err := strconv.Atoi(v)
		b, known := bounds[k]
		d := time.Duration(n) * time.Second
		if err != nil || !known || d < b[0] || d > b[1] {
			continue
		}
		switch k {
		case "wait":
			before.Wait = d
		case "report":
			before.Report = d
		case "gap":
			before.Gap = d
		}
	}
	return before
}
