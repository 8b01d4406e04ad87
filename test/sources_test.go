package test

import (
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
	"cirque/internal/testkit"
)

// manage signs in at a directory server as whoever may do everything.
func manage(t *testing.T, s *testkit.Slapd) *ldap.Conn {
	t.Helper()
	l, err := ldap.DialURL(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = l.Close() })
	if err := l.Bind(s.Manager, s.Password); err != nil {
		t.Fatal(err)
	}
	return l
}

func lastRun(t *testing.T, s *aService, source string) directory.Run {
	t.Helper()
	var list []directory.Run
	within(t, "a pass over "+source, func() (there bool) { // one that was just resumed has none yet
		var err error
		list, err = apiclient.List[directory.Run](t.Context(), s.c, "/api/v1/directory/runs", url.Values{"source": {source}})
		if err != nil {
			t.Fatal(err)
		}
		return len(list) > 0
	})
	return list[0]
}

const namesThree = `estate: 1
locations: [{path: pier}]
devices: [{name: d, uri: "ipp://d.example/ipp/print", location: pier}]
queues: [{name: hall, location: pier, devices: [d], paths: [{device: d}]}]
grants:
  - {name: g, effect: place, queues: [hall], to: ["group:group-3", "user:person-1"]}
  - {name: h, effect: place, queues: [hall], to: ["group:group-4"], except: ["user:PERSON-1"]}
`

