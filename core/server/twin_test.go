package server_test

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/server"
	"cirque/internal/testkit/worlds"
)

// A twin works out the same as Wanted, slowly: by the words of the contract, person by person.
type twin struct {
	doc *estate.Document
	r   directory.Records
	d   *directory.Directory
}

// in says whether a folded user, or machine, is in a group, through nesting.
func (w twin) in(kind, folded, group string, seen map[string]bool) bool {
	if seen[name.Fold(group)] {
		return false
	}
	seen[name.Fold(group)] = true
	for _, g := range w.r.Groups {
		if name.Fold(g.Name) != name.Fold(group) {
			continue
		}
		for _, m := range g.Members {
			k, n, _ := strings.Cut(m, ":")
			if k == kind && name.Fold(n) == folded || k == "group" && w.in(kind, folded, n, seen) {
				return true
			}
		}
	}
	return false
}

// under says whether one unit is another, or under it.
func under(unit, of string) bool {
	u, o := name.Fold(unit), name.Fold(of)
	return u != "" && (u == o || strings.HasPrefix(u, o+"/"))
}

// everybody lists all folded names of people: those of the directory, and those that a group names.
func (w twin) everybody() []string {
	var out []string
	for _, u := range w.r.Users {
		out = append(out, name.Fold(u.Name))
	}
	for _, g := range w.r.Groups {
		for _, m := range g.Members {
			if k, n, _ := strings.Cut(m, ":"); k == "user" && !slices.Contains(out, name.Fold(n)) {
				out = append(out, name.Fold(n))
			}
		}
	}
	return out
}

// holds says whether an entry holds for a person, and whether it can hold by more than a person's name.
func (w twin) holds(entry, folded string) (holds, more bool) {
	kind, value, _ := strings.Cut(entry, ":")
	switch kind {
	case "everyone":
		return true, false
	case "user":
		return name.Fold(value) == folded, false
	case "group":
		for _, m := range w.machines() {
			more = more || w.in("machine", m, value, map[string]bool{})
		}
		return w.in("user", folded, value, map[string]bool{}), more
	case "unit":
		for _, m := range w.r.Machines {
			more = more || under(m.Unit, value)
		}
		for _, u := range w.r.Users {
			holds = holds || name.Fold(u.Name) == folded && under(u.Unit, value)
		}
		return holds, more
	}
	return false, true
}

func (w twin) machines() []string {
	var out []string
	for _, m := range w.r.Machines {
		out = append(out, name.Fold(m.Name))
	}
	for _, g := range w.r.Groups {
		for _, m := range g.Members {
			if k, n, _ := strings.Cut(m, ":"); k == "machine" {
				out = append(out, name.Fold(n))
			}
		}
	}
	return out
}

// people is who may print, in one line as the test writes it.
func (w twin) people(a *estate.Access) (string, bool) {
	more, everyone := false, a == nil || a.Allow == nil
	var may, denied []string
	each := func(entries []string, folded string) (is bool) {
		for _, e := range entries {
			h, m := w.holds(e, folded)
			is, more = is || h, more || m
		}
		return is
	}
	if a == nil {
		return "all", false
	}
	if slices.Contains(a.Deny, "everyone") {
		return "none", false
	}
	for _, u := range append(w.everybody(), "-nobody-of-that-name-") {
		deny := each(a.Deny, u)
		if deny {
			denied = append(denied, u)
		}
		if each(a.Allow, u) && !deny {
			may = append(may, u)
		}
	}
	for _, e := range a.Deny { // who is denied by a name is, though the directory does not know it
		if u, is := strings.CutPrefix(e, "user:"); is && !slices.Contains(denied, name.Fold(u)) {
			denied = append(denied, name.Fold(u))
		}
	}
	allowsMore := false
	for _, e := range a.Allow {
		_, m := w.holds(e, "")
		allowsMore = allowsMore || m
		everyone = everyone || e == "everyone"
	}
	slices.Sort(may)
	slices.Sort(denied)
	deniesMore := false
	for _, e := range a.Deny {
		_, m := w.holds(e, "")
		deniesMore = deniesMore || m
	}
	if everyone || allowsMore {
		return "all but " + strings.Join(denied, " "), deniesMore || allowsMore && !everyone
	}
	if len(may) == 0 {
		return "none", deniesMore
	}
	return "only " + strings.Join(may, " "), deniesMore
}

func written(p server.People) string {
	switch {
	case p.Nobody():
		return "none"
	case p.Everyone && len(p.Names) == 0:
		return "all"
	case p.Everyone:
		return "all but " + strings.Join(p.Names, " ")
	}
	return "only " + strings.Join(p.Names, " ")
}

// wants lists what a server is to have, a line each.
func (w twin) wants(s estate.Server, at time.Time) (lines []string, more map[string]bool) {
	more = map[string]bool{}
	platform := cmp.Or(s.Platform, "linux/x64")
	taken := map[string]bool{}
	for _, q := range w.doc.Queues {
		ended := q.Until != "" && over(q, w.doc, at)
		var names []string
		for _, p := range q.Paths {
			through := p.Server == s.Name
			for _, set := range w.doc.ServerSets {
				through = through || p.Set == set.Name && slices.Contains(set.Members, s.Name)
			}
			there := q.Name
			if p.RemoteName != "" {
				there = p.RemoteName
			}
			if through && !slices.Contains(names, there) {
				names = append(names, there)
			}
		}
		for _, there := range names {
			if q.Retired || ended || taken[there] {
				continue
			}
			taken[there] = true
			unix := !strings.HasPrefix(platform, "windows")
			if unix && strings.Contains(there, " ") {
				continue
			}
			var to []string
			for _, called := range q.Devices {
				for _, d := range w.doc.Devices {
					if d.Name == called && (d.Machine == "" || strings.EqualFold(d.Machine, cmp.Or(s.Machine, s.Name))) {
						to = append(to, d.URI)
					}
				}
			}
			if len(to) == 0 {
				continue
			}
			if !unix {
				to = to[:1]
			}
			people, m := w.people(q.Access)
			more[there] = m
			if people == "all but " {
				people = "all"
			}
			lines = append(lines, fmt.Sprintf("%s %s %v %s %s %v", there, q.Name, to, w.driver(q, platform), people,
				!open(q, w.doc, at) || people == "none"))
		}
	}
	slices.Sort(lines)
	return lines, more
}

