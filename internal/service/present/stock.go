package present

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"

	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/findings"
	"cirque/core/lineup"
	"cirque/core/stock"
)

// Stock is what is known of servers, devices, keys and drivers. It is never changed, but replaced.
type Stock struct {
	Watches      map[Watched]stock.Watch
	Kept         *Readings
	Found        []stock.Unlisted
	Reservations []stock.Reservation
	Captures     []stock.Capture
	Credentials  []stock.Credential
	Sealed       map[string][]byte // secrets of the credentials, by name
	Packages     []driver.Package

	lacks   *lacks
	remarks *remarks
}

// remarks are the findings about one estate by what was read, kept until something is read otherwise.
type remarks struct {
	sync.Mutex
	of   *estate.Document // guarded by the mutex, as is list
	list []lineup.Finding
}

// lacks are the findings about server sets of one estate, kept until a server is read otherwise.
type lacks struct {
	sync.Mutex
	of   *estate.Document // guarded by the mutex, as is list
	list []Lack
}

// A Lack is that a member of a server set lacks a queue for which the set is relied on.
type Lack struct {
	Set estate.ServerSet
	stock.Lack
}

// Watched names a server or a device that is read, by its kind and name.
type Watched struct{ Kind, Name string }

// Server gives what was last read of a server, and how that reading went.
func (s *Stock) Server(name string) stock.Kept { return s.read(stock.KindServer, name) }

// Device gives what was last read of a device, and how that reading went.
func (s *Stock) Device(name string) stock.Kept { return s.read(stock.KindDevice, name) }

func (s *Stock) read(kind, name string) stock.Kept {
	k, _ := s.Kept.Get(Watched{kind, name})
	return k
}

// Package gives a package of drivers by its digest.
func (s *Stock) Package(digest string) (driver.Package, bool) {
	for _, k := range s.Packages {
		if k.Digest == digest {
			return k, true
		}
	}
	return driver.Package{}, false
}

// readStock reads again what a notice names.
func (p *Present) readStock(ctx context.Context, n event.Signal) error {
	p.parts.stock.Lock()
	defer p.parts.stock.Unlock()
	kind, name, one := strings.Cut(n.Subject, " ")
	one = one && n.What == event.Stock
	if one && n.Own {
		return nil // whoever wrote it called Keep
	}
	old := p.stock.Load()
	all := n.What == event.Lost || old == nil
	next := Stock{Kept: new(Readings), lacks: new(lacks), remarks: new(remarks)}
	if old != nil {
		next = *old
	}
	part := func(subject string) bool { return all || n.What == event.Stock && n.Subject == subject }
	var err error
	if part("watch") {
		err = p.readWatches(ctx, &next)
	}
	if (all || one || part("watch")) && err == nil {
		if all || !one {
			kind, name = "", ""
		}
		err = p.readKept(ctx, &next, kind, name)
	}
	if part("found") && err == nil {
		next.Found, err = p.cfg.Seen.Found(ctx)
	}
	if part("reservations") && err == nil {
		next.Reservations, err = p.cfg.Seen.Reservations(ctx)
	}
	if part("captures") && err == nil {
		next.Captures, err = p.cfg.Seen.Captures(ctx)
	}
	if part("credentials") && err == nil {
		next.Credentials, next.Sealed, err = p.cfg.Seen.Credentials(ctx)
	}
	if (all || n.What == event.Drivers) && err == nil {
		next.Packages, err = p.cfg.Seen.Packages(ctx)
	}
	if err == nil {
		if all || n.What == event.Drivers {
			next.remarks = new(remarks)
		}
		p.stock.Store(&next)
	}
	return err
}

func (p *Present) readWatches(ctx context.Context, next *Stock) error {
	list, err := p.cfg.Seen.Watches(ctx)
	if err != nil {
		return err
	}
	next.Watches = make(map[Watched]stock.Watch, len(list))
	for _, w := range list {
		w.Entered = w.URI
		next.Watches[Watched{w.Kind, w.Name}] = w
	}
	return nil
}

