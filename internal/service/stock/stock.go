package stock

import (
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/live"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// register keeps a watch, as it gives it back, after having tried it. Where it does not answer, it is kept only if
// anyway says so.
func (s *Room) register(ctx context.Context, p *access.Principal, w stock.Watch, anyway bool) (stock.Watch, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return w, err
	}
	if s.cfg.Prober == nil {
		return w, fault.New(fault.Unavailable, "no-probing", "start the service with probing", "this service reads no "+
			"servers and devices")
	}
	w.Author = p.Name
	named := strings.TrimSpace(w.Name) != ""
	if err := s.checkWatch(&w); err != nil {
		return w, err
	}
	w.Entered = w.URI
	l := stock.Listed{Watch: w, Identity: stock.Identity{MAC: w.MAC}}
	k, tryErr := s.question(ctx, l)
	if tryErr != nil && !anyway {
		f := fault.As(tryErr)
		return w, fault.New(f.Kind, f.Code, f.Fix+"; or register it anyway", "%s", f.What)
	}
	if d := k.Device; d != nil && d.URI != "" && !hasPath(w.URI) {
		w.URI = d.URI // where it answered
	}
	if w.MAC == "" && k.Device != nil {
		w.MAC = k.Device.MAC
	}
	if name := s.ownName(w, k.Device); name != "" && !named {
		w.Name, k.Name = name, name
	}
	if err := s.store.SaveWatch(ctx, w, event.Event{Kind: event.Registered, Subject: w.Name, Author: p.Name}.Saying(
		"The {kind} {name} at {uri} was registered", "kind", w.Kind, "name", w.Name, "uri", w.URI).With(nil, w)); err != nil {
		return w, err
	}
	if err := s.store.SaveReading(ctx, k, false, nil); err != nil {
		return w, err
	}
	if w.Kind == stock.KindDevice {
		if err := s.store.Forget(ctx, []string{stock.Host(w.URI)}, p.Name); err != nil {
			return w, err
		}
		s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "found"})
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "watch"})
	return w, nil
}

// ownName is what a device that somebody registered by its bare address calls itself, where that is free.
func (s *Room) ownName(w stock.Watch, d *stock.Device) string {
	if _, bare := stock.Address(w.URI); d == nil || w.Kind != stock.KindDevice || !bare {
		return ""
	}
	name := stock.Slug(d.Name)
	if !estate.ValidName(name) || slices.ContainsFunc(s.present.Watched(w.Kind), func(l stock.Listed) bool {
		return l.Name == name
	}) {
		return ""
	}
	return name
}

func hasPath(uri string) bool {
	_, rest, _ := strings.Cut(uri, "://")
	_, path, _ := strings.Cut(rest, "/")
	return path != ""
}

