// Package fleet keeps what is judged of all endpoints, so that nobody who asks has to judge them anew.
//
// In go judgements: an endpoint's last report, and what follows from it in one world. Out come counts by state, pages
// of endpoints by name, and those that a person, a machine or a queue concerns, each at a cost that does not grow with
// the fleet. Whether an endpoint is silent follows from the clock alone, which whoever asks hands in.
//
// It computes; when to judge is the caller's business, and so is keeping apart those who read and who write.
package fleet

import (
	"maps"
	"slices"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/name"
)

// A Judgement is an endpoint's last report and what followed from it in one world. It never changes.
type Judgement struct {
	record endpoint.Record // without what is installed
	pooled []pooled

	// State is how it stands as long as it is not silent.
	State    endpoint.State
	Drift    []endpoint.Difference
	Says     []string
	Location string          // "" where it is not known
	Servers  []string        // to which its own queues lead
	Marks    []endpoint.Mark // of each queue that it is to have or must not have
	// Edge is when the hours of some grant next change what it is to have; zero where they do not.
	Edge time.Time
}

// Machine gives its name as its agent writes it.
func (j *Judgement) Machine() string { return j.record.Report.Machine }

// LastSeen is when it was heard of last.
func (j *Judgement) LastSeen() time.Time { return j.record.LastSeen }

// Report gives the last report without what is installed, which costs something to put together: see Record.
func (j *Judgement) Report() *endpoint.Report { return &j.record.Report }

// Record gives the endpoint as it was put in. Options are shared with others and are not to be changed.
func (j *Judgement) Record() endpoint.Record {
	r := j.record
	r.Report.Installed = installedOf(j.pooled)
	return r
}

// IsDefault says whether a queue is somebody's default there.
func (j *Judgement) IsDefault(queue string) bool {
	return slices.ContainsFunc(j.pooled, func(h pooled) bool { return h.isDefault && h.of.Queue == queue })
}

// An entry is the place of one endpoint in the indices; its judgement is replaced.
type entry struct {
	folded string
	j      *Judgement
	world  *lineup.World // in which j holds
	keys   [2][]string   // keysOf(j)
	text   string        // what words are looked for in: one piece of memory, since all of them may be searched
	quiet  bool          // it was silent when that was looked at last
	// Its neighbours among those that are as quiet, by when they were heard of.
	before, after *entry
}

// A Fleet holds one judgement for each endpoint. The zero Fleet is not ready; use New.
type Fleet struct {
	pool    pool
	byName  map[string]*entry
	order   []*entry            // by folded name
	users   map[string][]*entry // by folded name: where somebody has a session
	hosts   map[string][]*entry // by folded name: who reports in a machine's or a session host's name
	queues  map[string]map[*entry]struct{}
	sites   map[string]map[*entry]struct{} // by the site of the location
	states  map[endpoint.State]int         // of those that are not quiet
	failing map[*entry]struct{}            // those with failures, whether quiet or not
	leading map[string]*[2]int             // by server: how many lead there, and how many of them fail
	agents  map[Agent]int

	silentAfter  time.Duration
	loud, silent row
}

// New makes an empty fleet whose endpoints count as silent when nothing was heard of them for longer than that.
func New(silentAfter time.Duration) *Fleet {
	return &Fleet{pool: pool{}, byName: map[string]*entry{}, users: map[string][]*entry{}, hosts: map[string][]*entry{},
		queues: map[string]map[*entry]struct{}{}, sites: map[string]map[*entry]struct{}{}, states: map[endpoint.State]int{},
		failing: map[*entry]struct{}{},
		leading: map[string]*[2]int{}, agents: map[Agent]int{}, silentAfter: silentAfter}
}

// Len is how many endpoints there are.
func (f *Fleet) Len() int { return len(f.order) }

// Follows is what follows from a report in one world, beside what View.Judge gives.
type Follows struct {
	Marks    []endpoint.Mark
	Location string
	Servers  []string
	World    *lineup.World
	Edge     time.Time
}

