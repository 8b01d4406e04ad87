package test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/job"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/ipp"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

const campaignQueues = `
estate: 1
locations: [{path: ard}]
devices: [{name: one, uri: "ipp://10.0.0.1/ipp/print"}, {name: two, uri: "ipp://10.0.0.2/ipp/print"},
  {name: three, uri: "ipp://10.0.0.3/ipp/print"}]
queues:
  - {name: pool, location: ard, devices: [one, two, three], paths: [{gateway: true}], jobs: {take: keep}}
  - {name: held, location: ard, devices: [one], paths: [{gateway: true}], jobs: {take: hold}}
allowances: [{name: all, to: [everyone], queues: [pool, held], pages: 100000, every: never, over: refuse}]
`

// sheaf is the stand-ins of a campaign with all that ever came out of them, also of those that were killed.
type sheaf struct {
	set *sim.Set
	mu  sync.Mutex
	was []*sim.Printer // killed ones; guarded by mu
}

func (s *sheaf) printers() []*sim.Printer {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append(append([]*sim.Printer(nil), s.was...), s.set.Printers...)
}

// kill cuts a device off in the middle of whatever it does, and starts it again.
func (s *sheaf) kill(t *testing.T, name string) {
	t.Helper()
	for _, p := range s.set.Printers {
		if p.Name == name {
			s.mu.Lock()
			s.was = append(s.was, p)
			s.mu.Unlock()
		}
	}
	for _, what := range []string{sim.Cut, sim.Join} {
		if err := s.set.Do(what, name); err != nil {
			t.Fatal(err)
		}
	}
}

// printed is how often each document came out, by the number that it begins with.
func (s *sheaf) printed() map[string]int {
	seen, out := map[string]bool{}, map[string]int{}
	for _, p := range s.printers() {
		for _, j := range p.Jobs() {
			key := fmt.Sprint(p.Name, j.ID, j.Name, j.At.UnixNano())
			if j.State != ipp.JobCompleted || seen[key] {
				continue
			}
			seen[key] = true
			mark, _, _ := strings.Cut(string(j.Body[:min(len(j.Body), 40)]), "\n")
			out[strings.TrimPrefix(mark, "%!PS ")]++
		}
	}
	return out
}

// sent is what its sender knows of a document.
type sent struct {
	mark    string
	id      int64
	refused bool // else, without an id, it is not known
	says    string
}

