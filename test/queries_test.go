package test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"go.yaml.in/yaml/v3"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/lineup"
	"cirque/core/notice"
	"cirque/core/server"
	"cirque/core/snapshot"
	"cirque/core/stock"
	"cirque/internal/app"
	"cirque/internal/httpapi"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// TestQueriesOfRoutes asks every route that reads with little in the database and with ten times as much of everything:
// it asks the database as often, and not often.
func TestQueriesOfRoutes(t *testing.T) {
	t.Parallel()
	const few, most = 4, 11
	little, much := queriesWith(t, few), queriesWith(t, 10*few)
	for _, path := range slices.Sorted(maps.Keys(much)) {
		if n := much[path]; n != little[path] || n > most {
			t.Errorf("%s: %d questions with ten times as much, %d with little", path, n, little[path])
		}
	}
	if len(much) < 80 {
		t.Errorf("only %d routes answered", len(much))
	}
}

// queriesWith counts what each route asks the database where there are n of everything.
func queriesWith(t *testing.T, n int) map[string]int {
	database := testkit.Database(t)
	fill(t, database, n)
	// What is filled in has gaps that no reading leaves: how it is answered is not looked at.
	s := startService(t, func(o *app.Options) { o.Database, o.Around = database, nil })
	ask := func(path string) (answered bool) {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+s.token)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = resp.Body.Close() }()
		if b, err := io.ReadAll(resp.Body); err != nil || resp.StatusCode >= 500 {
			t.Errorf("%s: %s %s %v", path, resp.Status, b, err)
		}
		return resp.StatusCode == http.StatusOK
	}
	out := map[string]int{}
	for path, methods := range describedPaths(t) {
		if methods["get"] == nil || path == "/api/v1/watch" || path == "/api/v1/audit/lines" ||
			path == "/api/v1/directory/printers" {
			continue // the one never ends, the next gives all there is, part by part, the last asks a directory
		}
		filled := filledIn(path)
		if !ask(filled) { // what is kept between two requests is there then
			continue // it is of something that is not there, such as a rehearsal
		}
		route := strings.NewReplacer("{", ":", "}", "").Replace(path)
		out[path] = math.MaxInt
		for range 3 { // what is kept for a second may have ended in between, but not each time
			before := s.asked(t)
			ask(filled)
			out[path] = min(out[path], s.asked(t)[route]-before[route])
		}
	}
	return out
}

// describedPaths are the paths of the API's description, with their methods in lower case.
func describedPaths(t *testing.T) map[string]map[string]any {
	t.Helper()
	text, err := httpapi.OpenAPI("1")
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Paths map[string]map[string]any `yaml:"paths"`
	}
	if err := yaml.Unmarshal(text, &doc); err != nil {
		t.Fatal(err)
	}
	return doc.Paths
}

