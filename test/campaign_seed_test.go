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
	"os"
	"path/filepath"
	"slices"
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

// aSeed is a fleet that is in the database.
type aSeed struct {
	endpoints int
	reports   map[string]endpoint.Report // of those that have a token
	tokens    map[string]string          // by machine; an owner's by ""
	named     []string                   // they, sorted
	// data is where the service's files are: with a table that leads all its printers to a stand-in.
	data string
}

// seedFleet puts an organisation and its endpoints' reports into a database.
func seedFleet(t testing.TB, c *campaign, database string, seed uint64, size large.Size) *aSeed {
	t.Helper()
	o := large.New(seed, size)
	begin := time.Now()
	data := filepath.Join(t.TempDir(), "data")
	answerFor(t, o, data+"-table.yaml")
	p := startProcess(t, data, serveOn+"="+database)
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
