package snapshots

import (
	"context"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/live"
	"cirque/core/snapshot"
	"cirque/internal/testkit/rooms"
)

// store keeps snapshots.
type store map[string]snapshot.Snapshot

func (s store) AddSnapshot(_ context.Context, p snapshot.Snapshot, e event.Event) (snapshot.Snapshot, error) {
	p.At = rooms.Start
	s[p.Name] = p
	return p, nil
}

func (s store) Snapshot(_ context.Context, called string) (snapshot.Snapshot, error) {
	p, ok := s[called]
	if !ok {
		return p, fault.New(fault.Unknown, "snapshot-unknown", "", "there is no snapshot %q", called)
	}
	return p, nil
}

func (s store) Snapshots(context.Context) ([]snapshot.Snapshot, error) { return nil, nil }

func (s store) RemoveSnapshot(_ context.Context, called string, _ event.Event) error {
	delete(s, called)
	return nil
}

// ends are the endpoints.
type ends struct{ *fleet.Fleet }

func (e ends) Every(context.Context) (list []*fleet.Judgement, silent []bool, err error) {
	return e.All(), make([]bool, e.Len()), nil
}

// TestCompare: what changed since a snapshot is told, of all or of what has a word, and nothing else.
func TestCompare(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, `estate: 1
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}, {name: ps-2, uri: "ipp://ps-2.example/"}]
queues: [{name: hall, paths: [{server: ps-1}]}]`, directory.Records{})
	fleet := ends{fleet.New(0)}
	put := func(uri string) {
		fleet.Put(endpoint.Judged{Record: endpoint.Record{Report: endpoint.Report{Machine: "till-1",
			Installed: []endpoint.Installed{{Want: endpoint.Want{Queue: "hall", URI: uri}, Own: true}}}}}, follows)
	}
	put("ipp://ps-1.example/printers/hall")
	kept := store{}
	s := New(Config{Store: kept, Present: w.Present, Now: w.Now, Fleet: fleet})
	owner := rooms.Who(access.Owner)
	before, err := s.TakeSnapshot(t.Context(), owner, "before", "  the update ")
	if err != nil || before.Count == 0 || before.Objects != nil || kept["before"].Note != "the update" {
		t.Fatalf("%+v %v", before, err)
	}
	compare := func(word string) string {
		c, err := s.CompareSnapshots(t.Context(), owner, "before", "", word, 100)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, d := range c.List {
			out = append(out, d.Name+" "+d.Fact)
		}
		return strings.Join(out, "; ")
	}
	if got := compare(""); got != "" {
		t.Error("nothing has changed:", got)
	}
	put("ipp://ps-2.example/printers/hall")
	w.State = live.State{Servers: map[string]live.Duty{"ps-1": live.Drained}}
	w.Refresh(t)
	if got := compare(""); !strings.Contains(got, "hall") || !strings.Contains(got, "ps-1 duty") {
		t.Error("both have:", got)
	}
	if got := compare("ps-1"); !strings.Contains(got, "ps-1 duty") || strings.Contains(got, "till-1") {
		t.Error("of one:", got)
	}
	if _, err := s.TakeSnapshot(t.Context(), owner, "Before It", ""); fault.As(err).Code != "name-invalid" {
		t.Error(err)
	}
	if _, err := s.CompareSnapshots(t.Context(), owner, "other", "", "", 1); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

var follows fleet.Follows
