package rehearse

import (
	"cmp"
	"slices"
	"time"

	"cirque/core/lineup"
)

// A Dependence is a server or device without which some queues cannot be reached.
type Dependence struct {
	Kind   string   `json:"kind" enum:"server,device"`
	Name   string   `json:"name"`
	Some   Count    `json:"some" doc:"Who has a queue that depends on it."`
	All    Count    `json:"all" doc:"Whose every queue does."`
	Queues []string `json:"queues"`
}

// Share is what came of a range of cases for a coverage: by server and device.
type Share map[[2]string]*dependence

type dependence struct {
	some, all counter
	queues    map[string]bool
}

// Cover works out on which single servers and devices the lineups in a range of cases depend. Cases of one person must
// not be divided between ranges, or the person counts twice.
func Cover(w *lineup.World, cases []Case, now time.Time, from, to int, s *lineup.Scratch) Share {
	out := Share{}
	var probe lineup.Scratch // the lineup lies in s
	for i := from; i < to; i++ {
		c := &cases[i]
		context := c.Context
		context.Time = now
		l, err := w.Resolve(context, s)
		if err != nil {
			continue // a location that is gone
		}
		met := map[[2]string]int{}
		real := 0
		for j := range l.Entries {
			if w.Estate.ForPractice(l.Entries[j].Queue) {
				continue
			}
			real++
			server, device, _ := w.Depends(context, l.Entries[j].Queue, &probe)
			for _, on := range [2][2]string{{"server", server}, {"device", device}} {
				if on[1] == "" {
					continue
				}
				if out[on] == nil {
					out[on] = &dependence{queues: map[string]bool{}}
				}
				out[on].queues[l.Entries[j].Queue] = true
				met[on]++
			}
		}
		who := c.Kind + " " + c.Name
		for on, n := range met {
			out[on].some.count(c.Kind, who)
			if n == real {
				out[on].all.count(c.Kind, who)
			}
		}
	}
	return out
}

func (n *counter) count(kind, who string) {
	if n.who != who {
		n.who = who
		n.Count.add(kind)
	}
	n.Contexts++
}

// Coverage puts shares together, what most depend on first.
func Coverage(shares []Share) []Dependence {
	all := Share{}
	for _, s := range shares {
		for on, d := range s {
			if all[on] == nil {
				all[on] = &dependence{queues: map[string]bool{}}
			}
			all[on].some.sum(d.some.Count)
			all[on].all.sum(d.all.Count)
			for q := range d.queues {
				all[on].queues[q] = true
			}
		}
	}
	out := make([]Dependence, 0, len(all))
	for on, d := range all {
		x := Dependence{Kind: on[0], Name: on[1], Some: d.some.Count, All: d.all.Count, Queues: []string{}}
		for q := range d.queues {
			x.Queues = append(x.Queues, q)
		}
		slices.Sort(x.Queues)
		out = append(out, x)
	}
	slices.SortFunc(out, func(a, b Dependence) int {
		return cmp.Or(-cmp.Compare(a.All.People, b.All.People), -cmp.Compare(a.Some.People, b.Some.People),
			cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
	})
	return out
}

func (c *Count) sum(o Count) {
	c.People += o.People
	c.Machines += o.Machines
	c.Contexts += o.Contexts
}
