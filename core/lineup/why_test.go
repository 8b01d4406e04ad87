package lineup_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/core/lineup"
)

func why(t *testing.T, query, queue string) *lineup.Why {
	t.Helper()
	w := world(t, read(t, "sample.yaml"), read(t, "directory.yaml"))
	y, err := w.Why(context(t, query), queue)
	if err != nil {
		t.Fatal(err)
	}
	return y
}

func TestWhyNotNearest(t *testing.T) {
	t.Parallel()
	y := why(t, `{"user":"mira.solvang","machine":"till-07","session":"mobile","platform":"windows/x64"}`,
		"booking-hall-mono")
	if y.Present || y.Reason != lineup.NotGranted || len(y.NearMisses) != 1 ||
		y.NearMisses[0].Condition.Kind != "sessions" || !strings.Contains(y.NearMisses[0].Change, "mobile") {
		t.Errorf("%+v", y)
	}
	if len(y.Notes) != 1 || !strings.Contains(y.Notes[0], "old name of hall-mono") {
		t.Errorf("notes %q", y.Notes)
	}
	if !strings.Contains(y.Says, "booking-hall") || !strings.Contains(y.Says, "session") {
		t.Error(y.Says)
	}
}

// TestWhySaysTwoFailures: what fails by two conditions is no near miss.
func TestWhyTwoFailures(t *testing.T) {
	t.Parallel()
	if y := why(t, `{"user":"nobody","machine":"desk-112","platform":"windows/x64"}`,
		"hall-mono"); len(y.NearMisses) != 0 || y.Grants[0].Matches {
		t.Errorf("%+v", y.NearMisses)
	}
}

func TestWhyNestedGroup(t *testing.T) {
	t.Parallel()
	w := world(t, read(t, "sample.yaml"), read(t, "directory.yaml")+"\n---\ndirectory: 1\ngroups: [{name: "+
		"temps-booking, members: ['user:temp.one']}]\n")
	y, err := w.Why(context(t, `{"user":"temp.one","machine":"till-07","platform":"linux/x64"}`), "hall-mono")
	if err != nil || !y.Present {
		t.Fatal(y, err)
	}
	if held := y.Grants[0].Conditions[0].Held; len(held) != 1 || held[0] != "group:booking-clerks (through "+
		"temps-booking)" {
		t.Errorf("held %q", held)
	}
}

func TestWhyUnknownFixedLocation(t *testing.T) {
	t.Parallel()
	w := world(t, read(t, "sample.yaml"), strings.ReplaceAll(read(t, "directory.yaml"), "location: ardholm/quay-house,",
		"location: elsewhere,"))
	y, err := w.Why(context(t, `{"user":"mira.solvang","machine":"desk-112","addresses":["10.40.8.9"]}`), "hall-mono")
	if err != nil || y.Context.Location != nil || y.LocationFrom != "unknown" || len(y.Notes) != 1 ||
		!strings.Contains(y.Notes[0], `"elsewhere"`) {
		t.Errorf("%+v %v", y, err)
	}
}

func TestUnknownQueueAndLocation(t *testing.T) {
	t.Parallel()
	w := world(t, read(t, "sample.yaml"), read(t, "directory.yaml"))
	if _, err := w.Why(context(t, `{"user":"m"}`), "hall-mno"); fault.As(err).Code != "queue-unknown" ||
		!strings.Contains(fault.As(err).Fix, `"hall-mono"`) {
		t.Error(err)
	}
	if _, err := w.Resolve(context(t, `{"user":"m","location":"ardholm/quay-hous"}`),
		nil); fault.As(err).Code != "location-unknown" || !strings.Contains(fault.As(err).Fix, "quay-house") {
		t.Error(err)
	}
}

func TestContextRefused(t *testing.T) {
	t.Parallel()
	s := func(v string) *string { return &v }
	for name, c := range map[string]struct {
		q    lineup.Query
		what string
	}{
		"nobody nowhere":      {lineup.Query{}, "neither who nor where"},
		"session":             {lineup.Query{User: s("m"), Session: s("remot")}, "no kind of session"},
		"host at a desk":      {lineup.Query{User: s("m"), Host: s("h")}, "no session host"},
		"bare os":             {lineup.Query{User: s("m"), Platform: s("windows")}, "no platform"},
		"zone":                {lineup.Query{Addresses: []string{"fe80::1%eth0"}}, "no address"},
		"time without offset": {lineup.Query{User: s("m"), Time: s("2026-11-23T10:00:00")}, "no time"},
		"control":             {lineup.Query{User: s("m\x00")}, "no name"},
	} {
		if _, err := c.q.Context(time.Now()); err == nil || !strings.Contains(err.Error(), c.what) ||
			fault.As(err).Code != "context-invalid" {
			t.Errorf("%s: %v", name, err)
		}
	}
	_, err := lineup.Query{Session: s("x"), Platform: s("y")}.Context(time.Now())
	if len(fault.As(err).Details) != 3 {
		t.Errorf("not all at once: %v", fault.As(err).Details)
	}
}

func TestCheckRemarks(t *testing.T) {
	t.Parallel()
	w := world(t, `
estate: 1
devices: [{name: p, uri: "ipp://192.0.2.1/"}]
stations: [{name: a, addresses: [192.0.2.9]}, {name: b, addresses: [192.0.2.9]}]
queues:
  - {name: alone, devices: [p], paths: [{device: p}]}
  - {name: nowhere}
  - {name: gate, paths: [{gateway: true}]}
  - {name: over, retired: true}
grants:
  - {name: g, effect: place, queues: [nowhere, gate, "label:x"], to: ["group:ghosts", "user:mira.solvang"]}
`, read(t, "directory.yaml"))
	var got []string
	for _, f := range lineup.Check(w.Estate, w.Directory) {
		got = append(got, f.Severity+" "+f.Object+": "+f.Says)
		if f.Fix == "" {
			t.Errorf("%s has no fix", f.Says)
		}
	}
	for _, want := range []string{"queue alone: no grant gives it", "queue nowhere: it has no path",
		"queue gate: it has a path through the gateway", "grant g: label:x selects no queue", "grant g: the directory does " +
			"not know group:ghosts", "station b: its address 192.0.2.9"} {
		if !strings.Contains(strings.Join(got, "\n"), want) {
			t.Errorf("no finding %q in\n%s", want, strings.Join(got, "\n"))
		}
	}
	if len(got) != 6 {
		t.Errorf("%d findings:\n%s", len(got), strings.Join(got, "\n"))
	}
}
