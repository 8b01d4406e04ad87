package postgres_test

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// arrives has a job arrive, whole.
func arrives(j *job.Job, _ job.Reserve) (job.Happening, error) {
	return job.Happening{Event: job.Arrive, Person: j.Owner, Document: &job.Stored{Key: []byte("k"), Place: "file",
		Bytes: j.Bytes}}, j.Happen(job.Arrive, "it waits for a device", job.Queued)
}

func addJob(t testing.TB, s *postgres.Store, j job.Job, f job.Change) job.Job {
	t.Helper()
	first, _, err := s.Jobs.JobNumbers(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	j.ID = first
	if j.Queue == "" {
		j.Queue = "hall"
	}
	if j.Take == "" {
		j.Take = estate.TakeKeep
	}
	if j.Owner == "" {
		j.Owner = "Mira"
	}
	j.Asked, j.Defaults = job.Options{"copies": 2.0}, job.Options{}
	if err := s.Jobs.AddJob(t.Context(), &j, f); err != nil {
		t.Fatal(err)
	}
	return j
}

// sends has a sender take it.
func sends(who, device string, lasts time.Duration) job.Change {
	return func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		j.Device = device
		return job.Happening{Event: job.Send, Take: lasts, Sender: who}, j.Happen(job.Send, "it goes")
	}
}

// TestJobs: what is written of a job is read again, with all that happened; numbers are nobody else's.
func TestJobs(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	a, n, err := s.Jobs.JobNumbers(ctx)
	if err != nil || n != 32 {
		t.Fatal(a, n, err)
	}
	if b, _, err := s.Jobs.JobNumbers(ctx); err != nil || b != a+32 {
		t.Fatal(b, err)
	}
	pages := 5
	j := addJob(t, s, job.Job{Name: "letter", Format: "application/pdf", Bytes: 99, Pages: &pages, Raw: []byte{1},
		Charge: "voyage", From: job.Origin{Machine: "desk-1", Addresses: []string{"192.0.2.7"}}}, arrives)
	if _, err := s.Jobs.ChangeJob(ctx, j.ID, 0, sends("one", "a", time.Minute)); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Jobs.ChangeJob(ctx, j.ID, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		j.Did, j.Replaced, j.Far = job.Options{"copies": 1.0}, []job.Replaced{{Option: "copies", Asked: 2.0}},
			job.Far{URI: "ipp://a", ID: 4}
		return job.Happening{Event: job.Resume, Began: true}, j.Happen(job.Resume, "it begins", job.DeviceBusy)
	}); err != nil {
		t.Fatal(err)
	}
	got, past, err := s.Jobs.Job(ctx, j.ID)
	if err != nil {
		t.Fatal(err)
	}
	if got.State != job.Processing || got.Began == nil || got.Fence != 1 || got.Sender != "one" || *got.Pages != 5 ||
		!reflect.DeepEqual(got.From, j.From) || got.Asked["copies"] != 2.0 || got.Did["copies"] != 1.0 || got.Far.ID != 4 ||
		len(got.Replaced) != 1 || !got.Kept || got.Charge != "voyage" || got.Ended != nil {
		t.Errorf("%+v", got)
	}
	if len(past) != 3 || past[0].Event != job.Arrive || past[0].Person != "Mira" || past[2].Says != "it begins" {
		t.Errorf("%+v", past)
	}
	if d, err := s.Jobs.Document(ctx, j.ID); err != nil || d.Bytes != 99 || string(d.Key) != "k" {
		t.Error(d, err)
	}
	end, err := s.Jobs.ChangeJob(ctx, j.ID, 1, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Finish, Erase: true}, j.Happen(job.Finish, "printed")
	})
	if err != nil || end.Ended == nil || end.Kept || end.Sender != "" {
		t.Errorf("%+v %v", end, err)
	}
	if _, err := s.Jobs.Document(ctx, j.ID); fault.As(err).Code != "document-gone" {
		t.Error(err)
	}
	if _, _, err := s.Jobs.Job(ctx, 1<<30); fault.As(err).Code != "job-unknown" {
		t.Error(err)
	}
}

