package test

import (
	"encoding/base64"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/cmdline"
)

// A listener is a hostile party's: it asks everybody for a sign-in, and keeps what it is sent.
type listener struct {
	*httptest.Server
	mu   sync.Mutex
	sent []string
}

func listen(t *testing.T) *listener {
	t.Helper()
	l := &listener{}
	l.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		l.mu.Lock()
		defer l.mu.Unlock()
		l.sent = append(l.sent, r.Method+" "+r.URL.Path+" "+r.Header.Get("Authorization"))
		w.Header().Set("WWW-Authenticate", `Basic realm="x"`)
		http.Error(w, "internal banner 4711", http.StatusUnauthorized)
	}))
	t.Cleanup(l.Close)
	return l
}

func (l *listener) got() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Join(l.sent, "\n")
}

// TestKeysStayWhereTheyWereMeant: whoever may publish objects of a site cannot have a stored key sent to an address of
// theirs: not by a new object, not by moving one that a key is for, not by a notice.
func TestKeysStayWhereTheyWereMeant(t *testing.T) {
	t.Parallel()
	s := startService(t)
	l := listen(t)
	evil := strings.Replace(l.URL, "http:", "ipp:", 1)
	s.publish(`estate: 1
locations: [{path: ardholm}, {path: brannoy}]
servers:
  - {name: ps-bra, uri: "ipp://ps-bra.skerry.example/", location: brannoy}
  - {name: ps-ard, uri: "ipp://ps-ard.skerry.example/", location: ardholm}
settings: {mail: {server: "smtp://mail.skerry.example", from: cirque@skerry.example}}`)
	for _, c := range []struct {
		name, dest string
		code       int
	}{
		{"bra", "server:ps-bra", cmdline.ExitOK}, {"post", "mail", cmdline.ExitOK}, {"wide", "127.0.0.0/8", cmdline.ExitInvalid},
		{"any", "*.skerry.example", cmdline.ExitInvalid},
	} {
		if code, _, errs := s.runWith("a word for "+c.name+"\n", "credential", "add", c.name, "--user", "spool",
			"--allow-clear", "--for", c.dest); code != c.code {
			t.Errorf("a key for %s: %d %s", c.dest, code, errs)
		}
	}
	_, site, err := s.Service.Identity.MakeToken(t.Context(), owner, access.Token{Name: "pier", Role: access.SiteAdmin,
		Sites: []string{"brannoy"}})
	if err != nil {
		t.Fatal(err)
	}
	root := s.token
	s.token = site
	if code, _, errs := s.runWith("x\n", "credential", "add", "mine", "--user", "x"); code != cmdline.ExitDenied {
		t.Error("a site administrator keeps keys:", code, errs)
	}
	estate := fmt.Sprintf(`estate: 1
locations: [{path: ardholm}, {path: brannoy}]
servers:
  - {name: ps-bra, uri: "%s/moved", location: brannoy}
  - {name: ps-ard, uri: "ipp://ps-ard.skerry.example/", location: ardholm}
  - {name: evil, uri: "%s/x", location: brannoy}
devices: [{name: hall, uri: "%s/d", location: brannoy}]
notices: [{name: leak, about: [servers], at: ["location:brannoy"], tell: ["post:%s/latest/meta-data"]}]
settings: {mail: {server: "smtp://mail.skerry.example", from: cirque@skerry.example}}`, evil, evil, evil, l.URL)
	if _, err := apiclient.Post[api.Published](t.Context(), s.client(site), "/api/v1/revisions", api.Publish{Reason: "x",
		Files: []document.File{{Name: "e.yaml", Text: estate}}}); err != nil {
		t.Fatal(err)
	}
	_, out, _ := s.run("notice", "try", "leak")
	out = strings.ReplaceAll(out, strings.TrimPrefix(l.URL, "http://"), "HOST") // A port may hold the digits looked for.
	if strings.Contains(out, "4711") || strings.Contains(out, "401") || !strings.Contains(out, "refuses it") {
		t.Errorf("what an unknown host answers is told: %s", out)
	}
	s.token = root
	for _, args := range [][]string{{"server", "read", "ps-bra"}, {"server", "read", "evil"}, {"device", "read", "hall"}} {
		s.run(args...)
	}
	if got := l.got(); strings.Count(got, "/ipp/system") < 2 || !strings.Contains(got, "/d") ||
		!strings.Contains(got, "meta-data") {
		t.Fatalf("the listener was not asked, so this proves nothing: %s", got)
	}
	if got := l.got(); strings.Contains(got, "Basic") {
		t.Errorf("a key went there: %s", got)
	}
	contains(t, "the list", s.must("credential", "list"), "elsewhere now: server:ps-bra")
	// Entered again for the address as it is, it goes there, if its keeper lets it go in the clear.
	for _, clear := range []bool{false, true} {
		args := []string{"credential", "add", "bra", "--user", "spool", "--for", "server:ps-bra"}
		if clear {
			args = append(args, "--allow-clear")
		}
		s.runWith("a word\n", args...)
		word := base64.StdEncoding.EncodeToString([]byte("spool:a word"))
		if went := strings.Contains(l.got(), word); went != clear {
			t.Errorf("in the clear %v: %v", clear, went)
		}
	}
}

// TestOutgoingRefused: without the operator's word, nothing that anybody writes is connected to on this machine.
func TestOutgoingRefused(t *testing.T) {
	t.Parallel()
	s := startService(t, func(o *app.Options) { o.AllowOutgoing = nil })
	l := listen(t)
	s.publish(fmt.Sprintf(`estate: 1
locations: [{path: ardholm}]
servers: [{name: own, uri: "%s/x", location: ardholm}]
devices: [{name: raw, uri: "%s", location: ardholm}]
notices: [{name: leak, about: [servers], tell: ["post:%s/hook"]}]`, strings.Replace(l.URL, "http:", "ipp:", 1),
		strings.Replace(l.URL, "http:", "socket:", 1), l.URL))
	for _, args := range [][]string{{"server", "read", "own"}, {"device", "read", "raw"}, {"notice", "try", "leak"},
		{"server", "add", strings.TrimPrefix(l.URL, "http://")}, {"directory", "source", "add", "x", "--url",
			strings.Replace(l.URL, "http:", "ldap:", 1), "--base", "dc=x"}, {"driver", "place", "add", "x", "--folder",
			l.URL},
		{"driver", "place", "add", "x", "--folder", strings.Replace(l.URL, "http:", "ipp:", 1)}} {
		code, out, errs := s.run(args...)
		if text := out + errs; code == cmdline.ExitOK && args[1] != "read" || !strings.Contains(text+s.events(),
			"is this machine itself") {
			t.Errorf("%v: %d %s", args, code, text)
		}
	}
	if got := l.got(); got != "" {
		t.Errorf("something arrived: %s", got)
	}
}
