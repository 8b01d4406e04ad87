package test

import (
	"encoding/json"
	"net/http"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/app"
	"cirque/internal/ipp"
)

// TestAgentsSpeakForThoseWhoSit: an agent, or whoever has its token, gets lineups of, and prints for, people whom its
// machine reported within minutes, as the host of sessions that it reported, and for nobody else.
func TestAgentsSpeakForThoseWhoSit(t *testing.T) {
	t.Parallel()
	ahead := new(atomic.Int64)
	s := startService(t, func(o *app.Options) {
		o.Now = func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) }
	})
	s.publish(`estate: 1
devices: [{name: d, uri: "ipp://192.0.2.1/ipp/print"}]
queues:
  - {name: hall, devices: [d], paths: [{gateway: true}]}
  - {name: safe, devices: [d], paths: [{gateway: true}], access: {allow: ["user:mira"]}}
grants: [{name: g, effect: place, queues: [hall, safe], to: [everyone]}]`)
	token := s.tokenFor("desk-1", access.Agent, "desk-1")
	c := s.client(token)
	code := func(path, body string) string {
		resp, err := c.Raw(t.Context(), http.MethodPost, path, nil, nil, json.RawMessage(body))
		if err != nil {
			return fault.As(err).Code
		}
		_ = resp.Body.Close()
		return "ok"
	}
	lineup := func(body string) string { return code("/api/v1/lineups", body) }
	const no = "not-signed-in-there"
	if got := lineup(`{"user":"mira","machine":"desk-1"}`); got != no {
		t.Errorf("before anything was reported: %s", got)
	}
	if got := lineup(`{"machine":"desk-1"}`); got != "ok" {
		t.Errorf("the machine alone: %s", got)
	}
	s.sits(token, "desk-1", `{"user":"Jonas"}`, `{"user":"ida","host":"desk-1","session":"remote","machine":"thin-7"}`)
	for body, want := range map[string]string{
		`{"user":"jonas","machine":"desk-1"}`:                                               "ok",
		`{"user":"mira","machine":"desk-1"}`:                                                no,
		`{"user":"ida","host":"desk-1","session":"remote","machine":"thin-7"}`:              "ok",
		`{"user":"ida","host":"desk-1","session":"remote","machine":"thin-8"}`:              no,
		`{"user":"jonas","host":"desk-1","session":"remote","machine":"thin-7"}`:            no,
		`{"host":"desk-1","session":"remote","machine":"thin-7"}`:                           no,
		`{"user":"ida","machine":"desk-1"}`:                                                 no,
		`{"user":"jonas","machine":"desk-2"}`:                                               "not-your-machine",
		`{"user":"mira","host":"desk-2","session":"remote","machine":"desk-1"}`:             "not-your-machine",
		`{"user":"mira","machine":"desk-1","session":"desktop","addresses":["10.40.8.77"]}`: no,
	} {
		if got := lineup(body); got != want {
			t.Errorf("%s: %s, want %s", body, got, want)
		}
	}
	if got := code("/api/v1/lineups/batch",
		`[{"user":"jonas","machine":"desk-1"},{"user":"mira","machine":"desk-1"}]`); got != no {
		t.Errorf("one of two: %s", got)
	}
	if got := code("/api/v1/why", `{"context":{"user":"mira","machine":"desk-1"},"queue":"safe"}`); got != no {
		t.Errorf("the reasons: %s", got)
	}
	// Printing: by the token as password, and by the token alone with a name in the job.
	for user, want := range map[string]ipp.Status{"jonas": ipp.OK, "ida": ipp.OK, "mira": ipp.NotAuthorized} {
		if _, m := s.send("hall", user, token, ipp.ValidateJob, ""); ipp.Status(m.Code) != want {
			t.Errorf("printing for %s: %s, want %s", user, ipp.Status(m.Code), want)
		}
	}
	if _, m := s.send("safe", "mira", token, ipp.ValidateJob, ""); ipp.Status(m.Code) != ipp.NotAuthorized {
		t.Errorf("a queue that only mira may use: %s", ipp.Status(m.Code))
	}
	// What was reported long ago is no longer so.
	ahead.Store(int64(time.Hour))
	if got := lineup(`{"user":"jonas","machine":"desk-1"}`); got != no {
		t.Errorf("an hour later: %s", got)
	}
	if _, m := s.send("hall", "jonas", token, ipp.ValidateJob, ""); ipp.Status(m.Code) != ipp.NotAuthorized {
		t.Errorf("printing an hour later: %s", ipp.Status(m.Code))
	}
	s.sits(token, "desk-1", `{"user":"jonas"}`)
	if got := lineup(`{"user":"jonas","machine":"desk-1"}`); got != "ok" {
		t.Errorf("reported again: %s", got)
	}
}

// sits has a machine's agent report who is signed in there: contexts, without the machine.
func (s *aService) sits(token, machine string, contexts ...string) {
	s.t.Helper()
	list := []map[string]any{}
	for _, text := range contexts {
		c := map[string]any{"machine": machine}
		if err := json.Unmarshal([]byte(text), &c); err != nil {
			s.t.Fatal(err)
		}
		list = append(list, c)
	}
	if err := s.client(token).Do(s.t.Context(), http.MethodPost, "/api/v1/endpoints/report", nil, map[string]any{
		"machine": machine, "version": "test", "platform": "linux/x64", "spooler": "stand-in", "revision": 0,
		"contexts": list, "installed": []any{}, "removed": []any{}, "failures": []any{}}, nil); err != nil {
		s.t.Fatal(err, fault.As(err).Details)
	}
}
