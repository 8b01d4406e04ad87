package views

import (
	"context"
	"errors"
	"testing"

	"cirque/core/access"
	"cirque/core/fault"
)

// store remembers for whom it was asked.
type store struct {
	of   string
	kept access.KeptView
}

func (s *store) Views(_ context.Context, account, _ string) ([]access.KeptView, error) {
	s.of = account
	return nil, nil
}

func (s *store) SaveView(_ context.Context, account string, v access.KeptView) (access.KeptView, error) {
	s.of, s.kept = account, v
	return v, nil
}

func (s *store) RemoveView(_ context.Context, account, _, _ string) error {
	s.of = account
	return errors.New("gone")
}

// TestOwn: views are one's own, whoever asks, and a token that is nobody's own has none.
func TestOwn(t *testing.T) {
	t.Parallel()
	kept := &store{}
	s := New(Config{Store: kept})
	mira := &access.Principal{Name: "Mira", Role: access.HelpDesk, Account: "mira"}
	list, err := s.Views(t.Context(), mira, "queues")
	if err != nil || list == nil || kept.of != "mira" {
		t.Error(list, err, kept.of)
	}
	if v, err := s.KeepView(t.Context(), mira, access.KeptView{Page: "queues", Name: "  Not ready "}); err != nil ||
		v.Name != "Not ready" || kept.kept.Name != "Not ready" {
		t.Error(v, err)
	}
	if _, err := s.KeepView(t.Context(), mira, access.KeptView{Page: "queues", Name: "  "}); !fault.Is(err,
		fault.Invalid) {
		t.Error("without a name:", err)
	}
	if err := s.RemoveView(t.Context(), mira, "queues", "x"); err == nil || err.Error() != "gone" {
		t.Error(err)
	}
	kept.of = ""
	for who, p := range map[string]*access.Principal{"nobody": nil,
		"a token that is nobody's": {Name: "ci", Role: access.Administrator, Token: true},
		"an agent":                 {Name: "till-1", Role: access.Agent, Account: "x"}} {
		if _, err := s.Views(t.Context(), p, ""); !fault.Is(err, fault.Denied) && !fault.Is(err, fault.Unsigned) {
			t.Error(who, err)
		}
		if _, err := s.KeepView(t.Context(), p, access.KeptView{Name: "x"}); err == nil {
			t.Error(who, "keeps one")
		}
		if err := s.RemoveView(t.Context(), p, "a", "b"); err == nil || kept.of != "" {
			t.Error(who, "removes one")
		}
	}
}
