package postgres_test

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/page"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func doc(queue string) *estate.Document {
	return &estate.Document{Estate: 1, Queues: []estate.Queue{{Name: queue, Defaults: map[string]any{"copies": 2.0}}}}
}

func publish(ctx context.Context, s *postgres.Store, d *estate.Document) (estate.Revision, error) {
	return s.Estates.Publish(ctx, nil, "mira", "because", func(context.Context, int) (*estate.Document, error) {
		return d, nil
	})
}

func TestRevisions(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	if r, d, err := s.Estates.Current(ctx); err != nil || r.Number != 0 || len(d.Queues) != 0 {
		t.Fatalf("before the first: %+v %+v %v", r, d, err)
	}
	// Publishers at once get numbers without gaps, and none is lost.
	var wg sync.WaitGroup
	for i := range 8 {
		wg.Go(func() {
			if _, err := publish(ctx, s, doc(fmt.Sprintf("q%d", i))); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	list, err := s.Estates.Revisions(ctx, 100)
	if err != nil || len(list) != 8 || list[0].Number != 8 || list[7].Number != 1 {
		t.Fatalf("%+v %v", list, err)
	}
	seen := map[string]bool{}
	for _, r := range list {
		_, d, err := s.Estates.Revision(ctx, r.Number)
		if err != nil || d.Queues[0].Defaults["copies"] != 2.0 {
			t.Fatal(d, err)
		}
		seen[d.Queues[0].Name] = true
	}
	if len(seen) != 8 {
		t.Errorf("documents were lost: %v", seen)
	}
	if _, _, err := s.Estates.Revision(ctx, 99); !fault.Is(err, fault.Unknown) {
		t.Errorf("revision 99: %v", err)
	}
	events, err := eventsOf(t, s)
	if err != nil || len(events) != 8 || events[0].Kind != event.Published {
		t.Errorf("%+v %v", events, err)
	}
}

func TestImportKeepsHistory(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	first := directory.Records{Users: []directory.User{{Name: "Mira", Unit: "a"}, {Name: "Jonas"}},
		Groups: []directory.Group{{Name: "g", Members: []string{"user:mira"}}}}
	for n, c := range []struct {
		records                 directory.Records
		added, changed, removed int
	}{
		{first, 3, 0, 0},
		{first, 0, 0, 0},
		{directory.Records{Users: []directory.User{{Name: "Mira", Unit: "b"}}, Groups: first.Groups,
			Machines: []directory.Machine{{Name: "desk"}}}, 1, 1, 1},
		{first, 1, 1, 1},
	} {
		i, err := s.Directories.Import(ctx, "file", c.records.Rows(), directory.Taking{Author: "ida", Share: 100})
		if err != nil || i.Added != c.added || i.Changed != c.changed || i.Removed != c.removed {
			t.Fatalf("import %d: %+v, %v", n, i, err)
		}
	}
	if _, err := s.Directories.Import(ctx, "other", directory.Records{Users: []directory.User{{Name: "Else"}}}.Rows(),
		directory.Taking{Author: "ida", Share: 100}); err != nil {
		t.Fatal(err)
	}
	r, version, err := s.Directories.Directory(ctx, nil)
	if err != nil || len(r.Users) != 3 || len(r.Machines) != 0 || version != 4 { // one altered nothing
		t.Errorf("%+v, version %d, %v", r, version, err)
	}
}

func TestLiveKeepsHistory(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	for _, d := range []live.Duty{live.Down, live.Serving, live.Drained} {
		changed, err := s.Duties.SetLive(ctx, live.Note{Kind: "server", Name: "ps-1", Duty: d, Author: "mira",
			Reason: "why"}, nil,
			event.Event{Kind: event.Drained})
		if err != nil || !changed {
			t.Fatal(changed, err)
		}
	}
	state, err := s.Duties.Live(ctx, nil)
	if err != nil || state.Server("ps-1") != live.Drained || state.Device("x") != live.Serving {
		t.Errorf("%+v %v", state, err)
	}
}

func TestAccess(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	var wg sync.WaitGroup
	made := make(chan error, 4)
	for i := range 4 {
		wg.Go(func() {
			made <- s.Accounts.AddFirstAccount(ctx, access.Account{Name: fmt.Sprint("A", i), Role: access.Administrator,
				Password: "x"})
		})
	}
	wg.Wait()
	close(made)
	won := 0
	for err := range made {
		if err == nil {
			won++
		} else if !fault.Is(err, fault.Conflict) {
			t.Error(err)
		}
	}
	if won != 1 {
		t.Errorf("%d first accounts", won)
	}
	state, err := s.Accounts.Access(ctx)
	if err != nil || len(state.Accounts) != 1 {
		t.Fatal(state, err)
	}
	var who string
	for _, a := range state.Accounts {
		who = a.Name
	}
	ses := access.Session{Hash: [32]byte{1}, Account: who, ExpiresAt: time.Now().Add(time.Hour)}
	if err := s.Tokens.AddSession(ctx, ses); err != nil {
		t.Fatal(err)
	}
	token := access.Token{Name: "agent", Role: access.Agent, Machine: "desk-1", Hash: [32]byte{2}, Author: who}
	kept, err := s.Tokens.AddToken(ctx, token)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Tokens.AddToken(ctx, token); !fault.Is(err, fault.Conflict) {
		t.Errorf("the same name again: %v", err)
	}
	if err := s.Tokens.TouchTokens(ctx, map[int64]time.Time{kept.ID: time.Now()}); err != nil {
		t.Error(err)
	}
	state, err = s.Accounts.Access(ctx)
	if got := state.Tokens[token.Hash]; err != nil || got.Machine != "desk-1" || got.UsedAt == nil ||
		len(state.Sessions) != 1 {
		t.Errorf("%+v %v", state, err)
	}
	if err := s.Tokens.RevokeToken(ctx, "agent", who); err != nil {
		t.Error(err)
	}
	if err := s.Tokens.RevokeToken(ctx, "agent", who); !fault.Is(err, fault.Unknown) {
		t.Errorf("revoked twice: %v", err)
	}
	if err := s.Tokens.EndSession(ctx, ses.Hash); err != nil {
		t.Error(err)
	}
	if state, err = s.Accounts.Access(ctx); err != nil || len(state.Tokens)+len(state.Sessions) != 0 {
		t.Errorf("%+v %v", state, err)
	}
}

func TestEndpoints(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	m := "Desk-1"
	r := endpoint.Report{Machine: m, Contexts: []lineup.Query{{Machine: &m}}, Failures: []endpoint.Failure{{Queue: "q",
		Says: "no"}}}
	first, err := s.Endpoints.SaveReport(ctx, r, "", []string{}, func(before endpoint.Before) []event.Event {
		if before != (endpoint.Before{}) {
			t.Error("known before its first report:", before)
		}
		return []event.Event{{Kind: event.Joined, Subject: m, Author: "a", Says: "came"}}
	})
	if err != nil {
		t.Fatal(err)
	}
	r.Machine, r.Failures = "DESK-1", nil // one machine, however it writes itself
	if _, err := s.Endpoints.SaveReport(ctx, r, "127.0.0.1", []string{"ps-1"}, func(before endpoint.Before) []event.Event {
		if before != (endpoint.Before{Known: true, Failing: true}) {
			t.Error("how it stood before:", before)
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	var all []endpoint.Record
	err = s.Endpoints.EachEndpoint(ctx, func(rec endpoint.Record) error { all = append(all, rec); return nil })
	if err != nil || len(all) != 1 || !all[0].FirstSeen.Equal(first.FirstSeen) || all[0].LastSeen.Before(first.LastSeen) ||
		len(all[0].Report.Failures) != 0 {
		t.Errorf("%+v %v", all, err)
	}
	if some, err := s.Endpoints.EndpointsNamed(ctx, []string{"else", "desk-1"}); err != nil || len(some) != 1 {
		t.Errorf("%+v %v", some, err)
	}
	if one, err := s.Endpoints.Endpoint(ctx, "desk-1"); err != nil || one.Report.Machine != "DESK-1" {
		t.Errorf("%+v %v", one, err)
	}
	if _, err := s.Endpoints.Endpoint(ctx, "else"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

func TestNoticesReachOtherProcesses(t *testing.T) {
	t.Parallel()
	url := testkit.Database(t)
	here, there := openStore(t, url), openStore(t, url)
	ctx, stop := context.WithCancel(t.Context())
	notices, down := make(chan event.Signal, 16), make(chan error, 16)
	done := make(chan struct{})
	go func() {
		defer close(done)
		here.Listen(ctx, func(n event.Signal) { notices <- n }, func(time.Time) {}, func(err error) { down <- err })
	}()
	next := func() event.Signal {
		select {
		case n := <-notices:
			return n
		case <-time.After(10 * time.Second):
			t.Fatal("no notice came")
			return event.Signal{}
		}
	}
	if n := next(); n.What != event.Lost {
		t.Fatalf("first %+v", n)
	}
	if _, err := publish(ctx, there, doc("q")); err != nil {
		t.Fatal(err)
	}
	if n := next(); n.What != event.Estate || n.Subject != "1" {
		t.Errorf("then %+v", n)
	}
	if n := next(); n.What != event.Happened {
		t.Errorf("then %+v", n)
	}
	stop()
	<-done
}

func TestMigrateAtOnce(t *testing.T) {
	t.Parallel()
	url := testkit.Blank(t)
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			s, err := postgres.Open(t.Context(), url)
			if err != nil {
				t.Error(err)
				return
			}
			defer s.Close()
			if err := s.Migrate(t.Context()); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
}

func TestAppendOnly(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	if _, err := publish(t.Context(), s, doc("q")); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{"UPDATE revision SET reason = 'other'", "DELETE FROM revision"} {
		if err := s.Exec(t.Context(), sql); err == nil {
			t.Errorf("%s went through", sql)
		}
	}
}

func TestDrafts(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	if _, ok, err := s.Drafts.Draft(ctx, "mira", "main"); ok || err != nil {
		t.Fatal(ok, err)
	}
	q, g := estate.Ref{List: "queues", Name: "q"}, estate.Ref{List: "grants", Name: "g"}
	d, err := s.Drafts.SaveDraft(ctx, estate.Draft{Owner: "mira", Author: "Mira", Name: "main",
		Kept: []estate.Kept{{Ref: q,
			Object: []byte(`{"name":"q"}`)}, {Ref: g}}})
	if err != nil || d.Version != 1 || d.ID == 0 {
		t.Fatalf("%+v %v", d, err)
	}
	got, ok, err := s.Drafts.Draft(ctx, "mira", "main")
	if err != nil || !ok || len(got.Kept) != 2 || got.Kept[0].Object != nil ||
		string(got.Kept[1].Object) != `{"name":"q"}` {
		t.Fatalf("%+v %v %v", got, ok, err)
	}
	// Of many who edit the same version, one wins; the others are told.
	var wg sync.WaitGroup
	var won atomic.Int32
	for i := range 8 {
		wg.Go(func() {
			mine := got
			mine.Kept = []estate.Kept{{Ref: q, Object: fmt.Appendf(nil, `{"name":"q","title":"%d"}`, i)}}
			if _, err := s.Drafts.SaveDraft(ctx, mine); err == nil {
				won.Add(1)
			} else if !fault.Is(err, fault.Conflict) {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	got, _, err = s.Drafts.Draft(ctx, "mira", "main")
	if won.Load() != 1 || err != nil || len(got.Kept) != 1 || got.Version != 2 {
		t.Fatalf("%d won, %+v %v", won.Load(), got, err)
	}
	// A draft that was changed after it was read outlives its publishing.
	old := got
	old.Version--
	for n, from := range []estate.Draft{old, got} {
		if _, err := s.Estates.Publish(ctx, &from, "Mira", "r", func(_ context.Context,
			current int) (*estate.Document, error) {
			if current != n {
				t.Errorf("current is %d", current)
			}
			return doc("q"), nil
		}); err != nil {
			t.Fatal(err)
		}
		if _, ok, _ := s.Drafts.Draft(ctx, "mira", "main"); ok != (n == 0) {
			t.Errorf("publishing version %d leaves a draft: %v", from.Version, ok)
		}
	}
	refused := fault.New(fault.Conflict, "no", "", "no")
	if _, err := s.Estates.Publish(ctx, nil, "Mira", "r", func(context.Context, int) (*estate.Document, error) {
		return nil, refused
	}); fault.As(err).Code != "no" {
		t.Error(err)
	}
	if list, err := s.Drafts.Drafts(ctx); err != nil || len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
}

// TestThePast: revision, directory, duties and picks of a moment are those that held then.
func TestThePast(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	moment := func() time.Time {
		var at time.Time
		// By the database's clock, which stamps the rows.
		if err := s.Pool().QueryRow(ctx, "SELECT clock_timestamp()").Scan(&at); err != nil {
			t.Fatal(err)
		}
		return at
	}
	begin := moment()
	for i, title := range []string{"first", "second"} {
		if _, err := publish(ctx, s, doc(title)); err != nil {
			t.Fatal(err)
		}
		if _, err := s.Directories.Import(ctx, "file", directory.Records{Users: []directory.User{{Name: title}}}.Rows(),
			directory.Taking{Author: "ida", Share: 100}); err != nil {
			t.Fatal(err)
		}
		if _, err := s.Duties.SetLive(ctx, live.Note{Kind: "server", Name: "ps", Duty: []live.Duty{live.Drained,
			live.Serving}[i],
			Author: "ida"}, nil, event.Event{Kind: event.Drained}); err != nil {
			t.Fatal(err)
		}
		if changed, err := s.Picks.SetPick(ctx, "Mira", "q", i == 0,
			event.Event{Kind: event.Picked}); err != nil || !changed {
			t.Fatal(changed, err)
		}
		if changed, err := s.Picks.SetPick(ctx, "mira", "q", i == 0, event.Event{Kind: event.Picked}); err != nil || changed {
			t.Error("a pick twice", changed, err)
		}
		if i == 0 {
			begin = moment()
		}
	}
	if n, err := s.Estates.RevisionAt(ctx, begin); err != nil || n != 1 {
		t.Error(n, err)
	}
	r, version, err := s.Directories.Directory(ctx, &begin)
	if err != nil || len(r.Users) != 1 || r.Users[0].Name != "first" || version != 1 {
		t.Errorf("%+v %d %v", r, version, err)
	}
	then, err := s.Duties.Live(ctx, &begin)
	if err != nil || then.Server("ps") != live.Drained || len(then.Picks["mira"]) != 1 {
		t.Errorf("%+v %v", then, err)
	}
	now, err := s.Duties.Live(ctx, nil)
	if err != nil || now.Server("ps") != live.Serving || len(now.Picks["mira"]) != 0 {
		t.Errorf("%+v %v", now, err)
	}
}

// TestImportDelta: changed rows replace their former selves, gone ones end, the removal limit goes by all that the
// source holds, renames of what is named are kept once, and a source that was taken out takes nothing more in.
func TestImportDelta(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	user := func(id, called string) directory.Row {
		return directory.Records{Users: []directory.User{{Name: called, ExternalID: id}}}.Rows()[0]
	}
	var all []directory.Row
	for i := range 40 {
		all = append(all, user(fmt.Sprint(i), fmt.Sprintf("u%d", i)))
	}
	how := directory.Taking{Author: "ida", Share: 20, Quiet: true, Kept: true, Named: func(kind, called string) bool {
		return called == "u1"
	}}
	if _, err := s.Directories.Import(ctx, "head", all, how); !fault.Is(err, fault.Unknown) {
		t.Errorf("a source that is not kept: %v", err)
	}
	if err := s.Sources.SaveSource(ctx, directory.Source{Name: "head", Author: "ida"}, []byte("sealed"),
		event.Event{Kind: event.SourceKept}); err != nil {
		t.Fatal(err)
	}
	dry := how
	dry.Dry = true
	if i, err := s.Directories.Import(ctx, "head", all, dry); err != nil || i.Added != 40 {
		t.Fatalf("%+v %v", i, err)
	}
	if i, err := s.Directories.Import(ctx, "head", all, how); err != nil || i.Added != 40 {
		t.Fatalf("%+v %v", i, err)
	}
	for _, c := range []struct {
		what                    string
		rows, gone              []directory.Row
		added, changed, removed int
		held                    bool
	}{
		{"nothing new", all[:2], nil, 0, 0, 0, false},
		{"one of each", []directory.Row{user("1", "v1"), user("40", "new")}, all[2:3], 1, 1, 1, false},
		{"renamed again", []directory.Row{user("1", "w1")}, nil, 0, 1, 0, false},
		{"gone already", nil, all[2:3], 0, 0, 0, false},
		{"too much", nil, all[3:12], 0, 0, 9, true},
	} {
		i, err := s.Directories.ImportDelta(ctx, "head", c.rows, c.gone, how)
		if err != nil || i.Added != c.added || i.Changed != c.changed || i.Removed != c.removed || (i.Held != "") != c.held {
			t.Errorf("%s: %+v, %v", c.what, i, err)
		}
	}
	r, _, err := s.Directories.Directory(ctx, nil)
	if err != nil || len(r.Users) != 40 || r.Users[0].Source != "head" {
		t.Errorf("%d users, %v", len(r.Users), err)
	}
	renames, err := s.Sources.Renames(ctx)
	if err != nil || len(renames) != 1 || renames[0].From != "u1" || renames[0].To != "w1" {
		t.Errorf("%+v %v", renames, err)
	}
	if err := s.Sources.SettleRenames(ctx, []int64{renames[0].ID}, "ida"); err != nil {
		t.Fatal(err)
	}
	if renames, err := s.Sources.Renames(ctx); err != nil || len(renames) != 0 {
		t.Errorf("%+v %v", renames, err)
	}
	if err := s.Sources.RemoveSource(ctx, "head", true, "ida", event.Event{Kind: event.SourceGone}); err != nil {
		t.Fatal(err)
	}
	if r, _, err := s.Directories.Directory(ctx, nil); err != nil || len(r.Users) != 0 {
		t.Errorf("%d users, %v", len(r.Users), err)
	}
	if _, err := s.Directories.ImportDelta(ctx, "head", all[:1], nil, how); !fault.Is(err, fault.Unknown) {
		t.Errorf("a source that was taken out: %v", err)
	}
}

// TestRuns: one pass a source waits or runs at a time; one that waits is stopped at once, one that runs is asked to.
func TestRuns(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	a, err := s.Sources.AddRun(ctx, directory.Run{Source: "a", Kind: directory.RunWhole, Author: "ida"})
	if err != nil || a.State != directory.Waiting || a.Ended != nil {
		t.Fatalf("%+v %v", a, err)
	}
	if _, err := s.Sources.AddRun(ctx, directory.Run{Source: "a", Kind: directory.RunDry}); !fault.Is(err,
		fault.Conflict) {
		t.Errorf("a second one: %v", err)
	}
	if _, err := s.Sources.AddRun(ctx, directory.Run{Source: "b", Kind: directory.RunDry}); err != nil {
		t.Errorf("of another source: %v", err)
	}
	if err := s.Sources.StopRun(ctx, "b", "olav"); err != nil {
		t.Error(err)
	}
	a.State, a.Read = directory.Running, 7
	if stop, err := s.Sources.SaveRun(ctx, a); err != nil || stop {
		t.Error(stop, err)
	}
	if err := s.Sources.StopRun(ctx, "a", "olav"); err != nil {
		t.Error(err)
	}
	if stop, err := s.Sources.SaveRun(ctx, a); err != nil || !stop {
		t.Error(stop, err)
	}
	a.State = directory.Stopped
	if _, err := s.Sources.SaveRun(ctx, a, event.Event{Kind: event.SourceBad, Subject: "a", Says: "told"}); err != nil {
		t.Error(err)
	}
	if err := s.Sources.StopRun(ctx, "a", "olav"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	got, err := s.Sources.RunsPage(ctx, "", page.Ask{}, "")
	list := got.Items
	if err != nil || len(list) != 2 || list[0].Source != "b" || list[0].State != directory.Stopped || list[1].Read != 7 ||
		list[1].Ended == nil || list[1].Author != "ida" {
		t.Errorf("%+v %v", list, err)
	}
}

// eventsOf gives the latest events, newest first.
func eventsOf(t *testing.T, s *postgres.Store) ([]event.Event, error) {
	p, err := s.Events.Events(t.Context(), page.Ask{}, "")
	return p.Items, err
}

// TestPagesOfHistory: page by page the history is whole, whatever comes meanwhile; words narrow it and what is counted.
func TestPagesOfHistory(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	for i := range 25 {
		if err := s.Events.AddEvent(ctx, event.Event{Kind: event.SignedIn, Subject: "mira", Author: "mira",
			Says: fmt.Sprintf("n%02d and Σίσυφος", i)}); err != nil {
			t.Fatal(err)
		}
	}
	var got []string
	for ask := (page.Ask{Limit: 10}); ; {
		p, err := s.Events.Events(ctx, ask, "")
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range p.Items {
			got = append(got, e.Says[:3])
		}
		if ask.After = p.Next; ask.After == "" {
			break
		}
		if err := s.Events.AddEvent(ctx, event.Event{Kind: event.SignedIn, Says: "new"}); err != nil {
			t.Fatal(err)
		}
	}
	want := make([]string, 25)
	for i := range want {
		want[i] = fmt.Sprintf("n%02d", 24-i)
	}
	if !slices.Equal(got, want) {
		t.Error(got)
	}
	if p, err := s.Events.Audit(ctx, event.Filter{Word: "n07 AND σίσυφοσ"},
		page.Ask{}); err != nil || p.Total != 1 ||
		len(p.Items) != 1 {
		t.Errorf("%+v %v", p, err)
	}
	if _, err := s.Events.Events(ctx, page.Ask{After: "x"}, ""); !fault.Is(err, fault.Invalid) {
		t.Error(err)
	}
	if err := s.Events.AddEvent(ctx, event.Event{Kind: event.Failing, Subject: "desk-1", Says: "it fails"}); err != nil {
		t.Fatal(err)
	}
	if p, err := s.Events.Events(ctx, page.Ask{}, "", event.Routine()...); err != nil || p.Total != 1 ||
		p.Items[0].Kind != event.Failing {
		t.Errorf("without the routine: %+v %v", p, err)
	}
}

// TestForgetEvents: what was seen goes after its time, what somebody did after another or never.
func TestForgetEvents(t *testing.T) {
	t.Parallel()
	url := testkit.Database(t)
	s := testkit.StoreAt(t, url)
	ctx := t.Context()
	for i := range 20 {
		kind := event.Failing
		if i%2 == 0 {
			kind = event.SignedIn
		}
		if err := s.Events.AddEvent(ctx, event.Event{Kind: kind, Says: fmt.Sprint(i)}); err != nil {
			t.Fatal(err)
		}
	}
	testkit.Exec(t, url, "SET cirque.erasing = 'on'; UPDATE event SET at = clock_timestamp() - make_interval(days "+
		"=> (100 - id * 5)::int)")
	days := func(n int) time.Time { return time.Now().AddDate(0, 0, -n) }
	for _, c := range []struct {
		seen, done time.Time
		most       int
		want       int64
	}{{days(70), time.Time{}, 2, 2}, {days(70), time.Time{}, 100, 1}, {days(70), time.Time{}, 100, 0},
		{days(70), days(40), 100, 6}, {days(1), days(200), 100, 6}} {
		if n, err := s.Events.ForgetEvents(ctx, c.seen, c.done, c.most); err != nil || n != c.want {
			t.Errorf("%v, %v: %d went, not %d: %v", c.seen, c.done, n, c.want, err)
		}
	}
}
