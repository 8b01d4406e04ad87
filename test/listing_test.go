package test

import (
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/advert"
	"cirque/core/fault"
	"cirque/internal/apiclient"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

const listedEstate = `estate: 1
locations: [{path: ardholm, title: Ardholm harbour}, {path: ardholm/quay, title: Quay House}]
devices: [{name: d, uri: "ipp://10.5.0.1:631/ipp/print", location: ardholm/quay}]
queues:
  - {name: hall, title: "Booking hall", location: ardholm/quay, devices: [d], paths: [{device: d}], listed: true}
  - {name: wide, title: "Wide", location: ardholm, paths: [{gateway: true}], listed: true}
  - {name: theirs, location: ardholm, paths: [{gateway: true}], listed: true}
  - {name: quiet, location: ardholm, paths: [{gateway: true}]}
`

// TestListing: queues that are listed are found in the directory by its own tools, follow the estate, and nothing else
// there is touched.
func TestListing(t *testing.T) {
	t.Parallel()
	dir := testkit.NewSlapd(t, testkit.LDIF(20, 2, 2))
	_, lead := withStandIns(t, sim.Spec{For: "10.5.0.1:631", Name: "d", Model: "Skerrymark Mono 40",
		Can: []string{"two-sided", "colour"}},
		sim.Spec{For: "ps-1.example:631", Name: "ps-1", Server: true, Queues: []sim.Queue{{Name: "Hall Mono"}}})
	s := startService(t, lead)
	l := manage(t, dir)
	entry := func(dn string, attrs map[string][]string) {
		t.Helper()
		a := ldap.NewAddRequest(dn, nil)
		for k, v := range attrs {
			a.Attribute(k, v)
		}
		if err := l.Add(a); err != nil {
			t.Fatal(dn, err)
		}
	}
	under := "ou=printers," + dir.Base
	word := filepath.Join(t.TempDir(), "word")
	if err := os.WriteFile(word, []byte(dir.Password+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	add := []string{"directory", "source", "add", "skerry", "--directory", dir.URL, "--base", dir.Base, "--bind", dir.Manager,
		"--password-file", word, "--every", "1h"}
	if code, _, errs := s.run(append(add, "--list-under", under)...); code == 0 || !strings.Contains(errs,
		"has nothing at "+under) {
		t.Errorf("%d %s", code, errs)
	}
	entry(under, map[string][]string{"objectClass": {"organizationalUnit"}, "ou": {"printers"}})
	entry("printer-name=theirs,"+under, map[string][]string{"objectClass": {"printerService"}, "printer-name": {"theirs"},
		"printer-info": {"Somebody else's"}})
	entry("printer-name=other,"+under, map[string][]string{"objectClass": {"printerService"}, "printer-name": {"other"},
		"printer-info": {"Somebody else's"}})
	entry("cn=note,"+under, map[string][]string{"objectClass": {"device"}, "cn": {"note"}})
	reader := strings.Replace(strings.Join(append(add, "--list-under", under), "\x00"), dir.Manager, dir.Reader, 1)
	if code, _, errs := s.run(strings.Split(reader, "\x00")...); code == 0 || !strings.Contains(errs, "does not let "+
		dir.Reader+" write") {
		t.Errorf("an account that may not write: %d %s", code, errs)
	}
	s.publish(listedEstate)
	s.must(append(add, "--list-under", under)...)
	s.must("directory", "source", "resume", "skerry")

	// search asks with the directory's own tool, as a person would.
	search := func(filter string) []string {
		t.Helper()
		out, err := exec.Command("ldapsearch", "-x", "-LLL", "-o", "ldif-wrap=no", "-H", dir.URL, "-D", dir.Reader, "-w",
			dir.Password, "-b", dir.Base, "-E", "pr=100/noprompt", filter, "printer-name").CombinedOutput()
		if err != nil {
			t.Fatalf("ldapsearch: %v\n%s", err, out)
		}
		var names []string
		for line := range strings.Lines(string(out)) {
			if n, ok := strings.CutPrefix(strings.TrimSpace(line), "printer-name: "); ok {
				names = append(names, n)
			}
		}
		slices.Sort(names)
		return names
	}
	finds := func(filter string, want ...string) {
		t.Helper()
		within(t, filter+" finds "+strings.Join(want, " "), func() bool { return slices.Equal(search(filter), want) })
	}
	finds("(&(objectClass=printerService)(printer-uri=*))", "hall", "wide")
	s.must("device", "read", "d")
	finds("(&(objectClass=printerService)(printer-color-supported=TRUE))", "hall")
	finds("(printer-location=*Quay House*)", "hall")
	finds("(printer-make-and-model=*Mono 40*)", "hall")
	finds("(printer-sides-supported=two-sided-long-edge)", "hall")
	contains(t, "the client", s.must("directory", "listed"), "skerry", "2 entries are below "+under,
		"theirs: an entry of that name is there already, which Cirque did not write")

	// All of them, with where they lead, by words, features and places.
	contains(t, "printers", s.must("directory", "printers"), "hall", "ours", "other", "it names no address",
		"4 entries of 4")
	contains(t, "colour", s.must("directory", "printers", "hall", "--colour", "--two-sided", "--place", "Quay"),
		"1 entry of 1")
	contains(t, "none", s.must("directory", "printers", "nothing-like-it"), "0 entries of 0")
	// What leads to a queue that is gone is found, and can be taken out; nothing else can.
	s.must("server", "add", "ps-1.example")
	for name, queue := range map[string]string{"stale": "Old Hall", "live": "Hall%20Mono"} {
		entry("printer-name="+name+","+under, map[string][]string{"objectClass": {"printerService", "printerIPP"},
			"printer-name": {name}, "printer-uri": {"ipp://ps-1.example/printers/" + strings.ReplaceAll(queue, " ", "%20")}})
	}
	contains(t, "gone", s.must("directory", "printers", "--gone"), "stale", "ps-1 has no queue Old Hall", "1 entry of 6")
	if err := s.c.Do(t.Context(), "DELETE", "/api/v1/directory/printers", map[string][]string{"source": {"skerry"},
		"dn": {"printer-name=live," + under}}, nil, nil); !fault.Is(err, fault.Conflict) {
		t.Errorf("an entry that leads somewhere was taken out: %v", err)
	}
	p := consoleOf(t, s)
	p.goTo("/directory?show=printers")
	p.see("ps-1 has no queue Old Hall")
	p.accessible()
	p.look("directory-printers")
	p.fill("textbox", "Words of the name, the place or the model", "hall mono")
	p.press("button", "Look")
	p.gone("Old Hall")
	p.see("Booking hall")
	contains(t, "removed", s.must("directory", "printers", "--remove"), "1 entry of 6 taken out")
	contains(t, "left", s.must("directory", "printers", "live"), "ps-1 had the queue Hall Mono")
	if err := l.Del(ldap.NewDelRequest("printer-name=live,"+under, nil)); err != nil {
		t.Fatal(err)
	}
	if code, _, errs := s.run("directory", "printers", "--source", "other"); code != 4 || !strings.Contains(errs,
		"no directory is read as other") {
		t.Errorf("%d %s", code, errs)
	}

	// The estate changes; a stranger changes an entry, and adds what is none of Cirque's.
	m := ldap.NewModifyRequest("printer-name=hall,"+under, nil)
	m.Replace("printer-job-priority-supported", []string{"7"})
	m.Replace("printer-info", []string{"spoilt"})
	if err := l.Modify(m); err != nil {
		t.Fatal(err)
	}
	s.publish(strings.NewReplacer(`"Wide"`, `"Wide plotter"`, "{name: quiet,", "{name: quiet, listed: true,",
		`title: "Booking hall"`, `title: "Booking hall, new"`).Replace(listedEstate))
	finds("(printer-info=Wide plotter)", "wide")
	finds("(&(objectClass=printerService)(printer-uri=*))", "hall", "quiet", "wide")
	finds("(&(printer-info=Booking hall, new)(printer-job-priority-supported=7))", "hall") // what is not Cirque's stays

	s.publish(strings.ReplaceAll(listedEstate, ", listed: true", ""))
	finds("(objectClass=printerService)", "other", "theirs")
	finds("(printer-info=Somebody else's)", "other", "theirs")
	within(t, "it is told that no entry is left", func() bool {
		list, err := apiclient.List[advert.Listing](t.Context(), s.c, "/api/v1/directory/listings", nil)
		return err == nil && len(list) == 1 && list[0].Added+list[0].Changed+list[0].Unchanged == 0
	})

	// Whoever takes the source away takes the entries along, and is told where that cannot be.
	s.publish(listedEstate)
	finds("(&(objectClass=printerService)(printer-uri=*))", "hall", "wide")
	dir.Stop()
	if code, _, errs := s.run("directory", "source", "remove", "skerry"); code == 0 || !strings.Contains(errs,
		"cannot be withdrawn") {
		t.Errorf("%d %s", code, errs)
	}
	dir.Start()
	s.must("directory", "source", "remove", "skerry")
	finds("(objectClass=printerService)", "other", "theirs")
	found, err := manage(t, dir).Search(ldap.NewSearchRequest("cn=note,"+under, ldap.ScopeBaseObject,
		ldap.NeverDerefAliases, 0, 0, false, "(objectClass=*)", nil, nil))
	if err != nil || len(found.Entries) != 1 {
		t.Error("the note is gone:", err)
	}
}
