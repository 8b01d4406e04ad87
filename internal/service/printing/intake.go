package printing

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/words"
	"cirque/internal/pages"
	"cirque/internal/service/worker"
)

// A Request is a job as somebody asks for it.
type Request struct {
	Name     string
	Format   string // MIME type; what the document says of itself where it is empty or unsaid
	Options  job.Options
	Raw      []byte // the options as they came (RFC 8010)
	Charge   string
	Fidelity bool // it is printed as asked for, or not at all
	Hold     bool // it waits for somebody's release
	System   string
	Named    string // whom the job itself names
}

// waitsFor is how long a job waits that is not on a hold queue.
const waitsFor = 30 * 24 * time.Hour

// Validate says whether a job would be taken, as far as that is known without its document.
func (r *Room) Validate(_ context.Context, d *Door, in Request) error {
	if err := r.open(d); err != nil {
		return err
	}
	if err := r.suits(d, in); err != nil {
		return err
	}
	return r.charged(d, in)
}

// open gives a fault where the queue takes no jobs just now.
func (r *common) open(d *Door) error {
	if d.Refuses == "" || !d.Paused && d.Queue.WaitsOutsideHours() {
		return nil
	}
	return fault.New(fault.Unavailable, "queue-closed", "try again later", "%s", d.Refuses)
}

// suits gives a fault where no device behind the queue takes the format, or does what has to be done as asked.
func (r *Room) suits(d *Door, in Request) error {
	o := r.Offer(d)
	if in.Format != "" && in.Format != pages.Unsaid && !slices.Contains(o.Formats, in.Format) {
		return fault.New(fault.Invalid, "format-unsupported", "send one of "+fmt.Sprint(o.Formats), "no device behind %s "+
			"takes %s", d.Queue.Name, in.Format)
	}
	if fit := job.FitOptions(in.Options, nil, o.Able, nil); in.Fidelity && len(fit.Replaced) > 0 {
		return fault.New(fault.Invalid, "option-unsupported", "leave it out, or do not insist on it",
			"no device behind %s does %s as asked for", d.Queue.Name, fit.Replaced[0].Option)
	}
	return nil
}

// charged gives a fault where the job is to be charged and is not, or to what its owner may not.
func (r *Room) charged(d *Door, in Request) error {
	how := d.Queue.JobsOf().Charge
	if how == estate.NoCharge || in.Charge == "" && how == estate.OptionalCharge {
		return nil
	}
	list, err := lineup.Charges(r.present.View().World, d.context)
	if err != nil {
		return err
	}
	if in.Charge == "" {
		return fault.New(fault.Invalid, job.AccountNeeded, "say what it is charged to: job-account-id", "jobs in %s are "+
			"charged to something", d.Queue.Name)
	}
	if !slices.ContainsFunc(list, func(c estate.Charge) bool { return c.Name == in.Charge }) {
		return fault.New(fault.Denied, job.AccountRefused, "see what there is: cirque charge list", "%s may not charge a "+
			"job to %q", d.Owner, in.Charge)
	}
	return nil
}

// Print takes a job with its document. Where it is kept, it lies on stable storage once this returns; where it streams,
// a device has taken all of it.
func (r *Room) Print(ctx context.Context, d *Door, in Request, body io.Reader) (*job.Job, error) {
	if err := r.Validate(ctx, d, in); err != nil {
		return nil, err
	}
	windows, err := r.windows(d.context, d.Queue.Name)
	if err != nil {
		return nil, err
	}
	doc, err := r.arrives(body, in.Format)
	if err != nil {
		return nil, err
	}
	if doc.format != in.Format {
		in.Format = doc.format
		if err := r.suits(d, in); err != nil {
			return nil, err
		}
	}
	j, err := r.make(ctx, d, in, takes(d, windows, in.Hold))
	if err != nil {
		return nil, err
	}
	if len(d.Hops) == 0 { // a queue for practice, behind which nothing prints
		return j, r.practise(j, doc)
	}
	if j.Take == estate.TakeStream {
		return j, r.sender.stream(ctx, d, j, windows, doc)
	}
	stored, err := r.keep(ctx, j, windows, doc)
	if err != nil {
		return nil, err
	}
	if err := r.certain(ctx, j.ID, r.admitKept(ctx, d, j, in, windows, stored)); err != nil {
		r.refused(ctx, j.ID, err)
		return nil, err
	}
	r.look()
	return j, nil
}

// certainWithin is how long it is looked whether a job was kept whose keeping got no answer.
const certainWithin = 15 * time.Second

