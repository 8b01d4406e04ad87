package windows

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"cirque/core/endpoint"
	"cirque/core/name"
	"cirque/internal/winspool"
)

// Add makes a queue.
func (s *Spooler) Add(ctx context.Context, w endpoint.Want) error { return s.set(ctx, w) }

// Change sets a queue anew. What waits in it stays.
func (s *Spooler) Change(ctx context.Context, w endpoint.Want) error { return s.set(ctx, w) }

func (s *Spooler) set(ctx context.Context, w endpoint.Want) error {
	k, err := s.kept()
	if err != nil {
		return err
	}
	m := mark{By: markedBy, Queue: w.Queue, User: w.User, Title: w.Title, Place: w.Place, URI: w.URI, Driver: w.Driver,
		Exact: w.Exact, Options: w.Options, Closed: w.Closed}
	if w.Units != nil {
		if m.Units, err = json.Marshal(w.Units); err != nil {
			return err
		}
	}
	if to, yes := connects(m); yes {
		return s.connect(k, m, to)
	}
	all, err := s.queues(k)
	if err != nil {
		return err
	}
	if k.Making != nil { // the machine stopped then: what came of it has its mark from here on, or never came
		if err := s.settle(&k, all); err != nil {
			return err
		}
	}
	if i := slices.IndexFunc(all, func(q queue) bool {
		return !q.own && w.User == "" && strings.EqualFold(q.there.Name, w.Queue)
	}); i >= 0 {
		return fmt.Errorf("a queue %s is already there, and is not managed", all[i].there.Name)
	}
	var sid string
	if w.User != "" {
		if sid, err = s.parts.People.SID(s.login(w.User)); err != nil {
			return fmt.Errorf("the queue %s is for %s alone, whom this machine does not know as %s: %w", w.Queue, w.User,
				s.login(w.User), err)
		}
	}
	if m.As, err = s.driver(ctx, &k, w); err != nil {
		return err
	}
	if m.Port, err = s.parts.Ports.Make(w.URI); err != nil {
		return err
	}
	if k.Ports[m.Port] != w.URI {
		k.Ports[m.Port] = w.URI
		if err := s.keep(k); err != nil {
			return err
		}
	}
	m.Called = call(m, s.login(w.User), all)
	m.Comment = w.Closed
	i := slices.IndexFunc(all, func(q queue) bool { return q.is(w.Queue, w.User) })
	p := winspool.Printer{Name: m.Called, Port: m.Port, Driver: m.As, Comment: m.Comment, Location: w.Place,
		Security: rightsOf(sid, w.Closed != "")}
	if i < 0 {
		err = s.make(&k, m, p)
	} else {
		err = s.change(all[i], m, p)
	}
	if err != nil {
		return err
	}
	if err := s.options(&m); err != nil {
		return err
	}
	err = s.parts.Rights.Secure(m.Called, p.Security)
	if err != nil && (!errors.Is(err, ErrNoRights) || sid != "" || w.Closed != "") { // for everybody it is as good
		if i < 0 { // more people would see it than may
			err = errors.Join(err, s.parts.Queues.Delete(m.Called))
		}
		return err
	}
	if m.Rights, err = s.parts.Rights.Rights(m.Called); err != nil {
		return err
	}
	if i >= 0 && halted(all[i].there) {
		if err := s.parts.Rights.Resume(m.Called); err != nil {
			return err
		}
	}
	if err := s.mark(m); err != nil {
		return err
	}
	return s.sweep(k)
}

// make makes the spooler's queue. Until it has its mark, the memory says whose it is.
func (s *Spooler) make(k *kept, m mark, p winspool.Printer) error {
	k.Making = &m
	if err := s.keep(*k); err != nil {
		return err
	}
	p.Attributes = winspool.AttributeLocal
	err := s.parts.Queues.Add(p)
	if err == nil {
		if err = s.mark(m); err != nil {
			err = errors.Join(err, s.parts.Queues.Delete(p.Name))
		}
	}
	// From here on a queue of that name without a mark is somebody else's.
	k.Making = nil
	return errors.Join(err, s.keep(*k))
}

// settle ends a making that was broken off: the queue gets its mark where it is there.
func (s *Spooler) settle(k *kept, all []queue) error {
	m := *k.Making
	if slices.ContainsFunc(all, func(q queue) bool {
		return q.is(m.Queue, m.User) && strings.EqualFold(q.there.Name, m.Called)
	}) {
		if err := s.mark(m); err != nil {
			return err
		}
	}
	k.Making = nil
	return s.keep(*k)
}

