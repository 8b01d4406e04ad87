package gateway

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/ipp"
	"cirque/internal/service/printing"
)

// house knows mira by her password, one agent by its token, and a few queues; it notes what is asked of it.
type house struct {
	got   printing.Request
	body  string
	did   []string
	fails error
	list  job.Filter
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

func (h *house) Enter(_ context.Context, p *access.Principal, called string) (*printing.Door, error) {
	d := &printing.Door{By: p, Owner: p.Person(), Known: true}
	switch called {
	case "hall":
		d.Queue = estate.Queue{Name: "hall", Title: "The hall", Location: "north", Formerly: []string{"lobby"}}
	case "billed":
		d.Queue = estate.Queue{Name: "billed", Jobs: &estate.QueueJobs{Take: estate.TakeKeep, Charge: estate.RequiredCharge}}
	case "closed":
		d.Queue, d.Refuses = estate.Queue{Name: "closed"}, "the queue closed is closed at this hour"
	case "safe":
		return nil, fault.New(fault.Denied, "not-permitted", "ask", "mira may not print to safe")
	default:
		return nil, fault.New(fault.Unknown, "queue-unknown", "look", "the estate has no queue %q", called)
	}
	return d, nil
}

func (h *house) Offer(d *printing.Door) printing.Offer {
	return printing.Offer{Formats: []string{"application/pdf", "image/pwg-raster", "application/octet-stream"},
		Able: map[string][]string{"copies": {"1-99"}, "sides": {"one-sided", "two-sided-long-edge"},
			"media": {"iso_a4_210x297mm", "na_letter_8.5x11in"}, "media-col": {"media-size"}, "printer-resolution": {"600x600dpi"}},
		Own: map[string]any{"sides": "two-sided-long-edge", "media": "na_letter_8.5x11in"}, Models: []string{"Skerrymark Mono 40"},
		Read: true}
}

func (h *house) Waiting(context.Context, *printing.Door) int { return 3 }

func (h *house) Validate(_ context.Context, d *printing.Door, in printing.Request) error {
	h.got = in
	if d.Refuses != "" {
		return fault.New(fault.Unavailable, "queue-closed", "later", "%s", d.Refuses)
	}
	return h.fails
}

func (h *house) job(id int64) *job.Job {
	n := 2
	began := time.Now()
	return &job.Job{ID: id, Queue: "hall", Name: "letter", Owner: "mira", State: job.Processing, Reasons: []string{job.Printing},
		Says: "printing", Pages: &n, Bytes: 2048, Format: "application/pdf", At: time.Now(), Began: &began, Device: "hall-40"}
}

func (h *house) Print(ctx context.Context, d *printing.Door, in printing.Request, body io.Reader) (*job.Job, error) {
	if err := h.Validate(ctx, d, in); err != nil {
		return nil, err
	}
	b, err := io.ReadAll(body)
	h.body = string(b)
	return h.job(42), err
}

func (h *house) Announce(ctx context.Context, d *printing.Door, in printing.Request) (*job.Job, error) {
	return h.job(43), h.Validate(ctx, d, in)
}

func (h *house) Feed(_ context.Context, _ *access.Principal, id int64, format string, body io.Reader) (*job.Job, error) {
	b, err := io.ReadAll(body)
	h.body, h.got.Format = string(b), format
	return h.job(id), cmpErr(err, h.fails)
}

func cmpErr(a, b error) error {
	if a != nil {
		return a
	}
	return b
}

func (h *house) act(what string, id int64) (job.Job, error) {
	if id > 99 {
		return job.Job{}, fault.New(fault.Unknown, "job-unknown", "look", "there is no job %d", id)
	}
	h.did = append(h.did, what)
	return *h.job(id), h.fails
}

func (h *house) CloseJob(_ context.Context, _ *access.Principal, id int64) (*job.Job, error) {
	j, err := h.act("close", id)
	return &j, err
}

func (h *house) Show(_ context.Context, _ *access.Principal, id int64) (job.Job, []job.Past, error) {
	j, err := h.act("show", id)
	return j, nil, err
}

func (h *house) List(_ context.Context, _ *access.Principal, f job.Filter) ([]job.Job, error) {
	h.list = f
	return []job.Job{*h.job(7), *h.job(8)}, h.fails
}

func (h *house) Cancel(_ context.Context, _ *access.Principal, id int64) (job.Job, error) {
	return h.act("cancel", id)
}

func (h *house) HoldJob(_ context.Context, _ *access.Principal, id int64) (job.Job, error) {
	return h.act("hold", id)
}

func (h *house) Release(_ context.Context, _ *access.Principal, id int64, _ string) (job.Job, error) {
	return h.act("release", id)
}

func (h *house) Identify(_ context.Context, _ *printing.Door, says string) error {
	h.did = append(h.did, "identify "+says)
	return h.fails
}

func open(h *house) *Gateway {
	return New(Config{Identity: h, Jobs: h, PublicURL: "https://cirque.example"})
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
	open(h).ServeHTTP(w, r)
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

const hall = "/ipp/queues/hall"

func request(op ipp.Op, more ...ipp.Attribute) ipp.Message {
	return ipp.NewRequest(op, 7, "ipp://cirque.example/ipp/queues/hall", more...)
}

func wanting(op ipp.Op, job []ipp.Attribute, more ...ipp.Attribute) ipp.Message {
	m := request(op, more...)
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: job})
	return m
}

