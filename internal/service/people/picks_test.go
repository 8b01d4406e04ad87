package people_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/people"
	"cirque/internal/testkit/rooms"
)

const offered = `
estate: 1
locations: [{path: ard}, {path: bra}]
queues:
  - {name: hall, location: ard, paths: [{gateway: true}]}
  - {name: pier, location: bra, paths: [{gateway: true}]}
  - {name: desk, location: ard, paths: [{gateway: true}]}
grants: [{name: o, effect: offer, queues: [hall, pier], to: [everyone]}, {name: p, effect: place, queues: [desk], to: [everyone]}]
`

type store struct {
	people.Store
	picks    []string
	requests map[int64]access.Request
}

func (s *store) SetPick(_ context.Context, person, queue string, picked bool, _ event.Event) (bool, error) {
	s.picks = append(s.picks, person+" "+queue+" "+map[bool]string{true: "yes", false: "no"}[picked])
	return true, nil
}

func (s *store) Request(_ context.Context, id int64) (access.Request, error) {
	r, ok := s.requests[id]
	if !ok {
		return r, fault.New(fault.Unknown, "request-unknown", "", "no request %d", id)
	}
	return r, nil
}

func (s *store) AddRequest(_ context.Context, r access.Request) (access.Request, error) {
	r.ID = int64(len(s.requests) + 1)
	s.requests[r.ID] = r
	return r, nil
}

// seen are the people who are known.
type seen struct{ known []string }

func (s seen) KnownPerson(_ context.Context, called string) error {
	if slices.Contains(s.known, called) {
		return nil
	}
	return fault.New(fault.Unknown, "user-unknown", "see cirque directory find", "nobody knows a person %q", called)
}

func (seen) KnownMachine(context.Context, string) error { return nil }

type changes struct{}

func (changes) Change(context.Context, *access.Principal, string, *int64,
	func(estate.DraftSheet) (*estate.Document, error)) (estate.DraftSheet, error) {
	return estate.DraftSheet{}, nil
}

func room(t *testing.T) (*people.Room, *store) {
	t.Helper()
	w := rooms.New(t, offered, directory.Records{Users: []directory.User{{Name: "Mira"}, {Name: "jonas"}}})
	s := &store{requests: map[int64]access.Request{}}
	return people.New(people.Config{Store: s, Present: w.Present, Log: rooms.Quiet, Now: w.Now, Changes: changes{},
		Known: seen{[]string{"jonas", "Mira"}}}), s
}

// TestPick: one's own, or another's by whoever may, at their sites; nothing is noted where it is refused.
func TestPick(t *testing.T) {
	t.Parallel()
	r, s := room(t)
	ctx := t.Context()
	mira := &access.Principal{Name: "mira", User: "mira", Account: "mira", Role: access.Person}
	for _, c := range []struct {
		who           *access.Principal
		person, queue string
		kind          fault.Kind
	}{
		{mira, "MIRA", "hall", ""}, {mira, "jonas", "hall", fault.Denied}, {mira, "mira", "none", fault.Unknown},
		{rooms.Who(access.Administrator), "jonas", "pier", ""}, {rooms.Who(access.Administrator), "", "pier", fault.Invalid},
		{rooms.Who(access.SiteAdmin, "bra"), "jonas", "hall", fault.Denied},
		{rooms.Who(access.SiteAdmin, "bra"), "jonas", "pier", ""}, {mira, "mira", "desk", fault.Conflict},
		{rooms.Who(access.Administrator), "nobody", "hall", fault.Unknown}, {rooms.Who(access.Auditor), "jonas", "pier", fault.Denied},
	} {
		_, err := r.Pick(ctx, c.who, c.person, c.queue, true)
		if c.kind == "" && err != nil || c.kind != "" && !fault.Is(err, c.kind) {
			t.Errorf("%s for %q, %s: %v", c.who.Role, c.person, c.queue, err)
		}
	}
	if got := strings.Join(s.picks, ", "); got != "mira hall yes, jonas pier yes, jonas pier yes" {
		t.Error(got)
	}
}
