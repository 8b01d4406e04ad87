package printing

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
	"cirque/internal/pages"
	"cirque/internal/service/worker"
)

// mark ends the names of our jobs at devices, so that they are found there again.
func mark(id int64) string { return fmt.Sprintf("[%d]", id) }

// nameAt is what a job is called at a device: a name has 255 octets (RFC 8011, section 5.1.3).
func nameAt(j *job.Job) string {
	m, name := mark(j.ID), j.Name
	if most := 255 - len(m) - 1; len(name) > most {
		name = strings.ToValidUTF8(name[:most], "")
	}
	return strings.TrimSpace(name + " " + m)
}

// change changes a job in hand, and tries again while the store does not answer and the lease lasts.
func (r *sender) change(s *sending, f job.Change) (job.Job, error) {
	for wait := 100 * time.Millisecond; ; wait = min(2*wait, 2*time.Second) {
		j, err := r.store.ChangeJob(s.ctx, s.id, s.fence, f)
		if err == nil || !fault.Is(err, fault.Unavailable) || s.ctx.Err() != nil {
			return j, err
		}
		worker.Pause(s.ctx, wait)
	}
}

// What came of trying a device.
type tried int

const (
	refused    tried = iota // it took nothing of the document: another may be tried
	unsuitable              // it does not take such a job
	ended                   // it is done with, or not in hand any more
)

// send sends a job that is in hand to the first device that takes it, and follows it there to its end.
func (r *sender) send(s *sending, j *job.Job, route job.Route, order []string) {
	var why []string
	unsuited := 0
	for i, device := range order {
		h := hop(route, device)
		if i > 0 {
			r.goes(s, device)
		}
		switch came, says := r.try(s, j, route, h); came {
		case ended:
			return
		case unsuitable:
			unsuited++
			why = append(why, device+": "+says)
		default:
			r.hands.rests(device, time.Now())
			r.log.Info("a device did not take a job", "job", j.ID, "device", device, "says", says)
			why = append(why, device+": "+says)
		}
	}
	says := strings.Join(why, "; ")
	if unsuited == len(order) && unsuited == len(route.Hops) {
		r.end(s, job.Abort, "no device behind its queue takes it: "+says, job.Unsupported)
		return
	}
	_, _ = r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) { // else its lease ends, and it is found
		if j.To != "" { // it was released to this one device
			to := j.To
			j.Unsent()
			j.To = ""
			return job.Happening{Event: job.Hold, Free: true}, j.Happen(job.Hold, to+" did not take it, and it waits for its "+
				"owner again: "+says, job.ReleaseWait)
		}
		j.Tries++
		j.Unsent()
		wakes := r.now().Add(min(time.Second<<min(j.Tries, 5), 30*time.Second))
		j.Wakes = &wakes
		return job.Happening{Event: job.Return, Free: true}, j.Happen(job.Return, "no device took it: "+says,
			job.PrinterStopped)
	})
}

// raw says whether a device takes documents as they are, and answers nothing.
func raw(uri string) bool { return strings.HasPrefix(uri, "socket:") }

func hop(route job.Route, device string) job.Hop {
	i := slices.IndexFunc(route.Hops, func(h job.Hop) bool { return h.Device == device })
	if i < 0 {
		return job.Hop{Device: device}
	}
	return route.Hops[i]
}

// end brings a job in hand to an end without a device.
func (r *sender) end(s *sending, e job.Event, says string, reasons ...string) {
	r.finish(s, func(j *job.Job) (job.Happening, error) {
		return job.Happening{Event: e}, j.Happen(e, says, reasons...)
	})
}

// finish ends a job in hand, and what is kept of it, unless its document stays for another copy.
func (r *sender) finish(s *sending, f func(*job.Job) (job.Happening, error)) {
	j, err := r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		h, err := f(j)
		if err == nil && j.State.Done() {
			r.erases(j, &h)
		}
		return h, err
	})
	if err == nil && !j.Kept {
		r.removeDocument(j.ID)
	}
}