func ofJob(op ipp.Op, id int, more ...ipp.Attribute) ipp.Message {
	return request(op, append([]ipp.Attribute{ipp.Ints(ipp.Integer, "job-id", id)}, more...)...)
}

func status(m ipp.Message) ipp.Status { return ipp.Status(m.Code) }

// TestDoor: who is let in, and what is answered to whom is not; before that nothing of the body is looked at.
func TestDoor(t *testing.T) {
	t.Parallel()
	good := func(r *http.Request) { r.SetBasicAuth("mira", "secret") }
	for what, c := range map[string]struct {
		path, kind string
		who        func(r *http.Request)
		status     int
	}{
		"nobody": {hall, "application/ipp", func(*http.Request) {}, http.StatusUnauthorized},
		"a wrong password": {hall, "application/ipp", func(r *http.Request) {
			r.SetBasicAuth("mira", "x")
		}, http.StatusUnauthorized},
		"an unknown token": {hall, "application/ipp",
			func(r *http.Request) { r.Header.Set("Authorization", "Bearer x") }, http.StatusUnauthorized},
		"a guesser": {hall, "application/ipp",
			func(r *http.Request) {
				*r = *r.WithContext(context.WithValue(r.Context(), event.OriginKey{}, "198.51.100.9"))
				r.SetBasicAuth("a", "b")
			}, http.StatusTooManyRequests},
		"an agent": {hall, "application/ipp; charset=utf-8",
			func(r *http.Request) { r.Header.Set("Authorization", "bearer agent-token") }, http.StatusOK},
		"no queue":             {"/ipp/queues/", "application/ipp", good, http.StatusNotFound},
		"a path below one":     {hall + "/jobs", "application/ipp", good, http.StatusNotFound},
		"a job":                {hall + "/jobs/7", "application/ipp", good, http.StatusOK},
		"no job":               {hall + "/jobs/x", "application/ipp", good, http.StatusNotFound},
		"another place":        {"/ipp/print", "application/ipp", good, http.StatusNotFound},
		"another type":         {hall, "application/pdf", good, http.StatusUnsupportedMediaType},
		"somebody, and a mess": {hall, "application/ipp", good, http.StatusOK},
	} {
		r := httptest.NewRequest(http.MethodPost, c.path, strings.NewReader("a mess"))
		r.Header.Set("Content-Type", c.kind)
		c.who(r)
		w := httptest.NewRecorder()
		open(&house{}).ServeHTTP(w, r)
		if w.Code != c.status {
			t.Errorf("%s: %d, want %d", what, w.Code, c.status)
		}
		if asked := w.Header().Get("WWW-Authenticate") != ""; asked != (c.status == http.StatusUnauthorized) {
			t.Errorf("%s: asked to sign in: %v", what, asked)
		}
		if c.status == http.StatusOK {
			if m, err := ipp.ReadMessage(ipp.Buffered(w.Body)); err != nil || status(m) != ipp.BadRequest {
				t.Errorf("%s: %v %v", what, m.Code, err)
			}
		}
	}
}

