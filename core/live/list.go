package live

import (
	"maps"
	"slices"
	"time"
)

// ListHolds is how long a reading of a server proves what it lacks (estate.md 5.4).
const ListHolds = time.Hour

// A List is which queues a server said that it has when it was last read well. It never changes.
type List struct {
	Since time.Time // of the first reading in a row that told the same
	Read  time.Time // of the last one that is known of
	names map[string]struct{}
}

// NewList makes a list of queues, by their names on the server.
func NewList(since, read time.Time, queues []string) *List {
	l := &List{Since: since, Read: read, names: make(map[string]struct{}, len(queues))}
	for _, q := range queues {
		l.names[q] = struct{}{}
	}
	return l
}

// Has says whether the server has a queue of a name. A nil list is of a server that nobody has read: it may have it.
func (l *List) Has(queue string) bool {
	if l == nil {
		return true
	}
	_, ok := l.names[queue]
	return ok
}

// Same says whether two lists name the same queues, whenever they were read.
func (l *List) Same(o *List) bool {
	if l == nil || o == nil {
		return l == o
	}
	return l == o || maps.Equal(l.names, o.names)
}

// Queues gives the names, sorted.
func (l *List) Queues() []string { return slices.Sorted(maps.Keys(l.names)) }

// Lacks says whether a server is known to have no queue of a name: it was read well within the last hour, and told of
// none.
func (s State) Lacks(server, queue string) bool { return !s.Lists[server].Has(queue) }

// Stale gives the state without the lists whose last reading is older than ListHolds, and whether there were any.
func (s State) Stale(now time.Time) (State, bool) {
	old := func(_ string, l *List) bool { return now.Sub(l.Read) > ListHolds }
	lists := maps.Clone(s.Lists)
	maps.DeleteFunc(lists, old)
	some := len(lists) < len(s.Lists)
	s.Lists = lists
	return s, some
}

// NextStale is when the first of the lists becomes older than ListHolds, unless it is read again; zero where there are
// none.
func (s State) NextStale() (at time.Time) {
	for _, l := range s.Lists {
		if end := l.Read.Add(ListHolds); at.IsZero() || end.Before(at) {
			at = end
		}
	}
	return at
}
