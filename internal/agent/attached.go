package agent

import (
	"context"
	"time"

	"cirque/core/endpoint"
)

// findsAttached can tell what is plugged into the machine.
type findsAttached interface {
	Attached(ctx context.Context) ([]endpoint.Attached, error)
}

// attachedEvery is how often it is looked what is plugged in; a call from the service has it looked at once.
const attachedEvery = 10 * time.Minute

// attachedWithin is how long a report waits for a look; one that takes longer is told with a later report.
const attachedWithin = time.Second

// A look is what was found plugged in, and when; nil where the spooler does not tell.
type look struct {
	found []endpoint.Attached
	at    time.Time
	err   error
}

// lookAttached has it looked what is plugged in where that is due. What could not be looked at stays as it was, with
// the time of then.
func (a *Agent) lookAttached(ctx context.Context) {
	s, ok := a.cfg.Spooler.(findsAttached)
	if !ok {
		return
	}
	if a.looking == nil {
		if time.Since(a.lookedAt) < attachedEvery {
			return
		}
		looking := make(chan look, 1)
		a.looking, a.lookedAt = looking, time.Now()
		go func() {
			list, err := s.Attached(ctx)
			looking <- look{list, time.Now().UTC().Truncate(time.Second), err}
		}()
	}
	wait := time.NewTimer(attachedWithin)
	defer wait.Stop()
	select {
	case l := <-a.looking:
		a.looking = nil
		if l.err == nil {
			a.attached = l
		} else if ctx.Err() == nil {
			a.cfg.Log.Warn("what is plugged in could not be looked at", "error", l.err)
		}
	case <-wait.C:
	case <-ctx.Done():
	}
}

// tellAttached puts what was found into a report.
func (a *Agent) tellAttached(r *endpoint.Report) {
	if a.attached.found != nil {
		at := a.attached.at
		r.Attached, r.AttachedAt = a.attached.found, &at
	}
}

// Attached tells what the spooler finds plugged into the machine.
func (u *Unix) Attached(ctx context.Context) ([]endpoint.Attached, error) {
	return u.spooler.Attached(ctx)
}

// Attached tells what machine.yaml says is plugged in.
func (s *StandIn) Attached(context.Context) ([]endpoint.Attached, error) {
	m, err := s.machine()
	return append([]endpoint.Attached{}, m.Attached...), err
}