// Put takes in an endpoint's judgement in place of the one before.
func (f *Fleet) Put(judged endpoint.Judged, follows Follows) {
	j := &Judgement{record: judged.Record, Drift: judged.Drift, Says: judged.Says, Location: follows.Location,
		Servers: follows.Servers, Marks: follows.Marks, Edge: follows.Edge, State: StateOf(judged)}
	if len(j.Drift) == 0 {
		j.Drift = nil
	}
	if len(j.Says) == 0 {
		j.Says = nil
	}
	j.pooled = f.pool.take(judged.Report.Installed)
	j.record.Report.Installed = nil
	j.record.Report.Contexts = exact(j.record.Report.Contexts)
	j.Marks = exact(j.Marks)
	folded := name.Fold(j.Machine())
	e := f.byName[folded]
	if e == nil {
		e = &entry{folded: folded}
		f.byName[folded] = e
		if f.loud.unsorted {
			f.order = append(f.order, e)
		} else {
			at, _ := f.find(folded)
			f.order = slices.Insert(f.order, at, e)
		}
	}
	e.world = follows.World
	f.replace(e, j)
}

// exact gives a list in a piece of memory no larger than it: what is read as JSON has room for twice as many.
func exact[T any](list []T) []T {
	if cap(list) == len(list) {
		return list
	}
	return append(make([]T, 0, len(list)), list...)
}

// StateOf gives the state that an endpoint has as long as it is not silent.
func StateOf(e endpoint.Judged) endpoint.State {
	return endpoint.StateOf(endpoint.Record{Report: e.Report}, e.Drift, time.Time{}, 0)
}

// Same says that an endpoint's judgement holds in another world, too; it does nothing where a newer one has come.
func (f *Fleet) Same(j *Judgement, world *lineup.World) {
	if e := f.byName[name.Fold(j.Machine())]; e != nil && e.j == j {
		e.world = world
	}
}

// Holds is a judgement with the world in which it holds.
type Holds struct {
	*Judgement
	World *lineup.World
}

// Holding gives every endpoint's with its world, by name. It costs as much as the fleet is large.
func (f *Fleet) Holding() []Holds {
	out := make([]Holds, len(f.order))
	for i, e := range f.order {
		out[i] = Holds{e.j, e.world}
	}
	return out
}

// find gives where a folded name stands, or would.
func (f *Fleet) find(folded string) (int, bool) {
	return slices.BinarySearchFunc(f.order, folded, func(e *entry, n string) int { return strings.Compare(e.folded, n) })
}

// Get gives one endpoint's; nil where none of that name has reported.
func (f *Fleet) Get(machine string) *Judgement {
	if e := f.byName[name.Fold(machine)]; e != nil {
		return e.j
	}
	return nil
}

// All gives every endpoint's, by name. It costs as much as the fleet is large.
func (f *Fleet) All() []*Judgement { return judgements(f.order) }

func judgements(list []*entry) []*Judgement {
	out := make([]*Judgement, len(list))
	for i, e := range list {
		out[i] = e.j
	}
	return out
}

// replace puts a judgement in its entry's place, and into the indices what it has other than the one before.
func (f *Fleet) replace(e *entry, next *Judgement) {
	was := e.j
	e.j = next
	before, after := e.keys, keysOf(next)
	e.keys, e.text = after, textOf(e.folded, after[0], next.pooled)
	for kind, index := range []map[string][]*entry{f.users, f.hosts} {
		for _, k := range before[kind] {
			if !slices.Contains(after[kind], k) {
				if list := slices.DeleteFunc(index[k], func(x *entry) bool { return x == e }); len(list) > 0 {
					index[k] = list
				} else {
					delete(index, k)
				}
			}
		}
		for _, k := range after[kind] {
			if !slices.Contains(before[kind], k) {
				index[k] = append(index[k], e)
			}
		}
	}
	f.file(e, was, next)
	if was != nil {
		f.pool.drop(was.pooled)
	}
	f.count(was, -1)
	f.count(next, 1)
	if delete(f.failing, e); len(next.Report().Failures) > 0 {
		f.failing[e] = struct{}{}
	}
	f.refile(e, was)
}

// count adds an endpoint to those that lead to its servers and to those with its agent, or takes it away.
func (f *Fleet) count(j *Judgement, n int) {
	if j == nil {
		return
	}
	r := j.Report()
	a := Agent{r.Version, r.Platform, r.Updates}
	if f.agents[a] += n; f.agents[a] == 0 {
		delete(f.agents, a)
	}
	for _, server := range j.Servers {
		k := f.leading[server]
		if k == nil {
			k = new([2]int)
			f.leading[server] = k
		}
		k[0] += n
		if len(j.Report().Failures) > 0 {
			k[1] += n
		}
		if k[0] == 0 {
			delete(f.leading, server)
		}
	}
}

// An Agent is what endpoints are counted by: its version, for what it was built, and how it is brought to another.
type Agent struct{ Version, Platform, Updates string }

