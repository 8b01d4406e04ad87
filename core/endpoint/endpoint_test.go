package endpoint

import (
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"cirque/core/lineup"
	"cirque/core/path"
)

func lineupFor(user string, entries ...lineup.Entry) lineup.Lineup {
	l := lineup.Lineup{Entries: entries}
	if user != "" {
		l.Context.User = &user
	}
	return l
}

func entry(queue, scope string, isDefault bool) lineup.Entry {
	return lineup.Entry{Queue: queue, Effect: lineup.Placed, Scope: scope, Default: isDefault, IfRemoved: "restore",
		Path: lineup.Taken{Through: path.Device, URI: "ipp://192.0.2.1/" + queue}, Driver: "driverless"}
}

func TestPlan(t *testing.T) {
	t.Parallel()
	offered := entry("offered", "user", false)
	offered.Effect = lineup.Offered
	p := PlanFor([]lineup.Lineup{lineupFor("", entry("all", "machine", true)), lineupFor("Mira", entry("all", "machine",
		false), entry("hers", "user", true), offered), lineupFor("jonas", entry("hers", "user", false))})
	var got []string
	for _, w := range p.Wants {
		got = append(got, w.Queue+"/"+w.User)
	}
	if strings.Join(got, " ") != "all/ hers/Mira hers/jonas" {
		t.Errorf("wants %v", got)
	}
	if want := []Default{{"", "all", false}, {"Mira", "hers", false}}; !reflect.DeepEqual(p.Defaults, want) {
		t.Errorf("defaults %v", p.Defaults)
	}
}

func say(steps []Step) string {
	var out []string
	for _, s := range steps {
		out = append(out, strings.TrimSuffix(s.Do+" "+s.Want.Queue+"/"+s.Want.User, "/"))
	}
	return strings.Join(out, ", ")
}

func TestSteps(t *testing.T) {
	t.Parallel()
	plan := PlanFor([]lineup.Lineup{lineupFor("mira", entry("new", "user", true), entry("same", "user", false))})
	same := Installed{Want: plan.Wants[1], Own: true}
	old := Installed{Want: Want{Queue: "old", User: "mira"}, Own: true}
	foreign := Installed{Want: Want{Queue: "foreign"}}
	moved := same
	moved.URI = "ipp://192.0.2.9/"
	optional := plan
	optional.Wants = append([]Want{}, plan.Wants...)
	optional.Wants[0].Restore = false
	for name, c := range map[string]struct {
		plan      Plan
		installed []Installed
		defaults  map[string]string
		memory    Memory
		steps     string
		away      []Key
	}{
		"new before old": {plan, []Installed{old, same, foreign}, nil, Memory{}, "add new/mira, default " +
			"new/mira, remove old/mira", nil},
		"a change": {plan, []Installed{moved}, map[string]string{"mira": "new"}, Memory{},
			"add new/mira, change same/mira", nil},
		"the person's own default": {plan, []Installed{same}, map[string]string{"mira": "theirs"},
			Memory{Defaults: map[string]string{"mira": "same"}}, "add new/mira", nil},
		"a default it set itself": {plan, []Installed{same}, map[string]string{"mira": "same"},
			Memory{Defaults: map[string]string{"mira": "same"}}, "add new/mira, default new/mira", nil},
		"removed, and restored": {plan, []Installed{same}, map[string]string{"mira": "new"},
			Memory{Own: []Key{{"mira", "new"}}}, "add new/mira", nil},
		"removed, and stays away": {optional, []Installed{same}, nil, Memory{Own: []Key{{"mira", "new"}}}, "",
			[]Key{{"mira", "new"}}},
		"still away": {optional, []Installed{same}, nil, Memory{Away: []Key{{"mira", "new"}}}, "",
			[]Key{{"mira", "new"}}},
		"nothing wanted, all leaves": {Plan{}, []Installed{same, old, foreign}, nil, Memory{},
			"remove old/mira, remove same/mira", nil},
	} {
		steps, away := Steps(c.plan, c.installed, c.defaults, c.memory)
		if say(steps) != c.steps || !reflect.DeepEqual(away, c.away) {
			t.Errorf("%s: %s, away %v", name, say(steps), away)
		}
	}
}

// TestStepsLeadThere: doing the steps leaves no drift, and a second look has nothing to do.
func TestStepsLeadThere(t *testing.T) {
	t.Parallel()
	plan := PlanFor([]lineup.Lineup{lineupFor("", entry("a", "machine", false)), lineupFor("mira", entry("b", "user",
		true), entry("c", "user", false))})
	for have := range 1 << 5 {
		var installed []Installed
		for i, w := range append(append([]Want{}, plan.Wants...), Want{Queue: "x"}, Want{Queue: "b", User: "else"}) {
			if have&(1<<i) != 0 {
				if have%3 == 0 {
					w.Driver = "another"
				}
				installed = append(installed, Installed{Want: w, Own: true})
			}
		}
		defaults := map[string]string{}
		do := func() string {
			steps, _ := Steps(plan, installed, defaults, Memory{Defaults: map[string]string{}})
			for _, s := range steps {
				rest := installed[:0:0]
				for _, i := range installed {
					if i.Key() != s.Want.Key() || s.Do == "default" {
						rest = append(rest, i)
					}
				}
				switch installed = rest; s.Do {
				case "add", "change":
					installed = append(installed, Installed{Want: s.Want, Own: true})
				case "default":
					defaults[s.Want.User] = s.Want.Queue
				}
			}
			return say(steps)
		}
		do()
		if drift := Drift(plan, Report{Installed: installed}); len(drift) != 0 {
			t.Fatalf("from %b: %v", have, drift)
		}
		if again := do(); again != "" {
			t.Fatalf("from %b: again %s", have, again)
		}
	}
}

func TestDriftAndState(t *testing.T) {
	t.Parallel()
	l := lineupFor("mira", entry("a", "user", true), entry("b", "user", false), entry("c", "user", false))
	l.Entries[0].Insist = true
	plan := PlanFor([]lineup.Lineup{l})
	plan.Wants[2].Restore = false
	b := plan.Wants[1]
	b.Driver = "another"
	r := Report{Installed: []Installed{{Want: b, Own: true}, {Want: Want{Queue: "x"}, Own: true},
		{Want: Want{Queue: "foreign"}}}, Removed: []Key{{"MIRA", "c"}}}
	var got []string
	drift := Drift(plan, r)
	for _, d := range drift {
		got = append(got, fmt.Sprint(d.User, " ", d.Queue, " ", d.Kind))
	}
	if want := []string{" x extra", "mira a missing", "mira a default", "mira b differs"}; !reflect.DeepEqual(got, want) {
		t.Errorf("%q", got)
	}
	now := time.Now()
	for _, c := range []struct {
		rec   Record
		drift []Difference
		want  State
	}{
		{Record{LastSeen: now}, nil, Converged},
		{Record{LastSeen: now}, drift, Behind},
		{Record{LastSeen: now, Report: Report{Failures: []Failure{{}}}}, drift, Failing},
		{Record{LastSeen: now.Add(-time.Hour), Report: Report{Failures: []Failure{{}}}}, drift, Silent},
	} {
		if got := StateOf(c.rec, c.drift, now, 5*time.Minute); got != c.want {
			t.Errorf("%s, want %s", got, c.want)
		}
	}
}
