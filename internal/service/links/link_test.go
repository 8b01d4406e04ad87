package links

import (
	"context"
	"slices"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/internal/testkit/rooms"
)

// store notes what is kept.
type store struct {
	links   []directory.Link
	rules   map[string]bool
	primary string
	events  []event.Event
}

func (s *store) AddLink(_ context.Context, l directory.Link, e event.Event) (directory.Link, error) {
	l.ID = int64(len(s.links) + 1)
	s.links, s.events = append(s.links, l), append(s.events, e)
	return l, nil
}

func (s *store) RemoveLink(_ context.Context, id int64, _ string) error {
	if int(id) > len(s.links) {
		return fault.New(fault.Unknown, "link-unknown", "", "there is no link %d", id)
	}
	return nil
}

func (s *store) SetLinkRule(_ context.Context, rule string, on bool, e event.Event) (bool, error) {
	s.rules[rule], s.events = on, append(s.events, e)
	return true, nil
}

func (s *store) SetPrimary(_ context.Context, source string, e event.Event) error {
	s.primary, s.events = source, append(s.events, e)
	return nil
}

// sessions are reported under some names.
type sessions []string

func (s sessions) Unlisted(_ context.Context, listed func(string) bool) (map[string][]*fleet.Judgement, error) {
	f := fleet.New(0)
	out := map[string][]*fleet.Judgement{}
	for _, n := range s {
		if !listed(n) {
			f.Put(endpoint.Judged{Record: endpoint.Record{Report: endpoint.Report{Machine: "till-1",
				Contexts: []lineup.Query{{User: &n}}}}}, fleet.Follows{})
			out[n] = f.All()
		}
	}
	return out, nil
}

func room(t *testing.T, reported ...string) (*Room, *store) {
	t.Helper()
	w := rooms.New(t, "estate: 1", directory.Records{Users: []directory.User{
		{Name: "mira.solvang", Email: "mira@skerry.example", Source: "skerry", ExternalID: "1"},
		{Name: "msolvang", Email: "mira@skerry.example", Source: "payroll", ExternalID: "9"}}})
	kept := &store{rules: map[string]bool{}}
	return New(Config{Store: kept, Present: w.Present, Fleet: sessions(reported)}), kept
}

// TestLink: two names are linked by somebody's word, kept apart by another's, and what cannot be is refused.
func TestLink(t *testing.T) {
	t.Parallel()
	s, kept := room(t)
	owner := rooms.Who(access.Owner)
	if l, err := s.Link(t.Context(), owner, "mira.solvang", `SKERRY\msol`, false, " tills "); err != nil || l.ID != 1 ||
		l.A.Source != "skerry" || l.B.Source != "" || l.Reason != "tills" {
		t.Errorf("%+v %v", l, err)
	}
	if l, err := s.Link(t.Context(), owner, "skerry/mira.solvang", "payroll/msolvang", true,
		""); err != nil || !l.Unlinked {
		t.Errorf("%+v %v", l, err)
	}
	if says := kept.events[1].Says; kept.events[1].Kind != event.Linked || says != "skerry/mira.solvang and "+
		"payroll/msolvang are two people" {
		t.Error(says)
	}
	for what, c := range map[string]struct {
		a, b string
		un   bool
		code string
	}{
		"nobody":         {"mira.solvan", "x", false, "user-unknown"},
		"the same":       {"mira.solvang", "MIRA.solvang", false, "link-same"},
		"no account":     {"mira.solvang", "free", true, "user-unknown"},
		"no valid other": {"mira.solvang", "a\nb", false, "user-unknown"},
	} {
		if _, err := s.Link(t.Context(), owner, c.a, c.b, c.un, ""); fault.As(err).Code != c.code {
			t.Error(what, err)
		}
	}
	if err := s.RemoveLink(t.Context(), owner, 7); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if _, err := s.Link(t.Context(), rooms.Who(access.HelpDesk), "mira.solvang", "x", false, ""); !fault.Is(err,
		fault.Denied) {
		t.Error("a help desk links:", err)
	}
}

// TestRules: looking first changes nothing and says what would come of it.
func TestRules(t *testing.T) {
	t.Parallel()
	s, kept := room(t)
	owner := rooms.Who(access.Owner)
	if v, err := s.SetLinkRule(t.Context(), owner, "address", true, true); err != nil || v.People != 1 ||
		len(kept.rules) != 0 {
		t.Errorf("dry: %+v %v, kept %v", v, err, kept.rules)
	}
	if _, err := s.SetLinkRule(t.Context(), owner, "address", true, false); err != nil || !kept.rules["address"] {
		t.Error(err, kept.rules)
	}
	if _, err := s.SetLinkRule(t.Context(), owner, "shoe-size", true, false); fault.As(err).Code != "link-rule" {
		t.Error(err)
	}
	if _, err := s.SetPrimary(t.Context(), owner, "nowhere"); !fault.Is(err, fault.Unknown) || kept.primary != "" {
		t.Error(err)
	}
	if _, err := s.SetPrimary(t.Context(), owner, "payroll"); err != nil || kept.primary != "payroll" {
		t.Error(err)
	}
	if v, err := s.Links(t.Context(), owner); err != nil || !slices.Equal(v.Sources, []string{"skerry", "payroll"}) {
		t.Errorf("%+v %v", v, err)
	}
}

// TestUnmatched: names that no directory has are listed with where they are and whom they may stand for.
func TestUnmatched(t *testing.T) {
	t.Parallel()
	s, _ := room(t, "mira.solvang", "mira.solvan", "kiosk")
	list, err := s.Unmatched(t.Context(), rooms.Who(access.Auditor))
	if err != nil || len(list) != 2 || list[0].Name != "kiosk" || list[1].Name != "mira.solvan" ||
		!slices.Equal(list[1].Machines, []string{"till-1"}) || !slices.Contains(list[1].Near, "mira.solvang") {
		t.Errorf("%+v %v", list, err)
	}
}
