package printing

import (
	"context"
	"io"
	"slices"
	"sync"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
)

// feeding are the jobs whose documents come just now.
type feeding struct {
	mu sync.Mutex
	at map[int64]bool // guarded by mu
}

func (f *feeding) begin(id int64) bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.at == nil {
		f.at = map[int64]bool{}
	}
	was := f.at[id]
	f.at[id] = true
	return !was
}

func (f *feeding) end(id int64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	delete(f.at, id)
}

// Announce takes a job whose document is to come.
func (r *Room) Announce(ctx context.Context, d *Door, in Request) (*job.Job, error) {
	if err := r.Validate(ctx, d, in); err != nil {
		return nil, err
	}
	windows, err := r.windows(d.context, d.Queue.Name)
	if err != nil {
		return nil, err
	}
	j, err := r.make(ctx, d, in, takes(d, windows, in.Hold))
	if err != nil {
		return nil, err
	}
	return j, r.store.AddJob(ctx, j, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		says := job.Sentence(job.Incoming)
		if in.Hold {
			return job.Happening{Event: job.Create, Person: j.Owner}, j.Happen(job.Create, says, job.Incoming, job.HoldUntil)
		}
		return job.Happening{Event: job.Create, Person: j.Owner}, j.Happen(job.Create, says, job.Incoming)
	})
}

// Feed takes the document of a job that was announced. A job has one document.
func (r *Room) Feed(ctx context.Context, p *access.Principal, id int64, format string, body io.Reader) (*job.Job,
	error) {
	found, _, err := r.own(ctx, p, id)
	if err != nil {
		return nil, err
	}
	switch {
	case found.State.Done():
		return nil, fault.New(fault.Conflict, "job-ended", "send a new job", "the job %d is %s", id, found.State)
	case found.Kept || found.Began != nil:
		return nil, fault.New(fault.Invalid, "several-documents", "send each document as a job of its own",
			"a job has one document here, and job %d has it", id)
	case !r.feeding.begin(id):
		return nil, fault.New(fault.Conflict, "document-arriving", "wait until it is there", "the document of job %d is "+
			"arriving already", id)
	}
	defer r.feeding.end(id)
	d, err := r.Enter(ctx, p, found.Queue)
	if err != nil {
		return nil, err
	}
	windows, err := r.windows(d.context, d.Queue.Name)
	if err != nil {
		return nil, err
	}
	doc, err := r.arrives(body, format)
	if err != nil {
		return nil, err
	}
	in := Request{Format: doc.format, Options: found.Asked, Fidelity: found.From.Strict}
	if err := r.suits(d, in); err != nil {
		return nil, err
	}
	j := &found
	j.Format = doc.format
	if j.Take == estate.TakeStream && slices.Contains(j.Reasons, job.HoldUntil) {
		j.Take = estate.TakeKeep // somebody holds it meanwhile
	}
	switch {
	case len(d.Hops) == 0:
		return r.fedPractice(ctx, id, doc)
	case j.Take == estate.TakeStream:
		return j, r.sender.stream(ctx, d, j, windows, doc)
	}
	return r.fed(ctx, d, j, windows, doc)
}

// fed keeps the document of a job that was announced.
func (r *Room) fed(ctx context.Context, d *Door, j *job.Job, windows []job.Window, doc *arriving) (*job.Job, error) {
	stored, err := r.keep(ctx, j, windows, doc)
	if err != nil {
		return nil, err
	}
	hold := slices.Contains(j.Reasons, job.HoldUntil)
	made := *j
	got, err := r.store.ChangeJob(ctx, j.ID, 0, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
		if j.State != job.Pending || j.Kept {
			return job.Happening{}, fault.New(fault.Conflict, "job-ended", "send a new job", "the job %d is %s", j.ID, j.State)
		}
		j.Bytes, j.Pages, j.Format, j.Take = made.Bytes, made.Pages, made.Format, made.Take
		h, err := r.admit(d, j, job.Arrive, hold, windows, reserve)
		h.Document = &stored
		return h, err
	})
	if err = r.certain(ctx, j.ID, err); err != nil {
		r.refused(ctx, j.ID, err)
		return nil, err
	}
	r.look()
	return &got, nil
}

func (r *Room) fedPractice(ctx context.Context, id int64, doc *arriving) (*job.Job, error) {
	n, err := io.Copy(io.Discard, doc)
	if err != nil {
		return nil, doc.broke(err)
	}
	if _, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		j.Bytes = n
		return job.Happening{Event: job.Send}, j.Happen(job.Send, "it is for practice")
	}); err != nil {
		return nil, err
	}
	j, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Finish}, j.Happen(job.Finish, "it is for practice: nothing is printed",
			job.Successful)
	})
	return &j, err
}

// CloseJob says that no more documents come. A job that has none is over then.
func (r *Room) CloseJob(ctx context.Context, p *access.Principal, id int64) (*job.Job, error) {
	if _, _, err := r.own(ctx, p, id); err != nil {
		return nil, err
	}
	j, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		if j.State != job.Pending || j.Kept || j.Began != nil || j.Reasons[0] != job.Incoming {
			return job.Happening{}, nil
		}
		return job.Happening{Event: job.Abort, Person: p.Name}, j.Happen(job.Abort, "it was closed without a document",
			job.AbortedBySystem)
	})
	return &j, err
}