// TestJobLeases: under a lease that has ended, or that somebody else has taken since, nothing is changed; what is left is
// found, and taken over by one alone.
func TestJobLeases(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	j := addJob(t, s, job.Job{}, arrives)
	ready, err := s.Jobs.ReadyJobs(ctx, 4)
	if err != nil || len(ready) != 1 {
		t.Fatal(ready, err)
	}
	note := func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Note}, j.Happen(job.Note, "on")
	}
	if _, err := s.Jobs.ChangeJob(ctx, j.ID, 0, sends("one", "a", time.Hour)); err != nil {
		t.Fatal(err)
	}
	if ready, err := s.Jobs.ReadyJobs(ctx, 4); err != nil || len(ready) != 0 {
		t.Error("one that is under way waits:", ready, err)
	}
	if _, err := s.Jobs.ChangeJob(ctx, j.ID, 1, note); err != nil {
		t.Error(err)
	}
	if _, err := s.Jobs.ChangeJob(ctx, j.ID, 7, note); fault.As(err).Code != "lease-ended" {
		t.Error(err)
	}
	if held, err := s.Jobs.RenewJobs(ctx, "one", time.Hour); err != nil || held[j.ID].Fence != 1 || held[j.ID].Stopping {
		t.Error(held, err)
	}
	if held, err := s.Jobs.RenewJobs(ctx, "two", time.Hour); err != nil || len(held) != 0 {
		t.Error(held, err)
	}
	if left, err := s.Jobs.LeftJobs(ctx, 9); err != nil || len(left) != 0 {
		t.Error(left, err)
	}
	if _, err := s.Jobs.RenewJobs(ctx, "one", 0); err != nil { // it leaves
		t.Fatal(err)
	}
	if _, err := s.Jobs.ChangeJob(ctx, j.ID, 1, note); fault.As(err).Code != "lease-ended" {
		t.Error("under a lease that has ended:", err)
	}
	if left, err := s.Jobs.LeftJobs(ctx, 9); err != nil || len(left) != 1 {
		t.Fatal(left, err)
	}
	var took atomic.Int32
	var wg sync.WaitGroup
	for i := range 8 {
		wg.Go(func() {
			who := fmt.Sprint("heir-", i)
			got, err := s.Jobs.ChangeJob(ctx, j.ID, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
				if j.Held {
					return job.Happening{}, nil
				}
				return job.Happening{Event: job.Note, Take: time.Hour, Sender: who}, j.Happen(job.Note, "taken over")
			})
			if err == nil && got.Sender == who && got.Fence == 2 {
				took.Add(1)
			}
		})
	}
	wg.Wait()
	if took.Load() != 1 {
		t.Errorf("%d took it over", took.Load())
	}
	loads, err := s.Jobs.JobLoads(ctx)
	if err != nil || loads["a"] != (job.Load{Busy: 1, Active: 1}) {
		t.Error(loads, err)
	}
}

// TestReadyJobs: each queue's first few are found, in their order, so that no queue keeps others waiting.
func TestReadyJobs(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	for range 5 {
		addJob(t, s, job.Job{Queue: "a"}, arrives)
	}
	later := time.Now().Add(time.Hour)
	addJob(t, s, job.Job{Queue: "b"}, arrives)
	addJob(t, s, job.Job{Queue: "b", Wakes: &later}, arrives)
	addJob(t, s, job.Job{Queue: "c"}, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Create}, j.Happen(job.Create, "its document is to come", job.Incoming)
	})
	list, err := s.Jobs.ReadyJobs(t.Context(), 2)
	var got []string
	for _, j := range list {
		got = append(got, j.Queue)
	}
	if err != nil || !slices.Equal(got, []string{"a", "a", "b"}) || list[0].ID > list[1].ID {
		t.Error(got, err)
	}
}