// certain finds out whether a job was kept where the answer to that was lost; it was not where there is an error. What
// stays unknown is told as such.
func (r *Room) certain(ctx context.Context, id int64, err error) error {
	if f := fault.As(err); err == nil || f.Code != fault.MaybeDone {
		return err
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), certainWithin)
	defer cancel()
	for ctx.Err() == nil {
		j, _, e := r.store.Job(ctx, id)
		switch {
		case e == nil && j.Kept:
			return nil
		case e == nil || fault.Is(e, fault.Unknown):
			return fault.New(fault.Unavailable, "spool", "send the job again", "the job could not be kept").Because(err)
		}
		worker.Pause(ctx, 200*time.Millisecond)
	}
	return err
}

// refused takes away the document of a job that was not kept. What is not certain stays, and is swept away where it
// belongs to no job.
func (r *Room) refused(ctx context.Context, id int64, err error) {
	if fault.As(err).Code != fault.MaybeDone {
		_ = r.cfg.Spool.Remove(context.WithoutCancel(ctx), id) // else it is swept away
	}
}

// make numbers a job and writes down what is known of it.
func (r *Room) make(ctx context.Context, d *Door, in Request, take string) (*job.Job, error) {
	id, err := r.ids.take(ctx, r.store)
	if err != nil {
		return nil, err
	}
	fit := job.FitOptions(in.Options, d.Queue.Defaults, nil, nil)
	from := d.From
	from.System, from.Named = words.OneLine(in.System, 255), words.OneLine(in.Named, 255)
	from.Strict = in.Fidelity
	if in.Options == nil {
		in.Options = job.Options{}
	}
	return &job.Job{ID: id, Queue: d.Queue.Name, Owner: words.OneLine(d.Owner, 255), Known: d.Known,
		Name: words.OneLine(in.Name, 255), Format: in.Format, Take: take, Asked: in.Options, Defaults: fit.Defaults,
		Did: job.Options{}, Replaced: []job.Replaced{}, Raw: in.Raw, Charge: in.Charge, From: from}, nil
}

// keep writes a document down. Its pages are counted on the way where that is possible, else afterwards where that is
// worth the wait.
func (r *Room) keep(ctx context.Context, j *job.Job, windows []job.Window, doc *arriving) (job.Stored, error) {
	w, err := r.cfg.Spool.Create(ctx, j.ID)
	if err != nil {
		return job.Stored{}, err
	}
	defer w.Drop()
	if _, err := w.ReadFrom(doc); err != nil {
		return job.Stored{}, doc.broke(err)
	}
	stored, err := w.Keep()
	if err != nil {
		return stored, err
	}
	j.Bytes, j.Pages = stored.Bytes, j.Asked.Impressions(doc.count())
	if j.Pages == nil && (len(windows) > 0 || j.Take == estate.TakeHold) {
		r.countPDF(ctx, j, stored)
	}
	return stored, nil
}

// admitKept adds a job whose document is kept, as far as its allowances let it.
func (r *Room) admitKept(ctx context.Context, d *Door, j *job.Job, in Request, windows []job.Window,
	stored job.Stored) error {
	return r.store.AddJob(ctx, j, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
		h, err := r.admit(d, j, job.Arrive, in.Hold, windows, reserve)
		h.Document = &stored
		return h, err
	})
}

// countPDF counts the pages of a PDF that is kept.
func (r *common) countPDF(ctx context.Context, j *job.Job, stored job.Stored) {
	if j.Format != pages.PDF {
		return
	}
	select {
	case r.counting <- struct{}{}:
	case <-ctx.Done():
		return
	}
	defer func() { <-r.counting }()
	in, err := r.cfg.Spool.Open(ctx, j.ID, stored)
	if err != nil {
		return
	}
	defer func() { _ = in.Close() }() // it was read
	if n, err := pages.OfPDF(in, in.Size()); err == nil && n > 0 {
		j.Pages = j.Asked.Impressions(&n)
	} else if err != nil {
		r.log.Debug("the pages of a job are not known", "job", j.ID, "error", err)
	}
}

