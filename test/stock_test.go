package test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/event"
	"cirque/core/stock"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/cmdline"
	"cirque/internal/sim"
)

// withStandIns starts stand-ins, and gives what leads a service to them, and to nothing else.
func withStandIns(t *testing.T, specs ...sim.Spec) (*sim.Set, func(*app.Options)) {
	t.Helper()
	for i := range specs {
		specs[i].Listen = "127.0.0.1:0"
	}
	set, file := printers(t, specs...)
	return set, func(o *app.Options) { o.AddressTable = file }
}

// must runs a command that has to end well, and gives what it prints.
func (s *aService) must(args ...string) string {
	s.t.Helper()
	code, out, errs := s.run(args...)
	if code != cmdline.ExitOK {
		s.t.Fatalf("cirque %s: %d %s%s", strings.Join(args, " "), code, out, errs)
	}
	return out
}

func contains(t *testing.T, what, out string, parts ...string) {
	t.Helper()
	for _, p := range parts {
		if !strings.Contains(out, p) {
			t.Errorf("%s: %q is not in\n%s", what, p, out)
		}
	}
}

// events gives what happened, as sentences.
func (s *aService) events() string {
	s.t.Helper()
	list, err := apiclient.Page[event.Event](s.t.Context(), s.c, "/api/v1/events", nil)
	if err != nil {
		s.t.Fatal(err)
	}
	var out []string
	for _, e := range list.Items {
		out = append(out, string(e.Kind)+": "+e.Says)
	}
	return strings.Join(out, "\n")
}

const twelveAt = "10.5.0."

// twelve is a server with twelve queues and the devices behind them.
func twelve() []sim.Spec {
	server := sim.Spec{For: "ps-old.example:631", Name: "ps-old", Server: true, Remembers: 5}
	var out []sim.Spec
	for i := range 12 {
		addr := fmt.Sprintf("%s%d", twelveAt, i+1)
		server.Queues = append(server.Queues, sim.Queue{Name: fmt.Sprintf("Floor %d", i+1),
			Title: fmt.Sprintf("Floor %d, corridor", i+1), Location: "Corridor", Model: "Mono 40 PCL6", Device: "ipp://" + addr +
				"/ipp/print", Can: []string{"two-sided"}, Defaults: map[string]string{"sides": "two-sided-long-edge"}})
		out = append(out, sim.Spec{For: addr + ":631", Name: fmt.Sprintf("floor-%d", i+1), Model: "Mono 40",
			Serial: fmt.Sprint("SK-", i+1), MAC: fmt.Sprintf("02:00:5e:10:05:%02x", i+1), SNMP: "public",
			Can: []string{"two-sided"}})
	}
	return append(out, server)
}

