package sources

import (
	"context"
	"slices"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

var (
	keeper = rooms.Who(access.Owner)
	hq     = directory.Source{Name: "hq", URL: "ldaps://dir.hq.example", Bind: "uid=cirque", Base: "dc=hq,dc=example",
		Preset: "standard"}
)

func furnish(t *testing.T) (*Room, *archive) {
	t.Helper()
	w := rooms.New(t, `{estate: 1, locations: [{path: north, title: North}], devices: [{name: p, uri: "ipp://192.0.2.1/ipp/print"}], queues: [{name: shop-floor, title: Shop floor,
		paths: [{gateway: true}]}], grants: [{name: g, effect: place, queues: [shop-floor], to: ["user:mira"]}]}`,
		directory.Records{Users: []directory.User{{Name: "mira", DisplayName: "Mira Shopworth"}}})
	a := &archive{w: w, clock: w.Now, sealed: map[string][]byte{}, rows: map[string]bool{}, most: 2}
	return New(Config{Dir: a, Store: a, Present: w.Present, Log: rooms.Quiet, Now: w.Now, Seals: a, Passwords: a,
		Listings: a}), a
}

// TestKeepSource: a source is tried before it is kept, and begins paused; its password goes to no other address than
// the one for which it was entered.
func TestKeepSource(t *testing.T) {
	t.Parallel()
	r, a := furnish(t)
	word := "secret"
	keep := func(v directory.Source, password *string) (TriedSource, error) {
		return r.KeepSource(t.Context(), keeper, v, password, false)
	}
	a.people = []string{"ida"}
	if _, err := keep(hq, nil); fault.As(err) == nil || fault.As(err).Code != "password-missing" {
		t.Error("without a password:", err)
	}
	a.fails = fault.New(fault.Denied, "sign-in-refused", "look at the password", "the account is refused")
	if _, err := keep(hq, &word); !fault.Is(err, fault.Invalid) || len(a.kept) != 0 {
		t.Error("one that refuses:", err)
	}
	a.fails = nil
	if got, err := r.KeepSource(t.Context(), keeper, hq, &word,
		true); err != nil || len(got.Sample) != 1 || len(a.kept) != 0 {
		t.Errorf("only tried: %+v %v", got, err)
	}
	got, err := keep(hq, &word)
	if err != nil || !got.Source.Paused || len(a.kept) != 1 || string(a.sealed["hq"]) != "sealed secret" {
		t.Fatalf("%+v %v", got, err)
	}
	if _, err := r.PauseSource(t.Context(), keeper, "hq", false); err != nil || a.kept[0].Paused {
		t.Error(err)
	}
	a.asked = nil
	other := hq
	other.Base = "ou=people,dc=hq,dc=example"
	if got, err := keep(other, nil); err != nil || got.Source.Paused || !slices.Equal(a.asked, []string{"try secret"}) {
		t.Errorf("another base: %+v %v %v", got, err, a.asked)
	}
	for what, change := range map[string]func(*directory.Source){
		"another host": func(v *directory.Source) { v.URL = "ldaps://evil.example" },
		"another way":  func(v *directory.Source) { v.URL, v.StartTLS = "ldap://dir.hq.example", true },
	} {
		v := hq
		change(&v)
		if _, err := keep(v, nil); fault.As(err) == nil || fault.As(err).Code != "password-again" {
			t.Errorf("%s: %v", what, err)
		}
	}
	lists := hq
	lists.ListUnder = "ou=a,dc=hq,dc=example"
	if _, err := keep(lists, nil); err != nil || len(a.moved) != 0 {
		t.Error(a.moved, err)
	}
	lists.ListUnder = "ou=b,dc=hq,dc=example"
	if _, err := keep(lists, nil); err != nil || !slices.Equal(a.moved, []string{"ou=a,dc=hq,dc=example"}) {
		t.Error("entries stay where they were:", a.moved, err)
	}
	in := hq
	in.SignIn = true
	if _, err := r.KeepSource(t.Context(), rooms.Who(access.Administrator), in, &word, false); !fault.Is(err,
		fault.Denied) {
		t.Error("somebody who does not say who may come in:", err)
	}
	if err := r.RemoveSource(t.Context(), keeper, "hq", true, false); err != nil || len(a.kept) != 0 || len(a.moved) != 2 {
		t.Error(a.moved, err)
	}
}

// now is how the latest pass stands, how the directory was read since the last time, and what was told.
func (a *archive) now() (r directory.Run, asked, told string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	var kinds []string
	for _, e := range a.events {
		kinds = append(kinds, e.Kind)
	}
	asked, told = strings.Join(a.asked, " "), strings.Join(kinds, " ")
	a.asked, a.events = nil, nil
	if len(a.runs) > 0 {
		r = a.runs[0]
	}
	return r, asked, told
}

// taken counts the people that were taken in.
func (a *archive) taken() int {
	a.mu.Lock()
	defer a.mu.Unlock()
	return len(a.rows)
}

// TestPasses: the worker reads what is asked for and what is due: changes where it knows where it was, all where not;
// what is held or fails is told once, and applied nowhere.
func TestPasses(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		r, a := furnish(t)
		a.kept, a.sealed["hq"] = []directory.Source{{Name: "hq", URL: hq.URL, Bind: hq.Bind, Base: hq.Base, Every: 60}},
			[]byte("sealed s")
		start := time.Now()
		r.now = func() time.Time { return rooms.Start.Add(time.Since(start)) } // goes with the test's
		a.clock = r.now
		a.people = []string{"ida", "jens", "kari", "lars"}
		ctx, stop := context.WithCancel(t.Context())
		go func() { _ = r.Workers()[0].Run(ctx) }()
		expect := func(what, state, asked, told string) {
			t.Helper()
			synctest.Wait()
			run, gotAsked, gotTold := a.now()
			if run.State != state || gotAsked != asked || gotTold != told {
				t.Errorf("%s: %s (%s), read by %q, told %q; want %s, %q, %q", what, run.State, run.Says, gotAsked, gotTold, state,
					asked, told)
			}
		}
		ask := func(kind string, accept bool) {
			t.Helper()
			if _, err := r.RunSource(ctx, keeper, "hq", kind, accept); err != nil {
				t.Fatal(err)
			}
			r.present.Hub.Send(event.Signal{What: event.Sources})
			time.Sleep(time.Second)
		}
		expect("at first", directory.Done, "whole s", "")
		if n := a.taken(); n != 4 {
			t.Error(n)
		}
		time.Sleep(70 * time.Second)
		expect("when it is due", directory.Done, "changes s", "")
		a.mu.Lock()
		a.people = []string{"ida"}
		a.mu.Unlock()
		ask(directory.RunDry, false)
		expect("a dry pass", directory.Done, "whole s", "")
		ask(directory.RunWhole, false)
		expect("too much disappears", directory.Held, "whole s", event.SourceHeld)
		ask(directory.RunChanges, false)
		expect("again, from the beginning", directory.Held, "whole s", "")
		if n := a.taken(); n != 4 {
			t.Error("it was applied:", n)
		}
		ask(directory.RunWhole, true)
		expect("accepted", directory.Done, "whole s", event.SourceGood)
		if n := a.taken(); n != 1 {
			t.Error(n)
		}
		a.mu.Lock()
		a.forgets = true
		a.mu.Unlock()
		ask(directory.RunChanges, false)
		expect("where it remembers too little", directory.Done, "changes s whole s", "")
		a.mu.Lock()
		a.fails, a.forgets = fault.New(fault.Unavailable, "silent", "look at it", "it does not answer"), false
		a.mu.Unlock()
		ask(directory.RunWhole, false)
		expect("while it is away", directory.Failed, "whole s", event.SourceBad)
		ask(directory.RunWhole, false)
		expect("while it is still away", directory.Failed, "whole s", "")
		a.mu.Lock()
		a.fails, a.slow = nil, true
		a.mu.Unlock()
		ask(directory.RunWhole, false)
		a.mu.Lock()
		a.stop = true
		a.mu.Unlock()
		time.Sleep(2 * time.Second)
		expect("stopped", directory.Stopped, "whole s", "")
		stop()
	})
}

