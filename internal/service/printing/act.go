package printing

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/name"
	"cirque/core/page"
)

// governs says whether somebody may do something with a job, and whether it is their own.
func (r *Room) governs(p *access.Principal, j *job.Job) (may, own bool) {
	v := r.present.View()
	own = v.IsPerson(p, j.Owner) || p.Person() != "" && name.Fold(p.Person()) == name.Fold(j.Owner)
	if own {
		return true, true
	}
	location := ""
	if q, err := v.Document().QueueCalled(j.Queue); err == nil {
		location = q.Location
	}
	return p.MayAt(access.KeepJobs, estate.Site(location)), false
}

// has gives a fault unless somebody may have jobs of their own, or looks after those of others.
func has(p *access.Principal) error {
	if p.May(access.KeepJobs) {
		return nil
	}
	return access.Check(p, access.Print)
}

// own gives a job that somebody may do something with. To others it is not there: nobody learns whose jobs there are.
func (r *Room) own(ctx context.Context, p *access.Principal, id int64) (job.Job, []job.Past, error) {
	if err := has(p); err != nil {
		return job.Job{}, nil, err
	}
	j, past, err := r.store.Job(ctx, id)
	if err != nil {
		return j, nil, err
	}
	if may, own := r.governs(p, &j); !may {
		return job.Job{}, nil, job.NotThere(id)
	} else if !own && !r.readsNames(p) {
		j.Name = ""
	}
	return j, past, nil
}

// readsNames says whether somebody reads what other people's jobs are called.
func (r *Room) readsNames(p *access.Principal) bool {
	switch r.present.View().Document().JobSetting().JobNames {
	case estate.NamesAll:
		return true
	case estate.NamesHelpDesk:
		return p.May(access.KeepJobs)
	}
	return false
}

// Show gives one job, with what happened to it.
func (r *Room) Show(ctx context.Context, p *access.Principal, id int64) (job.Job, []job.Past, error) {
	return r.own(ctx, p, id)
}

// List lists jobs: to a person their own, to whoever looks after jobs those of their sites, too.
func (r *Room) List(ctx context.Context, p *access.Principal, f job.Filter) ([]job.Job, error) {
	f, err := r.seen(p, f)
	if err != nil {
		return nil, err
	}
	list, err := r.store.JobList(ctx, f)
	if err != nil {
		return nil, err
	}
	return r.shown(p, list), nil
}

// seen narrows a filter to what somebody may see.
func (r *Room) seen(p *access.Principal, f job.Filter) (job.Filter, error) {
	if err := has(p); err != nil {
		return f, err
	}
	if !p.May(access.KeepJobs) {
		mine := []string{p.Person()}
		v := r.present.View()
		if id := v.World.Directory.UserID(name.Fold(p.Person())); id >= 0 {
			mine = append(mine, v.World.Directory.Names(id)...)
		}
		if len(f.Owners) > 0 && !slices.ContainsFunc(f.Owners, func(o string) bool {
			return slices.ContainsFunc(mine, func(m string) bool { return name.Fold(m) == name.Fold(o) })
		}) {
			mine = []string{""} // nobody's
		}
		f.Owners = mine
	}
	if len(f.Queues) > 0 {
		f.Queues = r.names(f.Queues)
	}
	return f, nil
}

// shown gives those of some jobs that somebody may see, as far as they may read what they are called.
func (r *Room) shown(p *access.Principal, list []job.Job) []job.Job {
	reads := r.readsNames(p)
	out := list[:0]
	for _, j := range list {
		may, own := r.governs(p, &j)
		if !may {
			continue
		}
		if !own && !reads {
			j.Name = ""
		}
		out = append(out, j)
	}
	return out
}

// mostCounted is up to how many jobs a page says how many there are.
const mostCounted = 100_000

