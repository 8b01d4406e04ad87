package sources

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/testkit/rooms"
)

// archive is the store, and one directory that is read over LDAP: the people that are in it.
type archive struct {
	Store
	w     *rooms.World
	clock func() time.Time
	mu    sync.Mutex

	kept   []directory.Source
	sealed map[string][]byte
	runs   []directory.Run // newest first
	rows   map[string]bool // names that were taken in
	events []event.Event
	most   int // how many may disappear

	people  []string // that the directory has
	forgets bool     // it remembers no changes
	fails   error
	asked   []string // how it was read, and with which password it was tried
	slow    bool     // a whole pass takes until it is stopped
	stop    bool     // somebody stops the pass under way
	moved   []string // from where entries were withdrawn
}

func (a *archive) Sources(context.Context) ([]directory.Source, map[string][]byte, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	return slices.Clone(a.kept), maps.Clone(a.sealed), nil
}

func (a *archive) SaveSource(_ context.Context, v directory.Source, sealed []byte, e event.Event) error {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.kept = append(slices.DeleteFunc(a.kept, func(o directory.Source) bool { return o.Name == v.Name }), v)
	a.sealed[v.Name], a.events = sealed, append(a.events, e)
	return nil
}

func (a *archive) RemoveSource(_ context.Context, called string, _ bool, _ string, e event.Event) error {
	a.kept = slices.DeleteFunc(a.kept, func(o directory.Source) bool { return o.Name == called })
	a.events = append(a.events, e)
	return nil
}

func (a *archive) LatestRuns(context.Context, int) (map[string][]directory.Run, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	return map[string][]directory.Run{"hq": slices.Clone(a.runs)}, nil
}

func (*archive) SourceSizes(context.Context) (map[string]map[string]int, error) { return nil, nil }

func (a *archive) AddRun(_ context.Context, r directory.Run) (directory.Run, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	r.ID, r.At, r.State = int64(len(a.runs)+1), a.clock(), directory.Waiting
	if r.Author == "schedule" {
		r.State = directory.Running
	}
	a.runs = append([]directory.Run{r}, a.runs...)
	return r, nil
}

func (a *archive) SaveRun(_ context.Context, r directory.Run, events ...event.Event) (bool, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if r.Over() {
		r.Ended = new(a.clock())
	}
	i := slices.IndexFunc(a.runs, func(o directory.Run) bool { return o.ID == r.ID })
	a.runs[i], a.events = r, append(a.events, events...)
	return a.stop, nil
}

func (a *archive) take(rows, gone []directory.Row, how directory.Taking) (out directory.Import) {
	a.mu.Lock()
	defer a.mu.Unlock()
	out.Dry = how.Dry
	for _, r := range rows {
		if !a.rows[r.Name] {
			out.Added++
		}
	}
	for _, r := range gone {
		if a.rows[r.Name] {
			out.Removed++
		}
	}
	if out.Removed > a.most && how.Share < 100 {
		out.Held = "too much would disappear"
		return out
	}
	if !how.Dry {
		for _, r := range rows {
			a.rows[r.Name] = true
		}
		for _, r := range gone {
			delete(a.rows, r.Name)
		}
	}
	return out
}

func (a *archive) Import(_ context.Context, _ string, rows []directory.Row, how directory.Taking) (directory.Import, error) {
	var gone []directory.Row
	a.mu.Lock()
	had := slices.Collect(maps.Keys(a.rows))
	a.mu.Unlock()
	for _, name := range had {
		if !slices.ContainsFunc(rows, func(r directory.Row) bool { return r.Name == name }) {
			gone = append(gone, directory.Row{Kind: "user", Name: name})
		}
	}
	return a.take(rows, gone, how), nil
}

func (a *archive) ImportDelta(_ context.Context, _ string, rows, gone []directory.Row,
	how directory.Taking) (directory.Import, error) {
	return a.take(rows, gone, how), nil
}

func (*archive) Renames(context.Context) ([]directory.Proposal, error) { return nil, nil }

func (a *archive) read() directory.Pass {
	p := directory.Pass{Present: map[string]bool{}, Kinds: map[string]bool{"user": true}, Mark: directory.Mark{Stamp: "1"}}
	for _, n := range a.people {
		p.Entries = append(p.Entries, directory.Entry{ID: n, DN: "uid=" + n, Kind: "user", Name: n})
		p.Present[n] = true
	}
	return p
}

