package jobs

import (
	"context"
	"io"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/stock"
	"cirque/internal/service/present"
	"cirque/internal/testkit/rooms"
)

// floor is the printers: what they do with a job, by URI, and what they got.
type floor struct {
	Store
	w      *rooms.World
	does   map[string]func(body io.Reader) (job.Outcome, error)
	got    []string
	states []stock.Job // that a job goes through, the last for ever
	asked  int
	read   int
	health []continuity.Health
	events []event.Event

	acted, told []string
	heard       bool // the server's agent has been
	refuses     error
}

func (f *floor) Print(_ context.Context, uri string, _ job.Document, body io.Reader) (job.Outcome, error) {
	f.got = append(f.got, uri)
	if do := f.does[uri]; do != nil {
		return do(body)
	}
	_, err := io.Copy(io.Discard, body)
	return job.Outcome{JobID: 7, State: "processing", Says: "printing"}, err
}

func (f *floor) Send(ctx context.Context, uri string, _ *stock.Key, d job.Document, body io.Reader) (job.Outcome,
	error) {
	return f.Print(ctx, uri, d, body)
}

func (f *floor) ReadJob(context.Context, string, *stock.Key, int) (stock.Job, error) {
	j := f.states[min(f.asked, len(f.states)-1)]
	f.asked++
	return j, nil
}

func (f *floor) Why(_ context.Context, _ *access.Principal, q lineup.Query, queue string,
	_ present.When) (*lineup.Why, error) {
	c, err := q.Context(f.w.Now())
	if err != nil {
		return nil, err
	}
	return f.w.Present.View().World.Why(c, queue)
}

func (*floor) KeysFor(stock.Watch) []stock.Key { return nil }

func (f *floor) Read(context.Context, stock.Listed) error {
	f.read++
	return nil
}

func (f *floor) AddEvent(_ context.Context, e event.Event) error {
	f.events = append(f.events, e)
	return nil
}

func (f *floor) Healths(context.Context) ([]continuity.Health, error) { return f.health, nil }

func away(io.Reader) (job.Outcome, error) {
	return job.Outcome{}, fault.New(fault.Unavailable, "silent", "", "it does not answer")
}

const behind = `{estate: 1,
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}],
devices: [{name: a, uri: "ipp://192.0.2.1/"}, {name: b, uri: "ipp://192.0.2.2/"},
  {name: plugged, uri: "usb://T/Slip?serial=S1", machine: desk-1}],
queues: [{name: hall, paths: [{gateway: true}], devices: [a, b]},
  {name: safe, paths: [{gateway: true}], devices: [a], access: {allow: ["user:ida"]}},
  {name: shut, paths: [{gateway: true}], devices: [a], paused: true},
  {name: direct, paths: [{device: a}], devices: [a]}, {name: bare, paths: [{gateway: true}]},
  {name: slips, paths: [{gateway: true}], devices: [plugged]},
  {name: old, paths: [{gateway: true}], devices: [a], retired: true}],
grants: [{name: g, effect: place, queues: [hall, direct, shut], to: ["user:ida"]}]}`

func furnish(t *testing.T) (*Room, *floor) {
	t.Helper()
	w := rooms.New(t, behind, directory.Records{Users: []directory.User{{Name: "ida"}, {Name: "mira"}}})
	f := &floor{w: w, does: map[string]func(io.Reader) (job.Outcome, error){}}
	return New(Config{Printer: f, Prober: f, Store: f, Present: w.Present, Log: rooms.Quiet, Now: w.Now,
		Reasons: f, Keys: f, Readings: f, Keepers: f, Tell: f}), f
}

// TestSendTestPage goes where the lineup leads, and says on the page and in the record where that was.
func TestSendTestPage(t *testing.T) {
	t.Parallel()
	r, f := furnish(t)
	ida, mira := "ida", "mira"
	page := ""
	f.does["ipp://192.0.2.1/"] = func(body io.Reader) (job.Outcome, error) {
		b, err := io.ReadAll(body)
		page = string(b)
		return job.Outcome{JobID: 9, State: "completed", Says: "done"}, err
	}
	got, err := r.SendTestPage(t.Context(), rooms.Who(access.HelpDesk), lineup.Query{User: &ida}, "direct", false)
	if err != nil || got.SentTo != "ipp://192.0.2.1/" || got.Person != "ida" || got.JobID != 9 || len(f.events) != 1 ||
		f.events[0].Kind != event.TestPage {
		t.Errorf("%+v %+v %v", got, f.events, err)
	}
	for _, word := range []string{"ipp://192.0.2.1/", "direct", "ida"} {
		if !strings.Contains(page, word) {
			t.Errorf("the page does not say %q", word)
		}
	}
	f.does["ipp://192.0.2.1/"] = away
	if got, err = r.SendTestPage(t.Context(), rooms.Who(access.HelpDesk), lineup.Query{User: &ida}, "hall", false); err != nil ||
		got.SentTo != "ipp://192.0.2.2/" {
		t.Errorf("through the gateway: %+v %v", got, err)
	}
	if _, err = r.SendTestPage(t.Context(), rooms.Who(access.HelpDesk), lineup.Query{User: &ida}, "direct", false); err == nil ||
		!strings.Contains(f.events[len(f.events)-1].Says, "failed: it does not answer") {
		t.Errorf("%v %+v", err, f.events)
	}
	if _, err = r.SendTestPage(t.Context(), rooms.Who(access.HelpDesk), lineup.Query{User: &mira},
		"direct", false); !fault.Is(err,
		fault.Conflict) {
		t.Error("who does not have the queue:", err)
	}
	f.does["ipp://192.0.2.1/"] = nil
	sent := len(f.got)
	if _, err = r.SendTestPage(t.Context(), rooms.Who(access.HelpDesk), lineup.Query{User: &ida}, "shut", false); len(f.got) !=
		sent || fault.As(err).Code != "queue-closed" || !strings.Contains(err.Error(), "the queue shut is paused") {
		t.Error("a page to a paused queue:", err)
	}
	if got, err = r.SendTestPage(t.Context(), rooms.Who(access.HelpDesk), lineup.Query{User: &ida}, "shut", true); err != nil ||
		got.SentTo != "ipp://192.0.2.1/" {
		t.Errorf("all the same: %+v %v", got, err)
	}
	if _, err = r.SendTestPage(t.Context(), rooms.Who(access.Auditor), lineup.Query{User: &ida}, "direct", false); !fault.Is(err,
		fault.Denied) {
		t.Error(err)
	}
}

