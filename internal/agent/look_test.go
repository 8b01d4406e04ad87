package agent

import (
	"context"
	"errors"
	"log/slog"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/endpoint"
)

// port is a spooler that looks what is plugged in as slowly as a test has it.
type port struct {
	Spooler
	takes time.Duration
	fails bool
	asked int
}

func (p *port) Attached(context.Context) ([]endpoint.Attached, error) {
	p.asked++
	time.Sleep(p.takes) // of the bubble's clock
	if p.fails {
		return nil, errors.New("no")
	}
	return []endpoint.Attached{{URI: "parallel:/dev/lp0"}}, nil
}

// TestLook: a report waits a second at most for a look at what is plugged in, and tells with a later one what took
// longer, with the time of the look; one that fails leaves the one before, as old as it is.
func TestLook(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		p := &port{takes: time.Minute}
		a := &Agent{cfg: Config{Spooler: p, Log: slog.New(slog.DiscardHandler)}}
		told := func() (r endpoint.Report, took time.Duration) {
			begun := time.Now()
			a.lookAttached(t.Context())
			a.tellAttached(&r)
			return r, time.Since(begun)
		}
		if r, took := told(); r.Attached != nil || r.AttachedAt != nil || took > attachedWithin {
			t.Errorf("%+v after %v", r, took)
		}
		time.Sleep(2 * time.Minute)
		r, _ := told()
		if len(r.Attached) != 1 || time.Since(*r.AttachedAt) < time.Minute-2*time.Second || p.asked != 1 {
			t.Errorf("%+v, asked %d times", r, p.asked)
		}
		p.fails, p.takes = true, 0
		time.Sleep(attachedEvery)
		if again, _ := told(); p.asked != 2 || len(again.Attached) != 1 || !again.AttachedAt.Equal(*r.AttachedAt) {
			t.Errorf("%+v, asked %d times", again, p.asked)
		}
		if told(); p.asked != 2 {
			t.Error("what fails is asked again with each report")
		}
		p.fails = false
		a.calledUpon()
		if again, _ := told(); p.asked != 3 || !again.AttachedAt.After(*r.AttachedAt) {
			t.Errorf("%+v, asked %d times", again, p.asked)
		}
	})
}
