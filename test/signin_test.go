package test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// signIn signs in at the console, and gives the jar, the status and the problem.
func (s *aService) signIn(name, password string) (*jar, int, api.Problem) {
	s.t.Helper()
	j := &jar{t: s.t, url: s.URL}
	body, err := json.Marshal(api.SignIn{Name: name, Password: password})
	if err != nil {
		s.t.Fatal(err)
	}
	status, p := j.do("POST", "/api/v1/session", string(body))
	return j, status, p
}

// TestDirectorySignIn: people of a directory sign in with their password there, with the roles that rules give them
// now; filters in names, empty passwords and a directory that is away let nobody in.
func TestDirectorySignIn(t *testing.T) {
	t.Parallel()
	dir := testkit.NewSlapd(t, testkit.LDIF(30, 4, 1))
	l := manage(t, dir)
	password := func(uid, word string) {
		t.Helper()
		m := ldap.NewModifyRequest("uid="+uid+",ou=team-0,ou=staff,"+dir.Base, nil)
		m.Replace("userPassword", []string{word})
		if err := l.Modify(m); err != nil {
			t.Fatal(err)
		}
	}
	password("person-1", "harbour light")
	password("person-2", "other light")
	ahead := new(atomic.Int64)
	s := startService(t, func(o *app.Options) {
		o.Now = func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) }
	})
	word := filepath.Join(t.TempDir(), "word")
	if err := os.WriteFile(word, []byte(dir.Password+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	add := []string{"directory", "source", "add", "skerry", "--directory", dir.URL, "--base", dir.Base, "--bind", dir.Manager,
		"--password-file", word, "--every", "1h", "--sign-in"}
	root := s.token
	s.token = s.tokenFor("an administrator", access.Administrator, "")
	if code, _, errs := s.run(add...); code != 5 || !strings.Contains(errs, "manage accounts") {
		t.Errorf("whoever keeps sources lets people in: %d %s", code, errs)
	}
	s.token = root
	s.must(add...)
	s.must("directory", "source", "resume", "skerry")
	within(t, "the first pass", func() bool {
		r := lastRun(t, s, "skerry")
		return r.State == "done" && r.Kind == "whole"
	})

	j, status, p := s.signIn("person-1", "harbour light")
	if status != 200 {
		t.Fatal(status, p)
	}
	if status, p := j.do("POST", "/api/v1/lineups", `{"user":"PERSON-1"}`); status != 200 {
		t.Errorf("their own lineup: %d %+v", status, p)
	}
	if status, p := j.do("POST", "/api/v1/lineups", `{"user":"person-2"}`); status != 403 || p.Code != "not-your-lineup" {
		t.Errorf("another's lineup: %d %+v", status, p)
	}
	if status, _ := j.do("GET", "/api/v1/estate", ""); status != 403 {
		t.Errorf("a person reads the estate: %d", status)
	}
	s.must("account", "allow", "group:group-3", "--role", "help-desk")
	if status, p := j.do("GET", "/api/v1/estate", ""); status != 200 {
		t.Errorf("a member of the help desk: %d %+v", status, p)
	}
	contains(t, "the accounts", s.must("account", "list"), "skerry/person-1", "help-desk", "in skerry")
	if _, status, _ := s.signIn("skerry/PERSON-2", "other light"); status != 200 {
		t.Errorf("with the source's name: %d", status)
	}
	// A group of that name in a source that others keep gives nothing.
	s.must("account", "allow", "group:file/owners", "--role", "owner")
	s.importDirectory("directory: 1\ngroups: [{name: owners, members: [\"user:person-1\"]}]")
	if status, _ := j.do("GET", "/api/v1/audit", ""); status != 403 {
		t.Errorf("a group of another source gives a role: %d", status)
	}

	for _, hostile := range []string{"person-1)(uid=*", "*", "person-*", "person-1)(|(uid=*", `person-1\2a`,
		"person-1\x00", "", "skerry/", "cn=manager,dc=skerry,dc=example",
		"uid=person-1,ou=team-0,ou=staff,dc=skerry,dc=example"} {
		if _, status, p := s.signIn(hostile, "harbour light"); status == 200 || status >= 500 {
			t.Errorf("%q signs in: %d %+v", hostile, status, p)
		}
		ahead.Add(int64(6 * time.Minute))         // failures are slowed down no longer
		_, _ = j.do("GET", "/api/v1/session", "") // whoever is signed in goes on
	}
	for _, bad := range []string{"", "harbour ligh", "*"} {
		if _, status, p := s.signIn("person-1", bad); status != 401 && (bad != "" || status != 422) {
			t.Errorf("the password %q: %d %+v", bad, status, p)
		}
		ahead.Add(int64(6 * time.Minute))
	}
	cookie := http.Cookie{Name: "cirque_session", Value: strings.Repeat("A", 26)}
	forged := &jar{t: t, url: s.URL, cookie: &cookie}
	if status, p := forged.do("GET", "/api/v1/estate", ""); status != 401 || p.Code != "sign-in-needed" {
		t.Errorf("a forged session: %d %+v", status, p)
	}

	// Whoever leaves the group loses the role; whoever leaves the directory is out.
	m := ldap.NewModifyRequest("cn=group-3,ou=groups,"+dir.Base, nil)
	m.Delete("member", []string{"uid=person-1,ou=team-0,ou=staff," + dir.Base})
	if err := l.Modify(m); err != nil {
		t.Fatal(err)
	}
	pass := func() {
		t.Helper()
		before := lastRun(t, s, "skerry").ID
		within(t, "a pass to begin", func() bool { // one that is due may be under way
			code, _, _ := s.run("directory", "source", "run", "skerry")
			return code == 0
		})
		within(t, "the pass", func() bool { r := lastRun(t, s, "skerry"); return r.State == "done" && r.ID > before })
	}
	pass()
	if status, _ := j.do("GET", "/api/v1/estate", ""); status != 403 {
		t.Errorf("after leaving the group: %d", status)
	}
	// Neither a link nor another source that has the name gives a role.
	s.must("directory", "link", "skerry/person-1", "skerry/person-2")
	if status, _ := j.do("GET", "/api/v1/estate", ""); status != 403 {
		t.Errorf("linked with a member of the help desk: %d", status)
	}
	s.must("account", "allow", "unit:masters", "--role", "owner")
	s.importDirectory("directory: 1\nusers: [{name: person-1, unit: masters}]\ngroups: [{name: owners, members: " +
		"[\"user:person-1\"]}]")
	if status, _ := j.do("GET", "/api/v1/estate", ""); status != 403 {
		t.Errorf("a unit of another source gives a role: %d", status)
	}
	dir.Stop()
	if _, status, p := s.signIn("person-1", "harbour light"); status != 503 || p.Code == "" {
		t.Errorf("while the directory is away: %d %+v", status, p)
	}
	if status, _ := j.do("POST", "/api/v1/lineups", `{"user":"person-1"}`); status != 200 {
		t.Errorf("who is signed in stays so: %d", status)
	}
	dir.Start()
	l = manage(t, dir)
	if err := l.Del(ldap.NewDelRequest("uid=person-1,ou=team-0,ou=staff,"+dir.Base, nil)); err != nil {
		t.Fatal(err)
	}
	pass()
	if status, _ := j.do("POST", "/api/v1/lineups", `{"user":"person-1"}`); status != 401 {
		t.Errorf("after leaving the directory: %d", status)
	}
}

// TestRolesAtSites: whoever looks after a site changes what lies there and nothing else, over every way in.
func TestRolesAtSites(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(`estate: 1
locations: [{path: ardholm}, {path: brannoy}]
servers: [{name: ps-a, uri: "ipp://ps-a.example/", location: ardholm}, {name: ps-b, uri: "ipp://ps-b.example/",
	location: brannoy}]
queues: [{name: here, location: brannoy, paths: [{gateway: true}]}, {name: there, location: ardholm,
	paths: [{gateway: true}]}]
grants: [{name: g, effect: place, queues: [here], at: ["location:brannoy"]}, {name: o, effect: offer, queues: [here],
	at: ["location:brannoy"]}]
`)
	s.importDirectory(twoPeople)
	made, secret, err := s.Service.Identity.MakeToken(t.Context(), owner, access.Token{Name: "olav",
		Role:  access.SiteAdmin,
		Sites: []string{"brannoy"}})
	if err != nil || made.Sites[0] != "brannoy" {
		t.Fatal(made, err)
	}
	s.must("snapshot", "take", "before")
	s.must("failover-test", "start", "ps-a", "--reason", "spring", "--for", "5m")
	s.token = secret
	edit := func(list, name, object string) (int, string) {
		code, out, errs := s.runWith(fmt.Sprintf("estate: 1\n%s: [%s]\n", list, object), "estate", "apply", "-", "--merge")
		return code, out + errs
	}
	if code, out := edit("queues", "here", "{name: here, title: Counter, location: brannoy, paths: "+
		"[{gateway: true}]}"); code != 0 {
		t.Errorf("its own queue: %d %s", code, out)
	}
	if code, out := edit("queues", "there", "{name: there, title: Hall, location: ardholm, paths: "+
		"[{gateway: true}]}"); code != 5 || !strings.Contains(out, "queue there") || !strings.Contains(out, "ardholm") {
		t.Errorf("another's queue: %d %s", code, out)
	}
	if code, out, errs := s.run("publish", "-m", "counter"); code != 0 {
		t.Errorf("publishing: %d %s%s", code, out, errs)
	}
	for _, c := range []struct {
		args []string
		code int
	}{
		{[]string{"drain", "ps-b", "--reason", "x"}, 0}, {[]string{"drain", "ps-a", "--reason", "x"}, 5},
		{[]string{"snapshot", "remove", "before"}, 5}, {[]string{"snapshot", "take", "mine"}, 0},
		{[]string{"snapshot", "remove", "mine"}, 0}, {[]string{"failover-test", "stop", "1"}, 5},
		{[]string{"pick", "here", "--user", "mira"}, 0}, {[]string{"pick", "there", "--user", "mira"}, 5},
		{[]string{"revert", "1", "-m", "back"}, 0}, {[]string{"token", "create", "--name", "x", "--role", "administrator"},
			5}, {[]string{"account", "list"}, 5}, {[]string{"audit"}, 5}, {[]string{"estate", "export"}, 0},
	} {
		if code, out, errs := s.run(c.args...); code != c.code {
			t.Errorf("cirque %s: %d, want %d\n%s%s", strings.Join(c.args, " "), code, c.code, out, errs)
		}
	}
	if out := s.must("failover-test", "list", "-o", "json"); strings.Contains(out, "olav") {
		t.Errorf("another site's failover test was stopped: %s", out)
	}
}

// TestAudit: every change and sign-in is there with who, from where and what, cannot be altered, and comes out as
// lines.
func TestAudit(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish("estate: 1\nlocations: [{path: a}]\nservers: [{name: ps, uri: \"ipp://ps.example/\", location: a}]")
	s.must("drain", "ps", "--reason", "new drivers")
	s.must("token", "create", "--name", "visitor", "--role", "auditor")
	if _, err := s.Service.Identity.AddAccount(t.Context(), owner, "olav", "correct horse battery",
		access.Holding{Role: access.Auditor}); err != nil {
		t.Fatal(err)
	}
	if _, status, _ := s.signIn("olav", "correct horse battery"); status != 200 {
		t.Fatal(status)
	}
	if _, status, _ := s.signIn("olav", "wrong"); status != 401 {
		t.Fatal(status)
	}
	out := s.must("audit", "--lines")
	var all []event.Event
	for line := range strings.Lines(out) {
		var e event.Event
		if err := json.Unmarshal([]byte(line), &e); err != nil {
			t.Fatal(err, line)
		}
		all = append(all, e)
	}
	one := func(kind string) event.Event {
		t.Helper()
		i := slices.IndexFunc(all, func(e event.Event) bool { return e.Kind == kind })
		if i < 0 {
			t.Fatalf("no %s in\n%s", kind, out)
		}
		return all[i]
	}
	if e := one(event.Drained); e.Author != "test" || e.Remote != "127.0.0.1" || !strings.Contains(string(e.Before),
		"serving") || !strings.Contains(string(e.After), "new drivers") {
		t.Errorf("%+v %s %s", e, e.Before, e.After)
	}
	if e := one(event.TokenMade); e.Subject != "visitor" || strings.Contains(out, "cirque_") {
		t.Errorf("%+v", e)
	}
	if e := one(event.SignedIn); e.Author != "olav" || e.Remote != "127.0.0.1" {
		t.Errorf("%+v", e)
	}
	if e := one(event.SignInBad); e.Subject != "olav" {
		t.Errorf("%+v", e)
	}
	if got := s.must("audit", "--about", "PS"); strings.Count(got, "\n") != 2 {
		t.Errorf("about one thing:\n%s", got)
	}
	if got := s.must("audit", "--until", "2020-01-01"); !strings.Contains(got, "Nothing was changed") {
		t.Error(got)
	}
	db := testkit.Connect(t, s.database)
	if _, err := db.Exec(t.Context(), "UPDATE event SET author = 'nobody'"); err == nil || !strings.Contains(err.Error(),
		"append-only") {
		t.Errorf("the audit can be altered: %v", err)
	}
	if _, err := db.Exec(t.Context(), "DELETE FROM event"); err == nil {
		t.Error("the audit can be emptied")
	}
	list, err := apiclient.Page[event.Event](t.Context(), s.client(s.must2("token", "create", "--name", "reads", "--role",
		"auditor")), "/api/v1/audit", nil)
	if err != nil || len(list.Items) == 0 {
		t.Errorf("an auditor: %v", err)
	}
}

// must2 gives what a command prints as one word.
func (s *aService) must2(args ...string) string { return strings.TrimSpace(s.must(args...)) }
