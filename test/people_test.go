package test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/testkit"
)

const peopleEstate = `estate: 1
locations: [{path: ardholm}, {path: brannoy}]
queues: [{name: hall, location: ardholm, paths: [{gateway: true}]}, {name: desk, location: ardholm, paths: [{gateway: true}]}, {name: pier, location: brannoy, paths: [{gateway: true}]}]
grants:
  - {name: clerks, effect: place, queues: [hall], to: ["group:clerks"]}
  - {name: miras, effect: offer, queues: [desk], to: ["user:mira.solvang"]}
`

// names gives the queues of a lineup, in order.
func (s *aService) lineupOf(context string) string {
	s.t.Helper()
	l, _ := ask(s.t, s.c, context)
	var out []string
	for _, e := range l.Entries {
		out = append(out, e.Queue+" "+string(e.Effect))
	}
	return strings.Join(out, ", ")
}

// TestOnePersonSeveralNames: whoever is known under several names has what any of them has, whichever is given; it is
// shown why, and can be undone.
func TestOnePersonSeveralNames(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(peopleEstate)
	dir := func(source, text string) {
		t.Helper()
		if code, out, errs := s.runWith(text, "directory", "import", "-", "--source", source); code != 0 {
			t.Fatal(out, errs)
		}
	}
	dir("skerry", "directory: 1\nusers: [{name: mira.solvang, email: mira@skerry.example, external_id: s1}]\n")
	dir("yard", "directory: 1\nusers: [{name: msolvang, email: Mira@skerry.example, external_id: y1}]\ngroups: [{name: "+
		"clerks, members: [\"user:msolvang\"]}]\n")
	have := func(want map[string]string) {
		t.Helper()
		for who, queues := range want {
			if got := s.lineupOf(`{"user":"` + who + `"}`); got != queues {
				t.Errorf("%s has %q, want %q", who, got, queues)
			}
		}
	}
	have(map[string]string{"mira.solvang": "desk offered", "msolvang": "hall placed"})
	contains(t, "looking first", s.must("directory", "link-by", "address", "--dry-run"), "1 person has several")
	have(map[string]string{"mira.solvang": "desk offered", "msolvang": "hall placed"})
	contains(t, "the rule", s.must("directory", "link-by", "address"), "with one address are one person",
		"1 person has several")
	both := "hall placed, desk offered"
	have(map[string]string{"mira.solvang": both, "MSOLVANG": both})
	contains(t, "the person", s.must("person", "msolvang"), "has the address", "skerry", "yard",
		"stands for the person", "clerks")
	s.must("pick", "desk", "--user", "msolvang")
	have(map[string]string{"mira.solvang": "hall placed, desk picked", "msolvang": "hall placed, desk picked"})
	s.must("unpick", "desk", "--user", "mira.solvang")
	have(map[string]string{"msolvang": both})
	contains(t, "the primary", s.must("directory", "primary", "yard"), "goes by the one that yard has")
	contains(t, "the person", s.must("person", "mira.solvang"), "msolvang: ", "stands for the person")
	if code, _, errs := s.run("directory", "primary", "nowhere"); code != 4 {
		t.Errorf("%d %s", code, errs)
	}
	s.must("directory", "primary", "--none")
	s.must("directory", "link", "mira.solvang", `SKERRY\msol`, "-m", "tills")
	have(map[string]string{`SKERRY\\msol`: both})
	s.must("directory", "unlink", "skerry/mira.solvang", "yard/msolvang")
	have(map[string]string{"mira.solvang": "desk offered", "msolvang": "hall placed", `SKERRY\\msol`: "desk offered"})
	contains(t, "the links", s.must("directory", "links"), "two people", "tills")
	s.must("directory", "remove-link", "2")
	s.must("directory", "remove-link", "1")
	have(map[string]string{"mira.solvang": both, `SKERRY\\msol`: ""})
	if code, _, errs := s.run("directory", "remove-link", "1"); code != 4 {
		t.Errorf("%d %s", code, errs)
	}
	s.must("directory", "link-by", "address", "--off")
	have(map[string]string{"mira.solvang": "desk offered", "msolvang": "hall placed"})
	if code, _, errs := s.run("directory", "link", "mira.solvan", "x"); code != 4 || !strings.Contains(errs,
		"did you mean mira.solvang?") {
		t.Errorf("%d %s", code, errs)
	}
	contains(t, "the audit", s.must("audit", "--kind", "person"), "are one person", "are two people", "was undone")
}

