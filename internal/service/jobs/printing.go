package jobs

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/path"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// testWithin bounds the whole conversation about a test page, and recordWithin writing down what came of it.
const (
	testWithin   = time.Minute
	recordWithin = 10 * time.Second
)

// A TestPage says where a test page went and what came back.
type TestPage struct {
	Queue   string       `json:"queue"`
	Context lineup.Echo  `json:"context" doc:"Who, at which machine, from which address: the subject of the test."`
	Path    lineup.Taken `json:"path"`
	SentTo  string       `json:"sent_to" doc:"The device's or server's URI."`
	Driver  string       `json:"driver"`
	Person  string       `json:"person,omitempty"`
	At      time.Time    `json:"at"`
	// Recorded says that it is in the audit.
	Recorded bool `json:"recorded" doc:"It is in the audit; false where that could not be written."`
	job.Outcome
}

// SendTestPage sends a page through the path that the context's lineup chose. The page names all of it, so that the
// paper proves itself. A queue that takes no jobs at present gets one only anyway.
func (s *Room) SendTestPage(ctx context.Context, p *access.Principal, q lineup.Query, queue string,
	anyway bool) (TestPage, error) {
	if err := access.Check(p, access.SendTestPage); err != nil {
		return TestPage{}, err
	}
	if s.cfg.Printer == nil {
		return TestPage{}, fault.New(fault.Unavailable, "no-printing", "start the service with printing",
			"this service does not print")
	}
	why, err := s.cfg.Reasons.Why(ctx, p, q, queue, present.When{})
	if err != nil {
		return TestPage{}, err
	}
	if !why.Present {
		return TestPage{}, fault.New(fault.Conflict, "not-in-lineup", "see cirque why "+queue+" with the same context",
			"no test page was sent: %s", why.Says)
	}
	e := why.Entry[0]
	if err := access.CheckObject(p, access.SendTestPage, s.present.View().Document(), estate.Ref{List: "queues",
		Name: e.Queue}); err != nil {
		return TestPage{}, err
	}
	if says, _ := s.present.View().World.Refuses(e.Queue, s.now()); says != "" && !anyway {
		return TestPage{}, closedFor(says)
	}
	t := TestPage{Queue: e.Queue, Context: why.Context, Path: e.Path, SentTo: e.Path.URI, Driver: e.Driver,
		At: s.now().UTC().Truncate(time.Second)}
	if e.Exact != nil {
		t.Driver = *e.Exact
	}
	if why.Context.User != nil {
		t.Person = *why.Context.User
	}
	doc := job.Document{Name: "Test page of " + e.Queue, Owner: cmp.Or(t.Person, p.Name), Format: "application/pdf"}
	if e.Path.Through == path.Gateway {
		route, err := job.RouteOf(s.present.View().World, e.Queue, s.now()) // the lineup has said who may
		if err != nil {
			return t, err
		}
		within, cancel := context.WithTimeout(ctx, testWithin)
		defer cancel()
		t.Outcome, t.SentTo, err = s.first(within, route, doc, func(h job.Hop) (io.Reader, error) {
			return page(t, h.Device, h.URI)
		})
		return s.recordTestPage(ctx, p, t, err)
	}
	device := ""
	if e.Path.Device != nil {
		device = *e.Path.Device
	}
	body, err := page(t, device, t.SentTo)
	if err != nil {
		return t, err
	}
	within, cancel := context.WithTimeout(ctx, testWithin)
	defer cancel()
	t.Outcome, err = s.cfg.Printer.Print(within, t.SentTo, doc, body)
	return s.recordTestPage(ctx, p, t, err)
}

// closedFor is told of a test page to a queue that takes no jobs.
func closedFor(says string) error {
	return fault.New(fault.Conflict, "queue-closed", "print all the same with --anyway, or wait",
		"no test page was sent: %s",
		says)
}

func (s *Room) recordTestPage(ctx context.Context, p *access.Principal, t TestPage, err error) (TestPage, error) {
	e := event.Event{Kind: event.TestPage, Subject: t.Queue, Author: p.Name}
	if err == nil {
		e = e.Saying(
			"A test page went to {queue} through {uri}: {answer}", "queue", t.Queue, "uri", t.SentTo, "answer", t.Says)
	} else {
		e = e.Saying("A test page to {queue} through {uri} failed: {reason}", "queue", t.Queue, "uri", t.SentTo, "reason",
			fault.As(err).What)
	}
	t.Recorded, err = s.recorded(ctx, e, err)
	return t, err
}

// recorded keeps what happened to a page, also where nobody waits for it any more. Where it could not be kept, that is
// told beside what failed.
func (s *Room) recorded(ctx context.Context, e event.Event, failed error) (bool, error) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), recordWithin)
	defer cancel()
	err := s.store.AddEvent(ctx, e)
	if err == nil {
		return true, failed
	}
	s.log.Warn("a test page could not be recorded", "error", err)
	if f := fault.As(failed); f != nil {
		return false, f.With(append(slices.Clip(f.Details), fault.Detail{What: "it is not in the audit: " +
			fault.As(err).What}))
	}
	return false, nil
}

// page draws the test page.
func page(t TestPage, device, uri string) (io.Reader, error) {
	return sheet{{"Queue", t.Queue}, {"Path", string(t.Path.Through)}, {"Sent to", uri},
		{"Device", cmp.Or(device, "behind the server")}, {"Driver", t.Driver},
		{"Person", cmp.Or(t.Person, "nobody signed in")}, {"Time", t.At.Format(time.RFC3339)}}.pdf()
}

// first tries the hops in order until one takes the document, and says which it was.
func (s *Room) first(ctx context.Context, r job.Route, d job.Document, body func(job.Hop) (io.Reader,
	error)) (job.Outcome, string, error) {
	if len(r.Hops) == 0 { // a queue for practice, behind which nothing prints
		b, err := body(job.Hop{Device: "none: it is for practice", URI: "nothing"})
		if err != nil {
			return job.Outcome{}, "nothing", err
		}
		n, err := io.Copy(io.Discard, b)
		return job.Outcome{State: "completed", Says: fmt.Sprintf("it is for practice: %s taken, and nothing is printed",
			words.Count(int(n), "byte was", "bytes were"))}, "nothing", err
	}
	var last error
	for _, h := range r.Hops {
		b, err := body(h)
		if err != nil {
			return job.Outcome{}, h.URI, err
		}
		out, err := s.cfg.Printer.Print(ctx, h.URI, d, b)
		if err == nil {
			return out, h.URI, nil
		}
		s.log.Warn("a device did not take a job", "queue", r.Queue.Name, "device", h.Device, "error", err)
		last = err
		if !fault.Is(err, fault.Unavailable) {
			break
		}
	}
	return job.Outcome{}, r.Hops[len(r.Hops)-1].URI, last
}
