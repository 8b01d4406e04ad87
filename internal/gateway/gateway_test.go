package gateway

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/ipp"
	"cirque/internal/service/jobs"
)

// house knows mira by her password, one agent by its token, and where jobs to a few queues go.
type house struct {
	got   job.Document
	body  string
	fails error
}

func (*house) ByBasic(_ context.Context, remote, called, password string) (*access.Principal, error) {
	switch {
	case remote == "198.51.100.9":
		return nil, fault.New(fault.TooMany, "too-many-tries", "wait", "too many tries")
	case called == "mira" && password == "secret":
		return &access.Principal{Name: "mira", Account: "mira", Role: access.Person}, nil
	}
	return nil, errors.New("no")
}

func (*house) ByToken(token string) *access.Principal {
	if token != "agent-token" {
		return nil
	}
	return &access.Principal{Name: "the agent on desk-1", Role: access.Agent, Machine: "desk-1"}
}

func (h *house) GatewayRoute(_ context.Context, _ *access.Principal, called string) (jobs.Route, error) {
	switch called {
	case "hall":
		return jobs.Route{Queue: estate.Queue{Name: "hall", Title: "The hall", Location: "north"}}, nil
	case "closed":
		return jobs.Route{Queue: estate.Queue{Name: "closed"}, Refuses: "the queue closed is closed at this hour"}, nil
	case "safe":
		return jobs.Route{}, fault.New(fault.Denied, "not-permitted", "ask", "mira may not print to safe")
	}
	return jobs.Route{}, fault.New(fault.Unknown, "queue-unknown", "look", "the estate has no queue %q", called)
}

func (h *house) Deliver(_ context.Context, r jobs.Route, d job.Document, body io.Reader) (job.Outcome, error) {
	if r.Refuses != "" {
		return job.Outcome{}, fault.New(fault.Unavailable, "queue-closed", "later", "%s", r.Refuses)
	}
	b, err := io.ReadAll(body)
	h.got, h.body = d, string(b)
	if h.fails != nil {
		err = h.fails
	}
	return job.Outcome{JobID: 42, State: "processing", Says: "printing"}, err
}

// send asks the gateway as mira.
func send(t *testing.T, h *house, path string, m ipp.Message, document string) ipp.Message {
	t.Helper()
	b, err := m.AppendTo(nil)
	if err != nil {
		t.Fatal(err)
	}
	r := httptest.NewRequest(http.MethodPost, path, io.MultiReader(bytes.NewReader(b), strings.NewReader(document)))
	r.Header.Set("Content-Type", "application/ipp")
	r.SetBasicAuth("mira", "secret")
	w := httptest.NewRecorder()
	New(h, h, nil).ServeHTTP(w, r)
	if w.Code != http.StatusOK || w.Header().Get("Content-Type") != "application/ipp" {
		t.Fatalf("%s: %d %s", path, w.Code, w.Body)
	}
	out, err := ipp.ReadMessage(ipp.Buffered(w.Body))
	if err != nil {
		t.Fatal(err)
	}
	if out.ID != m.ID {
		t.Errorf("%s: request %d, answer %d", path, m.ID, out.ID)
	}
	return out
}

func request(op ipp.Op, more ...ipp.Attribute) ipp.Message {
	return ipp.NewRequest(op, 7, "ipp://cirque.example/ipp/queues/hall", more...)
}

// TestDoor: who is let in, and what is answered to whom is not; before that nothing of the body is looked at.
func TestDoor(t *testing.T) {
	t.Parallel()
	good := func(r *http.Request) { r.SetBasicAuth("mira", "secret") }
	for what, c := range map[string]struct {
		path, kind string
		who        func(r *http.Request)
		status     int
	}{
		"nobody": {"/ipp/queues/hall", "application/ipp", func(*http.Request) {}, http.StatusUnauthorized},
		"a wrong password": {"/ipp/queues/hall", "application/ipp", func(r *http.Request) {
			r.SetBasicAuth("mira", "x")
		}, http.StatusUnauthorized},
		"an unknown token": {"/ipp/queues/hall", "application/ipp",
			func(r *http.Request) { r.Header.Set("Authorization", "Bearer x") }, http.StatusUnauthorized},
		"a guesser": {"/ipp/queues/hall", "application/ipp",
			func(r *http.Request) {
				*r = *r.WithContext(context.WithValue(r.Context(), event.OriginKey{}, "198.51.100.9"))
				r.SetBasicAuth("a", "b")
			}, http.StatusTooManyRequests},
		"an agent": {"/ipp/queues/hall", "application/ipp; charset=utf-8",
			func(r *http.Request) { r.Header.Set("Authorization", "bearer agent-token") }, http.StatusOK},
		"no queue":             {"/ipp/queues/", "application/ipp", good, http.StatusNotFound},
		"a path below one":     {"/ipp/queues/hall/jobs", "application/ipp", good, http.StatusNotFound},
		"another place":        {"/ipp/print", "application/ipp", good, http.StatusNotFound},
		"another type":         {"/ipp/queues/hall", "application/pdf", good, http.StatusUnsupportedMediaType},
		"somebody, and a mess": {"/ipp/queues/hall", "application/ipp", good, http.StatusOK},
	} {
		r := httptest.NewRequest(http.MethodPost, c.path, strings.NewReader("a mess"))
		r.Header.Set("Content-Type", c.kind)
		c.who(r)
		w := httptest.NewRecorder()
		New(&house{}, &house{}, nil).ServeHTTP(w, r)
		if w.Code != c.status {
			t.Errorf("%s: %d, want %d", what, w.Code, c.status)
		}
		if asked := w.Header().Get("WWW-Authenticate") != ""; asked != (c.status == http.StatusUnauthorized) {
			t.Errorf("%s: asked to sign in: %v", what, asked)
		}
		if c.status == http.StatusOK {
			if m, err := ipp.ReadMessage(ipp.Buffered(w.Body)); err != nil || ipp.Status(m.Code) != ipp.BadRequest {
				t.Errorf("%s: %v %v", what, m.Code, err)
			}
		}
	}
}

