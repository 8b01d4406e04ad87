package test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// A call is a command, with ~ for blanks within a word, how it is to end, and what it is to print among other things.
type call struct {
	args string
	code int
	want string
}

func (s *aService) calls(list ...call) {
	s.t.Helper()
	for _, c := range list {
		args := strings.Fields(c.args)
		for i := range args {
			args[i] = strings.ReplaceAll(args[i], "~", " ")
		}
		code, out, errs := s.run(args...)
		if code != c.code || !strings.Contains(out+errs, c.want) {
			s.t.Errorf("%s: %d\n%s%s", c.args, code, out, errs)
		}
	}
}

// TestEditingByCommands: each list is edited by commands, key by key and as tables, and what is undone again leaves the
// draft empty.
func TestEditingByCommands(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	s.calls([]call{
		{"grant list", 0, "1 grant."},
		{"grant set g default=7 to+=user:jonas", 0, "+user:jonas"},
		{"grant list", 0, "1 of which your draft adds or changes"},
		{"grant show g", 0, "# Your draft has changed g."},
		{"queue show hall", 0, "# hall is named by grant g."},
		{"grant set g to=", 6, "all or most entries of to of g"},
		{"grant set g to= --dry-run", 0, "-group:clerks"},
		{"grant set g to= --yes", 0, "Your draft main has 1 change now"},
		{"grant set h default=1", 4, `did you mean "g"?`},
		{"grant set g deflaut=1", 3, "did you mean default?"},
		{"grant set g h", 2, "as KEY=VALUE"},
		{"grant copy g g-2 effect=offer default=", 0, "+ grant g-2"},
		{"grant add g-2 effect=place queues=hall", 3, "of that name is there already"},
		{"grant remove g-2", 0, "It is as it is published"},
		{"location set ard/hall title=Hall", 0, "title: Hall"},
		{"location add ard/hall/desk", 0, "+ location ard/hall/desk"},
		{"location set ard/hall cut=30d", 3, "cut belongs to a site"},
		{"subnet add 10.2.0.0/16 location=ard/yard", 0, "+ subnet 10.2.0.0/16"},
		{"station add till addresses=10.2.0.1,10.2.0.2 platform=linux/x64", 0, "+10.2.0.2"},
		{"queue set hall open=mon-fri~08:00-17:00 defaults.sides=one-sided access.allow=group:clerks", 0, "sides: one-sided"},
		{"notice add yard about=servers tell=mail:yard@skerry.example", 0, "+ notice yard"},
		{"setting set mail server=smtp://mail.example:25 from=c@skerry.example", 0, "+ setting mail"},
		{"notice set yard after=20m", 0, "after: 20m"},
		{"setting list", 0, "smtp://mail.example:25"},
		{"setting set colour deep=red", 4, "no setting"},
		{"draft set device p note=window", 0, "note: window"},
		{"draft add driver d exact=E platform=windows/x64", 0, "+ driver d"},
		{"draft remove driver d", 0, "It is as it is published"},
		{"draft export", 0, "mail:"},
		{"draft undo notice yard", 0, ""},
		{"draft undo setting mail", 0, ""},
		{"draft undo queue hall", 0, ""},
		{"draft undo station till", 0, ""},
		{"draft undo subnet 10.2.0.0/16", 0, ""},
		{"draft undo location ard/hall ard/hall/desk", 0, ""},
		{"draft undo device p", 0, ""},
		{"draft undo grant g", 0, "The draft main is empty."},
	}...)
}