// erases has the document of a job that has ended erased, now or when another copy is out of question.
func (r *common) erases(j *job.Job, h *job.Happening) {
	if !j.Kept {
		return
	}
	if q, err := r.present.View().Document().QueueCalled(j.Queue); err == nil && j.State == job.Completed {
		if stays := q.JobsOf().CopiesFor.D(); stays > 0 && j.EraseAt == nil {
			at := r.now().Add(stays)
			j.EraseAt = &at
			return
		}
	}
	h.Erase, j.EraseAt = true, nil
}

// removeDocument takes away what lies of a document whose key is gone. What cannot be is swept away later.
func (r *common) removeDocument(id int64) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if err := r.cfg.Spool.Remove(ctx, id); err != nil {
		r.log.Warn("a document could not be taken away", "job", id, "error", err)
	}
}

// prepared is a document on its way to a device.
type prepared struct {
	about  job.About
	key    *stock.Key
	ticket job.Ticket
	fit    job.Fit
	pages  *int
	body   io.ReadSeekCloser
	raw    bool
}

// try sends a job to one device. What it says where the device took nothing is for people.
func (r *sender) try(s *sending, j *job.Job, route job.Route, h job.Hop) (tried, string) {
	p, came, says := r.prepare(s, j, route, h)
	if p == nil {
		return came, says
	}
	defer func() { _ = p.body.Close() }() // it was read
	far := job.Far{URI: h.URI, Up: p.about.Up}
	if p.about.Creates {
		st, err := r.cfg.Devices.CreateJob(s.ctx, h.URI, p.key, p.ticket)
		if err != nil {
			return refusal(err)
		}
		far.ID = st.ID
	}
	j.Device, j.Far = h.Device, far
	got, err := r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		j.Device, j.Far, j.Did, j.Replaced, j.Sent, j.Impressions = h.Device, far, p.fit.Did, p.fit.Replaced, nil, nil
		if j.Pages == nil {
			j.Pages = p.pages
		}
		return job.Happening{Event: job.Begin, Began: true}, j.Happen(job.Begin, saysReplaced("it goes to "+h.Device,
			p.fit.Replaced), job.DeviceBusy)
	})
	if err != nil { // nobody knows that it would begin: it does not
		if far.ID != 0 {
			_ = r.cfg.Devices.CancelJob(s.ctx, h.URI, p.key, far.ID) // an empty job ends by itself
		}
		return ended, ""
	}
	*j = got
	r.hands.begins(h.Device, time.Now())
	in := &counted{Reader: p.body}
	var st job.Status
	switch {
	case p.raw:
		err = r.cfg.Devices.SendRaw(s.ctx, h.URI, in)
	case p.about.Creates:
		st, err = r.cfg.Devices.SendDocument(s.ctx, h.URI, p.key, far.ID, p.ticket, in)
	default:
		st, err = r.cfg.Devices.PrintJob(s.ctx, h.URI, p.key, p.ticket, in)
	}
	if err != nil {
		if in.read == 0 && s.ctx.Err() == nil { // no byte of it was written
			return refusal(err)
		}
		r.log.Info("a job broke off", "job", j.ID, "device", h.Device, "error", err)
		r.regain(s, j, p.key, p.raw)
		return ended, ""
	}
	if p.raw {
		r.finish(s, func(j *job.Job) (job.Happening, error) {
			return job.Happening{Event: job.Finish, AllSent: true}, j.Happen(job.Finish, "the device has taken all of it; it "+
				"does not say whether it printed", job.Successful)
		})
		return ended, ""
	}
	r.sent(s, j, st, p.about, p.key)
	return ended, ""
}