// Page gives the part of the jobs that was asked for, the newest first.
func (r *Room) Page(ctx context.Context, p *access.Principal, f job.Filter, ask page.Ask) (page.Page[job.Job], error) {
	out := page.Page[job.Job]{Items: []job.Job{}}
	f.Limit = ask.Size()
	if ask.After != "" {
		n, err := strconv.ParseInt(ask.After, 10, 64)
		if err != nil || n < 1 {
			return out, fault.New(fault.Invalid, "after-invalid", "give the next of the page before, or leave it out",
				"after is %q, which is no place in this list", ask.After)
		}
		f.Before = n
	}
	f, err := r.seen(p, f)
	if err != nil {
		return out, err
	}
	list, err := r.store.JobList(ctx, f)
	if err != nil {
		return out, err
	}
	if len(list) == f.Limit {
		out.Next = strconv.FormatInt(list[len(list)-1].ID, 10)
	}
	f.Before = 0
	if out.Total, err = r.store.JobCount(ctx, f, mostCounted); err != nil {
		return out, err
	}
	out.Items = append(out.Items, r.shown(p, list)...)
	return out, nil
}

// names adds to queues' names those that they had before.
func (r *Room) names(queues []string) []string {
	var out []string
	for _, called := range queues {
		if q, err := r.present.View().Document().QueueCalled(called); err == nil {
			out = append(out, q.Name)
			out = append(out, q.Formerly...)
		} else {
			out = append(out, called)
		}
	}
	return out
}

// notNow says that something cannot be done with a job as it is.
func notNow(j *job.Job, what string) error {
	return fault.New(fault.Conflict, "job-state", "see cirque job show "+fmt.Sprint(j.ID), "a job that is %s cannot be %s",
		j.State, what)
}

// Cancel ends a job. One that is at a device is cancelled there, and ends once the device says so.
func (r *Room) Cancel(ctx context.Context, p *access.Principal, id int64) (job.Job, error) {
	if _, _, err := r.own(ctx, p, id); err != nil {
		return job.Job{}, err
	}
	j, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		reason, says := job.CanceledByUser, job.Sentence(job.CanceledByUser)
		if _, own := r.governs(p, j); !own {
			reason, says = job.CanceledByOperator, p.Name+" cancelled it"
		}
		h := job.Happening{Event: job.Cancel, Person: p.Name}
		switch {
		case j.State.Done():
			return h, notNow(j, "cancelled")
		case (j.State == job.Processing || j.State == job.ProcessingStopped) && !j.Unknown:
			if j.Stopping {
				return job.Happening{}, nil
			}
			j.Stopping = true
			h.Event = job.Note
			return h, j.Happen(job.Note, says, append(slices.DeleteFunc(slices.Clone(j.Reasons), func(s string) bool {
				return s == "none"
			}), job.StoppingPoint)...)
		}
		h.Erase = j.Kept
		return h, j.Happen(job.Cancel, says, reason)
	})
	if err != nil {
		return j, err
	}
	if j.State.Done() {
		r.removeDocument(id)
		return j, nil
	}
	r.hands.halt(id)
	return j, nil
}

// HoldJob has a job wait that is on no device yet.
func (r *Room) HoldJob(ctx context.Context, p *access.Principal, id int64) (job.Job, error) {
	if _, _, err := r.own(ctx, p, id); err != nil {
		return job.Job{}, err
	}
	return r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		if j.State != job.Pending && j.State != job.PendingHeld {
			return job.Happening{}, notNow(j, "held")
		}
		if !j.Kept {
			return job.Happening{Event: job.Note, Person: p.Name}, j.Happen(job.Note, j.Says, job.Incoming, job.HoldUntil)
		}
		if j.State == job.PendingHeld && j.Reasons[0] != job.HoldUntil {
			return job.Happening{}, nil // it waits already, for something else
		}
		j.Wakes = nil
		return job.Happening{Event: job.Hold, Person: p.Name}, j.Happen(job.Hold, p.Name+" holds it", job.HoldUntil)
	})
}