// Agents counts endpoints by their agents, the silent ones as well.
func (f *Fleet) Agents() map[Agent]int { return maps.Clone(f.agents) }

// Leading counts, for each server, the endpoints of which an own queue leads there, and those of them on which a step
// fails.
func (f *Fleet) Leading() map[string][2]int {
	out := make(map[string][2]int, len(f.leading))
	for server, n := range f.leading {
		out[server] = *n
	}
	return out
}

// keysOf gives the folded names of users, and of machines and hosts, in whose name an endpoint reported.
func keysOf(j *Judgement) (keys [2][]string) {
	if j == nil {
		return keys
	}
	add := func(kind int, said *string) {
		if said == nil {
			return
		}
		if k := name.Fold(*said); !slices.Contains(keys[kind], k) {
			keys[kind] = append(keys[kind], k)
		}
	}
	for _, q := range j.record.Report.Contexts {
		add(0, q.User)
		add(1, q.Machine)
		add(1, q.Host)
	}
	return keys
}

// textOf joins what a filter's word is looked for in.
func textOf(machine string, users []string, queues []pooled) string {
	var b strings.Builder
	b.WriteString(machine)
	for _, user := range users {
		b.WriteByte('\n')
		b.WriteString(user)
	}
	for i := range queues {
		b.WriteByte('\n')
		b.WriteString(queues[i].of.Queue)
	}
	return b.String()
}

// file puts an endpoint under the queues that it is to have or must not have, and away from those that are gone.
func (f *Fleet) file(e *entry, was, next *Judgement) {
	of := func(j *Judgement) map[string]bool {
		out := map[string]bool{}
		if j != nil {
			for i := range j.Marks {
				out[j.Marks[i].Queue] = true
			}
		}
		return out
	}
	before, after := of(was), of(next)
	for q := range before {
		if !after[q] {
			leave(f.queues, q, e)
		}
	}
	for q := range after {
		if !before[q] {
			enter(f.queues, q, e)
		}
	}
	if was != nil && estate.Site(was.Location) != estate.Site(next.Location) {
		leave(f.sites, estate.Site(was.Location), e)
	}
	enter(f.sites, estate.Site(next.Location), e)
}

func enter(index map[string]map[*entry]struct{}, key string, e *entry) {
	if index[key] == nil {
		index[key] = map[*entry]struct{}{}
	}
	index[key][e] = struct{}{}
}

func leave(index map[string]map[*entry]struct{}, key string, e *entry) {
	if delete(index[key], e); len(index[key]) == 0 {
		delete(index, key)
	}
}

// OfUsers gives the endpoints on which any of some folded names has a session, by name.
func (f *Fleet) OfUsers(folded ...string) []*Judgement { return f.union(f.users, folded) }

// OfMachines gives the endpoints that report in the name of any of some machines or session hosts, folded; by name.
func (f *Fleet) OfMachines(folded ...string) []*Judgement { return f.union(f.hosts, folded) }

func (f *Fleet) union(index map[string][]*entry, folded []string) []*Judgement {
	var out []*entry
	for _, n := range folded {
		out = append(out, index[n]...)
	}
	return f.sorted(out)
}

// OfQueue gives the endpoints that are to have a queue, or have it and must not, by name.
func (f *Fleet) OfQueue(queue string) []*Judgement { return judgements(f.list(f.queues[queue])) }

// list gives a set by name.
func (f *Fleet) list(set map[*entry]struct{}) []*entry {
	out := make([]*entry, 0, len(set))
	if len(set)*8 > len(f.order) { // looking through all is less than sorting
		for _, e := range f.order {
			if _, has := set[e]; has {
				out = append(out, e)
			}
		}
		return out
	}
	for e := range set {
		out = append(out, e)
	}
	slices.SortFunc(out, byName)
	return out
}

func byName(a, b *entry) int { return strings.Compare(a.folded, b.folded) }

// Failing gives the endpoints that reported failures, whether they are silent now or not, by name.
func (f *Fleet) Failing() []*Judgement { return judgements(f.list(f.failing)) }

func (f *Fleet) sorted(list []*entry) []*Judgement {
	slices.SortFunc(list, byName)
	return judgements(slices.Compact(list))
}

// EachUser calls f for every folded name under which sessions are reported, in no order.
func (f *Fleet) EachUser(each func(folded string)) {
	for folded := range f.users {
		each(folded)
	}
}
