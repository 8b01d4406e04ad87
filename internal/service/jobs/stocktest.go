package jobs

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// How long a test page is followed, and how often it is asked about.
const (
	followFor   = 30 * time.Second
	followEvery = 300 * time.Millisecond
)

// A Target is where a test page goes: a device, or a queue on a server.
type Target struct {
	Kind  string // server or device
	Name  string
	Queue string // on the server
}

// MayTest says whether somebody may send test pages, before an answer is begun.
func MayTest(p *access.Principal) error { return access.Check(p, access.SendTestPage) }

// TestStock sends a test page straight to a device or to a server's queue, in a format that it says it takes, and
// follows the job until it is done or the printer says why it does not go on. tell, which may be nil, hears of each
// state.
func (s *Room) TestStock(ctx context.Context, p *access.Principal, t Target,
	tell func(stock.Job)) (stock.TestSheet, error) {
	out := stock.TestSheet{Kind: t.Kind, Name: t.Name, Queue: t.Queue, Result: "unproven"}
	if err := access.Check(p, access.SendTestPage); err != nil {
		return out, err
	}
	if s.cfg.Prober == nil {
		return out, fault.New(fault.Unavailable, "no-probing", "start the service with probing",
			"this service does not print")
	}
	l, err := s.present.WatchedOne(t.Kind, t.Name)
	if err != nil {
		return out, err
	}
	if err := access.CheckObject(p, access.SendTestPage, s.present.View().Document(), estate.Ref{List: t.Kind + "s",
		Name: t.Name}); err != nil {
		return out, err
	}
	if err := l.OnNetwork(); err != nil {
		return out, err
	}
	key := stock.SignInOf(s.cfg.Keys.KeysFor(l.Watch))
	model, media, formats := "", "", []string(nil)
	switch kept, _ := s.present.Stock().Kept.Get(present.Watched{Kind: t.Kind, Name: t.Name}); {
	case t.Kind == stock.KindServer:
		q := kept.Server.Find(t.Queue)
		if q == nil {
			return out, fault.New(fault.Unknown, "queue-unknown", "see cirque server queues "+t.Name, "%s has no queue %q",
				t.Name, t.Queue)
		}
		out.SentTo, model, media, formats = l.QueueURI(*q), q.Model, word(q.Defaults["media"]), q.Formats
	case kept.Device == nil || kept.Device.URI == "":
		return out, fault.New(fault.Conflict, "not-ipp", "read it first; where it does not speak IPP, send the page "+
			"through a server", "%s has not answered over IPP, and Cirque prints over IPP only", t.Name)
	default:
		out.SentTo, model, media, formats = kept.Device.URI, kept.Device.Model, word(kept.Device.Defaults["media"]),
			kept.Device.Formats
	}
	at := s.now().UTC().Truncate(time.Second)
	page := sheet{{"Sent by", p.Name}, {"To", t.Kind + " " + t.Name}, {"Queue", cmp.Or(t.Queue, "straight to the device")},
		{"Address", out.SentTo}, {"Model", cmp.Or(model, "not known")}, {"Time", at.Format(time.RFC3339)}}
	body, err := s.render(page, formats, media, &out.Format)
	if err != nil {
		return out, err
	}
	doc := job.Document{Name: "Test page of " + cmp.Or(t.Queue, t.Name), Owner: p.Name, Format: out.Format}
	within, cancel := context.WithTimeout(ctx, testWithin)
	defer cancel()
	sent, err := s.cfg.Prober.Send(within, out.SentTo, key, doc, body)
	if err != nil {
		_, err = s.recorded(ctx, stockTest(p, out, fault.As(err).What), err)
		return out, err
	}
	out.Job = stock.Job{ID: sent.JobID, Queue: t.Queue, Name: doc.Name, Owner: doc.Owner, State: sent.State, At: &at}
	s.follow(ctx, key, &out, tell)
	out.Recorded, _ = s.recorded(ctx, stockTest(p, out, out.Says), nil)
	if err := s.cfg.Readings.Read(ctx, l); err != nil && ctx.Err() == nil { // it may be jammed now, or empty
		s.log.Warn("a reading could not be kept", "kind", l.Kind, "name", l.Name, "error", err)
	}
	return out, nil
}