// TestPrint: a job is taken with its options as they were chosen; what of them cannot be done is answered as such.
func TestPrint(t *testing.T) {
	t.Parallel()
	h := &house{}
	m := send(t, h, hall, wanting(ipp.PrintJob, []ipp.Attribute{ipp.Ints(ipp.Integer, "copies", 2),
		ipp.Strs(ipp.Keyword, "sides", "two-sided-short-edge"), ipp.Attr("x-glow", ipp.Bool(true))},
		ipp.Strs(ipp.Name, "requesting-user-name", "ida"), ipp.Strs(ipp.Name, "job-name", "letter"),
		ipp.Strs(ipp.MIMEType, "document-format", "application/pdf")), "%PDF-1.7 …")
	if status(m) != ipp.OKIgnored || m.Number(ipp.JobGroup, "job-id") != 42 ||
		m.Text(ipp.JobGroup, "job-uri") != "ipp://example.com/ipp/queues/hall/jobs/42" {
		t.Errorf("%+v", m)
	}
	if h.body != "%PDF-1.7 …" || h.got.Name != "letter" || h.got.Named != "ida" || h.got.Options["copies"] != 2.0 ||
		h.got.Options["sides"] != "two-sided-short-edge" || h.got.Options["x-glow"] != nil || len(h.got.Raw) == 0 {
		t.Errorf("%q %+v", h.body, h.got)
	}
	if a, _ := m.Find(ipp.UnsupportedGroup, "x-glow"); len(a.Values) != 1 || a.Values[0].Tag != ipp.Unsupported {
		t.Errorf("%+v", a)
	}
	if m.Text(ipp.UnsupportedGroup, "sides") != "two-sided-short-edge" {
		t.Errorf("%+v", m)
	}
	for what, insists := range map[string]ipp.Attribute{"all": ipp.Attr("ipp-attribute-fidelity", ipp.Bool(true)),
		"one": ipp.Strs(ipp.Keyword, "job-mandatory-attributes", "sides")} {
		h := &house{}
		m := send(t, h, hall, wanting(ipp.PrintJob, []ipp.Attribute{ipp.Strs(ipp.Keyword, "sides",
			"two-sided-short-edge")}, insists), "x")
		if status(m) != ipp.AttributesNotSupported || h.body != "" || m.Text(ipp.UnsupportedGroup, "sides") == "" {
			t.Errorf("insisting on %s: %+v", what, m)
		}
	}
	m = send(t, h, hall, wanting(ipp.PrintJob, []ipp.Attribute{ipp.Strs(ipp.Keyword, "job-hold-until", "indefinite"),
		ipp.Strs(ipp.Name, "job-account-id", "voyage-114")}), "x")
	if status(m) != ipp.OK || !h.got.Hold || h.got.Charge != "voyage-114" || len(h.got.Options) != 0 {
		t.Errorf("%+v %+v", m, h.got)
	}
}

// TestPacked: documents come packed, too, and what does not unpack is refused.
func TestPacked(t *testing.T) {
	t.Parallel()
	var gz, fl bytes.Buffer
	w := gzip.NewWriter(&gz)
	_, _ = io.WriteString(w, "a document")
	_ = w.Close()
	d, _ := flate.NewWriter(&fl, 6)
	_, _ = io.WriteString(d, "a document")
	_ = d.Close()
	for how, c := range map[string]struct {
		body   string
		status ipp.Status
	}{"none": {"a document", ipp.OK}, "gzip": {gz.String(), ipp.OK}, "deflate": {fl.String(), ipp.OK},
		"compress": {"x", ipp.CompressionNotKnown}} {
		h := &house{}
		m := send(t, h, hall, request(ipp.PrintJob, ipp.Strs(ipp.Keyword, "compression", how)), c.body)
		if status(m) != c.status || c.status == ipp.OK && h.body != "a document" {
			t.Errorf("%s: %v %q", how, status(m), h.body)
		}
		if m := send(t, h, hall, request(ipp.ValidateJob, ipp.Strs(ipp.Keyword, "compression", how)), ""); status(m) !=
			c.status {
			t.Errorf("%s, asked first: %v", how, status(m))
		}
	}
	for _, how := range []string{"gzip", "deflate"} {
		if m := send(t, &house{}, hall, request(ipp.PrintJob, ipp.Strs(ipp.Keyword, "compression", how)),
			"\xff\xfethis is none"); status(m) != ipp.CompressionError {
			t.Errorf("%s: %v", how, status(m))
		}
	}
}