// admit says what becomes of a job that has arrived: it waits for its owner, for hours, for pages, or for a device.
func (r *common) admit(d *Door, j *job.Job, lets job.Event, hold bool, windows []job.Window,
	reserve job.Reserve) (job.Happening, error) {
	h := job.Happening{Event: lets, Person: j.Owner}
	verdict, err := reserve(j.Owner, windows, j.Pages)
	if err != nil {
		return h, err
	}
	r.waits(j, waitsFor)
	switch {
	case verdict.Over == estate.OverRefuse:
		return h, fault.New(fault.TooMany, job.LimitReached, "print fewer pages, or ask whoever looks after the allowance",
			"%s of %s is spent", verdict.By, j.Owner)
	case verdict.Over == estate.OverHold:
		h.Event = job.Hold
		return h, j.Happen(job.Hold, waitsForPages(j, verdict.By, windows), job.LimitReached)
	case j.Take == estate.TakeHold && !j.Known:
		h.Event = job.Hold
		return h, j.Happen(job.Hold, "nobody here is called "+j.Owner+": an administrator says whose it is", job.AwaitsOwner)
	case j.Take == estate.TakeHold:
		r.waits(j, d.Queue.JobsOf().Expires.D())
		h.Event = job.Hold
		return h, j.Happen(job.Hold, job.Sentence(job.ReleaseWait), job.ReleaseWait)
	case hold:
		h.Event = job.Hold
		return h, j.Happen(job.Hold, "it waits until somebody lets it go", job.HoldUntil)
	case d.Refuses != "":
		h.Event, j.Wakes = job.Hold, d.Until
		return h, j.Happen(job.Hold, d.Refuses+": it waits", job.HoldUntil)
	}
	return h, j.Happen(lets, job.Sentence(job.Queued), job.Queued)
}

// waitsForPages has a job wait for the next window of an allowance, and says so.
func waitsForPages(j *job.Job, by string, windows []job.Window) string {
	i := slices.IndexFunc(windows, func(w job.Window) bool { return w.Allowance.Name == by })
	if i < 0 || windows[i].Next == nil {
		return fmt.Sprintf("%s is spent: it waits until somebody lets it go", by)
	}
	j.Wakes = windows[i].Next
	return fmt.Sprintf("%s is spent: it waits until %s", by, windows[i].Next.UTC().Format("2006-01-02 15:04 UTC"))
}

// practise takes a job for which nothing is printed.
func (r *Room) practise(j *job.Job, doc *arriving) error {
	n, err := io.Copy(io.Discard, doc)
	if err != nil {
		return doc.broke(err)
	}
	j.Bytes, j.At = n, r.now()
	if err := j.Happen(job.Stream, ""); err != nil {
		return err
	}
	return j.Happen(job.Finish, fmt.Sprintf("it is for practice: %s taken, and nothing is printed", words.Count(int(n),
		"byte was", "bytes were")), job.Successful)
}

// arriving is a document on its way in.
type arriving struct {
	*bufio.Reader
	most, read int64
	format     string
	counter    pages.Counter
	failed     error // how it ended, where it did not end well
}

// arrives looks at a document that begins to come; said is the format that its sender says.
func (r *Room) arrives(body io.Reader, said string) (*arriving, error) {
	a := &arriving{Reader: bufio.NewReaderSize(body, 64<<10), most: r.present.View().Document().JobSetting().MaxBytes}
	return a, a.look(said)
}

// look finds out what the document is, which must be something.
func (a *arriving) look(said string) error {
	begins, err := a.Peek(pages.Sniffed)
	if len(begins) == 0 {
		if err == io.EOF || err == nil {
			return fault.New(fault.Invalid, "document-empty", "send the document with the job", "the document is empty")
		}
		return a.broke(err)
	}
	is := pages.Format(begins)
	if a.format = said; said == "" || said == pages.Unsaid {
		a.format = cmp.Or(is, pages.Unsaid)
	}
	if is == a.format {
		a.counter = pages.Counting(is)
	}
	return nil
}

func (a *arriving) Read(b []byte) (int, error) {
	n, err := a.Reader.Read(b)
	if a.read += int64(n); a.read > a.most {
		a.failed = fault.New(fault.TooLarge, "document-too-large", "send it in parts, or have settings.jobs.max_bytes raised",
			"the document is larger than %d bytes", a.most)
		return 0, a.failed
	}
	if err != nil && err != io.EOF {
		a.failed = a.broke(err)
	}
	if a.counter != nil {
		_, _ = a.counter.Write(b[:n]) // it never fails
	}
	return n, err
}

// WriteTo is hidden: what is read is counted.
func (a *arriving) WriteTo(w io.Writer) (int64, error) { return io.Copy(w, struct{ io.Reader }{a}) }

func (a *arriving) count() *int {
	if a.counter == nil {
		return nil
	}
	return a.counter.Pages()
}

// broke tells what went wrong while a document came.
func (a *arriving) broke(err error) error {
	if f := fault.As(err); f.Kind != fault.Internal {
		return err
	}
	if errors.Is(err, context.Canceled) {
		return err
	}
	return fault.New(fault.Invalid, "document-broke-off", "send the job again", "the document broke off after %d bytes",
		a.read).Because(err)
}