func (w twin) driver(q estate.Queue, platform string) string {
	if q.OnServers != nil && q.OnServers.Render == "client" {
		return ""
	}
	if len(q.Drivers) == 0 {
		return "driverless"
	}
	system, _, _ := strings.Cut(platform, "/")
	for _, key := range []string{platform, system, "*"} {
		for _, d := range w.doc.Drivers {
			if q.Drivers[key] == d.Name && (d.Platform == platform || d.Platform == system) {
				return d.Exact
			}
		}
		if q.Drivers[key] == "driverless" {
			return "driverless"
		}
	}
	return ""
}

func zone(called string) *time.Location {
	z, err := time.LoadLocation(called)
	if err != nil {
		return nil
	}
	return z
}

// clock is the wall time at a queue's site.
func clock(q estate.Queue, doc *estate.Document, at time.Time) time.Time {
	site, _, _ := strings.Cut(q.Location, "/")
	for _, l := range doc.Locations {
		if l.Path == site && l.Timezone != "" {
			return at.In(zone(l.Timezone))
		}
	}
	return at.UTC()
}

func over(q estate.Queue, doc *estate.Document, at time.Time) bool {
	if t, err := time.Parse(time.RFC3339, q.Until); err == nil {
		return !at.Before(t)
	}
	return clock(q, doc, at).Format(time.DateOnly) > q.Until
}

// open says whether a queue takes jobs at a minute of its week.
func open(q estate.Queue, doc *estate.Document, at time.Time) bool {
	if q.Paused {
		return false
	}
	now := clock(q, doc, at)
	hm := now.Format("15:04")
	day := func(t time.Time) string { return strings.ToLower(t.Format("Mon")) }
	is := len(q.Open) == 0
	for _, w := range q.Open {
		on := func(d string) bool { return len(w.Days) == 0 || slices.Contains(w.Days, d) }
		if w.From < w.To {
			is = is || on(day(now)) && w.From <= hm && hm < w.To
		} else {
			is = is || on(day(now)) && w.From <= hm || on(day(now.AddDate(0, 0, -1))) && hm < w.To
		}
	}
	return is
}

// TestTwin holds Wanted against the slow twin, on random worlds.
func TestTwin(t *testing.T) {
	t.Parallel()
	queues, limited := 0, 0
	for seed := range uint64(2500) {
		m := worlds.New(seed)
		doc, r := m.Estate(), m.Directory()
		w := twin{doc, r, directory.New(r)}
		at := time.Date(2026, 11, 20+m.IntN(14), m.IntN(24), 30*m.IntN(2), 7, 0, time.UTC)
		for _, s := range doc.Servers {
			plan := server.Wanted(doc, w.d, s.Name, at, zone)
			if !s.Kept {
				if len(plan.Wants)+len(plan.Points) > 0 {
					t.Fatalf("seed %d: %s is not kept, and is to have %v", seed, s.Name, plan)
				}
				continue
			}
			if k := server.Keeping(doc, s.KeptBy()); k.Name != s.Name {
				continue // its machine keeps another
			}
			var got []string
			now, _ := server.At(plan.Wants, at, zone)
			for _, x := range now {
				driver := cmp.Or(x.Exact, x.Driver)
				got = append(got, fmt.Sprintf("%s %s %v %s %s %v", x.Name, x.Queue, x.Devices, driver, written(x.People),
					x.Closed != ""))
				if written(x.People) != "all" {
					limited++
				}
			}
			slices.Sort(got)
			want, more := w.wants(s, at)
			if !slices.Equal(got, want) {
				y, _ := doc.YAML()
				t.Fatalf("seed %d, %s at %v:\n%s\nwant\n%s\n%s\n%+v", seed, s.Name, at, strings.Join(got, "\n"),
					strings.Join(want, "\n"), y, r)
			}
			for there, m := range more {
				if said := slices.ContainsFunc(plan.Points, func(p server.Point) bool { return p.More && p.Name == there }); said != m {
					t.Fatalf("seed %d, %s: that %s lets more people print is %v, said %v", seed, s.Name, there, m, said)
				}
			}
			queues += len(got)
			for _, q := range doc.Queues {
				why, ok := server.Explain(doc, w.d, s.Name, q.Name, at, zone)
				if is := slices.ContainsFunc(now, func(x server.Now) bool { return x.Queue == q.Name }); !ok || why.Wanted != is ||
					len(why.Says) == 0 {
					t.Fatalf("seed %d: why %s is on %s: %+v", seed, q.Name, s.Name, why)
				}
			}
		}
	}
	if queues < 1000 || limited < 200 {
		t.Errorf("only %d queues and %d with limits were looked at", queues, limited)
	}
}
