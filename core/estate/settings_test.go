package estate

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"cirque/core/document"
	"cirque/core/fault"
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
    cut_days: 40
settings:
  agents:
    user_from: ask
    notice: Say who you are.
    wait_seconds: 30
  history:
    person_days: 400
  continuity:
    down_after: 4
    return_minutes: 0
`
	d := read(t, text)
	if d.Agent().UserFrom != FromAsking || d.PersonDays() != 400 || d.Locations[0].CutDays != 40 {
		t.Errorf("%+v %d", d.Agent(), d.PersonDays())
	}
	if c := d.Continuity(); c.DownAfter != 4 || *c.ReturnMinutes != 0 || c.ProbeSeconds != 10 ||
		d.Agent().WaitSeconds != 30 || d.Agent().ReportMinutes != 5 {
		t.Errorf("%+v %+v", c, d.Agent())
	}
	if out, err := d.YAML(); err != nil || string(out) != text {
		t.Errorf("written back:\n%s%v", out, err)
	}
	if none := read(t, "estate: 1\nsettings: {}"); none.Settings != nil || none.Agent().UserFrom != SystemUnlessUnknown ||
		none.PersonDays() != 0 {
		t.Errorf("%+v", none.Settings)
	}
	hurried := read(t, "estate: 1\nsettings: {agents: {wait_seconds: 60, hurry_until: "+
		"\"2026-11-23T18:00:00+01:00\"}}").Agent()
	at := time.Date(2026, 11, 23, 16, 59, 0, 0, time.UTC)
	if h := hurried.Hurried(at); h.WaitSeconds != 15 || h.GapSeconds != 10 || h.ReportMinutes != 1 {
		t.Errorf("%+v", h)
	}
	if h := hurried.Hurried(at.Add(time.Minute)); h != hurried {
		t.Errorf("it hurries on: %+v", h)
	}
	told := "estate: 1\nlocations:\n  - path: ard\nnotices:\n  - name: harbour\n    about: [servers, endpoints]\n    " +
		"at: [\"location:ard\"]\n    after: 10\n    part: 5\n    tell: [\"mail:desk@skerry.example\", \"group:clerks\", " +
		"\"post:https://hook.skerry.example/x\"]\n    owners: true\nsettings:\n  mail:\n    relay: " +
		"smtp://mail.skerry.example:587\n    from: cirque@skerry.example\n"
	if out, err := read(t, told).YAML(); err != nil || strings.ReplaceAll(string(out), "'", "\"") != told {
		t.Errorf("written back:\n%s%v", out, err)
	}
	for text, place := range map[string]string{
		"estate: 1\nnotices: [{name: n, tell: [\"mail:nobody\"]}]":                       "write mail:NAME@DOMAIN",
		"estate: 1\nnotices: [{name: n, tell: [\"post:ftp://x/\"]}]":                     "post:https://HOST",
		"estate: 1\nnotices: [{name: n, tell: [\"post:https://a:b@x.example/\"]}]":       "store a key",
		"estate: 1\nnotices: [{name: n, tell: [\"machine:x\"]}]":                         "nobody can be told so",
		"estate: 1\nnotices: [{name: n}]":                                                "tells nobody",
		"estate: 1\nnotices: [{name: n, about: [server], tell: [\"user:x\"]}]":           "did you mean servers",
		"estate: 1\nnotices: [{name: n, about: [servers], part: 5, tell: [\"user:x\"]}]": "not about them",
		"estate: 1\nnotices: [{name: n, at: [\"location:x\"], tell: [\"user:x\"]}]":      "not in the estate",
		"estate: 1\nsettings: {mail: {relay: \"http://x\", from: \"a@b.example\"}}":      "no mail relay",
		"estate: 1\nsettings: {mail: {relay: \"smtp://u:p@x\", from: \"a@b.example\"}}":  "carries a sign-in",
		"estate: 1\nsettings: {mail: {relay: \"smtp://x\"}}":                             "from",
		"estate: 1\nsettings: {agent: {}}":                                               `"agent"`,
		"estate: 1\nsettings:\n  agents: {user_from: guess}":                             "guess",
		"estate: 1\nsettings:\n  history: {person_days: 0}":                              "1 to 3650",
		"estate: 1\nsettings:\n  continuity: {return_minutes: -1}":                       "0 to 1440",
		"estate: 1\nsettings:\n  agents: {hurry_until: tomorrow}":                        "write a time with its offset",
		"estate: 1\nsettings:\n  agents: {wait_seconds: 1}":                              "5 to 300",
		"estate: 1\nlocations: [{path: a}, {path: a/b, cut_days: 3}]":                    "belongs to a site",
		"estate: 1\nlocations: [{path: a, cut_days: 400}]":                               "1 to 365",
		"estate: 1\nsettings: {agents: {notice: x}}\n---\nsettings: {agents: {note: y}}": "already there",
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
	base := read(t, "estate: 1\nsettings: {history: {person_days: 30}}")
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
	if mine.Agent().UserFrom != FromSystem || mine.PersonDays() != 30 || base.Agent().UserFrom != SystemUnlessUnknown {
		t.Errorf("%+v", mine.Settings)
	}
	theirs := read(t, "estate: 1\nsettings: {history: {person_days: 60}}")
	merged, conflicts := Merge(base, again, theirs)
	if len(conflicts) > 0 || merged.PersonDays() != 60 || merged.Agent().UserFrom != FromSystem {
		t.Error(conflicts)
	}
	both := read(t, "estate: 1\nsettings: {history: {person_days: 60}, agents: {user_from: ask}}")
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