// readKept reads the readings, all of them where kind and name are "".
func (p *Present) readKept(ctx context.Context, next *Stock, kind, name string) error {
	list, err := p.cfg.Seen.Readings(ctx, kind, name)
	if err != nil {
		return err
	}
	if kind == "" {
		next.Kept, next.lacks, next.remarks = readingsOf(list), new(lacks), new(remarks)
		return nil
	}
	for _, k := range list {
		next.keep(k)
	}
	return nil
}

func (s *Stock) keep(k stock.Kept) {
	if was := s.read(k.Kind, k.Name); k.Kind == stock.KindServer || was.Device == nil || k.Device == nil ||
		was.Device.Model != k.Device.Model || !maps.EqualFunc(was.Device.Supported, k.Device.Supported,
		slices.Equal[[]string]) {
		s.remarks = new(remarks)
	}
	s.Kept = s.Kept.with(k)
	if k.Kind == stock.KindServer {
		s.lacks = new(lacks)
	}
}

// Keep shows a reading that was just written, without reading it back.
func (p *Present) Keep(k stock.Kept) {
	p.parts.stock.Lock()
	defer p.parts.stock.Unlock()
	next := *p.stock.Load()
	next.keep(k)
	p.stock.Store(&next)
}

// Watched lists what is read of a kind, by name: what the estate has, and what is registered beside it.
func (p *Present) Watched(kind string) []stock.Listed {
	st := p.Stock()
	doc := p.View().Document()
	var out []stock.Listed
	if kind == stock.KindServer {
		out = make([]stock.Listed, 0, len(doc.Servers))
		for _, v := range doc.Servers {
			out = append(out, st.listed(st.server(v), true))
		}
	} else {
		out = make([]stock.Listed, 0, len(doc.Devices))
		for _, v := range doc.Devices {
			out = append(out, st.listed(st.device(v), true))
		}
	}
	if len(st.Watches) > 0 {
		seen := make(map[string]bool, len(out))
		for i := range out {
			seen[out[i].Name] = true
		}
		for k, w := range st.Watches {
			if k.Kind == kind && !seen[k.Name] {
				out = append(out, st.listed(w, false))
			}
		}
	}
	byName := func(a, b stock.Listed) int { return strings.Compare(a.Name, b.Name) }
	if !slices.IsSortedFunc(out, byName) {
		slices.SortFunc(out, byName)
	}
	return out
}

// WatchedOne gives one that is read; an Unknown fault where nothing of that name is.
func (p *Present) WatchedOne(kind, name string) (stock.Listed, error) {
	st := p.Stock()
	switch o := p.View().Document().Find(estate.Ref{List: kind + "s", Name: name}).(type) {
	case *estate.Server:
		return st.listed(st.server(*o), true), nil
	case *estate.Device:
		return st.listed(st.device(*o), true), nil
	}
	if w, ok := st.Watches[Watched{kind, name}]; ok {
		return st.listed(w, false), nil
	}
	return stock.Listed{}, fault.New(fault.Unknown, kind+"-unknown", "see cirque "+kind+" list",
		"there is no %s %q", kind, name)
}

func (s *Stock) listed(w stock.Watch, inEstate bool) stock.Listed {
	l := stock.Listed{Watch: w, InEstate: inEstate}
	if k, ok := s.Kept.Get(Watched{w.Kind, w.Name}); ok {
		l.Identity, l.Reading, l.Check = k.Identity, k.Device, &k.Check
	}
	l.Identity = l.Identity.Merge(stock.Identity{MAC: w.MAC})
	return l
}

// server gives how a server of the estate is watched: its credential and note count, the rest is the estate's.
func (s *Stock) server(v estate.Server) stock.Watch {
	w := s.Watches[Watched{stock.KindServer, v.Name}]
	w.Kind, w.Name, w.Title, w.URI, w.Location = stock.KindServer, v.Name, v.Title, v.URI, v.Location
	if v.Note != "" {
		w.Note = v.Note
	}
	return w
}

// device is server for devices.
func (s *Stock) device(v estate.Device) stock.Watch {
	w := s.Watches[Watched{stock.KindDevice, v.Name}]
	w.Kind, w.Name, w.Title, w.URI, w.Location = stock.KindDevice, v.Name, v.Title, v.URI, v.Location
	w.MAC, w.AddressKeptBy, w.Machine = v.MAC, v.AddressKeptBy, v.Machine
	if v.Note != "" {
		w.Note = v.Note
	}
	return w
}

