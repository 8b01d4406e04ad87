package adopt

import (
	"cmp"
	"fmt"
	"slices"

	"cirque/core/estate"
	"cirque/core/stock"
	"cirque/core/words"
)

// A Completion is one thing that makes the members of a server set alike, or why it is not done.
type Completion struct {
	Queue string `json:"queue" doc:"By its name on the servers."`
	On    string `json:"on,omitempty" doc:"The member that lacks it, or has it otherwise; empty for all."`
	Done  bool   `json:"done" doc:"It is in the draft; else somebody has to see to it, as is said."`
	Says  string `json:"says"`
}

// A Completer works out what the members of a set lack.
type Completer struct {
	Doc  *estate.Document
	Set  estate.ServerSet
	Read func(server string) *stock.Server // a member's last reading; nil where there is none
}

// Members leads the queues that lead through one member alone through the whole set: each of the others is to have them
// then. A queue whose name is taken on another member by something else stays.
func (c Completer) Members() ([]estate.Edit, []Completion, error) {
	var edits []estate.Edit
	out := []Completion{}
	for _, q := range c.Doc.Queues {
		if q.Retired {
			continue
		}
		next := q
		next.Paths = nil
		var remote []string
		for _, p := range q.Paths {
			if p.Server != "" && slices.Contains(c.Set.Members, p.Server) {
				remote = append(remote, cmp.Or(p.RemoteName, q.Name))
				p.Server, p.Set = "", c.Set.Name
			}
			if !slices.ContainsFunc(next.Paths, func(o estate.Path) bool { return estate.SamePath(o, p) }) {
				next.Paths = append(next.Paths, p)
			}
		}
		if len(remote) == 0 {
			continue
		}
		slices.Sort(remote)
		if remote = slices.Compact(remote); len(remote) > 1 {
			out = append(out, Completion{Queue: words.Few(remote, 3), Says: fmt.Sprintf("%s has several names on the members: "+
				"give it one", q.Name)})
			continue
		}
		edit, err := estate.QueueAs(next)
		if err != nil {
			return nil, nil, err
		}
		edits = append(edits, edit)
		out = append(out, Completion{Queue: remote[0], Done: true,
			Says: q.Name + " leads through the whole set, and not through one member alone"})
	}
	return edits, out, nil
}

// Strays are queues that some member has, another lacks, and to which nothing in the estate leads: by the first member
// that has them, in its order.
func (c Completer) Strays() map[string][]string {
	led := map[string]bool{}
	for _, m := range c.Set.Members {
		for remote := range stock.Through(c.Doc, m) {
			led[remote] = true
		}
	}
	out := map[string][]string{}
	met := map[string]bool{}
	on, members := map[string]int{}, 0 // how many of those that were read have a queue
	for _, m := range c.Set.Members {
		if s := c.Read(m); s != nil {
			members++
			for name := range s.ByName() {
				on[name]++
			}
		}
	}
	for _, m := range c.Set.Members {
		s := c.Read(m)
		if s == nil {
			continue
		}
		for _, q := range s.Queues {
			if !led[q.Name] && !met[q.Name] && on[q.Name] < members {
				met[q.Name] = true
				out[m] = append(out[m], q.Name)
			}
		}
	}
	return out
}

// ThroughSet has what is proposed of a member's queue lead through the set.
func (c Completer) ThroughSet(p *Proposal) {
	for i, way := range p.Queue.Paths {
		if slices.Contains(c.Set.Members, way.Server) {
			p.Queue.Paths[i] = estate.Path{Set: c.Set.Name, RemoteName: cmp.Or(way.RemoteName, p.Found)}
			if p.Queue.Paths[i].RemoteName == p.Queue.Name {
				p.Queue.Paths[i].RemoteName = ""
			}
		}
	}
}

// Left tells what the estate wants on every member already, and some member lacks or has otherwise: who is to mend it.
func (c Completer) Left() []Completion {
	out := []Completion{}
	kept := map[string]bool{}
	for _, s := range c.Doc.Servers {
		kept[s.Name] = s.Kept
	}
	v := stock.NewSetView(c.Doc, c.Set, c.Read)
	for _, r := range v.Rows {
		if r.Same || !r.Relied {
			continue
		}
		first := c.Set.Members[max(0, slices.IndexFunc(r.Cells, func(x stock.SetCell) bool { return x.State == "there" }))]
		for i, cell := range r.Cells {
			m := c.Set.Members[i]
			if len(cell.Says) > 0 && kept[m] && !kept[first] {
				m = first // the other is as the estate has it, or will be
			}
			says := ""
			switch {
			case cell.State == "missing":
				says = "it is missing there"
			case len(cell.Says) > 0:
				says = words.Few(cell.Says, 3)
			default:
				continue
			}
			if kept[m] {
				says += "; its agent sees to it: cirque server kept " + m
			} else {
				says += fmt.Sprintf("; mend it there, or have Cirque keep it: cirque draft set server %s kept=yes", m)
			}
			if at := (Completion{Queue: r.Queue, On: m, Says: says}); !slices.Contains(out, at) {
				out = append(out, at)
			}
		}
	}
	return out
}