// TestRefusals: each says what it is, by the status of RFC 8011.
func TestRefusals(t *testing.T) {
	t.Parallel()
	old := request(ipp.PrintJob)
	old.Version = ipp.Version{Major: 3}
	limit := fault.New(fault.TooMany, job.LimitReached, "", "no")
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
		"open, asked first":   {hall, request(ipp.ValidateJob), nil, ipp.OK},
		"operation":           {hall, request(ipp.Op(0x0003)), nil, ipp.OperationNotSupported},
		"version":             {hall, old, nil, ipp.VersionNotSupported},
		"format":              {hall, request(ipp.PrintJob), fault.New(fault.Invalid, "format-unsupported", "", "no"), ipp.FormatNotSupported},
		"spent":               {hall, request(ipp.PrintJob), limit, ipp.AccountLimitReached},
		"no charge":           {hall, request(ipp.PrintJob), fault.New(fault.Invalid, job.AccountNeeded, "", "no"), ipp.AccountInfoNeeded},
		"another's charge":    {hall, request(ipp.PrintJob), fault.New(fault.Denied, job.AccountRefused, "", "no"), ipp.AccountRefused},
		"too large":           {hall, request(ipp.PrintJob), fault.New(fault.TooLarge, "document-too-large", "", "no"), ipp.EntityTooLarge},
		"disk full":           {hall, request(ipp.PrintJob), fault.New(fault.Unavailable, "spool", "", "no"), ipp.TemporaryError},
		"device":              {hall, request(ipp.PrintJob), fault.New(fault.Conflict, "device-refused", "", "no"), ipp.DeviceError},
		"away":                {hall, request(ipp.PrintJob), fault.New(fault.Unavailable, "no-device", "", "no"), ipp.ServiceUnavailable},
		"broken":              {hall, request(ipp.PrintJob), errors.New("a bug"), ipp.InternalError},
		"several documents":   {hall, ofJob(ipp.SendDocument, 7, ipp.Attr("last-document", ipp.Bool(true))), fault.New(fault.Invalid, "several-documents", "", "no"), ipp.SeveralDocuments},
		"last-document":       {hall, ofJob(ipp.SendDocument, 7), nil, ipp.BadRequest},
		"document of no job":  {hall, request(ipp.SendDocument, ipp.Attr("last-document", ipp.Bool(true))), nil, ipp.BadRequest},
		"no job":              {hall, request(ipp.CancelJob), nil, ipp.BadRequest},
		"unknown job":         {hall, ofJob(ipp.CancelJob, 100), nil, ipp.NotFound},
		"ended job":           {hall, ofJob(ipp.CancelJob, 7), fault.New(fault.Conflict, "job-state", "", "no"), ipp.NotPossible},
		"no such which-jobs":  {hall, request(ipp.GetJobs, ipp.Strs(ipp.Keyword, "which-jobs", "nice")), nil, ipp.AttributesNotSupported},
		"limit 0":             {hall, request(ipp.GetJobs, ipp.Ints(ipp.Integer, "limit", 0)), nil, ipp.BadRequest},
		"not identified":      {hall, request(ipp.IdentifyPrinter), fault.New(fault.Unavailable, "not-identified", "", "no"), ipp.ServiceUnavailable},
	} {
		if m := send(t, &house{fails: c.fails}, c.path, c.m, "x"); status(m) != c.status {
			t.Errorf("%s: %v, want %v: %s", what, status(m), c.status, m.Text(ipp.OperationGroup, "status-message"))
		} else if says := m.Text(ipp.OperationGroup, "status-message"); strings.Contains(says, "a bug") {
			t.Errorf("%s tells what only the log may know: %q", what, says)
		}
	}
}

