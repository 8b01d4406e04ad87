package jobs

import (
	"context"
	"fmt"
	"slices"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/server"
	"cirque/core/stock"
)

// An Act is something to be done with a job that waits on a server, and why: its owner is told.
type Act struct {
	Server string
	server.Task
	Reason string
}

// An Acted is what came of it.
type Acted struct {
	Job  stock.Job
	Says string
	Told string // whether its owner was told, in words
}

// did are the words for what was done.
var did = map[string]string{server.Hold: "held", server.Release: "released", server.Cancel: "cancelled",
	server.Move: "moved"}

// Act holds, releases, cancels or moves a job that waits on a server: by the agent that keeps the server, or by the
// rights of the stored sign-in. Its owner is told where their mail address is known.
func (s *Room) Act(ctx context.Context, p *access.Principal, a Act) (Acted, error) {
	out := Acted{}
	if err := access.Check(p, access.KeepJobs); err != nil {
		return out, err
	}
	if did[a.Do] == "" {
		return out, fault.New(fault.Invalid, "job-do", "write hold, release, cancel or move", "%q cannot be done with a job",
			a.Do)
	}
	l, err := s.present.WatchedOne(stock.KindServer, a.Server)
	if err != nil {
		return out, err
	}
	if err := access.CheckObject(p, access.KeepJobs, s.present.View().Document(), estate.Ref{List: "servers",
		Name: a.Server}); err != nil {
		return out, err
	}
	r := s.present.Stock().Server(a.Server).Server
	if out.Job, err = s.waits(ctx, l, r, a); err != nil {
		return out, err
	}
	if err := s.act(ctx, p, l, r, a); err != nil {
		return out, err
	}
	_ = s.cfg.Readings.Read(ctx, l) // so that the next look shows it; that it does not answer is told there
	out.Says = fmt.Sprintf("job %d of %s in %s was %s", a.Job, out.Job.Owner, a.Queue, did[a.Do])
	if a.Do == server.Move {
		out.Says += " to " + a.To
	}
	e := event.Event{Kind: event.JobDone, Subject: a.Server, Author: p.Name}
	if a.Reason == "" {
		e = e.Saying("{server}: {what}", "server", a.Server, "what", out.Says)
	} else {
		e = e.Saying("{server}: {what}: {reason}", "server", a.Server, "what", out.Says, "reason", a.Reason)
	}
	if err := s.store.AddEvent(ctx, e); err != nil {
		return out, err
	}
	out.Told = s.tellOwner(ctx, p, a, out.Job)
	return out, nil
}

// waits finds the job, as the server has it now.
func (s *Room) waits(ctx context.Context, l stock.Listed, r *stock.Server, a Act) (stock.Job, error) {
	q := r.Find(a.Queue)
	if q == nil {
		return stock.Job{}, fault.New(fault.Unknown, "queue-unknown", "see cirque server queues "+a.Server,
			"%s has no queue %q", a.Server, a.Queue)
	}
	if a.Do == server.Move && (r.Find(a.To) == nil || a.To == a.Queue) {
		return stock.Job{}, fault.New(fault.Unknown, "queue-unknown", "name another of its queues: cirque server queues "+
			a.Server, "%s has no other queue %q to which the job could be moved", a.Server, a.To)
	}
	list, err := s.cfg.Prober.ReadJobs(ctx, l.QueueURI(*q), stock.SignInOf(s.cfg.Keys.KeysFor(l.Watch)), false, jobsAsked)
	if err != nil {
		return stock.Job{}, err
	}
	i := slices.IndexFunc(list, func(j stock.Job) bool { return j.ID == a.Job })
	if i < 0 {
		return stock.Job{}, fault.New(fault.Unknown, "job-unknown", "see cirque server jobs "+a.Server,
			"no job %d waits in %s on %s", a.Job, a.Queue, a.Server)
	}
	j := list[i]
	j.Queue = a.Queue
	return j, nil
}

// jobsAsked is how many jobs of a queue are looked through.
const jobsAsked = 1000

// act has it done.
func (s *Room) act(ctx context.Context, p *access.Principal, l stock.Listed, r *stock.Server, a Act) error {
	byAgent, err := s.cfg.Keepers.Heard(ctx, a.Server)
	if err != nil {
		return err
	}
	if byAgent {
		return s.cfg.Keepers.Do(ctx, a.Server, a.Task, p.Name)
	}
	to := ""
	if a.To != "" {
		to = l.QueueURI(*r.Find(a.To))
	}
	keys := s.cfg.Keys.KeysFor(l.Watch)
	err = s.cfg.Prober.Act(ctx, l.QueueURI(*r.Find(a.Queue)), stock.SignInOf(keys), a.Job, a.Do, to)
	if f := fault.As(err); err != nil && f.Kind == fault.Denied {
		return fault.New(fault.Denied, f.Code, "store a sign-in that may: cirque credential add, or have Cirque keep the "+
			"server", "%s", f.What)
	}
	return err
}

// tellOwner tells whose job it is, unless they did it themselves, and says whether it worked.
func (s *Room) tellOwner(ctx context.Context, p *access.Principal, a Act, j stock.Job) string {
	v := s.present.View()
	owner, known := v.World.Directory.Person(j.Owner)
	switch {
	case !known:
		return fmt.Sprintf("nobody here is called %s, so nobody was told", j.Owner)
	case v.IsPerson(p, owner.Name):
		return ""
	case s.cfg.Tell == nil:
		return "this service tells nobody"
	}
	called := j.Name
	if called == "" {
		called = fmt.Sprintf("job %d", j.ID)
	}
	says := fmt.Sprintf("Your job %q in %s on %s was %s by %s", called, a.Queue, a.Server, did[a.Do], p.Name)
	if a.Do == server.Move {
		says += " to " + a.To
	}
	if a.Reason != "" {
		says += ": " + a.Reason
	}
	if err := s.cfg.Tell.TellPerson(ctx, owner.Name, "Your print job was "+did[a.Do], says+"."); err != nil {
		f := fault.As(err)
		return fmt.Sprintf("%s was not told: %s; %s", owner.Name, f.What, f.Fix)
	}
	return owner.Name + " was told by mail"
}
