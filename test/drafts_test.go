package test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
)

func object(text string) json.RawMessage { return json.RawMessage(text) }

func edit(t *testing.T, c *apiclient.Client, draft string, edits ...estate.Edit) (api.Draft, error) {
	t.Helper()
	var d api.Draft
	err := c.Do(t.Context(), "POST", "/api/v1/draft/edits", map[string][]string{"name": {draft}},
		api.Edits{Edits: edits}, &d)
	return d, err
}

func put(list, name, text string) estate.Edit {
	return estate.Edit{Ref: estate.Ref{List: list, Name: name}, Object: object(text)}
}

func publishDraft(ctx context.Context, c *apiclient.Client, draft string) error {
	return c.Do(ctx, "POST", "/api/v1/draft/publish", map[string][]string{"name": {draft}},
		api.PublishDraft{Reason: "test"}, nil)
}

func asRehearsal(t *testing.T, c *apiclient.Client, in api.Rehearse) (*api.Rehearsal, *api.Problem) {
	t.Helper()
	resp, err := c.Raw(t.Context(), "POST", "/api/v1/rehearsals", nil, nil, in)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	for dec := json.NewDecoder(resp.Body); ; {
		var line api.RehearsalLine
		if err := dec.Decode(&line); err != nil {
			t.Fatal(err)
		}
		if line.Rehearsal != nil || line.Problem != nil {
			return line.Rehearsal, line.Problem
		}
	}
}

// TestDraftToRevision: edits gather in a draft, are seen and rehearsed there by their owner alone, and reach people
// when they are published.
func TestDraftToRevision(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	s.importDirectory(twoPeople)
	other := s.client(s.tokenFor("other", access.Administrator, ""))
	d, err := edit(t, s.c, "", put("grants", "g", `{"name":"g","effect":"offer","queues":["hall"],"to":["everyone"]}`),
		put("queues", "yard", `{"name":"yard","devices":["p"],"paths":[{"device":"p"}],"location":"ard/yard"}`))
	if err != nil || d.Total != 2 || d.Base != 1 || d.Version != 1 {
		t.Fatalf("%+v %v", d, err)
	}
	theirs, err := apiclient.Get[api.Draft](t.Context(), other, "/api/v1/draft", nil)
	if err != nil || theirs.Total != 0 {
		t.Errorf("another's draft: %+v %v", theirs, err)
	}
	ask := func(revision string) lineup.Lineup {
		var l lineup.Lineup
		if err := s.c.Do(t.Context(), "POST", "/api/v1/lineups", map[string][]string{"revision": {revision}},
			map[string]any{"user": "jonas", "addresses": []string{"10.1.2.3"}}, &l); err != nil {
			t.Fatal(err)
		}
		return l
	}
	if l := ask(""); len(l.Entries) != 0 {
		t.Errorf("a draft reaches people: %+v", l)
	}
	if l := ask("draft"); len(l.Entries) != 1 || l.Entries[0].Effect != "offered" || l.Revision != 0 {
		t.Errorf("%+v", l)
	}
	r, problem := asRehearsal(t, s.c, api.Rehearse{})
	if problem != nil || r.Totals[rehearse.Gains].People != 1 || r.Totals[rehearse.Effects].People != 1 ||
		r.Totals[rehearse.Defaults].People != 1 || r.Changes != 2 {
		t.Fatalf("%+v %+v", r, problem)
	}
	effects, err := apiclient.Page[rehearse.EffectSheet](t.Context(), s.c, "/api/v1/rehearsals/"+r.ID+"/effects",
		map[string][]string{"kind": {"gains"}})
	if err != nil || effects.Total != 1 || effects.Items[0].Name != "jonas" ||
		effects.Items[0].Items[0].Queue != "hall" {
		t.Errorf("%+v %v", effects, err)
	}
	if _, err := apiclient.Page[rehearse.EffectSheet](t.Context(), other, "/api/v1/rehearsals/"+r.ID+"/effects", nil); !fault.Is(err,
		fault.Unknown) {
		t.Errorf("another's rehearsal: %v", err)
	}
	if err := publishDraft(t.Context(), s.c, ""); err != nil {
		t.Fatal(err)
	}
	if l := ask(""); len(l.Entries) != 1 || l.Revision != 2 {
		t.Errorf("%+v", l)
	}
	if d, err := apiclient.Get[api.Draft](t.Context(), s.c, "/api/v1/draft", nil); err != nil || d.Total != 0 ||
		d.Base != 2 {
		t.Errorf("what is left of the draft: %+v %v", d, err)
	}
	p, err := apiclient.Post[api.Published](t.Context(), s.c, "/api/v1/revisions/1/revert", api.Reason{Reason: "back"})
	if err != nil || p.Revision.Number != 3 {
		t.Fatal(p, err)
	}
	if l := ask(""); len(l.Entries) != 0 {
		t.Errorf("after the revert: %+v", l)
	}
	diff, err := apiclient.Get[api.Diffs](t.Context(), s.c, "/api/v1/diff", map[string][]string{"from": {"1"},
		"to": {"3"}})
	if err != nil || diff.Total != 0 {
		t.Errorf("%+v %v", diff, err)
	}
}

