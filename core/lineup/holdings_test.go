package lineup_test

import (
	"fmt"
	"reflect"
	"testing"

	"cirque/core/directory"
	"cirque/core/lineup"
)

func TestHoldings(t *testing.T) {
	t.Parallel()
	w := world(t, `
estate: 1
locations: [{path: a}]
queues: [{name: q}, {name: r, labels: [x]}]
grants:
  - {name: both, effect: offer, queues: [q], to: ["group:ticketing", "user:MIRA"]}
  - {name: mine, effect: place, queues: ["label:x"], to: ["user:mira"], at: ["location:a"], sessions: [desktop]}
  - {name: nested, effect: withhold, queues: [q, r], to: ["group:ticketing"], except: ["machine:m"]}
  - {name: others, effect: place, queues: [q], to: ["user:jonas"]}
  - {name: till, effect: place, queues: [q], on: ["group:tills"], to: [everyone]}
  - {name: unit, effect: place, queues: [q], to: ["unit:staff"]}
`, `
directory: 1
users: [{name: mira, unit: staff/harbour}]
groups:
  - {name: clerks, members: ["user:mira"]}
  - {name: ticketing, members: ["group:clerks"]}
  - {name: tills, members: ["machine:till-07"]}
`)
	say := func(list []lineup.Holding) []string {
		var out []string
		for _, h := range list {
			out = append(out, fmt.Sprint(h.Grant, " ", h.Direct, " ", h.Origin, " ", h.Queues, " ", h.Further))
		}
		return out
	}
	if got, want := say(w.Holdings("user", "Mira")), []string{
		"both true user:MIRA [q] []", "mine true user:mira [r] [at sessions]", "nested false group:ticketing (through " +
			"clerks) [q r] [except]",
		"till false everyone [q] [on]", "unit false unit:staff [q] []"}; !reflect.DeepEqual(got, want) {
		t.Errorf("%q\nwant %q", got, want)
	}
	if got, want := say(w.Holdings("machine", "TILL-07")), []string{"till false group:tills [q] [to]"}; !reflect.DeepEqual(
		got, want) {
		t.Errorf("%q\nwant %q", got, want)
	}
	got := lineup.Memberships(w.Directory, "user", "mira")
	if want := []lineup.Membership{{Group: "clerks", Direct: true, Through: []string{}}, {Group: "ticketing",
		Through: []string{"clerks"}}}; !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if got := lineup.Memberships(directory.New(directory.Records{}), "machine", "m"); len(got) != 0 {
		t.Errorf("%+v", got)
	}
}
