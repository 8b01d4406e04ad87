package alerts

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/fleet"
	"cirque/core/notice"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// Faults lists what is wrong just now, the longest first.
func (s *Room) Faults(ctx context.Context, p *access.Principal) ([]notice.Fault, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	list, seen, err := s.lately(ctx)
	if err != nil {
		return nil, err
	}
	ends, _, err := s.endpointFaults(ctx)
	if err != nil {
		return nil, err
	}
	now := s.now().UTC()
	all := make([]*aFault, 0, len(list)+len(ends))
	for _, some := range [][]aFault{list, ends} {
		for i := range some {
			some[i].since(seen, now)
			all = append(all, &some[i])
		}
	}
	slices.SortStableFunc(all, func(a, b *aFault) int { return a.Since.Compare(b.Since) })
	out := make([]notice.Fault, 0, len(all))
	for _, f := range all {
		out = append(out, f.Fault)
	}
	return out, nil
}

// aFault is one that may not know since when it has been there, or only since something was started anew: the first
// time that it was seen counts then.
type aFault struct{ notice.Fault }

func (f *aFault) since(seen map[string]time.Time, now time.Time) {
	if f.Since.IsZero() {
		f.Since = now
	}
	if at, ok := seen[f.Key]; ok && at.Before(f.Since) {
		f.Since = at
	}
}

// neverThere are failures that prove nothing of what has never answered: perhaps it is the way from here alone.
var neverThere = []string{"silent", "refused", "no-way", "name-not-found"}

// A finder gathers faults of one look.
type finder struct {
	found []aFault
}

// add notes a fault; since zero is not known.
func (f *finder) add(about, key, name, location string, since time.Time, fix, says string, args ...any) *aFault {
	if !since.IsZero() {
		since = since.UTC()
	}
	f.found = append(f.found, aFault{notice.Fault{Key: key, About: about, Name: name, Location: location, Since: since,
		Says: fmt.Sprintf(says, args...), Fix: fix}})
	return &f.found[len(f.found)-1]
}

// faults gives what is wrong but for endpoints, which take longer.
func (s *Room) faults(ctx context.Context) ([]aFault, error) {
	healths, err := s.store.Unwell(ctx)
	if err != nil {
		return nil, err
	}
	health := map[present.Watched]continuity.Health{}
	for _, h := range healths {
		health[present.Watched{Kind: h.Kind, Name: h.Name}] = h
	}
	var f finder
	s.serverFaults(&f, health)
	if err := s.keptFaults(ctx, &f); err != nil {
		return nil, err
	}
	s.deviceFaults(&f, health)
	s.setFaults(&f)
	if err := s.directoryFaults(ctx, &f); err != nil {
		return nil, err
	}
	s.keyFaults(&f)
	s.emergencyFault(&f)
	if err := s.draftFaults(ctx, &f); err != nil {
		return nil, err
	}
	return f.found, s.forwardFault(ctx, &f)
}

func (s *Room) serverFaults(f *finder, health map[present.Watched]continuity.Health) {
	for _, l := range s.present.Watched(stock.KindServer) {
		h := health[present.Watched{Kind: stock.KindServer, Name: l.Name}]
		kept := s.present.Stock().Server(l.Name)
		switch {
		case l.InEstate && h.Verdict == continuity.Gone:
			one := f.add(estate.AboutServers, "server "+l.Name, l.Name, l.Location, h.Since,
				"see that it runs; its people are led elsewhere where something else serves them: cirque moves",
				"the server %s does not answer: %s", l.Name, h.Says)
			if kept.Server != nil {
				one.Owners = s.ownersOn(l.Name, kept.Server, kept.Server.Waiting, continuity.Gone)
			}
		case l.Check != nil && !l.Check.OK && h.Verdict != continuity.Gone &&
			(l.Check.Answered != nil || !slices.Contains(neverThere, l.Check.Code)):
			f.add(estate.AboutServers, "server "+l.Name+" unread", l.Name, l.Location, l.Check.Since, l.Check.Fix,
				"the server %s cannot be read: %s", l.Name, l.Check.Says)
		}
		if h.Held {
			f.add(estate.AboutServers, "server "+l.Name+" held", l.Name, l.Location, time.Time{},
				"look why it goes up and down: cirque health server "+l.Name,
				"the server %s answers, and is held down since it went up and down too often", l.Name)
		}
		if kept.Server == nil || !kept.Check.OK {
			continue
		}
		s.strandedJobs(f, l, kept.Server)
		for _, q := range kept.Server.Queues {
			if !q.Ready() {
				f.add(estate.AboutServers, "server "+l.Name+" queue "+q.Name, q.Name+" on "+l.Name, l.Location, time.Time{},
					"start it there, or mend its device", "the queue %s on %s is not ready: %s", q.Name, l.Name,
					reasons(q.Reasons))
			}
		}
	}
}