// TestTablesOfObjects: lists go out as tables and come in again, with all that is wrong with a table at once.
func TestTablesOfObjects(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	code, table, errs := s.run("subnet", "table")
	if code != 0 || table != "cidr,location,note\n10.1.0.0/16,ard/hall,\n" {
		t.Fatal(code, table, errs)
	}
	file := filepath.Join(t.TempDir(), "subnets.csv")
	apply := func(text string, more ...string) (int, string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		code, out, errs := s.run(append([]string{"subnet", "apply-table", file}, more...)...)
		return code, out + errs
	}
	if code, out := apply(table); code != 0 || !strings.Contains(out, "0 changes") {
		t.Error(code, out)
	}
	if code, out := apply("cidr,location\n10.1.0.0/16,nowhere\n10.1.0.0/16,ard\nten,ard/hall\n"); code != 3 ||
		!strings.Contains(out, "subnets.csv:2") || !strings.Contains(out, "subnets.csv:3") ||
		!strings.Contains(out, "subnets.csv:4") {
		t.Error(code, out)
	}
	if code, out := apply("cidr,location,remove\n10.1.0.0/16,,yes\n10.3.0.0/16,ard/yard,\n", "--dry-run"); code != 0 ||
		!strings.Contains(out, "+ subnet 10.3.0.0/16") || !strings.Contains(out, "Nothing was stored") {
		t.Error(code, out)
	}
	if code, out := apply("cidr;note\n10.1.0.0/16;the hall\n"); code != 0 || !strings.Contains(out, "1 change now") {
		t.Error(code, out)
	}
}

// TestUndoOneChange: one change of the past is taken back alone, and what was done since stays.
func TestUndoOneChange(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	s.publish(strings.Replace(oneQueue, "default: 5", "default: 9", 1))
	s.publish(strings.Replace(strings.Replace(oneQueue, "default: 5", "default: 9", 1),
		"title: Hall", "title: Great hall", 1))
	s.calls([]call{
		{"undo 2 queue hall", 4, "did nothing to the queue hall"},
		{"undo 2 grant g --dry-run", 0, "default: 9 -> 5"},
		{"undo 2 grant g", 0, "default: 9 -> 5"},
		{"undo 2 grant g", 6, "as it was before already"},
		{"undo 1 queue hall", 6, "changed since"},
		{"undo 9 grant g", 4, "no such revision"},
	}...)
}

// TestTakingDraftsOver: whoever may publish for all sites sees what others have drafted, and works on with it.
func TestTakingDraftsOver(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	other := s.client(s.tokenFor("mona", access.Administrator, ""))
	if _, err := edit(t, other, "main", put("devices", "p",
		`{"name":"p","uri":"ipp://192.0.2.9/ipp/print"}`)); err != nil {
		t.Fatal(err)
	}
	list, err := apiclient.List[estate.Draft](t.Context(), s.c, "/api/v1/drafts", nil)
	if err != nil || len(list) != 1 || list[0].ID == 0 || list[0].Author != "mona" {
		t.Fatalf("%+v %v", list, err)
	}
	id := apiclient.Path("/api/v1/drafts", "1")
	seen, err := apiclient.Get[api.Draft](t.Context(), s.c, id, nil)
	if err != nil || seen.Total != 1 || seen.Author != "mona" {
		t.Errorf("%+v %v", seen, err)
	}
	reader := s.client(s.tokenFor("reader", access.Auditor, ""))
	if _, err := apiclient.Get[api.Draft](t.Context(), reader, id, nil); err != nil {
		t.Error("who reads the estate may see drafts:", err)
	}
	if err := reader.Do(t.Context(), "POST", id+"/take", nil, nil, nil); err == nil {
		t.Error("an auditor took a draft over")
	}
	if err := other.Do(t.Context(), "POST", id+"/take", nil, nil, nil); err == nil {
		t.Error("a draft was taken over by its owner")
	}
	if err := s.c.Do(t.Context(), "POST", "/api/v1/proposals/1/take", nil, nil, nil); err == nil ||
		!strings.Contains(err.Error(), "is proposed now") {
		t.Errorf("a draft that nobody proposed was taken as a proposal: %v", err)
	}
	code, out, errs := s.run("draft", "take", "1")
	if code != 0 || !strings.Contains(out, "It is your draft taken-1") {
		t.Fatal(code, out, errs)
	}
	if err := publishDraft(t.Context(), s.c, "taken-1"); err != nil {
		t.Error(err)
	}
	// The other one stays its owner's, and merges.
	if code, out, errs := s.run("draft", "other", "1"); code != 0 || !strings.Contains(out, "of mona changes 1 object") {
		t.Error(code, out, errs)
	}
	if code, out, _ := s.run("audit", "--about", "main"); code != 0 ||
		!strings.Contains(out, "The draft main of mona was taken over") {
		t.Error(code, out)
	}
}
