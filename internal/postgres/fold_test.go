package postgres_test

import (
	"slices"
	"testing"
	"unicode/utf8"

	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/name"
	"cirque/internal/testkit"
)

// TestFoldInSQL: the database folds every rune as core does, and words of several of them.
func TestFoldInSQL(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	var runes []string
	for r := rune(1); r <= utf8.MaxRune; r++ {
		switch {
		case r >= 0x20000: // no letters with two cases are there
			if f := name.Fold(string(r)); f != string(r) && utf8.ValidRune(r) {
				t.Errorf("%U folds to %q", r, f)
			}
		case utf8.ValidRune(r):
			runes = append(runes, string(r))
		}
	}
	for len(runes) > 0 {
		some := runes[:min(len(runes), 50_000)]
		runes = runes[len(some):]
		var folds []string
		if err := s.Pool().QueryRow(ctx, "SELECT array_agg(folded(x) ORDER BY n) FROM unnest($1::text[]) WITH ORDINALITY AS u(x, n)",
			some).Scan(&folds); err != nil {
			t.Fatal(err)
		}
		for i, r := range some {
			if want := name.Fold(r); folds[i] != want {
				t.Errorf("%U %q folds to %q, want %q", []rune(r), r, folds[i], want)
			}
		}
	}
	for _, word := range []string{"Γιώργος", "ΓΙΏΡΓΟΣ", "STRASSE", "Straße", "ǅ", "mira.solvang", "İstanbul", ""} {
		var got string
		if err := s.Pool().QueryRow(ctx, "SELECT folded($1)", word).Scan(&got); err != nil || got != name.Fold(word) {
			t.Errorf("%q: %q %v, want %q", word, got, err, name.Fold(word))
		}
	}
}

func TestWithoutName(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	for _, c := range []struct{ says, called, want string }{
		{"Γιώργος was let in by ΓΙΏΡΓΟΣ", "γιώργος", "X was let in by X"},
		{"hall was picked for mira", "mira", "hall was picked for X"},
		{"mira.solvang, mira-lou and admira are others", "mira", "mira.solvang, mira-lou and admira are others"},
		{"mira.", "mira", "X."}, {"Mira", "mira", "X"}, {"MIRA and (mira)", "mira", "X and (X)"},
		{"a.b+c met a.bxc", "a.b+c", "X met a.bxc"}, {"", "mira", ""}, {"mira mira", "mira", "X X"},
	} {
		var got string
		if err := s.Pool().QueryRow(t.Context(), "SELECT without_name($1, $2, 'X')", c.says,
			name.Fold(c.called)).Scan(&got); err != nil || got != c.want {
			t.Errorf("%q without %s: %q %v, want %q", c.says, c.called, got, err, c.want)
		}
	}
}

// TestPersonByAnyWriting: whoever is written with a final sigma or in capitals is found, and erased.
func TestPersonByAnyWriting(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	rows := func(names ...string) []directory.Row {
		var out []directory.Row
		for _, n := range names {
			out = append(out, directory.Row{Kind: "user", ExternalID: n, Name: n, Attributes: []byte("{}")})
		}
		return out
	}
	if _, err := s.Directories.Import(ctx, "hq", rows("Γιώργος"), directory.Taking{}); err != nil {
		t.Fatal(err)
	}
	if err := s.Events.AddEvent(ctx, event.Event{Kind: event.SignedIn, Subject: "Γιώργος", Author: "ΓΙΏΡΓΟΣ",
		Says: "Γιώργος signed in"}); err != nil {
		t.Fatal(err)
	}
	names := []string{name.Fold("γιώργος")}
	d, err := s.Persons.PersonData(ctx, names)
	if err != nil || len(d.Directory) != 1 {
		t.Fatalf("%+v %v", d, err)
	}
	if list, err := s.Persons.EventsOf(ctx, names); err != nil || len(list) != 1 {
		t.Errorf("%+v %v", list, err)
	}
	stands, err := s.Persons.ErasePerson(ctx, names, nil, "mira", "asked")
	if err != nil {
		t.Fatal(err)
	}
	list, err := eventsOf(t, s)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(list, func(e event.Event) bool { return e.Kind == event.SignedIn })
	if i < 0 {
		t.Fatal("the event is gone")
	}
	last := list[i]
	if last.Says != stands+" signed in" || last.Author != stands || last.Subject != stands {
		t.Errorf("%+v", last)
	}
}