// TestTestStock follows a test page until it is done or the printer says what holds it up, and no longer than it says.
func TestTestStock(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		job := func(state string, reasons ...string) stock.Job {
			return stock.Job{ID: 7, State: state, Reasons: reasons}
		}
		for what, c := range map[string]struct {
			states []stock.Job
			result string
			says   string
		}{
			"done":    {[]stock.Job{job("pending"), job("processing"), job("completed")}, "yes", "completed"},
			"aborted": {[]stock.Job{job("aborted", "document-format-error")}, "no", "document-format-error"},
			"held":    {[]stock.Job{job("pending-held", "job-hold-until-specified")}, "no", "held"},
			"stuck":   {[]stock.Job{job("processing-stopped", "the printer is stopped: media-empty")}, "no", "media-empty"},
			"slow":    {[]stock.Job{job("processing")}, "unproven", "after 30 seconds"},
		} {
			r, f := furnish(t)
			f.states = c.states
			f.w.StockWatches = []stock.Watch{{Kind: stock.KindDevice, Name: "a", URI: "ipp://192.0.2.1/"}}
			f.w.StockKept = []stock.Kept{{Kind: stock.KindDevice, Name: "a",
				Device: &stock.Device{URI: "ipp://192.0.2.1/ipp/print",
					Formats: []string{"text/plain"}}}}
			f.w.Refresh(t)
			begin, told := time.Now(), 0
			got, err := r.TestStock(t.Context(), rooms.Who(access.HelpDesk), Target{Kind: stock.KindDevice, Name: "a"},
				func(stock.Job) { told++ })
			if err != nil || got.Result != c.result || !strings.Contains(got.Says, c.says) || got.Format != "text/plain" ||
				got.SentTo != "ipp://192.0.2.1/ipp/print" || told != len(c.states) || f.read != 1 || len(f.events) != 1 {
				t.Errorf("%s: %+v %v; told %d times, read %d times, %+v", what, got, err, told, f.read, f.events)
			}
			if took := time.Since(begin); took > followFor+followEvery {
				t.Errorf("%s took %v", what, took)
			}
		}
	})
}

func TestTestStockRefuses(t *testing.T) {
	t.Parallel()
	r, f := furnish(t)
	try := func(target Target) string {
		_, err := r.TestStock(t.Context(), rooms.Who(access.HelpDesk), target, nil)
		return fault.As(err).Code
	}
	if got := try(Target{Kind: stock.KindDevice, Name: "a"}); got != "not-ipp" {
		t.Error("never read:", got)
	}
	f.w.StockKept = []stock.Kept{{Kind: stock.KindDevice, Name: "a", Device: &stock.Device{URI: "ipp://192.0.2.1/",
		Formats: []string{"image/x-own"}}}}
	f.w.Refresh(t)
	if got := try(Target{Kind: stock.KindDevice, Name: "a"}); got != "no-format" || len(f.got) != 0 {
		t.Error("it takes nothing of ours:", got, f.got)
	}
	if got := try(Target{Kind: stock.KindServer, Name: "ps-1", Queue: "x"}); got != "queue-unknown" {
		t.Error(got)
	}
	if w, h := sizeOf("na_letter_8.5x11in"); w != 210 || h != 297 {
		t.Error(w, h)
	}
	if w, h := sizeOf("om_small-photo_100x150mm"); w != 100 || h != 150 {
		t.Error(w, h)
	}
}

// TestWaitingJobs says how old what it tells is: a server that is down is not asked.
func TestWaitingJobs(t *testing.T) {
	t.Parallel()
	r, f := furnish(t)
	auditor := rooms.Who(access.Auditor)
	if got, err := r.WaitingJobs(t.Context(), auditor, "ps-1"); err != nil || got.Now || !strings.Contains(got.Says,
		"never been read") {
		t.Errorf("%+v %v", got, err)
	}
	f.w.StockKept = []stock.Kept{{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{OK: true,
		Answered: new(rooms.Start)},
		Server: &stock.Server{Queues: []stock.Queue{{Name: "hall", Jobs: 1}}, Waiting: []stock.Job{{ID: 3, Queue: "hall",
			Name: "letter", Owner: "ida"}}}}}
	f.w.Refresh(t)
	got, err := r.WaitingJobs(t.Context(), auditor, "ps-1")
	if err != nil || !got.Now || got.Says != "1 job waits on it" || len(got.Jobs) != 1 || got.Jobs[0].Person != "ida" {
		t.Errorf("%+v %v", got, err)
	}
	read := f.read
	f.health = []continuity.Health{{Kind: stock.KindServer, Name: "ps-1", Verdict: continuity.Gone, Checked: rooms.Start}}
	got, err = r.WaitingJobs(t.Context(), auditor, "ps-1")
	if err != nil || got.Now || got.Says != "1 job waits on it, as it told on 2026-11-23 10:00 UTC" || f.read != read {
		t.Errorf("%+v %v; read %d times", got, err, f.read-read)
	}
}
