package keepers

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/event"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// An Answer is what an agent is told of the server that it keeps. Tag changes when what it says changes, and does not
// with a mere revision.
type Answer struct {
	JSON []byte
	Tag  string
	AsOf time.Time
}

// Serving tells an agent what the server on its machine is to have.
func (s *Room) Serving(ctx context.Context, p *access.Principal, machine string) (Answer, error) {
	if err := s.mayAsk(p, machine); err != nil {
		return Answer{}, err
	}
	return s.answer(ctx, s.present.View(), machine)
}

func (s *Room) mayAsk(p *access.Principal, machine string) error {
	if err := access.Check(p, access.Report); err != nil {
		return err
	}
	return s.present.View().CheckMachine(p, machine)
}

func (s *Room) answer(ctx context.Context, v *present.View, machine string) (a Answer, err error) {
	a.AsOf = s.present.AsOf()
	out := server.Serving{Wants: []server.Want{}}
	if of := server.Keeping(v.Document(), machine); of != nil {
		out.Server, out.Platform, out.Others = of.Name, of.RunsOn(), of.Others
		out.Wants = withPackages(s.plan(v, of.Name).Wants, s.present.Stock().Packages, of.RunsOn())
		out.Onward = continuity.Onward(v.Document(), v.World.Live, of.Name)
		if out.Take, err = s.store.Takes(ctx, of.Name); err != nil {
			return a, err
		}
		if out.Tasks, err = s.store.Tasks(ctx, of.Name); err != nil {
			return a, err
		}
	}
	b, err := json.Marshal(out)
	if err != nil {
		return a, err
	}
	sum := sha256.Sum256(b)
	a.Tag = hex.EncodeToString(sum[:12])
	out.Revision = v.World.Estate.Revision()
	a.JSON, err = json.Marshal(out)
	return a, err
}

// WaitServing is Serving that, while the answer's tag is known, waits for another one, or for a call; same says that
// none came in time.
func (s *Room) WaitServing(ctx context.Context, p *access.Principal, machine, known string,
	wait time.Duration) (a Answer, same bool, err error) {
	if err := s.mayAsk(p, machine); err != nil {
		return a, false, err
	}
	timer := time.NewTimer(wait)
	defer timer.Stop()
	called, left := s.present.Agents.Wait(cmp.Or(p.Machine, machine))
	defer left()
	defer s.present.Agents.Polling()()
	over := wait <= 0
	for {
		if p.Serial != "" && !s.cfg.Certificates.CertificateGood(p.Serial) {
			return Answer{}, false, access.Revoked(p.Machine) // since it began to wait
		}
		v := s.present.View()
		if a, err = s.answer(ctx, v, machine); err != nil || a.Tag != known || over {
			return a, a.Tag == known, err
		}
		select {
		case <-v.Changed():
		case <-called: // what is to be taken over is otherwise, or it is to report
			over = true
		case <-timer.C:
			over = true // that nothing changed is said of now
		case <-ctx.Done():
			return a, true, nil
		}
	}
}

// Report takes what an agent says of the server that it keeps.
func (s *Room) Report(ctx context.Context, p *access.Principal, r server.Report) error {
	if err := s.mayAsk(p, r.Machine); err != nil {
		return err
	}
	if err := r.Check(); err != nil {
		return err
	}
	records, err := s.records(ctx)
	if err != nil {
		return err
	}
	if of := server.Keeping(s.present.View().Document(), r.Machine); of == nil || of.Name != r.Server {
		r.Server, r.Done = "", nil // it speaks for no other server than that of its machine
	}
	err = s.store.SaveKept(ctx, r, func(failing *bool) []event.Event { return reportEvents(p, failing, r) })
	if err != nil {
		return err
	}
	s.stale(recordOf(records, r.Machine), r)
	if len(r.Ended) == 0 || r.Server == "" {
		return nil
	}
	jobs := make([]stock.Job, 0, len(r.Ended))
	for _, e := range r.Ended {
		jobs = append(jobs, stock.Job{ID: e.ID, Queue: e.Queue, Owner: e.Owner, From: e.From, At: &e.At})
	}
	return s.cfg.Uses.Count(ctx, r.Server, jobs)
}

// reportEvents says what a report tells that was otherwise before.
func reportEvents(p *access.Principal, failing *bool, r server.Report) (events []event.Event) {
	subject := cmp.Or(r.Server, r.Machine)
	tell := func(kind, pattern string, pairs ...any) {
		events = append(events, event.Event{Kind: kind, Subject: subject, Author: p.Name}.Saying(pattern, pairs...))
	}
	if failing == nil {
		tell(event.KeeperJoined, "The agent on {machine} reported for the first time as the keeper of a print server",
			"machine", r.Machine)
	}
	was, is := failing != nil && *failing, len(r.Failures) > 0 || r.Unread != ""
	switch {
	case !was && r.Unread != "":
		tell(event.KeeperFails, "{server}: its spooler cannot be read: {reason}", "server", subject, "reason", r.Unread)
	case !was && is:
		f := r.Failures[0]
		tell(event.KeeperFails, "{server}: {step} of {queue} failed: {reason}", "server", subject, "step", f.Step,
			"queue", cmp.Or(f.Name, f.Exact), "reason", f.Says)
	case was && !is:
		tell(event.KeeperWorks, "{server} can be given everything again", "server", subject)
	}
	return events
}
