package test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/internal/apiclient"
	"cirque/internal/large"
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
	taken := stolen(t)
	c.say("%d requests each, one after the other, with about 50 reports a second arriving:\n", asks)
	c.say("| what | median | 95 of 100 | bar | bytes | questions to the database | memory so far " +
		"|\n|---|---|---|---|---|---|---|")
	for _, r := range fleetRoutes {
		if only := os.Getenv("ONLY"); only != "" && !slices.Contains(strings.Split(only, ","), r.what) {
			continue
		}
		p.get(t, r.path)
		cpu := p.profiles(t, f, "cpu", "seconds=20", r.what)
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
		cpu()
	}
	p.profile(t, f, "asked")
	sent := stop()
	c.say("\nMeanwhile %d reports arrived; %.1f %% of the cores' time was taken by other machines on the same "+
		"hardware.", sent, taken())
	p.costOfReports(t, c, f)
	c.say("The service's memory at its largest: %d MiB (bar: 1,500).", p.largest(t)>>10)
	c.keep()
}

// stolen begins to measure how much of the cores' time a hypervisor gives to others, in percent; proc_stat(5).
func stolen(t testing.TB) (share func() float64) {
	t.Helper()
	read := func() (all, steal float64) {
		b, err := os.ReadFile("/proc/stat")
		if err != nil {
			t.Fatal(err)
		}
		line, _, _ := strings.Cut(string(b), "\n")
		for i, f := range strings.Fields(line)[1:] {
			n, err := strconv.ParseFloat(f, 64)
			if err != nil {
				t.Fatal(err)
			}
			if all += n; i == 7 {
				steal = n
			}
		}
		return all, steal
	}
	all, steal := read()
	return func() float64 {
		allNow, stealNow := read()
		return 100 * (stealNow - steal) / max(1, allNow-all)
	}
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
	p.profiles(t, f, "heap", "gc=1", when)()
}

// profiles begins to take a profile, where PROFILE names a folder; wait waits for its end and keeps it.
func (p *process) profiles(t testing.TB, f *aSeed, kind, how, called string) (wait func()) {
	dir := os.Getenv("PROFILE")
	if dir == "" {
		return func() {}
	}
	req, err := http.NewRequestWithContext(t.Context(), "GET", p.URL+"/profile/"+kind+"?"+how, nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+f.tokens[""])
	done := make(chan error, 1)
	go func() {
		done <- func() error {
			resp, err := http.DefaultClient.Do(req)
			if err != nil {
				return err
			}
			defer func() { _ = resp.Body.Close() }()
			b, err := io.ReadAll(resp.Body)
			if err != nil || resp.StatusCode != http.StatusOK {
				return fmt.Errorf("%s: %w", resp.Status, err)
			}
			return os.WriteFile(filepath.Join(dir, strings.ReplaceAll(called, " ", "-")+"."+kind), b, 0o600)
		}()
	}()
	return func() {
		if err := <-done; err != nil {
			t.Fatal(err)
		}
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