// Release lets a job go that waits. One that waits for its owner goes to the device where they are; which that is need
// be said only where there are several. It is decided anew whether its owner may, there and now.
func (r *Room) Release(ctx context.Context, p *access.Principal, id int64, device string) (job.Job, error) {
	found, _, err := r.own(ctx, p, id)
	if err != nil {
		return found, err
	}
	if found.State != job.PendingHeld {
		return found, notNow(&found, "released")
	}
	if found.Reasons[0] == job.Incoming {
		return found, fault.New(fault.Conflict, "document-arriving", "wait until it is there", "its document is not there "+
			"yet")
	}
	d, order, err := r.releaseTo(ctx, p, &found, device)
	if err != nil {
		return found, err
	}
	windows, err := r.windows(d.context, d.Queue.Name)
	if err != nil {
		return found, err
	}
	j, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
		if j.State != job.PendingHeld {
			return job.Happening{}, notNow(j, "released")
		}
		verdict, err := reserve(j.Owner, windows, j.Pages)
		if err != nil {
			return job.Happening{}, err
		}
		if over := verdict.Over; over == estate.OverRefuse || over == estate.OverHold && !r.letsOver(p, j) {
			return job.Happening{}, fault.New(fault.TooMany, job.LimitReached, "print fewer pages, or ask whoever looks after "+
				"the allowance", "%s of %s is spent", verdict.By, j.Owner)
		}
		j.Wakes = nil
		r.waits(j, waitsFor)
		j.To = order
		return job.Happening{Event: job.Release, Person: p.Name}, j.Happen(job.Release, released(p, j, device), job.Queued)
	})
	if err == nil {
		r.look()
	}
	return j, err
}

func released(p *access.Principal, j *job.Job, device string) string {
	says := "its owner has released it"
	if name.Fold(p.Name) != name.Fold(j.Owner) {
		says = p.Name + " has released it"
	}
	if device != "" {
		says += " at " + device
	}
	return says
}

// letsOver says whether somebody may let a job go that is over an allowance: who looks after jobs, but not of their
// own.
func (r *Room) letsOver(p *access.Principal, j *job.Job) bool {
	may, own := r.governs(p, j)
	return may && !own
}

// releaseTo finds where a job goes that is released, and gives a fault where it may not, or cannot just now.
func (r *Room) releaseTo(ctx context.Context, p *access.Principal, j *job.Job, device string) (*Door, string, error) {
	v := r.present.View()
	route, err := job.RouteOf(v.World, j.Queue, r.now())
	if err != nil {
		return nil, "", err
	}
	d := r.doorOf(j, route)
	d.By = p
	if err := r.open(d); err != nil {
		return nil, "", err
	}
	if d.Refuses != "" {
		return nil, "", fault.New(fault.Unavailable, "queue-closed", "try again later", "%s", d.Refuses)
	}
	if j.Take != estate.TakeHold {
		return d, "", r.permit(d)
	}
	at := job.ReleaseAt(v.Document(), &route.Queue)
	switch {
	case device == "" && len(at) != 1:
		return nil, "", fault.New(fault.Invalid, "device-needed", "say where: one of "+strings.Join(at, ", "),
			"the job can be had at %d devices", len(at))
	case device == "":
		device = at[0]
	case !slices.Contains(at, device):
		return nil, "", fault.New(fault.Denied, "not-here", "release it at one of "+strings.Join(at, ", "),
			"jobs of %s are not had at %s", j.Queue, device)
	}
	dev, h, ok := r.device(device)
	if !ok {
		return nil, "", fault.New(fault.Unknown, "device-unknown", "see cirque device list", "there is no device %s", device)
	}
	d.context.Location = dev.Location
	if err := r.permit(d); err != nil {
		return nil, "", err
	}
	here := job.Route{Queue: route.Queue, Hops: []job.Hop{h}}
	if a, err := r.about(ctx, h, r.signIn(device, h.URI), true); err == nil && a.Stopped || err != nil ||
		len(job.Choose(r.candidates(here, nil, false))) == 0 {
		return nil, "", fault.New(fault.Unavailable, "device-stopped", "have it mended, or go to another device",
			"%s cannot print just now: the job stays", device)
	}
	return d, device, nil
}
