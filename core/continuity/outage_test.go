package continuity

import (
	"strings"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/core/live"
)

// TestChecklist: what is done is ticked, what is not says how, and nothing is asked for before its time.
func TestChecklist(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	none, three := 0, 3
	drained := live.Note{Duty: live.Drained, Since: at, Until: &at}
	for says, c := range map[string]struct {
		o    Outage
		want string // the results: y, n, ? of each step
	}{
		"before, nothing ready": {Outage{Only: []string{"accounts"}, Duty: live.Note{Duty: live.Serving}}, "n?n"},
		"before, all ready":     {Outage{Snapshot: "before", Duty: live.Note{Duty: live.Serving}}, "yyn"},
		"out, people still moving": {Outage{Snapshot: "before", Duty: drained, WentOut: true, Move: &Move{Left: 2,
			Endpoints: 5}, Health: Up}, "yyyn?y?n"},
		"out, jobs waiting": {Outage{Snapshot: "before", Duty: drained, WentOut: true,
			Move: &Move{Waiting: &three}, Health: Gone}, "yyyynn?n"},
		"out, empty, and otherwise": {Outage{Snapshot: "before", Otherwise: 1, Duty: drained, WentOut: true,
			Move: &Move{Waiting: &none}, Health: Up}, "yyyyyynn"},
		"returning": {Outage{Duty: live.Note{Duty: live.Serving}, WentOut: true, LeadingThen: 5, Leading: 2,
			Move: &Move{Says: "it takes 40 %"}, Health: Up}, "y?yy?yn"},
		"back": {Outage{Snapshot: "before", Duty: live.Note{Duty: live.Serving}, WentOut: true,
			LeadingThen: 5, Leading: 5, Health: Up}, "yyyyyyy"},
		"another member lacks a lot": {Outage{Only: []string{"hall"}, Lacked: []string{"ps-2 lacks hall"},
			Snapshot: "p", Duty: live.Note{Duty: live.Serving}}, "nyn"},
		"nobody read the other member": {Outage{Unread: []string{"ps-2"}, Snapshot: "p",
			Duty: live.Note{Duty: live.Serving}}, "?yn"},
		"it was never probed up here": {Outage{Snapshot: "p", Duty: drained, WentOut: true, Move: &Move{Waiting: &none}},
			"yyyyy??n"},
	} {
		var got strings.Builder
		for _, r := range c.o.Checklist() {
			got.WriteString(map[string]string{endpoint.Yes: "y", endpoint.No: "n", endpoint.Unproven: "?"}[r.Result])
			if r.Says == "" || (r.Result == endpoint.Yes) == (r.Fix != "") {
				t.Errorf("%s: %+v", says, r)
			}
		}
		if got.String() != c.want {
			t.Errorf("%s: %s, want %s", says, got.String(), c.want)
		}
	}
}
