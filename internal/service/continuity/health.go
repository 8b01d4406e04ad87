package continuity

import (
	"context"
	"slices"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/live"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// probesMost bounds the probes under way, and probeWithin each.
const (
	probesMost  = 64
	probeWithin = 4 * time.Second
	tendEvery   = 500 * time.Millisecond
	savesEvery  = 10 * time.Second // what probing found is written at least so often
	watcher     = "probing"        // as whom it changes duties
)

func (s *Room) wakeHealth() {
	select {
	case s.drains <- struct{}{}:
	default:
	}
}

// reconcile draws consequences that could not be drawn when a verdict came, since the database was away or a person had
// set the duty.
func (s *Room) reconcile(ctx context.Context, targets map[present.Watched]string,
	known map[present.Watched]continuity.Health) {
	state := s.present.View().World.Live
	for of := range targets {
		h, duty := known[of], state.Server(of.Name)
		if of.Kind == "device" {
			duty = state.Device(of.Name)
		}
		if h.Verdict == continuity.Gone && duty == live.Serving || h.Verdict == continuity.Up && duty == live.Down {
			s.turned(ctx, h, true)
		}
	}
}

// probeTargets are all servers of the estate, and the devices that people reach directly.
func probeTargets(doc *estate.Document) map[present.Watched]string {
	out := map[present.Watched]string{}
	for _, v := range doc.Servers {
		out[present.Watched{Kind: "server", Name: v.Name}] = v.URI
	}
	direct := map[string]bool{}
	for _, q := range doc.Queues {
		for _, w := range q.Paths {
			direct[w.Device] = true
		}
	}
	for _, v := range doc.Devices {
		if direct[v.Name] && v.Machine == "" { // its machine alone reaches what is plugged into it
			out[present.Watched{Kind: "device", Name: v.Name}] = v.URI
		}
	}
	return out
}

// turned draws the consequences of a verdict. A drained server stays drained: that somebody decided.
func (s *Room) turned(ctx context.Context, h continuity.Health, changed bool) {
	var n live.Note
	var e event.Event
	var only func(live.Note) bool
	switch {
	case h.Held && !changed:
		err := s.store.AddEvent(ctx, event.Event{Kind: event.HeldDown, Subject: h.Name, Author: watcher}.Saying(
			"The {kind} {name} answers, and is held down: it went up and down {times} times lately", "kind", h.Kind, "name",
			h.Name, "times", len(h.Changes)))
		if err != nil && ctx.Err() == nil {
			s.log.Warn("what probing found could not be told", "error", err)
		}
		return
	case !changed:
		return
	case h.Verdict == continuity.Gone:
		n = live.Note{Kind: h.Kind, Name: h.Name, Duty: live.Down, Reason: h.Says}
		e = event.Event{Kind: event.WentDown}.Saying(
			"The {kind} {name} does not answer: {reason}", "kind", h.Kind, "name", h.Name, "reason",
			h.Says)
		only = func(was live.Note) bool { return was.Duty == live.Serving }
	default:
		n = live.Note{Kind: h.Kind, Name: h.Name, Duty: live.Serving, Share: 1}
		if h.Kind == "server" {
			n = s.returning(h.Name, false)
		}
		e = event.Event{Kind: event.CameUp}.Saying("The {kind} {name} answers again", "kind", h.Kind, "name", h.Name)
		only = func(was live.Note) bool { return was.Duty == live.Down }
	}
	n.Author, e.Author, e.Subject = watcher, watcher, h.Name
	if _, err := s.store.SetLive(ctx, n, only, e); err != nil {
		if ctx.Err() == nil {
			s.log.Error("a duty could not be changed", "kind", h.Kind, "name", h.Name, "error", err)
		}
		return
	}
	s.present.Show(ctx, event.Signal{What: event.Live})
}

// tendDuties ends drains whose time is over, lets returning servers grow, and takes back what probing no longer
// watches.
func (s *Room) tendDuties(ctx context.Context, targets map[present.Watched]string) {
	notes, err := s.store.Duties(ctx, nil)
	if err != nil {
		if ctx.Err() == nil {
			s.log.Warn("duties cannot be read", "error", err)
		}
		return
	}
	now, changed := s.now(), false
	for _, n := range notes {
		was := n
		only := func(is live.Note) bool { return is.Since.Equal(was.Since) }
		e := event.Event{Subject: n.Name, Author: watcher}
		_, watched := targets[present.Watched{Kind: n.Kind, Name: n.Name}]
		switch {
		case n.Ends(now):
			n = s.returning(n.Name, false)
			e.Kind = event.Returned
			e = e.Saying("The time of the drain is over: the server {server} is back on duty", "server", n.Name)
		case n.Duty == live.Serving && n.Grown(now) != n.Share:
			n.Share, n.Reason = n.Grown(now), ""
		case n.Duty == live.Down && n.Author == watcher && (!s.cfg.Health || !watched):
			n = live.Note{Kind: n.Kind, Name: n.Name, Duty: live.Serving, Share: 1}
			e.Kind = event.CameUp
			e = e.Saying("The {kind} {name} is no longer probed, and so no longer counts as down", "kind", n.Kind, "name",
				n.Name)
		default:
			continue
		}
		n.Author = watcher
		once, err := s.store.SetLive(ctx, n, only, e)
		if err != nil {
			if ctx.Err() == nil {
				s.log.Warn("a duty could not be changed", "name", n.Name, "error", err)
			}
			continue
		}
		changed = changed || once
	}
	if changed {
		s.present.Show(ctx, event.Signal{What: event.Live})
	}
}

// drainedEvery is how often a drained server is asked what still waits on it.
const drainedEvery = 10 * time.Second

// readDrained keeps the readings of drained servers fresh, so that it can be said when they are empty.
func (s *Room) readDrained(ctx context.Context, wg *sync.WaitGroup, last map[string]time.Time) {
	for name, duty := range s.present.View().World.Live.Servers {
		if duty != live.Drained || time.Since(last[name]) < drainedEvery {
			continue
		}
		l, err := s.present.WatchedOne(stock.KindServer, name)
		if err != nil {
			continue
		}
		last[name] = time.Now()
		wg.Go(func() { _ = s.cfg.Readings.Read(ctx, l) }) // what fails stands in the reading
	}
}

const uptimeDays = 30

// Healths lists what probing has found.
func (s *Room) Healths(ctx context.Context, p *access.Principal) ([]continuity.Health, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	list, err := s.store.Healths(ctx)
	targets := probeTargets(s.present.View().Document())
	return slices.DeleteFunc(s.present.Proven(list), func(h continuity.Health) bool {
		_, watched := targets[present.Watched{Kind: h.Kind, Name: h.Name}]
		return !watched
	}), err
}

// Health gives one with its history; an Unknown fault where it was never present.Watched.
func (s *Room) Health(ctx context.Context, p *access.Principal, kind, name string) (continuity.HealthView, error) {
	list, err := s.Healths(ctx, p)
	if err != nil {
		return continuity.HealthView{}, err
	}
	i := slices.IndexFunc(list, func(h continuity.Health) bool { return h.Kind == kind && h.Name == name })
	if i < 0 {
		return continuity.HealthView{}, fault.New(fault.Unknown, "never-probed", "servers, and devices that people reach "+
			"directly, are probed once they are published", "%s %s was never probed", kind, name)
	}
	now := s.now()
	v := continuity.HealthView{Health: list[i]}
	if v.Turns, err = s.store.HealthChanges(ctx, kind, name, now.AddDate(0, 0, -uptimeDays)); err != nil {
		return v, err
	}
	if part, ok := continuity.Uptime(v.Turns, now.AddDate(0, 0, -uptimeDays), now); ok {
		v.Uptime = &part
	}
	return v, nil
}
