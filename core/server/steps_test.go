package server_test

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/server"
	"cirque/internal/testkit/worlds"
)

// apply does steps on what was found, as a spooler does.
func apply(found []server.Found, steps []server.Step) []server.Found {
	out := slices.Clone(found)
	for _, s := range steps {
		i := slices.IndexFunc(out, func(f server.Found) bool { return f.Name == s.Want.Name })
		switch s.Do {
		case server.Remove:
			out = slices.Delete(out, i, i+1)
		case server.Add:
			if i < 0 { // else it is in the way
				out = append(out, server.Found{Now: s.Want, Own: true})
			}
		case server.Change, server.Take:
			out[i] = server.Found{Now: s.Want, Own: true}
		}
	}
	return out
}

// TestSteps: whatever is found, the steps lead to what is wanted, each driver comes before its queues, what goes comes
// last, and queues of others stay as they are, but for those that are to be taken.
func TestSteps(t *testing.T) {
	t.Parallel()
	taken := 0
	for seed := range uint64(2000) {
		m := worlds.New(seed)
		at := time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
		wantsOf := func() []server.Now {
			d := directory.New(m.Directory())
			for _, s := range m.Estate().Servers {
				if p := server.Wanted(&estate.Document{}, d, s.Name, at, zone); len(p.Wants) > 0 {
					t.Fatal("an empty estate wants something")
				}
			}
			doc := m.Estate()
			now, _ := server.At(server.Wanted(doc, d, m.One("s0", "s1"), at, zone).Wants, at, zone)
			return now
		}
		before, wants := wantsOf(), wantsOf()
		var found []server.Found
		var take []string
		for _, b := range before {
			f := server.Found{Now: b, Own: m.Maybe(0.7), Halted: m.Maybe(0.1), Private: m.Maybe(0.1)}
			if !f.Own && m.Maybe(0.4) {
				take = append(take, f.Name)
				taken++
			}
			found = append(found, f)
		}
		steps := server.Steps(wants, found, take)
		var fetched []string
		last := ""
		for _, s := range steps {
			if s.Do == server.GetDriver {
				fetched = append(fetched, s.Want.Exact)
			} else if s.Do != server.Remove && s.Want.Exact != "" && !slices.Contains(fetched, s.Want.Exact) {
				t.Fatalf("seed %d: %s comes before its driver", seed, s.Want.Name)
			}
			if last == server.Remove && s.Do != server.Remove {
				t.Fatalf("seed %d: %s comes after a queue that goes", seed, s.Want.Name)
			}
			last = s.Do
		}
		after := apply(found, steps)
		for _, f := range found {
			if !f.Own && !slices.Contains(take, f.Name) && !slices.ContainsFunc(after, func(a server.Found) bool {
				return reflect.DeepEqual(a, f)
			}) {
				t.Fatalf("seed %d: the queue %s of somebody else was touched", seed, f.Name)
			}
		}
		for _, d := range server.Drift(wants, after, false) {
			if d.Kind != "in-the-way" {
				t.Fatalf("seed %d: after all steps still %+v", seed, d)
			}
		}
		for _, s := range server.Steps(wants, after, nil) {
			if s.Do != server.Add && s.Do != server.GetDriver { // those in the way are tried again
				t.Fatalf("seed %d: after all steps still %+v", seed, s)
			}
		}
	}
	if taken == 0 {
		t.Error("nothing was taken over")
	}
}

// TestDiffers: each thing that a queue on a server has is looked at.
func TestDiffers(t *testing.T) {
	t.Parallel()
	yes := true
	want := server.Now{Want: server.Want{Name: "hall", Queue: "hall", Devices: []string{"ipp://a/"}, Driver: "mono",
		Exact: "Mono 40", Options: map[string]any{"sides": "one-sided", "copies": 2}, People: server.People{Everyone: true}}}
	if what, _, _ := server.Differs(want, server.Found{Now: want, Own: true}); what != "" {
		t.Fatal("it differs from itself in", what)
	}
	for what, spoil := range map[string]func(*server.Found){
		"queue": func(f *server.Found) { f.Queue = "x" }, "devices": func(f *server.Found) { f.Devices = []string{"ipp://b/"} },
		"driver": func(f *server.Found) { f.Exact = "Mono 41" }, "comment": func(f *server.Found) { f.Comment = "x" },
		"place": func(f *server.Found) { f.Place = "x" }, "closed": func(f *server.Found) { f.Closed = "paused" },
		"people": func(f *server.Found) { f.People = server.People{Names: []string{"ida"}} },
		"order":  func(f *server.Found) { f.Order = "shortest" }, "mismatch": func(f *server.Found) { f.Mismatch = "print" },
		"finished": func(f *server.Found) { f.Finished = 1 << 40 }, "units": func(f *server.Found) {
			f.Units = &estate.Units{TwoSided: &yes}
		},
		"colour profile": func(f *server.Found) { f.ColourProfile = "x" }, "shared": func(f *server.Found) { f.Private = true },
		"state": func(f *server.Found) { f.Halted = true }, "options": func(f *server.Found) { f.Options = nil },
		"sides": func(f *server.Found) { f.Options = map[string]any{"sides": "two-sided-long-edge", "copies": 2.0} },
	} {
		f := server.Found{Now: want, Own: true}
		spoil(&f)
		if got, wanted, found := server.Differs(want, f); got != what || wanted == found {
			t.Errorf("spoilt in %s: %q, %q, %q", what, got, wanted, found)
		}
	}
	sent := want
	sent.Package = strings.Repeat("ab", 32)
	if what, _, _ := server.Differs(sent, server.Found{Now: want, Own: true}); what != "driver package" {
		t.Errorf("another package: %q", what)
	}
}