// TestSourceLife: a source is tried, looked at, taken in, kept up to date, and taken out, all from the command line.
func TestSourceLife(t *testing.T) {
	t.Parallel()
	dir := testkit.NewSlapd(t, testkit.LDIF(300, 12, 8))
	s := startService(t)
	s.publish(namesThree)
	word := filepath.Join(t.TempDir(), "word")
	if err := os.WriteFile(word, []byte(dir.Password+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	add := []string{"directory", "source", "add", "skerry", "--directory", dir.URL, "--base", dir.Base, "--bind", dir.Manager,
		"--password-file", word, "--every", "1h"}
	contains(t, "trying", s.must(append(add, "--dry-run")...), "answers", "person-0", "It was only tried")
	contains(t, "the list", s.must("directory", "source", "list"), "No directory is read")
	s.importDirectory("directory: 1\nusers: [{name: Person-5}]\n")
	contains(t, "adding", s.must(add...), "320 would be added", "1 user has a name that the source file has too, such "+
		"as person-5: who has the name in both is one person", "It has 300 users, 12 groups and 8 machines", "paused")
	contains(t, "the list", s.must("directory", "source", "list"), "skerry", "paused", "done")
	if out := s.must("directory", "find", "person-1"); !strings.Contains(out, "Nothing is called") {
		t.Error("a dry pass applied something:", out)
	}
	s.must("directory", "source", "resume", "skerry")
	within(t, "the first pass", func() bool {
		r := lastRun(t, s, "skerry")
		return r.Kind == directory.RunWhole && r.State == directory.Done
	})
	contains(t, "the search", s.must("directory", "find", "person-17", "--kind", "user"), "Person 17", "staff/")
	if v, _ := ask(t, s.c, `{"user":"person-31","machine":"x"}`); len(v.Entries) != 1 { // in group-3
		t.Errorf("lineup of a member: %+v", v.Entries)
	}

	l := manage(t, dir)
	check := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	check(l.ModifyDN(ldap.NewModifyDNRequest("cn=group-3,ou=groups,"+dir.Base, "cn=clerks", true, "")))
	check(l.ModifyDN(ldap.NewModifyDNRequest("uid=person-1,ou=team-0,ou=staff,"+dir.Base, "uid=mira", true, "")))
	check(l.ModifyDN(ldap.NewModifyDNRequest("uid=person-2,ou=team-0,ou=staff,"+dir.Base, "uid=nobody-cares", true, "")))
	check(l.Del(&ldap.DelRequest{DN: "uid=person-9,ou=team-0,ou=staff," + dir.Base}))
	out := s.must("directory", "source", "run", "skerry", "--changes")
	contains(t, "the changes", out, "pass for changes", "is done", "1 removed")
	contains(t, "the renames", s.must("directory", "renames"), "group-3", "clerks", "mira")
	if strings.Contains(s.must("directory", "renames"), "nobody-cares") {
		t.Error("a rename is told of what the estate does not name")
	}
	contains(t, "taking them", s.must("directory", "renames", "--take"), "2 objects of the draft main changed")
	contains(t, "the draft", s.must("draft"), "group:clerks", "user:mira")
	s.must("publish", "-m", "renamed in the directory")
	contains(t, "the renames, published", s.must("directory", "renames"), "Nothing that the estate names")
	if v, _ := ask(t, s.c, `{"user":"person-31","machine":"x"}`); len(v.Entries) != 1 {
		t.Errorf("lineup of a member of the renamed group: %+v", v.Entries)
	}
	contains(t, "no changes", s.must("directory", "source", "run", "skerry", "--changes"), "0 added, 0 changed, 0 removed")
	contains(t, "the runs", s.must("directory", "runs", "skerry"), "dry", "whole", "changes", "schedule", "test")

	// A file import of a source that is read would be undone by the next pass.
	file := filepath.Join(t.TempDir(), "d.yaml")
	check(os.WriteFile(file, []byte("directory: 1\nusers: [{name: ida}]\n"), 0o600))
	if code, _, errs := s.run("directory", "import", file, "--source", "skerry"); code != cmdline.ExitConflict ||
		!strings.Contains(errs, "read over LDAP") {
		t.Error(code, errs)
	}
	contains(t, "removal", s.must("directory", "source", "remove", "skerry", "--with-rows"), "are gone")
	if out := s.must("directory", "find", "person-17"); !strings.Contains(out, "Nothing is called") {
		t.Error("what came from it is still there:", out)
	}
	contains(t, "the events", s.events(), "The source skerry of the directory was removed with all",
		"The group group-3 is called clerks now")
}

// TestSourceRemovalLimit: emptying the base removes nobody, a cut and a refused account change nothing, each is told
// once, and what was meant can be accepted.
func TestSourceRemovalLimit(t *testing.T) {
	t.Parallel()
	dir := testkit.NewSlapd(t, testkit.LDIF(60, 3, 3))
	s := startService(t)
	if code, out, errs := s.runWith(dir.Password+"\n", "directory", "source", "add", "skerry", "--directory", dir.URL, "--base",
		dir.Base, "--bind", dir.Manager, "--every", "1h"); code != 0 {
		t.Fatal(out, errs)
	}
	contains(t, "the first pass", s.must("directory", "source", "run", "skerry"), "66 added")
	l := manage(t, dir)
	for i := range 60 {
		if err := l.Del(&ldap.DelRequest{DN: fmt.Sprintf("uid=person-%d,ou=team-0,ou=staff,%s", i, dir.Base)}); err != nil {
			t.Fatal(err)
		}
	}
	for _, kind := range []string{"--changes", "--changes", "--changes=false"} {
		code, _, errs := s.run("directory", "source", "run", "skerry", kind)
		if code != cmdline.ExitConflict || !strings.Contains(errs, "60 of 60 users would disappear") || !strings.Contains(errs,
			"--accept-removals") {
			t.Error(kind, code, errs)
		}
	}
	contains(t, "the dry pass", s.must("directory", "source", "run", "skerry", "--dry-run"),
		"the removal limit would hold it")
	contains(t, "the list", s.must("directory", "source", "list"), "60")
	contains(t, "nobody is gone", s.must("directory", "find", "person-59"), "Person 59")
	if n := strings.Count(s.events(), "was held"); n != 1 {
		t.Errorf("the removal limit is told %d times", n)
	}
	dir.Stop()
	code, _, errs := s.run("directory", "source", "run", "skerry")
	if code != cmdline.ExitUnavailable || !strings.Contains(errs, "does not accept") && !strings.Contains(errs, "refuse") {
		t.Error(code, errs)
	}
	dir.Start()
	contains(t, "accepted", s.must("directory", "source", "run", "skerry", "--accept-removals"), "60 removed")
	contains(t, "the events", s.events(), "cannot be read", "is read again")
}

// TestSourceRefused: what is wrong is said when it is entered, nothing is kept, and a kept password is sent nowhere
// else.
func TestSourceRefused(t *testing.T) {
	t.Parallel()
	dir := testkit.NewSlapd(t, testkit.LDIF(5, 1, 1))
	s := startService(t)
	word := dir.Password
	for _, c := range []struct {
		in   api.NewSource
		code string
	}{
		{api.NewSource{URL: "https://x.example", Base: dir.Base}, "source-invalid"},
		{api.NewSource{URL: dir.URL, Base: " "}, "source-invalid"},
		{api.NewSource{URL: dir.URL, Base: dir.Base, Every: 1}, "source-invalid"},
		{api.NewSource{URL: dir.URL, Base: "dc=nowhere"}, "base-not-found"},
		{api.NewSource{URL: dir.URL, Base: dir.Base, Bind: dir.Manager}, "password-missing"},
		{api.NewSource{URL: dir.URL, Base: dir.Base, Bind: "cn=nobody," + dir.Base, Password: &word}, "sign-in-refused"},
		{api.NewSource{URL: dir.URL, Base: dir.Base, Map: directory.Map{UserFilter: "(uid=*"}}, "filter-invalid"},
		{api.NewSource{URL: "ldap://127.0.0.1:1", Base: dir.Base}, "refused"},
	} {
		err := s.c.Do(t.Context(), "PUT", "/api/v1/directory/sources/x", nil, c.in, nil)
		if code := codeOf(err); code != c.code {
			t.Errorf("%+v: %s (%v), want %s", c.in, code, err, c.code)
		}
	}
	if list, err := apiclient.List[directory.SourceView](t.Context(), s.c, "/api/v1/directory/sources",
		nil); err != nil || len(list) != 0 {
		t.Error("something was kept:", list, err)
	}
	good := api.NewSource{URL: dir.URL, Base: dir.Base, Bind: dir.Manager, Password: &word}
	put := func(in api.NewSource) error {
		return s.c.Do(t.Context(), "PUT", "/api/v1/directory/sources/x", nil, in, nil)
	}
	if err := put(good); err != nil {
		t.Fatal(err)
	}
	good.Password, good.RemovalLimit = nil, 10
	if err := put(good); err != nil {
		t.Error("the kept password does not do:", err)
	}
	good.URL = strings.Replace(good.URL, "127.0.0.1", "localhost", 1)
	if err := put(good); codeOf(err) != "password-again" {
		t.Error("a kept password would go elsewhere:", err)
	}
	var raw json.RawMessage
	if err := s.c.Do(t.Context(), "GET", "/api/v1/directory/sources", nil, nil, &raw); err != nil ||
		strings.Contains(string(raw), word) || !strings.Contains(string(raw), `"has_password":true`) {
		t.Error(string(raw), err)
	}
	for args, code := range map[string]int{
		"directory source run nope": cmdline.ExitUnknown, "directory source resume nope": cmdline.ExitUnknown,
		"directory source remove nope": cmdline.ExitUnknown, "directory source stop x": cmdline.ExitUnknown,
		"directory source run x --dry-run --accept-removals": cmdline.ExitUsage, "directory source add y": cmdline.ExitUsage,
		"directory renames --take": cmdline.ExitUnknown, "directory renames --drop": cmdline.ExitUsage,
		"directory source add x --directory " + dir.URL + " --base b --map users=x": cmdline.ExitUsage,
	} {
		if got, _, errs := s.run(strings.Fields(args)...); got != code {
			t.Errorf("%s: %d, want %d: %s", args, got, code, errs)
		}
	}
}

// TestImportRemovalLimit: files that hold far less than before are held as well.
func TestImportRemovalLimit(t *testing.T) {
	t.Parallel()
	s := startService(t)
	file := func(n int) string {
		var b strings.Builder
		b.WriteString("directory: 1\nusers:\n")
		for i := range n {
			fmt.Fprintf(&b, "  - {name: person-%d}\n", i)
		}
		p := filepath.Join(t.TempDir(), "d.yaml")
		if err := os.WriteFile(p, []byte(b.String()), 0o600); err != nil {
			t.Fatal(err)
		}
		return p
	}
	contains(t, "a dry import", s.must("directory", "import", file(40), "--dry-run"), "would hold 40 users",
		"Nothing was applied")
	s.must("directory", "import", file(40))
	contains(t, "a dry import of less", s.must("directory", "import", file(10), "--dry-run"),
		"30 of 40 users would disappear")
	if code, _, errs := s.run("directory", "import", file(10)); code != cmdline.ExitConflict || !strings.Contains(errs,
		"30 of 40 users would disappear of file, and nothing was applied") {
		t.Error(code, errs)
	}
	contains(t, "a little less", s.must("directory", "import", file(36)), "4 removed")
	contains(t, "accepted", s.must("directory", "import", file(10), "--accept-removals"), "26 removed")
}

func codeOf(err error) string {
	if err == nil {
		return ""
	}
	return fault.As(err).Code
}
