package endpoint

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/lineup"
	"cirque/core/words"
)

// A Check is one look at something of a checkup. Nothing proven is a third result beside yes and no.
type Check struct {
	Check  string `json:"check" doc:"What was asked, such as: does it reach the service?"`
	Result string `json:"result" enum:"yes,no,unproven"`
	Says   string `json:"says"`
	Fix    string `json:"fix,omitempty"`
	By     string `json:"by" enum:"service,endpoint" doc:"From whose place it was looked."`
	// Kind is worked out whenever a checkup is looked at, and not kept.
	Kind CheckKind `json:"kind,omitempty" enum:"test-page,no-answer" doc:"What check it is, of those by which something is decided."`
}

// A CheckKind tells apart the checks by which something is decided; most have none.
type CheckKind string

// The kinds.
const (
	CheckTestPage CheckKind = "test-page" // the test page that was asked for
	CheckNoAnswer CheckKind = "no-answer" // in place of what an endpoint has not answered in time
)

// The results.
const (
	Yes      = "yes"
	No       = "no"
	Unproven = "unproven"
)

// Checks are checks that the service makes, in their order.
type Checks []Check

// Add puts a check below the others; a yes needs no fix.
func (l *Checks) Add(check, result, fix, says string, args ...any) {
	if result == Yes {
		fix = ""
	}
	*l = append(*l, Check{Check: check, Result: result, Says: fmt.Sprintf(says, args...), Fix: fix, By: "service"})
}

// A Checkup is a row of checks that isolate a fault at one endpoint.
type Checkup struct {
	ID          int64        `json:"id"`
	Machine     string       `json:"machine"`
	Queue       string       `json:"queue,omitempty" doc:"To which a test page was asked for."`
	Author      string       `json:"author"`
	At          time.Time    `json:"at"`
	Done        *time.Time   `json:"done" doc:"When the endpoint answered; null while it has not."`
	Try         string       `json:"try,omitempty" doc:"What is tried instead of the queue's own driver: driverless, plain, or a driver's exact name."`
	Tried       string       `json:"tried,omitempty" doc:"What the agent says it tried."`
	Model       string       `json:"model,omitempty" doc:"Of the device behind the queue, where it is known."`
	PrintResult *PrintResult `json:"print_result,omitempty" doc:"What somebody saw come out."`
	Checks      []Check      `json:"checks"`
}

// First gives the first check that failed; "" where none did.
func (c Checkup) First() string {
	for _, r := range c.Checks {
		if r.Result == No {
			return r.Says
		}
	}
	return ""
}

// Facts are what the service knows of an endpoint, for a checkup.
type Facts struct {
	Record    *Record // nil for one that has never reported
	Every     time.Duration
	Enrolled  *time.Time // when its certificate ends; nil where it has none
	Token     bool       // it has a token instead
	Connected bool       // its agent waits for a change just now
	People    []string   // what is wrong with how its people are known
	Lineups   []lineup.Lineup
	Drift     []Difference
	Now       time.Time
}

