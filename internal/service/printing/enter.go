package printing

import (
	"cmp"
	"context"
	"net/netip"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/lineup"
)

// A Door is a queue at which somebody stands who may print to it.
type Door struct {
	job.Route
	By    *access.Principal
	Owner string // whose the jobs are
	Known bool   // the directory knows them
	From  job.Origin

	context lineup.Context
}

// Enter lets somebody in at a queue: a person, or the person for whom an agent prints, who must be signed in at its
// machine. The queue's access must permit them.
func (r *Room) Enter(ctx context.Context, p *access.Principal, called string) (*Door, error) {
	d, err := r.enter(ctx, p, called)
	if err != nil {
		return nil, err
	}
	return d, r.permit(d)
}

// enter is Enter without the queue's access.
func (r *Room) enter(ctx context.Context, p *access.Principal, called string) (*Door, error) {
	if err := access.Check(p, access.Print); err != nil {
		return nil, err
	}
	c := lineup.Context{User: p.Person(), Machine: p.Machine, Session: estate.Sessions()[0], Time: r.now()}
	if p.Role == access.Agent && p.Person() != "" {
		seat, err := r.cfg.Seats.Sits(ctx, p, p.Person())
		if err != nil {
			return nil, err
		}
		if at, err := seat.Context(r.now()); err == nil { // as it was reported
			c = at
		}
	}
	v := r.present.View()
	route, err := job.RouteOf(v.World, called, r.now())
	if err != nil {
		return nil, err
	}
	d := &Door{Route: route, By: p, Owner: cmp.Or(p.Person(), p.Name), context: c}
	if u, ok := v.World.Directory.Person(d.Owner); ok {
		d.Owner, d.Known = u.Name, true
		d.context.User = u.Name
	}
	if remote, _ := ctx.Value(event.OriginKey{}).(string); remote != "" && len(d.context.Addresses) == 0 {
		if a, err := netip.ParseAddr(remote); err == nil {
			d.context.Addresses = []netip.Addr{a.Unmap().WithZone("")}
		}
	}
	d.From = job.Origin{Machine: d.context.Machine, Host: d.context.Host, Session: d.context.Session}
	for _, a := range d.context.Addresses {
		d.From.Addresses = append(d.From.Addresses, a.String())
	}
	return d, nil
}

// doorOf is where the owner of a job stands that waits.
func (r *common) doorOf(j *job.Job, route job.Route) *Door {
	return &Door{Route: route, Owner: j.Owner, Known: j.Known, context: lineup.Context{User: j.Owner,
		Machine: j.From.Machine, Session: cmp.Or(j.From.Session, estate.Sessions()[0]), Time: r.now()}}
}

// permit gives a Denied fault where the queue's access does not let the owner in, in the place where they are.
func (r *common) permit(d *Door) error {
	permitted, err := r.present.View().World.Permitted(d.context, d.Queue.Name)
	if err != nil {
		return err
	}
	if !permitted {
		return fault.New(fault.Denied, "not-permitted", "ask whoever looks after the queue's access",
			"%s may not print to %s", d.Owner, d.Queue.Name)
	}
	return nil
}

// windows are those of the allowances that the owner's jobs to the queue count for, as they are now.
func (r *common) windows(c lineup.Context, queue string) ([]job.Window, error) {
	w := r.present.View().World
	list, err := lineup.Allowances(w, c, queue)
	if err != nil {
		return nil, err
	}
	out := make([]job.Window, len(list))
	zone, now := w.Estate.Zone(queue), r.now()
	for i, a := range list {
		out[i] = job.Window{Allowance: a, Begins: job.Begins(a.Every, now, zone)}
		if next, ok := job.NextBegins(a.Every, now, zone); ok {
			out[i].Next = &next
		}
	}
	return out, nil
}

// takes says how the queue takes a job of the owner: one who has an allowance that may refuse it has it kept, since it
// is counted before it is sent; and so has one who wants it to wait.
func takes(d *Door, windows []job.Window, hold bool) string {
	take := d.Queue.JobsOf().Take
	if take == estate.TakeStream && hold {
		return estate.TakeKeep
	}
	for _, w := range windows {
		if take == estate.TakeStream && w.Allowance.Over != estate.OverTell {
			return estate.TakeKeep
		}
	}
	return take
}
