package decommission

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/span"
	"cirque/core/words"
)

// A Use is what is kept of one person's printing through one queue of a server.
type Use struct {
	Server string    `json:"server"`
	Queue  string    `json:"queue" doc:"By its name there."`
	Owner  string    `json:"owner"`
	From   string    `json:"from,omitempty" doc:"The machine, as the server has it."`
	Jobs   int       `json:"jobs"`
	First  time.Time `json:"first"`
	Last   time.Time `json:"last"`
}

// Known is how well it is known who prints through a server.
type Known struct {
	Since time.Time // from then on without a gap; the zero time: not at all
	Read  time.Time // when its lists of ended jobs were last read; the zero time: never
	Says  string    // why they could not be, the last time; "" where they could
	// Told says whether it has told of a job that ended, ever. One that keeps no list of them proves nothing by silence.
	Told bool
}

// A Reading is what came of reading a server's lists of ended jobs.
type Reading struct {
	At     time.Time
	Oldest time.Time // when the oldest of those jobs ended; the zero time: it has none
	Says   string    // why they could not be read; "" where they could
}

// NoGap is for how long the lists may go unread without what is forgotten meanwhile counting as a gap.
const NoGap = 3 * time.Hour

// After is what is known after a reading. After a longer pause only lists that reach back to it leave no gap.
func (k Known) After(r Reading) Known {
	k.Told = k.Told || !r.Oldest.IsZero()
	if k.Says = r.Says; r.Says != "" {
		return k
	}
	since := r.Oldest
	if since.IsZero() || since.After(r.At) {
		since = r.At
	}
	gap := r.At.Sub(k.Read) > NoGap && since.After(k.Read)
	if k.Since.IsZero() || gap || since.Before(k.Since) {
		k.Since = since
	}
	k.Read = r.At
	return k
}

// An End takes the paths through a server out, where nothing and nobody needs them any more.
type End struct {
	From  string
	Quiet time.Duration // for so long nobody has printed through the old queue
	Known Known
	Uses  []Use
	// Led counts the endpoints that lead to a server by one of the estate's queues.
	Led func(queue string) int
	Now time.Time
}

// Edits takes the paths out of the queues that lead elsewhere first, and says of each of the others what still holds
// it.
func (e End) Edits(doc *estate.Document) ([]estate.Edit, []Moved, error) {
	if doc.Server(e.From) == nil {
		return nil, nil, fault.New(fault.Unknown, "server-unknown", "see cirque server list", "the estate has no server %q",
			e.From)
	}
	d := DependentsOf(doc, e.From, nil)
	var edits []estate.Edit
	out := []Moved{}
	for _, q := range doc.Queues {
		if !slices.Contains(d.Queues, q.Name) {
			continue
		}
		m := Moved{Queue: q.Name, Remarks: []string{}}
		next := q
		next.Paths = nil
		var remote []string
		for i, p := range q.Paths {
			if p.Server != e.From {
				next.Paths = append(next.Paths, p)
				continue
			}
			remote = append(remote, cmp.Or(p.RemoteName, q.Name))
			if i == 0 {
				m.Says = "it leads there first: move it elsewhere"
			}
		}
		switch {
		case m.Says != "":
		case len(remote) == 0:
			m.Says = "it leads there through a set: take the server out of the set"
		case len(next.Paths) == 0:
			m.Says = "nothing else leads to it"
		default:
			m.Says = e.holds(q.Name, remote)
		}
		if m.Says == "" {
			m.Moved, m.Says = true, fmt.Sprintf("its path through %s goes: nothing leads there, and nobody printed there for %s",
				e.From, span.Format(e.Quiet))
			edit, err := estate.QueueAs(next)
			if err != nil {
				return nil, nil, err
			}
			edits = append(edits, edit)
		}
		out = append(out, m)
	}
	return edits, out, nil
}

// holds says what still holds a queue; "" where nothing does.
func (e End) holds(queue string, remote []string) string {
	if n := e.Led(queue); n > 0 {
		return fmt.Sprintf("%s there still", words.Count(n, "endpoint leads", "endpoints lead"))
	}
	var last *Use
	for i := range e.Uses {
		u := &e.Uses[i]
		if u.Server == e.From && slices.Contains(remote, u.Queue) && (last == nil || u.Last.After(last.Last)) {
			last = u
		}
	}
	switch {
	case last != nil && e.Now.Sub(last.Last) < e.Quiet:
		from := ""
		if last.From != "" {
			from = " from " + last.From
		}
		return fmt.Sprintf("%s printed there%s %s ago, and %s without anybody are wanted",
			cmp.Or(last.Owner, "somebody"), from, ago(e.Now, last.Last), span.Format(e.Quiet))
	case e.Known.Says != "" && !e.Known.Read.IsZero():
		return fmt.Sprintf("its lists of ended jobs were last read %s ago; now: %s", ago(e.Now, e.Known.Read), e.Known.Says)
	case e.Known.Says != "":
		return "it is not known who prints there: its lists of ended jobs cannot be read: " + e.Known.Says
	case e.Known.Since.IsZero():
		return "it is not known who prints there: its lists of ended jobs have not been read"
	case !e.Known.Told:
		return "the server has told of no ended job yet, which proves nothing: it may keep no list of them. Print a page " +
			"there once, or take the path out by hand"
	case e.Now.Sub(e.Known.Since) < e.Quiet:
		return fmt.Sprintf("who prints there is known for %s only, and %s without anybody are wanted",
			ago(e.Now, e.Known.Since), span.Format(e.Quiet))
	}
	return ""
}

func ago(now, at time.Time) string { return span.Format(max(0, now.Sub(at)).Round(time.Minute)) }
