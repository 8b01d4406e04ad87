package test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"cirque/client"
	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/service/secrets"
	"cirque/internal/sim"
)

// aClock goes as the real one does, and can be put forward.
type aClock struct{ ahead atomic.Int64 }

func (c *aClock) now() time.Time          { return time.Now().Add(time.Duration(c.ahead.Load())) }
func (c *aClock) forward(d time.Duration) { c.ahead.Add(int64(d)) }

func relay(t *testing.T, word string) *sim.Relay {
	t.Helper()
	r := &sim.Relay{Word: word}
	if err := r.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = r.Close() })
	return r
}

// letters gives what a relay took for somebody, newest last.
func letters(r *sim.Relay, to string) string {
	var out []string
	for _, l := range r.Mail() {
		if l.To == to {
			out = append(out, strings.ReplaceAll(l.Text, "=\r\n", ""))
		}
	}
	return strings.Join(out, "\n----\n")
}

// TestNotices: a dead server is told to whom it concerns once it has lasted, by mail and by a post; the owners of jobs
// that wait there are told of theirs; and that it is over. What does not arrive is said, and tried again.
func TestNotices(t *testing.T) {
	t.Parallel()
	var clock aClock
	s := startService(t, func(o *app.Options) { o.Health, o.Now, o.NoticesEvery = true, clock.now, 50*time.Millisecond })
	post := relay(t, "cirque:open sesame")
	var mu sync.Mutex
	var hooked []string
	keys, err := apiclient.List[api.NoticeKey](t.Context(), s.c, "/api/v1/notices/keys", nil)
	if err != nil || len(keys) != 1 {
		t.Fatal(keys, err)
	}
	hook := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		b, _ := io.ReadAll(r.Body)
		if err := client.VerifyNotice(r, "http://"+r.Host+r.URL.Path, b, time.Hour, keys[0].Key); err != nil {
			t.Error("the post's signature:", err)
		}
		var m struct{ Notice, Subject string }
		_ = json.Unmarshal(b, &m)
		mu.Lock()
		defer mu.Unlock()
		hooked = append(hooked, m.Notice+": "+m.Subject)
	}))
	t.Cleanup(hook.Close)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	at := one.Addr()
	one.Change(func([]sim.Queue) []sim.Queue { return []sim.Queue{{Name: "hall", Waiting: 2}} })
	s.importDirectory("directory: 1\nusers: [{name: odd.nilsen, email: odd.nilsen@skerry.example}, {name: ragna.holm}, " +
		"{name: liv, email: liv@skerry.example}]\ngroups: [{name: desk, members: [\"group:inner\"]}, {name: inner, " +
		"members: [\"user:liv\"]}]\n")
	estate := pairOn("standby", one, two, "{probe_every: 2s, up_after: 1, return_over: 0s}, mail: {server: \"smtp://"+
		post.Addr()+"\", from: cirque@skerry.example}") +
		fmt.Sprintf("notices:\n  - {name: harbour, about: [servers], after: 1m, tell: [\"mail:desk@skerry.example\", "+
			"\"group:desk\", \"post:%s/hook\"], owners: true}\n  - {name: elsewhere, about: [devices], tell: "+
			"[\"user:nobody\"]}\n", hook.URL)
	s.publish(estate)
	s.must("server", "read", "ps-1")

	// Tried when it is entered: the relay wants a sign-in.
	if code, out, _ := s.run("notice", "try", "harbour"); code != 8 || !strings.Contains(out, "answers: 502") &&
		!strings.Contains(out, "answers: 530") {
		t.Error(code, out)
	}
	if code, out, _ := s.run("notice", "try", "elsewhere"); code != 8 || !strings.Contains(out,
		"no mail address of nobody") {
		t.Error(code, out)
	}
	store := func(secret string) {
		if _, err := s.Service.Secrets.StoreCredential(t.Context(), owner, secrets.NewCredential{Name: "relay",
			Kind: "sign-in",
			User: "cirque", Secret: secret, Clear: true, For: []string{"mail"}}); err != nil {
			t.Fatal(err)
		}
	}
	store("wrong")
	if code, out, _ := s.run("notice", "try", "harbour"); code != 8 || !strings.Contains(out, "refuses the key relay") {
		t.Error(code, out)
	}
	store("open sesame")
	contains(t, "the trial", s.must("notice", "try", "harbour"), "mail:desk@skerry.example", "127.0.0.1 took it",
		"group:desk (liv@skerry.example)", ":", "took it")
	if _, out, _ := s.run("notice", "list"); !strings.Contains(out, "owners of waiting jobs") || !strings.Contains(out,
		"arrived") {
		t.Error(out)
	}

	within(t, "the first is known to answer", func() bool { return strings.Contains(s.must("health"), "ps-1  up") })
	if err := one.Close(); err != nil {
		t.Fatal(err)
	}
	within(t, "the fault is seen", func() bool {
		return strings.Contains(s.must("faults"), "the server ps-1 does not answer")
	})
	if strings.Contains(letters(post, "desk@skerry.example"), "ps-1") {
		t.Error("told at once, before it has lasted")
	}
	contains(t, "what waits", s.must("server", "jobs", "ps-1"), "2 jobs wait on it, as it told on", "odd.nilsen",
		"once that is back; whoever needs it now prints it again")
	// An owner whose mailbox is gone keeps nobody else from being told.
	post.Refuse("mailbox full", "odd.nilsen@skerry.example")
	clock.forward(2 * time.Minute)
	within(t, "the desk is told", func() bool {
		return strings.Contains(letters(post, "desk@skerry.example"), "the server ps-1 does not answer")
	})
	within(t, "it is said that the owner is not", func() bool {
		return strings.Contains(s.must("notice", "sent"), "mailbox full")
	})
	post.Refuse("")
	clock.forward(2 * time.Minute)
	within(t, "the owner is told", func() bool { return len(letters(post, "odd.nilsen@skerry.example")) > 0 })
	contains(t, "the owner's letter", letters(post, "odd.nilsen@skerry.example"), "Your print jobs wait",
		"waits your job Manifest 700 on hall", "prints it again")
	within(t, "the group's people are told", func() bool {
		return strings.Contains(letters(post, "liv@skerry.example"), "ps-1 does not answer")
	})
	within(t, "the hook is told", func() bool {
		mu.Lock()
		defer mu.Unlock()
		return strings.Contains(strings.Join(hooked, "\n"), "harbour: the server ps-1 does not answer")
	})
	if n := strings.Count(letters(post, "desk@skerry.example"), "Wrong now:"); n != 1 {
		t.Errorf("told %d times:\n%s", n, letters(post, "desk@skerry.example"))
	}
	printServer(t, at)
	within(t, "it is told that it is over", func() bool {
		mu.Lock()
		defer mu.Unlock() // the hook is the last of the three
		return strings.Contains(letters(post, "desk@skerry.example"), "Over:") &&
			strings.Contains(strings.Join(hooked, "\n"), "Over: the server ps-1")
	})

	// What does not arrive is an event, and is tried again until it does.
	post.Refuse("no such mailbox")
	hook.Close()
	if err := two.Close(); err != nil {
		t.Fatal(err)
	}
	within(t, "the other's fault is seen", func() bool {
		return strings.Contains(s.must("faults"), "the server ps-2 does not answer")
	})
	clock.forward(2 * time.Minute)
	within(t, "it is said that it does not arrive", func() bool {
		return strings.Contains(s.events(), "The notice harbour does not arrive: post:") &&
			strings.Contains(s.must("notice", "sent"), "no such mailbox")
	})
	// It may be under way anew: whoever is refused still keeps half of such a message from having arrived.
	post.Refuse("no such mailbox", "liv@skerry.example")
	clock.forward(2 * time.Minute)
	defer func() { // not at clean-up: nothing can be asked any more by then
		if t.Failed() {
			t.Log(s.events(), "\n", s.must("notice", "sent"), s.must("faults"))
		}
	}()
	within(t, "it arrives again", func() bool {
		return strings.Contains(letters(post, "desk@skerry.example"), "ps-2 does not answer") && strings.Contains(s.events(),
			"The notice harbour arrives again")
	})
}

