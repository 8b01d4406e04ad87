package test

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/readiness"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// TestCampaignStandby: two services behind a balancer, on a database with one that stands by for it synchronously. Each
// of the five is killed in turn while agents hold on, people ask for lineups and changes are published: no change that
// was acknowledged is lost, lineups are answered throughout, and changes are kept again soon after a promotion.
func TestCampaignStandby(t *testing.T) {
	agents, lasts := 20, 2*time.Second
	if whole() {
		agents, lasts = 500, 15*time.Second
	} else {
		t.Parallel()
	}
	c := newCampaign(t, "standby", "Two services behind a balancer (haproxy), on a database with one that stands by for it "+
		"synchronously; each is killed (SIGKILL) in turn.")
	h := newHall(t, agents)
	c.say("%d agents, 4 clients that ask for lineups, 5 changes published a second. A lineup has failed where it was not "+
		"answered at the second try; a change that was not acknowledged may have been kept or not.\n", agents)
	c.say("| what happens | lineups | failed | slowest | changes acknowledged | longest without one |\n|---|---|---|---|---|---|")
	failed := 0
	phase := func(what string, f func()) (of int) {
		before := h.now()
		f()
		time.Sleep(lasts) // load goes on, which is what is measured
		says, of := h.since(before)
		c.say("| %s | %s |", what, says)
		failed += of
		return of
	}
	phase("nothing", func() {})
	for i := range h.services {
		phase(fmt.Sprintf("service %d is killed, and started again", i+1), func() {
			h.services[i].kill()
			h.services[i] = h.begin(i)
		})
	}
	// There is one balancer here: whoever asks while it is not there is not answered.
	failed -= phase("the balancer is killed, and started again", func() { h.balancer.kill(); h.balancer.start() })
	var again time.Duration
	phase("the primary is killed, and the standby promoted", func() {
		h.databases.kill("a")
		h.databases.promote("b")
		promoted := time.Now()
		within(t, "a change is acknowledged", func() bool { return h.lastChange().After(promoted) })
		again = time.Since(promoted)
	})
	c.say("\nThe first change was acknowledged %.1f s after the promotion (bar: 5 s).\n", again.Seconds())
	h.databases.stand("a", "b")
	c.say("| what happens | lineups | failed | slowest | changes acknowledged | longest without one |\n|---|---|---|---|---|---|")
	phase("the former primary stands by for the new one", func() {})
	phase("the standby is killed, for which changes wait", func() {
		h.databases.kill("a")
		within(t, "it is said that changes wait for a standby", func() bool {
			status, r := h.services[0].ready("writing")
			return status == http.StatusServiceUnavailable && strings.Contains(fmt.Sprint(r.Conditions), "wait for a standby")
		})
		if status, r := h.services[0].ready("lineups"); status != http.StatusOK || !has(r, readiness.Slow) {
			t.Errorf("lineups: %d %+v", status, r)
		}
		h.databases.synchronous("b", "")
		freed := time.Now()
		within(t, "a change is acknowledged", func() bool { return h.lastChange().After(freed) })
	})
	serving, _, without := h.crowd.ask()
	lost, acknowledged := h.lost()
	c.say("\nOf %d changes that were acknowledged %d are missing. %d of %d agents have their queue; %d were without it at "+
		"any time.", acknowledged, lost, serving, agents, without)
	if lost > 0 || serving != agents || without > 0 || failed > 0 || acknowledged == 0 {
		t.Errorf("%d of %d changes are missing; %d of %d agents, %d without; %d lineups failed", lost, acknowledged, serving,
			agents, without, failed)
	}
	c.keep()
}

// A hall is all that runs, and the load upon it.
type hall struct {
	t         *testing.T
	databases *twoDatabases
	services  []*process
	begin     func(i int) *process
	balancer  *balancer
	crowd     *crowd

	mu      sync.Mutex
	lineups []asked
	changes map[int]string // the reason of each revision that was acknowledged, by number
	acked   []time.Time
}

type asked struct {
	at     time.Time
	took   time.Duration
	failed bool
}

