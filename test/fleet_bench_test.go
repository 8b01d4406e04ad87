package test

import (
	"bufio"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"fmt"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/document"
	"cirque/core/live"
	"cirque/internal/app"
	"cirque/internal/large"
	"cirque/internal/postgres"
	"cirque/internal/service"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// crowdFor is where a process of many agents finds their tokens, after the service's address.
const crowdFor = "CIRQUE_TEST_CROWD"

// crowdIfAsked is the main function of that process: it says what its spoolers have seen whenever it is asked with a
// line.
func crowdIfAsked() {
	url, file, ok := strings.Cut(os.Getenv(crowdFor), " ")
	if !ok {
		return
	}
	b, err := os.ReadFile(file)
	if err != nil {
		fmt.Println("failed", err)
		os.Exit(1)
	}
	tokens, order := map[string]string{}, []string{}
	for line := range strings.Lines(string(b)) {
		m, token, _ := strings.Cut(strings.TrimSpace(line), " ")
		tokens[m] = token
		order = append(order, m)
	}
	var c sim.Counts
	go func() {
		for in := bufio.NewScanner(os.Stdin); in.Scan(); {
			fmt.Println(c.Serving.Load(), c.Changed.Load(), c.Without.Load())
		}
		os.Exit(0) // whoever asked has gone
	}()
	// As many begin in a second whatever their number, in all processes together.
	over := time.Duration(len(order)) * crowdProcesses * time.Second / 500
	if err := sim.RunCrowd(contextOfProcess(), url, tokens, order, &c, over); err != nil {
		fmt.Println("failed", err)
	}
	os.Exit(1)
}

// crowdProcesses is in how many of them a fleet's agents are.
const crowdProcesses = 4

// A crowd is such a process.
type crowd struct {
	ask func() (serving, changed, without int)
}

func startCrowd(b testing.TB, url, file string) *crowd {
	b.Helper()
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), crowdFor+"="+url+" "+file)
	in, err := cmd.StdinPipe()
	if err != nil {
		b.Fatal(err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		b.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = in.Close(); _ = cmd.Wait() })
	lines := bufio.NewReader(out)
	return &crowd{func() (serving, changed, without int) {
		if _, err := fmt.Fprintln(in); err != nil {
			b.Fatal(err)
		}
		line, err := lines.ReadString('\n')
		if _, scan := fmt.Sscan(line, &serving, &changed, &without); err != nil || scan != nil {
			b.Fatal("the agents' process says ", line, err)
		}
		return
	}}
}

// aFleet is a service, or several on one database, with many agents in processes of their own, all connected and with a
// queue through a spread set.
type aFleet struct {
	b      testing.TB
	svc    *service.Service
	crowds []*crowd
	first  *sim.Printer
	agents int
	here   int // how many are connected to the first service
}

func newFleet(b testing.TB, agents, services int, settings string) *aFleet {
	b.Helper()
	database := testkit.Database(b)
	store, err := postgres.Open(b.Context(), database)
	if err != nil {
		b.Fatal(err)
	}
	var files [crowdProcesses]strings.Builder
	for i := range agents {
		m := fmt.Sprintf("desk-%05d", i)
		secret := rand.Text()
		if _, err := store.Tokens.AddToken(b.Context(), access.Token{Name: m, Role: access.Agent, Machine: m,
			Hash: sha256.Sum256([]byte(secret)), Author: "test"}); err != nil {
			b.Fatal(err)
		}
		fmt.Fprintf(&files[i%crowdProcesses], "%s %s\n", m, secret)
	}
	store.Close()
	r, err := app.Start(b.Context(), app.Options{Data: withKeys(b, b.TempDir()), AllowOutgoing: loopback,
		Database: database, Listen: "127.0.0.1:0",
		PlainHTTP: true, Throwaway: true, Health: true})
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = r.Stop() })
	f := &aFleet{b: b, svc: r.Service, agents: agents, here: agents / services}
	start := func() *sim.Printer {
		p := &sim.Printer{Spec: sim.Spec{Name: "ps", Server: true, Queues: []sim.Queue{{Name: "hall"}}}}
		if err := p.Listen("127.0.0.1:0"); err != nil {
			b.Fatal(err)
		}
		b.Cleanup(func() { _ = p.Close() })
		return p
	}
	f.first = start()
	if _, _, err := r.Service.Drafts.Publish(b.Context(), owner, []document.File{{Name: "estate.yaml",
		Text: pairOn("spread",
			f.first, start(), settings)}}, "test"); err != nil {
		b.Fatal(err)
	}
	urls := []string{r.URL}
	for range services - 1 {
		urls = append(urls, startProcess(b, b.TempDir(), serveOn+"="+database).URL)
	}
	dir := b.TempDir()
	for i := range files {
		file := filepath.Join(dir, strconv.Itoa(i))
		if err := os.WriteFile(file, []byte(files[i].String()), 0o600); err != nil {
			b.Fatal(err)
		}
		f.crowds = append(f.crowds, startCrowd(b, urls[i%len(urls)], file))
	}
	f.settled()
	return f
}