// asked is how often the database was asked on behalf of each route that reads, by the route's pattern.
func (s *aService) asked(t *testing.T) map[string]int {
	t.Helper()
	resp, err := s.c.Raw(t.Context(), http.MethodGet, "/metrics", nil, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	out := map[string]int{}
	for lines := bufio.NewScanner(resp.Body); lines.Scan(); {
		rest, ok := strings.CutPrefix(lines.Text(), `cirque_database_queries_total{for="GET `)
		if !ok {
			continue
		}
		route, count, _ := strings.Cut(rest, `"} `)
		n, err := strconv.ParseFloat(count, 64)
		if err != nil {
			t.Fatal(err)
		}
		out[route] = int(n)
	}
	return out
}

// filledIn names something that there is in a path, and asks for what the route needs to be told.
func filledIn(path string) string {
	named := "queue-1"
	for prefix, called := range map[string]string{"/people/": "person-1", "/machines/": "machine-1",
		"/servers/": "server-1",
		"/health/":  "server-1", "/stock/devices/": "device-1", "/grants/": "grant-1", "/stock/sets/": "set-1",
		"/snapshots/": "snapshot-1"} {
		if strings.Contains(path, prefix) {
			named = called
		}
	}
	filled := strings.NewReplacer("{number}", "1", "{name}", named, "{machine}", "machine-1", "{id}", "1", "{kind}",
		"server",
		"{digest}", "none").Replace(path)
	return filled + map[string]string{"/api/v1/stock/servers/{name}/compare": "?with=server-2",
		"/api/v1/drivers/compare": "?a=x", "/api/v1/proof": "?queue=queue-1", "/api/v1/search": "?word=queue",
		"/api/v1/estate/past": "?list=queues&object=queue-1"}[path]
}

// fill puts n of everything that the service keeps into a database.
func fill(t *testing.T, database string, n int) {
	t.Helper()
	store, err := postgres.Open(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer store.Close()
	ctx := t.Context()
	for i := range 2 {
		doc, err := estate.Parse([]document.File{{Name: "e.json", Text: manyObjects(n, fmt.Sprint("of revision ", i))}},
			estate.Options{})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := store.Estates.Publish(ctx, nil, "test", "because", func(context.Context, int) (*estate.Document, error) {
			return doc, nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	var people []directory.Row
	for i := range n {
		people = append(people, directory.Row{Kind: "user", ExternalID: fmt.Sprint("u", i), Name: fmt.Sprint("person-", i),
			Attributes: json.RawMessage(`{}`)}, directory.Row{Kind: "machine", ExternalID: fmt.Sprint("m", i),
			Name: fmt.Sprint("machine-", i), Attributes: json.RawMessage(`{}`)})
	}
	if _, err := store.Directories.Import(ctx, "files", people, directory.Taking{Author: "test", Share: 100}); err != nil {
		t.Fatal(err)
	}
	for i := range n {
		if err := fillOne(ctx, store, i); err != nil {
			t.Fatalf("%d: %v", i, err)
		}
	}
}

// manyObjects is an estate with n of each list.
func manyObjects(n int, title string) string {
	lists := map[string][]any{}
	add := func(list string, v map[string]any) { lists[list] = append(lists[list], v) }
	for i := range n {
		name := func(kind string) string { return fmt.Sprint(kind, "-", i) }
		add("locations", map[string]any{"path": name("site"), "title": title})
		add("subnets", map[string]any{"cidr": fmt.Sprintf("10.%d.0.0/16", i), "location": name("site")})
		add("servers", map[string]any{"name": name("server"), "uri": fmt.Sprintf("ipp://ps-%d.example/", i)})
		add("devices", map[string]any{"name": name("device"), "uri": fmt.Sprintf("ipp://192.0.2.%d/ipp/print", i+1)})
		add("server_sets", map[string]any{"name": name("set"), "style": "spread", "members": []string{name("server")}})
		add("queues", map[string]any{"name": name("queue"), "location": name("site"), "devices": []string{name("device")},
			"paths": []any{map[string]any{"server": name("server")}, map[string]any{"device": name("device")}}})
		add("grants", map[string]any{"name": name("grant"), "effect": "place", "queues": []string{name("queue")},
			"to": []string{"user:" + name("person")}})
		add("notices", map[string]any{"name": name("notice"), "tell": []string{"mail:desk@skerry.example"}})
	}
	all := map[string]any{"estate": 1, "settings": map[string]any{"mail": map[string]any{
		"relay": "smtp://mail.skerry.example:25", "from": "cirque@skerry.example"}}}
	for list, v := range lists {
		all[list] = v
	}
	b, _ := json.Marshal(all) // plain values
	return string(b)
}

// fillOne keeps one of everything else.
//
//nolint:funlen // one after the other
func fillOne(ctx context.Context, store *postgres.Store, i int) error {
	name := func(kind string) string { return fmt.Sprint(kind, "-", i) }
	happened := event.Event{Kind: event.Called, Subject: name("machine"), Author: "test"}.Saying("{machine} was called",
		"machine", name("machine"))
	source := directory.Source{Name: name("source"), URL: "ldaps://dir.example", Base: "dc=example", Preset: "standard",
		Paused: true, Author: "test"}
	user, machine := name("person"), name("machine")
	report := endpoint.Report{Machine: machine, Platform: "linux/x64", Contexts: []lineup.Query{{User: &user,
		Machine: &machine}},
		Installed: []endpoint.Installed{{Want: endpoint.Want{Queue: name("queue"), User: user, Driver: "driverless"},
			Own: true}},
		Failures: []endpoint.Failure{{Queue: name("queue"), User: user, Step: "add", Says: "no"}}}
	for _, keep := range []func() error{
		func() error { return store.Sources.SaveSource(ctx, source, nil, happened) },
		func() error {
			r, err := store.Sources.AddRun(ctx, directory.Run{Source: source.Name, Kind: directory.RunWhole, Author: "test"})
			if err != nil {
				return err
			}
			r.State, r.Says = directory.Done, "done"
			_, err = store.Sources.SaveRun(ctx, r)
			return err
		},
		func() error {
			_, err := store.Endpoints.SaveReport(ctx, report, "", []string{name("server")},
				func(endpoint.Before) []event.Event { return nil })
			return err
		},
		func() error {
			_, err := store.Accounts.AddAccount(ctx, access.Account{Name: name("account"), Role: access.Auditor}, "test")
			return err
		},
		func() error {
			_, err := store.Accounts.AddRule(ctx, access.Rule{Who: "group:" + name("group"), Author: "test",
				Holding: access.Holding{Role: access.Auditor}})
			return err
		},
		func() error {
			_, err := store.Tokens.AddToken(ctx, access.Token{Name: name("token"), Role: access.Auditor,
				Hash:   [32]byte{byte(i), 7},
				Author: "test"})
			return err
		},
		func() error {
			_, err := store.Enrolments.AddEnrolToken(ctx, access.EnrolToken{Name: name("token"), Uses: 1, Author: "test",
				ExpiresAt: time.Now().Add(time.Hour), Hash: [32]byte{byte(i)}})
			return err
		},
		func() error {
			_, err := store.Drafts.SaveDraft(ctx, estate.Draft{Owner: name("account"), Author: name("account"), Base: 1})
			return err
		},
		func() error {
			_, err := store.Snapshots.AddSnapshot(ctx, snapshot.Snapshot{Name: name("snapshot"), Author: "test"}, happened)
			return err
		},
		func() error {
			_, err := store.Checkups.AddCheckup(ctx, endpoint.Checkup{Machine: machine, Queue: name("queue"),
				Author: "test"}, happened)
			return err
		},
		func() error {
			_, err := store.Requests.AddRequest(ctx, access.Request{Person: user, Queue: name("queue"), Reason: "because"})
			return err
		},
		func() error {
			_, err := store.Picks.SetPick(ctx, user, name("queue"), true, happened)
			return err
		},
		func() error {
			_, err := store.Links.AddLink(ctx, directory.Link{A: directory.Account{Source: "files", Name: user},
				B: directory.Account{Name: name("other")}, Author: "test"}, happened)
			return err
		},
		func() error {
			return store.Credentials.SaveCredential(ctx, stock.Credential{Name: name("key"), Kind: "sign-in",
				For: []string{"ps.example"}, State: "unproven",
				Author: "test"},
				[]byte("sealed"), happened)
		},
		func() error {
			return store.Stock.SaveWatch(ctx, stock.Watch{Kind: stock.KindDevice, Name: name("spare"), Author: "test",
				URI: fmt.Sprintf("ipp://198.51.100.%d/", i+1)}, happened)
		},
		func() error {
			return store.Stock.SaveReading(ctx, stock.Kept{Kind: stock.KindServer, Name: name("server"),
				Check:  stock.Check{OK: true},
				Server: &stock.Server{Queues: []stock.Queue{{Name: name("queue")}}}}, false, nil)
		},
		func() error {
			return store.Keepers.SaveKept(ctx, server.Report{Machine: machine, Server: name("server"),
				Found: []server.Found{{Own: true}}}, func(*bool) []event.Event { return nil })
		},
		func() error {
			return store.Keepers.Take(ctx, name("server"), machine, []string{name("queue")}, "test", happened)
		},
		func() error {
			_, err := store.Keepers.AddTask(ctx, name("server"), machine, server.Task{Queue: name("queue"), Job: 1,
				Do: server.Hold}, "test")
			return err
		},
		func() error {
			return store.Uses.KeepUses(ctx, name("server"), []decommission.Use{{Queue: name("queue"), Owner: user, Jobs: 1,
				First: time.Now(), Last: time.Now()}}, func(k decommission.Known) decommission.Known { return k })
		},
		func() error {
			return store.Stock.SaveCapture(ctx, stock.Capture{Machine: machine, Author: "test"}, happened)
		},
		func() error {
			return store.Scans.SaveFound(ctx, []stock.Unlisted{{Address: fmt.Sprintf("203.0.113.%d", i+1)}})
		},
		func() error {
			return store.Notices.AddSent(ctx, []notice.Sent{{Notice: name("notice"), To: "mail:desk@skerry.example",
				Says: "ok"}}, nil)
		},
	} {
		if err := keep(); err != nil {
			return err
		}
	}
	return nil
}