// TestImport of files: what is read over LDAP is not to be imported into, and what would take too much away is held.
func TestImport(t *testing.T) {
	t.Parallel()
	r, a := furnish(t)
	in := Intake{Source: "staff", Format: FormatFile, Files: []document.File{{Name: "d.yaml",
		Text: "{directory: 1, users: [{name: ida}, {name: jens}, {name: kari}, {name: lars}]}"}}}
	dry := in
	dry.Dry = true
	if out, err := r.Import(t.Context(), keeper, dry); err != nil || out.Added != 4 || len(a.rows) != 0 {
		t.Errorf("%+v %v %v", out, err, a.rows)
	}
	if out, err := r.Import(t.Context(), keeper, in); err != nil || out.Users != 4 || len(a.rows) != 4 {
		t.Fatalf("%+v %v", out, err)
	}
	in.Files[0].Text = "{directory: 1, users: [{name: ida}]}"
	if _, err := r.Import(t.Context(), keeper,
		in); fault.As(err) == nil || fault.As(err).Code != "removal-limit" || len(a.rows) != 4 {
		t.Error(err, a.rows)
	}
	in.Accept = true
	if out, err := r.Import(t.Context(), keeper, in); err != nil || out.Removed != 3 || len(a.rows) != 1 {
		t.Errorf("%+v %v", out, err)
	}
	a.kept = []directory.Source{hq}
	for code, c := range map[string]Intake{"source-read": {Source: "hq", Files: in.Files},
		"source-name":    {Source: "A b", Files: in.Files},
		"format-unknown": {Source: "x", Format: "xml", Files: in.Files}} {
		if _, err := r.Import(t.Context(), keeper, c); fault.As(err) == nil || fault.As(err).Code != code {
			t.Errorf("%s: %v", code, err)
		}
	}
}