// TestRequests: a person asks, whoever looks after the site answers, and what is granted lies in a draft.
func TestRequests(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(peopleEstate)
	s.importDirectory("directory: 1\nusers: [{name: runa.falk}]")
	root := s.token
	if _, err := s.Service.Identity.AddAccount(t.Context(), owner, "runa.falk", "correct horse battery",
		access.Holding{Role: access.Person}); err != nil {
		t.Fatal(err)
	}
	_, person, err := s.Service.Identity.MakeOwnToken(t.Context(), &access.Principal{Name: "runa.falk",
		Role:    access.Person,
		Account: "runa.falk"}, "runa's", nil)
	if err != nil {
		t.Fatal(err)
	}
	_, pier, err := s.Service.Identity.MakeToken(t.Context(), owner, access.Token{Name: "pier", Role: access.SiteAdmin,
		Sites: []string{"brannoy"}})
	if err != nil {
		t.Fatal(err)
	}
	as := func(token string, code int, args ...string) string {
		t.Helper()
		s.token = token
		defer func() { s.token = root }()
		got, out, errs := s.run(args...)
		if got != code {
			t.Errorf("cirque %s: %d, want %d\n%s%s", strings.Join(args, " "), got, code, out, errs)
		}
		return out + errs
	}
	as(person, 0, "request", "make", "hall", "-m", "tickets")
	as(person, 0, "request", "make", "pier", "-m", "boats")
	contains(t, "twice", as(person, 6, "request", "make", "hall", "-m", "again"), "has asked for hall already")
	as(person, 4, "request", "make", "nowhere", "-m", "x")
	contains(t, "one's own", as(person, 0, "request", "list"), "hall", "pier", "open")
	as(person, 5, "request", "grant", "1")
	contains(t, "another's site", as(pier, 5, "request", "grant", "1"), "ardholm")
	contains(t, "granted", as(pier, 0, "request", "grant", "2"), "in your draft")
	contains(t, "until it is published", as(person, 0, "request", "list"), "open: granted in the draft of pier")
	as(pier, 0, "publish", "-m", "asked for")
	within(t, "it is granted then", func() bool {
		return strings.Contains(as(person, 0, "request", "list"), "granted by pier")
	})
	if got := s.lineupOf(`{"user":"runa.falk","location":"brannoy"}`); got != "pier offered" {
		t.Errorf("after it was published: %q", got)
	}
	if got := s.lineupOf(`{"user":"runa.falk","location":"ardholm"}`); got != "" {
		t.Errorf("what a site's administrator grants holds at another: %q", got)
	}
	as(root, 3, "request", "decline", "1")
	as(root, 0, "request", "decline", "1", "-m", "use the desk's")
	contains(t, "the answer", as(person, 0, "request", "list"), "declined by test: use the desk's", "granted by pier")
	as(root, 6, "request", "grant", "1")
	made := as(person, 0, "request", "make", "desk", "-m", "x")
	_, id, _ := strings.Cut(made, "(")
	id, _, _ = strings.Cut(id, ")")
	as(root, 4, "request", "withdraw", id)
	as(person, 0, "request", "withdraw", id)
}