// TestEditsAreRefused: bad edits change nothing, and say what, where and how to mend it.
func TestEditsAreRefused(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	for _, c := range []struct {
		edit      estate.Edit
		code, say string
	}{
		{put("grants", "x", `{"name":"x","effect":"place","queues":["hal"]}`), "edit-invalid", `did you mean "hall"?`},
		{put("grants", "x", `{"name":"x","effect":"place","queus":["hall"]}`), "edit-invalid", `unknown key "queus"`},
		{estate.Edit{Ref: estate.Ref{List: "devices", Name: "p"}, Remove: true}, "estate-incoherent",
			"queue hall names the device p"},
		{estate.Edit{Ref: estate.Ref{List: "locations", Name: "ard/hall"}, Remove: true}, "estate-incoherent",
			"names the location ard/hall"},
		{put("queues", "yard", `{"name":"yard","formerly":["hall"]}`), "estate-incoherent", "its old name hall is the name " +
			"of another queue"},
	} {
		_, err := edit(t, s.c, "", c.edit)
		f := fault.As(err)
		if f.Code != c.code || !strings.Contains(fmt.Sprint(f.What, f.Fix, f.Details), c.say) {
			t.Errorf("%+v: %v %s %v", c.edit, err, f.Fix, f.Details)
		}
	}
	version := int64(4)
	err := s.c.Do(t.Context(), "POST", "/api/v1/draft/edits", nil, api.Edits{Version: &version,
		Edits: []estate.Edit{put("queues", "y", `{"name":"y"}`)}}, nil)
	if fault.As(err).Code != "draft-moved" {
		t.Error(err)
	}
	if d, err := apiclient.Get[api.Draft](t.Context(), s.c, "/api/v1/draft", nil); err != nil || d.Total != 0 {
		t.Errorf("%+v %v", d, err)
	}
}

