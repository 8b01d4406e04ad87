package endpoint

import (
	"cmp"
	"slices"

	"cirque/core/name"
)

// A Memory is what an agent remembers of its own work, to tell what a person did from what it did itself.
type Memory struct {
	Own      []Key             // queues that it installed and has not removed
	Away     []Key             // queues that somebody removed and that stay away
	Defaults map[string]string // by folded user: the default that it set last
	// Former is the default that a folded user had when it set one for the first time: their way back.
	Former map[string]string `json:",omitempty"`
}

// Set notes a default that it has set in place of another. One of its own queues is nobody's way back.
func (m *Memory) Set(user, queue, before string) {
	user = name.Fold(user)
	own := slices.ContainsFunc(m.Own, func(k Key) bool { return k.Queue == before })
	if _, known := m.Former[user]; !known && before != "" && !own && before != m.Defaults[user] {
		if m.Former == nil {
			m.Former = map[string]string{}
		}
		m.Former[user] = before
	}
	m.Defaults[user] = queue
}

// A Step is one thing to do to a spooler.
type Step struct {
	Do   string // add, change, remove or default
	Want Want   // of remove, only Queue and User count; of default too
}

// Steps gives what leads from what is installed to the plan, in an order in which nobody is ever without: what is new
// comes first, what goes comes last, and defaults in between. The second result is what stays away from now on.
//
// Queues that are not the agent's own are never touched; one of the same name is in the way, and adding fails in the
// spooler's own words. defaults gives the present default of each folded user.
func Steps(p Plan, installed []Installed, defaults map[string]string, m Memory) ([]Step, []Key) {
	found := map[Key]Installed{}
	for _, i := range installed {
		if i.Own {
			found[i.Key()] = i
		}
	}
	wanted := map[Key]bool{}
	var steps []Step
	var away []Key
	for _, w := range p.Wants {
		k := w.Key()
		wanted[k] = true
		i, there := found[k]
		switch what, _, _ := Differs(w, i.Want); {
		case !there && !w.Restore && (slices.Contains(m.Own, k) || slices.Contains(m.Away, k)):
			away = append(away, k) // a person removed it, and the grant lets them
		case !there:
			steps = append(steps, Step{"add", w})
		case what != "" || i.Halted || (w.Closed == "") != (i.Closed == ""):
			steps = append(steps, Step{"change", w})
		}
	}
	for _, d := range p.Defaults {
		user := name.Fold(d.User)
		if slices.Contains(away, Key{user, d.Queue}) || slices.Contains(away, Key{"", d.Queue}) {
			continue
		}
		present := defaults[user]
		free := present == "" || present == m.Defaults[user] // the person has chosen nothing of their own
		if present != d.Queue && (d.Insist || free) {
			steps = append(steps, Step{"default", Want{Queue: d.Queue, User: d.User}})
		}
	}
	var gone []Step
	for k, i := range found {
		if !wanted[k] {
			gone = append(gone, Step{"remove", Want{Queue: i.Queue, User: i.User}})
		}
	}
	slices.SortFunc(gone, func(a, b Step) int {
		return cmp.Or(cmp.Compare(a.Want.User, b.Want.User), cmp.Compare(a.Want.Queue, b.Want.Queue))
	})
	return append(steps, gone...), away
}