// settled waits until all are connected, have a queue, and have said that it leads where it should.
func (f *aFleet) settled() {
	f.b.Helper()
	f.until("all are connected and have what they should", 5*time.Minute, func() bool {
		serving, _, _ := f.counts()
		if serving != f.agents || f.svc.Present.Agents.Polls() != f.here {
			return false
		}
		now, err := f.svc.Fleet.Fleet(context.Background(), owner, 1)
		return err == nil && now.Now.Converged == f.agents
	})
}

func (f *aFleet) counts() (serving, changed, without int) {
	for _, c := range f.crowds {
		s, ch, w := c.ask()
		serving, changed, without = serving+s, changed+ch, without+w
	}
	return
}

func (f *aFleet) until(what string, within time.Duration, done func() bool) {
	f.b.Helper()
	for end := time.Now().Add(within); !done(); time.Sleep(100 * time.Millisecond) { // other processes, that tell nobody
		if time.Now().After(end) {
			s, c, w := f.counts()
			f.b.Fatalf("waited in vain: %s; %d serving, %d changed, %d without, %d waiting", what, s, c, w,
				f.svc.Present.Agents.Polls())
		}
	}
}

// left is how many endpoints still lead to the first server, and whether it is out of duty.
func (f *aFleet) left() (int, bool) {
	list, err := f.svc.Continuity.Moves(context.Background(), owner)
	if err != nil {
		f.b.Fatal(err)
	}
	for _, m := range list {
		if m.Name == "ps-1" && m.Duty != live.Serving {
			return m.Left, true
		}
	}
	return f.agents, false
}

// drain drains the first of two servers that share all endpoints until every one of them has confirmed, and takes it
// back in.
func (f *aFleet) drain() (took time.Duration, moved int) {
	f.b.Helper()
	_, before, _ := f.counts()
	begin := time.Now()
	if _, err := f.svc.Continuity.Drain(f.b.Context(), owner, "ps-1", "bench", nil); err != nil {
		f.b.Fatal(err)
	}
	f.until("all have moved", time.Minute, func() bool { n, out := f.left(); return out && n == 0 })
	took = time.Since(begin)
	serving, changed, without := f.counts()
	if serving != f.agents || without != 0 {
		f.b.Errorf("%d of %d have a queue, and %d times somebody was without", serving, f.agents, without)
	}
	if _, err := f.svc.Continuity.Return(f.b.Context(), owner, "ps-1", true); err != nil {
		f.b.Fatal(err)
	}
	return took, changed - before
}

// BenchmarkDrain drains one of two servers that share 10,000 endpoints: until every one of them has confirmed.
func BenchmarkDrain(b *testing.B) {
	f := newFleet(b, large.Scale(10_000), 1, "{return_over: 0s}")
	for b.Loop() {
		took, moved := f.drain()
		b.ReportMetric(took.Seconds(), "s/drain")
		b.ReportMetric(float64(moved), "moved")
		f.settled()
	}
	// What is asked of all endpoints: whether the revision and the queue have arrived, and what is wrong.
	begin := time.Now()
	p, err := f.svc.Proofs.Proof(b.Context(), owner, 0, "hall", 10)
	if err != nil || p.Arrived != f.agents {
		b.Errorf("%d of %d have arrived: %v", p.Arrived, f.agents, err)
	}
	b.ReportMetric(time.Since(begin).Seconds(), "s/proof")
	begin = time.Now()
	if _, err := f.svc.Alerts.Faults(b.Context(), owner); err != nil {
		b.Error(err)
	}
	b.ReportMetric(time.Since(begin).Seconds(), "s/faults")
	b.ReportMetric(peak(b), "MB-peak")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkDeadServer kills one of two servers that share 1,000 endpoints: from the second failed probe until every one
// has confirmed that it moved.
func BenchmarkDeadServer(b *testing.B) {
	f := newFleet(b, large.Scale(1_000), 1, "{probe_every: 2s, return_over: 0s}")
	addr := f.first.Addr()
	if _, err := netip.ParseAddrPort(addr); err != nil {
		b.Fatal(err)
	}
	f.until("it is proven to answer", time.Minute, func() bool { // what never answered is not down
		list, err := f.svc.Continuity.Healths(b.Context(), owner)
		return err == nil && continuity.VerdictOf(list, "ps-1") == continuity.Up
	})
	for b.Loop() {
		begin := time.Now()
		_ = f.first.Close()
		f.until("it is found out", time.Minute, func() bool { _, out := f.left(); return out })
		found := time.Now()
		f.until("all have moved", time.Minute, func() bool { n, out := f.left(); return out && n == 0 })
		b.ReportMetric(found.Sub(begin).Seconds(), "s/found")
		b.ReportMetric(time.Since(found).Seconds(), "s/moved")
		if serving, _, without := f.counts(); serving != f.agents || without != 0 {
			b.Errorf("%d of %d have a queue, and %d times somebody was without", serving, f.agents, without)
		}
		f.first = &sim.Printer{Spec: sim.Spec{Name: "ps", Server: true, Queues: []sim.Queue{{Name: "hall"}}}}
		if err := f.first.Listen(addr); err != nil {
			b.Fatal(err)
		}
		f.until("it is back", time.Minute, func() bool { _, out := f.left(); return !out })
	}
	b.ReportMetric(0, "ns/op")
}