// TestFromServerToDevices is the whole way: a server that nobody listed is registered, its twelve queues are adopted,
// granted and published; then they are led straight to their devices, nobody loses anything, and nothing depends on the
// server any more.
func TestFromServerToDevices(t *testing.T) {
	t.Parallel()
	_, lead := withStandIns(t, twelve()...)
	s := startService(t, lead)
	s.publish("estate: 1\nlocations: [{path: ard}, {path: ard/corridor, title: Corridor}]\nsubnets: [{cidr: " +
		"10.5.0.0/24, location: ard}]\ndrivers: [{name: mono, exact: \"Mono 40 PCL6\", platform: windows/x64}]\n")
	s.importDirectory("directory: 1\nusers: [{name: mira}, {name: jonas}]\nmachines: [{name: desk-1, platform: " +
		"windows/x64}]\n")

	contains(t, "add", s.must("server", "add", "ps-old.example"), "ps-old is registered", "12 queues, 0 not ready",
		"cirque adopt --server ps-old --dry-run")
	contains(t, "dry run", s.must("adopt", "--server", "ps-old", "--dry-run"), "Floor 3", "ard/corridor",
		"12 queues would be adopted, 0 lead here already. Nothing was changed.")
	contains(t, "the draft", s.must("draft"), "is empty")
	contains(t, "adopt", s.must("adopt", "--server", "ps-old"), "12 queues adopted into your draft, which has 25 "+
		"changes now")
	file := filepath.Join(t.TempDir(), "g.yaml")
	if err := os.WriteFile(file, []byte("estate: 1\ngrants: [{name: all, effect: place, queues: [\"within:ard\"], to: "+
		"[everyone]}]\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	s.must("estate", "apply", "--merge", file)
	s.must("publish", "-m", "adopted")
	contains(t, "adopt again", s.must("adopt", "--server", "ps-old"), "0 queues would be adopted, 12 lead here already")

	out := s.must("server", "depends", "ps-old")
	contains(t, "depends", out, "12 queues lead to ps-old", "grants", "all", "5 ended jobs", "mira.solvang")
	contains(t, "dry move", s.must("queue", "move", "--from-server", "ps-old", "--to", "device", "--dry-run"),
		"12 of 12 queues would be moved. Nothing was changed.")
	s.must("queue", "move", "--from-server", "ps-old", "--to", "device")
	contains(t, "rehearsal", s.must("rehearse", "--fail-on", "loses>0,empty>0,stranded>0,no-driver>0"),
		"path changes  2       0         2")
	s.must("publish", "-m", "direct")
	l, err := apiclient.Post[map[string]any](t.Context(), s.c, "/api/v1/lineups",
		json.RawMessage(`{"user":"mira","machine":"desk-1","platform":"windows/x64"}`))
	if err != nil || len(l["entries"].([]any)) != 12 {
		t.Fatalf("%v %v", l, err)
	}
	for _, e := range l["entries"].([]any) {
		if uri := e.(map[string]any)["path"].(map[string]any)["uri"].(string); !strings.HasPrefix(uri, "ipp://"+twelveAt) {
			t.Error("still leads to", uri)
		}
	}
	d, err := apiclient.Get[decommission.Leaving](t.Context(), s.c, "/api/v1/stock/servers/ps-old/depends", nil)
	if err != nil || !d.Unused || len(d.Queues)+len(d.Sets)+len(d.Grants) != 0 || !strings.Contains(d.Says,
		"it may be switched off") {
		t.Errorf("%+v %v", d, err)
	}
	contains(t, "orphans", s.must("orphans"), "Servers through which no path leads (1):", "ps-old")
}

// TestServerWatched: what changes on a server becomes an event and a difference; so does its silence, and its return.
func TestServerWatched(t *testing.T) {
	t.Parallel()
	specs := twelve()
	set, lead := withStandIns(t, specs...)
	server := set.Printers[len(set.Printers)-1]
	s := startService(t, lead, func(o *app.Options) { o.ServersEvery, o.DevicesEvery = 200*time.Millisecond, time.Hour })
	s.must("server", "add", "ps-old.example", "--name", "old", "--note", "goes in spring")
	s.must("adopt", "--server", "old")
	s.must("publish", "-m", "adopted")
	server.Change(func(list []sim.Queue) []sim.Queue {
		list[0].Model, list[1].Device, list[2].Unshared = "Mono 40  PCL6", "ipp://10.5.9.9/ipp/print", true
		return append(list[:11:11], sim.Queue{Name: "fresh"})
	})
	within(t, "the changes are told", func() bool {
		return strings.Contains(s.events(), "old no longer has the queue Floor 12")
	})
	contains(t, "events", s.events(), `Floor 1 on old: the driver changed from "Mono 40 PCL6" to "Mono 40  PCL6"`,
		"Floor 2 on old: the device's address moved from ipp://10.5.0.2/ipp/print to ipp://10.5.9.9/ipp/print",
		"old has a new queue, fresh")
	within(t, "the differences are shown", func() bool {
		return strings.Contains(s.must("server", "show", "old"), "fresh")
	})
	contains(t, "differences", s.must("server", "show", "old"),
		`floor-12 leads through old, which has no queue "Floor 12"`, `"Floor 2" leads to 10.5.9.9`, `"Floor 3" is not shared`,
		`to which the estate does not lead`)
	contains(t, "filters", s.must("server", "queues", "--state", "unlisted"), "fresh", "1 queue.")
	if err := server.Close(); err != nil {
		t.Fatal(err)
	}
	within(t, "the silence is told", func() bool { return strings.Contains(s.events(), "The server old cannot be read") })
	within(t, "the silence is shown", func() bool {
		return strings.Contains(s.must("server", "list"), "refuses the connection, since")
	})
	sheet, err := apiclient.Get[stock.ServerSheet](t.Context(), s.c, "/api/v1/stock/servers/old", nil)
	if err != nil || len(sheet.Queues) != 12 || sheet.Check.OK || sheet.Check.Answered == nil ||
		sheet.Note != "goes in spring" {
		t.Errorf("what was known is lost: %+v %v", sheet.Check, err)
	}
	contains(t, "remove", s.must("server", "remove", "old"), "The estate names it, so it is still read")
}

// TestRegisterRefused: each kind of mistake is told in plain words, and nothing is kept of it.
func TestRegisterRefused(t *testing.T) {
	t.Parallel()
	_, lead := withStandIns(t,
		sim.Spec{For: "ps.example:631", Name: "ps", Server: true, Queues: []sim.Queue{{Name: "a"}}},
		sim.Spec{For: "wants.example:631", Name: "wants", Server: true, SignIn: "svc:right",
			Queues: []sim.Queue{{Name: "a"}}},
		sim.Spec{For: "10.5.0.9:631", Name: "gate", Habit: "garbage", SNMP: "public"}, sim.Spec{For: "10.5.0.1:631",
			Name: "Floor One", Model: "Mono 40", SNMP: "public", MAC: "02:00:5e:10:05:01"})
	s := startService(t, lead)
	for _, c := range []struct {
		args string
		code int
		says string
	}{
		{"server add nowhere.example", cmdline.ExitUnavailable, "there is no stand-in for nowhere.example:631"},
		{"server add wants.example", cmdline.ExitDenied, "wants.example:631 wants a sign-in; store a sign-in for it, or let " +
			"this service in without one; or register it anyway"},
		{"server add 10.5.0.9", cmdline.ExitUnavailable, "10.5.0.9:631 does not speak IPP"},
		{"device add 10.5.0.9", cmdline.ExitUnavailable, "10.5.0.9:631 does not speak IPP"},
		{"device add 10.5.0.1 --mac 02-00", cmdline.ExitInvalid, `"02-00" is no hardware address`},
		{"device add 10.5.0.1 --kept-by luck", cmdline.ExitInvalid, ""},
		{"server add ps.example --name Old_One", cmdline.ExitInvalid, `"Old_One" is no name`},
		{"server add ps.example --credential none", cmdline.ExitUnknown, `no key is called "none"`},
		{"server add ps.example", cmdline.ExitOK, "ps is registered"},
		{"server add ps.example --name other", cmdline.ExitConflict, "ps.example is ps already"},
		{"device add ps.example", cmdline.ExitConflict, "is the address of the server ps"},
		{"device add 10.5.0.1", cmdline.ExitOK, "floor-one at ipp://10.5.0.1/ipp/print: answers"},
		{"device test floor-one", cmdline.ExitOK, "Printed: the job 1 is completed"},
		{"server test ps nope", cmdline.ExitUnknown, `ps has no queue "nope"`},
		{"server show nope", cmdline.ExitUnknown, `no server "nope"`},
		{"server depends nope", cmdline.ExitUnknown, `no server "nope"`},
		{"device remove nope", cmdline.ExitUnknown, ""},
		{"adopt", cmdline.ExitUsage, "say what to adopt"},
		{"adopt --server ps --queue nope", cmdline.ExitUnknown, `ps has no queue "nope"`},
		{"adopt --machine nope", cmdline.ExitUnknown, "nothing was captured of a machine"},
		{"queue move --from-server ps", cmdline.ExitUnknown, `the estate has no server "ps"`},
		{"queue move --from-server ps --to cloud", cmdline.ExitUsage, `"cloud" is no place`},
		{"device scan 10.5.0.0/8", cmdline.ExitInvalid, "holds more than the 16384 addresses"},
		{"device found", cmdline.ExitOK, "0 devices"},
		{"server add nowhere.example --anyway --name later", cmdline.ExitOK, "later is registered"},
		{"server list", cmdline.ExitOK, "there is no stand-in for nowhere.example:631, since"},
		{"server remove later", cmdline.ExitOK, "The server later is no longer watched. Nothing on it was touched."},
	} {
		code, out, errs := s.run(strings.Fields(c.args)...)
		if code != c.code || !strings.Contains(out+errs, c.says) {
			t.Errorf("cirque %s: %d, want %d and %q\n%s%s", c.args, code, c.code, c.says, out, errs)
		}
	}
	if list := s.must("server", "list", "-o", "json"); strings.Contains(list, "nowhere") ||
		strings.Contains(list, "wants") {
		t.Error("what was refused was kept:", list)
	}
}

// TestDevices: a moved device is recognised where it is found, a swapped one is noticed and may be meant; scans
// propose.
func TestDevices(t *testing.T) {
	t.Parallel()
	device := func(at, serial, mac string) sim.Spec {
		return sim.Spec{For: at + ":631", Name: "d " + serial, Model: "Mono 40", Serial: serial, MAC: mac, SNMP: "public",
			Location: "Hall"}
	}
	_, lead := withStandIns(t, device("10.5.0.21", "S-1", "02:00:5e:10:05:01"), device("10.5.0.12", "S-9",
		"02:00:5e:10:05:09"), device("10.5.0.13", "S-3", "02:00:5e:10:05:03"), device("10.5.0.22", "S-4",
		"02:00:5e:10:05:04"))
	s := startService(t, lead)
	s.publish(`
estate: 1
locations: [{path: ard}, {path: ard/hall, title: Hall}]
subnets: [{cidr: 10.5.0.0/24, location: ard}]
devices:
  - {name: moved, uri: "ipp://10.5.0.11/ipp/print", mac: "02:00:5e:10:05:01", address_kept_by: static, location: ard}
  - {name: swapped, uri: "ipp://10.5.0.12/ipp/print", mac: "02:00:5e:10:05:02", address_kept_by: static, location: ard}
  - {name: fine, uri: "ipp://10.5.0.13/ipp/print", mac: "02:00:5e:10:05:03", address_kept_by: reservation, location: ard}
`)
	within(t, "all are questioned", func() bool {
		return strings.Count(s.must("device", "list"), "answers, read") == 2 &&
			strings.Contains(s.must("device", "show", "moved"), "there is no stand-in")
	})
	contains(t, "plan", s.must("device", "scan", "10.5.0.8/29", "10.5.0.21-10.5.0.23", "--dry-run"), "9 addresses",
		"3 of which are listed already", "Nothing was touched.")
	contains(t, "nothing was touched", s.must("device", "found"), "0 devices")
	contains(t, "scan", s.must("device", "scan", "10.5.0.8/29", "10.5.0.21-10.5.0.23", "--rate", "200"),
		"6 of 6 addresses asked, 2 answered that are not listed")
	contains(t, "found", s.must("device", "found"), "10.5.0.21", "S-1", "10.5.0.22", "2 devices.")
	contains(t, "moved", s.must("device", "show", "moved"), "moved: it answers at 10.5.0.21 now (hardware address "+
		"02:00:5e:10:05:01)")
	contains(t, "swapped", s.must("device", "show", "swapped"), "another device answers at its address: Mono 40, "+
		"with serial S-9")
	if out := s.must("device", "recognise", "swapped"); strings.Contains(out, "another device answers") {
		// The estate's own hardware address still says otherwise; it is written there.
		contains(t, "recognise", out, "02:00:5e:10:05:02")
	}
	contains(t, "adopt", s.must("adopt", "--device", "10.5.0.22", "--dry-run"), "d-s-4", "ard/hall")
	s.must("device", "forget", "10.5.0.22")
	contains(t, "after forgetting", s.must("device", "found"), "1 device.")
	csv := s.must("device", "reservations", "export")
	contains(t, "reservations", csv, "02:00:5e:10:05:03,10.5.0.13,fine")
	file := filepath.Join(t.TempDir(), "dhcp.json")
	if err := os.WriteFile(file, []byte(
		`{"Dhcp4":{"subnet4":[{"subnet":"10.5.0.0/24","reservations":[{"hw-address":"02-00-5E-10-05-03","ip-address":"10.5.0.99"},{"hw-address":"020000000001","ip-address":"10.5.0.77"}]}]}}`), 0o644); err != nil {
		t.Fatal(err)
	}
	contains(t, "import", s.must("device", "reservations", "import", file), "2 reservations")
	contains(t, "reserved otherwise", s.must("device", "show", "fine"), "10.5.0.99 is reserved for 02:00:5e:10:05:03 of "+
		"fine, and the estate sends to 10.5.0.13")
	contains(t, "orphans", s.must("orphans"), "10.5.0.77", "10.5.0.21")
}

// TestScanStops: a scan can be stopped, and a second one waits for the first.
func TestScanStops(t *testing.T) {
	t.Parallel()
	_, lead := withStandIns(t, sim.Spec{For: "10.5.0.1:631", Name: "d", Model: "Mono 40"})
	s := startService(t, lead)
	started, err := apiclient.Post[api.StartedScan](t.Context(), s.c, "/api/v1/stock/scans",
		api.NewScan{Ranges: []string{"10.5.0.0/22"}, Rate: 2})
	if err != nil || started.Plan.Total != 1022 || started.Plan.Seconds != 511 {
		t.Fatalf("%+v %v", started, err)
	}
	if code, _, errs := s.run("device", "scan", "10.5.0.1"); code != cmdline.ExitConflict || !strings.Contains(errs,
		"is still running") {
		t.Error(code, errs)
	}
	s.must("device", "scan", "--stop", fmt.Sprint(started.Scan.ID))
	within(t, "it stops", func() bool {
		list, err := apiclient.List[stock.Scan](t.Context(), s.c, "/api/v1/stock/scans", nil)
		return err == nil && list[0].State == "stopped" && list[0].Done < 100 && list[0].Ended != nil
	})
	contains(t, "afterwards", s.must("device", "scan", "10.5.0.1"), "1 of 1 address asked, 1 answered")
}

// TestCredentials: keys are tried when entered, sealed at rest, used, and watched for refusal.
func TestCredentials(t *testing.T) {
	t.Parallel()
	set, lead := withStandIns(t, sim.Spec{For: "wants.example:631", Name: "wants", Server: true, SignIn: "svc:right horse",
		Queues: []sim.Queue{{Name: "a"}}}, sim.Spec{For: "10.5.0.1:631", Name: "d", Model: "Mono 40", SNMP: "hush hush",
		MAC: "02:00:5e:10:05:01"})
	s := startService(t, lead)
	secret := func(text string, args ...string) string {
		code, out, errs := s.runWith(text, args...)
		if code != cmdline.ExitOK {
			t.Fatalf("%v: %d %s%s", args, code, out, errs)
		}
		return out
	}
	if code, _, errs := s.runWith("wrong\n", "credential", "add", "svc", "--user", "svc", "--allow-clear",
		"--try", "wants.example"); code != cmdline.ExitInvalid || !strings.Contains(errs, "wants.example refuses the key; "+
		"check the name and the secret") {
		t.Error("a wrong one was taken:", code, errs)
	}
	contains(t, "the right one", secret("right horse\n", "credential", "add", "svc", "--user", "svc",
		"--allow-clear", "--try", "wants.example"), "works")
	contains(t, "used", s.must("server", "add", "wants.example", "--credential", "svc"), "wants is registered", "1 queue")
	secret("hush hush\n", "credential", "add", "snmp", "--kind", "snmp", "--for", "10.5.0.0/24")
	contains(t, "over SNMP", s.must("device", "add", "10.5.0.1"), "SNMP               yes", "02:00:5e:10:05:01")
	list := s.must("credential", "list", "-o", "json")
	for _, part := range []string{"right horse", "hush hush"} {
		if strings.Contains(list, part) || strings.Contains(s.events(), part) {
			t.Error("a secret is shown")
		}
	}
	if info, err := os.Stat(filepath.Join(s.data, "secret-key")); err != nil || info.Mode().Perm() != 0o600 {
		t.Error("the key beside the data:", info, err)
	}
	// The server's password changes: the next reading notices.
	set.Printers[0].SignIn = "svc:another"
	if code, _, _ := s.run("server", "read", "wants"); code != cmdline.ExitOK && code != cmdline.ExitDenied {
		t.Error("reading:", code)
	}
	within(t, "the refusal is told", func() bool { return strings.Contains(s.events(), "The key svc is refused") })
	contains(t, "list", s.must("credential", "list"), "refused")
	if code, _, errs := s.runWith("\n", "credential", "add", "empty", "--user", "x"); code == cmdline.ExitOK {
		t.Error("an empty secret was taken:", errs)
	}
	s.must("credential", "remove", "svc")
}

// TestCapture: a reference machine's queues are handed in with its own token, and adopted.
func TestCapture(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish("estate: 1\nlocations: [{path: ard}]\nsubnets: [{cidr: 10.5.0.0/24, location: ard}]\n")
	queues := []stock.Queue{{Name: "Front Desk", State: "unknown", Model: "Mono 40 PCL6",
		Device: "ipp://10.5.0.31/ipp/print", Defaults: map[string]any{"sides": "two-sided-long-edge"}}, {Name: "to-a-file",
		State: "unknown", Device: "file:///dev/null"}}
	agent := s.client(s.tokenFor("agent", access.Agent, "desk-1"))
	if _, err := apiclient.Post[stock.Capture](t.Context(), agent, "/api/v1/stock/captures",
		api.NewCapture{Machine: "desk-2", Queues: queues}); err == nil {
		t.Error("another machine's queues were handed in")
	}
	if _, err := apiclient.Post[stock.Capture](t.Context(), agent, "/api/v1/stock/captures",
		api.NewCapture{Machine: "desk-1", Platform: "windows/x64", Queues: queues}); err != nil {
		t.Fatal(err)
	}
	contains(t, "dry", s.must("adopt", "--machine", "desk-1", "--dry-run"), "front-desk", "leads over no network",
		"2 queues would be adopted")
	s.must("adopt", "--machine", "desk-1", "--queue", "Front Desk")
	s.must("publish", "-m", "captured")
	q, err := apiclient.Get[map[string]any](t.Context(), s.c, "/api/v1/queues/front-desk", nil)
	if err != nil || q["location"] != "ard" || q["defaults"].(map[string]any)["sides"] != "two-sided-long-edge" {
		t.Errorf("%v %v", q, err)
	}
}

// TestTables: many together by a table and by a pattern.
func TestTables(t *testing.T) {
	t.Parallel()
	_, lead := withStandIns(t, twelve()...)
	s := startService(t, lead)
	s.publish("estate: 1\nlocations: [{path: ard}]\n")
	s.must("server", "add", "ps-old.example")
	file := filepath.Join(t.TempDir(), "found.csv")
	contains(t, "write", s.must("adopt", "--server", "ps-old", "--write", file), "12 proposals written")
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.SplitAfter(string(b), "\n")
	if err := os.WriteFile(file, []byte(strings.Replace(strings.Join(lines[:4], ""), "floor-1,", "ground-floor,", 1)),
		0o644); err != nil {
		t.Fatal(err)
	}
	contains(t, "read back", s.must("adopt", "--server", "ps-old", "--table", file), "3 queues adopted")
	contains(t, "rename", s.must("queue", "rename", "old-{name}", "ground-floor", "floor-2"), "old-ground-floor",
		"old-floor-2")
	table := s.must("queue", "table")
	contains(t, "table", table, "old-ground-floor,", "server:ps-old=Floor 1; device:floor-1")
	if err := os.WriteFile(file, []byte("name,labels\nold-floor-2,mono a4\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	s.must("queue", "apply-table", file)
	contains(t, "labelled", s.must("queue", "table", "old-floor-2"), "mono a4")
	if err := os.WriteFile(file, []byte("name,lables\nold-floor-2,x\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if code, _, errs := s.run("queue", "apply-table", file); code != cmdline.ExitInvalid || !strings.Contains(errs,
		file+`:1: there is no column "lables"; did you mean labels?`) {
		t.Error(code, errs)
	}
	q, err := apiclient.Get[map[string]any](t.Context(), s.c, "/api/v1/draft/document", nil)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := json.Marshal(q)
	if err != nil || !slices.Contains([]bool{strings.Contains(string(doc), `"formerly":["ground-floor"]`)}, true) {
		t.Error("the old name leads nowhere:", string(doc))
	}
}