// TestNoticesOfSites: whoever looks after one site writes and tries notices of that site, and no others.
func TestNoticesOfSites(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish("estate: 1\nlocations: [{path: ard}, {path: bran}]\nnotices: [{name: bran, at: [\"location:bran\"], tell: " +
		"[\"mail:x@skerry.example\"]}]\n")
	_, secret, err := s.Service.Identity.MakeToken(t.Context(), owner, access.Token{Name: "siri", Role: access.SiteAdmin,
		Sites: []string{"ard"}})
	if err != nil {
		t.Fatal(err)
	}
	s.token = secret
	for text, says := range map[string]string{
		"notices: [{name: all, tell: [\"mail:x@skerry.example\"]}]":                          "faults at all sites",
		"notices: [{name: bran, at: [\"location:ard\"], tell: [\"mail:x@skerry.example\"]}]": "it lies at bran",
	} {
		code, _, errs := s.runWith("estate: 1\n"+text+"\n", "estate", "apply", "--merge", "--publish", "-m", "x", "-")
		if code != 5 || !strings.Contains(errs, says) {
			t.Errorf("%s: %d %s", text, code, errs)
		}
	}
	if code, out, errs := s.runWith("estate: 1\nnotices: [{name: mine, at: [\"location:ard\"], tell: "+
		"[\"mail:x@skerry.example\"]}]\n", "estate", "apply", "--merge", "--publish", "-m", "x", "-"); code != 0 {
		t.Error(code, out, errs)
	}
	if code, _, errs := s.run("notice", "try", "bran"); code != 5 || !strings.Contains(errs, "bran") {
		t.Error(code, errs)
	}
	if code, out, _ := s.run("notice", "try", "mine"); code != 8 || !strings.Contains(out, "names no mail relay") {
		t.Error(code, out)
	}
}