// SetView compares the members of one server set by what was last read of them, and by what is known besides.
func (s *Stock) SetView(doc *estate.Document, set estate.ServerSet, besides func(server string,
	r *stock.Server) *stock.Server) stock.SetView {
	return stock.NewSetView(doc, set, func(server string) *stock.Server {
		return besides(server, s.Server(server).Server)
	})
}

// Lacks gives what members of server sets lack, by what was read of them.
func (s *Stock) Lacks(doc *estate.Document) []Lack {
	s.lacks.Lock()
	defer s.lacks.Unlock()
	if s.lacks.of == doc {
		return s.lacks.list
	}
	var out []Lack
	relied, read := stock.NewRelied(doc), func(server string) *stock.Server { return s.Server(server).Server }
	for _, set := range doc.ServerSets {
		for _, lack := range relied.Lacks(set, read) {
			out = append(out, Lack{set, lack})
		}
	}
	s.lacks.of, s.lacks.list = doc, out
	return out
}

// Findings gives what the stock adds to the findings about the estate: sets that are relied on for queues that a
// member lacks.
func (s *Stock) Findings(doc *estate.Document) []lineup.Finding {
	var out []lineup.Finding
	for _, l := range s.Lacks(doc) {
		fix := "set the queue up there, or take the server out of the set; see cirque server set " + l.Set.Name
		if of := doc.Server(l.Server); of != nil && of.Kept {
			fix = "its agent sets it up: see cirque server kept " + l.Server
		}
		out = append(out, lineup.Finding{Severity: "warning", Object: "server set " + l.Set.Name,
			At: estate.Ref{List: "server_sets", Name: l.Set.Name}, Says: l.String(), Fix: fix})
	}
	return out
}

// Remarks gives all findings about an estate as it meets a directory: what a careful reader would remark on, and what
// the stock adds to that. written are those of the estate and directory alone.
func (s *Stock) Remarks(doc *estate.Document, written []lineup.Finding) []lineup.Finding {
	s.remarks.Lock()
	defer s.remarks.Unlock()
	if s.remarks.of != doc {
		s.remarks.of, s.remarks.list = doc, append(s.Findings(doc), findings.Of(doc, findings.Known{Packages: s.Packages,
			Device: func(name string) *stock.Device { return s.Device(name).Device },
			Server: func(name string) *stock.Server { return s.Server(name).Server }})...)
	}
	out := slices.Concat(s.remarks.list, written)
	slices.SortStableFunc(out, func(a, b lineup.Finding) int { return -strings.Compare(a.Severity, b.Severity) })
	return out
}

// Sightings are what was found at addresses that are not listed.
func (s *Stock) Sightings() []stock.Sighting {
	var out []stock.Sighting
	for i := range s.Found {
		f := &s.Found[i]
		out = append(out, stock.Sighting{URI: f.URI, Seen: &f.Reading})
	}
	return out
}

// Behind gives what was last read of the device behind a queue, or of the queue on a server; empty where nothing was.
func (s *Stock) Behind(doc *estate.Document, queue string) (model string, formats []string) {
	q, ok := doc.Find(estate.Ref{List: "queues", Name: queue}).(*estate.Queue)
	if !ok || q == nil {
		return "", nil
	}
	for _, d := range q.Devices {
		if r := s.Device(d).Device; r != nil && r.Model != "" {
			return r.Model, r.Formats
		}
	}
	for _, w := range q.Paths {
		servers := []string{w.Server}
		if set, ok := doc.Find(estate.Ref{List: "server_sets", Name: w.Set}).(*estate.ServerSet); ok && set != nil {
			servers = set.Members
		}
		for _, v := range servers {
			remote := w.RemoteName
			if remote == "" {
				remote = q.Name
			}
			if r := s.Server(v).Server.Find(remote); r != nil && r.Model != "" {
				return r.Model, r.Formats
			}
		}
	}
	return "", nil
}
