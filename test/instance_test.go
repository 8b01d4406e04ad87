package test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/directory"
	"cirque/internal/testkit"
)

// TestRebuilt: what a service keeps besides the estate is written into a file, and another is made the same with it.
func TestRebuilt(t *testing.T) {
	t.Parallel()
	dir := testkit.NewSlapd(t, testkit.LDIF(30, 4, 4))
	word := filepath.Join(t.TempDir(), "word")
	if err := os.WriteFile(word, []byte(dir.Password+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	const estate = "estate: 1\ndevices: [{name: d, uri: \"ipp://127.0.0.1:9/ipp/print\"}]\n" +
		"stations: [{name: till-1, addresses: [192.0.2.7]}]\n"
	a, b := startService(t), startService(t)
	a.publish(estate)
	a.must("directory", "source", "add", "skerry", "--directory", dir.URL, "--base", dir.Base, "--bind", dir.Manager,
		"--password-file", word, "--every", "1h", "--map", "email=mail", "--sign-in")
	a.must("directory", "source", "resume", "skerry")
	within(t, "the first pass", func() bool { return lastRun(t, a, "skerry").Kind == directory.RunWhole })
	within(t, "its end", func() bool { return lastRun(t, a, "skerry").State == directory.Done })
	a.must("account", "allow", "group:group-1", "--role", "help-desk", "--source", "skerry")
	a.runWith("a-long-word-of-hers\n", "account", "add", "liv", "--role", "auditor")
	a.must("directory", "link-by", "employee")
	a.must("directory", "link", "skerry/person-1", "p1", "-m", "the yard calls her so")
	a.must("server", "add", "ipp://127.0.0.1:10/", "--name", "old", "--anyway")
	if code, _, errs := a.runWith("public\n", "credential", "add", "readers", "--kind", "snmp", "--for", "device:d"); code != 0 {
		t.Fatal(errs)
	}
	packages := folder(t, map[string]string{"x64/slip.inf": slipINF, "x64/slip.gpd": "slip"})
	a.must("driver", "add", packages, "--name", "slips for 3", "--note", "for the kiosks")
	a.must("note", "write", "machine", "till-1", "its cable is loose")
	_, url, ca := shelfOf(t, map[string][]byte{"slip.zip": slipArchive(t, slipINF)})
	a.must("driver", "place", "add", "yard", "--folder", url, "--folder-ca", ca, "--note", "the makers' own")

	kept := t.TempDir()
	first := a.must("instance", "export", "--packages", kept)
	contains(t, "the file", first, "name: liv", "who: group:group-1", "email: mail", "every: 1h", "by_employee: true",
		"b: p1", "device:d", "note: the makers' own", url, "name: old", "slips for 3", "about: machine:till-1")
	if strings.Contains(first, dir.Password) || strings.Contains(first, "public") {
		t.Error("a secret stands in the file")
	}
	file, secrets := filepath.Join(kept, "i.yaml"), filepath.Join(kept, "secrets.yaml")
	write := func(name, text string) {
		t.Helper()
		if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write(file, first)
	contains(t, "where it is so", a.must("instance", "apply", file), "It is so already")

	b.publish(estate)
	contains(t, "a dry run", b.must("instance", "apply", file, "--dry-run"), "would add", "account liv", "asks for a secret")
	if out := b.must("instance", "export"); strings.Contains(out, "liv") {
		t.Error("a dry run made something:", out)
	}
	code, out, errs := b.run("instance", "apply", file)
	if code != 6 {
		t.Error(code, errs)
	}
	contains(t, "without secrets and files", out+errs, "its secret is not given", `write account liv: "…"`,
		"its files are not given", "added    server old", "6 steps of 10 could not be done")
	write(secrets, "account liv: a-long-word-of-hers\nsource skerry: "+dir.Password+"\ncredential readers: public\n")
	code, out, _ = b.run("instance", "apply", file, "--packages", kept, "--secrets", secrets, "-o", "json")
	var steps []struct{ State, Kind, Name, Detail string }
	if err := json.Unmarshal([]byte(out), &steps); err != nil {
		t.Fatal(err, out)
	}
	for _, s := range steps { // who is one person can be said once the directory was read
		if s.State == "open" && s.Kind != "link" && s.Kind != "people" && s.Kind != "note" {
			t.Errorf("exit code %d: %+v", code, s)
		}
	}
	within(t, "the other's first pass", func() bool { return lastRun(t, b, "skerry").Kind == directory.RunWhole })
	within(t, "its end", func() bool { return lastRun(t, b, "skerry").State == directory.Done })
	b.run("instance", "apply", file, "--packages", kept, "--secrets", secrets)
	if second := b.must("instance", "export"); second != first {
		t.Errorf("the other has\n%s\nthe first\n%s", second, first)
	}
	contains(t, "again", b.must("instance", "apply", file), "It is so already")

	less := strings.Replace(first, "  - name: liv\n    role: auditor\n", "  - name: olav\n    role: auditor\n", 1)
	write(file, strings.Replace(less, "role: help-desk", "role: auditor", 1))
	b.calls([]call{
		{"instance apply " + file + " --secrets " + secrets, 6, "this takes out"},
		{"instance apply " + file + " --yes", 6, "removed  account liv"},
		{"instance apply " + secrets, 3, "secrets.yaml:1"},
	}...)
	contains(t, "rules", b.must("account", "rules"), "auditor")
	if out := b.must("account", "list"); strings.Contains(out, "liv") {
		t.Error("liv is still there:", out)
	}
}