// sent follows a job that a device has taken all of.
func (r *sender) sent(s *sending, j *job.Job, st job.Status, about job.About, key *stock.Key) {
	if st.ID != 0 {
		j.Far.ID = st.ID
	}
	row := *j
	got, err := r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		j.Bytes, j.Pages, j.Did, j.Replaced, j.Far = row.Bytes, row.Pages, row.Did, row.Replaced, row.Far
		return job.Happening{Event: job.Note, AllSent: true}, j.Happen(job.Note, saysReplaced(j.Device+" has all of it",
			j.Replaced), job.Printing)
	})
	if err != nil {
		return // whoever finds it asks the device
	}
	*j = got
	if !about.Answers || j.Far.ID == 0 {
		if !st.State.Done() {
			st.State = job.Completed
		}
		r.atEnd(s, st)
		return
	}
	r.follow(s, j, st, key)
}

// saysReplaced adds what was not done as asked for.
func saysReplaced(says string, list []job.Replaced) string {
	for _, p := range list {
		if p.Done != nil {
			says += fmt.Sprintf("; %s is %v, since it has no %v", p.Option, p.Done, p.Asked)
		} else {
			says += fmt.Sprintf("; it has no %s", p.Option)
		}
	}
	return says
}

// refusal reads why a device took nothing.
func refusal(err error) (tried, string) {
	f := fault.As(err)
	if f.Kind == fault.Invalid || f.Kind == fault.Denied {
		return unsuitable, f.What
	}
	return refused, f.What
}

// prepare asks a device what it can, and makes a job's document and options ready for it.
func (r *sender) prepare(s *sending, j *job.Job, route job.Route, h job.Hop) (*prepared, tried, string) {
	if h.URI == "" {
		return nil, refused, "it is no device of the queue any more"
	}
	p := &prepared{raw: raw(h.URI), key: r.signIn(h.Device, h.URI)}
	if !p.raw {
		var err error
		if p.about, err = r.about(s.ctx, h, p.key, false); err != nil {
			came, says := refusal(err)
			return nil, came, says
		}
		if p.about.Refuses {
			return nil, refused, cmp.Or("it takes no jobs: "+strings.Join(p.about.Reasons, ", "), "it takes no jobs")
		}
	}
	p.fit = job.FitOptions(j.Asked, route.Queue.Defaults, p.about.Able, p.about.Own)
	if j.From.Strict && len(p.fit.Replaced) > 0 {
		return nil, unsuitable, "it has no " + p.fit.Replaced[0].Option + " as asked for"
	}
	format, err := r.document(s, j, p)
	if f := fault.As(err); err != nil && f.Kind == fault.Unknown {
		r.end(s, job.Abort, f.What+": "+f.Fix, job.AbortedBySystem)
		return nil, ended, ""
	}
	if err != nil {
		came, says := refusal(err)
		return nil, came, says
	}
	p.ticket = job.Ticket{Name: nameAt(j), Owner: j.Owner, Format: format, Options: p.fit.Did, Raw: j.Raw}
	return p, ended, ""
}

// document opens a job's document as the device takes it, and says its format.
func (r *sender) document(s *sending, j *job.Job, p *prepared) (string, error) {
	stored, err := r.store.Document(s.ctx, j.ID)
	if err != nil {
		return "", err
	}
	in, err := r.cfg.Spool.Open(s.ctx, j.ID, stored)
	if err != nil {
		return "", err
	}
	if j.Pages == nil && j.Format == pages.PDF {
		r.countPDF(s.ctx, j, stored)
		p.pages = j.Pages
	}
	p.body = in
	if p.raw || p.about.Formats == nil || slices.Contains(p.about.Formats, j.Format) {
		return j.Format, nil
	}
	to := ""
	if r.cfg.Converter != nil && j.Format == pages.PDF {
		for _, f := range r.cfg.Converter.Formats() {
			if slices.Contains(p.about.Formats, f) {
				to = f
				break
			}
		}
	}
	if to == "" {
		_ = in.Close()
		return "", fault.New(fault.Invalid, "format-unsupported", "send another format", "it does not take %s", j.Format)
	}
	defer func() { _ = in.Close() }() // it was read
	return to, r.convert(s, j, p, in, to)
}

// counted knows how much of a document has gone.
type counted struct {
	io.Reader
	read int64
}

func (c *counted) Read(b []byte) (int, error) {
	n, err := c.Reader.Read(b)
	c.read += int64(n)
	return n, err
}
