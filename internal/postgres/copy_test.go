package postgres_test

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"testing"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// copied gives all that a store keeps, by table.
func copied(t *testing.T, s *postgres.Store) (c *postgres.Copy, tables map[string][]byte) {
	t.Helper()
	c, err := s.Copy(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	return c, rowsOf(t, c)
}

func rowsOf(t *testing.T, c *postgres.Copy) map[string][]byte {
	t.Helper()
	tables := map[string][]byte{}
	for _, table := range c.Tables {
		var b bytes.Buffer
		if _, err := c.Of(t.Context(), table, &b); err != nil {
			t.Fatal(table.Name, err)
		}
		tables[table.Name] = b.Bytes()
	}
	return tables
}

// fill puts a copy into another database, but for the end.
func fill(ctx context.Context, s *postgres.Store, c *postgres.Copy, tables map[string][]byte) (*postgres.Filling, error) {
	f, err := s.Fill(ctx, c.Schema)
	if err != nil {
		return nil, err
	}
	for _, table := range c.Tables {
		if _, err := f.Put(ctx, table, bytes.NewReader(tables[table.Name])); err != nil {
			return f, err
		}
	}
	return f, nil
}

// putBack puts a copy into an empty database, whole.
func putBack(t *testing.T, to *postgres.Store, c *postgres.Copy, tables map[string][]byte) {
	t.Helper()
	f, err := fill(t.Context(), to, c, tables)
	if err != nil {
		t.Fatal(err)
	}
	if err := f.Finish(t.Context(), c.Sequences, event.Event{Kind: event.Restored,
		Subject: event.BackupSubject}); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
}

func blank(t *testing.T) (*postgres.Store, string) {
	t.Helper()
	url := testkit.Blank(t)
	return testkit.StoreAt(t, url), url
}

// TestCopy: a copy is of one moment, and put into an empty database it is the same, octet by octet; numbers go on.
func TestCopy(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	for i := range 3 {
		if _, err := publish(ctx, s, doc(fmt.Sprintf("q%d", i))); err != nil {
			t.Fatal(err)
		}
	}
	c, err := s.Copy(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if _, err := publish(ctx, s, doc("later")); err != nil { // after the moment
		t.Fatal(err)
	}
	tables := rowsOf(t, c)
	to, _ := blank(t)
	putBack(t, to, c, tables)
	_, again := copied(t, to)
	for name, b := range tables {
		if name != "event" && !bytes.Equal(b, again[name]) {
			t.Errorf("%s is other than it was", name)
		}
	}
	const trailer = 2 // octets that end a copy
	if was := tables["event"]; !bytes.HasPrefix(again["event"], was[:len(was)-trailer]) || len(again["event"]) <= len(was) {
		t.Error("the events are not what they were and one more")
	}
	if r, _, err := to.Estates.Current(ctx); err != nil || r.Number != 3 || c.Revision != 3 {
		t.Errorf("%+v %d %v", r, c.Revision, err)
	}
	if r, err := publish(ctx, to, doc("next")); err != nil || r.Number != 4 {
		t.Errorf("%+v %v", r, err)
	}
}

// TestCopyIsWhole: whatever is kept is copied, but for what passes between processes. A new table is looked at here.
func TestCopyIsWhole(t *testing.T) {
	t.Parallel()
	url := testkit.Database(t)
	s := testkit.StoreAt(t, url)
	c, _ := copied(t, s)
	all := testkit.One[[]string](t, url, "SELECT array_agg(tablename::text ORDER BY tablename) FROM pg_tables WHERE "+
		"schemaname = 'public'")
	for _, name := range all {
		is := slices.ContainsFunc(c.Tables, func(t postgres.Table) bool { return t.Name == name })
		passing := slices.Contains([]string{"goose_db_version", "lease", "process", "signal", "job_document",
			"job_chunk"}, name)
		if is == passing {
			t.Errorf("%s is copied: %v", name, is)
		}
	}
	seen := map[string]bool{}
	for _, table := range c.Tables {
		for _, a := range table.After {
			if !seen[a] {
				t.Errorf("%s refers to %s, which stands behind it", table.Name, a)
			}
		}
		seen[table.Name] = true
	}
}

// TestFillOlder: a copy of an older schema is put back as it was, and brought up to this one.
func TestFillOlder(t *testing.T) {
	t.Parallel()
	ctx := t.Context()
	old, url := blank(t)
	const schema = 30 // before several tables and columns
	if err := old.MigrateTo(ctx, schema); err != nil {
		t.Fatal(err)
	}
	testkit.Exec(t, url, "INSERT INTO event (kind, subject, author, says) VALUES ('k', 's', 'a', 'long ago')")
	c, tables := copied(t, old)
	if c.Schema != schema {
		t.Fatalf("%+v", c)
	}
	to, there := blank(t)
	putBack(t, to, c, tables)
	if got := testkit.One[string](t, there, "SELECT says FROM event ORDER BY id LIMIT 1"); got != "long ago" {
		t.Error(got)
	}
	if got := testkit.One[int64](t, there, "SELECT max(version_id) FROM goose_db_version"); got != postgres.Newest() {
		t.Errorf("schema %d", got)
	}
	if _, err := to.Fill(ctx, postgres.Newest()+1); fault.As(err) == nil || fault.As(err).Code != "backup-newer" {
		t.Error(err)
	}
}

// TestFillBroken: what could not be put back whole leaves the database as empty as it was, and takes nothing that is
// there.
func TestFillBroken(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	if _, err := publish(ctx, s, doc("q")); err != nil {
		t.Fatal(err)
	}
	c, tables := copied(t, s)
	tables["revision"] = tables["revision"][:len(tables["revision"])-5]
	to, url := blank(t)
	f, err := fill(ctx, to, c, tables)
	if err == nil {
		t.Fatal("half a table was taken")
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	if got := testkit.One[int](t, url, "SELECT count(*) FROM pg_class WHERE relnamespace = 'public'::regnamespace"); got != 0 {
		t.Errorf("%d things are left", got)
	}
	if _, err := s.Fill(ctx, postgres.Newest()); fault.As(err) == nil || fault.As(err).Code != "database-filled" {
		t.Error(err)
	}
	if r, _, err := s.Estates.Current(ctx); err != nil || r.Number != 1 {
		t.Errorf("%+v %v", r, err)
	}
}

// TestCopyForwards: the audit goes on being sent where it was, though transactions count anew: nothing twice, nothing
// left out.
func TestCopyForwards(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	const target = "udp://log.skerry.example:514"
	if _, err := s.Events.Forwarding(ctx, target); err != nil {
		t.Fatal(err)
	}
	add := func(to *postgres.Store, what string) {
		t.Helper()
		if err := to.Events.AddEvent(ctx, event.Event{Kind: event.TokenMade, Subject: what}); err != nil {
			t.Fatal(err)
		}
	}
	add(s, "sent")
	f, err := s.Events.Forwarding(ctx, target)
	if err != nil {
		t.Fatal(err)
	}
	var places []event.Place
	waits := func(to *postgres.Store, place event.Place) (out []string) {
		t.Helper()
		list, at, err := to.Events.AuditAfter(ctx, place, 100)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range list {
			if e.Kind == event.TokenMade {
				out = append(out, e.Subject)
			}
		}
		places = at
		return out
	}
	within(t, func() bool { return slices.Equal(waits(s, f.Place), []string{"sent"}) })
	f.Place = places[0]
	if err := s.Events.Forwarded(ctx, f); err != nil {
		t.Fatal(err)
	}
	add(s, "waits")
	c, tables := copied(t, s)
	to, _ := blank(t)
	putBack(t, to, c, tables)
	add(to, "new")
	if f, err = to.Events.Forwarding(ctx, target); err != nil {
		t.Fatal(err)
	}
	within(t, func() bool { return slices.Equal(waits(to, f.Place), []string{"waits", "new"}) })
}

// within waits for what other tests' transactions on the same server hold up.
func within(t *testing.T, f func() bool) {
	t.Helper()
	for end := time.Now().Add(time.Minute); !f(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("waited in vain")
		}
	}
}