func reasons(list []string) string {
	return cmp.Or(strings.Join(list, ", "), "no reason is given")
}

func (s *Room) deviceFaults(f *finder, health map[present.Watched]continuity.Health) {
	list, st := s.present.Watched(stock.KindDevice), s.present.Stock()
	differs := stock.DeviceDifferences(s.present.View().Document(), list, st.Sightings(), st.Reservations)
	for _, l := range list {
		h := health[present.Watched{Kind: stock.KindDevice, Name: l.Name}]
		if l.InEstate && h.Verdict == continuity.Gone {
			f.add(estate.AboutDevices, "device "+l.Name, l.Name, l.Location, h.Since, "see that it is on, and its address",
				"the device %s does not answer: %s", l.Name, h.Says)
		}
		for _, d := range differs[l.Name] {
			if d.Kind == "moved" || d.Kind == "swapped" || d.Kind == "address-shared" {
				f.add(estate.AboutDevices, "device "+l.Name+" "+d.Kind, l.Name, l.Location, time.Time{}, d.Fix,
					"the device %s", d.Says)
			}
		}
		if l.Reading != nil && l.Check != nil && l.Check.OK && l.Reading.State == "stopped" {
			f.add(estate.AboutDevices, "device "+l.Name+" stopped", l.Name, l.Location, time.Time{}, "see the device",
				"the device %s is stopped: %s", l.Name, reasons(l.Reading.Reasons))
		}
	}
}

func (s *Room) setFaults(f *finder) {
	doc := s.present.View().Document()
	for _, l := range s.present.Stock().Lacks(doc) {
		location := ""
		if v := doc.Server(l.Set.Members[0]); v != nil {
			location = v.Location
		}
		f.add(estate.AboutSets, "set "+l.Set.Name+": "+l.String(), l.Set.Name, location, time.Time{},
			"set the queue up there, or take the server out of the set: cirque server set "+l.Set.Name,
			"the server set %s: %s", l.Set.Name, l)
	}
}

func (s *Room) keyFaults(f *finder) {
	now := s.now()
	for _, c := range s.present.Stock().Credentials {
		switch {
		case c.State == "refused":
			f.add(estate.AboutKeys, "key "+c.Name, c.Name, "", time.Time{}, "enter it anew: cirque credential add",
				"the key %s is refused", c.Name)
		case c.Expires != nil && c.Expires.Before(now):
			f.add(estate.AboutKeys, "key "+c.Name+" ended", c.Name, "", *c.Expires,
				"enter the new one: cirque credential add", "the key %s has ended", c.Name)
		case c.Expires != nil && c.Expires.Sub(now) < stock.ExpiresSoon:
			f.add(estate.AboutKeys, "key "+c.Name+" ends", c.Name, "", c.Expires.Add(-stock.ExpiresSoon),
				"enter the next one in time: cirque credential add", "the key %s ends on %s", c.Name,
				c.Expires.Format(time.DateOnly))
		}
	}
}

// emergencyFault tells that somebody has opened the envelope.
func (s *Room) emergencyFault(f *finder) {
	for _, a := range s.present.Access().Accounts {
		if a.Emergency && a.OpenedAt != nil {
			f.add(estate.AboutKeys, "emergency account", a.Name, "", *a.OpenedAt, "see who it was, and seal it anew: cirque "+
				"account emergency", "the account for emergencies is in use since %s", a.OpenedAt.UTC().Format(time.RFC3339))
		}
	}
}

// draftFaults tells of drafts that could not be published when their time had come.
func (s *Room) draftFaults(ctx context.Context, f *finder) error {
	list, err := s.cfg.Drafts.FailedDrafts(ctx)
	for _, d := range list {
		var since time.Time
		if d.Timed.Since != nil {
			since = *d.Timed.Since
		}
		f.add(estate.AboutDrafts, fmt.Sprintf("draft %d", d.ID), d.Name, "", since, "mend it and publish it, or discard it: "+
			"cirque draft list", "the draft %s of %s could not be published at its time: %s", d.Name, d.Author, d.Timed.Failed)
	}
	return err
}

