package alerts

import (
	"context"
	"slices"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/core/notice"
)

// TestFaultSince: a fault lasts since it was first seen, also where what tells of it began to count anew.
func TestFaultSince(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	ago := func(m int) time.Time { return now.Add(-time.Duration(m) * time.Minute) }
	for says, c := range map[string]struct {
		says time.Time
		seen map[string]time.Time
		want time.Time
	}{
		"new, and does not know":         {time.Time{}, nil, now},
		"seen before, and does not know": {time.Time{}, map[string]time.Time{"k": ago(9)}, ago(9)},
		"it knows, and it is older":      {ago(20), map[string]time.Time{"k": ago(9)}, ago(20)},
		"it counts anew":                 {ago(1), map[string]time.Time{"k": ago(9)}, ago(9)},
		"another was seen":               {ago(1), map[string]time.Time{"other": ago(9)}, ago(1)},
	} {
		f := aFault{notice.Fault{Key: "k", Since: c.says}}
		if f.since(c.seen, now); !f.Since.Equal(c.want) {
			t.Errorf("%s: %s, want %s", says, f.Since, c.want)
		}
	}
}

// TestFaultsOfEndpoints: each trouble is put in words once, and anew where the endpoint was judged anew.
func TestFaultsOfEndpoints(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	judged := func(machine, says string) *fleet.Judgement {
		f := fleet.New(time.Hour)
		f.Put(endpoint.Judged{Record: endpoint.Record{LastSeen: at, Report: endpoint.Report{Machine: machine,
			Failures: []endpoint.Failure{{Step: "create", Queue: "q-hall", Says: says, Since: at}}}}}, fleet.Follows{})
		return f.Get(machine)
	}
	ends := &someEndpoints{failing: []*fleet.Judgement{judged("till-1", "no driver"), judged("till-2", "refused")},
		silent: []*fleet.Judgement{judged("desk-1", "")}}
	s := New(Config{})
	s.cfg.Fleet = ends
	says := func() (out []string) {
		list, all, err := s.endpointFaults(t.Context())
		if err != nil || all != 3 {
			t.Fatal(all, err)
		}
		for _, f := range list {
			out = append(out, f.Says)
		}
		return out
	}
	want := []string{"the endpoint desk-1 says nothing; it was last heard of on 2026-11-23 10:00 UTC",
		"the endpoint till-1 fails: create of q-hall: no driver", "the endpoint till-2 fails: create of q-hall: refused"}
	for range 2 {
		if got := says(); !slices.Equal(got, want) {
			t.Errorf("%q", got)
		}
	}
	ends.silent, ends.failing[0] = nil, judged("till-1", "no space")
	if got := says(); !slices.Equal(got, []string{"the endpoint till-1 fails: create of q-hall: no space", want[2]}) {
		t.Errorf("afterwards: %q", got)
	}
	if len(s.worded.silent.of) != 0 || len(s.worded.failing.of) != 2 {
		t.Errorf("%d and %d are kept", len(s.worded.silent.of), len(s.worded.failing.of))
	}
}

// someEndpoints are in trouble.
type someEndpoints struct{ failing, silent []*fleet.Judgement }

func (e *someEndpoints) Leading(context.Context) (map[string][2]int, error) { return nil, nil }

func (e *someEndpoints) Troubled(context.Context) (failing, silent []*fleet.Judgement, all int, err error) {
	return e.failing, e.silent, 3, nil
}