// many are as many people as make a list too long.
func many(n int) directory.Records {
	r := directory.Records{Groups: []directory.Group{{Name: "all"}}}
	for i := range n {
		r.Users = append(r.Users, directory.User{Name: fmt.Sprintf("user-%04d", i)})
		r.Groups[0].Members = append(r.Groups[0].Members, "user:"+r.Users[i].Name)
	}
	return r
}

// TestManyPeople: up to 2,000 names are told one by one; above, everybody may, and it is said.
func TestManyPeople(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, `
estate: 1
servers: [{name: ps, uri: "ipp://ps.example/", kept: true}]
devices: [{name: d, uri: "ipp://10.1.0.11/ipp/print"}]
queues:
  - {name: may, devices: [d], paths: [{server: ps}], access: {allow: ["group:all"], deny: ["user:user-0001"]}}
  - {name: not, devices: [d], paths: [{server: ps}], access: {deny: ["group:all"]}}
`)
	for n, want := range map[int][]string{2000: {"1999 names", "everybody but 2000"}, 2001: {"2000 names",
		"everybody"}, 2002: {"everybody but 1", "everybody"}} {
		p := server.Wanted(doc, directory.New(many(n)), "ps", time.Now(), nil)
		more := 0
		for i, w := range p.Wants {
			got := fmt.Sprintf("%d names", len(w.People.Names))
			if w.People.Everyone {
				got = strings.TrimSuffix(fmt.Sprintf("everybody but %d", len(w.People.Names)), " but 0")
			}
			if got != want[i] {
				t.Errorf("of %d people %s is for %s, want %s", n, w.Name, got, want[i])
			}
		}
		for _, x := range p.Points {
			if x.More {
				more++
			}
		}
		if wide := map[int]int{2000: 0, 2001: 1, 2002: 2}[n]; more != wide {
			t.Errorf("of %d people %d queues are said to be wider, want %d: %v", n, more, wide, p.Points)
		}
	}
}

// TestAt: hours and ends come by themselves, to the second.
func TestAt(t *testing.T) {
	t.Parallel()
	oslo, _ := time.LoadLocation("Europe/Oslo")
	w := []server.Want{{Name: "a", Queue: "a", People: server.People{Everyone: true}, Times: server.Times{Zone: "Europe/Oslo",
		Open: []estate.Window{{From: "07:00", To: "19:00"}}, Until: "2026-12-24"}}}
	at := time.Date(2026, 12, 24, 18, 59, 59, 0, oslo)
	now, next := server.At(w, at, zone)
	if len(now) != 1 || now[0].Closed != "" || !next.Equal(at.Add(time.Second)) {
		t.Fatalf("%+v, next %v", now, next)
	}
	now, next = server.At(w, next, zone)
	if len(now) != 1 || !strings.Contains(now[0].Closed, "closed at this hour") ||
		!next.Equal(time.Date(2026, 12, 25, 0, 0, 0, 0, oslo)) {
		t.Fatalf("%+v, next %v", now, next)
	}
	if now, next = server.At(w, next, zone); len(now) != 0 || !next.IsZero() {
		t.Fatalf("%+v, next %v", now, next)
	}
	w[0].People = server.People{}
	if now, _ := server.At(w, at, zone); !strings.Contains(now[0].Closed, "nobody may print") {
		t.Errorf("%+v", now)
	}
}

func TestSameQueues(t *testing.T) {
	t.Parallel()
	found := func(edit func([]server.Found) []server.Found) []server.Found {
		list := []server.Found{{Now: server.Now{Want: server.Want{Name: "a", Devices: []string{"ipp://a/"}}}, Own: true},
			{Now: server.Now{Want: server.Want{Name: "b"}}}}
		return edit(list)
	}
	for what, c := range map[string]struct {
		same bool
		edit func([]server.Found) []server.Found
	}{
		"the same":       {true, func(l []server.Found) []server.Found { return l }},
		"another order":  {true, func(l []server.Found) []server.Found { return []server.Found{l[1], l[0]} }},
		"a job waits":    {true, func(l []server.Found) []server.Found { l[0].Waiting = 3; return l }},
		"one fewer":      {false, func(l []server.Found) []server.Found { return l[:1] }},
		"another":        {false, func(l []server.Found) []server.Found { l[1].Name = "c"; return l }},
		"another device": {false, func(l []server.Found) []server.Found { l[0].Devices = []string{"ipp://b/"}; return l }},
		"taken over":     {false, func(l []server.Found) []server.Found { l[1].Own = true; return l }},
		"closed":         {false, func(l []server.Found) []server.Found { l[0].Closed = "paused"; return l }},
	} {
		plain := found(func(l []server.Found) []server.Found { return l })
		if got := server.SameQueues(plain, found(c.edit)); got != c.same {
			t.Errorf("%s: %v", what, got)
		}
	}
}
