package test

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"golang.org/x/sync/errgroup"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/stock"
	"cirque/internal/agentproto"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/large"
	"cirque/internal/postgres"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// aRoute is what a campaign asks again and again.
type aRoute struct {
	what, path string
	most       int           // bytes of an answer
	bar        time.Duration // for 95 of 100 answers; it is told, and no test fails by it
	queries    int           // of one answer at most, however large the fleet
}

var fleetRoutes = []aRoute{
	{"overview", "/api/v1/overview", 40 << 10, 50 * time.Millisecond, 0},
	{"a page of 100 endpoints", "/api/v1/endpoints", 200 << 10, 30 * time.Millisecond, 0},
	{"a page in the middle", "/api/v1/endpoints?after=desk-001-250", 200 << 10, 30 * time.Millisecond, 0},
	{"failing endpoints of a site", "/api/v1/endpoints?state=failing&site=site-001", 200 << 10, 30 * time.Millisecond, 0},
	{"endpoints by a word", "/api/v1/endpoints?find=person-001-2", 200 << 10, 300 * time.Millisecond, 0},
	{"the fleet", "/api/v1/fleet", 40 << 10, 300 * time.Millisecond, 1},
	{"faults", "/api/v1/faults", 100 << 10, 300 * time.Millisecond, 12},
	{"proof of a queue", "/api/v1/proof?queue=q-001-03", 200 << 10, 300 * time.Millisecond, 3},
	{"proof of a change", "/api/v1/proof", 200 << 10, 300 * time.Millisecond, 5},
	{"a person's page", "/api/v1/people/person-001-017", 200 << 10, 50 * time.Millisecond, 0},
	{"a machine's page", "/api/v1/machines/desk-001-017", 60 << 10, 50 * time.Millisecond, 0},
	{"one endpoint", "/api/v1/endpoints/desk-001-017", 60 << 10, 50 * time.Millisecond, 1},
	{"where endpoints lead, a page", "/api/v1/fleet/paths", 200 << 10, 300 * time.Millisecond, 0},
	{"a page of queues", "/api/v1/queues", 200 << 10, 300 * time.Millisecond, 0},
	{"names that nobody knows", "/api/v1/directory/unmatched", 200 << 10, 300 * time.Millisecond, 0},
	{"what happened", "/api/v1/events", 100 << 10, 300 * time.Millisecond, 2},
	{"enrolled machines, a page", "/api/v1/enrolments", 200 << 10, 300 * time.Millisecond, 2},
	{"metrics", "/metrics", 2 << 20, 300 * time.Millisecond, 2},
}

// TestCampaignFleet asks a service with a large fleet while agents report to it: how long answers take, how large they
// are, and how many questions to the database they cost.
func TestCampaignFleet(t *testing.T) {
	t.Parallel()
	const seed = 1
	size, asks := large.SmallFleet, 3
	if whole() {
		size, asks = large.Fleet, 200
		if n, err := strconv.Atoi(os.Getenv("SITES")); err == nil {
			size.Sites = n // a part of it, to see how things grow
		}
	}
	c := newCampaign(t, "fleet", "A service with a large fleet is asked while agents report to it.")
	database := testkit.Database(t)
	f := seedFleet(t, c, database, seed, size)
	begin := time.Now()
	p := startProcess(t, f.data, serveOn+"="+database)
	for err := error(fault.New(fault.Unavailable, "", "", "")); err != nil; { // until the fleet is read
		if _, err = apiclient.Get[endpoint.Overview](t.Context(), p.c, "/api/v1/overview", nil); err != nil &&
			(fault.As(err).Code != "fleet-reading" || time.Since(begin) > 5*time.Minute) {
			t.Fatal(err)
		}
	}
	c.say("Start until the overview is there: %.1f s, with %d MiB at the most.\n", time.Since(begin).Seconds(),
		p.largest(t)>>10)
	if got := p.overview(t); got != f.endpoints {
		t.Errorf("%d endpoints are counted of %d", got, f.endpoints)
	}
	p.settled(t)
	p.profile(t, f, "settled")
	stop := p.reportAt(t, f, 50)
	c.say("%d requests each, one after the other, with about 50 reports a second arriving:\n", asks)
	c.say("| what | median | 95 of 100 | bar | bytes | questions to the database | memory so far |\n|---|---|---|---|---|---|---|")
	for _, r := range fleetRoutes {
		if only := os.Getenv("ONLY"); only != "" && r.what != only {
			continue
		}
		p.get(t, r.path)
		before := p.queries(t)
		var times []time.Duration
		bytes := 0
		for range asks {
			begin := time.Now()
			bytes = max(bytes, len(p.get(t, r.path)))
			times = append(times, time.Since(begin))
		}
		path, _, _ := strings.Cut(r.path, "?")
		after := p.queries(t)
		per := float64(after[path]-before[path]) / float64(asks)
		c.say("| %s | %v | %v | %v | %d | %.1f | %d MiB |", r.what, quantile(times, .5).Round(100*time.Microsecond),
			quantile(times, .95).Round(100*time.Microsecond), r.bar, bytes, per, p.largest(t)>>10)
		if bytes > r.most {
			t.Errorf("%s: %d bytes: %.900s", r.what, bytes, p.get(t, r.path))
		}
		if per > float64(r.queries) {
			t.Errorf("%s: %.1f questions to the database", r.what, per)
		}
	}
	p.profile(t, f, "asked")
	sent := stop()
	c.say("\nMeanwhile %d reports arrived.", sent)
	p.costOfReports(t, c, f)
	c.say("The service's memory at its largest: %d MiB (bar: 1,500).", p.largest(t)>>10)
	c.keep()
}

