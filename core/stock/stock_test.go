package stock_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/document"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/stock"
)

func parse(t testing.TB, text string) *estate.Document {
	t.Helper()
	doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: text}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

// with applies edits to a document, as a draft does.
func with(t testing.TB, doc *estate.Document, edits []estate.Edit) *estate.Document {
	t.Helper()
	changes, err := estate.ParseEdits(edits, doc, doc, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return doc.With(changes)
}

const harbour = `
estate: 1
locations: [{path: ard, title: Ardholm}, {path: ard/hall, title: Booking hall}, {path: ard/pier, title: Pier}, {path: bra, title: Brannoy}]
subnets: [{cidr: 10.1.0.0/16, location: ard}, {cidr: 10.1.8.0/24, location: ard/pier}, {cidr: 10.2.0.0/16, location: bra}]
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}, {name: ps-2, uri: "ipp://ps-2.example/"}, {name: ps-3, uri: "ipp://ps-3.example/", location: bra}]
server_sets: [{name: pair, style: standby, members: [ps-1, ps-2]}]
devices:
  - {name: d1, uri: "ipp://10.1.0.11/ipp/print", mac: "02:00:5e:10:00:01", address_kept_by: reservation, location: ard/hall}
  - {name: d2, uri: "ipp://10.1.0.12/ipp/print", mac: "02:00:5e:10:00:02", address_kept_by: static, location: ard/hall}
  - {name: d3, uri: "socket://10.1.0.13:9100", location: ard/hall}
drivers: [{name: mono, exact: "Mono 40 PCL6", platform: windows/x64}, {name: label, exact: "Label-2", platform: windows/x64}]
queues:
  - {name: hall, location: ard/hall, devices: [d1], paths: [{set: pair, remote_name: "Hall Mono"}], drivers: {windows/x64: mono, "*": driverless}, defaults: {sides: two-sided-long-edge}}
  - {name: both, devices: [d2], paths: [{server: ps-1, at: ["location:ard"]}, {device: d2}]}
  - {name: pool, devices: [d1, d2], paths: [{server: ps-1}]}
  - {name: raw, devices: [d3], paths: [{server: ps-1}]}
  - {name: bare, paths: [{server: ps-1}]}
  - {name: labels, devices: [d2], paths: [{server: ps-1, remote_name: Labels}], drivers: {windows/x64: label}}
grants: [{name: g, effect: place, queues: [hall, both], to: [everyone]}]
`

func yes() *bool { b := true; return &b }
func no() *bool  { b := false; return &b }

func TestThrough(t *testing.T) {
	got := stock.Through(parse(t, harbour), "ps-2")
	if len(got) != 1 || !slices.Equal(got["Hall Mono"], []string{"hall"}) {
		t.Error(got)
	}
	if got := stock.Through(parse(t, harbour), "ps-1"); len(got) != 6 {
		t.Error(got)
	}
}

func TestServerDifferences(t *testing.T) {
	s := &stock.Server{Queues: []stock.Queue{
		{Name: "Hall Mono", Device: "ipp://10.1.0.11/ipp/print", Model: "Mono 40 PCL6"}, {Name: "both",
			Device: "socket://10.1.0.99:9100"}, {Name: "pool", Shared: no()},
		{Name: "Raw", Device: "socket://10.1.0.13:9100"}, {Name: "Labels", Model: "Label 2"}, {Name: "extra", Shared: yes()},
	}}
	got := map[string]string{}
	for _, d := range stock.ServerDifferences(parse(t, harbour), "ps-1", s) {
		got[d.Kind+" "+d.Queue] = d.Severity + ": " + d.Says + " / " + d.Fix
	}
	for key, part := range map[string]string{
		"other-device both":   "warning: on ps-1, \"both\" leads to 10.1.0.99; in the estate both leads to d2 at 10.1.0.12",
		"not-shared pool":     "people cannot reach it there",
		"gone raw":            `the server has "Raw": write that as remote_name, to the letter`,
		"gone bare":           "error: bare leads through ps-1, which has no queue \"bare\"",
		"other-driver Labels": "they differ at letter 6: a space against a hyphen",
		"unlisted extra":      "note: ",
		"unlisted Raw":        "note: ",
	} {
		if !strings.Contains(got[key], part) {
			t.Errorf("%s: %q, want %q in it", key, got[key], part)
		}
	}
	if len(got) != 7 {
		t.Errorf("%d differences: %v", len(got), got)
	}
	if d := stock.ServerDifferences(parse(t, harbour), "ps-1", nil); d == nil || len(d) != 0 {
		t.Error("of a server that was not read:", d)
	}
}

func TestServerChanges(t *testing.T) {
	at := time.Date(2026, 11, 1, 8, 0, 0, 0, time.UTC)
	later := at.Add(time.Hour)
	a := &stock.Server{Started: &at, Queues: []stock.Queue{{Name: "a", Model: "M 1", State: "idle"},
		{Name: "b", Device: "ipp://10.1.0.1/"}, {Name: "c", Defaults: map[string]any{"print-quality": 5.0}}, {Name: "gone"}}}
	b := &stock.Server{Started: &later, Queues: []stock.Queue{{Name: "a", Model: "M 2", State: "stopped", Jobs: 4},
		{Name: "b", Device: "ipp://10.1.0.2/"}, {Name: "c", Defaults: map[string]any{"print-quality": 5}}, {Name: "new"}}}
	var kinds []string
	for _, c := range stock.ServerChanges("ps", a, b) {
		kinds = append(kinds, c.Kind+" "+c.Subject)
	}
	if want := []string{"restarted ", "driver a", "address b", "queue-new new",
		"queue-gone gone"}; !slices.Equal(kinds, want) {
		t.Errorf("%v, want %v", kinds, want)
	}
	if c := stock.ServerChanges("ps", nil, b); c != nil {
		t.Error("a first reading is no change:", c)
	}
	many := &stock.Server{}
	for i := range 200 {
		many.Queues = append(many.Queues, stock.Queue{Name: strings.Repeat("q", i+1)})
	}
	if c := stock.ServerChanges("ps", &stock.Server{}, many); len(c) != 51 ||
		c[50].Says != "150 more things changed on ps" {
		t.Errorf("%d changes, the last %+v", len(c), c[len(c)-1])
	}
	slow := at.Add(30 * time.Second)
	if stock.Restarted(a, &stock.Server{Started: &slow}) || stock.Restarted(nil, b) || !stock.Restarted(a, b) {
		t.Error("restarts are not told from drift")
	}
	if !stock.SameServer(a, &stock.Server{At: later, Started: &slow, Queues: a.Queues}) || stock.SameServer(a, b) ||
		stock.SameServer(nil, b) {
		t.Error("readings that tell the same are not told")
	}
}

func TestComparePair(t *testing.T) {
	a := &stock.Server{Queues: []stock.Queue{{Name: "x", Model: "M-1", Defaults: map[string]any{"sides": "one-sided",
		"media": "a4"}, Shared: yes()}, {Name: "only"}, {Name: "same", Defaults: map[string]any{"n": 1}}}}
	b := &stock.Server{Queues: []stock.Queue{{Name: "x", Model: "M 1", Device: "ipp://h/",
		Defaults: map[string]any{"sides": "two-sided-long-edge"}, Shared: no()}, {Name: "same",
		Defaults: map[string]any{"n": 1.0}}, {Name: "there"}}}
	got := stock.ComparePair(a, b)
	if len(got) != 4 || got[0].On != "first" || !got[1].Same || got[2].On != "second" || got[3].Queue != "x" {
		t.Fatalf("%+v", got)
	}
	if want := []string{`driver: "M-1" and "M 1": they differ at letter 2: a hyphen against a space`,
		"device: none and ipp://h/", "default media: a4 and unset", "default sides: one-sided and two-sided-long-edge",
		"shared on one only"}; !slices.Equal(got[3].Says, want) {
		t.Errorf("%q", got[3].Says)
	}
}

// TestPropose: what was found becomes estate that holds together, whichever of it is taken.
func TestPropose(t *testing.T) {
	doc := parse(t, harbour)
	packages := []driver.Package{{Digest: "p", Models: []driver.Model{{Exact: "Slip 3  v1.4", Platform: "windows/x64"},
		{Exact: "Slip 3  v1.4", Platform: "windows/x86"}, {Exact: "Wide 90", Platform: "windows/x64"}}}}
	pier := &stock.Server{Queues: []stock.Queue{
		{Name: "Lane 1", Title: "Lane one", Location: "Booking hall", Model: "Slip 3  v1.4",
			Device: "ipp://10.1.8.41/ipp/print", Supported: map[string][]string{"media": {"iso_a4_210x297mm"},
				"print-color-mode": {"monochrome"}}, Defaults: map[string]any{"sides": "one-sided", "copies": 3, "number-up": 1}},
		{Name: "Lane 1 draft", Model: "Slip 3 v1.4", Device: "ipp://10.1.8.41/ipp/print"},
		{Name: "hall", Device: "ipp://10.1.0.11/"},
		{Name: "Hall Mono", Model: "Mono 40 PCL6"},
		{Name: "Över/Kø", Device: "usb://Maker/1"},
	}}
	readings := map[string]*stock.Server{"pier": pier, "ps-1": pier, "ps-2": {Queues: pier.Queues[:1]}}
	p := stock.NewProposer(doc, packages, readings, map[string]int{"windows/x64": 3}, []stock.Watch{{Kind: "device",
		Name: "as-registered", URI: "ipp://10.2.0.8/ipp/print", MAC: "02:00:5e:10:00:78", AddressKeptBy: "static",
		Location: "bra"}})
	watch := &stock.Watch{Kind: "server", Name: "pier", URI: "ipp://pier.example/", Location: "Pier"}
	var list []stock.Proposal
	for _, q := range pier.Queues {
		list = append(list, p.Propose(stock.Found{From: "pier", Kind: "server", Queue: q, Watch: watch}))
	}
	first, second := list[0], list[1]
	if first.Queue.Name != "lane-1" || first.Queue.Title != "Lane one" || first.Queue.Location != "ard/hall" ||
		!slices.Equal(first.Queue.Labels, []string{"mono", "a4"}) || len(first.Queue.Defaults) != 1 {
		t.Errorf("%+v", first.Queue)
	}
	if len(first.Queue.Paths) != 2 || first.Queue.Paths[0].Server != "pier" ||
		first.Queue.Paths[0].RemoteName != "Lane 1" || first.Queue.Paths[1].Device != "lane-1" {
		t.Errorf("paths %+v", first.Queue.Paths)
	}
	if len(first.Drivers) != 1 || first.Drivers[0].Platform != "windows/x64" || first.Queue.Drivers["*"] != "driverless" {
		t.Errorf("only for platforms that machines have: %+v", first.Drivers)
	}
	if first.Device == nil || second.Device == nil || second.Device.Name != "lane-1" || !slices.Equal(second.Queue.Devices,
		[]string{"lane-1"}) || len(second.Queue.Paths) != 2 {
		t.Errorf("the second queue on one device: %+v", second)
	}
	if len(second.Queue.Drivers) != 0 || !strings.Contains(strings.Join(second.Remarks, "; "),
		`nearest known name is "Slip 3  v1.4": they differ at letter`) {
		t.Errorf("a near miss is not pointed out: %v", second.Remarks)
	}
	if list[2].Queue.Name != "pier-hall" || list[2].Device != nil || !slices.Equal(list[2].Queue.Devices, []string{"d1"}) {
		t.Errorf("a name that is taken, a device that is known: %+v", list[2])
	}
	if list[3].Queue.Drivers["windows/x64"] != "mono" || len(list[3].Drivers) != 0 {
		t.Errorf("a driver that the estate has: %+v", list[3])
	}
	if list[4].Queue.Name != "over-ko" || !strings.Contains(strings.Join(list[4].Remarks, ";"), "leads over no network") {
		t.Errorf("%+v", list[4])
	}
	// Any choice of them holds together.
	for mask := range 1 << len(list) {
		var some []stock.Proposal
		for i := range list {
			if mask&(1<<i) != 0 {
				some = append(some, list[i])
			}
		}
		edits, err := stock.Edits(some)
		if err != nil {
			t.Fatal(err)
		}
		if n := len(with(t, doc, edits).Queues); n != len(doc.Queues)+len(some) {
			t.Errorf("choice %b: %d queues", mask, n)
		}
	}
	// A server of a set: through the set only where all members have it; and what leads there already is said.
	known := p.Propose(stock.Found{From: "ps-1", Kind: "server", Queue: pier.Queues[0]})
	if known.Queue.Paths[0].Set != "pair" {
		t.Errorf("through %+v", known.Queue.Paths)
	}
	lone := p.Propose(stock.Found{From: "ps-1", Kind: "server", Queue: pier.Queues[2]})
	if lone.Queue.Paths[0].Server != "ps-1" || !strings.Contains(lone.Remarks[0], "the set pair cannot carry it: it is "+
		"not on ps-2") {
		t.Errorf("through %+v, %v", lone.Queue.Paths, lone.Remarks)
	}
	if again := p.Propose(stock.Found{From: "ps-1", Kind: "server", Queue: pier.Queues[3]}); again.Already != "hall" {
		t.Errorf("%+v", again)
	}
	// A device that somebody registered keeps its name, whichever queue leads to it.
	kept := p.Propose(stock.Found{From: "pier", Kind: "server", Queue: stock.Queue{Name: "To it",
		Device: "socket://10.2.0.8:9100"}})
	if d := kept.Device; d == nil || d.Name != "as-registered" || d.URI != "ipp://10.2.0.8/ipp/print" || d.MAC == "" ||
		d.AddressKeptBy != "static" || d.Location != "bra" || kept.Queue.Paths[1].Device != "as-registered" {
		t.Errorf("%+v %+v", kept.Device, kept.Queue)
	}
	device := p.Propose(stock.Found{From: "10.2.0.9", Kind: "device", Queue: stock.Queue{Name: "Slip",
		Device: "ipp://10.2.0.9/ipp/print"}, Device: &stock.Device{MAC: "02:00:5e:10:00:77", Colour: yes(),
		URI: "ipp://10.2.0.9/ipp", Model: "Slip 3"}})
	if device.Device.MAC != "02:00:5e:10:00:77" || device.Device.URI != "ipp://10.2.0.9/ipp" ||
		device.Queue.Location != "bra" || device.Queue.Paths[0].Device != "slip" || device.Queue.Labels[0] != "colour" {
		t.Errorf("%+v %+v", device.Device, device.Queue)
	}
}

func TestProposalTable(t *testing.T) {
	list := []stock.Proposal{
		{From: "ps", Kind: "server", Found: "Lane, \"1\"", Queue: estate.Queue{Name: "lane-1", Title: "Lane one",
			Labels: []string{"mono", "a4"}, Paths: []estate.Path{{Server: "ps", RemoteName: "Lane, \"1\""}}},
			Device: &estate.Device{Name: "lane-1"}},
		{From: "ps", Kind: "server", Found: "two", Queue: estate.Queue{Name: "two", Paths: []estate.Path{{Server: "ps"}}}},
	}
	text := stock.ProposalTable(list)
	same, err := stock.ChosenFrom(list, "t.csv", text)
	if err != nil || len(same) != 2 || same[0].Queue.Name != "lane-1" ||
		same[0].Queue.Paths[0].RemoteName != "Lane, \"1\"" {
		t.Fatal(same, err)
	}
	lines := strings.SplitAfter(text, "\n")
	edited := strings.Replace(lines[0]+lines[2], "two,two,", "two,lane-2,", 1)
	got, err := stock.ChosenFrom(list, "t.csv", edited)
	if err != nil || len(got) != 1 || got[0].Queue.Name != "lane-2" || got[0].Queue.Paths[0].RemoteName != "two" ||
		list[1].Queue.Paths[0].RemoteName != "" {
		t.Fatal(got, err)
	}
	for bad, says := range map[string]string{
		lines[0] + lines[1] + lines[1]:                            "t.csv:3: \"Lane, \\\"1\\\"\" of ps stands there twice",
		lines[0] + strings.Replace(lines[2], "two,", "three,", 1): `ps has no queue "three" that was found`,
		strings.Replace(edited, "lane-2", "Lane 2", 1):            `t.csv:2: "Lane 2" is no name for a queue`,
		"nmae,from,found\nx,ps,two\n":                             `t.csv:1: there is no column "nmae"`,
		"":                                                        "t.csv has 0 lines",
		"\"":                                                      "t.csv is no table",
	} {
		if _, err := stock.ChosenFrom(list, "t.csv", bad); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", bad, err, says)
		}
	}
}

func TestSlug(t *testing.T) {
	for s, want := range map[string]string{"Booking Hall, 2nd": "booking-hall-2nd", "  Över/Kø  ": "over-ko",
		"Straße": "strase", "日本": "", "---": "", strings.Repeat("ab ", 40): strings.TrimRight(strings.Repeat("ab-",
			40)[:63], "-")} {
		if got := stock.Slug(s); got != want {
			t.Errorf("%q: %q, want %q", s, got, want)
		}
	}
}
