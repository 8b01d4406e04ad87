package estate

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"cirque/core/document"
	"cirque/core/fault"

	"go.yaml.in/yaml/v3"
)

func read(t *testing.T, text string) *Document {
	t.Helper()
	d, err := Parse([]document.File{{Name: "e", Text: text}}, Options{})
	if err != nil {
		t.Fatal(err, fault.As(err).Details)
	}
	return d
}

func TestSettings(t *testing.T) {
	t.Parallel()
	text := `estate: 1
locations:
  - path: brannoy
    cut: 40d
settings:
  agents:
    user_from: ask
    notice: Say who you are.
    wait: 30s
  history:
    people: 400d
  continuity:
    down_after: 4
    return_over: 0s
`
	d := read(t, text)
	if d.Agent().UserFrom != FromAsking || d.PeopleKept() != 400*aDay || d.Locations[0].Cut.D() != 40*aDay {
		t.Errorf("%+v %s", d.Agent(), d.PeopleKept())
	}
	if c := d.Continuity(); c.DownAfter != 4 || *c.Return != 0 || c.Probe.D() != 10*time.Second ||
		d.Agent().Wait.D() != 30*time.Second || d.Agent().Report.D() != 5*time.Minute {
		t.Errorf("%+v %+v", c, d.Agent())
	}
	if out, err := d.YAML(); err != nil || string(out) != text {
		t.Errorf("written back:\n%s%v", out, err)
	}
	if none := read(t, "estate: 1\nsettings: {}"); none.Settings != nil || none.Agent().UserFrom != SystemUnlessUnknown ||
		none.PeopleKept() != 0 {
		t.Errorf("%+v", none.Settings)
	}
	hurried := read(t, "estate: 1\nsettings: {agents: {wait: 60s, hurry_until: "+
		"\"2026-11-23T18:00:00+01:00\"}}").Agent()
	at := time.Date(2026, 11, 23, 16, 59, 0, 0, time.UTC)
	if h := hurried.Hurried(at); h.Wait.D() != 15*time.Second || h.Gap.D() != 10*time.Second || h.Report.D() != time.Minute {
		t.Errorf("%+v", h)
	}
	if h := hurried.Hurried(at.Add(time.Minute)); h != hurried {
		t.Errorf("it hurries on: %+v", h)
	}
	told := "estate: 1\nlocations:\n  - path: ard\nnotices:\n  - name: harbour\n    about: [servers, endpoints]\n    " +
		"at: [\"location:ard\"]\n    after: 10m\n    part: 5%\n    tell: [\"mail:desk@skerry.example\", \"group:clerks\", " +
		"\"post:https://hook.skerry.example/x\"]\n    owners: true\nsettings:\n  mail:\n    server: " +
		"smtp://mail.skerry.example:587\n    from: cirque@skerry.example\n"
	if out, err := read(t, told).YAML(); err != nil || strings.ReplaceAll(string(out), "'", "\"") != told {
		t.Errorf("written back:\n%s%v", out, err)
	}
	for text, place := range map[string]string{
		"estate: 1\nnotices: [{name: n, tell: [\"mail:nobody\"]}]":                        "write mail:NAME@DOMAIN",
		"estate: 1\nnotices: [{name: n, tell: [\"post:ftp://x/\"]}]":                      "post:https://HOST",
		"estate: 1\nnotices: [{name: n, tell: [\"post:https://a:b@x.example/\"]}]":        "store a key",
		"estate: 1\nnotices: [{name: n, tell: [\"machine:x\"]}]":                          "nobody can be told so",
		"estate: 1\nnotices: [{name: n}]":                                                 "tells nobody",
		"estate: 1\nnotices: [{name: n, about: [server], tell: [\"user:x\"]}]":            "did you mean servers",
		"estate: 1\nnotices: [{name: n, about: [servers], part: 5%, tell: [\"user:x\"]}]": "not about them",
		"estate: 1\nnotices: [{name: n, at: [\"location:x\"], tell: [\"user:x\"]}]":       "not in the estate",
		"estate: 1\nsettings: {mail: {server: \"http://x\", from: \"a@b.example\"}}":      "no mail server",
		"estate: 1\nsettings: {mail: {server: \"smtp://u:p@x\", from: \"a@b.example\"}}":  "carries a sign-in",
		"estate: 1\nsettings: {mail: {server: \"smtp://x\"}}":                             "from",
		"estate: 1\nsettings: {agent: {}}":                                                `"agent"`,
		"estate: 1\nsettings:\n  agents: {user_from: guess}":                              "guess",
		"estate: 1\nsettings:\n  history: {people: 0s}":                                   "write 1d to 3650d",
		"estate: 1\nsettings:\n  continuity: {return_over: 25h}":                          "write 0s to 1d",
		"estate: 1\nsettings:\n  agents: {hurry_until: tomorrow}":                         "write a time with its offset",
		"estate: 1\nsettings:\n  agents: {wait: 55}":                                      "write 55s, 55m, 55h or 55d",
		"estate: 1\nlocations: [{path: a}, {path: a/b, cut: 3d}]":                         "belongs to a site",
		"estate: 1\nlocations: [{path: a, cut: 400d}]":                                    "write 1d to 365d",
		"estate: 1\nsettings: {agents: {notice: x}}\n---\nsettings: {agents: {note: y}}":  "already there",
	} {
		_, err := Parse([]document.File{{Name: "e", Text: text}}, Options{})
		if err == nil || !strings.Contains(fault.As(err).Details[0].What+fault.As(err).Details[0].Fix, place) {
			t.Errorf("%s: %v", text, fault.As(err).Details)
		}
	}
}

