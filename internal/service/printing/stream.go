package printing

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
)

// loadsLast is for how long it need not be asked what devices have to do before a job that streams.
const loadsLast = time.Second

type lately struct {
	mu     sync.Mutex
	loads  map[string]job.Load // guarded by mu, as are the rest
	at     time.Time
	asking bool
}

// loadsLately says what devices have to do, as it was a moment ago. Nobody waits for that but the first.
func (r *sender) loadsLately(ctx context.Context) map[string]job.Load {
	l := &r.lately
	l.mu.Lock()
	first, due := l.at.IsZero(), !l.asking && time.Since(l.at) > loadsLast
	l.asking = l.asking || due
	now := l.loads
	l.mu.Unlock()
	if !due {
		return now
	}
	ask := func() map[string]job.Load {
		loads, err := r.work.JobLoads(context.WithoutCancel(ctx))
		l.mu.Lock()
		defer l.mu.Unlock()
		l.at, l.asking = time.Now(), false
		if err == nil {
			l.loads = loads
		}
		return l.loads
	}
	if first {
		return ask()
	}
	go ask()
	return now
}

// stream passes a job straight on to a device. It is written down while it goes; nothing of its document is kept, and
// where it breaks off it is its sender's to repeat.
func (r *sender) stream(ctx context.Context, d *Door, j *job.Job, windows []job.Window, doc *arriving) error {
	order := job.Choose(r.candidates(d.Route, r.loadsLately(ctx), false))
	if len(order) == 0 { // what is said to be down may be back: whoever sends is there to hear that it is not
		for _, h := range d.Hops {
			order = append(order, h.Device)
		}
	}
	var last error
	unsuited := 0
	for _, device := range order {
		h := hop(d.Route, device)
		key := r.signIn(h.Device, h.URI)
		err := r.streamTo(ctx, d, j, h, key, windows, doc)
		switch {
		case err == nil:
			return nil
		case doc.read > 0 || fault.As(err).Code == "document-too-large" || ctx.Err() != nil:
			return doc.broke(err)
		case fault.Is(err, fault.Invalid):
			unsuited++
		default:
			r.hands.rests(device, time.Now())
		}
		r.log.Warn("a device did not take a job", "queue", d.Queue.Name, "device", device, "error", err)
		last = err
	}
	if unsuited == len(order) {
		return last
	}
	f := fault.As(last)
	return fault.New(fault.Unavailable, f.Code, f.Fix, "%s", f.What).Because(last)
}

// streamTo passes a job on to one device.
func (r *sender) streamTo(ctx context.Context, d *Door, j *job.Job, h job.Hop, key *stock.Key, windows []job.Window,
	doc *arriving) error {
	var about job.About
	if !raw(h.URI) {
		var err error
		if about, err = r.about(ctx, h, key, true); err != nil {
			return err
		}
		if about.Refuses {
			r.forgetAbout(h.Device)
			return fault.New(fault.Unavailable, "device-refused", "look at the device", "%s takes no jobs: %s", h.Device,
				strings.Join(about.Reasons, ", "))
		}
		if about.Formats != nil && !slices.Contains(about.Formats, j.Format) {
			return fault.New(fault.Invalid, "format-unsupported", "send another format, or have the queue keep its jobs",
				"%s does not take %s", h.Device, j.Format)
		}
	}
	fit := job.FitOptions(j.Asked, d.Queue.Defaults, about.Able, about.Own)
	if j.From.Strict && len(fit.Replaced) > 0 {
		return fault.New(fault.Invalid, "option-unsupported", "leave it out, or do not insist on it", "%s has no %s as "+
			"asked for", h.Device, fit.Replaced[0].Option)
	}
	t := job.Ticket{Name: nameAt(j), Owner: j.Owner, Format: j.Format, Options: fit.Did, Raw: j.Raw}
	far := job.Far{URI: h.URI, Up: about.Up}
	var st job.Status
	var err error
	if about.Creates {
		if st, err = r.cfg.Devices.CreateJob(ctx, h.URI, key, t); err != nil {
			r.forgetAbout(h.Device)
			return err
		}
		far.ID = st.ID
	}
	j.Device, j.Far, j.Did, j.Replaced = h.Device, far, fit.Did, fit.Replaced
	s, added := r.streams(ctx, j, windows)
	switch {
	case raw(h.URI):
		err = r.cfg.Devices.SendRaw(ctx, h.URI, doc)
	case about.Creates:
		st, err = r.cfg.Devices.SendDocument(ctx, h.URI, key, far.ID, t, doc)
	default:
		st, err = r.cfg.Devices.PrintJob(ctx, h.URI, key, t, doc)
	}
	if doc.failed != nil {
		err = doc.failed // whatever the device says of the rest
	}
	if err != nil {
		go r.brokeOff(s, added, h, key, far.ID, doc.broke(err))
		return err
	}
	r.streamed(s, added, j, st, about, key, doc)
	return nil
}

