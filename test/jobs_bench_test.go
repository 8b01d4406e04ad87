package test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/app"
	"cirque/internal/ipp"
	"cirque/internal/sim"
)

// benchPrinting is a service on disk with a queue that keeps, whose device is off, and one that streams to a device that
// is on.
func benchPrinting(b *testing.B) (s *aService, set *sim.Set, token, dir string) {
	b.Helper()
	set, err := sim.Start([]sim.Spec{{For: "10.0.0.1:631", Listen: "127.0.0.1:0", Name: "on"}})
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = set.Close() })
	if dir, err = os.MkdirTemp("", "cirque-bench-"); err != nil { // on disk
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil { // the database's account enters it
		b.Fatal(err)
	}
	table := filepath.Join(dir, "table.yaml")
	if err := os.WriteFile(table, []byte(fmt.Sprintf("\"10.0.0.1:631\": %q\n\"10.0.0.2:631\": \"127.0.0.1:1\"\n",
		set.Printers[0].Addr())), 0o600); err != nil {
		b.Fatal(err)
	}
	data := filepath.Join(dir, "data")
	r, err := app.Start(b.Context(), app.Options{Data: data, Listen: "127.0.0.1:0", PlainHTTP: true, AddressTable: table,
		AllowOutgoing: loopback})
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = r.Stop() })
	s = &aService{Running: r, t: b, data: data}
	s.token = s.tokenFor("bench", access.Owner, "")
	s.c = s.client(s.token)
	s.importDirectory("directory: 1\nusers: [{name: mira}]\n")
	s.publish(`{estate: 1, devices: [{name: on, uri: "ipp://10.0.0.1/ipp/print"}, {name: off, uri: "ipp://10.0.0.2/ipp/print"}],
queues: [{name: kept, devices: [off], paths: [{gateway: true}], jobs: {take: keep}},
  {name: goes, devices: [on], paths: [{gateway: true}], jobs: {take: keep}},
  {name: straight, devices: [on], paths: [{gateway: true}]}]}`)
	token = s.tokenFor("agent", access.Agent, "desk-1")
	s.sits(token, "desk-1", `{"user":"mira"}`)
	return s, set, token, dir
}

// postJob prints a document over a connection that is kept.
func postJob(client *http.Client, url, queue, token string, body io.Reader) error {
	head, err := ipp.NewRequest(ipp.PrintJob, 9, "ipp://x/ipp/queues/"+queue, ipp.Strs(ipp.MIMEType, "document-format",
		"application/octet-stream")).AppendTo(nil)
	if err != nil {
		return err
	}
	req, err := http.NewRequest(http.MethodPost, url+"/ipp/queues/"+queue, io.MultiReader(bytes.NewReader(head), body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/ipp")
	req.SetBasicAuth("mira", token)
	resp, err := client.Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	answer, err := io.ReadAll(resp.Body)
	if err != nil {
		return err
	}
	if m, _, err := ipp.Parse(answer); err != nil || !ipp.Status(m.Code).Successful() {
		return fmt.Errorf("%s %s %w", resp.Status, m.Text(ipp.OperationGroup, "status-message"), err)
	}
	return nil
}

// together does something so often, several at once.
func together(b *testing.B, count, atOnce int, do func() error) time.Duration {
	b.Helper()
	var left atomic.Int64
	left.Store(int64(count))
	var wg sync.WaitGroup
	begin := time.Now()
	for range atOnce {
		wg.Go(func() {
			for left.Add(-1) >= 0 {
				if err := do(); err != nil {
					b.Error(err)
					return
				}
			}
		})
	}
	wg.Wait()
	return time.Since(begin)
}

// BenchmarkKeepIntake: documents of 10 MB, 8 at once, into a queue that keeps them, beside a server that copies each to a
// file and synchronises it, in turns; the median of the ratios is reported.
func BenchmarkKeepIntake(b *testing.B) {
	s, _, token, dir := benchPrinting(b)
	const size, atOnce, count = 10 << 20, 8, 16
	doc := make([]byte, size)
	r := rand.New(rand.NewPCG(1, 2))
	for i := range doc {
		doc[i] = byte(r.UintN(256))
	}
	var n atomic.Int64
	raw := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		f, err := os.Create(filepath.Join(dir, fmt.Sprint("raw-", n.Add(1)%64)))
		if err == nil {
			_, err = io.Copy(f, r.Body)
			err = errors.Join(err, f.Sync(), f.Close())
		}
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
		}
	}))
	defer raw.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: atOnce}}
	copied := func() error {
		resp, err := client.Post(raw.URL, "application/octet-stream", struct{ io.Reader }{bytes.NewReader(doc)})
		if err == nil {
			err = resp.Body.Close()
		}
		return err
	}
	kept := func() error { return postJob(client, s.URL, "kept", token, bytes.NewReader(doc)) }
	var ratios, speeds []float64
	for range b.N {
		a, c := together(b, count, atOnce, copied), together(b, count, atOnce, kept)
		ratios, speeds = append(ratios, a.Seconds()/c.Seconds()), append(speeds, float64(count*size)/1e6/c.Seconds())
	}
	slices.Sort(ratios)
	slices.Sort(speeds)
	b.ReportMetric(ratios[len(ratios)/2], "of-raw")
	b.ReportMetric(speeds[len(speeds)/2], "MB/s-kept")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkSmallJobs: how many jobs of 50 KB are taken in a second, 8 at once.
func BenchmarkSmallJobs(b *testing.B) {
	s, _, token, _ := benchPrinting(b)
	doc := bytes.Repeat([]byte("x"), 50_000)
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 8}}
	const count = 400
	for _, queue := range []string{"kept", "goes", "straight"} {
		b.Run(queue, func(b *testing.B) {
			took := time.Duration(0)
			for range b.N {
				took += together(b, count, 8, func() error { return postJob(client, s.URL, queue, token, bytes.NewReader(doc)) })
			}
			b.ReportMetric(float64(count*b.N)/took.Seconds(), "jobs/s")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// firstByte tells when the first byte of a document is read from it.
type firstByte struct {
	io.Reader
	at time.Time
}

func (f *firstByte) Read(b []byte) (int, error) {
	if f.at.IsZero() {
		f.at = time.Now()
	}
	return f.Reader.Read(b)
}

// BenchmarkStreamFirst: from a document's first byte here to its first byte at the device, whose connection is open.
func BenchmarkStreamFirst(b *testing.B) {
	s, set, token, _ := benchPrinting(b)
	client := &http.Client{}
	var took []time.Duration
	got := make(chan time.Time, 1)
	set.Printers[0].Coming = func() { got <- time.Now() }
	doc := strings.Repeat("a line of it\n", 4000)
	for i := range b.N + 5 {
		body := &firstByte{Reader: strings.NewReader(doc)}
		if err := postJob(client, s.URL, "straight", token, body); err != nil {
			b.Fatal(err)
		}
		if d := (<-got).Sub(body.at); i >= 5 { // after the connection is open
			took = append(took, d)
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-median")
	b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "ms-p99")
	b.ReportMetric(0, "ns/op")
}