// TestOperations: each operation that is told of is one that is answered, and does what it says.
func TestOperations(t *testing.T) {
	t.Parallel()
	h := &house{}
	if m := send(t, h, hall, request(ipp.CreateJob, ipp.Strs(ipp.Name, "job-name", "later")), ""); status(m) != ipp.OK ||
		m.Number(ipp.JobGroup, "job-id") != 43 || h.got.Name != "later" {
		t.Errorf("%+v", m)
	}
	last := ipp.Attr("last-document", ipp.Bool(true))
	if m := send(t, h, hall, ofJob(ipp.SendDocument, 43, last, ipp.Strs(ipp.MIMEType, "document-format",
		"application/pdf")), "a document"); status(m) != ipp.OK || h.body != "a document" || h.got.Format != "application/pdf" {
		t.Errorf("%+v %q", m, h.body)
	}
	for _, op := range []ipp.Op{ipp.CancelJob, ipp.HoldJob, ipp.ReleaseJob, ipp.CloseJob} {
		if m := send(t, h, hall, ofJob(op, 43), ""); status(m) != ipp.OK {
			t.Errorf("%#04x: %v", op, status(m))
		}
	}
	byURI := request(ipp.CancelJob)
	byURI.Groups[0].Attributes[2] = ipp.Strs(ipp.URI, "job-uri", "ipp://cirque.example/ipp/queues/hall/jobs/5")
	if m := send(t, h, hall, byURI, ""); status(m) != ipp.OK {
		t.Error(status(m))
	}
	if m := send(t, h, hall, ofJob(ipp.SendDocument, 43, last), ""); status(m) != ipp.OK { // no more comes
		t.Error(status(m))
	}
	if m := send(t, h, hall, request(ipp.CancelMyJobs), ""); status(m) != ipp.OK || !slices.Equal(h.list.Owners,
		[]string{"mira"}) {
		t.Error(status(m), h.list)
	}
	if m := send(t, h, hall, request(ipp.CancelMyJobs, ipp.Ints(ipp.Integer, "job-ids", 3, 100)), ""); status(m) !=
		ipp.NotFound || m.Number(ipp.UnsupportedGroup, "job-ids") != 100 {
		t.Errorf("%+v", m)
	}
	if m := send(t, h, hall, request(ipp.IdentifyPrinter, ipp.Strs(ipp.Text, "message", "here")), ""); status(m) != ipp.OK {
		t.Error(status(m))
	}
	if want := []string{"cancel", "hold", "release", "close", "cancel", "close", "cancel", "cancel", "show",
		"identify here"}; !slices.Equal(h.did, want) {
		t.Errorf("%q", h.did)
	}
	m := send(t, h, hall, ofJob(ipp.GetJobAttributes, 7), "")
	for name, want := range map[string]string{"job-name": "letter", "job-originating-user-name": "mira",
		"output-device-assigned": "hall-40", "job-printer-uri": "ipp://example.com/ipp/queues/hall", "job-hold-until": "no-hold"} {
		if got := m.Text(ipp.JobGroup, name); got != want {
			t.Errorf("%s: %q", name, got)
		}
	}
	if m.Number(ipp.JobGroup, "job-impressions") != 2 || m.Number(ipp.JobGroup, "job-k-octets") != 2 {
		t.Errorf("%+v", m)
	}
	m = send(t, h, hall, request(ipp.GetJobs, ipp.Strs(ipp.Keyword, "which-jobs", "completed"), ipp.Ints(ipp.Integer,
		"limit", 5), ipp.Attr("my-jobs", ipp.Bool(true))), "")
	if len(m.Groups) != 3 || len(m.Groups[1].Attributes) != 2 || !h.list.Ended || h.list.Limit != 5 || len(h.list.Owners) != 1 {
		t.Errorf("%+v %+v", m, h.list)
	}
	told, _ := send(t, h, hall, request(ipp.GetPrinterAttributes), "").Find(ipp.PrinterGroup, "operations-supported")
	for _, v := range told.Values {
		if m := send(t, h, hall, ofJob(ipp.Op(v.Int), 7, last), "x"); status(m) == ipp.OperationNotSupported {
			t.Errorf("%#04x is told of and not answered", v.Int)
		}
	}
	if len(told.Values) != 13 {
		t.Errorf("%d operations", len(told.Values))
	}
}

