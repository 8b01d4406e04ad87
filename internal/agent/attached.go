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

// lookAttached looks what is plugged in where that is due. What could not be looked is as it was.
func (a *Agent) lookAttached(ctx context.Context) {
	s, ok := a.cfg.Spooler.(findsAttached)
	if !ok || time.Since(a.attachedAt) < attachedEvery {
		return
	}
	list, err := s.Attached(ctx)
	if err != nil {
		if ctx.Err() == nil {
			a.cfg.Log.Warn("what is plugged in could not be looked at", "error", err)
			a.attachedAt = time.Now() // not with every report
		}
		return
	}
	a.attached, a.attachedAt = list, time.Now()
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
