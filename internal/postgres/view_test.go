package postgres_test

import (
	"fmt"
	"testing"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/testkit"
)

// TestViews: each account has its own, one of each name on a page, not too many, and none once it is removed.
func TestViews(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	for _, who := range []string{"Mira", "Ida"} {
		if _, err := s.Accounts.AddAccount(ctx, access.Account{Name: who, Role: access.Owner}, "test"); err != nil {
			t.Fatal(err)
		}
	}
	keep := func(who, page, name, search string) error {
		v, err := s.Views.SaveView(ctx, who, access.KeptView{Page: page, Name: name, Search: search})
		if err == nil && v.At.IsZero() {
			t.Error("it does not say when it was kept")
		}
		return err
	}
	for _, v := range [][4]string{{"mira", "queues", "B", "?state=open"}, {"mira", "queues", "a", "?x"},
		{"mira", "devices", "B", ""}, {"ida", "queues", "B", "?ida"}, {"mira", "queues", "B", "?state=paused"}} {
		if err := keep(v[0], v[1], v[2], v[3]); err != nil {
			t.Fatal(v, err)
		}
	}
	names := func(who, page string) (out string) {
		list, err := s.Views.Views(ctx, who, page)
		if err != nil {
			t.Fatal(err)
		}
		for _, v := range list {
			out += v.Page + "/" + v.Name + v.Search + " "
		}
		return out
	}
	if got := names("mira", "queues"); got != "queues/a?x queues/B?state=paused " {
		t.Error("of a page:", got)
	}
	if got := names("mira", ""); got != "devices/B queues/a?x queues/B?state=paused " {
		t.Error("of all:", got)
	}
	// What is shared others see, as whose it is, after their own; it stays its owner's.
	if _, err := s.Views.SaveView(ctx, "ida", access.KeptView{Page: "queues", Name: "all", Search: "?s",
		Shared: true}); err != nil {
		t.Fatal(err)
	}
	list, err := s.Views.Views(ctx, "mira", "queues")
	if err != nil || len(list) != 3 || list[2].Name != "all" || list[2].Owner != "Ida" || !list[2].Shared ||
		list[0].Owner != "" {
		t.Errorf("%+v %v", list, err)
	}
	if err := s.Views.RemoveView(ctx, "mira", "queues", "all"); !fault.Is(err, fault.Unknown) {
		t.Error("somebody else's that is shared goes:", err)
	}
	if err := s.Views.RemoveView(ctx, "ida", "queues", "all"); err != nil {
		t.Error(err)
	}
	if err := s.Views.RemoveView(ctx, "ida", "queues", "a"); !fault.Is(err, fault.Unknown) {
		t.Error("somebody else's goes:", err)
	}
	if err := s.Views.RemoveView(ctx, "mira", "queues", "a"); err != nil {
		t.Error(err)
	}
	for i := range access.ViewsMost - 2 {
		if err := keep("mira", "grants", fmt.Sprint(i), ""); err != nil {
			t.Fatal(i, err)
		}
	}
	if err := keep("mira", "grants", "one more", ""); !fault.Is(err, fault.Conflict) {
		t.Error("too many:", err)
	}
	if err := keep("mira", "grants", "7", "?again"); err != nil {
		t.Error("one that is there:", err)
	}
	if err := s.Accounts.RemoveAccount(ctx, "ida", "test"); err != nil {
		t.Fatal(err)
	}
	if got := names("ida", ""); got != "" {
		t.Error("of an account that is gone:", got)
	}
}
