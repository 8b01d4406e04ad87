package audit

import (
	"context"
	"encoding/json"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/worker"
)

// A Way takes entries of the audit, in order.
type Way interface {
	// Send hands one over; text is what it says.
	Send(e event.Event, text string) error
	// Taken says whether everything that was sent has arrived, as far as can be told; an error ends the way.
	Taken() (bool, error)
	Close()
}

// A Sender opens ways.
type Sender interface {
	Open(ctx context.Context, target, ca string, clear bool) (Way, error)
}

const (
	forwardEvery = time.Second // how often it is looked for entries
	forwardAgain = 10 * time.Second
	forwardMost  = 500
	// forwardSettles is after how long what has arrived counts as kept there. Nobody acknowledges an entry: what was sent
	// shortly before a way ended is sent again.
	forwardSettles = 30 * time.Second
	// wholeText is how long an entry may be before what was before and after is left out of it.
	wholeText = 7000
)

// Forwarding says how far the audit has been sent; without a target where it is sent nowhere.
func (s *Room) Forwarding(ctx context.Context, p *access.Principal) (event.Forwarding, error) {
	if err := access.Check(p, access.ReadAudit); err != nil {
		return event.Forwarding{}, err
	}
	target := s.present.View().Document().Audit().Forward
	if target == "" {
		return event.Forwarding{}, nil
	}
	return s.store.Forwarding(ctx, target)
}

// forward sends the audit to whom the estate's settings name, until ctx is done.
func (s *Room) forward(ctx context.Context) error {
	for ctx.Err() == nil {
		set := s.present.View().Document().Audit()
		if set.Forward == "" || s.sender == nil {
			worker.Pause(ctx, forwardEvery)
			continue
		}
		err := s.forwardTo(ctx, set)
		if err == nil || ctx.Err() != nil {
			continue // the settings are others now, or the service stops
		}
		s.log.Warn("the audit cannot be forwarded", "to", set.Forward, "error", err)
		s.noteForward(ctx, set.Forward, fault.As(err))
		s.pauseUnlessChanged(ctx, set)
	}
	return nil
}

// pauseUnlessChanged waits before the next try, and no longer where somebody has set something else.
func (s *Room) pauseUnlessChanged(ctx context.Context, set estate.AuditSettings) {
	for begin := time.Now(); time.Since(begin) < forwardAgain && ctx.Err() == nil &&
		s.present.View().Document().Audit() == set; {
		worker.Pause(ctx, forwardEvery)
	}
}

func (s *Room) noteForward(ctx context.Context, target string, f *fault.Error) {
	was, err := s.store.Forwarding(ctx, target)
	if err == nil {
		was.Code, was.Says, was.Fix = f.Code, f.What, f.Fix
		err = s.store.Forwarded(ctx, was)
	}
	if err != nil && ctx.Err() == nil {
		s.log.Warn("how the audit is forwarded could not be noted", "error", err)
	}
}

// sent is how far a way had come at a time.
type sent struct {
	place event.Place
	at    time.Time
}

// forwardTo sends over one connection, until it breaks or the settings change.
func (s *Room) forwardTo(ctx context.Context, set estate.AuditSettings) error {
	state, err := s.store.Forwarding(ctx, set.Forward)
	if err != nil {
		return err
	}
	way, err := s.sender.Open(ctx, set.Forward, set.CA, set.Clear)
	if err != nil {
		return err
	}
	defer way.Close()
	state.Code, state.Says, state.Fix = "", "", ""
	if err := s.store.Forwarded(ctx, state); err != nil {
		return err
	}
	at := state.Place
	var unsettled []sent
	for ctx.Err() == nil && s.present.View().Document().Audit() == set {
		list, places, err := s.store.AuditAfter(ctx, at, forwardMost)
		if err != nil {
			return err
		}
		for i, e := range list {
			if err := way.Send(e, entryText(e)); err != nil {
				return err
			}
			at = places[i]
		}
		taken, err := way.Taken()
		if err != nil {
			return err
		}
		now := time.Now()
		if n := len(unsettled); taken && at != state.Place && (n == 0 || unsettled[n-1].place != at) {
			unsettled = append(unsettled, sent{at, now})
		}
		settled := 0
		for settled < len(unsettled) && now.Sub(unsettled[settled].at) >= forwardSettles {
			settled++
		}
		if settled > 0 {
			state.Place, state.At = unsettled[settled-1].place, &unsettled[settled-1].at
			unsettled = unsettled[settled:]
			if err := s.store.Forwarded(ctx, state); err != nil {
				return err
			}
		}
		if len(list) < forwardMost {
			worker.Pause(ctx, forwardEvery)
		}
	}
	return nil
}

// entryText is an entry as JSON, as the audit gives it as lines; of a long one without what was before and after.
func entryText(e event.Event) string {
	b, err := json.Marshal(e)
	if err == nil && len(b) > wholeText {
		e.Before, e.After = nil, nil
		b, err = json.Marshal(e)
	}
	if err != nil {
		return e.Says
	}
	return string(b)
}