// TestAllowances: two thousand jobs at once never overdraw what refuses; what jobs come to in the end replaces what was
// reserved, and what comes to nothing is given back. A renamed allowance keeps its balances.
func TestAllowances(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	count, each := 2000, 3
	if testing.Short() {
		count = 200
	}
	a := estate.Allowance{Name: "temps", Pages: count, Over: estate.OverRefuse} // a third of them fits
	other := estate.Allowance{Name: "all", Pages: 1 << 20, Over: estate.OverRefuse}
	windows := []job.Window{{Allowance: a, Begins: "2026-11-01"}, {Allowance: other, Begins: "2026-11-01"}}
	var kept, refused atomic.Int32
	var ids sync.Map
	var wg sync.WaitGroup
	next := make(chan int64, count)
	for range count/32 + 1 {
		first, n, err := s.Jobs.JobNumbers(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for i := range n {
			if len(next) < count {
				next <- first + int64(i)
			}
		}
	}
	for range 16 {
		wg.Go(func() {
			for {
				var id int64
				select {
				case id = <-next:
				default:
					return
				}
				j := &job.Job{ID: id, Queue: "hall", Owner: "Mira", Take: estate.TakeKeep, Pages: &each, Asked: job.Options{},
					Defaults: job.Options{}}
				err := s.Jobs.AddJob(ctx, j, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
					v, err := reserve("MIRA", windows, j.Pages)
					if err == nil && v.Over == estate.OverRefuse {
						err = fault.New(fault.TooMany, job.LimitReached, "", "spent")
					}
					return job.Happening{Event: job.Arrive}, cmpErr(err, j.Happen(job.Arrive, "", job.Queued))
				})
				switch {
				case err == nil:
					kept.Add(1)
					ids.Store(id, true)
				case fault.As(err).Code == job.LimitReached:
					refused.Add(1)
				default:
					t.Error(err)
				}
			}
		})
	}
	wg.Wait()
	fits := int32(count / each)
	if kept.Load() != fits || refused.Load() != int32(count)-fits {
		t.Errorf("%d kept, %d refused", kept.Load(), refused.Load())
	}
	balance := func(w ...job.Window) job.Balance {
		t.Helper()
		list, err := s.Jobs.Balances(ctx, "mira", w)
		if err != nil || len(list) != len(w) {
			t.Fatal(list, err)
		}
		return list[0]
	}
	if b := balance(windows...); b.Reserved != int(fits)*each || b.Used != 0 {
		t.Errorf("%+v", b)
	}
	renamed := a
	renamed.Name, renamed.Formerly = "temporary", []string{"temps"}
	w := job.Window{Allowance: renamed, Begins: "2026-11-01"}
	if b := balance(w); b.Reserved != int(fits)*each {
		t.Errorf("under its new name: %+v", b)
	}
	n, told := 0, 2
	ids.Range(func(id, _ any) bool {
		n++
		_, err := s.Jobs.ChangeJob(ctx, id.(int64), 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
			if n%2 == 0 {
				return job.Happening{Event: job.Cancel}, j.Happen(job.Cancel, "")
			}
			_ = j.Happen(job.Send, "")
			j.Impressions = &told
			return job.Happening{Event: job.Finish}, j.Happen(job.Finish, "")
		})
		if err != nil {
			t.Error(err)
		}
		return n < 10
	})
	if b := balance(w); b.Reserved != (int(fits)-10)*each || b.Used != 5*told {
		t.Errorf("after ten: %+v", b)
	}
	// A job that is judged anew gives back what it had, and carries what was kept under the old name along.
	j := addJob(t, s, job.Job{Pages: &each}, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
		_, err := reserve("mira", []job.Window{w}, j.Pages)
		return job.Happening{Event: job.Hold}, cmpErr(err, j.Happen(job.Hold, "", job.ReleaseWait))
	})
	if _, err := s.Jobs.ChangeJob(ctx, j.ID, 0, func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
		_, err := reserve("mira", []job.Window{{Allowance: renamed, Begins: "2026-12-01"}}, j.Pages)
		return job.Happening{Event: job.Release}, cmpErr(err, j.Happen(job.Release, ""))
	}); err != nil {
		t.Fatal(err)
	}
	if b := balance(w); b.Reserved != (int(fits)-10)*each || b.Used != 5*told {
		t.Errorf("after a release in another window: %+v", b)
	}
	if b := balance(job.Window{Allowance: renamed, Begins: "2026-12-01"}); b.Reserved != each {
		t.Errorf("in its own window: %+v", b)
	}
}

