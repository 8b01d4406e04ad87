package lineup_test

import (
	"fmt"
	"strings"
	"testing"

	"cirque/core/lineup"
	"cirque/internal/testkit/worlds"
)

// TestClosing: it is said who holds a queue closed on each of its ways, and who does not.
func TestClosing(t *testing.T) {
	t.Parallel()
	const rest = "yes On endpoints with an agent the queue stays and refuses jobs, where the spooler can."
	for _, c := range []struct{ paths, want string }{
		{"{gateway: true}", "yes The gateway refuses jobs, and says why."},
		{"{server: kept}", "yes Kept by Cirque, and refusing jobs with the sentence: kept. " + rest},
		{"{set: pair}, {device: d}", "yes Kept by Cirque, and refusing jobs with the sentence: kept. " + rest + " no Nothing " +
			"holds the server read and the device d closed: whoever prints there past an agent is not refused."},
		{"{set: others}", rest + " no Nothing holds the servers of the set others closed: whoever prints there past an agent " +
			"is not refused."},
	} {
		doc := worlds.Parse(t, fmt.Sprintf("estate: 1\nservers: [{name: kept, uri: \"ipp://a.example/\", kept: true}, {name: "+
			"read, uri: \"ipp://b.example/\"}]\nserver_sets: [{name: pair, style: standby, members: [kept, read]}, {name: "+
			"others, style: standby, members: [read]}]\ndevices: [{name: d, uri: \"ipp://192.0.2.1/\"}]\nqueues: [{name: q, "+
			"devices: [d], paused: true, paths: [%s]}]\n", c.paths))
		sheet := lineup.NewQueueSheet(doc.Queues[0], nil, lineup.Given{}, lineup.KeepsOf(doc))
		var got []string
		for _, x := range sheet.Closing {
			got = append(got, map[bool]string{true: "yes ", false: "no "}[x.Held]+x.Says)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %q", c.paths, got)
		}
	}
}
