package postgres_test

import (
	"fmt"
	"reflect"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/notice"
	"cirque/core/page"
	"cirque/core/snapshot"
	"cirque/internal/testkit"
)

// TestFaultsSeen: a fault keeps the time when it was first seen as long as it is, and begins anew once it was over.
func TestFaultsSeen(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	for i, look := range []struct {
		keys []string
		want map[string]int
	}{
		{[]string{"a", "b", "a"}, map[string]int{"a": 0, "b": 0}},
		{[]string{"b", "c"}, map[string]int{"b": 0, "c": 1}},
		{[]string{}, map[string]int{}},
		{[]string{"b"}, map[string]int{"b": 3}},
	} {
		got, err := s.Notices.SeenSince(ctx, look.keys, at.Add(time.Duration(i)*time.Minute))
		if err != nil {
			t.Fatal(err)
		}
		want := map[string]time.Time{}
		for k, m := range look.want {
			want[k] = at.Add(time.Duration(m) * time.Minute)
		}
		if !reflect.DeepEqual(got, want) {
			t.Errorf("look %d: %v, want %v", i, got, want)
		}
		if kept, err := s.Notices.SeenFaults(ctx); err != nil || !reflect.DeepEqual(kept, want) {
			t.Errorf("look %d: kept %v %v", i, kept, err)
		}
	}
	told := []notice.Notified{{Notice: "n", Key: "a", Says: "x", Since: at, At: at}, {Notice: "n", Key: "b", Says: "y",
		Since: at, At: at}}
	for range 2 {
		if err := s.Notices.SaveNotified(ctx, told); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := s.Notices.Notified(ctx); err != nil || len(got) != 2 || got[1].Says != "y" || !got[0].At.Equal(at) {
		t.Errorf("%+v %v", got, err)
	}
	if err := s.Notices.AddSent(ctx, []notice.Sent{{Notice: "n", To: "mail:x", OK: true, Says: "took it"},
		{Notice: "m", To: "mail:y", Says: "refused", Trial: true}}, nil); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Notices.Sent(ctx, "m", page.Ask{}, ""); err != nil || got.Total != 1 || got.Items[0].OK || !got.Items[0].Trial ||
		got.Items[0].At.IsZero() {
		t.Errorf("%+v %v", got, err)
	}
}

// TestFailoverTestsOneAtATime: of many that begin with one server at once, one does; another may once it is over.
func TestFailoverTestsOneAtATime(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	begin := func() (continuity.FailoverTest, error) {
		return s.FailoverTests.AddFailoverTest(ctx, continuity.FailoverTest{Server: "ps-1", Reason: "x",
			Steps: []continuity.FailoverStep{}},
			happening("ps-1"))
	}
	var wg sync.WaitGroup
	var began, refused atomic.Int64
	for range 8 {
		wg.Go(func() {
			switch _, err := begin(); {
			case err == nil:
				began.Add(1)
			case fault.Is(err, fault.Conflict):
				refused.Add(1)
			default:
				t.Error(err)
			}
		})
	}
	wg.Wait()
	if began.Load() != 1 || refused.Load() != 7 {
		t.Fatal(began.Load(), refused.Load())
	}
	open, err := s.FailoverTests.FailoverTests(ctx, true, 9)
	if err != nil || len(open) != 1 || open[0].ID == 0 {
		t.Fatal(open, err)
	}
	if err := s.FailoverTests.StopFailoverTest(ctx, open[0].ID, "mira"); err != nil {
		t.Fatal(err)
	}
	now := time.Now().UTC()
	open[0].Ended, open[0].Says = &now, []string{"well"}
	if err := s.FailoverTests.SaveFailoverTest(ctx, open[0], nil); err != nil {
		t.Fatal(err)
	}
	if _, err := begin(); err != nil {
		t.Error("another cannot begin:", err)
	}
	if e, err := s.FailoverTests.FailoverTest(ctx, open[0].ID); err != nil || e.Says[0] != "well" || e.ID != open[0].ID ||
		e.Stopped != "mira" {
		t.Errorf("%+v %v", e, err)
	}
	if err := s.FailoverTests.StopFailoverTest(ctx, open[0].ID, "mira"); !fault.Is(err, fault.Conflict) {
		t.Error("one that is over is stopped:", err)
	}
	if _, err := s.FailoverTests.FailoverTest(ctx, 999); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

func TestSnapshots(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	objects := []snapshot.Object{{Kind: "server", Name: "ps-1", Facts: map[string]string{"answers": "yes",
		"odd": "ø\x01 “x”"}}}
	if p, err := s.Snapshots.AddSnapshot(ctx, snapshot.Snapshot{Name: "before", Author: "mira", Objects: objects},
		happening("before")); err != nil || p.At.IsZero() {
		t.Fatal(p, err)
	}
	if _, err := s.Snapshots.AddSnapshot(ctx, snapshot.Snapshot{Name: "before", Author: "mira"},
		happening("before")); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
	got, err := s.Snapshots.Snapshot(ctx, "before")
	if err != nil || !reflect.DeepEqual(got.Objects, objects) || got.Count != 1 {
		t.Errorf("%+v %v", got, err)
	}
	for i := range 49 {
		if _, err := s.Snapshots.AddSnapshot(ctx, snapshot.Snapshot{Name: fmt.Sprintf("p%d", i), Author: "mira"},
			happening("p")); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.Snapshots.AddSnapshot(ctx, snapshot.Snapshot{Name: "one-more", Author: "mira"},
		happening("p")); !fault.Is(err, fault.Conflict) {
		t.Error("there is no end to them:", err)
	}
	if err := s.Snapshots.RemoveSnapshot(ctx, "before", happening("before")); err != nil {
		t.Fatal(err)
	}
	if err := s.Snapshots.RemoveSnapshot(ctx, "before", happening("before")); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

// TestPapers: what came out is kept with the checkup and remembered of the model, once; where either is not known, only
// there.
func TestPapers(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	asked, err := s.Checkups.AddCheckup(ctx, endpoint.Checkup{Machine: "Desk-1", Queue: "hall", Try: "plain",
		Model: "Mono 40"},
		happening("desk-1"))
	if err != nil || asked.Try != "plain" || asked.PrintResult != nil {
		t.Fatal(asked, err)
	}
	checks := []endpoint.Check{{Check: endpoint.TestCheck("hall", "plain"), Result: endpoint.Unproven, Says: "took it"}}
	if err := s.Checkups.AnswerCheckup(ctx, asked.ID, "DESK-1", "plain", checks); err != nil {
		t.Fatal(err)
	}
	for _, paper := range []string{"garbled", "good"} { // told twice: the second word counts
		c, err := s.Checkups.TellPrintResult(ctx, asked.ID, driver.Seen{Model: "Mono 40", Driver: "plain", Result: paper,
			Machine: "desk-1",
			Queue:   "hall", By: "mira", Note: "crisp"}, happening("hall"))
		if err != nil || c.PrintResult == nil || c.PrintResult.Result != paper || c.Tested() == nil || c.Tested().PrintResult.Note != "crisp" {
			t.Fatalf("%+v %v", c, err)
		}
	}
	if list, err := s.Checkups.PrintResults(ctx, "Mono 40"); err != nil || len(list) != 1 || list[0].Result != "good" ||
		list[0].By != "mira" {
		t.Errorf("%+v %v", list, err)
	}
	if _, err := s.Checkups.TellPrintResult(ctx, asked.ID, driver.Seen{Result: "nothing", By: "mira"},
		happening("hall")); err != nil {
		t.Error(err)
	}
	if list, err := s.Checkups.PrintResults(ctx, ""); err != nil || len(list) != 1 || list[0].Result != "good" {
		t.Errorf("what is not known of a model is remembered: %+v %v", list, err)
	}
	if list, err := s.Checkups.TestPages(ctx, "hall", time.Now().Add(-time.Hour)); err != nil || len(list) != 1 ||
		list[0].PrintResult.Result != "nothing" {
		t.Errorf("%+v %v", list, err)
	}
	if list, err := s.Checkups.TestPages(ctx, "else", time.Now().Add(-time.Hour)); err != nil || len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
	if _, err := s.Checkups.TellPrintResult(ctx, 999, driver.Seen{Result: "good"}, happening("x")); !fault.Is(err,
		fault.Unknown) {
		t.Error(err)
	}
}

// TestErasedFromCare: whoever is erased is in no letter that was sent, on no snapshot, and told nothing.
func TestErasedFromCare(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	users := directory.Records{Users: []directory.User{{Name: "mira", Email: "m.solvang@skerry.example"}}}
	if _, err := s.Directories.Import(ctx, "file", users.Rows(), directory.Taking{Author: "test",
		Share: 100}); err != nil {
		t.Fatal(err)
	}
	sent := []notice.Sent{{Notice: "n", To: "mail:m.solvang@skerry.example", Body: "your job", OK: true},
		{Notice: "n", To: "user:Mira"}, {Notice: "n", To: "mail:desk@skerry.example", Body: "Mira's job"},
		{Notice: "n", To: "mail:desk@skerry.example", Body: "the server"}}
	if err := s.Notices.AddSent(ctx, sent, nil); err != nil {
		t.Fatal(err)
	}
	at := time.Now()
	if err := s.Notices.SaveNotified(ctx, []notice.Notified{{Notice: "n", Key: "server ps-1 of mira", Since: at, At: at},
		{Notice: "n", Key: "server ps-1", Since: at, At: at}}); err != nil {
		t.Fatal(err)
	}
	objects := []snapshot.Object{{Kind: "queue on an endpoint", Name: "hall of Mira on desk-1"},
		{Kind: "queue on an endpoint", Name: "hall of miranda on desk-1"}}
	if _, err := s.Snapshots.AddSnapshot(ctx, snapshot.Snapshot{Name: "p", Author: "Mira", Objects: objects},
		happening("p")); err != nil {
		t.Fatal(err)
	}
	asked, err := s.Checkups.AddCheckup(ctx, endpoint.Checkup{Machine: "desk-1", Queue: "hall"}, happening("desk-1"))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Checkups.AnswerCheckup(ctx, asked.ID, "desk-1", "", []endpoint.Check{{Check: "Is hall of mira there?",
		Result: endpoint.Yes}}); err != nil {
		t.Fatal(err)
	}
	d, err := s.Drafts.SaveDraft(ctx, estate.Draft{Owner: "account x", Author: "x", Name: "main", Kept: []estate.Kept{
		{Ref: estate.Ref{List: "queues", Name: "hall"}, Object: []byte("{}")}}})
	if err != nil {
		t.Fatal(err)
	}
	for author, says := range map[string]string{"Mira": "from May on", "olav": "as Mira asked", "nora": "fine"} {
		if _, err := s.Drafts.AddComment(ctx, d, estate.Comment{Author: author, Says: says}, happening("main")); err != nil {
			t.Fatal(err)
		}
	}
	stands, err := s.Persons.ErasePerson(ctx, []string{"mira"}, nil, "test", "gone")
	if err != nil {
		t.Fatal(err)
	}
	if got, err := s.Notices.Sent(ctx, "", page.Ask{}, ""); err != nil || got.Total != 1 || got.Items[0].Body != "the server" {
		t.Errorf("%+v %v", got, err)
	}
	said, err := s.Drafts.Comments(ctx, d.ID, 0)
	if err != nil || len(said) != 3 {
		t.Fatalf("%+v %v", said, err)
	}
	for _, c := range said {
		if want := map[string]string{stands: "from May on", "olav": "(erased)", "nora": "fine"}[c.Author]; c.Says != want {
			t.Errorf("%+v", c)
		}
	}
	if got, err := s.Notices.Notified(ctx); err != nil || len(got) != 1 || got[0].Key != "server ps-1" {
		t.Errorf("%+v %v", got, err)
	}
	if got, err := s.Snapshots.Snapshot(ctx, "p"); err != nil || len(got.Objects) != 1 ||
		got.Objects[0].Name != "hall of miranda on desk-1" || got.Author != stands || got.Count != 1 {
		t.Errorf("%+v %v", got, err)
	}
	if got, err := s.Checkups.Checkup(ctx, asked.ID); err != nil || len(got.Checks) != 0 || got.Author != stands {
		t.Errorf("%+v %v", got, err)
	}
}
