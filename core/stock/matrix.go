package stock

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/words"
)

// A SetView is what the members of a server set have, beside one another.
type SetView struct {
	Name    string       `json:"name"`
	Title   string       `json:"title,omitempty"`
	Style   estate.Style `json:"style" enum:"standby,spread"`
	Members []SetMember  `json:"members"`
	Rows    []SetRow     `json:"rows" doc:"One for each queue that any member has, or that the estate relies on; those with a difference first."`
	Differ  int          `json:"differ" doc:"How many rows are not the same on every member that was read."`
	Missing int          `json:"missing" doc:"How many queues that the estate relies on are missing on a member that was read."`
}

// A SetMember is one server of a set.
type SetMember struct {
	Name   string     `json:"name"`
	Duty   string     `json:"duty" enum:"serving,drained,down"`
	Share  float64    `json:"share"`
	Health string     `json:"health" enum:"unproven,up,down"`
	Queues int        `json:"queues"`
	Read   *time.Time `json:"read" doc:"When it was read; null where it never was."`
}

// A SetRow is one queue on every member.
type SetRow struct {
	Queue  string    `json:"queue" doc:"Its name on the servers."`
	Leads  []string  `json:"leads" doc:"The estate's queues that lead there through the set, or a member."`
	Relied bool      `json:"relied" doc:"The estate relies on every member for it: a path leads through the set."`
	Same   bool      `json:"same" doc:"Every member that was read has it, with the same driver, device, defaults and sharing."`
	Cells  []SetCell `json:"cells" doc:"In the order of the members."`
}

// A SetCell is a queue on a member.
type SetCell struct {
	State string   `json:"state" enum:"there,missing,unread"`
	Ready bool     `json:"ready"`
	Model string   `json:"model,omitempty"`
	Says  []string `json:"says" doc:"In what it differs from the first member that has it."`
}

// NewSetView compares the members of a set, deeper than by names. read gives a member's last reading, nil where there
// is none.
func NewSetView(doc *estate.Document, set estate.ServerSet, read func(server string) *Server) SetView {
	v := SetView{Name: set.Name, Title: set.Title, Style: set.Style, Members: []SetMember{}, Rows: []SetRow{}}
	leads := map[string][]string{}
	names := map[string]bool{}
	has := map[string]map[string]*Queue{} // by member that was read, and name there
	for _, m := range set.Members {
		member := SetMember{Name: m, Share: 1}
		if s := read(m); s != nil {
			at := s.At
			member.Queues, member.Read = len(s.Queues), &at
			has[m] = s.ByName()
			for name := range has[m] {
				names[name] = true
			}
		}
		v.Members = append(v.Members, member)
		for remote, queues := range Through(doc, m) {
			for _, q := range queues {
				if !slices.Contains(leads[remote], q) {
					leads[remote] = append(leads[remote], q)
				}
			}
		}
	}
	// Only what leads through the set itself relies on every member.
	relied := map[string]bool{}
	for _, q := range doc.Queues {
		for _, p := range q.Paths {
			if p.Set == set.Name && !q.Retired {
				relied[cmp.Or(p.RemoteName, q.Name)], names[cmp.Or(p.RemoteName, q.Name)] = true, true
			}
		}
	}
	for n := range names {
		r := SetRow{Queue: n, Leads: leads[n], Relied: relied[n], Same: true, Cells: []SetCell{}}
		if r.Leads == nil {
			r.Leads = []string{}
		}
		slices.Sort(r.Leads)
		var first *Queue
		missing := false
		for _, m := range set.Members {
			c := SetCell{State: "unread", Says: []string{}}
			if queues := has[m]; queues != nil {
				c.State = "missing"
				if q := queues[n]; q != nil {
					c.State, c.Ready, c.Model = "there", q.Ready(), q.Model
					if first == nil {
						first = q
					} else {
						c.Says = queueDiffers(*first, *q)
					}
				}
				missing = missing || c.State == "missing"
				r.Same = r.Same && c.State == "there" && len(c.Says) == 0
			}
			r.Cells = append(r.Cells, c)
		}
		if !r.Same {
			v.Differ++
		}
		if missing && relied[n] {
			v.Missing++
		}
		v.Rows = append(v.Rows, r)
	}
	rank := func(r SetRow) int {
		switch {
		case !r.Same && r.Relied:
			return 0
		case !r.Same:
			return 1
		}
		return 2
	}
	slices.SortFunc(v.Rows, func(a, b SetRow) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(a.Queue, b.Queue))
	})
	return v
}

// A Lack is a member of a set without queues on which the estate relies there.
type Lack struct {
	Server string
	Queues []string // as the server would call them
}

// String says it in a sentence.
func (l Lack) String() string {
	return fmt.Sprintf("%s has no queue %s, on which the set is relied on: whoever is moved there finds nothing",
		l.Server, words.Few(l.Queues, 5))
}

// Relied are the queues for which each server set of an estate is relied on, as its servers would call them, by name.
type Relied map[string][]string

// NewRelied looks through an estate once.
func NewRelied(doc *estate.Document) Relied {
	out := Relied{}
	for i := range doc.Queues {
		q := &doc.Queues[i]
		for _, p := range q.Paths {
			if p.Set != "" && !q.Retired {
				out[p.Set] = append(out[p.Set], cmp.Or(p.RemoteName, q.Name))
			}
		}
	}
	for set, list := range out {
		slices.Sort(list)
		out[set] = slices.Compact(list)
	}
	return out
}

// Lacks tells which of these queues a set's members do not have, member by member; of one that was not read nothing is
// told.
func (r Relied) Lacks(set estate.ServerSet, read func(server string) *Server) []Lack {
	var out []Lack
	for _, m := range set.Members {
		s := read(m)
		if s == nil {
			continue
		}
		there := make(map[string]bool, len(s.Queues))
		for i := range s.Queues {
			there[s.Queues[i].Name] = true
		}
		l := Lack{Server: m}
		for _, q := range r[set.Name] {
			if !there[q] {
				l.Queues = append(l.Queues, q)
			}
		}
		if len(l.Queues) > 0 {
			out = append(out, l)
		}
	}
	return out
}