// TestFiftyPublishers edit overlapping objects and publish at once: each accepted change is in the last revision, and
// each refusal names the conflict with both sides.
func TestFiftyPublishers(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	type outcome struct {
		shared int
		own    bool
		err    error
	}
	const publishers, objects = 50, 9
	out := make([]outcome, publishers)
	var ready, wg sync.WaitGroup
	ready.Add(publishers)
	for i := range publishers {
		c := s.client(s.tokenFor(fmt.Sprintf("admin-%d", i), access.Administrator, ""))
		wg.Go(func() {
			shared := i % objects
			out[i].shared, out[i].own = shared, i%3 > 0
			edits := []estate.Edit{put("queues", fmt.Sprintf("own-%d", i), fmt.Sprintf(`{"name":"own-%d"}`, i))}
			if !out[i].own {
				edits = append(edits, put("queues", fmt.Sprintf("shared-%d", shared),
					fmt.Sprintf(`{"name":"shared-%d","title":"by %d"}`, shared, i)))
			}
			_, err := edit(t, c, "", edits...)
			ready.Done()
			ready.Wait() // all drafts begin before any is published
			if err == nil {
				err = publishDraft(t.Context(), c, "")
			}
			out[i].err = err
		})
	}
	wg.Wait()
	e, err := apiclient.Get[api.Estate](t.Context(), s.c, "/api/v1/estate", nil)
	if err != nil {
		t.Fatal(err)
	}
	accepted := 0
	for i, o := range out {
		own := e.Document.Find(estate.Ref{List: "queues", Name: fmt.Sprintf("own-%d", i)})
		if o.err == nil {
			accepted++
			shared, _ := e.Document.Find(estate.Ref{List: "queues", Name: fmt.Sprintf("shared-%d", o.shared)}).(*estate.Queue)
			if own == nil || !o.own && (shared == nil || shared.Title != fmt.Sprintf("by %d", i)) {
				t.Errorf("publisher %d was told that it is published, and %v, %+v", i, own, shared)
			}
			continue
		}
		f := fault.As(o.err)
		want := fmt.Sprintf("queue shared-%d", o.shared)
		if f.Code != "draft-conflict" || len(f.Details) != 1 || f.Details[0].Place != want ||
			!strings.Contains(f.Details[0].What, "in revision") || !strings.Contains(f.Details[0].What,
			fmt.Sprintf("admin-%d has", i)) {
			t.Errorf("publisher %d: %v %v", i, o.err, f.Details)
		}
		if own != nil {
			t.Errorf("publisher %d was refused, and half of it is there", i)
		}
	}
	if e.Revision.Number != accepted+1 || accepted != 36 {
		t.Errorf("%d accepted, revision %d", accepted, e.Revision.Number)
	}
}

// TestWokenByTheClock: whoever waits for a change hears of one that opening hours bring, without a publish.
func TestWokenByTheClock(t *testing.T) {
	t.Parallel()
	// The service's clock stands two seconds before the edge, and goes once the first answer is there, however long that
	// took.
	edge := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	var begun atomic.Pointer[time.Time]
	s := startService(t, func(o *app.Options) {
		o.Now = func() time.Time {
			now := edge.Add(-2 * time.Second)
			if b := begun.Load(); b != nil {
				now = now.Add(time.Since(*b))
			}
			return now
		}
	})
	s.publish(strings.Replace(oneQueue, `default: 5`, `default: 5, open: [{from: "00:00", to: "12:00"}]`, 1))
	s.importDirectory(twoPeople)
	query := map[string]any{"user": "mira"}
	resp, err := s.c.Raw(t.Context(), "POST", "/api/v1/lineups", nil, nil, query)
	if err != nil {
		t.Fatal(err)
	}
	tag := resp.Header.Get("ETag")
	_ = resp.Body.Close()
	begin := time.Now()
	begun.Store(&begin)
	resp, err = s.c.Raw(t.Context(), "POST", "/api/v1/lineups", nil, http.Header{"If-None-Match": {tag},
		"Prefer": {"wait=20"}}, query)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	var l lineup.Lineup
	if err := json.NewDecoder(resp.Body).Decode(&l); err != nil || resp.StatusCode != 200 || len(l.Entries) != 0 ||
		l.Context.Time.Before(edge) {
		t.Errorf("%d %+v %v", resp.StatusCode, l, err)
	}
}

const pair = `
estate: 1
locations: [{path: ard}]
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}, {name: ps-2, uri: "ipp://ps-2.example/"}]
server_sets: [{name: pair, style: standby, members: [ps-1, ps-2]}]
queues: [{name: hall, location: ard, paths: [{set: pair}]}, {name: solo, location: ard, paths: [{server: ps-1}]}]
grants: [{name: g, effect: offer, queues: [hall, solo], to: ["group:clerks"]}]
`

