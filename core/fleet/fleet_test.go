package fleet_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/page"
)

var begin = time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)

const silentAfter = 30 * time.Minute

// kept is what a twin without indices keeps of an endpoint.
type kept struct {
	judged  endpoint.Judged
	follows fleet.Follows
}

func (k kept) state(now time.Time) endpoint.State {
	if now.Sub(k.judged.LastSeen) > silentAfter {
		return endpoint.Silent
	}
	return fleet.StateOf(k.judged)
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

func random(r *rand.Rand, machine string, now time.Time) kept {
	k := kept{judged: endpoint.Judged{Record: endpoint.Record{FirstSeen: begin, LastSeen: now.Add(-time.Duration(
		r.IntN(40)) * time.Minute)}}}
	rep := &k.judged.Report
	rep.Machine = machine
	rep.Version, rep.Updates = pick(r, "0.1.0", "0.2.0"), pick(r, "", "deb")
	for range r.IntN(4) {
		user := pick(r, "Mira", "jonas", "ida")
		q := lineup.Query{Machine: &machine}
		if r.IntN(3) > 0 {
			q.User = &user
		}
		if r.IntN(4) == 0 {
			q.Host = pick(r, &machine, &user)
		}
		rep.Contexts = append(rep.Contexts, q)
	}
	for i := range r.IntN(4) {
		rep.Installed = append(rep.Installed, endpoint.Installed{Want: endpoint.Want{Queue: fmt.Sprint("q", i), User: pick(r,
			"", "Mira"), URI: "ipp://a/", Options: pick(r, nil, map[string]any{"sides": "two"}, map[string]any{})},
			Own: r.IntN(2) == 0})
		k.follows.Marks = append(k.follows.Marks, endpoint.NewMark(fmt.Sprint("q", r.IntN(6)), "", endpoint.Arrived))
	}
	if r.IntN(4) == 0 {
		rep.Failures = []endpoint.Failure{{Queue: "q0", Says: "no"}}
	}
	if r.IntN(3) == 0 {
		k.judged.Drift = []endpoint.Difference{{Queue: "q1", Kind: "missing"}}
	}
	k.follows.Location = pick(r, "", "ard", "ard/quay", "bran")
	if r.IntN(2) == 0 {
		k.follows.Servers = pick(r, []string{"ps-1"}, []string{"ps-1", "ps-2"})
	}
	return k
}

// TestTwin: after any number of reports every index, count and page says what looking at each endpoint says.
func TestTwin(t *testing.T) {
	t.Parallel()
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 11))
		f, twin, now := fleet.New(silentAfter), map[string]kept{}, begin
		for step := range 60 {
			now = now.Add(time.Duration(r.IntN(8)) * time.Minute)
			machine := fmt.Sprint(pick(r, "desk-", "Desk-", "TILL-"), r.IntN(12))
			k := random(r, machine, now)
			if had, ok := twin[name.Fold(machine)]; ok && r.IntN(3) == 0 {
				k.judged.LastSeen = had.judged.LastSeen
			}
			put := func() error { f.Put(k.judged, k.follows); return nil }
			if step == 0 {
				_ = f.Fill(put)
			} else {
				_ = put()
			}
			twin[name.Fold(machine)] = k
			f.Tick(now)
			check(t, f, twin, now, r)
		}
	}
}

