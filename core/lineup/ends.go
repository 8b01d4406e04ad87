package lineup

import (
	"fmt"
	"slices"
	"time"

	"cirque/core/hours"
)

// ends notes when grants and queues of the estate end: the latest of a grant's, where its queues lie in several zones.
func (e *Estate) ends() {
	note := func(end hours.End, zone *time.Location) {
		if at, ok := end.In(zone); ok {
			e.endings = append(e.endings, at)
		}
	}
	for i := range e.queues {
		if q := &e.queues[i]; q.ends != none {
			note(e.refs.weeks[q.ends].End, e.tree.zones[q.zone])
		}
	}
	for i := range e.grants {
		g := e.grants[i].more
		for _, q := range g.queues {
			if !g.open.End.Some() {
				break
			}
			note(g.open.End, e.tree.zones[e.queues[q].zone])
		}
	}
	slices.SortFunc(e.endings, time.Time.Compare)
	e.endings = slices.CompactFunc(e.endings, time.Time.Equal)
}

// Ended says how many ends lie behind at a time: what was made of the estate and a time holds as long as it is the
// same.
func (e *Estate) Ended(at time.Time) int {
	n, _ := slices.BinarySearchFunc(e.endings, at, func(end, at time.Time) int {
		if end.After(at) {
			return 1
		}
		return -1
	})
	return n
}

// over says whether a grant has ended for a queue.
func (e *Estate) over(g *more, q int32, now time.Time) bool {
	return g.open.End.Some() && g.open.End.Over(hours.At(now, e.tree.zones[e.queues[q].zone]))
}

// Retired says whether a queue, by its name, is retired at a time, also by its end.
func (e *Estate) Retired(called string, now time.Time) bool {
	i, ok := e.queueByName[called]
	return ok && e.gone(&e.queues[i], now)
}

// gone says whether a queue is retired at a time, also by its end.
func (e *Estate) gone(q *queue, now time.Time) bool {
	return q.retired || q.ends != none && e.refs.weeks[q.ends].End.Over(hours.At(now, e.tree.zones[q.zone]))
}

// endsSoon is how long before its end an object is remarked on.
const endsSoon = 14 * 24 * time.Hour

// Endings remarks on what has ended, or ends within two weeks, and on queues that nobody receives any more for that.
func Endings(w *World, now time.Time) []Finding {
	var out []Finding
	e := w.Estate
	for _, x := range e.doc.Endings() {
		zone := time.UTC
		if x.List == "queues" {
			zone = e.tree.zones[e.queues[e.queueByName[x.Name]].zone]
		}
		at, ok := x.End.In(zone)
		if i, grant := e.grantNumber(x.Name); grant && x.List == "grants" {
			for n, q := range e.grants[i].more.queues { // the last of its queues for which it ends
				if last, _ := x.End.In(e.tree.zones[e.queues[q].zone]); n == 0 || last.After(at) {
					at = last
				}
			}
		}
		says, fix := "", "take it out: cirque draft remove-ended; or give it a later until"
		switch {
		case !ok || at.After(now.Add(endsSoon)):
			continue
		case at.After(now):
			says, fix = fmt.Sprintf("it ends soon: until is %s", x.Until), "give it a later until where it is to go on"
		default:
			says = fmt.Sprintf("it has ended: until was %s", x.Until)
		}
		out = append(out, NewFinding(remark, x.List+".until", x.Name, fix, says))
	}
	if e.Ended(now) == 0 {
		return out
	}
	before, after := Givens(w, time.Time{}), Givens(w, now)
	for i := range after {
		if before[i].State == IsGiven && after[i].State == ToNobody {
			out = append(out, NewFinding(warning, "queues", e.queues[i].Name, after[i].Fix, after[i].Says))
		}
	}
	return out
}
