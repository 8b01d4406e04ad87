package alerts

import (
	"context"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/internal/testkit/rooms"
)

// noDrafts have failed.
type noDrafts struct{}

func (noDrafts) FailedDrafts(context.Context) ([]estate.Draft, error) { return nil, nil }

// aSlowStore takes its time to tell what is unwell, and counts how often it was asked.
type aSlowStore struct {
	store
	takes time.Duration
	asked int
}

func (s *aSlowStore) Unwell(ctx context.Context) ([]continuity.Health, error) {
	time.Sleep(s.takes)
	s.asked++
	return s.store.Unwell(ctx)
}

func (*aSlowStore) SeenFaults(context.Context) (map[string]time.Time, error) { return nil, nil }

// TestFaultsOfALargeStock: where looking takes a while, whoever asks is told what was found last, and it is looked for
// anew meanwhile; what is older than twice the rest between two looks is looked for before the answer.
func TestFaultsOfALargeStock(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w := rooms.New(t, told, directory.Records{})
		s := &aSlowStore{takes: 400 * time.Millisecond}
		ends := &someEndpoints{}
		start := time.Now()
		r := New(Config{Store: s, Present: w.Present, Log: rooms.Quiet, Fleet: ends, Drafts: noDrafts{},
			Now: func() time.Time { return rooms.Start.Add(time.Since(start)) }})
		ctx, stop := context.WithCancel(t.Context())
		defer stop()
		go func() {
			if err := r.Workers()[0].Run(ctx); err != nil {
				t.Error(err)
			}
		}()
		ask := func(says string, faults int, takes time.Duration) {
			t.Helper()
			begin := time.Now()
			list, err := r.Faults(t.Context(), rooms.Who(access.Auditor))
			if err != nil || len(list) != faults {
				t.Errorf("%s: %d faults, want %d: %v", says, len(list), faults, err)
			}
			if took := time.Since(begin); took != takes {
				t.Errorf("%s: it took %v, want %v", says, took, takes)
			}
		}
		down := func() {
			s.mu.Lock()
			defer s.mu.Unlock()
			s.health = []continuity.Health{{Name: "ps-1", Kind: "server", Verdict: continuity.Gone, Since: rooms.Start}}
		}
		ask("for the first time", 0, s.takes)
		down()
		time.Sleep(3 * time.Second)
		ask("soon after", 0, 0)
		time.Sleep(2 * time.Second)
		ask("after ten times as long as it took", 0, 0)
		time.Sleep(time.Second)
		ask("when it was looked for meanwhile", 1, 0)
		time.Sleep(time.Minute)
		ask("long after", 1, s.takes)
		if s.asked != 3 {
			t.Errorf("it was looked %d times", s.asked)
		}
	})
}
