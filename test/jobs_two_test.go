package test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/job"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/ipp"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// TestJobsHandedOver: two services on one database share jobs and spool; one that stops in the middle of a job leaves it
// to the other, which goes on with it where it is.
func TestJobsHandedOver(t *testing.T) {
	t.Parallel()
	set, table := printers(t, sim.Spec{For: "10.0.0.1:631", Listen: "127.0.0.1:0", Name: "one", Can: []string{"postscript"},
		Pace: 100 * time.Millisecond})
	o := app.Options{Database: testkit.Database(t), Data: withKeys(t, t.TempDir()), Spool: t.TempDir(), AddressTable: table,
		Listen: "127.0.0.1:0", PlainHTTP: true, Throwaway: true, AllowOutgoing: loopback}
	start := func() *aService {
		r, err := app.Start(t.Context(), o)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = r.Stop() })
		return &aService{Running: r, t: t, data: o.Data, database: o.Database}
	}
	first := start()
	first.token = first.tokenFor("test", access.Owner, "")
	first.c = first.client(first.token)
	first.importDirectory("directory: 1\nusers: [{name: mira}]\n")
	first.publish(`{estate: 1, devices: [{name: one, uri: "ipp://10.0.0.1/ipp/print"}],
queues: [{name: hall, devices: [one], paths: [{gateway: true}], jobs: {take: keep}}]}`)
	token := first.tokenFor("agent", access.Agent, "desk-1")
	first.sits(token, "desk-1", `{"user":"mira"}`)
	doc := "%!PS\n%%Pages: 1\n" + strings.Repeat("x\n", 100)
	_, m := first.send("hall", "mira", token, ipp.PrintJob, doc, ipp.Strs(ipp.Name, "job-name", "letter"))
	id := m.Number(ipp.JobGroup, "job-id")
	if id == 0 {
		t.Fatalf("%+v", m)
	}
	more := make([]int, 4)
	for i := range more {
		_, m := first.send("hall", "mira", token, ipp.PrintJob, doc)
		more[i] = m.Number(ipp.JobGroup, "job-id")
	}
	within(t, "the device has it", func() bool { return len(set.Printers[0].Jobs()) > 0 })
	second := start()
	second.c = second.client(first.token)
	if err := first.Stop(); err != nil {
		t.Fatal(err)
	}
	for _, n := range append(more, id) {
		within(t, fmt.Sprintf("job %d is done", n), func() bool {
			j, err := apiclient.Get[api.ShownJob](t.Context(), second.c, fmt.Sprintf("/api/v1/jobs/%d", n), nil)
			return err == nil && j.State == job.Completed
		})
	}
	if jobs := set.Printers[0].Jobs(); len(jobs) != 5 {
		t.Errorf("%d jobs came to the device", len(jobs))
	}
}
