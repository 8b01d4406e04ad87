package test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/lineup"
	"cirque/internal/cmdline"
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
		{"version", cmdline.ExitOK, "cirque test"},
		{"", cmdline.ExitOK, "Exit codes:"},
		{"nope", cmdline.ExitUsage, `there is no command "nope"`},
		{"estate", cmdline.ExitUsage, "needs one of its own commands"},
		{"lineup --usr x", cmdline.ExitUsage, "has no flag --usr; did you mean --user?"},
		{"lineup -o xml --user x", cmdline.ExitUsage, `"xml" is no way to print`},
		{"estate apply", cmdline.ExitUsage, "at least 1"},
		{"serve --data x --log xml", cmdline.ExitUsage, `"xml" is no way to log: text or json`},
		{"serve", cmdline.ExitUsage, "--data is missing"},
		{"estate apply " + good + " -m x", cmdline.ExitUsage, "a reason belongs to publishing"},
		{"publish -m x", cmdline.ExitConflict, "the draft main changes nothing"},
		{"estate apply " + good, cmdline.ExitOK, "The draft main of test changes 6 objects of revision 0."},
		{"draft list", cmdline.ExitOK, "main   test"},
		{"draft undo grants nope", cmdline.ExitOK, "changes 6 objects"},
		{"draft remove queue hall", cmdline.ExitInvalid, "the estate would not hold together: grant g names the queue hall, " +
			"which is not there"},
		{"draft remove quue hall", cmdline.ExitInvalid, `the estate has no list "quue"`},
		{"rehearse --fail-on gains>x", cmdline.ExitInvalid, "is no limit"},
		{"draft discard", cmdline.ExitOK, "The draft is empty."},
		{"draft", cmdline.ExitOK, "is empty"},
		{"estate apply " + good + " --publish", cmdline.ExitInvalid, "a revision needs a reason"},
		{"estate apply " + bad + " --publish -m x", cmdline.ExitInvalid,
			bad + `:2: unknown key "queus"; the nearest known key is "queues"`},
		{"estate check " + bad, cmdline.ExitInvalid, bad + ":3: the list is empty"},
		{"estate check missing.yaml", cmdline.ExitInvalid, "missing.yaml cannot be read"},
		{"estate check " + good, cmdline.ExitOK, "the directory does not know group:clerks"},
		{"estate apply " + good + " --publish -m first", cmdline.ExitOK, "Revision 1 is published."},
		{"estate apply " + good + " --publish -m again", cmdline.ExitOK, "already so: revision 1 stands"},
		{"history", cmdline.ExitOK, "first"},
		{"estate export", cmdline.ExitOK, "estate: 1\nlocations:\n"},
		{"estate export --revision 9", cmdline.ExitUnknown, "no such revision"},
		{"directory import " + people, cmdline.ExitOK, "2 users, 1 group and 0 machines: 3 added, 0 changed, 0 removed"},
		{"directory import " + ldif + " --source hr", cmdline.ExitOK, "1 user, 0 groups and 0 machines: 1 added"},
		{"directory import " + people + " --source Hr", cmdline.ExitInvalid, `"Hr" is no name for a source`},
		{"directory find id", cmdline.ExitOK, "ida"},
		{"directory find zzz", cmdline.ExitOK, "Nothing is called anything like"},
		{"queue list", cmdline.ExitOK, "1 of 1 queue."},
		{"queue list --location ard/yard", cmdline.ExitOK, "0 of 1 queue"},
		{"lineup --user mira --address 10.1.2.3", cmdline.ExitOK, "mira at ard/hall in a desktop session, from 10.1.2.3, " +
			"platform not given"},
		{"lineup --user jonas", cmdline.ExitOK, "No queue: no grant gives one here."},
		{"lineup", cmdline.ExitInvalid, "neither who nor where"},
		{"lineup --user mira --session remot", cmdline.ExitInvalid, `did you mean "remote"?`},
		{"lineup --user mira --location ard/hal", cmdline.ExitInvalid, `did you mean "ard/hall"?`},
		{"why hall --user mira", cmdline.ExitOK, "hall is placed by g, through device p."},
		{"why hall --user jonas", cmdline.ExitNo, "put user:jonas into group:clerks"},
		{"why hal --user jonas", cmdline.ExitUnknown, `did you mean "hall"?`},
		{"estate check", cmdline.ExitOK, "lies in no subnet of the estate"},
		{"reach g", cmdline.ExitOK, "g reaches 1 of 3 people, on any machine."},
		{"reach gg", cmdline.ExitUnknown, `no grant "gg"`},
		{"who hall", cmdline.ExitOK, "hall: had by 1 of 3 people"},
		{"who hall --on yesterday", cmdline.ExitUsage, "is no day"},
		{"who", cmdline.ExitUsage, "name a queue"},
		{"who --bare", cmdline.ExitOK, "2 people, of whom no endpoint has reported a session, have no queue"},
		{"coverage", cmdline.ExitOK, "device p"},
		{"rehearse --without device:p --show stranded", cmdline.ExitOK, "Were down: device p."},
		{"rehearse --without device:pp", cmdline.ExitUnknown, "did you mean device:p?"},
		{"rehearse --without device:p --fail-on stranded>0", cmdline.ExitNo, "Over the limit: stranded: 1 people"},
		{"rehearse --move user:jonas=+group:clerks", cmdline.ExitOK, "gain a queue"},
		{"lineup --user mira --revision draft", cmdline.ExitOK, "Not published."},
		{"lineup --user mira --revision 7", cmdline.ExitUnknown, "no such revision"},
		{"lineup --user mira --as-of 2001-01-01T00:00:00Z", cmdline.ExitUnknown, "nothing was published before"},
		{"drain ps-9", cmdline.ExitInvalid, "a drain needs a reason"},
		{"drain ps-9 --reason x", cmdline.ExitUnknown, `no server "ps-9"`},
		{"duties", cmdline.ExitOK, "Everything is on duty."},
		{"pick hall", cmdline.ExitUsage, "--user"},
		{"pick hall --user jonas", cmdline.ExitConflict, "no grant offers hall to jonas"},
		{"pick hall --user mira", cmdline.ExitConflict, "hall is placed for mira by g, not offered"},
		{"pick hall --user nobody", cmdline.ExitUnknown, "nobody knows a person"},
		{"unpick hall --user jonas", cmdline.ExitOK, "jonas did not pick hall anyway"},
		{"revert 1 -m x", cmdline.ExitOK, "already as in revision 1"},
		{"estate apply " + tiny + " --dry-run", cmdline.ExitOK, "It would take out the only grant, which wants --yes."},
		{"estate apply " + tiny + " --publish -m x", cmdline.ExitConflict, "this takes out the only subnet and the only device " +
			"and the only queue and the only grant; say --yes to go on all the same; nothing was done"},
		{"estate apply " + tiny, cmdline.ExitConflict, "say --yes"},
		{"draft", cmdline.ExitOK, "is empty"},
		{"rehearse " + tiny + " --fail-on loses>0", cmdline.ExitNo, "The files change"},
		{"rehearse " + tiny + " --revision 1", cmdline.ExitUsage, "one of them"},
		{"rehearse --revision 1 --fail-on findings>0", cmdline.ExitOK, "Revision 1, were it current again, changes 0 objects"},
		{"estate apply " + more + " --merge --dry-run", cmdline.ExitOK, "no grant gives it, so nobody receives it"},
		{"estate check " + more, cmdline.ExitInvalid, `names the device "p"`},
		{"estate check " + more + " --merge", cmdline.ExitOK, "no grant gives it, so nobody receives it"},
		{"rehearse " + more + " --merge --fail-on findings>0", cmdline.ExitNo, "Over the limit: findings: 1, more than 0"},
		{"estate apply " + more + " --merge", cmdline.ExitOK, "changes 1 object"},
		{"publish -m more", cmdline.ExitOK, "The draft brings about 1 finding:"},
		{"revert 1 --dry-run", cmdline.ExitOK, "- queue yard"},
		{"revert 1 -m back", cmdline.ExitOK, "Revision 3 is published"},
		{"estate apply " + tiny + " --publish -m x --yes", cmdline.ExitOK, "Revision 4 is published."},
		{"revert 1 -m back", cmdline.ExitOK, "Revision 5 is published"},
		{"revert x -m x", cmdline.ExitUsage, "no number"},
		{"diff 1", cmdline.ExitOK, "They are the same."},
		{"endpoint list", cmdline.ExitOK, "No endpoint has reported yet"},
		{"endpoint list --queue nonsense", cmdline.ExitUnknown, `the estate has no queue "nonsense"`},
		{"endpoint list --site nowhere", cmdline.ExitUnknown, `the estate has no site "nowhere"`},
		{"queue list --location ard/hal", cmdline.ExitUnknown, `the estate has no location "ard/hal"; did you mean "ard/hall"?`},
		{"queue list --label a4", cmdline.ExitUnknown, `no queue has the label "a4"`},
		{"driver names --model Nothing", cmdline.ExitUnknown, `no device is a "Nothing"`},
		{"personal-data export nobody.here", cmdline.ExitUnknown, `nothing is kept of a person "nobody.here"`},
		{"endpoint show desk-9", cmdline.ExitUnknown, "no endpoint \"desk-9\" has reported"},
		{"token create --name a --role agent", cmdline.ExitInvalid, "none is named"},
		{"token create --name a --role king", cmdline.ExitInvalid, "role"},
		{"token create --name a --role agent --machine m", cmdline.ExitOK, "cirque_"},
		{"token list", cmdline.ExitOK, "a     agent  m"},
		{"token revoke a", cmdline.ExitOK, "The token a is revoked."},
		{"token revoke a", cmdline.ExitUnknown, `no token "a"`},
		{"queue list --url http://127.0.0.1:1", cmdline.ExitUnavailable, "does not answer; check the address"},
		{"queue list --url ftp://x", cmdline.ExitInvalid, "no address of a service"},
		{"queue list --token-file " + people, cmdline.ExitDenied, "is no token"},
	} {
		code, out, errs := s.run(strings.Fields(c.args)...)
		if code != c.code || !strings.Contains(out+errs, c.out) {
			t.Errorf("cirque %s: exit %d, want %d\n%s%s\nwant %q in it", c.args, code, c.code, out, errs, c.out)
		}
		if code != cmdline.ExitOK && code != cmdline.ExitNo && out != "" {
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