// costOfReports tells what a report costs in CPU: the median over rounds, each beside a pause as long, since what the
// service does by itself meanwhile (it probes and reads 20,000 devices) is no report's.
func (p *process) costOfReports(t testing.TB, c *campaign, f *aSeed) {
	rounds, n := 3, 20
	if whole() {
		rounds, n = 15, 200
		time.Sleep(5 * time.Second) // what was asked for last is to be collected first
	}
	used := func(do func()) (cpu, took time.Duration) {
		before, begin := p.cpu(t), time.Now()
		do()
		return p.cpu(t) - before, time.Since(begin)
	}
	var each, alone []time.Duration
	for range rounds {
		cpu, took := used(func() { p.reports(t, f, n) })
		idle, rest := used(func() { time.Sleep(took) })
		own := time.Duration(float64(idle) * float64(took) / float64(rest))
		each, alone = append(each, (cpu-own)/time.Duration(n)), append(alone, time.Duration(float64(time.Second)*
			float64(idle)/float64(rest)))
	}
	c.say("%d times %d reports, one after the other over one connection: %.2f ms of CPU each in the median (bar: 2 ms), "+
		"beside the %.0f %% of a core that the service uses by itself.", rounds, n,
		quantile(each, .5).Seconds()*1000, quantile(alone, .5).Seconds()*100)
}

// aSeed is a fleet that is in the database.
type aSeed struct {
	endpoints int
	reports   map[string]endpoint.Report // of those that have a token
	tokens    map[string]string          // by machine; an owner's by ""
	named     []string                   // they, sorted
	data      string                     // where the service's files are: with a table that leads all its printers to a stand-in
}

