package continuity

import (
	"context"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/live"
	"cirque/core/rehearse"
)

// How long a failover test may take a server out of duty.
const (
	failoverTestLeast = time.Minute
	failoverTestMost  = 12 * time.Hour
)

// StartFailoverTest takes a server out of duty for a while, to see what would happen if it died: everybody whom another
// serves is moved, then it returns by itself, and what was seen becomes a report.
func (s *Room) StartFailoverTest(ctx context.Context, p *access.Principal, server, reason string,
	length time.Duration) (continuity.FailoverTest, error) {
	var e continuity.FailoverTest
	if err := access.Check(p, access.Drain); err != nil {
		return e, err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return e, fault.New(fault.Invalid, "reason-missing", "say in a few words why, with --reason",
			"a failover test needs a reason")
	}
	if length < failoverTestLeast || length > failoverTestMost {
		return e, fault.New(fault.Invalid, "failover-test-length", "choose 1 minute to 12 hours",
			"a failover test of %s is too "+
				"short or too long", length)
	}
	doc := s.present.View().Document()
	if doc.Find(estate.Ref{List: "servers", Name: server}) == nil {
		return e, unknownServer(doc, server)
	}
	if err := access.CheckObject(p, access.Drain, doc, estate.Ref{List: "servers", Name: server}); err != nil {
		return e, err
	}
	if d := s.present.View().World.Live.Server(server); d != live.Serving ||
		s.present.View().World.Live.Share(server) < 1 {
		return e, fault.New(fault.Conflict, "not-on-duty", "return it first: cirque return "+server,
			"%s is not wholly on duty", server)
	}
	r, err := s.cfg.Rehearsals.Rehearsed(ctx, p, rehearse.Ask{Without: []string{"server:" + server}})
	if err != nil {
		return e, err
	}
	leading, err := s.cfg.Fleet.Leading(ctx)
	if err != nil {
		return e, err
	}
	fail, err := s.cfg.Fleet.WithFailures(ctx)
	if err != nil {
		return e, err
	}
	failing := len(fail)
	who := func(k rehearse.Kind) int { return r.Totals[k].People + r.Totals[k].Machines }
	now := s.now().UTC()
	e = continuity.FailoverTest{Server: server, Author: p.Name, Reason: reason, Begun: now, Until: now.Add(length),
		Phase: "moving", Steps: []continuity.FailoverStep{}, Stuck: []continuity.Stuck{}, Says: []string{},
		Expected: continuity.Expected{Endpoints: leading[server][0], Failing: failing, Moves: who(rehearse.Paths),
			Stranded: who(rehearse.Stranded)}}
	if back := s.returning(server, false); back.Until != nil {
		e.Expected.Returns = int(back.Until.Sub(*back.Begun) / time.Minute)
	}
	e.Steps = append(e.Steps, continuity.FailoverStep{At: now, Phase: "moving", Leading: leading[server][0],
		Failing: failing})
	if e, err = s.store.AddFailoverTest(ctx, e, event.Event{Kind: event.FailoverBegan, Subject: server,
		Author: p.Name}.Saying(
		"A failover test with {server} began, until {until}: {reason}", "server", server, "until",
		e.Until.Format("15:04 UTC"), "reason", reason)); err != nil {
		return e, err
	}
	if _, err := s.Drain(ctx, p, server, "failover test: "+reason, &e.Until); err != nil {
		ended := s.now().UTC()
		e.Ended, e.Phase, e.Says = &ended, "over", []string{"It did not begin: " + fault.As(err).What}
		_ = s.store.SaveFailoverTest(ctx, e, nil) // the drain's failure is what counts
		return e, err
	}
	return e, nil
}

// StopFailoverTest ends one before its time: the server returns at once.
func (s *Room) StopFailoverTest(ctx context.Context, p *access.Principal, id int64) (continuity.FailoverTest, error) {
	if err := access.Check(p, access.Drain); err != nil {
		return continuity.FailoverTest{}, err
	}
	e, err := s.store.FailoverTest(ctx, id)
	if err != nil {
		return e, err
	}
	if err := access.CheckObject(p, access.Drain, s.present.View().Document(), estate.Ref{List: "servers",
		Name: e.Server}); err != nil {
		return e, err
	}
	// Before the server returns: whoever looks at it afterwards is to know.
	if err := s.store.StopFailoverTest(ctx, id, p.Name); err != nil {
		return e, err
	}
	e.Stopped = p.Name
	doc := s.present.View().Document()
	if doc.Find(estate.Ref{List: "servers", Name: e.Server}) != nil {
		if _, err := s.Return(ctx, p, e.Server, true); err != nil {
			return e, err
		}
	}
	return e, nil
}

// FailoverTests lists the latest, newest first.
func (s *Room) FailoverTests(ctx context.Context, p *access.Principal) ([]continuity.FailoverTest, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	list, err := s.store.FailoverTests(ctx, false, 100)
	if list == nil {
		list = []continuity.FailoverTest{}
	}
	return list, err
}

// FailoverTest gives one.
func (s *Room) FailoverTest(ctx context.Context, p *access.Principal, id int64) (continuity.FailoverTest, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return continuity.FailoverTest{}, err
	}
	return s.store.FailoverTest(ctx, id)
}

// tendFailoverTests looks how those stand that run; running says whether any did the last time, or whether that is not
// known.
func (s *Room) tendFailoverTests(ctx context.Context, running bool) bool {
	if l := s.present.View().World.Live; !running && len(l.Servers)+len(l.Shares) == 0 {
		return false // none can have begun
	}
	list, err := s.store.FailoverTests(ctx, true, 100)
	if err != nil || len(list) == 0 {
		return err != nil
	}
	leading, err := s.cfg.Fleet.Leading(ctx)
	if err != nil {
		return true
	}
	fail, err := s.cfg.Fleet.WithFailures(ctx)
	if err != nil {
		return true
	}
	failing := len(fail)
	state := s.present.View().World.Live
	for _, e := range list {
		duty, share := state.Server(e.Server), state.Share(e.Server)
		serving := duty == live.Serving && share >= 1
		n := leading[e.Server][0]
		next, changed := e.Seen(s.now().UTC(), n, failing, serving, duty == live.Serving)
		if !changed {
			continue
		}
		if duty != live.Serving {
			next.Stuck = []continuity.Stuck{}
			if n > 0 && next.Phase == "out" {
				if next.Stuck, err = s.stuck(ctx, e.Server); err != nil {
					continue
				}
			}
		}
		var events []event.Event
		if next.Ended != nil {
			how := "as it should"
			if !*next.Good {
				how = "and showed something to mend"
			}
			events = append(events, event.Event{Kind: event.FailoverEnds, Subject: e.Server, Author: watcher}.Saying(
				"The failover test with {server} is over, {how}: {says}", "server", e.Server, "how", how, "says", next.Says[0]))
		}
		if err := s.store.SaveFailoverTest(ctx, next, events); err != nil && ctx.Err() == nil {
			s.log.Warn("a failover test could not be noted", "server", e.Server, "error", err)
		}
	}
	return true
}