func check(t *testing.T, f *fleet.Fleet, twin map[string]kept, now time.Time, r *rand.Rand) {
	t.Helper()
	var order []string
	for n := range twin {
		order = append(order, n)
	}
	slices.Sort(order)
	states, leading, agents := map[endpoint.State]int{}, map[string][2]int{}, map[fleet.Agent]int{}
	for n, k := range twin {
		had := k.judged.Report
		agents[fleet.Agent{Version: had.Version, Platform: had.Platform, Updates: had.Updates}]++
		states[k.state(now)]++
		for _, s := range k.follows.Servers {
			l := leading[s]
			l[0]++
			l[1] += len(k.judged.Report.Failures)
			leading[s] = l
		}
		got := f.Get(strings.ToUpper(n)).Record()
		if len(got.Report.Installed) == 0 && len(k.judged.Report.Installed) == 0 {
			got.Report.Installed = k.judged.Report.Installed
		}
		for i := range got.Report.Installed { // no options and none are the same
			if len(got.Report.Installed[i].Options)+len(k.judged.Report.Installed[i].Options) == 0 {
				got.Report.Installed[i].Options = k.judged.Report.Installed[i].Options
			}
		}
		if !reflect.DeepEqual(got, k.judged.Record) {
			t.Fatalf("%+v\nwas put in as %+v", got, k.judged.Record)
		}
	}
	if got := f.States(); !reflect.DeepEqual(got, states) {
		t.Fatal("states:", got, states)
	}
	if got := f.Agents(); !reflect.DeepEqual(got, agents) {
		t.Fatal("agents:", got, agents)
	}
	if got := f.Leading(); !reflect.DeepEqual(got, leading) {
		t.Fatal("leading:", got, leading)
	}
	same := func(what string, got []*fleet.Judgement, is func(kept) bool) {
		t.Helper()
		var a, b []string
		for _, j := range got {
			a = append(a, name.Fold(j.Machine()))
		}
		for _, n := range order {
			if is(twin[n]) {
				b = append(b, n)
			}
		}
		if !slices.Equal(a, b) {
			t.Fatalf("%s: %v, not %v", what, a, b)
		}
	}
	in := func(k kept, of func(lineup.Query) []*string, want string) bool {
		return slices.ContainsFunc(k.judged.Report.Contexts, func(q lineup.Query) bool {
			return slices.ContainsFunc(of(q), func(s *string) bool { return s != nil && name.Fold(*s) == want })
		})
	}
	users := func(q lineup.Query) []*string { return []*string{q.User} }
	same("of users", f.OfUsers("mira", "ida"), func(k kept) bool { return in(k, users, "mira") || in(k, users, "ida") })
	host := order[r.IntN(len(order))]
	same("of a machine", f.OfMachines(host), func(k kept) bool {
		return in(k, func(q lineup.Query) []*string { return []*string{q.Machine, q.Host} }, host)
	})
	same("of a queue", f.OfQueue("q3"), func(k kept) bool {
		return slices.ContainsFunc(k.follows.Marks, func(m endpoint.Mark) bool { return m.Queue == "q3" })
	})
	same("failing", f.Failing(), func(k kept) bool { return len(k.judged.Report.Failures) > 0 })
	same("silent", f.Silent(), func(k kept) bool { return k.state(now) == endpoint.Silent })
	by := fleet.Filter{State: pick(r, "", endpoint.Silent, endpoint.Failing, endpoint.Converged), Site: pick(r, "", "ard"),
		Word: pick(r, "", "MIRA", "k-1", "q2"), Sort: pick(r, "", "", "-last_seen"), Queue: pick(r, "", "", "q2")}
	var all []*fleet.Judgement
	for ask := (page.Ask{Limit: 1 + r.IntN(4)}); ; {
		p := f.Page(by, ask, now)
		all = append(all, p.Items...)
		if ask.After = p.Next; ask.After == "" {
			if len(all) != p.Total {
				t.Fatal("a total of", p.Total, "on pages of", len(all))
			}
			break
		}
	}
	if by.Sort != "" {
		if !slices.IsSortedFunc(all, func(a, b *fleet.Judgement) int { return b.LastSeen().Compare(a.LastSeen()) }) {
			t.Fatal("not sorted")
		}
		slices.SortFunc(all, func(a, b *fleet.Judgement) int {
			return strings.Compare(name.Fold(a.Machine()), name.Fold(b.Machine()))
		})
	}
	same(fmt.Sprintf("a page of %+v", by), all, func(k kept) bool { return matches(k, by, now) })
	for _, j := range all {
		if row := f.Row(j, now); row.State != twin[name.Fold(row.Machine)].state(now) {
			t.Fatal("a row's state:", row)
		}
	}
}

func matches(k kept, by fleet.Filter, now time.Time) bool {
	text := name.Fold(k.judged.Report.Machine)
	for _, q := range k.judged.Report.Contexts {
		if q.User != nil {
			text += "\n" + name.Fold(*q.User)
		}
	}
	for _, i := range k.judged.Report.Installed {
		text += "\n" + i.Queue
	}
	return (by.Queue == "" || slices.ContainsFunc(k.follows.Marks, func(m endpoint.Mark) bool { return m.Queue == by.Queue })) &&
		(by.State == "" || k.state(now) == by.State) && (by.Site == "" || estate.Site(k.follows.Location) == by.Site) &&
		strings.Contains(text, name.Fold(by.Word))
}

// TestSilentAfter: another setting moves endpoints both ways.
func TestSilentAfter(t *testing.T) {
	t.Parallel()
	f := fleet.New(silentAfter)
	for i := range 10 {
		f.Put(endpoint.Judged{Record: endpoint.Record{LastSeen: begin.Add(time.Duration(i) * time.Minute),
			Report: endpoint.Report{Machine: fmt.Sprint("d", i)}}}, fleet.Follows{})
	}
	now := begin.Add(10 * time.Minute)
	for _, c := range []struct {
		after  time.Duration
		silent int
	}{{silentAfter, 0}, {5 * time.Minute, 5}, {8 * time.Minute, 2}, {time.Minute, 9}, {silentAfter, 0}} {
		f.SilentAfter(c.after)
		if f.Due(now) != (c.silent > 0) {
			t.Error("due:", c)
		}
		f.Tick(now)
		if got := f.States()[endpoint.Silent]; got != c.silent || len(f.Silent()) != c.silent || f.Len() != 10 {
			t.Errorf("%v: %d silent, not %d", c.after, got, c.silent)
		}
	}
}