// TestJobsThroughKills: while many jobs come in at once, service, database and devices are killed again and again. Every
// job that was acknowledged comes out once, or stands stopped with the reason; what was refused never does; and
// what is counted is what came out.
func TestJobsThroughKills(t *testing.T) {
	t.Parallel()
	count, kills, most, atOnce := 120, 6, 300<<10, 6
	if whole() {
		count, kills, most, atOnce = 1000, 30, 5<<20, 50
	}
	dir, err := os.MkdirTemp("", "cirque-test-") // on disk: this is about what survives
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	set, table := printers(t, sim.Spec{For: "10.0.0.1:631", Listen: "127.0.0.1:0", Name: "one", Can: []string{"postscript"}},
		sim.Spec{For: "10.0.0.2:631", Listen: "127.0.0.1:0", Name: "two", Can: []string{"postscript"}},
		sim.Spec{For: "10.0.0.3:631", Listen: "127.0.0.1:0", Name: "three", Can: []string{"postscript"}})
	devices := &sheaf{set: set}
	data := filepath.Join(dir, "data")
	b, err := os.ReadFile(table)
	if err == nil {
		err = os.WriteFile(data+"-table.yaml", b, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	address := testkit.FreeAddress(t)
	start := func() *process { return startProcess(t, data, serveAt+"="+address) }
	p := start()
	t.Cleanup(func() {
		p.kill()
		if database, err := os.FindProcess(databasePID(t, data)); err == nil {
			_ = database.Kill() // it may have died with the last round
		}
	})
	p.importDirectory("directory: 1\nusers: [{name: mira}]\n")
	p.publish(campaignQueues)
	made, err := apiclient.Post[api.MadeToken](t.Context(), p.c, "/api/v1/tokens", api.NewToken{Name: "agent",
		Role: access.Agent, Machine: "desk-1"})
	if err != nil {
		t.Fatal(err)
	}
	p.sits(made.Secret, "desk-1", `{"user":"mira"}`)

	var next, came atomic.Int64
	var all []sent
	var mu sync.Mutex // guards all
	var senders sync.WaitGroup
	for range atOnce {
		senders.Go(func() {
			client := &http.Client{Transport: &http.Transport{}, Timeout: time.Minute}
			for {
				n := int(next.Add(1)) - 1
				if n >= count {
					return
				}
				for try := 0; ; try++ { // who is refused tries again
					one := sendOne(t, client, address, made.Secret, n, try, 1+rand.IntN(most))
					mu.Lock()
					all = append(all, one)
					mu.Unlock()
					if !one.refused || t.Context().Err() != nil {
						break
					}
					time.Sleep(200 * time.Millisecond)
				}
				came.Add(1)
			}
		})
	}
	for k := range kills {
		within(t, "jobs come in", func() bool { return came.Load() >= int64(k*count/kills) || next.Load() >= int64(count) })
		switch k % 3 {
		case 0:
			devices.kill(t, []string{"one", "two", "three"}[rand.IntN(3)])
		case 1:
			p.kill()
			p = start()
		default:
			killPID(t, databasePID(t, data))
			within(t, "the database is back", func() bool {
				_, err := apiclient.Get[map[string]any](t.Context(), p.c, "/readyz", map[string][]string{"for": {"writing"}})
				return err == nil
			})
		}
	}
	senders.Wait()
	settle(t, p, count)
	checkCampaign(t, p, count, all, devices.printed())
}

// sendOne prints one document, and says what is known of it then. Every third is for a held queue.
func sendOne(t *testing.T, client *http.Client, address, token string, n, try, size int) sent {
	s := sent{mark: fmt.Sprintf("document %d.%d", n, try)}
	queue := "pool"
	if n%3 == 0 {
		queue = "held"
	}
	head, err := ipp.NewRequest(ipp.PrintJob, 9, "ipp://x/ipp/queues/"+queue, ipp.Strs(ipp.Name, "job-name", s.mark),
		ipp.Strs(ipp.MIMEType, "document-format", "application/postscript")).AppendTo(nil)
	if err != nil {
		t.Error(err)
		return s
	}
	body := append([]byte("%!PS "+s.mark+"\n%%Pages: 1\n"), bytes.Repeat([]byte("a line of it\n"), size/13)...)
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, "http://"+address+"/ipp/queues/"+queue,
		io.MultiReader(bytes.NewReader(head), bytes.NewReader(body)))
	if err != nil {
		t.Error(err)
		return s
	}
	req.Header.Set("Content-Type", "application/ipp")
	req.SetBasicAuth("mira", token)
	resp, err := client.Do(req)
	for errors.Is(err, syscall.ECONNREFUSED) && t.Context().Err() == nil { // nothing was sent: once more
		time.Sleep(50 * time.Millisecond)
		req.Body = io.NopCloser(io.MultiReader(bytes.NewReader(head), bytes.NewReader(body)))
		resp, err = client.Do(req)
	}
	if err != nil {
		return s // nobody knows
	}
	defer func() { _ = resp.Body.Close() }()
	answer, err := io.ReadAll(resp.Body)
	if err != nil {
		return s
	}
	m, _, err := ipp.Parse(answer)
	switch {
	case err != nil || resp.StatusCode != http.StatusOK:
		s.refused, s.says = resp.StatusCode >= http.StatusBadRequest, resp.Status
	case ipp.Status(m.Code).Successful():
		s.id = int64(m.Number(ipp.JobGroup, "job-id"))
	default:
		s.refused, s.says = true, m.Text(ipp.OperationGroup, "status-message")
	}
	return s
}

// settle releases what is held, and waits until nothing moves any more.
func settle(t *testing.T, p *process, count int) {
	t.Helper()
	var why error
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(200 * time.Millisecond) {
		list, err := apiclient.Page[job.Job](t.Context(), p.c, "/api/v1/jobs", map[string][]string{"state": {"open"},
			"limit": {"1000"}})
		if err != nil { // the database was killed last
			if time.Now().After(deadline) {
				t.Fatal(err)
			}
			continue
		}
		moving := 0
		for _, j := range list.Items {
			switch {
			case j.State == job.PendingHeld:
				moving++
				// A device that is just away refuses it: once more.
				_, why = apiclient.Post[job.Job](t.Context(), p.c, fmt.Sprintf("/api/v1/jobs/%d/release", j.ID),
					api.ReleaseJob{Device: "one"})
			case !j.Unknown:
				moving++
			}
		}
		if moving == 0 {
			return
		}
		if time.Now().After(deadline) {
			for _, j := range list.Items {
				t.Logf("%d %s %s: %s", j.ID, j.State, j.Device, j.Says)
			}
			t.Fatalf("%d of %d jobs do not come to an end: %v", moving, count, why)
		}
	}
}

func checkCampaign(t *testing.T, p *process, count int, all []sent, printed map[string]int) {
	t.Helper()
	acknowledged, unknown, pages := 0, 0, 0
	refusals := map[string]int{}
	for _, s := range all {
		if s.refused {
			refusals[s.says]++
		}
		n := printed[s.mark]
		switch {
		case s.refused && n > 0:
			t.Errorf("%s was refused, and came out %d times", s.mark, n)
		case n > 1:
			t.Errorf("%s came out %d times", s.mark, n)
		}
		if s.id == 0 {
			continue
		}
		acknowledged++
		j, err := apiclient.Get[api.ShownJob](t.Context(), p.c, fmt.Sprintf("/api/v1/jobs/%d", s.id), nil)
		switch {
		case err != nil:
			t.Errorf("%s was acknowledged as %d, and is gone: %v", s.mark, s.id, err)
		case j.State == job.Completed && n != 1:
			t.Errorf("%s is completed, and came out %d times: %+v", s.mark, n, j.Past)
		case j.State == job.Completed && (j.Impressions == nil || *j.Impressions != 1):
			t.Errorf("%s is completed, and counts %v pages", s.mark, j.Impressions)
		case j.State == job.Completed:
		case j.State == job.ProcessingStopped && j.Unknown && strings.Contains(j.Says, "not known whether it printed"):
			unknown++
		default:
			t.Errorf("%s is %s, and came out %d times: %s", s.mark, j.State, n, j.Says)
		}
	}
	for range printed {
		pages++
	}
	if acknowledged < count/3 {
		t.Errorf("only %d of %d were acknowledged: it proves little", acknowledged, count)
	}
	t.Logf("%d jobs: %d acknowledged, %d of them stopped, not known; %d documents came out; refused: %v", count,
		acknowledged, unknown, pages, refusals)
}
