package test

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/client"
	"cirque/core/estate"
	"cirque/internal/api"
	"cirque/internal/httpapi"
)

// got asks with headers, and gives the status, the header and the body.
func (s *aService) got(method, path, body string, head ...string) (int, http.Header, string) {
	s.t.Helper()
	req, err := http.NewRequestWithContext(s.t.Context(), method, s.URL+path, strings.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+s.token)
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(head); i += 2 {
		req.Header.Set(head[i], head[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		s.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return resp.StatusCode, resp.Header, string(b)
}

// TestParametersAreKnown: a filter that is misspelt is refused rather than passed over.
func TestParametersAreKnown(t *testing.T) {
	t.Parallel()
	s := startService(t)
	for path, says := range map[string]string{"/api/v1/queues?fnd=hall": "did you mean find?",
		"/api/v1/endpoints?stat=failing": "did you mean state?", "/api/v1/overview?x=1": "it takes none",
		"/api/v1/audit?sinc=2026-11-01T00:00:00Z": "did you mean since?"} {
		status, _, body := s.got("GET", path, "")
		if status != http.StatusUnprocessableEntity || !strings.Contains(body, says) ||
			!strings.Contains(body, "parameter-unknown") {
			t.Errorf("%s: %d %s", path, status, body)
		}
	}
	if status, _, body := s.got("GET", "/api/v1/queues?find=hall&limit=5", ""); status != http.StatusOK {
		t.Error(status, body)
	}
}

// TestTags: what is known already is not sent again, and a change is held to what was seen.
func TestTags(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	for _, path := range []string{"/api/v1/queues", "/api/v1/estate", "/api/v1/draft", "/api/v1/queues/hall"} {
		status, head, _ := s.got("GET", path, "")
		tag := head.Get("ETag")
		if status != http.StatusOK || tag == "" {
			t.Errorf("%s: %d, tag %q", path, status, tag)
		}
		if status, _, body := s.got("GET", path, "", "If-None-Match", `"other", `+tag); status != http.StatusNotModified ||
			body != "" {
			t.Errorf("%s again: %d %s", path, status, body)
		}
	}
	edit := func(title string) string {
		b, err := json.Marshal(api.Edits{Edits: []estate.Edit{{Ref: estate.Ref{List: "queues", Name: "hall"}, Object: []byte(
			`{"name":"hall","title":"` + title + `","location":"ard/hall","devices":["p"],"paths":[{"device":"p"}]}`)}}})
		if err != nil {
			t.Fatal(err)
		}
		return string(b)
	}
	_, head, _ := s.got("GET", "/api/v1/draft", "")
	seen := head.Get("ETag")
	status, head, body := s.got("POST", "/api/v1/draft/edits", edit("One"), "If-Match", seen)
	if status != http.StatusOK {
		t.Errorf("on what was seen: %d %s", status, body)
	}
	first := head.Get("ETag")
	for _, tag := range []string{seen, `"draft-99"`, `"nonsense"`, `"revision-1"`} {
		status, _, body := s.got("POST", "/api/v1/draft/edits", edit("Two"), "If-Match", tag)
		if status != http.StatusPreconditionFailed {
			t.Errorf("on %s: %d %s", tag, status, body)
		}
	}
	if status, _, body := s.got("POST", "/api/v1/draft/edits", edit("Two"), "If-Match", "*"); status != http.StatusOK {
		t.Errorf("on anything: %d %s", status, body)
	}
	_, head, _ = s.got("GET", "/api/v1/draft", "")
	before := head.Get("ETag")
	for tag, want := range map[string]int{`"revision-7"`: http.StatusPreconditionFailed, `"revision-1"`: http.StatusOK} {
		b, err := json.Marshal(publishing(strings.Replace(oneQueue, "title: Hall", "title: Other", 1)))
		if err != nil {
			t.Fatal(err)
		}
		status, _, body := s.got("POST", "/api/v1/revisions", string(b), "If-Match", tag)
		if status != want {
			t.Errorf("publishing on %s: %d %s", tag, status, body)
		}
	}
	// What is told of the draft changed with what was published, and a draft that was begun anew is another.
	if status, _, _ := s.got("GET", "/api/v1/draft", "", "If-None-Match", before); status != http.StatusOK {
		t.Errorf("the draft beside another revision: %d", status)
	}
	if status, _, body := s.got("DELETE", "/api/v1/draft", ""); status != http.StatusNoContent {
		t.Error(status, body)
	}
	if status, _, body := s.got("POST", "/api/v1/draft/edits", edit("One")); status != http.StatusOK {
		t.Error(status, body)
	}
	if status, _, body := s.got("POST", "/api/v1/draft/edits", edit("Three"), "If-Match", first); status !=
		http.StatusPreconditionFailed {
		t.Errorf("on the draft that was thrown away: %d %s", status, body)
	}
	// What has no version is held to what is read there.
	status, _, body = s.got("POST", "/api/v1/stock/devices",
		`{"name":"label","uri":"ipp://127.0.0.1:1/ipp/print","anyway":true}`)
	if status != http.StatusOK {
		t.Fatal(status, body)
	}
	if status, _, body := s.got("DELETE", "/api/v1/stock/devices/label", "", "If-Match", `"other"`); status !=
		http.StatusPreconditionFailed || !strings.Contains(body, "changed-meanwhile") {
		t.Errorf("on another: %d %s", status, body)
	}
	if status, _, body := s.got("DELETE", "/api/v1/stock/devices/gone", "", "If-Match", "*"); status !=
		http.StatusPreconditionFailed {
		t.Errorf("of what is not there: %d %s", status, body)
	}
	if status, _, body := s.got("DELETE", "/api/v1/tokens/x", "", "If-Match", `"a"`); status !=
		http.StatusUnprocessableEntity || !strings.Contains(body, "if-match-unknown") {
		t.Errorf("where nothing is read: %d %s", status, body)
	}
}

// TestMethods: HEAD is GET without the answer, and an address that is not there is a problem, with or without a slash.
func TestMethods(t *testing.T) {
	t.Parallel()
	s := startService(t)
	status, head, body := s.got("HEAD", "/api/v1/queues", "")
	if status != http.StatusOK || body != "" || head.Get("ETag") == "" || head.Get("Content-Type") != "application/json" {
		t.Errorf("%d %v %q", status, head, body)
	}
	for _, path := range []string{"/api/v1/queues/", "/api/v1/nothing"} {
		if status, head, body := s.got("GET", path, ""); status != http.StatusNotFound ||
			head.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s: %d %v %s", path, status, head, body)
		}
	}
}

// TestClientForPrograms: a program of somebody's own publishes, asks, edits on what it has seen, and hears of
// changes, also of those that came while it was cut off.
func TestClientForPrograms(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	c, err := client.New(s.URL, client.Options{Token: s.token, Within: time.Minute})
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	stands, heard, ended := make(chan bool, 9), make(chan client.Signal, 99), make(chan error, 1)
	go func() {
		ended <- c.Watch(ctx, func() { stands <- true }, func(s client.Signal) { heard <- s })
	}()
	<-stands
	if r, _, err := c.Publish(t.Context(), "first", client.File{Name: "e.yaml",
		Text: oneQueue}); err != nil || r.Number != 1 {
		t.Fatal(r, err)
	}
	last := client.Signal{}
	for last.What != "estate" {
		last = <-heard
	}
	if last.ID == "" {
		t.Error("a signal has no id")
	}
	user, address := "mira", "10.1.0.9"
	l, err := c.Lineup(t.Context(), client.Context{User: &user, Addresses: []string{address}})
	if err != nil || len(l.Entries) != 1 || l.Entries[0].Queue != "hall" {
		t.Errorf("%+v %v", l, err)
	}
	if _, err := c.Why(t.Context(), client.Context{User: &user}, "nothing"); client.CodeOf(err) != "queue-unknown" {
		t.Error(err)
	}
	d, err := c.Draft(t.Context(), "main")
	if err != nil {
		t.Fatal(err)
	}
	edit, err := client.Object("locations", "ard/pier", map[string]string{"path": "ard/pier"})
	if err != nil {
		t.Fatal(err)
	}
	after, err := c.EditDraft(t.Context(), d, edit)
	if err != nil || after.Total != 1 {
		t.Fatal(after, err)
	}
	if _, err := c.EditDraft(t.Context(), d, edit); client.CodeOf(err) != "draft-moved" {
		t.Error("on a draft that has moved on:", err)
	}
	if r, err := c.PublishDraft(t.Context(), after, "a pier"); err != nil || r.Number != 2 {
		t.Error(r, err)
	}
	n := 0
	for _, err := range client.All[map[string]any](t.Context(), c, "/api/v1/locations", nil) {
		if err != nil {
			t.Fatal(err)
		}
		n++
	}
	if doc, r, err := c.Estate(t.Context()); err != nil || r.Number != 2 || len(doc.Locations) != n {
		t.Errorf("%d of %+v %v", n, r, err)
	}
	// What happened since the first signal is told to whoever names it.
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/v1/watch", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+s.token)
	req.Header.Set("Last-Event-ID", last.ID)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	b := make([]byte, 4096)
	var text string
	for !strings.Contains(text, `"estate"`) {
		k, err := resp.Body.Read(b)
		if err != nil {
			t.Fatalf("%v after %s", err, text)
		}
		text += string(b[:k])
	}
	_ = resp.Body.Close()
	cancel()
	if err := <-ended; err == nil {
		t.Error("it ends without a reason")
	}
}

// TestDescription: every operation has a tag that the description knows, what it may fail with, and every problem's
// code.
func TestDescription(t *testing.T) {
	t.Parallel()
	doc := httpapi.Described("test")
	tags := map[string]bool{}
	for _, tag := range doc.Tags {
		tags[tag.Name] = tag.Description != ""
	}
	for path, item := range doc.Paths {
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Delete} {
			if op != nil && (len(op.Tags) != 1 || !tags[op.Tags[0]] || op.Responses["422"] == nil ||
				op.Responses["503"] == nil) {
				t.Errorf("%s %s: %v", op.Method, path, op.Tags)
			}
		}
	}
	if len(doc.Servers) == 0 {
		t.Error("it names no server")
	}
}

// TestShellExample: the script that shows the API to shells does what it says, and leaves the draft as it was.
func TestShellExample(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("curl"); err != nil {
		t.Skip("there is no curl here")
	}
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	c := exec.CommandContext(t.Context(), "sh", "../docs/examples/ask.sh", "mira", "desk-1")
	c.Env = []string{"PATH=" + os.Getenv("PATH"), "CIRQUE_URL=" + s.URL, "CIRQUE_TOKEN=" + s.token}
	out, err := c.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	contains(t, "the script", string(out), `"queue":"hall"`, `"name":"hall"`, `The draft is at "draft-0-0-1"`, "ardholm/annexe")
	if d := s.must("draft"); !strings.Contains(d, "is empty") {
		t.Error(d)
	}
}