func word(v any) string {
	w, _ := v.(string)
	return w
}

// render makes the page in the first format of ours that the far end takes.
func (s *Room) render(page sheet, formats []string, media string, format *string) (io.Reader, error) {
	for _, f := range []string{"application/pdf", "image/pwg-raster", "text/plain"} {
		if !slices.Contains(formats, f) {
			continue
		}
		*format = f
		switch {
		case f == "application/pdf":
			return page.pdf()
		case f == "text/plain":
			return page.text(), nil
		case s.cfg.Raster != nil:
			if media == "" {
				media = "iso_a4_210x297mm"
			}
			w, h := sizeOf(media)
			b, err := s.cfg.Raster(page.lines(), media, w, h)
			return bytes.NewReader(b), err
		}
	}
	return nil, fault.New(fault.Conflict, "no-format", "print the test page from a machine that has its driver",
		"it takes none of PDF, PWG raster and plain text: %s", strings.Join(formats, ", "))
}

// sizeOf reads the size in millimetres at the end of a self-describing name (PWG 5101.1); A4 where there is none.
func sizeOf(media string) (w, h float64) {
	size := media[strings.LastIndexByte(media, '_')+1:]
	if _, err := fmt.Sscanf(strings.TrimSuffix(size, "mm"), "%fx%f", &w, &h); err != nil || w < 10 || h < 10 || w > 1200 ||
		h > 2000 || !strings.HasSuffix(size, "mm") {
		return 210, 297
	}
	return w, h
}

// follow asks about a job until it has ended, its printer says what holds it up, or the time is over.
func (s *Room) follow(ctx context.Context, key *stock.Key, t *stock.TestSheet, tell func(stock.Job)) {
	ctx, cancel := context.WithTimeout(ctx, followFor)
	defer cancel()
	last := ""
	for {
		j, err := s.cfg.Prober.ReadJob(ctx, t.SentTo, key, t.Job.ID)
		switch {
		case err == nil:
			j.Queue, j.Name, j.Owner = t.Job.Queue, t.Job.Name, t.Job.Owner
			t.Job = j
			if state := j.State + strings.Join(j.Reasons, " "); state != last && tell != nil {
				last = state
				tell(j)
			}
		case t.Job.Done():
			// Many devices forget a job as soon as it is printed; what they said when they took it counts.
		case ctx.Err() == nil:
			t.Says = fmt.Sprintf("the job %d was taken, and its state cannot be asked: %s", t.Job.ID, fault.As(err).What)
			return
		}
		stuck := slices.ContainsFunc(t.Job.Reasons, func(r string) bool {
			return strings.HasPrefix(r, "the printer is stopped")
		})
		switch {
		case t.Job.State == "completed":
			t.Result, t.Says = "yes", fmt.Sprintf("the job %d is completed; the paper has the last word", t.Job.ID)
			return
		case t.Job.Done():
			t.Result, t.Says = "no", fmt.Sprintf("the job %d is %s: %s", t.Job.ID, t.Job.State,
				cmp.Or(strings.Join(t.Job.Reasons, ", "), "no reason is given"))
			return
		case t.Job.State == "pending-held":
			t.Result, t.Says = "no", fmt.Sprintf("the job %d is held: %s", t.Job.ID, cmp.Or(t.Job.Message,
				strings.Join(t.Job.Reasons, ", "), "no reason is given"))
			return
		case stuck:
			t.Result, t.Says = "no", fmt.Sprintf("the job %d is %s: %s", t.Job.ID, t.Job.State,
				strings.Join(t.Job.Reasons, ", "))
			return
		case ctx.Err() != nil:
			t.Says = fmt.Sprintf("the job %d is %s after %d seconds; nothing is proven yet", t.Job.ID, t.Job.State,
				int(followFor/time.Second))
			return
		}
		worker.Pause(ctx, followEvery)
	}
}

func stockTest(p *access.Principal, t stock.TestSheet, says string) event.Event {
	return event.Event{Kind: event.TestPage, Subject: t.Name, Author: p.Name}.Saying(
		"A test page went to {uri}: {answer}", "uri", t.SentTo, "answer", says)
}
