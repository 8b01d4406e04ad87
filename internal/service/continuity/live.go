package continuity

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/live"
)

// Duties lists what does not serve just now.
func (s *Room) Duties(ctx context.Context, p *access.Principal) ([]live.Note, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	return s.store.Duties(ctx, nil)
}

// Drain takes a server out of duty, until a time where one is given. It says whether that changed anything.
func (s *Room) Drain(ctx context.Context, p *access.Principal, server, reason string,
	until *time.Time) (changed bool, err error) {
	if err := access.Check(p, access.Drain); err != nil {
		return false, err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return false, fault.New(fault.Invalid, "reason-missing", "say in a few words why, with --reason",
			"a drain needs a reason")
	}
	if until != nil && !until.After(s.now()) {
		return false, fault.New(fault.Invalid, "until-past", "name a time to come", "%s is past", until.Format(time.RFC3339))
	}
	e := event.Event{Kind: event.Drained}
	if until == nil {
		e = e.Saying("The server {server} was drained: {reason}", "server", server, "reason", reason)
	} else {
		e = e.Saying(
			"The server {server} was drained: {reason}; until {until}", "server", server, "reason", reason, "until",
			until.UTC().Format("2006-01-02 15:04 UTC"))
	}
	changed, err = s.setDuty(ctx, p, live.Note{Name: server, Duty: live.Drained, Reason: reason, Until: until}, e)
	if changed {
		s.wakeHealth()
	}
	return changed, err
}

// Return puts a server back on duty. A member of a set takes its people back over the time that the estate says, unless
// it is to be at once.
func (s *Room) Return(ctx context.Context, p *access.Principal, server string, atOnce bool) (changed bool,
	err error) {
	n := s.returning(server, atOnce)
	e := event.Event{Kind: event.Returned}
	if n.Until == nil {
		e = e.Saying("The server {server} is back on duty", "server", server)
	} else {
		e = e.Saying("The server {server} is back on duty, and takes its people back until {until}", "server", server,
			"until", n.Until.UTC().Format("15:04 UTC"))
	}
	changed, err = s.setDuty(ctx, p, n, e)
	if changed {
		s.wakeHealth()
	}
	return changed, err
}

// returning is the note of a server that comes back on duty from now on.
func (s *Room) returning(server string, atOnce bool) live.Note {
	n := live.Note{Kind: "server", Name: server, Duty: live.Serving, Share: 1}
	doc := s.present.View().Document()
	over := doc.Continuity().Return.D()
	inSet := slices.ContainsFunc(doc.ServerSets, func(set estate.ServerSet) bool {
		return len(set.Members) > 1 && slices.Contains(set.Members, server)
	})
	if atOnce || over == 0 || !inSet {
		return n
	}
	begun := s.now().UTC()
	until := begun.Add(over)
	n.Begun, n.Until = &begun, &until
	n.Share = n.Grown(begun)
	return n
}

func (s *Room) setDuty(ctx context.Context, p *access.Principal, n live.Note, e event.Event) (bool, error) {
	if err := access.Check(p, access.Drain); err != nil {
		return false, err
	}
	doc := s.present.View().Document()
	if doc.Find(estate.Ref{List: "servers", Name: n.Name}) == nil {
		return false, unknownServer(doc, n.Name)
	}
	if err := access.CheckObject(p, access.Drain, doc, estate.Ref{List: "servers", Name: n.Name}); err != nil {
		return false, err
	}
	n.Kind, n.Author = "server", p.Name
	only := func(was live.Note) bool {
		// One that is on its way back already is not sent back to the start.
		return n.Duty != live.Serving || was.Duty != live.Serving || n.Share == 1
	}
	e.Subject, e.Author = n.Name, p.Name
	changed, err := s.store.SetLive(ctx, n, only, e)
	if err != nil {
		return changed, err
	}
	s.present.Show(ctx, event.Signal{What: event.Live})
	return changed, nil
}

func unknownServer(doc *estate.Document, server string) error {
	fix := "see the servers of the estate"
	var names []string
	for _, v := range doc.Servers {
		names = append(names, v.Name)
	}
	if k := document.Nearest(server, names); k != "" {
		fix = fmt.Sprintf("did you mean %s?", k)
	} else if set, ok := doc.Find(estate.Ref{List: "server_sets", Name: server}).(*estate.ServerSet); ok {
		fix = "a set is drained member by member: " + strings.Join(set.Members, ", ")
	}
	return fault.New(fault.Unknown, "server-unknown", fix, "the estate has no server %q", server)
}