// TestErasingAPerson: what is kept comes out whole, goes when it is erased, and the audit goes on without the name.
func TestErasingAPerson(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(strings.Replace(peopleEstate, `["user:mira.solvang"]`, `["user:mira.solvang", "user:olav"]`, 1))
	s.importDirectory("directory: 1\nusers: [{name: mira.solvang, email: mira@skerry.example}, {name: olav}]")
	s.importDirectory("directory: 1\nusers: [{name: mira.solvang, email: ms@skerry.example}, {name: olav}]")
	s.must("pick", "desk", "--user", "mira.solvang")
	s.must("unpick", "desk", "--user", "mira.solvang")
	s.must("directory", "link", "mira.solvang", "msol")
	out := s.must("personal-data", "export", "Mira.Solvang")
	var data struct {
		Names     []string
		Directory []struct{ To *time.Time }
		Picks     []any
		Links     []any
		Events    []struct{ Says string }
		Revisions []int
	}
	if err := json.Unmarshal([]byte(out), &data); err != nil || len(data.Names) != 2 || len(data.Directory) != 2 ||
		len(data.Picks) != 1 || len(data.Links) != 1 || len(data.Revisions) != 1 {
		t.Errorf("%v\n%s", err, out)
	}
	for reason, code := range map[string]int{"": 3, "mira.solvang asked": 3} {
		if got, _, errs := s.run("personal-data", "erase", "mira.solvang", "-m", reason); got != code {
			t.Errorf("%q: %d %s", reason, got, errs)
		}
	}
	contains(t, "erasing", s.must("personal-data", "erase", "mira.solvang", "-m", "they left, and asked"),
		"erased-person-", "The directory file has mira.solvang still", "1 revision of the estate name them")
	db := testkit.Connect(t, s.database)
	var left int
	if err := db.QueryRow(t.Context(), `SELECT (SELECT count(*) FROM pick) + (SELECT count(*) FROM directory_join) + (SELECT count(*) FROM directory_row WHERE valid_to IS NOT NULL AND name = 'mira.solvang')
		+ (SELECT count(*) FROM event WHERE event::text ILIKE '%solvang%' OR event::text ILIKE '%msol%')`).Scan(
		&left); err != nil || left != 0 {
		t.Errorf("%d rows name them still (%v)", left, err)
	}
	contains(t, "the audit", s.must("audit"), "desk was picked for erased-person-", "What was kept of a person was "+
		"erased: they left, and asked")
	if got := s.lineupOf(`{"user":"mira.solvang"}`); got != "desk offered" {
		t.Errorf("what holds now has gone: %q", got)
	}
	if code, _, errs := s.run("personal-data", "erase", "nobody.atall", "-m", "x"); code != 4 {
		t.Errorf("%d %s", code, errs)
	}

	// History that is older than the setting permits goes by itself.
	s.must("pick", "desk", "--user", "olav")
	s.must("unpick", "desk", "--user", "olav")
	if _, err := db.Exec(t.Context(), "UPDATE pick SET valid_from = now() - interval '40 days', valid_to = now() - "+
		"interval '39 days'"); err != nil {
		t.Fatal(err)
	}
	s.publish(strings.Replace(peopleEstate, "queues:", "settings: {history: {people: 30d}}\nqueues:", 1))
	within(t, "old history to go", func() bool {
		err := db.QueryRow(t.Context(), "SELECT count(*) FROM pick").Scan(&left)
		return err == nil && left == 0
	})
	contains(t, "the audit", s.must("audit"), "entries of people's history from before")
}

// TestRequestGranted: a request that was granted in a draft that is thrown away is open still; whom access forbids is
// told of when it is granted; what is given already is granted at once.
func TestRequestGranted(t *testing.T) {
	t.Parallel()
	s := startService(t)
	estate := `estate: 1
queues: [{name: hall, paths: [{gateway: true}], access: {allow: ["user:jonas"]}}, {name: desk, paths: [{gateway: true}]}]
grants: [{name: g, effect: place, queues: [desk], to: [everyone]}]
`
	s.publish(estate)
	s.importDirectory(twoPeople)
	s.addAccount("mira", access.Person)
	c := s.console("mira")
	for _, q := range []string{"hall", "desk"} {
		if _, err := sends[access.Request](c, "POST", "/api/v1/requests", map[string]string{"queue": q, "reason": "post"}); err != nil {
			t.Fatal(err)
		}
	}
	contains(t, "what is given already", s.must("request", "grant", "2"), "is given desk already")
	contains(t, "whom access forbids", s.must("request", "grant", "1", "-m", "of course"), "The request stays open",
		"Yet it will not reach them: the access of hall does not permit mira")
	s.must("draft", "discard")
	contains(t, "after the draft is gone", s.must("request", "list"), "open: granted in the draft of test")
	s.must("request", "decline", "1", "-m", "ask jonas")
	contains(t, "declined all the same", s.must("request", "list"), "declined by test: ask jonas")
}
