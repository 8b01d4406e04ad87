package lineup

import "cirque/core/live"

// lacks says by queue, then by its entry, whether the server there is known to lack it. It is nil where none does, as
// are its parts.
type lacks [][]bool

// newLacks finds which servers lack which queues that lead there (estate.md 5.4).
func newLacks(e *Estate, l live.State) (out lacks) {
	lists, some := make([]*live.List, len(e.doc.Servers)), false
	for i := range e.doc.Servers {
		lists[i] = l.Lists[e.doc.Servers[i].Name]
		some = some || lists[i] != nil
	}
	if !some {
		return nil
	}
	for of := range e.queues {
		q := &e.queues[of]
		note := func(entry, server int32, remote string) {
			if lists[server].Has(remote) {
				return
			}
			if out == nil {
				out = make(lacks, len(e.queues))
			}
			if out[of] == nil {
				out[of] = make([]bool, len(q.entries))
			}
			out[of][entry] = true
		}
		for i := range int(q.paths) {
			switch p := q.path(i); p.kind {
			case wayServer:
				note(p.first, p.through, q.ways[i].Remote)
			case waySet:
				for m, server := range q.ways[i].members {
					note(p.first+int32(m), server, q.ways[i].Remote)
				}
			}
		}
	}
	return out
}

// of says of each entry of a queue whether the server there lacks it; nil where none does.
func (l lacks) of(queue int32) []bool {
	if l == nil {
		return nil
	}
	return l[queue]
}