// ServiceChecks gives the checks that the service can make by itself, in the order in which they isolate a fault.
//
//nolint:funlen // the checks stand in the order in which they are made
func ServiceChecks(f Facts) []Check {
	var out Checks
	add := out.Add
	const reaches = "Does it reach the service?"
	switch {
	case f.Record == nil:
		add(reaches, No, "install the agent there and enrol the machine: cirque enrol token NAME", "it has never reported")
		return out
	case f.Connected:
		add(reaches, Yes, "", "its agent is connected, and waits for a change")
	case f.Now.Sub(f.Record.LastSeen) > SilentAfter*f.Every:
		add(reaches, No, "see that the machine is on, that its agent runs, and that it gets through to the service's port",
			"it was last heard of on %s", f.Record.LastSeen.UTC().Format("2006-01-02 15:04 UTC"))
	default:
		add(reaches, Unproven, "ask again in a minute; an agent that was cut off asks again by itself",
			"it reported on %s, and is not connected to this service just now",
			f.Record.LastSeen.UTC().Format("2006-01-02 15:04 UTC"))
	}
	const known = "Is it known for what it is?"
	switch {
	case f.Enrolled != nil && f.Now.Before(*f.Enrolled):
		add(known, Yes, "", "it is enrolled, with a certificate until %s", f.Enrolled.UTC().Format(time.DateOnly))
	case f.Enrolled != nil:
		add(known, No, "enrol it again", "its certificate ended on %s", f.Enrolled.UTC().Format(time.DateOnly))
	case f.Token:
		add(known, Yes, "", "it has a token of its own")
	default:
		add(known, No, "enrol it: cirque enrol token NAME", "it has neither a certificate nor a token that holds")
	}
	var nowhere, places []string
	for _, l := range f.Lineups {
		if l.Context.Location == nil {
			nowhere = append(nowhere, who(l))
		} else if !slices.Contains(places, *l.Context.Location) {
			places = append(places, *l.Context.Location)
		}
	}
	const place = "Is it known where it is?"
	switch {
	case len(nowhere) == 0 && len(f.Lineups) > 0:
		add(place, Yes, "", "at %s", strings.Join(places, ", "))
	default:
		add(place, Unproven, "if grants go by place: give the estate a subnet that holds its addresses, or the "+
			"machine a location", "no subnet of the estate holds the addresses that it reports (%s)",
			cmp.Or(strings.Join(addresses(f.Record.Report), ", "), "none"))
	}
	const people = "Are its people known?"
	if len(f.People) == 0 {
		add(people, Yes, "", "every sign-in name on it is known here, or nobody is signed in")
	}
	for _, p := range f.People {
		add(people, No, "see cirque endpoint show", "%s", p)
	}
	const granted = "Is anything granted?"
	some := len(PlanFor(f.Lineups).Wants)
	switch {
	case some > 0:
		add(granted, Yes, "", "%s placed for it and its people", words.Count(some, "queue"))
	default:
		add(granted, No, "see which grant is nearest: cirque why QUEUE --user … --machine "+f.Record.Report.Machine,
			"no grant places a queue for this machine or anybody on it")
	}
	away := map[string][]string{}
	var order []string
	for _, l := range f.Lineups {
		for _, o := range l.LeftOut {
			k := who(l) + " (" + string(o.Reason) + ")"
			if away[k] == nil {
				order = append(order, k)
			}
			away[k] = append(away[k], o.Queue)
		}
	}
	for _, k := range order {
		add("Is it meant that something is kept away?", Unproven, "where it is not: cirque why QUEUE", "from %s: %s", k,
			strings.Join(away[k], ", "))
	}
	const has = "Has it what it should?"
	failed := map[string]bool{}
	for _, x := range f.Record.Report.Failures {
		fix := "see the machine's own spooler"
		if x.Cause == CauseDriver {
			fix = "add a driver package that accepts the name to the letter: cirque driver add; then call the endpoint"
		}
		failed[x.User+" "+x.Queue] = true
		add(has, No, fix, "%s %s: %s", x.Step, x.Queue, x.Says)
	}
	for _, d := range f.Drift {
		if !failed[d.User+" "+d.Queue] {
			add(has, No, "call the endpoint: cirque endpoint refresh "+f.Record.Report.Machine, "%s: %s", d.Queue, d.Kind)
		}
	}
	if len(f.Record.Report.Failures)+len(f.Drift) == 0 {
		add(has, Yes, "", "by its last report it has everything, set as it should be")
	}
	for _, l := range f.Lineups {
		for _, e := range l.Entries {
			if e.Stranded && e.Effect != lineup.Offered {
				add("Does a path lead through?", No, "see cirque moves and cirque health",
					"no path of %s can be used just now", e.Queue)
			}
		}
	}
	return out
}

func who(l lineup.Lineup) string {
	switch {
	case l.Context.User != nil:
		return *l.Context.User
	case l.Context.Machine != nil:
		return "the machine " + *l.Context.Machine
	}
	return "whoever sits there"
}

func addresses(r Report) []string {
	var out []string
	for _, q := range r.Contexts {
		for _, a := range q.Addresses {
			if !slices.Contains(out, a) {
				out = append(out, a)
			}
		}
	}
	return out
}
