package proofs

import (
	"context"
	"time"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// checkupWithin is how long an agent may take to answer; what was asked for earlier is not done any more.
const checkupWithin = 2 * time.Minute

// maxChecks bounds what an agent answers.
const maxChecks = 500

// StartCheckup asks an endpoint's agent for a checkup, with a test page where a queue is named, and gives what the
// service itself can say at once. With try the page is printed with another driver, through a queue that the agent
// makes for it and takes away again.
func (s *Room) StartCheckup(ctx context.Context, p *access.Principal, machine, queue,
	try string) (endpoint.Checkup, error) {
	if err := access.Check(p, access.RefreshEndpoint); err != nil {
		return endpoint.Checkup{}, err
	}
	if try != "" && queue == "" {
		return endpoint.Checkup{}, fault.New(fault.Invalid, "try-without-queue", "name the queue",
			"a driver is tried with a queue")
	}
	if queue != "" {
		if err := access.Check(p, access.SendTestPage); err != nil {
			return endpoint.Checkup{}, err
		}
	}
	rec, err := s.store.Endpoint(ctx, machine)
	if fault.Is(err, fault.Unknown) {
		// That too is a finding, where the machine is one.
		if s.present.View().World.Directory.MachineID(name.Fold(machine)) < 0 && !s.hasToken(machine) {
			return endpoint.Checkup{}, err
		}
		return endpoint.Checkup{Machine: machine, Author: p.Name, At: s.now().UTC(),
			Checks: endpoint.ServiceChecks(endpoint.Facts{Now: s.now()})}, nil
	}
	if err != nil {
		return endpoint.Checkup{}, err
	}
	if err := access.CheckAt(p, access.RefreshEndpoint, s.present.View().SiteOfMachine(rec.Report, s.now()),
		"the endpoint "+
			rec.Report.Machine); err != nil {
		return endpoint.Checkup{}, err
	}
	if try != "" && try != endpoint.TryDriverless && try != endpoint.TryPlain {
		if _, _, held := driver.Best(s.present.Stock().Packages, try, rec.Report.Platform); !held {
			return endpoint.Checkup{}, driver.NotHeld(s.present.Stock().Packages, try, rec.Report.Platform)
		}
	}
	if queue != "" {
		q, err := s.present.View().Document().QueueCalled(queue)
		if err != nil {
			return endpoint.Checkup{}, err
		}
		queue = rec.Report.Called(q.Name, q.Formerly)
		if says, _ := s.present.View().World.Refuses(q.Name, s.now()); says != "" {
			return endpoint.Checkup{}, fault.New(fault.Conflict, "queue-closed",
				"check the endpoint without the page, or print "+
					"past the endpoint: cirque test-page "+q.Name+" --anyway", "no test page was sent: %s", says)
		}
	}
	model, _ := s.present.Stock().Behind(s.present.View().Document(), queue)
	want := endpoint.Checkup{Machine: rec.Report.Machine, Queue: queue, Try: try, Model: model}
	e := event.Event{Kind: event.Called, Subject: rec.Report.Machine, Author: p.Name}
	if try == "" {
		e = e.Saying("{machine} was asked for a checkup", "machine", rec.Report.Machine)
	} else {
		e = e.Saying(
			"{machine} was asked to print to {queue} with {driver}", "machine", rec.Report.Machine, "queue", queue,
			"driver", endpoint.TryName(try))
	}
	c, err := s.store.AddCheckup(ctx, want, e)
	if err != nil {
		return c, err
	}
	s.present.Agents.Wake(rec.Report.Machine)
	return s.complete(ctx, c, rec)
}

// Checkup gives one with what is known by now.
func (s *Room) Checkup(ctx context.Context, p *access.Principal, id int64) (endpoint.Checkup, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return endpoint.Checkup{}, err
	}
	c, err := s.store.Checkup(ctx, id)
	if err != nil {
		return c, err
	}
	rec, err := s.store.Endpoint(ctx, c.Machine)
	if err != nil {
		return c, err
	}
	return s.complete(ctx, c, rec)
}