// checkWatch brings what somebody typed into form, and says what is wrong with it.
func (s *Room) checkWatch(w *stock.Watch) error {
	w.URI, w.Name, w.Title, w.Location = strings.TrimSpace(w.URI), strings.TrimSpace(w.Name), strings.TrimSpace(w.Title),
		strings.Trim(w.Location, "/ ")
	if w.URI == "" {
		return fault.New(fault.Invalid, "address-missing", "give its host name, address or URI", "there is no address")
	}
	if !strings.Contains(w.URI, "://") {
		w.URI = "ipp://" + w.URI + "/"
	}
	host := stock.Host(w.URI)
	if host == "" || strings.ContainsAny(host, " _/\\") {
		return fault.New(fault.Invalid, "address-invalid", "write a host name, an address, or a URI such as ipp://HOST:631/",
			"%q is no address", w.URI)
	}
	if w.Name == "" {
		first, _, _ := strings.Cut(host, ".")
		if _, isAddr := stock.Address(w.URI); isAddr {
			first = w.Kind + " " + host
		}
		w.Name = stock.Slug(first)
	}
	if !estate.ValidName(w.Name) {
		return fault.New(fault.Invalid, "name-invalid", "write small letters, digits, dots and dashes, such as "+
			stock.Slug(w.Name), "%q is no name", w.Name)
	}
	if w.MAC != "" {
		mac, ok := estate.NormalMAC(w.MAC)
		if !ok {
			return fault.New(fault.Invalid, "mac-invalid", "write twelve hex digits, such as 02:00:5e:10:00:31",
				"%q is no hardware address", w.MAC)
		}
		w.MAC = mac
	}
	if w.Kind == stock.KindDevice && !slices.Contains([]string{"", "reservation", "static", "unknown"}, w.AddressKeptBy) {
		return fault.New(fault.Invalid, "kept-by-invalid", "write reservation, static or unknown",
			"an address is not kept by %q", w.AddressKeptBy)
	}
	if c := w.Credential; c != "" && !slices.ContainsFunc(s.present.Stock().Credentials, func(o stock.Credential) bool {
		return o.Name == c
	}) {
		return fault.New(fault.Unknown, "credential-unknown", "see cirque credential list", "no key is called %q", c)
	}
	for _, l := range s.present.Watched(w.Kind) {
		switch {
		case l.Name == w.Name && l.InEstate && !stock.SameHost(l.URI, w.URI):
			return fault.New(fault.Conflict, "name-taken", "choose another name, or change the estate",
				"the estate has the %s %s at %s", w.Kind, w.Name, l.URI)
		case l.Name != w.Name && stock.SameAuthority(l.URI, w.URI):
			return fault.New(fault.Conflict, "address-taken", "look at it under that name, or take that one out first",
				"%s is %s already", stock.Host(w.URI), l.Name)
		}
	}
	other := stock.KindServer
	if w.Kind == stock.KindServer {
		other = stock.KindDevice
	}
	for _, l := range s.present.Watched(other) {
		if stock.SameAuthority(l.URI, w.URI) {
			return fault.New(fault.Conflict, "address-taken", "look which of the two it is", "%s is the address of the %s %s",
				stock.Host(w.URI), other, l.Name)
		}
	}
	return nil
}

// Unregister forgets a server or device that was registered by hand; its queues are not touched.
func (s *Room) Unregister(ctx context.Context, p *access.Principal, kind, name string) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	if err := s.store.RemoveWatch(ctx, kind, name, event.Event{Kind: event.Unregistered, Subject: name,
		Author: p.Name}.Saying(
		"The {kind} {name} is no longer watched", "kind", kind, "name", name)); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "watch"})
	return nil
}

// ReadNow questions a server or device at once.
func (s *Room) ReadNow(ctx context.Context, p *access.Principal, kind, name string) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	l, err := s.present.WatchedOne(kind, name)
	if err != nil {
		return err
	}
	if s.cfg.Prober == nil {
		return fault.New(fault.Unavailable, "no-probing", "start the service with probing", "this service reads no servers "+
			"and devices")
	}
	if err := l.OnNetwork(); err != nil {
		return err
	}
	return s.Read(ctx, l)
}