// TestSearchOfStock: what was read and found is found by serial number and by hardware address in any notation.
func TestSearchOfStock(t *testing.T) {
	t.Parallel()
	r, a := furnish(t)
	a.w.Present.Keep(stock.Kept{Kind: stock.KindDevice, Name: "p", Device: &stock.Device{Model: "Mono 40", Serial: "SK-77"},
		Identity: stock.Identity{Serial: "SK-77", MAC: "02:00:5e:10:00:10"}})
	for _, word := range []string{"sk-77", "mono 40", "02:00:5e:10:00:10", "02-00-5E-10-00-10", "02005e100010", "0200.5e10.0010",
		"5e1000"} {
		list, _, err := r.Search(t.Context(), keeper, nil, word, 10)
		if err != nil || len(list) != 1 || list[0].Kind != "device" || list[0].Name != "p" {
			t.Errorf("%s: %+v %v", word, list, err)
		}
	}
	if list, _, err := r.Search(t.Context(), keeper, nil, "02-00-5E-10-00-11", 10); err != nil || len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
}

// TestSearch: what begins with the word comes first, and all are counted.
func TestSearch(t *testing.T) {
	t.Parallel()
	r, _ := furnish(t)
	list, total, err := r.Search(t.Context(), keeper, nil, " SHOP ", 10)
	if err != nil || total != 3 || list[0].Kind != "queue" || list[1].Name != "mira" {
		t.Errorf("%+v %d %v", list, total, err)
	}
	if list, total, err = r.Search(t.Context(), keeper, []string{"user"}, "shop",
		10); err != nil || total != 1 || list[0].Name != "mira" {
		t.Errorf("%+v %d %v", list, total, err)
	}
	if list, total, err = r.Search(t.Context(), keeper, nil, "shop", 1); err != nil || total != 3 || len(list) != 1 {
		t.Errorf("%+v %d %v", list, total, err)
	}
}