// TestPrint: the document goes on as it came, in the name of who signed in and of nobody whom the job names.
func TestPrint(t *testing.T) {
	t.Parallel()
	h := &house{}
	m := send(t, h, "/ipp/queues/hall", request(ipp.PrintJob, ipp.Strs(ipp.Name, "requesting-user-name", "ida"),
		ipp.Strs(ipp.Name, "job-name", "letter"), ipp.Strs(ipp.MIMEType, "document-format", "application/pdf")),
		"%PDF-1.7 …")
	if ipp.Status(m.Code) != ipp.OK || m.Number(ipp.JobGroup, "job-id") != 42 ||
		m.Text(ipp.JobGroup, "job-uri") != "ipp://example.com/ipp/queues/hall/jobs/42" {
		t.Errorf("%+v", m)
	}
	if h.body != "%PDF-1.7 …" || h.got != (job.Document{Name: "letter", Owner: "mira", Format: "application/pdf"}) {
		t.Errorf("%q %+v", h.body, h.got)
	}
}

// TestRefusals: each says what it is, by the status of RFC 8011.
func TestRefusals(t *testing.T) {
	t.Parallel()
	raw := ipp.Strs(ipp.MIMEType, "document-format", "application/x-unheard-of")
	old := request(ipp.PrintJob)
	old.Version = ipp.Version{Major: 3}
	for what, c := range map[string]struct {
		path   string
		m      ipp.Message
		fails  error
		status ipp.Status
	}{
		"unknown queue":       {"/ipp/queues/attic", request(ipp.PrintJob), nil, ipp.NotFound},
		"not permitted":       {"/ipp/queues/safe", request(ipp.PrintJob), nil, ipp.NotAuthorized},
		"closed":              {"/ipp/queues/closed", request(ipp.PrintJob), nil, ipp.NotAcceptingJobs},
		"closed, asked first": {"/ipp/queues/closed", request(ipp.ValidateJob), nil, ipp.NotAcceptingJobs},
		"open, asked first":   {"/ipp/queues/hall", request(ipp.ValidateJob), nil, ipp.OK},
		"format":              {"/ipp/queues/hall", request(ipp.PrintJob, raw), nil, ipp.FormatNotSupported},
		"operation":           {"/ipp/queues/hall", request(ipp.GetJobs), nil, ipp.OperationNotSupported},
		"version":             {"/ipp/queues/hall", old, nil, ipp.VersionNotSupported},
		"device": {"/ipp/queues/hall", request(ipp.PrintJob), fault.New(fault.Conflict, "device-refused", "",
			"no"), ipp.DeviceError},
		"away": {"/ipp/queues/hall", request(ipp.PrintJob), fault.New(fault.Unavailable, "no-device", "",
			"no"), ipp.ServiceUnavailable},
		"broken": {"/ipp/queues/hall", request(ipp.PrintJob), errors.New("a bug"), ipp.InternalError},
	} {
		if m := send(t, &house{fails: c.fails}, c.path, c.m, ""); ipp.Status(m.Code) != c.status {
			t.Errorf("%s: %#04x, want %#04x: %s", what, m.Code, c.status, m.Text(ipp.OperationGroup, "status-message"))
		} else if says := m.Text(ipp.OperationGroup, "status-message"); strings.Contains(says, "a bug") {
			t.Errorf("%s tells what only the log may know: %q", what, says)
		}
	}
}

// TestAttributes: what RFC 8011, section 5.4 requires is there, and only what was asked for is given.
func TestAttributes(t *testing.T) {
	t.Parallel()
	m := send(t, &house{}, "/ipp/queues/hall", request(ipp.GetPrinterAttributes), "")
	for _, n := range []string{"printer-uri-supported", "uri-security-supported", "uri-authentication-supported",
		"printer-name",
		"printer-state", "printer-state-reasons", "ipp-versions-supported", "operations-supported", "charset-configured",
		"charset-supported", "natural-language-configured", "generated-natural-language-supported", "document-format-default",
		"document-format-supported", "printer-is-accepting-jobs", "queued-job-count", "pdl-override-supported",
		"printer-up-time",
		"compression-supported"} {
		if a, ok := m.Find(ipp.PrinterGroup, n); !ok || len(a.Values) == 0 {
			t.Error(n, "is missing")
		}
	}
	if info := m.Text(ipp.PrinterGroup, "printer-info"); info != "The hall" {
		t.Error(info)
	}
	some := send(t, &house{}, "/ipp/queues/closed", request(ipp.GetPrinterAttributes,
		ipp.Strs(ipp.Keyword, "requested-attributes", "printer-name", "printer-is-accepting-jobs",
			"printer-state-message")), "")
	var names []string
	for _, g := range some.Groups {
		if g.Tag == ipp.PrinterGroup {
			for _, a := range g.Attributes {
				names = append(names, a.Name)
			}
		}
	}
	slices.Sort(names)
	if !slices.Equal(names, []string{"printer-is-accepting-jobs", "printer-name", "printer-state-message"}) ||
		some.Number(ipp.PrinterGroup, "printer-is-accepting-jobs") != 0 {
		t.Error(names)
	}
}
