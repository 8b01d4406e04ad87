package test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/lineup"
	"cirque/internal/cli"
)

func TestCommandLine(t *testing.T) {
	t.Parallel()
	s := startService(t)
	dir := t.TempDir()
	file := func(name, text string) string {
		p := filepath.Join(dir, name)
		if err := os.WriteFile(p, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return p
	}
	good, bad, people := file("e.yaml", oneQueue), file("bad.yaml", "estate: 1\nqueus: []\ndevices: []\n"),
		file("d.yaml", twoPeople)
	tiny := file("tiny.yaml", "estate: 1\nlocations: [{path: ard/hall}, {path: ard/yard}]\n")
	more := file("more.yaml", "estate: 1\nqueues: [{name: yard, title: Yard, devices: [p], paths: [{device: p}]}]\n")
	ldif := file("p.ldif", "dn: uid=ida,ou=staff,dc=x\nobjectClass: inetOrgPerson\nuid: ida\ncn: Ida\n")
	for _, c := range []struct {
		args string
		code int
		out  string // must stand in what is printed on either stream
	}{
		{"version", cli.ExitOK, "cirque test"},
		{"", cli.ExitOK, "Exit codes:"},
		{"nope", cli.ExitUsage, "unknown command 'nope'"},
		{"estate", cli.ExitUsage, "needs one of its own commands"},
		{"lineup --usr x", cli.ExitUsage, "unknown flag: --usr"},
		{"lineup -o xml --user x", cli.ExitUsage, `"xml" is no way to print`},
		{"estate apply", cli.ExitUsage, "at least 1"},
		{"serve --data x --log xml", cli.ExitUsage, `"xml" is no way to log: text or json`},
		{"serve", cli.ExitUsage, `required flag(s) 'data' not set`},
		{"estate apply " + good + " -m x", cli.ExitUsage, "a reason belongs to publishing"},
		{"publish -m x", cli.ExitConflict, "the draft main changes nothing"},
		{"estate apply " + good, cli.ExitOK, "The draft main of test changes 6 objects of revision 0."},
		{"draft list", cli.ExitOK, "main   test"},
		{"draft undo grants nope", cli.ExitOK, "changes 6 objects"},
		{"draft remove queue hall", cli.ExitInvalid, "the estate would not hold together: grant g names the queue hall, " +
			"which is not there"},
		{"draft remove quue hall", cli.ExitInvalid, `the estate has no list "quue"`},
		{"rehearse --fail-on gains>x", cli.ExitInvalid, "is no limit"},
		{"draft discard", cli.ExitOK, "The draft is empty."},
		{"draft", cli.ExitOK, "is empty"},
		{"estate apply " + good + " --publish", cli.ExitInvalid, "a revision needs a reason"},
		{"estate apply " + bad + " --publish -m x", cli.ExitInvalid,
			bad + `:2: unknown key "queus"; the nearest known key is "queues"`},
		{"estate check " + bad, cli.ExitInvalid, bad + ":3: the list is empty"},
		{"estate check missing.yaml", cli.ExitInvalid, "missing.yaml cannot be read"},
		{"estate check " + good, cli.ExitOK, "the directory does not know group:clerks"},
		{"estate apply " + good + " --publish -m first", cli.ExitOK, "Revision 1 is published."},
		{"estate apply " + good + " --publish -m again", cli.ExitOK, "already so: revision 1 stands"},
		{"history", cli.ExitOK, "first"},
		{"estate export", cli.ExitOK, "estate: 1\nlocations:\n"},
		{"estate export --revision 9", cli.ExitUnknown, "no such revision"},
		{"directory import " + people, cli.ExitOK, "2 users, 1 group and 0 machines: 3 added, 0 changed, 0 removed"},
		{"directory import " + ldif + " --source hr", cli.ExitOK, "1 user, 0 groups and 0 machines: 1 added"},
		{"directory import " + people + " --source Hr", cli.ExitInvalid, `"Hr" is no name for a source`},
		{"directory find id", cli.ExitOK, "ida"},
		{"directory find zzz", cli.ExitOK, "Nothing is called anything like"},
		{"queue list", cli.ExitOK, "1 of 1 queue."},
		{"queue list --location ard/yard", cli.ExitOK, "0 of 1 queue"},
		{"lineup --user mira --address 10.1.2.3", cli.ExitOK, "mira at ard/hall in a desktop session, from 10.1.2.3, " +
			"platform not given"},
		{"lineup --user jonas", cli.ExitOK, "No queue: no grant gives one here."},
		{"lineup", cli.ExitInvalid, "neither who nor where"},
		{"lineup --user mira --session remot", cli.ExitInvalid, `did you mean "remote"?`},
		{"lineup --user mira --location ard/hal", cli.ExitInvalid, `did you mean "ard/hall"?`},
		{"why hall --user mira", cli.ExitOK, "hall is placed by g, through device p."},
		{"why hall --user jonas", cli.ExitNo, "put user:jonas into group:clerks"},
		{"why hal --user jonas", cli.ExitUnknown, `did you mean "hall"?`},
		{"estate check", cli.ExitOK, "lies in no subnet of the estate"},
		{"reach g", cli.ExitOK, "g reaches 1 of 3 people, on any machine."},
		{"reach gg", cli.ExitUnknown, `no grant "gg"`},
		{"who hall", cli.ExitOK, "hall: had by 1 of 3 people"},
		{"who hall --on yesterday", cli.ExitUsage, "is no day"},
		{"who", cli.ExitUsage, "name a queue"},
		{"who --bare", cli.ExitOK, "2 people, of whom no endpoint has reported a session, have no queue"},
		{"coverage", cli.ExitOK, "device p"},
		{"rehearse --without device:p --show stranded", cli.ExitOK, "Were down: device p."},
		{"rehearse --without device:pp", cli.ExitUnknown, "did you mean device:p?"},
		{"rehearse --without device:p --fail-on stranded>0", cli.ExitNo, "Over the limit: stranded: 1 people"},
		{"rehearse --move user:jonas=+group:clerks", cli.ExitOK, "gain a queue"},
		{"lineup --user mira --revision draft", cli.ExitOK, "Not published."},
		{"lineup --user mira --revision 7", cli.ExitUnknown, "no such revision"},
		{"lineup --user mira --as-of 2001-01-01T00:00:00Z", cli.ExitUnknown, "nothing was published before"},
		{"drain ps-9", cli.ExitInvalid, "a drain needs a reason"},
		{"drain ps-9 --reason x", cli.ExitUnknown, `no server "ps-9"`},
		{"duties", cli.ExitOK, "Everything is on duty."},
		{"pick hall", cli.ExitUsage, "--user"},
		{"pick hall --user jonas", cli.ExitConflict, "no grant offers hall to jonas"},
		{"pick hall --user mira", cli.ExitConflict, "hall is placed for mira by g, not offered"},
		{"pick hall --user nobody", cli.ExitUnknown, "nobody knows a person"},
		{"unpick hall --user jonas", cli.ExitOK, "jonas did not pick hall anyway"},
		{"revert 1 -m x", cli.ExitOK, "already as in revision 1"},
		{"estate apply " + tiny + " --dry-run", cli.ExitOK, "It would take out the only grant, which wants --yes."},
		{"estate apply " + tiny + " --publish -m x", cli.ExitConflict, "this takes out the only subnet and the only device " +
			"and the only queue and the only grant; say --yes to go on all the same; nothing was done"},
		{"estate apply " + tiny, cli.ExitConflict, "say --yes"},
		{"draft", cli.ExitOK, "is empty"},
		{"rehearse " + tiny + " --fail-on loses>0", cli.ExitNo, "The files change"},
		{"rehearse " + tiny + " --revision 1", cli.ExitUsage, "one of them"},
		{"rehearse --revision 1 --fail-on findings>0", cli.ExitOK, "Revision 1, were it current again, changes 0 objects"},
		{"estate apply " + more + " --merge --dry-run", cli.ExitOK, "no grant gives it, so nobody receives it"},
		{"estate check " + more, cli.ExitInvalid, `names the device "p"`},
		{"estate check " + more + " --merge", cli.ExitOK, "no grant gives it, so nobody receives it"},
		{"rehearse " + more + " --merge --fail-on findings>0", cli.ExitNo, "Over the limit: findings: 1, more than 0"},
		{"estate apply " + more + " --merge", cli.ExitOK, "changes 1 object"},
		{"publish -m more", cli.ExitOK, "The draft brings about 1 finding:"},
		{"revert 1 --dry-run", cli.ExitOK, "- queue yard"},
		{"revert 1 -m back", cli.ExitOK, "Revision 3 is published"},
		{"estate apply " + tiny + " --publish -m x --yes", cli.ExitOK, "Revision 4 is published."},
		{"revert 1 -m back", cli.ExitOK, "Revision 5 is published"},
		{"revert x -m x", cli.ExitUsage, "no number"},
		{"diff 1", cli.ExitOK, "They are the same."},
		{"endpoint list", cli.ExitOK, "No endpoint has reported yet"},
		{"endpoint list --queue nonsense", cli.ExitUnknown, `the estate has no queue "nonsense"`},
		{"endpoint list --site nowhere", cli.ExitUnknown, `the estate has no site "nowhere"`},
		{"queue list --location ard/hal", cli.ExitUnknown, `the estate has no location "ard/hal"; did you mean "ard/hall"?`},
		{"queue list --label a4", cli.ExitUnknown, `no queue has the label "a4"`},
		{"driver names --model Nothing", cli.ExitUnknown, `no device is a "Nothing"`},
		{"personal-data export nobody.here", cli.ExitUnknown, `nothing is kept of a person "nobody.here"`},
		{"endpoint show desk-9", cli.ExitUnknown, "no endpoint \"desk-9\" has reported"},
		{"token create --name a --role agent", cli.ExitInvalid, "none is named"},
		{"token create --name a --role king", cli.ExitInvalid, "role"},
		{"token create --name a --role agent --machine m", cli.ExitOK, "cirque_"},
		{"token list", cli.ExitOK, "a     agent  m"},
		{"token revoke a", cli.ExitOK, "The token a is revoked."},
		{"token revoke a", cli.ExitUnknown, `no token "a"`},
		{"queue list --url http://127.0.0.1:1", cli.ExitUnavailable, "does not answer; check the address"},
		{"queue list --url ftp://x", cli.ExitInvalid, "no address of a service"},
		{"queue list --token-file " + people, cli.ExitDenied, "is no token"},
	} {
		code, out, errs := s.run(strings.Fields(c.args)...)
		if code != c.code || !strings.Contains(out+errs, c.out) {
			t.Errorf("cirque %s: exit %d, want %d\n%s%s\nwant %q in it", c.args, code, c.code, out, errs, c.out)
		}
		if code != cli.ExitOK && code != cli.ExitNo && out != "" {
			t.Errorf("cirque %s: failed and wrote to standard output: %s", c.args, out)
		}
	}
	code, out, _ := s.run("lineup", "--user", "mira", "-o", "json")
	var l lineup.Lineup
	if err := json.Unmarshal([]byte(out), &l); code != 0 || err != nil || l.Entries[0].Queue != "hall" {
		t.Errorf("%d %v %s", code, err, out)
	}
	// What was exported can be applied, from standard input, and changes nothing.
	_, exported, _ := s.run("estate", "export")
	if code, out, errs := s.runWith(exported, "estate", "apply", "-", "--publish", "-m", "again"); code != 0 ||
		!strings.Contains(out, "already so") {
		t.Errorf("%d %s%s", code, out, errs)
	}
	if code, out, _ := s.runWith(s.token+"\n", "sign-in", s.URL); code != 0 || !strings.Contains(out,
		"Signed in at "+s.URL) {
		t.Errorf("%d %s", code, out)
	}
	if info, err := os.Stat(filepath.Join(s.data, "sign-in.json")); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the kept sign-in: %v %v", info, err)
	}
}