// seedFleet puts an organisation and its endpoints' reports into a database.
func seedFleet(t testing.TB, c *campaign, database string, seed uint64, size large.Size) *aSeed {
	t.Helper()
	o := large.New(seed, size)
	begin := time.Now()
	data := filepath.Join(t.TempDir(), "data")
	answerFor(t, o, data+"-table.yaml")
	p := startProcess(t.(*testing.T), data, serveOn+"="+database)
	files := map[string]string{}
	if err := o.Write(func(name string, b []byte) error { files[name] = string(b); return nil }); err != nil {
		t.Fatal(err)
	}
	if _, err := apiclient.Post[api.Published](t.Context(), p.c, "/api/v1/revisions", api.Publish{Reason: "a large estate",
		Files: []document.File{{Name: "estate.json", Text: files["estate.json"]}}}); err != nil {
		t.Fatal(err)
	}
	if _, err := apiclient.Post[directory.Import](t.Context(), p.c, "/api/v1/directory/import", api.Import{Source: "large",
		Files: []document.File{{Name: "directory.json", Text: files["directory.json"]}}}); err != nil {
		t.Fatal(err)
	}
	p.kill()
	store, err := postgres.Open(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer store.Close()
	f := &aSeed{data: data, reports: map[string]endpoint.Report{}, tokens: map[string]string{}}
	to := stock.NewAuthorities(o.Estate)
	told := make(chan large.Reported, 64)
	var mu sync.Mutex
	ages := map[time.Duration][]string{}
	g, ctx := errgroup.WithContext(t.Context())
	g.Go(func() error {
		defer close(told)
		return o.Reports(seed, func(v large.Reported) error {
			f.endpoints++
			if f.endpoints%max(1, len(o.Directory.Machines)/400) == 0 {
				f.reports[v.Report.Machine] = v.Report
			}
			told <- v
			return nil
		})
	})
	for range 6 {
		g.Go(func() error {
			for v := range told {
				var servers []string
				for _, i := range v.Report.Installed {
					for _, s := range to.Servers(i.URI) {
						if !slices.Contains(servers, s) {
							servers = append(servers, s)
						}
					}
				}
				if _, err := store.Endpoints.SaveReport(ctx, v.Report, "", append([]string{}, servers...),
					func(endpoint.Before) []event.Event { return nil }); err != nil {
					return err
				}
				mu.Lock()
				ages[v.Age.Truncate(10*time.Second)] = append(ages[v.Age.Truncate(10*time.Second)], name.Fold(v.Report.Machine))
				mu.Unlock()
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		t.Fatal(err)
	}
	conn := testkit.Connect(t, database)
	for age, list := range ages {
		if _, err := conn.Exec(t.Context(), "UPDATE endpoint SET last_seen = clock_timestamp() - make_interval(secs => $1) "+
			"WHERE folded = ANY($2)", age.Seconds(), list); err != nil {
			t.Fatal(err)
		}
	}
	f.named = slices.Sorted(maps.Keys(f.reports))
	f.tokens[""] = rand.Text()
	if _, err := store.Tokens.AddToken(t.Context(), access.Token{Name: "owner", Role: access.Owner,
		Hash: sha256.Sum256([]byte(f.tokens[""])), Author: "test"}); err != nil {
		t.Fatal(err)
	}
	for _, m := range f.named {
		secret := rand.Text()
		if _, err := store.Tokens.AddToken(t.Context(), access.Token{Name: m, Role: access.Agent, Machine: m,
			Hash: sha256.Sum256([]byte(secret)), Author: "test"}); err != nil {
			t.Fatal(err)
		}
		f.tokens[m] = secret
	}
	c.say("Seed %d: %d people, %d queues, %d endpoints with their reports, put in within %.0f s.\n", seed,
		len(o.Directory.Users), len(o.Estate.Queues), f.endpoints, time.Since(begin).Seconds())
	return f
}

// get asks for a path, and gives the answer's body.
func (p *process) get(t testing.TB, path string) []byte {
	t.Helper()
	at, text, _ := strings.Cut(path, "?")
	query, err := url.ParseQuery(text)
	if err != nil {
		t.Fatal(path, err)
	}
	resp, err := p.c.Raw(t.Context(), "GET", at, query, nil, nil)
	if err != nil {
		t.Fatal(path, err)
	}
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(path, err)
	}
	return b
}

// profile keeps what the service's memory is in, where PROFILE names a folder.
func (p *process) profile(t testing.TB, f *aSeed, when string) {
	dir := os.Getenv("PROFILE")
	if dir == "" {
		return
	}
	req, err := http.NewRequestWithContext(t.Context(), "GET", p.URL+"/profile/heap?gc=1", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+f.tokens[""])
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != http.StatusOK {
		t.Fatal(resp.Status, err)
	}
	if err := os.WriteFile(filepath.Join(dir, when+".heap"), b, 0o600); err != nil {
		t.Fatal(err)
	}
}

// overview counts the endpoints by the overview.
func (p *process) overview(t testing.TB) (n int) {
	var o endpoint.Overview
	if err := json.Unmarshal(p.get(t, "/api/v1/overview"), &o); err != nil {
		t.Fatal(err)
	}
	for _, k := range o.Endpoints {
		n += k
	}
	return n
}

// settled waits until everything has been looked at for the first time, where the campaign is whole.
func (p *process) settled(t testing.TB) {
	calm := 0
	for end := time.Now().Add(5 * time.Minute); whole() && calm < 10 && time.Now().Before(end); time.Sleep(time.Second) {
		var o endpoint.Overview
		if err := json.Unmarshal(p.get(t, "/api/v1/overview"), &o); err != nil {
			t.Fatal(err)
		}
		if calm++; o.Behind {
			calm = 0
		}
	}
}

// queries gives how many questions to the database each route has cost, by its path as it is asked here.
func (p *process) queries(t testing.TB) map[string]int {
	out := map[string]int{}
	for line := range strings.Lines(string(p.get(t, "/metrics"))) {
		rest, ok := strings.CutPrefix(line, `cirque_database_queries_total{for="GET `)
		if !ok {
			continue
		}
		route, n, _ := strings.Cut(rest, `"} `)
		count, err := strconv.ParseFloat(strings.TrimSpace(n), 64)
		if err != nil {
			t.Fatal(line, err)
		}
		for _, r := range fleetRoutes {
			path, _, _ := strings.Cut(r.path, "?")
			if prefix, _, varies := strings.Cut(route, ":"); route == path || varies && strings.HasPrefix(path, prefix) &&
				strings.Count(route, "/") == strings.Count(path, "/") {
				out[path] += int(count)
				break
			}
		}
	}
	return out
}

// reportAt has agents report so many times a second until stop is called, which gives how many reports there were.
func (p *process) reportAt(t testing.TB, f *aSeed, perSecond int) (stop func() int) {
	ctx, cancel := context.WithCancel(t.Context())
	sent, done := 0, make(chan struct{})
	go func() {
		defer close(done)
		tick := time.NewTicker(time.Second / time.Duration(perSecond))
		defer tick.Stop()
		for ; ctx.Err() == nil; sent++ {
			p.report(ctx, t, f, f.named[sent%len(f.named)])
			select {
			case <-tick.C:
			case <-ctx.Done():
			}
		}
	}()
	return func() int {
		cancel()
		<-done
		return sent
	}
}

// reports sends so many, one after the other.
func (p *process) reports(t testing.TB, f *aSeed, n int) {
	for i := range n {
		p.report(t.Context(), t, f, f.named[i%len(f.named)])
	}
}

func (p *process) report(ctx context.Context, t testing.TB, f *aSeed, machine string) {
	b, err := json.Marshal(f.reports[machine])
	if err != nil {
		t.Error(err)
		return
	}
	req, err := http.NewRequestWithContext(ctx, "POST", p.URL+agentproto.ReportPath, bytes.NewReader(b))
	if err != nil {
		t.Error(err)
		return
	}
	req.Header.Set("Authorization", "Bearer "+f.tokens[machine])
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		if ctx.Err() == nil {
			t.Error(err)
		}
		return
	}
	defer func() { _ = resp.Body.Close() }()
	if b, _ := io.ReadAll(resp.Body); resp.StatusCode != http.StatusOK {
		t.Errorf("a report of %s is answered %s: %s", machine, resp.Status, b)
	}
}

// cpu is how long the process has computed (proc(5), /proc/pid/stat: utime and stime, in hundredths of a second).
func (p *process) cpu(t testing.TB) time.Duration {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", p.cmd.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(b), ") ")
	f := strings.Fields(rest)
	user, errU := strconv.Atoi(f[11])
	system, errS := strconv.Atoi(f[12])
	if errU != nil || errS != nil {
		t.Fatal(errU, errS)
	}
	return time.Duration(user+system) * 10 * time.Millisecond
}

// largest is the largest resident size that the process ever had, in KiB (proc(5), /proc/pid/status: VmHWM).
func (p *process) largest(t testing.TB) int {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.cmd.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(b)) {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			n, err := strconv.Atoi(strings.Fields(rest)[0])
			if err != nil {
				t.Fatal(err)
			}
			return n
		}
	}
	t.Fatal("the process tells no VmHWM")
	return 0
}

// answerFor has one stand-in answer for all servers and devices of an organisation, by an address table.
func answerFor(t testing.TB, o *large.Organisation, table string) {
	t.Helper()
	p := &sim.Printer{Spec: sim.Spec{Name: "any", Server: true, Queues: []sim.Queue{{Name: "any"}}}}
	if err := p.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	var uris []string
	for _, v := range o.Estate.Servers {
		uris = append(uris, v.URI)
	}
	for _, v := range o.Estate.Devices {
		uris = append(uris, v.URI)
	}
	lines := map[string]bool{}
	for _, uri := range uris {
		lines[fmt.Sprintf("%q: %q\n", stock.Authority(uri), p.Addr())] = true
	}
	text := strings.Join(slices.Sorted(maps.Keys(lines)), "")
	if err := os.WriteFile(table, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
}
