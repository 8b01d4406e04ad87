package postgres_test

import (
	"slices"
	"testing"
	"time"

	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/page"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// TestStuckMigrates: what failover tests of former versions said of whoever stayed becomes kinds.
func TestStuckMigrates(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	e, err := s.FailoverTests.AddFailoverTest(ctx, continuity.FailoverTest{Server: "ps-1", Begun: time.Now().UTC(),
		Stuck: []continuity.Stuck{{Machine: "a", Says: "no other path serves hall, so it is kept"},
			{Machine: "b", Says: "it has said nothing since 2026-11-23 10:00 UTC"}, {Machine: "c", Says: "add of hall failed: no"},
			{Machine: "d", Says: "it has not said yet that it moved"}}}, event.Event{Kind: event.FailoverBegan, Subject: "ps-1"})
	if err != nil {
		t.Fatal(err)
	}
	for range 2 { // also where it ran before
		if err := s.Exec(ctx, postgres.Migration("00019_stuck.sql")); err != nil {
			t.Fatal(err)
		}
	}
	got, err := s.FailoverTests.FailoverTest(ctx, e.ID)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []continuity.StuckKind{continuity.StuckNoOther, continuity.StuckSilent, continuity.StuckFailed,
		continuity.StuckUnderWay} {
		if got.Stuck[i].Kind != want {
			t.Errorf("%q became %q", got.Stuck[i].Says, got.Stuck[i].Kind)
		}
	}
}

// TestWordsMigrate: events of the version before have the kinds of this one afterwards, and stay as they are otherwise;
// a source that it kept has its removal limit, and what is kept now has it for both.
func TestWordsMigrate(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	if err := s.Exec(ctx, `INSERT INTO event (kind, subject, author, says) VALUES ('fleet.photographed', 'before', 'mira',
		'taken'), ('person.joined', 'mira', 'ida', 'joined'), ('server.drained', 'ps-1', 'ida', 'drained')`); err != nil {
		t.Fatal(err)
	}
	// As the migration ran when the database was made, and finds what came in between.
	up := postgres.Migration("00021_words.sql")
	kinds := func() (out []string) {
		list, err := s.Events.Events(ctx, page.Ask{}, "")
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range list.Items {
			out = append(out, e.Kind+" "+e.Subject)
		}
		slices.Sort(out)
		return out
	}
	if err := s.Exec(ctx, up); err != nil {
		t.Fatal(err)
	}
	if got := kinds(); !slices.Equal(got, []string{event.SnapshotTaken + " before", event.Linked + " mira",
		event.Drained + " ps-1"}) {
		t.Error("afterwards:", got)
	}
	if err := s.Exec(ctx, `INSERT INTO directory_source (name, body, author) VALUES ('yard', '{"url":"ldap://d.example",
		"base":"dc=yard","preset":"posix","brake":7}', 'mira')`); err != nil {
		t.Fatal(err)
	}
	if err := s.Sources.SaveSource(ctx, directory.Source{Name: "hr", URL: "ldap://hr.example", Base: "b", RemovalLimit: 9},
		nil, event.Event{Kind: event.SourceKept, Subject: "hr"}); err != nil {
		t.Fatal(err)
	}
	list, _, err := s.Sources.Sources(ctx)
	if err != nil || len(list) != 2 || list[0].RemovalLimit != 9 || list[1].RemovalLimit != 7 ||
		list[1].Base != "dc=yard" {
		t.Errorf("%+v %v", list, err)
	}
	if err := s.Exec(ctx, `DO $$ BEGIN ASSERT (SELECT body->>'brake' FROM directory_source WHERE name = 'hr') = '9';
		END $$`); err != nil {
		t.Error("the version before does not find it:", err)
	}
}

// TestRuleSourcesMigrate: rules from before rules named their directory get the one that they can only have meant; where
// several may be meant they get none.
func TestRuleSourcesMigrate(t *testing.T) {
	t.Parallel()
	const rows = `INSERT INTO directory_row (source, kind, external_id, name, attributes, valid_from) VALUES
		('hq', 'user', 'h1', 'Olav', '{"unit":"staff/it"}', now()), ('other', 'user', 'o1', 'olav', '{"unit":"guests"}', now()),
		('hq', 'user', 'h2', 'mira', '{"unit":"staff/IT/deep"}', now()), ('other', 'user', 'o2', 'eve', '{"unit":"shared"}', now()),
		('hq', 'user', 'h3', 'ida', '{"unit":"shared/x"}', now()), ('hq', 'group', 'g1', 'admins', '{}', now()),
		('other', 'group', 'g2', 'desk_1', '{}', now()), ('other', 'group', 'g3', 'desk-1', '{}', now());
		INSERT INTO access_rule (who, role, author) VALUES ('user:olav', 'owner', 't'), ('user:mira', 'owner', 't'),
		('user:OTHER/olav', 'owner', 't'), ('group:admins', 'owner', 't'), ('group:hq/admins', 'owner', 't'),
		('group:desk_1', 'owner', 't'), ('unit:staff/it', 'owner', 't'), ('unit:shared', 'owner', 't'),
		('everyone', 'owner', 't'), ('user:nobody', 'owner', 't'), ('unit:sta', 'owner', 't');`
	for sources, want := range map[string][]string{
		`('hq', '{"sign_in":true}', 't'), ('other', '{"sign_in":true}', 't')`: {"", "hq", "other", "hq", "hq", "other", "hq", "",
			"", "", ""},
		`('hq', '{"sign_in":true}', 't'), ('other', '{}', 't')`: {"hq", "hq", "hq", "hq", "hq", "hq", "hq", "hq", "hq", "hq", "hq"},
	} {
		s, ctx := testkit.Store(t), t.Context()
		for _, sql := range []string{"ALTER TABLE access_rule DROP COLUMN source",
			"INSERT INTO directory_source (name, body, author) VALUES " + sources, rows,
			postgres.Migration("00024_rule_source.sql")} {
			if err := s.Exec(ctx, sql); err != nil {
				t.Fatal(err)
			}
		}
		state, err := s.Accounts.Access(ctx)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, r := range state.Rules {
			got = append(got, r.Source)
		}
		if !slices.Equal(got, want) {
			t.Errorf("with %s:\n got %q\nwant %q", sources, got, want)
		}
	}
}