// TestDrainAndReturn: a drain moves lineups to the other member and strands what has none, is kept with its reason,
// wakes who waits, and is undone by a return; a pick turns an offer into a picked queue.
func TestDrainAndReturn(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(pair)
	s.importDirectory(twoPeople)
	ask := func() map[string]lineup.Entry {
		var l lineup.Lineup
		if err := s.c.Do(t.Context(), "POST", "/api/v1/lineups", nil, map[string]any{"user": "mira"}, &l); err != nil {
			t.Fatal(err)
		}
		out := map[string]lineup.Entry{}
		for _, e := range l.Entries {
			out[e.Queue] = e
		}
		return out
	}
	if e := ask()["hall"]; *e.Path.Server != "ps-1" || *e.Path.Set != "pair" ||
		e.Path.URI != "ipp://ps-1.example/printers/hall" {
		t.Errorf("%+v", e)
	}
	if _, out, _ := s.run("queue", "list"); !strings.Contains(out, "set pair") {
		t.Error(out)
	}
	r, problem := asRehearsal(t, s.c, api.Rehearse{Without: []string{"server:ps-1"}})
	if problem != nil || r.Totals[rehearse.Paths].People != 1 || r.Totals[rehearse.Stranded].People != 1 {
		t.Errorf("%+v %+v", r, problem)
	}
	for range 2 {
		if code, out, errs := s.run("drain", "ps-1", "--reason", "driver update"); code != 0 || !strings.Contains(out,
			"drained") {
			t.Fatal(out, errs)
		}
	}
	if e := ask(); *e["hall"].Path.Server != "ps-2" || !e["solo"].Stranded {
		t.Errorf("%+v", e)
	}
	if _, out, _ := s.run("duties"); !strings.Contains(out, "ps-1") || !strings.Contains(out, "driver update") {
		t.Error(out)
	}
	_, out, _ := s.run("why", "hall", "--user", "mira")
	if !strings.Contains(out, "of the set pair, ps-2 is the first on duty") {
		t.Error(out)
	}
	if code, out, _ := s.run("return", "ps-1", "--at-once"); code != 0 || !strings.Contains(out, "back on duty") {
		t.Error(out)
	}
	if e := ask()["hall"]; *e.Path.Server != "ps-1" || e.Effect != "offered" {
		t.Errorf("%+v", e)
	}
	if code, out, errs := s.run("pick", "hall", "--user", "Mira"); code != 0 {
		t.Fatal(out, errs)
	}
	if e := ask()["hall"]; e.Effect != "picked" {
		t.Errorf("%+v", e)
	}
}

// TestWhoCouldPrint asks about the past: the estate and the directory of that moment, and of a stretch of time.
func TestWhoCouldPrint(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	s.importDirectory(twoPeople)
	then := time.Now().Format(time.RFC3339Nano)
	s.importDirectory(strings.Replace(twoPeople, `["user:mira"]`, `["user:jonas"]`, 1))
	holders := func(query map[string][]string) []string {
		r, err := apiclient.Get[rehearse.RollSheet](t.Context(), s.c, "/api/v1/queues/hall/holders", query)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, h := range r.Holders {
			out = append(out, h.Name)
		}
		if n := r.Have.People + r.Have.Machines; n != len(out) || n != r.Total || r.Next != "" {
			t.Errorf("%+v", r)
		}
		return out
	}
	if got := holders(nil); !slices.Equal(got, []string{"jonas"}) {
		t.Error(got)
	}
	if got := holders(map[string][]string{"from": {then}}); !slices.Equal(got, []string{"mira"}) {
		t.Error(got)
	}
	var l lineup.Lineup
	if err := s.c.Do(t.Context(), "POST", "/api/v1/lineups", map[string][]string{"as_of": {then}},
		map[string]any{"user": "mira"}, &l); err != nil || len(l.Entries) != 1 ||
		l.Context.Time.Format(time.RFC3339) != mustUTC(t, then) {
		t.Errorf("%+v %v", l, err)
	}
	s.publish(strings.ReplaceAll(oneQueue, "group:clerks", "user:ida"))
	if got := holders(map[string][]string{"from": {then}, "until": {time.Now().Format(time.RFC3339Nano)}}); !slices.Equal(
		got, []string{"mira", "ida"}) && !slices.Equal(got, []string{"mira"}) {
		t.Error(got)
	}
}

func mustUTC(t *testing.T, text string) string {
	t.Helper()
	at, err := time.Parse(time.RFC3339Nano, text)
	if err != nil {
		t.Fatal(err)
	}
	return at.UTC().Truncate(time.Second).Format(time.RFC3339)
}