func newHall(t *testing.T, agents int) *hall {
	t.Helper()
	h := &hall{t: t, databases: newTwoDatabases(t), changes: map[int]string{}}
	dir := t.TempDir()
	var at [2]string
	for i := range at {
		at[i] = testkit.FreeAddress(t)
	}
	h.begin = func(i int) *process {
		return startProcess(t, filepath.Join(dir, fmt.Sprint("service-", i+1)), serveOn+"="+h.databases.both(),
			serveAt+"="+at[i])
	}
	h.services = []*process{h.begin(0), h.begin(1)}
	h.balancer = newBalancer(t, at[0], at[1])
	h.services[0].publish(hallEstate("start"))

	store, err := postgres.Open(t.Context(), h.databases.both())
	if err != nil {
		t.Fatal(err)
	}
	defer store.Close()
	var tokens strings.Builder
	for i := range agents {
		m, secret := fmt.Sprintf("desk-%05d", i), rand.Text()
		if _, err := store.Tokens.AddToken(t.Context(), access.Token{Name: m, Role: access.Agent, Machine: m,
			Hash: sha256.Sum256([]byte(secret)), Author: "test"}); err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&tokens, "%s %s\n", m, secret)
	}
	file := filepath.Join(dir, "tokens")
	if err := os.WriteFile(file, []byte(tokens.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	h.crowd = startCrowd(t, "http://"+h.balancer.at, file)
	within(t, "all agents have their queue", func() bool { serving, _, _ := h.crowd.ask(); return serving == agents })
	h.load()
	return h
}

func hallEstate(room string) string {
	return "estate: 1\nlocations: [{path: ardholm/" + room + "}]\nqueues: [{name: hall, paths: [{gateway: true}]}]\n" +
		"grants: [{name: all, effect: place, queues: [hall], to: [everyone]}]\n"
}

// load begins to ask and to publish, until the test ends.
func (h *hall) load() {
	client, err := apiclient.New("http://"+h.balancer.at, h.services[0].token, nil)
	if err != nil {
		h.t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			for ctx.Err() == nil {
				begun := time.Now()
				ask := func() error {
					return client.Do(ctx, "POST", "/api/v1/lineups", nil, map[string]string{"user": "person-desk-00000"}, nil)
				}
				err := ask()
				if err != nil {
					err = ask()
				}
				h.mu.Lock()
				h.lineups = append(h.lineups, asked{begun, time.Since(begun), err != nil && ctx.Err() == nil})
				h.mu.Unlock()
				time.Sleep(20 * time.Millisecond)
			}
		})
	}
	var last string // why a change was not acknowledged
	h.t.Cleanup(func() {
		stop()
		wg.Wait()
		h.t.Log("the last change that was not acknowledged: ", last)
	})
	wg.Go(func() {
		tick := time.NewTicker(200 * time.Millisecond)
		defer tick.Stop()
		for i := 0; ctx.Err() == nil; i++ {
			reason := fmt.Sprint("change ", i)
			p, err := apiclient.Post[api.Published](ctx, client, "/api/v1/revisions", api.Publish{Reason: reason,
				Files: []document.File{{Name: "e.yaml", Text: hallEstate(fmt.Sprint("room-", i))}}})
			if err == nil {
				h.mu.Lock()
				h.changes[p.Revision.Number] = reason
				h.acked = append(h.acked, time.Now())
				h.mu.Unlock()
			} else if ctx.Err() == nil {
				last = fmt.Sprintf("%s: %v", time.Now().Format(time.TimeOnly), err)
			}
			<-tick.C
		}
	})
}

// A place in what was seen.
type place struct {
	lineups, changes int
	at               time.Time
}

func (h *hall) now() place {
	h.mu.Lock()
	defer h.mu.Unlock()
	return place{len(h.lineups), len(h.acked), time.Now()}
}

// since tells what was seen since then, and how many lineups failed.
func (h *hall) since(p place) (says string, failed int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	slowest := time.Duration(0)
	for _, a := range h.lineups[p.lineups:] {
		if slowest = max(slowest, a.took); a.failed {
			failed++
		}
	}
	longest, last := time.Duration(0), p.at
	for _, at := range append(h.acked[p.changes:len(h.acked):len(h.acked)], time.Now()) {
		longest, last = max(longest, at.Sub(last)), at
	}
	return fmt.Sprintf("%d | %d | %.2f s | %d | %.1f s", len(h.lineups)-p.lineups, failed, slowest.Seconds(),
		len(h.acked)-p.changes, longest.Seconds()), failed
}

func (h *hall) lastChange() time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.acked) == 0 {
		return time.Time{}
	}
	return h.acked[len(h.acked)-1]
}

// lost counts the changes that were acknowledged and are not there, or are others.
func (h *hall) lost() (lost, acknowledged int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	there := map[int]string{}
	for r, err := range apiclient.All[estate.Revision](h.t.Context(), h.services[0].c, "/api/v1/revisions", nil) {
		if err != nil {
			h.t.Fatal(err)
		}
		there[r.Number] = r.Reason
	}
	for number, reason := range h.changes {
		if there[number] != reason {
			lost++
		}
	}
	return lost, len(h.changes)
}