// forwardFault tells that the audit does not arrive where it is to stand, too.
func (s *Room) forwardFault(ctx context.Context, f *finder) error {
	target := s.present.View().Document().Audit().Forward
	if target == "" {
		return nil
	}
	to, err := s.store.Forwarding(ctx, target)
	if err == nil && to.Code != "" {
		f.add(estate.AboutKeys, "audit to "+target, target, "", to.Since, to.Fix, "the audit cannot be sent to %s: %s",
			target,
			to.Says)
	}
	return err
}

func (s *Room) directoryFaults(ctx context.Context, f *finder) error {
	sources, _, err := s.store.Sources(ctx)
	if err != nil {
		return err
	}
	ended, err := s.store.EndedRuns(ctx)
	if err != nil {
		return err
	}
	add := func(key, name, fix, says string, args ...any) {
		f.add(estate.AboutDirectory, key, name, "", time.Time{}, fix, says, args...)
	}
	for _, v := range sources {
		r, ok := ended[v.Name]
		if !ok || v.Paused {
			continue
		}
		switch r.State {
		case directory.Failed:
			add("source "+v.Name, v.Name, r.Fix, "the directory %s cannot be read: %s", v.Name, r.Says)
		case directory.Held:
			add("source "+v.Name+" held", v.Name, r.Fix, "a pass over the directory %s is held: %s", v.Name, r.Says)
		}
	}
	listings, err := s.store.Listings(ctx)
	for _, l := range listings {
		if l.Code != "" {
			add("listing "+l.Source, l.Source, l.Fix, "queues cannot be listed in %s: %s", l.Source, l.Says)
		}
	}
	return err
}

// endpointFaults gives the endpoints that fail or are silent, and how many there are in all.
func (s *Room) endpointFaults(ctx context.Context) (out []aFault, all int, err error) {
	failing, silent, all, err := s.cfg.Fleet.Troubled(ctx)
	if err != nil {
		return nil, 0, err
	}
	s.worded.Lock()
	defer s.worded.Unlock()
	out = make([]aFault, 0, len(failing)+len(silent))
	out = s.worded.silent.again(silent, silence, out)
	return s.worded.failing.again(failing, failure, out), all, nil
}

// worded keeps the fault of each endpoint's judgement, so that of thousands only those are put in words that changed.
type worded struct {
	sync.Mutex
	silent, failing kept // guarded by the mutex
}

// kept are faults by what they were made of.
type kept struct {
	of    map[*fleet.Judgement]*wordedFault
	turns int // how often they were gone through
}

type wordedFault struct {
	aFault
	turn int // when it was there last
}

// again adds to out the fault of each judgement, taken from those that are kept where it is there. Those that are gone
// are kept no longer.
func (k *kept) again(list []*fleet.Judgement, word func(*fleet.Judgement) (time.Time, string), out []aFault) []aFault {
	if k.of == nil {
		k.of = map[*fleet.Judgement]*wordedFault{}
	}
	k.turns++
	for _, j := range list {
		f, there := k.of[j]
		if !there {
			since, says := word(j)
			f = &wordedFault{aFault: aFault{notice.Fault{Key: "endpoint " + j.Machine(), About: estate.AboutEndpoints,
				Name: j.Machine(), Location: j.Location, Since: since, Says: says,
				Fix: "see what is wrong: cirque endpoint checkup " + j.Machine()}}}
			k.of[j] = f
		}
		f.turn = k.turns
		out = append(out, f.aFault)
	}
	if len(k.of) > len(list) {
		maps.DeleteFunc(k.of, func(_ *fleet.Judgement, f *wordedFault) bool { return f.turn != k.turns })
	}
	return out
}

func silence(j *fleet.Judgement) (time.Time, string) {
	return j.LastSeen(), fmt.Sprintf("the endpoint %s says nothing; it was last heard of on %s", j.Machine(),
		j.LastSeen().UTC().Format("2006-01-02 15:04 UTC"))
}

func failure(j *fleet.Judgement) (time.Time, string) {
	x := j.Report().Failures[0]
	return x.Since, fmt.Sprintf("the endpoint %s fails: %s of %s: %s", j.Machine(), x.Step, x.Queue, x.Says)
}
