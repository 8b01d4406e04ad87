package ipp_test

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"
	"testing"
	"time"

	"cirque/core/job"
	"cirque/core/stock"
	"cirque/internal/ipp"
	ippclient "cirque/internal/probe/ipp"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// spooler starts Debian's spooler with a queue for each device, and gives its port.
func spooler(t *testing.T, queues ...string) (port int) {
	t.Helper()
	port = testkit.NewUnixSpooler(t, true).Port
	for i, device := range queues {
		addQueue(t, port, fmt.Sprintf("desk-%d", i+1), device)
	}
	return port
}

// addQueue makes a queue with the spooler's own operation, as its administrator's tools do.
func addQueue(t *testing.T, port int, name, device string) {
	t.Helper()
	at := fmt.Sprintf("ipp://127.0.0.1:%d/printers/%s", port, name)
	m := ipp.NewRequest(ipp.SetQueue, 1, at)
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.PrinterGroup, Attributes: []ipp.Attribute{
		ipp.Strs(ipp.URI, "device-uri", device), ipp.Strs(ipp.Text, "printer-info", "Desk of "+name), ipp.Strs(ipp.Text,
			"printer-location", "Quay House 2"),
		ipp.Strs(ipp.Keyword, "sides-default", "two-sided-long-edge"), ipp.Strs(ipp.Keyword, "media-default",
			"iso_a5_148x210mm"),
		ipp.Attr("printer-state", ipp.Int(ipp.Enum, int32(ipp.PrinterIdle))), ipp.Attr("printer-is-accepting-jobs",
			ipp.Bool(true)), ipp.Attr("printer-is-shared", ipp.Bool(true)),
	}})
	b, err := m.AppendTo(nil)
	if err != nil {
		t.Fatal(err)
	}
	resp, err := http.Post(fmt.Sprintf("http://127.0.0.1:%d/admin/", port), "application/ipp", bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	if answer, err := ipp.ReadMessage(ipp.Buffered(resp.Body)); err != nil || !ipp.Status(answer.Code).Successful() {
		t.Fatal("the queue was not made:", ipp.Status(answer.Code), err)
	}
}

// TestRealSpooler: the common Unix spooler lists its queues, tells a queue's defaults, and takes a test page, which
// arrives.
func TestRealSpooler(t *testing.T) {
	t.Parallel()
	device := &sim.Printer{Spec: sim.Spec{Name: "hall-40", Model: "Mono 40"}}
	if err := device.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = device.Close() })
	behind := "ipp://" + device.Addr() + "/ipp/print"
	port := spooler(t, "file:///dev/null", behind, "file:///dev/null")
	c := ippclient.New(nil)
	uri := fmt.Sprintf("ipp://127.0.0.1:%d/", port)
	s, err := c.ReadServer(t.Context(), uri, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	if s.Listing != "spooler" || len(s.Queues) != 3 {
		t.Fatalf("%+v", s)
	}
	q := s.Find("desk-2")
	if q == nil || q.State != "idle" || !q.Accepting || q.Title != "Desk of desk-2" || q.Location != "Quay House 2" ||
		q.Device != behind {
		t.Fatalf("%+v", q)
	}
	if q.Defaults["sides"] != "two-sided-long-edge" || q.Defaults["media"] != "iso_a5_148x210mm" {
		t.Errorf("defaults %v", q.Defaults)
	}
	// A queue that comes and one that goes are seen without reading all again.
	addQueue(t, port, "fresh", "file:///dev/null")
	again, err := c.ReadServer(t.Context(), uri, nil, s)
	if err != nil || len(again.Queues) != 4 || again.Find("desk-2").Defaults["sides"] != "two-sided-long-edge" ||
		again.Find("fresh").Defaults["sides"] == nil {
		t.Fatalf("%+v %v", again, err)
	}
	var kinds []string
	for _, ch := range stock.ServerChanges("spooler", s, again) {
		kinds = append(kinds, ch.Kind+" "+ch.Subject)
	}
	if !slices.Equal(kinds, []string{"queue-new fresh"}) {
		t.Errorf("changes: %v", kinds)
	}
	page := []byte("This is the test page.\n")
	at := fmt.Sprintf("ipp://127.0.0.1:%d/printers/desk-2", port)
	out, err := c.Send(t.Context(), at, nil, job.Document{Name: "Test page", Owner: "mira.solvang", Format: "text/plain"},
		bytes.NewReader(page))
	if err != nil || out.JobID == 0 {
		t.Fatalf("%+v %v", out, err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	for {
		j, err := c.ReadJob(ctx, at, nil, out.JobID)
		if err != nil {
			t.Fatal(err)
		}
		if j.Done() {
			if j.State != "completed" {
				t.Fatalf("%+v", j)
			}
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if jobs := device.Jobs(); len(jobs) != 1 || !bytes.Equal(jobs[0].Body, page) || jobs[0].Owner != "mira.solvang" {
		t.Errorf("at the device: %+v", jobs)
	}
	ended, err := c.ReadJobs(t.Context(), at, nil, true, 10)
	if err != nil || len(ended) != 1 || ended[0].Owner != "mira.solvang" || ended[0].At == nil {
		t.Errorf("%+v %v", ended, err)
	}
	if d, err := c.ReadServer(t.Context(), at, nil, nil); err != nil || len(d.Queues) != 4 {
		t.Errorf("by the address of a queue: %+v %v", d, err)
	}
}

// TestEmptySpooler: a spooler without a queue answers, and lists none.
func TestEmptySpooler(t *testing.T) {
	t.Parallel()
	port := spooler(t)
	s, err := ippclient.New(nil).ReadServer(t.Context(), fmt.Sprintf("ipp://127.0.0.1:%d/", port), nil, nil)
	if err != nil || len(s.Queues) != 0 || s.Queues == nil {
		t.Errorf("%+v %v", s, err)
	}
}
