package endpoint

import (
	"strings"
	"testing"

	"cirque/core/lineup"
)

// results writes a checklist's results, a letter each.
func results(list []Check) string {
	out := ""
	for _, c := range list {
		out += c.Result[:1]
		if c.Result != Yes && c.Fix == "" || c.Says == "" {
			out += "!" // nothing to do next
		}
	}
	return out
}

func TestSetUp(t *testing.T) {
	t.Parallel()
	for want, o := range map[string]Overview{
		"nnnunnun": {},
		"yyynnyny": {Revision: 1, Directory: map[string]int{"users": 2}, Estate: map[string]int{"queues": 1, "grants": 1,
			"notices": 1}, Remarks: 1, Findings: []lineup.Finding{{Object: "queue q", Says: "no"}},
			Endpoints: map[State]int{Converged: 2, Failing: 1}},
		"yyyyyyyy": {Revision: 1, Directory: map[string]int{"machines": 1}, Estate: map[string]int{"queues": 1, "grants": 1,
			"notices": 1, "promises": 1}, Endpoints: map[State]int{Converged: 2}},
	} {
		if got := results(o.SetUp()); got != want {
			t.Errorf("%s, want %s: %+v", got, want, o.SetUp())
		}
	}
	if s := (Overview{Endpoints: map[State]int{Converged: 2, Failing: 1,
		Silent: 3}}).SetUp(); !strings.Contains(s[6].Says,
		"4 of 6 endpoints: 1 failing, 0 behind, 3 silent") {
		t.Error(s[6].Says)
	}
}

func TestTaskSteps(t *testing.T) {
	t.Parallel()
	given := lineup.Given{State: lineup.IsGiven, Says: "g gives it"}
	nobody := lineup.Given{State: lineup.ToNobody, Says: "no grant gives it", Fix: "grant it"}
	answers := []Check{{Check: "Does its device d answer?", Result: Yes, Says: "read"}}
	for want, task := range map[string]Task{
		"uynuu": {Queue: "q", Given: nobody},
		"yyyyy": {Queue: "q", Devices: answers, Given: given, Proof: Proof{Expected: 2, Arrived: 1, Away: 1, Tested: 1}},
		"ynynnu": {Queue: "q", Devices: answers, Given: given, Findings: []lineup.Finding{{Says: "x", Fix: "y"}},
			Proof: Proof{Expected: 3, Arrived: 1, Failed: 1, Silent: 1, Absent: 2}},
		"yyyuy": {Queue: "q", Devices: answers, Given: given, Proof: Proof{Expected: 2, Arrived: 1, Silent: 1, Tested: 1}},
	} {
		if got := results(task.Steps()); got != want {
			t.Errorf("%s, want %s: %+v", got, want, task.Steps())
		}
	}
}