func cmpErr(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// TestDueJobs: what it is time for is found, and nothing else; old records go, and balances of windows long past.
func TestDueJobs(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	past, later := time.Now().Add(-time.Hour), time.Now().Add(time.Hour)
	held := func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Hold, Document: &job.Stored{Key: []byte("k"), Place: "file"}}, j.Happen(job.Hold, "",
			job.ReleaseWait)
	}
	want := []int64{addJob(t, s, job.Job{Due: &past}, held).ID, addJob(t, s, job.Job{Wakes: &past}, held).ID}
	addJob(t, s, job.Job{Due: &later, Wakes: &later}, held)
	under := addJob(t, s, job.Job{Due: &past}, arrives)
	if _, err := s.Jobs.ChangeJob(ctx, under.ID, 0, sends("one", "a", time.Hour)); err != nil {
		t.Fatal(err)
	}
	unfed := addJob(t, s, job.Job{}, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Create}, j.Happen(job.Create, "", job.Incoming)
	})
	got, err := s.Jobs.DueJobs(ctx, time.Hour, 100)
	slices.Sort(got)
	if err != nil || !slices.Equal(got, want) {
		t.Error(got, want, err)
	}
	if got, err := s.Jobs.DueJobs(ctx, 0, 100); err != nil || !slices.Contains(got, unfed.ID) {
		t.Error(got, err)
	}
	known, err := s.Jobs.KeptDocuments(ctx, []int64{want[0], unfed.ID, 77})
	if err != nil || len(known) != 1 || !known[want[0]] {
		t.Error(known, err)
	}
	if _, err := s.Jobs.ChangeJob(ctx, want[0], 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Expire, Erase: true}, j.Happen(job.Expire, "")
	}); err != nil {
		t.Fatal(err)
	}
	if n, err := s.Jobs.ForgetJobs(ctx, time.Hour, 10); n != 0 || err != nil {
		t.Error(n, err)
	}
	if n, err := s.Jobs.ForgetJobs(ctx, 0, 10); n != 1 || err != nil {
		t.Error(n, err)
	}
}

// TestJobChunks: pieces in the database are read again, and those that belong to no job are swept away.
func TestJobChunks(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	for i := range int64(3) {
		if err := s.Jobs.PutChunk(ctx, 5, i, []byte{byte(i)}); err != nil {
			t.Fatal(err)
		}
	}
	if b, err := s.Jobs.Chunk(ctx, 5, 2); err != nil || b[0] != 2 {
		t.Error(b, err)
	}
	if err := s.Jobs.SweepChunks(ctx, time.Hour); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Jobs.Chunk(ctx, 5, 0); err != nil {
		t.Error("what has just been written is gone:", err)
	}
	if err := s.Jobs.SweepChunks(ctx, 0); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Jobs.Chunk(ctx, 5, 0); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

// TestJobList: lists by queue, person, state and number.
func TestJobList(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	a := addJob(t, s, job.Job{Queue: "a", Owner: "Mira"}, arrives)
	b := addJob(t, s, job.Job{Queue: "b", Owner: "Jonas"}, arrives)
	c := addJob(t, s, job.Job{Queue: "a", Owner: "Jonas"}, arrives)
	if _, err := s.Jobs.ChangeJob(ctx, c.ID, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		return job.Happening{Event: job.Cancel}, j.Happen(job.Cancel, "")
	}); err != nil {
		t.Fatal(err)
	}
	since := time.Now().Add(time.Hour)
	for i, f := range []struct {
		f    job.Filter
		want []int64
	}{
		{job.Filter{}, []int64{c.ID, b.ID, a.ID}}, {job.Filter{Oldest: true}, []int64{a.ID, b.ID, c.ID}},
		{job.Filter{Queues: []string{"a", "old-a"}}, []int64{c.ID, a.ID}}, {job.Filter{Owners: []string{"JONAS"}},
			[]int64{c.ID, b.ID}}, {job.Filter{Open: true}, []int64{b.ID, a.ID}}, {job.Filter{Ended: true}, []int64{c.ID}},
		{job.Filter{States: []job.State{job.Pending}}, []int64{b.ID, a.ID}}, {job.Filter{Before: b.ID}, []int64{a.ID}},
		{job.Filter{After: b.ID}, []int64{c.ID}}, {job.Filter{Since: &since}, nil}, {job.Filter{Device: "x"}, nil},
	} {
		f.f.Limit = 10
		list, err := s.Jobs.JobList(ctx, f.f)
		var got []int64
		for _, j := range list {
			got = append(got, j.ID)
		}
		if err != nil || !slices.Equal(got, f.want) {
			t.Errorf("%d: %v %v, want %v", i, got, err, f.want)
		}
		if n, err := s.Jobs.JobCount(ctx, f.f, 2); err != nil || n != min(2, len(f.want)) {
			t.Errorf("%d: counted %d %v", i, n, err)
		}
	}
}

