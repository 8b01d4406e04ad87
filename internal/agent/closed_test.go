package agent

import (
	"testing"
	"time"

	"cirque/core/lineup"
	"cirque/internal/agentproto"
)

// TestClosedInThePlan: a queue that takes no jobs is held closed with what the service said, and is opened when its hours
// begin, also where nothing more is heard; a spooler that cannot close queues is asked for nothing.
func TestClosedInThePlan(t *testing.T) {
	t.Parallel()
	s, err := NewStandIn(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	hours, soon, past := lineup.ByHours, time.Now().Add(time.Hour), time.Now().Add(-time.Second)
	uri := "ipp://192.0.2.1/ipp/print"
	entry := lineup.Entry{Queue: "hall", Effect: lineup.Placed, Scope: "machine", NotAccepting: &hours, IfRemoved: "restore",
		Path: lineup.Taken{URI: uri}}
	for says, c := range map[string]struct {
		spooler Spooler
		closed  map[string]agentproto.Closed
		want    string
	}{
		"as the service said": {s, map[string]agentproto.Closed{"hall": {Says: "closed until Monday", Until: &soon}},
			"closed until Monday"},
		"paused, without an end":     {s, map[string]agentproto.Closed{"hall": {Says: "it is paused"}}, "it is paused"},
		"its hours have begun":       {s, map[string]agentproto.Closed{"hall": {Says: "closed until Monday", Until: &past}}, ""},
		"the service has not said":   {s, nil, "This queue is closed at this hour: it takes no jobs."},
		"the spooler cannot do that": {struct{ Spooler }{s}, nil, ""},
	} {
		a := &Agent{cfg: Config{Spooler: c.spooler}}
		a.kept.Lineups, a.kept.Closed = []lineup.Lineup{{Entries: []lineup.Entry{entry}}}, c.closed
		if p := a.plan(); len(p.Wants) != 1 || p.Wants[0].Closed != c.want {
			t.Errorf("%s: %+v", says, p.Wants)
		}
	}
}
