package rehearse

import (
	"slices"

	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/name"
)

// A Touch tells in which contexts the difference between two worlds can change a lineup, at much less than two lineups
// cost. In others the two worlds agree, whatever the time.
type Touch struct {
	Changes []estate.Change // of the estate

	from, to         *lineup.World
	all              bool // it may be anywhere
	fromMark, toMark lineup.Mark
	picked           map[string]bool // folded primary accounts of who has picked otherwise
}

// NewTouch compares two worlds' estates and live states. Where their directories differ it tells nothing apart.
func NewTouch(from, to *lineup.World) *Touch {
	t := &Touch{from: from, to: to}
	if from.Estate != to.Estate {
		t.Changes = estate.Changes(from.Estate.Document(), to.Estate.Document())
	}
	if from.Directory != to.Directory || t.moves() {
		t.all = true
		return t
	}
	t.picked = picks(from, to)
	queues, grants := t.affected()
	for _, w := range []*lineup.World{from, to} {
		for _, g := range w.Estate.GrantsSelecting(queues) {
			grants[g] = true
		}
	}
	names := make([]string, 0, len(grants))
	for g := range grants {
		names = append(names, g)
	}
	slices.Sort(names)
	t.fromMark, t.toMark = from.Estate.MarkGrants(names), to.Estate.MarkGrants(names)
	return t
}

// Context says whether a context's lineup can differ. The scratches are for the one world and the other.
func (t *Touch) Context(c lineup.Context, a, b *lineup.Scratch) bool {
	if t.all {
		return true
	}
	if len(t.picked) > 0 && c.User != "" && t.picked[primary(t.to, c.User)] {
		return true
	}
	if t.fromMark.None() && t.toMark.None() {
		return false
	}
	inFrom, errFrom := t.from.Touches(c, t.fromMark, a)
	inTo, errTo := t.to.Touches(c, t.toMark, b)
	return inFrom || inTo || errFrom != nil || errTo != nil
}

// Nothing says that no lineup differs anywhere.
func (t *Touch) Nothing() bool {
	return !t.all && len(t.picked) == 0 && t.fromMark.None() && t.toMark.None()
}

// Users calls f for every user whose lineup can differ, by the folded name of their primary account, perhaps more than
// once. limited is false where others can, too; f has not been called for everybody then.
func (t *Touch) Users(f func(folded string)) (limited bool) {
	if t.all || !t.from.EachUser(t.fromMark, f) || !t.to.EachUser(t.toMark, f) {
		return false
	}
	for user := range t.picked {
		f(user)
	}
	return true
}

// primary gives the folded name of the primary account of whoever has a name.
func primary(w *lineup.World, called string) string {
	if u, ok := w.Directory.Person(called); ok {
		called = u.Name
	}
	return name.Fold(called)
}

// moves says whether a change can alter where a context is or at which machine, or by which clock it is judged.
func (t *Touch) moves() bool {
	return slices.ContainsFunc(t.Changes, func(c estate.Change) bool {
		switch c.List {
		case "subnets", "stations":
			return true
		case "locations":
			a, okA := c.Before.(*estate.Location)
			b, okB := c.After.(*estate.Location)
			return !okA || !okB || a.Timezone != b.Timezone
		}
		return false
	})
}

// picks names the folded primary accounts of those who have picked otherwise.
func picks(from, to *lineup.World) map[string]bool {
	out := map[string]bool{}
	for _, m := range []map[string][]string{from.Live.Picks, to.Live.Picks} {
		for user := range m {
			if !slices.Equal(from.Live.Picks[user], to.Live.Picks[user]) {
				out[primary(to, user)] = true
			}
		}
	}
	return out
}

// affected gives the queues and grants that differ, or that lead through something that does.
func (t *Touch) affected() (queues, grants map[string]bool) {
	queues, grants = map[string]bool{}, map[string]bool{}
	through := map[estate.Ref]bool{}
	for _, c := range t.Changes {
		switch c.List {
		case "grants":
			grants[c.Name] = true
		case "queues":
			queues[c.Name] = true
		default:
			through[c.Ref] = true
		}
	}
	for _, kind := range []struct {
		list string
		a, b map[string]live.Duty
	}{{"servers", t.from.Live.Servers, t.to.Live.Servers}, {"devices", t.from.Live.Devices, t.to.Live.Devices}} {
		for _, m := range []map[string]live.Duty{kind.a, kind.b} {
			for n := range m {
				if kind.a[n] != kind.b[n] {
					through[estate.Ref{List: kind.list, Name: n}] = true
				}
			}
		}
	}
	for _, m := range []map[string]float64{t.from.Live.Shares, t.to.Live.Shares} {
		for n := range m {
			if t.from.Live.Share(n) != t.to.Live.Share(n) {
				through[estate.Ref{List: "servers", Name: n}] = true
			}
		}
	}
	for _, m := range []map[string]*live.List{t.from.Live.Lists, t.to.Live.Lists} {
		for n := range m {
			if !t.from.Live.Lists[n].Same(t.to.Live.Lists[n]) {
				through[estate.Ref{List: "servers", Name: n}] = true
			}
		}
	}
	if len(through) == 0 {
		return queues, grants
	}
	for _, d := range []*estate.Document{t.from.Estate.Document(), t.to.Estate.Document()} {
		sets := map[string]bool{}
		for _, s := range d.ServerSets {
			sets[s.Name] = through[estate.Ref{List: "server_sets", Name: s.Name}] || slices.ContainsFunc(s.Members,
				func(m string) bool { return through[estate.Ref{List: "servers", Name: m}] })
		}
		for i := range d.Queues {
			q := &d.Queues[i]
			is := slices.ContainsFunc(q.Paths, func(w estate.Path) bool {
				return through[estate.Ref{List: "devices", Name: w.Device}] || through[estate.Ref{List: "servers",
					Name: w.Server}] || sets[w.Set]
			})
			for _, driver := range q.Drivers {
				is = is || through[estate.Ref{List: "drivers", Name: driver}]
			}
			if is {
				queues[q.Name] = true
			}
		}
	}
	return queues, grants
}
