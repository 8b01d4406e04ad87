package test

import (
	"bufio"
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/server"
	"cirque/internal/apiclient"
)

// TestCampaignServer sets up one of Debian's spoolers, empty before, with many queues that have drivers and people, and
// then changes one after another: until the server is as the estate wants it, and its agent has said so.
func TestCampaignServer(t *testing.T) {
	queues, changes := 40, 3
	if whole() {
		queues, changes = 2000, 20
	} else {
		t.Parallel()
	}
	c := newCampaign(t, "server", "One print server that Cirque keeps, on Debian's spooler: set up from nothing, and changed.")
	s := startService(t)
	var people, members strings.Builder
	for i := range 100 {
		fmt.Fprintf(&people, "  - {name: person-%d}\n", i)
		fmt.Fprintf(&members, "\"user:person-%d\", ", i)
	}
	s.importDirectory("directory: 1\nusers:\n" + people.String() + "groups: [{name: clerks, members: [" +
		strings.TrimSuffix(members.String(), ", ") + "]}]\n")
	s.must("driver", "add", folder(t, map[string]string{"mono.ppd": somePPD("Skerrymark Mono 40")}), "--name", "mono")
	spooler, u := unixServer(t)
	s.keep(t, "ps", u)
	estate := func(changed, round int) string {
		var out strings.Builder
		fmt.Fprintf(&out, "estate: 1\nlocations: [{path: ard, title: Ardholm}]\ndrivers: [{name: mono, exact: \"Skerrymark Mono "+
			"40\", platform: linux}]\nservers: [{name: ps, uri: %q, kept: true, location: ard}]\ndevices: [{name: d, uri: "+
			"\"ipp://127.0.0.1:9/ipp/print\"}]\nqueues:\n", spooler.URI)
		for i := range queues {
			title := fmt.Sprintf("Queue %d", i)
			if i == changed {
				title = fmt.Sprintf("Changed in round %d", round)
			}
			fmt.Fprintf(&out, "  - {name: q-%d, title: %s, location: ard, devices: [d], paths: [{server: ps}], drivers: {linux: "+
				"mono}, defaults: {sides: two-sided-long-edge}, access: {allow: [\"group:clerks\"]}}\n", i, title)
		}
		return out.String()
	}
	watch, err := s.c.Raw(t.Context(), "GET", "/api/v1/watch", nil, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = watch.Body.Close() }()
	told := bufio.NewScanner(watch.Body)
	publish := func(text string) time.Duration {
		t.Helper()
		s.publish(text)
		begin := time.Now()
		for {
			list, err := apiclient.List[server.Summary](t.Context(), s.c, "/api/v1/kept-servers", nil)
			if err != nil {
				t.Fatal(err)
			}
			if v := list[0]; v.State == server.AsWanted && v.Right == queues {
				return time.Since(begin)
			}
			for said := false; !said; {
				if !told.Scan() {
					t.Fatal(told.Err())
				}
				said = strings.Contains(told.Text(), `"kept-servers"`)
			}
		}
	}
	first := publish(estate(-1, 0))
	var took []time.Duration
	for i := range changes {
		took = append(took, publish(estate(i*queues/changes, i)))
	}
	c.say("| queues | set up within | bar | changes | one is there within, half of them | all of them | bar |\n"+
		"|---|---|---|---|---|---|---|\n| %d | %.0f s | 300 s | %d | %.2f s | %.2f s | 2 s |", queues, first.Seconds(), changes,
		quantile(took, 0.5).Seconds(), quantile(took, 1).Seconds())
	c.say("\nEach queue has a driver out of a package, defaults, and a group of 100 people who alone may print. Times are from " +
		"the publish until\nthe agent has looked at the spooler and told, the comparison of all queues included; the spooler " +
		"writes each change down at once.")
	c.keep()
}