// Read questions one and keeps what came of it: changes and failures become events.
func (s *Room) Read(ctx context.Context, l stock.Listed) error {
	// One at a time of each: what changed is told once.
	lock, _ := s.reading.LoadOrStore([2]string{l.Kind, l.Name}, &sync.Mutex{})
	lock.(*sync.Mutex).Lock()
	defer lock.(*sync.Mutex).Unlock()
	before, known := s.present.Stock().Kept.Get(present.Watched{Kind: l.Kind, Name: l.Name})
	k, err := s.question(ctx, l)
	if ctx.Err() != nil {
		return ctx.Err() // it proves nothing
	}
	var events []event.Event
	tell := func(kind, pattern string, pairs ...any) {
		events = append(events, event.Event{Kind: kind, Subject: l.Name, Author: "stock-taking"}.Saying(pattern, pairs...))
	}
	switch {
	case err != nil && (!known || before.Check.OK):
		tell(event.Fails, "The {kind} {name} cannot be read: {reason}", "kind", l.Kind, "name", l.Name, "reason",
			k.Check.Says)
	case err == nil && known && !before.Check.OK:
		tell(event.Answers, "The {kind} {name} answers again", "kind", l.Kind, "name", l.Name)
	}
	same := false
	switch {
	case err != nil:
		k.Identity = before.Identity
	case k.Server != nil:
		if stock.Restarted(before.Server, k.Server) {
			k.Server.Restarts++
		}
		for _, c := range stock.ServerChanges(l.Name, before.Server, k.Server) {
			tell(event.Found, "{change}", "change", c.Says)
		}
		same = stock.SameServer(before.Server, k.Server)
	case k.Device != nil:
		for _, says := range stock.DeviceChanges(l.Name, before.Device, k.Device) {
			tell(event.Found, "{change}", "change", says)
		}
	}
	if err := s.store.SaveReading(ctx, k, same, events); err != nil {
		return err
	}
	if k.Server == nil && k.Device == nil || same { // what was known before stays, as it does in the store
		k.Server, k.Device = before.Server, before.Device
	}
	s.present.Keep(k)
	s.showList(ctx, k)
	return nil
}

// showList has lineups follow at once where a server has other queues than was known.
func (s *Room) showList(ctx context.Context, k stock.Kept) {
	if k.Server == nil || !k.Check.OK {
		return
	}
	names, whole := k.Server.Names()
	known := s.present.View().World.Live.Lists[k.Name]
	if whole && !known.Same(live.NewList(k.Server.At, k.Server.At, names)) || !whole && known != nil {
		s.present.Show(ctx, event.Signal{What: event.Live, Subject: k.Name})
	}
}

const serverWithin = 60 * time.Second

// question asks a server or device, with the keys that are meant for it.
func (s *Room) question(ctx context.Context, l stock.Listed) (stock.Kept, error) {
	before, _ := s.present.Stock().Kept.Get(present.Watched{Kind: l.Kind, Name: l.Name})
	k := stock.Kept{Kind: l.Kind, Name: l.Name, Identity: before.Identity}
	keys := s.cfg.Keys.KeysFor(l.Watch)
	begin := s.now()
	var err error
	if l.Kind == stock.KindServer {
		ctx, cancel := context.WithTimeout(ctx, serverWithin)
		if k.Server, err = s.cfg.Prober.ReadServer(ctx, l.URI, stock.SignInOf(keys), before.Server); err == nil {
			k.Server.Waiting = s.readWaiting(ctx, l, k.Server, stock.SignInOf(keys))
		}
		cancel()
	} else {
		if k.Device, err = s.cfg.Prober.ReadDevice(ctx, l.URI, keys); err == nil {
			k.Identity = learned(l.Identity, *k.Device)
		}
	}
	k.Check = checked(before.Check, begin.UTC(), s.now().Sub(begin), err)
	words.Clean(&k) // what a device calls itself is somebody's text
	s.cfg.KeyNotes.NoteKeys(ctx, keys)
	return k, err
}

// learned adds what a reading says of a device's identity, unless it is another device.
func learned(known stock.Identity, d stock.Device) stock.Identity {
	of := stock.IdentityOf(d)
	if known.Compare(of) == stock.Different {
		return known
	}
	return known.Merge(of)
}

// checked notes a try, and since when it has been so.
func checked(before stock.Check, at time.Time, took time.Duration, err error) stock.Check {
	c := stock.Check{At: at.Truncate(time.Millisecond), OK: err == nil, Says: "it answers", Since: before.Since,
		Answered: before.Answered, Millis: int(took / time.Millisecond)}
	if err != nil {
		f := fault.As(err)
		c.Code, c.Says, c.Fix = f.Code, f.What, f.Fix
	} else {
		c.Answered = &c.At
	}
	if before.At.IsZero() || before.OK != c.OK || before.Code != c.Code {
		c.Since = c.At
	}
	return c
}
