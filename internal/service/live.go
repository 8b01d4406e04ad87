package service

import (
	"context"
	"fmt"
	"strings"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/live"
	"cirque/core/name"
	"cirque/internal/fault"
)

// Duties lists what does not serve just now.
func (s *Service) Duties(ctx context.Context, p *access.Principal) ([]live.Note, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	return s.store.Duties(ctx, nil)
}

// Drain takes a server out of duty. It says whether that changed anything.
func (s *Service) Drain(ctx context.Context, p *access.Principal, server, reason string) (changed bool, err error) {
	if reason = strings.TrimSpace(reason); reason == "" {
		if err := access.Check(p, access.Drain); err != nil {
			return false, err
		}
		return false, fault.New(fault.Invalid, "reason-missing", "say in a few words why, with --reason", "a drain needs a reason")
	}
	return s.setDuty(ctx, p, server, live.Drained, reason, event.Drained, fmt.Sprintf("The server %s was drained: %s", server, reason))
}

// Return puts a server back on duty.
func (s *Service) Return(ctx context.Context, p *access.Principal, server string) (changed bool, err error) {
	return s.setDuty(ctx, p, server, live.Serving, "", event.Returned, fmt.Sprintf("The server %s is back on duty", server))
}

func (s *Service) setDuty(ctx context.Context, p *access.Principal, server string, duty live.Duty, reason, kind, says string) (bool, error) {
	if err := access.Check(p, access.Drain); err != nil {
		return false, err
	}
	doc := s.Snapshot().World.Estate.Document()
	if doc.Find(estate.Ref{List: "servers", Name: server}) == nil {
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
		return false, fault.New(fault.Unknown, "server-unknown", fix, "the estate has no server %q", server)
	}
	changed, err := s.store.SetLive(ctx, live.Note{Kind: "server", Name: server, Duty: duty, Reason: reason, Author: p.Name}, event.Event{Kind: kind, Subject: server, Author: p.Name, Says: says})
	if err != nil {
		return changed, err
	}
	return changed, s.refresh(ctx, event.Live)
}

// Pick notes that a person picks a queue, or does so no more. An unknown queue is an Unknown fault.
func (s *Service) Pick(ctx context.Context, p *access.Principal, person, queue string, picked bool) (changed bool, err error) {
	if err := access.Check(p, access.PickFor); err != nil {
		return false, err
	}
	if !name.Valid(person) {
		return false, fault.New(fault.Invalid, "person-missing", "say whose pick it is", "%q names no person", person)
	}
	q, err := s.Queue(ctx, p, queue)
	if err != nil {
		return false, err
	}
	kind, says := event.Picked, fmt.Sprintf("%s was picked for %s", q.Name, person)
	if !picked {
		kind, says = event.Unpicked, fmt.Sprintf("%s is no longer picked by %s", q.Name, person)
	}
	changed, err = s.store.SetPick(ctx, person, q.Name, picked, event.Event{Kind: kind, Subject: q.Name, Author: p.Name, Says: says})
	if err != nil {
		return changed, err
	}
	return changed, s.refresh(ctx, event.Live)
}

// Picks lists the queues that a person has picked.
func (s *Service) Picks(_ context.Context, p *access.Principal, person string) ([]string, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	out := []string{}
	return append(out, s.Snapshot().World.Live.Picks[name.Fold(person)]...), nil
}