// BenchmarkHeld: the first page of a person's held jobs, and a release, among 100,000.
func BenchmarkHeld(b *testing.B) {
	s, ctx := testkit.Store(b), context.Background()
	if _, err := s.Pool().Exec(ctx, `INSERT INTO job (id, queue, owner, known, name, format, take, state, reasons, says,
		kept) SELECT n, 'q' || n % 50, 'p' || n % 1000, true, 'job ' || n, 'application/pdf', 'hold', 'pending-held',
		'{job-release-wait}', '', true FROM generate_series(1, 100000) n`); err != nil {
		b.Fatal(err)
	}
	if _, err := s.Pool().Exec(ctx, "ANALYZE job"); err != nil {
		b.Fatal(err)
	}
	b.Run("page", func(b *testing.B) {
		for range b.N {
			if list, err := s.Jobs.JobList(ctx, job.Filter{Open: true, Limit: 200}); err != nil || len(list) != 200 {
				b.Fatal(len(list), err)
			}
		}
	})
	b.Run("release", func(b *testing.B) {
		for i := range b.N {
			if _, err := s.Jobs.ChangeJob(ctx, int64(i%100000)+1, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
				e := job.Release
				if j.State != job.PendingHeld {
					e = job.Hold
				}
				return job.Happening{Event: e}, j.Happen(e, "")
			}); err != nil {
				b.Fatal(err)
			}
		}
	})
}

// TestEraseJobs: what waits of somebody who is erased goes at once with its document, what is left says of nobody whose it
// was, and others' jobs stay as they are.
func TestEraseJobs(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	pages := 3
	reserves := func(j *job.Job, reserve job.Reserve) (job.Happening, error) {
		_, err := reserve(j.Owner, []job.Window{{Allowance: estate.Allowance{Name: "a", Pages: 9, Over: estate.OverRefuse}}},
			j.Pages)
		h, e := arrives(j, reserve)
		return h, cmpErr(err, e)
	}
	waits := addJob(t, s, job.Job{Name: "a letter", Pages: &pages, Charge: "voyage"}, reserves)
	sent := addJob(t, s, job.Job{Name: "another"}, arrives)
	if _, err := s.Jobs.ChangeJob(ctx, sent.ID, 0, sends("one", "a", time.Hour)); err != nil {
		t.Fatal(err)
	}
	other := addJob(t, s, job.Job{Owner: "Jonas", Name: "his own"}, arrives)
	if data, err := s.Persons.PersonData(ctx, []string{"mira"}); err != nil || len(data.Jobs) != 2 || data.Jobs[0].Name !=
		"a letter" || data.Jobs[0].Pages != 3 || !data.Jobs[0].Kept {
		t.Errorf("%+v %v", data.Jobs, err)
	}
	stands, err := s.Persons.ErasePerson(ctx, []string{"mira"}, nil, "owner", "left")
	if err != nil {
		t.Fatal(err)
	}
	got, past, err := s.Jobs.Job(ctx, waits.ID)
	if err != nil || got.State != job.Canceled || got.Ended == nil || got.Owner != stands || got.Name != "" || got.Kept ||
		len(got.Asked) != 0 || got.Charge != "" || past[0].Person != stands || past[0].Says != "" {
		t.Errorf("%+v %+v %v", got, past, err)
	}
	if _, err := s.Jobs.Document(ctx, waits.ID); !fault.Is(err, fault.Unknown) {
		t.Error("its document is there still:", err)
	}
	if got, _, err := s.Jobs.Job(ctx, sent.ID); err != nil || got.State != job.Processing || !got.Stopping || got.Name != "" {
		t.Errorf("at the device: %+v %v", got, err)
	}
	if got, _, err := s.Jobs.Job(ctx, other.ID); err != nil || got.Name != "his own" || got.Owner != "Jonas" || !got.Kept {
		t.Errorf("somebody else's: %+v %v", got, err)
	}
	list, err := s.Jobs.Balances(ctx, "mira", []job.Window{{Allowance: estate.Allowance{Name: "a", Pages: 9}}})
	if err != nil || list[0].Reserved != 0 {
		t.Error(list, err)
	}
}
