package adopt_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/adopt"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

// TestPropose: what was found becomes estate that holds together, whichever of it is taken.
func TestPropose(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
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
	p := adopt.NewProposer(doc, packages, readings, map[string]int{"windows/x64": 3}, []stock.Watch{{Kind: "device",
		Name: "as-registered", URI: "ipp://10.2.0.8/ipp/print", MAC: "02:00:5e:10:00:78", AddressKeptBy: "static",
		Location: "bra"}})
	watch := &stock.Watch{Kind: "server", Name: "pier", URI: "ipp://pier.example/", Location: "Pier"}
	var list []adopt.Proposal
	for _, q := range pier.Queues {
		list = append(list, p.Propose(adopt.Found{From: "pier", Kind: "server", Queue: q, Watch: watch}))
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
		var some []adopt.Proposal
		for i := range list {
			if mask&(1<<i) != 0 {
				some = append(some, list[i])
			}
		}
		edits, err := adopt.Edits(some)
		if err != nil {
			t.Fatal(err)
		}
		if n := len(worlds.With(t, doc, edits).Queues); n != len(doc.Queues)+len(some) {
			t.Errorf("choice %b: %d queues", mask, n)
		}
	}
	// A server of a set: through the set only where all members have it; and what leads there already is said.
	known := p.Propose(adopt.Found{From: "ps-1", Kind: "server", Queue: pier.Queues[0]})
	if known.Queue.Paths[0].Set != "pair" {
		t.Errorf("through %+v", known.Queue.Paths)
	}
	lone := p.Propose(adopt.Found{From: "ps-1", Kind: "server", Queue: pier.Queues[2]})
	if lone.Queue.Paths[0].Server != "ps-1" || !strings.Contains(lone.Remarks[0], "the set pair cannot carry it: it is "+
		"not on ps-2") {
		t.Errorf("through %+v, %v", lone.Queue.Paths, lone.Remarks)
	}
	if again := p.Propose(adopt.Found{From: "ps-1", Kind: "server", Queue: pier.Queues[3]}); again.Already != "hall" {
		t.Errorf("%+v", again)
	}
	// A device that somebody registered keeps its name, whichever queue leads to it.
	kept := p.Propose(adopt.Found{From: "pier", Kind: "server", Queue: stock.Queue{Name: "To it",
		Device: "socket://10.2.0.8:9100"}})
	if d := kept.Device; d == nil || d.Name != "as-registered" || d.URI != "ipp://10.2.0.8/ipp/print" || d.MAC == "" ||
		d.AddressKeptBy != "static" || d.Location != "bra" || kept.Queue.Paths[1].Device != "as-registered" {
		t.Errorf("%+v %+v", kept.Device, kept.Queue)
	}
	device := p.Propose(adopt.Found{From: "10.2.0.9", Kind: "device", Queue: stock.Queue{Name: "Slip",
		Device: "ipp://10.2.0.9/ipp/print"}, Device: &stock.Device{MAC: "02:00:5e:10:00:77", Colour: yes(),
		URI: "ipp://10.2.0.9/ipp", Model: "Slip 3"}})
	if device.Device.MAC != "02:00:5e:10:00:77" || device.Device.URI != "ipp://10.2.0.9/ipp" ||
		device.Queue.Location != "bra" || device.Queue.Paths[0].Device != "slip" || device.Queue.Labels[0] != "colour" {
		t.Errorf("%+v %+v", device.Device, device.Queue)
	}
}

func TestProposalTable(t *testing.T) {
	list := []adopt.Proposal{
		{From: "ps", Kind: "server", Found: "Lane, \"1\"", Queue: estate.Queue{Name: "lane-1", Title: "Lane one",
			Labels: []string{"mono", "a4"}, Paths: []estate.Path{{Server: "ps", RemoteName: "Lane, \"1\""}}},
			Device: &estate.Device{Name: "lane-1"}},
		{From: "ps", Kind: "server", Found: "two", Queue: estate.Queue{Name: "two", Paths: []estate.Path{{Server: "ps"}}}},
	}
	text := adopt.ProposalTable(list)
	same, err := adopt.ChosenFrom(list, "t.csv", text)
	if err != nil || len(same) != 2 || same[0].Queue.Name != "lane-1" ||
		same[0].Queue.Paths[0].RemoteName != "Lane, \"1\"" {
		t.Fatal(same, err)
	}
	lines := strings.SplitAfter(text, "\n")
	edited := strings.Replace(lines[0]+lines[2], "two,two,", "two,lane-2,", 1)
	got, err := adopt.ChosenFrom(list, "t.csv", edited)
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
		if _, err := adopt.ChosenFrom(list, "t.csv", bad); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", bad, err, says)
		}
	}
}

func yes() *bool { b := true; return &b }
