package lineups

import (
	"context"
	"fmt"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/internal/testkit/rooms"
)

// nowhere is a fleet of which nothing was reported, and counts how often it was asked.
type nowhere struct{ asked int }

func (n *nowhere) Contexts(context.Context) ([]lineup.Context, error) {
	n.asked++
	return nil, nil
}

func (*nowhere) Reported(context.Context) (func(string) *fleet.Judgement, error) {
	return func(string) *fleet.Judgement { return nil }, nil
}

func (*nowhere) OfUsers(context.Context, []string) ([]*fleet.Judgement, error) { return nil, nil }

// TestWhoIsKept: who reads the answer page by page has it looked for once, and anew where something was changed or a
// while has passed; nobody sees what was kept for who may see more.
func TestWhoIsKept(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, `{estate: 1, queues: [{name: hall, paths: [{gateway: true}]}],
		grants: [{name: g, effect: place, queues: [hall], to: ["user:ida", "user:mira"]}]}`,
		directory.Records{Users: []directory.User{{Name: "ida"}, {Name: "mira"}, {Name: "jens"}},
			Machines: []directory.Machine{{Name: "desk-1"}}})
	seen := &nowhere{}
	r := New(Config{Store: w, Present: w.Present, Now: w.Now, Fleet: seen})
	ask := func(says string, people int) {
		t.Helper()
		got, err := r.Who(t.Context(), rooms.Who(access.Auditor), "hall", time.Time{}, time.Time{})
		if err != nil || got.Have.People != people || len(got.Holders) != people || got.Looked.People != 3 {
			t.Errorf("%s: %+v %v", says, got, err)
		}
	}
	ask("at first", 2)
	first := seen.asked
	for range 3 {
		ask("soon after", 2)
	}
	if seen.asked != first {
		t.Errorf("it was looked for %d times", seen.asked/first)
	}
	if _, err := r.Who(t.Context(), rooms.Who(access.Person), "hall", time.Time{}, time.Time{}); !fault.Is(err,
		fault.Denied) {
		t.Error("somebody who may not:", err)
	}
	w.Publish(t, `{estate: 1, queues: [{name: hall, paths: [{gateway: true}]}],
		grants: [{name: g, effect: place, queues: [hall], to: ["user:ida"]}]}`)
	w.Refresh(t)
	ask("after a change", 1)
	bare, err := r.Bare(t.Context(), rooms.Who(access.Auditor))
	if err != nil || fmt.Sprint(bare) != "[{user jens false} {user mira false} {machine desk-1 false}]" {
		t.Errorf("%v %v", bare, err)
	}
	if _, err := r.Who(t.Context(), rooms.Who(access.Auditor), "attic", time.Time{}, time.Time{}); !fault.Is(err,
		fault.Unknown) {
		t.Error(err)
	}
}
