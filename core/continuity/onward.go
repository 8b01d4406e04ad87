package continuity

import (
	"cmp"
	"slices"

	"cirque/core/estate"
	"cirque/core/live"
	"cirque/core/path"
	"cirque/core/server"
)

// Onward says where the jobs go on to that wait on a server which is out of duty: for each of its queues through a
// server set the first other member that serves, and is not known to lack the queue. A queue that nobody takes over is
// not among them.
func Onward(doc *estate.Document, state live.State, called string) []server.Onward {
	if state.Server(called) != live.Drained {
		return nil
	}
	servers := make(map[string]estate.Server, len(doc.Servers))
	for _, s := range doc.Servers {
		servers[s.Name] = s
	}
	sets := map[string]estate.ServerSet{}
	for _, s := range doc.ServerSets {
		if slices.Contains(s.Members, called) {
			sets[s.Name] = s
		}
	}
	var out []server.Onward
	met := map[string]bool{}
	for _, q := range doc.Queues {
		for _, p := range q.Paths {
			set, in := sets[p.Set]
			there := cmp.Or(p.RemoteName, q.Name)
			if p.Set == "" || !in || q.Retired || met[there] {
				continue
			}
			for _, m := range set.Members {
				if m == called || state.Server(m) != live.Serving || state.Lacks(m, there) {
					continue
				}
				met[there] = true
				out = append(out, server.Onward{Name: there, URI: path.ServerURI(servers[m], there), To: m})
				break
			}
		}
	}
	slices.SortFunc(out, func(a, b server.Onward) int { return cmp.Compare(a.Name, b.Name) })
	return out
}