// streams writes a job down while it goes. What comes of that is sent to added.
func (r *sender) streams(ctx context.Context, j *job.Job, windows []job.Window) (*sending, *adding) {
	announced := j.State == job.Pending
	e := job.Stream
	if announced {
		e = job.Send
	}
	_ = j.Happen(e, "it goes straight to "+j.Device, job.DeviceBusy) // one that is new, or waits for its document, can
	j.Fence++
	at := time.Now()
	j.At, j.Began = at, &at
	s := r.hold(ctx, j, at)
	r.hands.begins(j.Device, at)
	added := &adding{done: make(chan struct{})}
	row := *j
	h := job.Happening{Event: e, Person: j.Owner, Take: r.cfg.Lasts, Sender: r.cfg.Process, Began: true}
	added.do = func() error {
		if !announced {
			return r.store.AddJob(s.ctx, &row, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
				_, err := reserve(j.Owner, windows, nil) // what is only told of refuses nothing
				return h, err
			})
		}
		_, err := r.store.ChangeJob(s.ctx, row.ID, 0, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
			if _, err := reserve(j.Owner, windows, nil); err != nil {
				return h, err
			}
			j.Device, j.Far, j.Format = row.Device, row.Far, row.Format
			return h, j.Happen(e, row.Says, row.Reasons...)
		})
		return err
	}
	time.AfterFunc(addedAfter, added.begin)
	return s, added
}

// addedAfter is how long a job that streams has the machine for itself before it is written down; a short one is over
// by then.
const addedAfter = 50 * time.Millisecond

// adding writes a job down while it goes.
type adding struct {
	once sync.Once
	do   func() error
	done chan struct{}
	err  error // once done is closed
}

func (a *adding) begin() {
	a.once.Do(func() {
		a.err = a.do()
		close(a.done)
	})
}

// wait gives what came of it.
func (a *adding) wait() error {
	a.begin()
	<-a.done
	return a.err
}

// streamed notes that a device has taken all of a job, and follows it in its own time.
func (r *sender) streamed(s *sending, added *adding, j *job.Job, st job.Status, about job.About, key *stock.Key,
	doc *arriving) {
	j.Bytes, j.Pages = doc.read, j.Asked.Impressions(doc.count())
	if st.ID != 0 {
		j.Far.ID = st.ID
	}
	switch {
	case st.State == job.Completed:
		j.State, j.Reasons, j.Says = job.Completed, []string{job.Successful}, cmp.Or(st.Says, "printed by "+j.Device)
	case st.State == "" || st.State.Done():
		j.Says = j.Device + " has all of it"
	default:
		j.State, j.Says = job.Processing, cmp.Or(st.Says, j.Device+" has all of it")
	}
	row := *j
	// Its sender may ask for it at once; without a database it has printed all the same.
	if err := added.wait(); err != nil {
		r.log.Warn("a job that streamed was not written down", "queue", row.Queue, "owner", row.Owner, "error", err)
		r.drop(s)
		return
	}
	go func() {
		defer r.drop(s)
		r.sent(s, &row, st, about, key)
	}()
}

// brokeOff ends a job that broke off on its way through.
func (r *sender) brokeOff(s *sending, added *adding, h job.Hop, key *stock.Key, id int, why error) {
	defer r.drop(s)
	if id != 0 {
		_ = r.cfg.Devices.CancelJob(s.ctx, h.URI, key, id) // it ends by itself, later
	}
	if err := added.wait(); err != nil {
		return // there is nothing of it
	}
	r.end(s, job.Abort, "it broke off: "+fault.As(why).What, job.AbortedBySystem)
}

func (r *sender) forgetAbout(device string) {
	r.abouts.mu.Lock()
	defer r.abouts.mu.Unlock()
	delete(r.abouts.at, device)
}