func (a *archive) ReadLDAP(ctx context.Context, _ directory.Source, word string, tell func(int)) (directory.Pass, error) {
	a.mu.Lock()
	slow := a.slow
	a.asked = append(a.asked, "whole "+word)
	a.mu.Unlock()
	if slow {
		<-ctx.Done()
		return directory.Pass{}, fault.New(fault.Unavailable, "stopped", "", "stopped")
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	tell(len(a.people))
	return a.read(), a.fails
}

func (a *archive) ChangesLDAP(_ context.Context, _ directory.Source, word string, _ directory.Mark,
	_ func(int)) (directory.Pass, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.asked = append(a.asked, "changes "+word)
	if a.forgets {
		return directory.Pass{}, fault.New(fault.Conflict, "too-long-ago", "", "it remembers too little")
	}
	return a.read(), a.fails
}

func (a *archive) TryLDAP(_ context.Context, _ directory.Source, word string) ([]directory.Entry, error) {
	a.asked = append(a.asked, "try "+word)
	return a.read().Entries, a.fails
}

func (a *archive) TryListLDAP(context.Context, directory.Source, string) error { return nil }

func (*archive) SealSource(_ directory.Source, word string) ([]byte, error) {
	return []byte("sealed " + word), nil
}

func (*archive) SourcePassword(_ directory.Source, sealed []byte) (string, error) {
	return strings.TrimPrefix(string(sealed), "sealed "), nil
}

func (a *archive) Withdraw(_ context.Context, v directory.Source, _ []byte, then func() error) error {
	a.moved = append(a.moved, v.ListUnder)
	return then()
}

var (
	keeper = rooms.Who(access.Owner)
	hq     = directory.Source{Name: "hq", URL: "ldaps://dir.hq.example", Bind: "uid=cirque", Base: "dc=hq,dc=example",
		Preset: "standard"}
)

func furnish(t *testing.T) (*Room, *archive) {
	t.Helper()
	w := rooms.New(t, `{estate: 1, locations: [{path: north, title: North}], queues: [{name: shop-floor, title: Shop floor,
		paths: [{gateway: true}]}], grants: [{name: g, effect: place, queues: [shop-floor], to: ["user:mira"]}]}`,
		directory.Records{Users: []directory.User{{Name: "mira", DisplayName: "Mira Shopworth"}}})
	a := &archive{w: w, clock: w.Now, sealed: map[string][]byte{}, rows: map[string]bool{}, most: 2}
	return New(Config{Dir: a, Store: a, Present: w.Present, Log: rooms.Quiet, Now: w.Now, Seals: a, Passwords: a, Listings: a}), a
}

// TestKeepSource: a source is tried before it is kept, and begins paused; its password goes to no other address than the
// one for which it was entered.
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
	if got, err := r.KeepSource(t.Context(), keeper, hq, &word, true); err != nil || len(got.Sample) != 1 || len(a.kept) != 0 {
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
	if _, err := r.KeepSource(t.Context(), rooms.Who(access.Administrator), in, &word, false); !fault.Is(err, fault.Denied) {
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
		a.kept, a.sealed["hq"] = []directory.Source{{Name: "hq", URL: hq.URL, Bind: hq.Bind, Base: hq.Base, Every: 60}}, []byte("sealed s")
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
	if _, err := r.Import(t.Context(), keeper, in); fault.As(err) == nil || fault.As(err).Code != "removal-limit" || len(a.rows) != 4 {
		t.Error(err, a.rows)
	}
	in.Accept = true
	if out, err := r.Import(t.Context(), keeper, in); err != nil || out.Removed != 3 || len(a.rows) != 1 {
		t.Errorf("%+v %v", out, err)
	}
	a.kept = []directory.Source{hq}
	for code, c := range map[string]Intake{"source-read": {Source: "hq", Files: in.Files}, "source-name": {Source: "A b", Files: in.Files},
		"format-unknown": {Source: "x", Format: "xml", Files: in.Files}} {
		if _, err := r.Import(t.Context(), keeper, c); fault.As(err) == nil || fault.As(err).Code != code {
			t.Errorf("%s: %v", code, err)
		}
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
	if list, total, err = r.Search(t.Context(), keeper, []string{"user"}, "shop", 10); err != nil || total != 1 || list[0].Name != "mira" {
		t.Errorf("%+v %d %v", list, total, err)
	}
	if list, total, err = r.Search(t.Context(), keeper, nil, "shop", 1); err != nil || total != 3 || len(list) != 1 {
		t.Errorf("%+v %d %v", list, total, err)
	}
}
