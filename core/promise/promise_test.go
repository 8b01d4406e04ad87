package promise_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/promise"
	"cirque/internal/testkit/worlds"
)

const base = `estate: 1
locations: [{path: a}, {path: b}]
stations: [{name: till-1, addresses: [10.1.2.3], location: a, platform: linux/x64}]
devices: [{name: p, uri: "ipp://192.0.2.1/ipp/print"}]
drivers: [{name: d, exact: D, platform: windows/x64}]
queues:
  - {name: hall, formerly: [old], devices: [p], paths: [{device: p}]}
  - {name: yard, devices: [p], paths: [{device: p}], access: {deny: ["user:mira"]}}
  - {name: away, devices: [p], paths: [{device: p}]}
grants:
  - {name: everybody, effect: place, queues: [hall, yard], default: 5}
  - {name: mornings, effect: offer, queues: [away], to: ["user:mira"], open: [{from: "08:00", to: "12:00"}]}
  - {name: not-jonas, effect: withhold, queues: [hall], to: ["user:jonas"]}
`

const people = `directory: 1
users: [{name: mira}, {name: jonas}]
machines: [{name: desk-1, platform: windows/x64}]
`

func world(t *testing.T, text string) *lineup.World {
	t.Helper()
	doc := worlds.Parse(t, text)
	r, err := directory.Parse([]document.File{{Name: "d", Text: people}})
	if err != nil {
		t.Fatal(err)
	}
	return lineup.Bind(lineup.Compile(doc, 1, lineup.Options{}), directory.New(r), live.State{})
}

var noon = time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)

func TestVerdicts(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		promise string
		state   promise.State
		says    string
	}{
		"kept":             {"context: {user: mira}, receives: [hall], never: [yard], default: hall", promise.Kept, ""},
		"by an old name":   {"context: {user: mira}, receives: [old], default: old", promise.Kept, ""},
		"withheld":         {"context: {user: jonas}, receives: [hall]", promise.Broken, "hall is not received: withheld by not-jonas"},
		"not permitted":    {"context: {user: mira}, receives: [yard]", promise.Broken, "yard is not received: not permitted"},
		"by no grant":      {"context: {user: jonas}, receives: [away]", promise.Broken, "away is not received: no grant gives it there"},
		"other hours":      {"context: {user: mira}, receives: [away]", promise.Broken, "away is not received: no grant gives it there"},
		"at its time":      {"context: {user: mira, time: '2026-11-23T09:00:00Z'}, receives: [away]", promise.Kept, ""},
		"never":            {"context: {user: mira}, never: [hall]", promise.Broken, "hall is placed by everybody"},
		"another default":  {"context: {user: mira}, default: away", promise.Broken, "away is not the default: it is hall"},
		"no default":       {"context: {user: jonas}, default: hall", promise.Broken, "hall is not the default: it is yard"},
		"an unknown one":   {"context: {user: nobody}, receives: [hall]", promise.Unproven, "the directory does not know nobody"},
		"unknown machine":  {"context: {machine: desk-9}, receives: [hall]", promise.Unproven, "the machine desk-9"},
		"a station":        {"context: {machine: TILL-1}, receives: [hall, yard]", promise.Kept, ""},
		"by address alone": {"context: {addresses: [10.1.2.3]}, receives: [hall]", promise.Kept, ""},
	} {
		got := promise.Verdicts(world(t, base+"promises: [{name: p, "+c.promise+"}]\n"), noon)
		if len(got) != 1 || got[0].State != c.state || !strings.Contains(strings.Join(got[0].Says, "; "), c.says) ||
			(c.state == promise.Kept) != (len(got[0].Says) == 0) {
			t.Errorf("%s: %+v", name, got)
		}
		if f := promise.Findings(got); (len(f) == 0) != (c.state == promise.Kept) ||
			len(f) > 0 && (f[0].Severity == "warning") != (c.state == promise.Broken) {
			t.Errorf("%s: %+v", name, f)
		}
	}
}

// TestEnded: a promise that has ended is not held any more.
func TestEnded(t *testing.T) {
	t.Parallel()
	w := world(t, base+"promises: [{name: p, context: {user: mira}, never: [hall], until: 2026-11-22}]\n")
	if got := promise.Verdicts(w, noon); len(got) != 0 {
		t.Errorf("%+v", got)
	}
	if got := promise.Verdicts(w, noon.Add(-24*time.Hour)); len(got) != 1 || got[0].State != promise.Broken {
		t.Errorf("%+v", got)
	}
}

// TestNewlyBroken: what was broken before does not count; what is new and broken does.
func TestNewlyBroken(t *testing.T) {
	t.Parallel()
	of := func(list ...string) (out []promise.Verdict) {
		for _, s := range list {
			name, state, _ := strings.Cut(s, " ")
			out = append(out, promise.Verdict{Name: name, State: promise.State(state), Says: []string{"x"}})
		}
		return out
	}
	before := of("a kept", "b broken", "c unproven")
	var names []string
	for _, v := range promise.NewlyBroken(before, of("a broken", "b broken", "c broken", "d broken", "e kept", "f unproven")) {
		names = append(names, v.Name)
	}
	if !slices.Equal(names, []string{"a", "c", "d"}) {
		t.Error(names)
	}
	if f := fault.As(promise.Refuse(of("a broken"))); f.Kind != fault.Conflict || len(f.Details) != 1 {
		t.Error(f)
	}
}

// TestParsedPromises: what is wrong with a promise stands at its place.
func TestParsedPromises(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"{name: p, context: {user: mira}}":                                                              "the promise says nothing",
		"{name: p, receives: [hall]}":                                                                   `the key "context" is missing`,
		"{name: p, context: {location: a}, receives: [hall]}":                                           "neither who nor where",
		"{name: p, context: {user: m}, receives: [hal]}":                                                `did you mean "hall"?`,
		"{name: p, context: {user: m}, receives: [hall], never: [hall]}":                                "never to be",
		"{name: p, context: {user: m}, default: hall, never: [hall]}":                                   "never to be",
		"{name: p, context: {user: m, session: remot}, receives: [hall]}":                               "did you mean remote?",
		"{name: p, context: {user: m, host: h}, receives: [hall]}":                                      "session host",
		"{name: p, context: {user: m, platform: windows}, receives: [hall]}":                            "os/arch",
		"{name: p, context: {user: m, time: noon}, receives: [hall]}":                                   "RFC 3339",
		"{name: p, context: {addresses: [x]}, receives: [hall]}":                                        `"x" is no address`,
		"{name: p, context: {user: m, location: c}, receives: [hall]}":                                  `location "c"`,
		"{name: p, context: {user: m, place: a}, receives: [hall]}":                                     "place",
		"{name: p, context: {user: m}, default: nothing, receives: [hall]}":                             `queue "nothing"`,
		"{name: p, context: {user: m}, receives: [hall]}, {name: p, context: {user: m}, never: [hall]}": "already there",
	} {
		_, err := estate.Parse([]document.File{{Name: "e", Text: base + "promises: [" + text + "]\n"}}, estate.Options{})
		if err == nil || !strings.Contains(worlds.Details(err), want) {
			t.Errorf("%s: %v", text, worlds.Details(err))
		}
	}
}
