package endpoint

import (
	"cirque/core/lineup"
	"cirque/core/words"
)

// SetUp gives the steps from an empty service to one that looks after itself, each with whether it is done.
func (o Overview) SetUp() []Check {
	var out Checks
	have := func(check string, n int, one, fix, otherwise string) {
		if n == 0 {
			out.Add(check, No, fix, "%s", otherwise)
			return
		}
		out.Add(check, Yes, "", "%s", words.Count(n, one))
	}
	have("Are people and machines known?", o.Directory["users"]+o.Directory["machines"], "entry",
		"read a directory: cirque directory source add; or files: cirque directory import", "the directory is empty")
	have("Are there queues?", o.Estate["queues"], "queue", "read a print server: cirque server add, then cirque adopt "+
		"--server; or find devices: cirque device scan", "the estate has none, or nothing is published")
	have("Are they given to somebody?", o.Estate["grants"], "grant", "give them, and publish: cirque grant add",
		"no grant gives anything")
	switch {
	case o.Revision == 0:
		out.Add("Is nothing wrong with what is published?", Unproven, "cirque publish", "nothing is published")
	case o.Remarks > 0:
		out.Add("Is nothing wrong with what is published?", No, "see all: cirque estate check", "%s, such as: %s: %s",
			words.Count(o.Remarks, "finding"), o.Findings[0].Object, o.Findings[0].Says)
	default:
		out.Add("Is nothing wrong with what is published?", Yes, "", "there is no finding")
	}
	have("Is written down who must receive what?", o.Estate["promises"], "promise", "what is published is held "+
		"against each: cirque promise add", "there is no promise")
	all := 0
	for _, n := range o.Endpoints {
		all += n
	}
	have("Do machines follow?", all, "endpoint", "invite them: cirque enrol token", "no endpoint has reported")
	switch wrong := all - o.Endpoints[Converged]; {
	case all == 0:
		out.Add("Have they what they are to have?", Unproven, "once some follow", "nothing is known of any")
	case wrong > 0:
		out.Add("Have they what they are to have?", No, "see which: cirque endpoint list --state failing; also behind, "+
			"silent", "%d of %s: %d failing, %d behind, %d silent", wrong, words.Count(all, "endpoint"),
			o.Endpoints[Failing], o.Endpoints[Behind], o.Endpoints[Silent])
	default:
		out.Add("Have they what they are to have?", Yes, "", "by what they told: %s", words.Count(all, "endpoint"))
	}
	have("Is somebody told of faults?", o.Estate["notices"], "notice", "add a notice, and try it: cirque notice add, "+
		"cirque notice try", "nobody is told")
	return out
}

// A Task is what is known of a queue on its way from the estate to a page in somebody's hand.
type Task struct {
	Queue    string
	Devices  []Check // whether each device behind it answers
	Findings []lineup.Finding
	Given    lineup.Given
	Proof    Proof
}

// Steps gives what makes a queue whole, each with whether it is done; what nobody looked at is unproven.
func (t Task) Steps() []Check {
	var out Checks
	if len(t.Devices) == 0 {
		out.Add("Does its device answer?", Unproven, "say which is behind it: cirque draft set queue "+t.Queue+
			" devices+=NAME", "the estate names no device behind it")
	}
	out = append(out, t.Devices...)
	if n := len(t.Findings); n > 0 {
		out.Add("Is nothing wrong with what is written?", No, t.Findings[0].Fix, "%s: %s", words.Count(n, "finding"),
			t.Findings[0].Says)
	} else {
		out.Add("Is nothing wrong with what is written?", Yes, "", "there is no finding about it")
	}
	if t.Given.State == lineup.IsGiven {
		out.Add("Does somebody receive it?", Yes, "", "%s", t.Given.Says)
	} else {
		out.Add("Does somebody receive it?", No, t.Given.Fix, "%s", t.Given.Says)
	}
	p, has := t.Proof, "Has everybody it who is to have it?"
	switch missing := p.Pending + p.Failed; {
	case missing > 0:
		out.Add(has, No, "see where, and why: cirque proof --queue "+t.Queue, "on %d of %s: %d failing, %d pending, "+
			"%d silent", p.Arrived, words.Count(p.Expected, "endpoint"), p.Failed, p.Pending, p.Silent)
	case p.Expected == 0:
		out.Add(has, Unproven, "invite their machines: cirque enrol token", "no endpoint is to have it")
	case p.Silent > 0:
		out.Add(has, Unproven, "see which: cirque proof --queue "+t.Queue, "on %d of %s; nothing is heard of %d", p.Arrived,
			words.Count(p.Expected, "endpoint"), p.Silent)
	default:
		out.Add(has, Yes, "", "on %d of %s", p.Arrived+p.Away, words.Count(p.Expected, "endpoint"))
	}
	if p.Absent > 0 {
		out.Add("Has every machine that receives it an agent?", No, "see which: cirque endpoint unreached",
			"on %s no agent has ever reported", words.Count(p.Absent, "machine"))
	}
	if paged := "Was a test page sent from where people print?"; p.Tested > 0 {
		out.Add(paged, Yes, "", "from %s in the last 30 days; what came out: cirque driver tried", words.Count(p.Tested,
			"endpoint"))
	} else {
		out.Add(paged, Unproven, "cirque endpoint checkup MACHINE --queue "+t.Queue, "from none in the last 30 days")
	}
	return out
}