// mark keeps a mark with its queue.
func (s *Spooler) mark(m mark) error {
	text, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return s.parts.Queues.SetMark(m.Called, string(text))
}

// change brings the spooler's queue there; what a person gave it besides stays.
func (s *Spooler) change(was queue, m mark, p winspool.Printer) error {
	to := was.there
	to.Port, to.Driver, to.Comment, to.Location, to.Security = p.Port, p.Driver, p.Comment, p.Location, ""
	to.Attributes &^= winspool.AttributeWorkOffline
	if was.there.Driver != p.Driver {
		to.Mode = nil // the other driver's
	}
	if was.there.Name != m.Called {
		return s.parts.Queues.Rename(was.there.Name, m.Called, to)
	}
	return s.parts.Queues.Set(was.there.Name, to)
}

// options gives a queue its defaults: as a print ticket where its driver takes one, and in the members of the DEVMODE
// that every driver has.
func (s *Spooler) options(m *mark) error {
	mode, err := s.parts.Queues.Mode(m.Called, nil)
	if err != nil {
		mode = winspool.Fresh(m.Called) // a driver that shows no settings
	}
	if len(m.Options) > 0 {
		if t := ticketFor(m.Options); t != nil {
			if with, err := s.parts.Drivers.Ticket(m.Called, t); err == nil {
				mode = with
			}
		}
		mode = modeOf(m.Options).Put(mode)
		if checked, err := s.parts.Queues.Mode(m.Called, mode); err == nil {
			mode = checked
		}
	}
	if err := s.parts.Queues.SetMode(m.Called, mode); err != nil {
		return err
	}
	m.Shown = after(m.Options, mode)
	return nil
}

// connect makes a connection in a person's own session.
func (s *Spooler) connect(k kept, m mark, to string) error {
	login := s.login(m.User)
	there, err := s.parts.People.Connections(login)
	if err != nil {
		return err
	}
	of := k.Connections[name.Fold(login)]
	if _, own := of[to]; slices.Contains(there, to) && !own {
		return fmt.Errorf("%s has a connection to %s already, which is not managed", m.User, to)
	}
	for was, before := range of {
		if before.Queue == m.Queue && was != to {
			if err := s.parts.Connections.Disconnect(login, was); err != nil {
				return err
			}
			delete(of, was)
		}
	}
	if of == nil {
		of = map[string]mark{}
		k.Connections[name.Fold(login)] = of
	}
	of[to] = m
	if err := s.keep(k); err != nil { // before it is there, so that it is known as ours whatever happens
		return err
	}
	if slices.Contains(there, to) {
		return nil
	}
	return s.parts.Connections.Connect(login, to)
}

// Remove takes a queue of the agent's own away, and with it the default that it was.
func (s *Spooler) Remove(_ context.Context, called, person string) error {
	k, err := s.kept()
	if err != nil {
		return err
	}
	login := s.login(person)
	for to, m := range k.Connections[name.Fold(login)] {
		if m.Queue != called || person == "" {
			continue
		}
		if err := s.parts.Connections.Disconnect(login, to); err != nil {
			return err
		}
		delete(k.Connections[name.Fold(login)], to)
		return s.sweep(k)
	}
	all, err := s.queues(k)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(q queue) bool { return q.is(called, person) })
	if i < 0 {
		if person == "" && slices.ContainsFunc(all, func(q queue) bool {
			return !q.own && strings.EqualFold(q.there.Name, called)
		}) {
			return fmt.Errorf("the queue %s is not managed", called)
		}
		return nil
	}
	if err := s.parts.Queues.Delete(all[i].there.Name); err != nil {
		return err
	}
	if person == "" && k.Default == called {
		k.Default = ""
	}
	if person != "" && k.Given[name.Fold(login)] == called {
		delete(k.Given, name.Fold(login))
	}
	return s.sweep(k)
}

// sweep takes away the ports of the agent's own to which nothing leads any more, and keeps what is known.
func (s *Spooler) sweep(k kept) error {
	printers, err := s.parts.Queues.Printers()
	if err != nil {
		return err
	}
	for called, uri := range k.Ports {
		if slices.ContainsFunc(printers, func(p winspool.Printer) bool { return strings.EqualFold(p.Port, called) }) {
			continue
		}
		if err := s.parts.Ports.Delete(called, uri); err == nil { // one that is in use still goes later
			delete(k.Ports, called)
		}
	}
	return s.keep(k)
}
