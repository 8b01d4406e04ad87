package continuity

import (
	"cirque/core/endpoint"
	"cirque/core/live"
	"cirque/core/words"
)

// An Outage is what is known of a planned outage of a server, from before it begins until everybody is back.
type Outage struct {
	Server      string
	Only        []string // queues that nobody reaches without it
	Lacked      []string // which other servers would serve some of these, had they the queue; in sentences
	Unread      []string // other members of its sets of which it is not known what they have
	Snapshot    string   // the latest that was taken before it went out of duty, or of the last day
	Otherwise   int      // differences of the server and its queues to that snapshot
	Duty        live.Note
	Move        *Move // while it is out of duty or returns
	Health      Verdict
	WentOut     bool // it was out of duty within the last day
	LeadingThen int  // endpoints that led to it when it went out
	Leading     int  // endpoints that lead to it now
}

// named is how many of many are named.
const named = 5

// Checklist gives the steps of a planned outage in their order, each with whether it is done: before, while it is out,
// and after. What only a person can know is unproven.
//
//nolint:funlen // the checks stand in the order in which they are made
func (o Outage) Checklist() []endpoint.Check {
	var out endpoint.Checks
	add := out.Add
	switch {
	case len(o.Only) > 0:
		fix, because := "put it into a set with another, or lead those queues to their devices: cirque queue move "+
			"--from-server "+o.Server+" --to device", ""
		if len(o.Lacked) > 0 {
			fix = "set those queues up on the other servers, or lead them to their devices: cirque queue move --from-server " +
				o.Server + " --to device"
			because = " (" + words.Few(o.Lacked, named) + ")"
		}
		add("Is everything on it served elsewhere, too?", endpoint.No, fix,
			"%s without it: %s%s; kept, and printing once it "+
				"is back", words.Count(len(o.Only), "queue is reached by nobody", "queues are reached by nobody"),
			words.Few(o.Only, named), because)
	case len(o.Unread) > 0:
		add("Is everything on it served elsewhere, too?", endpoint.Unproven, "read it: cirque server read "+o.Unread[0],
			"the estate has another way for every queue that leads to it; whether %s has them is not known",
			words.Few(o.Unread, named))
	default:
		add("Is everything on it served elsewhere, too?", endpoint.Yes, "", "every queue that leads to it has another way")
	}
	if o.Snapshot == "" {
		add("Is it kept how it stood before?", endpoint.Unproven, "cirque snapshot take before-the-outage",
			"no snapshot was taken in the day before")
	} else {
		add("Is it kept how it stood before?", endpoint.Yes, "", "in the snapshot %s", o.Snapshot)
	}
	outNow := o.Duty.Duty == live.Drained || o.Duty.Duty == live.Down
	returning := o.Move != nil && !outNow
	switch {
	case outNow:
		until := ", until somebody returns it"
		if o.Duty.Until != nil {
			until = ", until " + o.Duty.Until.UTC().Format("15:04 UTC")
		}
		add("Is it out of duty?", endpoint.Yes, "", "since %s%s", o.Duty.Since.UTC().Format("2006-01-02 15:04 UTC"), until)
	case returning || o.WentOut:
		add("Is it out of duty?", endpoint.Yes, "", "it was")
	default:
		add("Is it out of duty?", endpoint.No, "cirque drain "+o.Server+" --reason WHY --until 2h", "it is on duty")
		return out
	}
	if outNow && o.Move != nil {
		if o.Move.Left == 0 {
			add("Has everybody moved off it?", endpoint.Yes, "", "no endpoint leads to it")
		} else {
			add("Has everybody moved off it?", endpoint.No, "see who, and why: cirque moves", "%s to it, of %d",
				words.Count(o.Move.Left, "endpoint still leads", "endpoints still lead"), o.Move.Endpoints)
		}
		switch {
		case o.Move.Waiting == nil:
			add("Does nothing wait on it?", endpoint.Unproven, "read it: cirque server jobs "+o.Server,
				"what waits on it has not "+
					"been read since")
		case *o.Move.Waiting > 0:
			add("Does nothing wait on it?", endpoint.No, "let it print, or see whose it is: cirque server jobs "+
				o.Server, "%s on it",
				words.Count(*o.Move.Waiting, "job waits", "jobs wait"))
		default:
			add("Does nothing wait on it?", endpoint.Yes, "", "nothing does: the work may begin")
		}
	}
	switch o.Health {
	case Up:
		add("Does it answer?", endpoint.Yes, "", "it does, by the last probe")
	case Gone:
		add("Does it answer?", endpoint.No, "see that it runs, before it returns", "it does not, by the last probe")
	default:
		add("Does it answer?", endpoint.Unproven, "read it: cirque server read "+o.Server, "it has never answered a "+
			"probe from here")
	}
	switch {
	case o.Snapshot == "":
		add("Is it as it was before?", endpoint.Unproven, "compare it by eye: cirque server show "+o.Server,
			"there is no snapshot to compare with")
	case outNow && o.Otherwise == 0:
		add("Is it as it was before?", endpoint.Unproven, "look again once the work is done",
			"nothing differs from the snapshot %s so far", o.Snapshot)
	case o.Otherwise > 0:
		add("Is it as it was before?", endpoint.No, "cirque snapshot compare "+o.Snapshot+" --only "+o.Server,
			"%s to the snapshot %s", words.Count(o.Otherwise, "difference"), o.Snapshot)
	default:
		add("Is it as it was before?", endpoint.Yes, "", "it and its queues are as in the snapshot %s", o.Snapshot)
	}
	switch {
	case outNow:
		add("Is it back on duty?", endpoint.No, "once the work is done: cirque return "+o.Server, "not yet")
	case returning:
		add("Is it back on duty?", endpoint.Yes, "", "%s", o.Move.Says)
	default:
		add("Is it back on duty?", endpoint.Yes, "", "it is")
	}
	if !outNow {
		if o.Leading >= o.LeadingThen {
			add("Is everybody back on it?", endpoint.Yes, "", "%s to it", words.Count(o.Leading, "endpoint leads",
				"endpoints lead"))
		} else {
			add("Is everybody back on it?", endpoint.No, "they come back part by part, or with their next report",
				"%d of the %s that led to it before", o.Leading, words.Count(o.LeadingThen, "endpoint"))
		}
	}
	return out
}
