package alerts

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/notice"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// Faults lists what is wrong just now, the longest first.
func (s *Room) Faults(ctx context.Context, p *access.Principal) ([]notice.Fault, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	list, err := s.faults(ctx)
	if err != nil {
		return nil, err
	}
	ends, err := s.lateFaults(ctx)
	if err != nil {
		return nil, err
	}
	list = append(list, ends...)
	seen, err := s.store.SeenFaults(ctx)
	if err != nil {
		return nil, err
	}
	now := s.now().UTC()
	for i := range list {
		list[i].since(seen, now)
	}
	out := make([]notice.Fault, 0, len(list))
	for _, f := range list {
		out = append(out, f.Fault)
	}
	slices.SortStableFunc(out, func(a, b notice.Fault) int { return a.Since.Compare(b.Since) })
	return out, nil
}

// endpointsFresh is for how long it is good which endpoints fail: they all have to be judged.
const endpointsFresh = 3 * time.Second

// failingLately keeps which endpoints failed lately.
type failingLately struct {
	sync.Mutex
	list []aFault  // guarded by the mutex, as is at
	at   time.Time // zero before the first time
}

// lateFaults is endpointFaults, at most every few seconds.
func (s *Room) lateFaults(ctx context.Context) ([]aFault, error) {
	s.failing.Lock()
	defer s.failing.Unlock() // so that several who ask at once have it judged once
	if now := s.now(); s.failing.at.IsZero() || now.Sub(s.failing.at) >= endpointsFresh {
		list, _, err := s.endpointFaults(ctx)
		if err != nil {
			return nil, err
		}
		s.failing.list, s.failing.at = list, now
	}
	return slices.Clone(s.failing.list), nil
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

// faults gives what is wrong but for endpoints, which take longer.
func (s *Room) faults(ctx context.Context) ([]aFault, error) {
	var out []aFault
	add := func(about, key, name, location string, since time.Time, fix, says string, args ...any) *aFault {
		out = append(out, aFault{notice.Fault{Key: key, About: about, Name: name, Location: location, Since: since.UTC(),
			Says: fmt.Sprintf(says, args...), Fix: fix}})
		if since.IsZero() {
			out[len(out)-1].Since = time.Time{}
		}
		return &out[len(out)-1]
	}
	snap := s.present.View()
	doc := snap.Document()
	healths, err := s.store.Healths(ctx)
	if err != nil {
		return nil, err
	}
	found := map[present.Watched]continuity.Health{}
	for _, h := range healths {
		found[present.Watched{Kind: h.Kind, Name: h.Name}] = h
	}
	none := time.Time{}
	for _, l := range s.present.Watched(stock.KindServer) {
		h := found[present.Watched{Kind: "server", Name: l.Name}]
		kept := s.present.Stock().Server(l.Name)
		switch {
		case l.InEstate && h.Verdict == continuity.Gone:
			f := add(estate.AboutServers, "server "+l.Name, l.Name, l.Location, h.Since, "see that it runs; its people are "+
				"led elsewhere where something else serves them: cirque moves", "the server %s does not answer: %s", l.Name, h.Says)
			f.Owners = s.ownersOn(l.Name, kept.Server)
		case l.Check != nil && !l.Check.OK && h.Verdict != continuity.Gone && (l.Check.Answered != nil ||
			!slices.Contains(neverThere, l.Check.Code)):
			add(estate.AboutServers, "server "+l.Name+" unread", l.Name, l.Location, l.Check.Since, l.Check.Fix,
				"the server %s cannot be read: %s", l.Name, l.Check.Says)
		}
		if h.Held {
			add(estate.AboutServers, "server "+l.Name+" held", l.Name, l.Location, none, "look why it goes up and down: "+
				"cirque health server "+l.Name, "the server %s answers, and is held down since it went up and "+
				"down too often", l.Name)
		}
		if kept.Server != nil && kept.Check.OK {
			for _, q := range kept.Server.Queues {
				if !q.Ready() {
					why := strings.Join(q.Reasons, ", ")
					if why == "" {
						why = "no reason is given"
					}
					add(estate.AboutServers, "server "+l.Name+" queue "+q.Name, q.Name+" on "+l.Name, l.Location, none,
						"start it there, or mend its device", "the queue %s on %s is not ready: %s", q.Name, l.Name, why)
				}
			}
		}
	}
	list := s.present.Watched(stock.KindDevice)
	st := s.present.Stock()
	differs := stock.DeviceDifferences(doc, list, st.Sightings(), st.Reservations)
	for _, l := range list {
		h := found[present.Watched{Kind: "device", Name: l.Name}]
		if l.InEstate && h.Verdict == continuity.Gone {
			add(estate.AboutDevices, "device "+l.Name, l.Name, l.Location, h.Since, "see that it is on, and its address",
				"the device %s does not answer: %s", l.Name, h.Says)
		}
		for _, d := range differs[l.Name] {
			if d.Kind == "moved" || d.Kind == "swapped" || d.Kind == "address-shared" {
				add(estate.AboutDevices, "device "+l.Name+" "+d.Kind, l.Name, l.Location, none, d.Fix, "the device %s",
					strings.TrimPrefix(d.Says, "the device "))
			}
		}
		if l.Reading != nil && l.Check != nil && l.Check.OK && l.Reading.State == "stopped" {
			why := strings.Join(l.Reading.Reasons, ", ")
			if why == "" {
				why = "no reason is given"
			}
			add(estate.AboutDevices, "device "+l.Name+" stopped", l.Name, l.Location, none, "see the device",
				"the device %s is stopped: %s", l.Name, why)
		}
	}
	for _, set := range doc.ServerSets {
		for _, says := range s.present.Stock().SetView(snap.Document(), set).Lacks() {
			location := ""
			if v, ok := doc.Find(estate.Ref{List: "servers", Name: set.Members[0]}).(*estate.Server); ok {
				location = v.Location
			}
			add(estate.AboutSets, "set "+set.Name+": "+says, set.Name, location, none, "set the queue up there, or take the "+
				"server out of the set: cirque server set "+set.Name, "the server set %s: %s", set.Name, says)
		}
	}
	if err := s.directoryFaults(ctx, func(key, name string, since time.Time, fix, says string) {
		add(estate.AboutDirectory, key, name, "", since, fix, "%s", says)
	}); err != nil {
		return nil, err
	}
	now := s.now()
	for _, c := range st.Credentials {
		switch {
		case c.State == "refused":
			add(estate.AboutKeys, "key "+c.Name, c.Name, "", none, "enter it anew: cirque credential add",
				"the key %s is refused", c.Name)
		case c.Expires != nil && c.Expires.Before(now):
			add(estate.AboutKeys, "key "+c.Name+" ended", c.Name, "", *c.Expires, "enter the new one: cirque credential add",
				"the key %s has ended", c.Name)
		case c.Expires != nil && c.Expires.Sub(now) < stock.ExpiresSoon:
			add(estate.AboutKeys, "key "+c.Name+" ends", c.Name, "", c.Expires.Add(-stock.ExpiresSoon),
				"enter the next one in time: cirque credential add", "the key %s ends on %s", c.Name,
				c.Expires.Format(time.DateOnly))
		}
	}
	return out, nil
}

func (s *Room) directoryFaults(ctx context.Context, add func(key, name string, since time.Time, fix,
	says string)) error {
	sources, _, err := s.store.Sources(ctx)
	if err != nil {
		return err
	}
	for _, v := range sources {
		runs, err := s.store.Runs(ctx, v.Name, directory.LatestRuns)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(runs, func(r directory.Run) bool {
			return r.Kind != directory.RunDry && r.Over() && r.State != directory.Stopped
		})
		if i < 0 || v.Paused {
			continue
		}
		switch r := runs[i]; r.State {
		case directory.Failed:
			add("source "+v.Name, v.Name, time.Time{}, r.Fix, fmt.Sprintf("the directory %s cannot be read: %s", v.Name, r.Says))
		case directory.Held:
			add("source "+v.Name+" held", v.Name, time.Time{}, r.Fix, fmt.Sprintf("a pass over the directory %s is held: %s",
				v.Name, r.Says))
		}
	}
	listings, err := s.store.Listings(ctx)
	for _, l := range listings {
		if l.Code != "" {
			add("listing "+l.Source, l.Source, time.Time{}, l.Fix, fmt.Sprintf("queues cannot be listed in %s: %s",
				l.Source, l.Says))
		}
	}
	return err
}

// endpointFaults gives the endpoints that fail or are silent, and how many there are in all.
func (s *Room) endpointFaults(ctx context.Context) (out []aFault, all int, err error) {
	list, err := s.store.Endpoints(ctx)
	if err != nil {
		return nil, 0, err
	}
	for _, r := range list {
		if ctx.Err() != nil {
			return nil, 0, present.Stopped()
		}
		lineups := s.present.View().Lineups(r, s.now())
		location := lineup.LocationOf(lineups)
		f := notice.Fault{Key: "endpoint " + r.Report.Machine, About: estate.AboutEndpoints, Name: r.Report.Machine,
			Location: location, Fix: "see what is wrong: cirque endpoint checkup " + r.Report.Machine}
		switch s.present.View().Judge(r, lineups, s.now()).State {
		case endpoint.Silent:
			f.Since, f.Says = r.LastSeen, fmt.Sprintf("the endpoint %s says nothing; it was last heard of on %s",
				r.Report.Machine, r.LastSeen.UTC().Format("2006-01-02 15:04 UTC"))
		case endpoint.Failing:
			x := r.Report.Failures[0]
			f.Since, f.Says = x.Since, fmt.Sprintf("the endpoint %s fails: %s of %s: %s", r.Report.Machine, x.Step,
				x.Queue, x.Says)
		default:
			continue
		}
		out = append(out, aFault{f})
	}
	return out, len(list), nil
}

// ownersOn gives the people whose jobs wait on a server that is down, by what it told last.
func (s *Room) ownersOn(server string, r *stock.Server) []notice.Owner {
	if r == nil {
		return nil
	}
	var out []notice.Owner
	for _, j := range r.Waiting {
		w := s.present.View().WaitingJob(server, r, j, continuity.Gone)
		if w.Person == "" {
			continue
		}
		i := slices.IndexFunc(out, func(o notice.Owner) bool { return o.Person == w.Person })
		if i < 0 {
			i = len(out)
			out = append(out, notice.Owner{Person: w.Person, Mail: s.present.View().MailOf(w.Person),
				Says: strings.ToUpper(w.Becomes[:1]) +
					w.Becomes[1:]})
		}
		called := w.Name
		if called == "" {
			called = fmt.Sprintf("job %d", w.ID)
		}
		out[i].Jobs = append(out[i].Jobs, called+" on "+w.Queue)
	}
	return out
}
