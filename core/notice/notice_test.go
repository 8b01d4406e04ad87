package notice

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/estate"
	"cirque/core/span"
)

var begin = time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)

func down(name, location string, minute int) Fault {
	return Fault{Key: "server " + name, About: estate.AboutServers, Name: name, Location: location,
		Since: begin.Add(time.Duration(minute) * time.Minute), Says: "the server " + name + " does not answer"}
}

// play tells one notice of the faults of each minute, and writes what was said: + new, = still, - over.
func play(n estate.Notice, minutes [][]Fault) string {
	var told []Notified
	var out []string
	for i, faults := range minutes {
		now := begin.Add(time.Duration(i) * time.Minute)
		said := ""
		for _, m := range Decide([]estate.Notice{n}, faults, told, 10, now) {
			for _, f := range m.New {
				said += "+" + f.Key
			}
			for _, f := range m.Still {
				said += "=" + f.Key
			}
			for _, f := range m.Over {
				said += "-" + f.Key
			}
			told = After(told, m, now)
		}
		out = append(out, said)
	}
	return strings.Join(out, "|")
}

func TestDecide(t *testing.T) {
	t.Parallel()
	f, g := down("a", "ard/quay", 0), down("b", "bran", 0)
	faults := func(list ...Fault) []Fault { return list }
	tell := []string{"mail:x@skerry.example"}
	end := func(name string, minute int) Fault {
		return Fault{Key: "endpoint " + name, About: estate.AboutEndpoints, Name: name,
			Since: begin.Add(time.Duration(minute) * time.Minute), Says: name + " fails"}
	}
	for says, c := range map[string]struct {
		n       estate.Notice
		minutes [][]Fault
		want    string
	}{
		"not at once, once, and that it is over": {estate.Notice{After: minutes(2), Tell: tell}, [][]Fault{faults(f), faults(f),
			faults(f), faults(f), {}, {}}, "||+server a||-server a|"},
		"over before it was told": {estate.Notice{After: minutes(2), Tell: tell}, [][]Fault{faults(f), faults(f), {},
			{}}, "|||"},
		"of one place only": {estate.Notice{After: minutes(1), At: []string{"location:ard"}, Tell: tell},
			[][]Fault{{}, faults(f, g)}, "|+server a"},
		"a place that only begins alike": {estate.Notice{After: minutes(1), At: []string{"location:ard/qu"}, Tell: tell},
			[][]Fault{{}, faults(f)}, "|"},
		"about something else": {estate.Notice{After: minutes(1), About: []string{"keys"}, Tell: tell},
			[][]Fault{{}, faults(f)}, "|"},
		"two at once are one message": {estate.Notice{After: minutes(1), Tell: tell}, [][]Fault{{}, faults(f, g)},
			"|+server a+server b"},
		"enough endpoints together": {estate.Notice{After: minutes(1), Part: 30, Tell: tell},
			[][]Fault{{}, faults(end("e1", 0), end("e2", 0)), faults(end("e1", 0), end("e2", 0), end("e3", 1)),
				faults(end("e1", 0))}, "||+endpoints|-endpoints"},
	} {
		c.n.Name = "n"
		if got := play(c.n, c.minutes); got != c.want {
			t.Errorf("%s: %s, want %s", says, got, c.want)
		}
	}
	// Again, while it lasts.
	n := estate.Notice{Name: "n", After: minutes(1), Again: minutes(60), Tell: tell}
	long := make([][]Fault, 130)
	for i := range long {
		long[i] = faults(f)
	}
	if got := play(n, long); strings.Count(got, "=") != 2 || strings.Count(got, "+") != 1 {
		t.Errorf("again: %s", got)
	}
}

// TestOwners: each owner is told of their own jobs once, and nobody else of them.
func TestOwners(t *testing.T) {
	t.Parallel()
	f := down("a", "ard", -60)
	f.Owners = []Owner{{Person: "mira", Mail: "mira@skerry.example", Jobs: []string{"tide table"},
		Says: "It prints once the server is back."}, {Person: "unknown", Jobs: []string{"x", "y"}}}
	n := estate.Notice{Name: "n", Owners: true}
	list := Decide([]estate.Notice{n}, []Fault{f}, nil, 0, begin)
	var mine []Message
	for _, m := range list {
		if m.Person != "" {
			mine = append(mine, m)
		}
	}
	if len(mine) != 1 || mine[0].To[0] != "mail:mira@skerry.example" || !strings.Contains(mine[0].Text(begin),
		"on it waits your job tide table. It prints once the server is back.") || !strings.HasPrefix(mine[0].Subject(),
		"Your print jobs wait: a") {
		t.Fatalf("%+v", list)
	}
	var told []Notified
	for _, m := range list {
		told = After(told, m, begin)
	}
	if again := Decide([]estate.Notice{n}, []Fault{f}, told, 0, begin.Add(time.Hour)); len(again) != 0 {
		t.Errorf("told twice: %+v", again)
	}
	over := Decide([]estate.Notice{n}, nil, told, 0, begin.Add(2*time.Hour))
	if len(over) != 1 {
		t.Fatalf("%+v", over)
	}
	private := 0
	for _, o := range over[0].Over {
		if o.Private() {
			private++
		}
	}
	if private != 1 || len(After(told, over[0], begin.Add(2*time.Hour))) != 0 {
		t.Errorf("%+v", over)
	}
}

func TestText(t *testing.T) {
	t.Parallel()
	f := down("a", "", 0)
	f.Fix = "see that it is on"
	m := Message{Notice: "harbour", New: []Fault{f}, Still: []Fault{down("b", "", 0)},
		Over: []Notified{{Says: "the server c does not answer", Since: begin}}}
	want := "Wrong now:\n- the server a does not answer. Since 2026-11-23 10:00 UTC.\n  To mend it: see that it is " +
		"on.\n\nStill wrong:\n- the server b does not answer. Since 2026-11-23 10:00 UTC.\n\nOver:\n- the server c does " +
		"not answer. It began 2026-11-23 10:00 UTC, and was over by 2026-11-23 11:00 UTC.\n\nThe notice harbour of Cirque.\n"
	if got := m.Text(begin.Add(time.Hour)); got != want {
		t.Error(got)
	}
	many := Message{Notice: "n", New: make([]Fault, 1000)}
	if text := many.Text(begin); strings.Count(text, "\n") > 60 || !strings.Contains(text, "and more of them") {
		t.Error(text)
	}
	for want, m := range map[string]Message{"the server a does not answer": {New: []Fault{f}},
		"the server a does not answer, and 2 more": m, "Over: x": {Over: []Notified{{Says: "x"}}}, "Still: " +
			f.Says: {Still: []Fault{f}}, "Nothing is wrong: this is a trial": {}} {
		if m.Subject() != want {
			t.Error(fmt.Sprintf("%q", m.Subject()), want)
		}
	}
}

func minutes(n int) span.Span { return span.Span(n) * span.Span(time.Minute) }