// TestAttributes: what RFC 8011, section 5.4 and PWG 5100.14 require is there, and only what was asked for is given.
func TestAttributes(t *testing.T) {
	t.Parallel()
	m := send(t, &house{}, hall, request(ipp.GetPrinterAttributes), "")
	for _, n := range []string{"printer-uri-supported", "uri-security-supported", "uri-authentication-supported",
		"printer-name", "printer-state", "printer-state-reasons", "ipp-versions-supported", "operations-supported",
		"charset-configured", "charset-supported", "natural-language-configured", "generated-natural-language-supported",
		"document-format-default", "document-format-supported", "printer-is-accepting-jobs", "queued-job-count",
		"pdl-override-supported", "printer-up-time", "compression-supported", "printer-uuid", "media-col-ready",
		"media-size-supported", "copies-supported", "which-jobs-supported", "job-creation-attributes-supported"} {
		if a, ok := m.Find(ipp.PrinterGroup, n); !ok || len(a.Values) == 0 {
			t.Error(n, "is missing")
		}
	}
	for name, want := range map[string]string{"printer-info": "The hall", "sides-default": "two-sided-long-edge",
		"media-default": "na_letter_8.5x11in", "printer-make-and-model": "Skerrymark Mono 40",
		"printer-device-id": "MFG:Skerrymark;MDL:Skerrymark Mono 40;CMD:PDF,PWGRaster;"} {
		if got := m.Text(ipp.PrinterGroup, name); got != want {
			t.Errorf("%s: %q", name, got)
		}
	}
	if _, ok := m.Find(ipp.PrinterGroup, "media-col-database"); ok {
		t.Error("the database of media is given to whoever does not ask for it")
	}
	seen := map[string]bool{}
	for _, g := range m.Groups {
		for _, a := range g.Attributes {
			if seen[a.Name] {
				t.Errorf("%s is there twice", a.Name)
			}
			seen[a.Name] = true
		}
	}
	// A renamed queue stays who it is.
	lobby := &Gateway{cfg: Config{PublicURL: "https://cirque.example"}}
	if got := lobby.identity(&estate.Queue{Name: "lobby"}); got != m.Text(ipp.PrinterGroup, "printer-uuid") {
		t.Error(got)
	}
	billed := send(t, &house{}, "/ipp/queues/billed", request(ipp.GetPrinterAttributes), "")
	if billed.Text(ipp.PrinterGroup, "printer-mandatory-job-attributes") != "job-account-id" {
		t.Error("it is not said that jobs are charged")
	}
	some := send(t, &house{}, "/ipp/queues/closed", request(ipp.GetPrinterAttributes,
		ipp.Strs(ipp.Keyword, "requested-attributes", "printer-name", "printer-is-accepting-jobs",
			"printer-state-message", "media-col-database")), "")
	var names []string
	for _, a := range some.Groups[1].Attributes {
		names = append(names, a.Name)
	}
	slices.Sort(names)
	if !slices.Equal(names, []string{"media-col-database", "printer-is-accepting-jobs", "printer-name",
		"printer-state-message"}) || some.Number(ipp.PrinterGroup, "printer-is-accepting-jobs") != 0 {
		t.Error(names)
	}
	for _, group := range []string{"job-template", "printer-description"} {
		part := send(t, &house{}, hall, request(ipp.GetPrinterAttributes, ipp.Strs(ipp.Keyword, "requested-attributes",
			group)), "")
		_, sides := part.Find(ipp.PrinterGroup, "sides-supported")
		_, name := part.Find(ipp.PrinterGroup, "printer-name")
		if sides != (group == "job-template") || name == sides {
			t.Errorf("%s: sides %v, name %v", group, sides, name)
		}
	}
}