// TestSettingsAreObjects: a setting is edited, merged, taken out and put back like any object.
func TestSettingsAreObjects(t *testing.T) {
	t.Parallel()
	base := read(t, "estate: 1\nsettings: {history: {people: 30d}}")
	ref := Ref{List: "settings", Name: AgentsSetting}
	changes, err := ParseEdits([]Edit{{Ref: ref, Object: json.RawMessage(`{"user_from":"system"}`)}}, base,
		base, Options{})
	if err != nil {
		t.Fatal(err)
	}
	kept, err := Keep(changes)
	if err != nil {
		t.Fatal(err)
	}
	again, err := Draft{Kept: kept}.Changes(base)
	if err != nil {
		t.Fatal(err)
	}
	mine := base.With(again)
	if mine.Agent().UserFrom != FromSystem || mine.PeopleKept() != 30*aDay || base.Agent().UserFrom != SystemUnlessUnknown {
		t.Errorf("%+v", mine.Settings)
	}
	theirs := read(t, "estate: 1\nsettings: {history: {people: 60d}}")
	merged, conflicts := Merge(base, again, theirs)
	if len(conflicts) > 0 || merged.PeopleKept() != 60*aDay || merged.Agent().UserFrom != FromSystem {
		t.Error(conflicts)
	}
	both := read(t, "estate: 1\nsettings: {history: {people: 60d}, agents: {user_from: ask}}")
	if _, conflicts := Merge(base, again, both); len(conflicts) != 1 || conflicts[0].Ref != ref {
		t.Error(conflicts)
	}
	if gone := base.With([]Change{{Ref: Ref{"settings", HistorySetting},
		Before: base.Settings.History}}); gone.Settings != nil {
		t.Errorf("%+v", gone.Settings)
	}
	if _, err := ParseEdits([]Edit{{Ref: Ref{"settings", "other"}, Object: json.RawMessage(`{}`)}}, base, base,
		Options{}); err == nil {
		t.Error("an unknown setting is taken")
	}
}

// TestFormerKeys: what the version before wrote, and stored, is read, and is written as it is written now.
func TestFormerKeys(t *testing.T) {
	t.Parallel()
	const was = `estate: 1
locations: [{path: brannoy, cut_days: 40}]
notices: [{name: n, after: 90, part: 10, again: 24, about: [endpoints], tell: ["user:x"]}]
settings:
  agents: {wait_seconds: 30, report_minutes: 2, gap_seconds: 20}
  history: {person_days: 400, event_days: 60, audit_days: 30}
  continuity: {probe_seconds: 3, flap_minutes: 2, return_minutes: 0}
  sign_in: {idle_minutes: 30, again_minutes: 5}
  mail: {relay: "smtp://mail.example", from: "a@b.example"}
`
	const now = `estate: 1
locations: [{path: brannoy, cut: 40d}]
notices: [{name: n, after: 1h30m, part: 10%, again: 1d, about: [endpoints], tell: ["user:x"]}]
settings:
  agents: {wait: 30s, report_every: 2m, gap: 20s}
  history: {people: 400d, events: 60d, audit: 30d}
  continuity: {probe_every: 3s, flap_within: 2m, return_over: 0s}
  sign_in: {idle: 30m, again: 5m}
  mail: {server: "smtp://mail.example", from: "a@b.example"}
`
	text := func(d *Document) string {
		out, err := d.YAML()
		if err != nil {
			t.Fatal(err)
		}
		return string(out)
	}
	want := text(read(t, now))
	if got := text(read(t, was)); got != want {
		t.Errorf("read:\n%s\nwant:\n%s", got, want)
	}
	var tree any
	if err := yaml.Unmarshal([]byte(was), &tree); err != nil {
		t.Fatal(err)
	}
	b, err := json.Marshal(tree)
	if err != nil {
		t.Fatal(err)
	}
	stored := new(Document)
	if err := json.Unmarshal(b, stored); err != nil {
		t.Fatal(err)
	}
	if got := text(stored); got != want {
		t.Errorf("stored:\n%s\nwant:\n%s", got, want)
	}
	drafted, err := Draft{Kept: []Kept{{Ref: Ref{"settings", AgentsSetting},
		Object: json.RawMessage(`{"wait_seconds":30,"report_minutes":2,"gap_seconds":20}`)}, {Ref: Ref{"notices", "m"},
		Object: json.RawMessage(`{"name":"m","after":90,"tell":["user:x"]}`)}}}.Changes(&Document{Estate: 1})
	if err != nil {
		t.Fatal(err)
	}
	d := (&Document{Estate: 1}).With(drafted)
	if d.Agent() != stored.Agent() || len(d.Notices) != 1 || d.Notices[0].After.D() != 90*time.Minute {
		t.Errorf("drafted: %+v %+v", d.Agent(), d.Notices)
	}
}