// complete puts the service's own checks before the endpoint's, and says of what kind those are.
func (s *Room) complete(ctx context.Context, c endpoint.Checkup, rec endpoint.Record) (endpoint.Checkup, error) {
	c.Machine = rec.Report.Machine
	lineups := s.present.View().Lineups(rec, s.now())
	e := s.present.View().Judge(rec, endpoint.PlanFor(lineups), s.now())
	f := endpoint.Facts{Record: &rec, Lineups: lineups, People: e.Says, Drift: e.Drift, Now: s.now(),
		Token: s.hasToken(rec.Report.Machine), Connected: s.present.Agents.Waits(rec.Report.Machine),
		Every: s.present.View().ReportsEvery()}
	certificates, err := s.store.GoodCertificates(ctx, rec.Report.Machine)
	if err != nil {
		return c, err
	}
	for _, k := range certificates {
		if f.Enrolled == nil || k.ExpiresAt.After(*f.Enrolled) {
			f.Enrolled = &k.ExpiresAt
		}
	}
	if c.Done != nil {
		f.Connected = true // it has just answered
	}
	for i := range c.Checks {
		if c.Queue != "" && c.Checks[i].Check == endpoint.TestCheck(c.Queue, c.Try) {
			c.Checks[i].Kind = endpoint.CheckTestPage
		}
	}
	c.Checks = append(endpoint.ServiceChecks(f), c.Checks...)
	if c.Done == nil && s.now().Sub(c.At) > checkupWithin {
		c.Checks = append(c.Checks, endpoint.Check{Check: "What does it find from its own place?", Result: endpoint.Unproven,
			Says: "it has not answered", Fix: "see that its agent runs; or ask at the machine: cirque-agent checkup",
			By: "service", Kind: endpoint.CheckNoAnswer})
	}
	return c, nil
}

// hasToken says whether an agent's token for a machine holds.
func (s *Room) hasToken(machine string) bool {
	for _, t := range s.present.Access().Tokens {
		if t.Role == access.Agent && name.Fold(t.Machine) == name.Fold(machine) && !t.Ended(s.now()) {
			return true
		}
	}
	return false
}

// AskedCheckup gives the checkup that an agent is to make now; ok is false where there is none.
func (s *Room) AskedCheckup(ctx context.Context, p *access.Principal) (c endpoint.Checkup, ok bool) {
	if access.Check(p, access.Report) != nil || p.Machine == "" {
		return c, false
	}
	c, err := s.store.AskedCheckup(ctx, p.Machine, s.now().Add(-checkupWithin))
	return c, err == nil
}

// AnswerCheckup takes in what an agent found.
func (s *Room) AnswerCheckup(ctx context.Context, p *access.Principal, id int64, tried string,
	checks []endpoint.Check) error {
	if err := access.Check(p, access.Report); err != nil {
		return err
	}
	if len(checks) > maxChecks {
		return fault.New(fault.TooLarge, "checkup-large", "update the agent", "a checkup has at most %d checks", maxChecks)
	}
	for i := range checks {
		checks[i].By = "endpoint"
		if r := checks[i].Result; r != endpoint.Yes && r != endpoint.No && r != endpoint.Unproven {
			return fault.New(fault.Invalid, "checkup-result", "write yes, no or unproven", "%q is no result", r)
		}
	}
	c, err := s.store.Checkup(ctx, id)
	if err != nil {
		return err
	}
	if c.Try != tried {
		checks = append(checks, endpoint.Check{Check: endpoint.TestCheck(c.Queue, c.Try), Result: endpoint.Unproven,
			Says: "its agent is too old to try drivers", Fix: "update the agent there", By: "service"})
	}
	return s.store.AnswerCheckup(ctx, id, p.Machine, tried, checks)
}
