package adopt_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/adopt"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

// twoLanguages is a package with two languages for one model.
func twoLanguages() []driver.Package {
	return []driver.Package{{Digest: "p", Models: []driver.Model{
		{Exact: "Mono 40 PCL6", Platform: "windows/x64", Language: "PCL6"},
		{Exact: "Mono 40 PS", Platform: "windows/x64", Language: "PostScript"},
		{Exact: "Mono 40 PS", Platform: "linux/x64", Language: "PostScript"}}}}
}

// TestProposeDevice: a device alone brings the marked driver of its model for the platforms that machines have, and is
// called by a pattern.
func TestProposeDevice(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, worlds.Harbour)
	machines := map[string]int{"windows/x64": 2}
	p := adopt.NewProposer(doc, twoLanguages(), nil, machines, nil)
	if err := p.NamedBy("{plac}"); !fault.Is(err, fault.Invalid) {
		t.Errorf("a word that stands for nothing: %v", err)
	}
	if err := p.NamedBy("{last}-{model}-{n}"); err != nil {
		t.Fatal(err)
	}
	at := func(address string) adopt.Proposal {
		return p.Propose(adopt.Found{Kind: stock.KindDevice, From: address, Device: &stock.Device{Model: "Mono 40",
			Location: "Booking hall"}, Queue: stock.Queue{Name: "printer", Model: "Mono 40",
			Device: "ipp://" + address + "/ipp/print"}})
	}
	one, two := at("10.1.9.41"), at("10.1.9.42")
	if one.Queue.Name != "hall-mono-40-1" || one.Device.Name != "hall-mono-40-1" || two.Queue.Name != "hall-mono-40-2" {
		t.Errorf("%s %+v %s", one.Queue.Name, one.Device, two.Queue.Name)
	}
	// The estate has the driver already; of the other platform no machine is known.
	if len(one.Drivers) != 0 || len(one.Queue.Drivers) != 2 ||
		one.Queue.Drivers["windows/x64"] != two.Queue.Drivers["windows/x64"] ||
		!strings.Contains(strings.Join(one.Remarks, ";"), `the driver "Mono 40 PCL6" is proposed: PCL6 is the usual`) {
		t.Errorf("%+v %+v", one.Queue, one.Remarks)
	}
	applied(t, doc, one, two)
	// A title without end leaves no room for the number; without one in the pattern, names are kept apart all the same.
	for _, pattern := range []string{"{title}-{n}", "{model}"} {
		if err := p.NamedBy(pattern); err != nil {
			t.Fatal(err)
		}
		long := func(address string) adopt.Proposal {
			return p.Propose(adopt.Found{Kind: stock.KindDevice, From: address, Queue: stock.Queue{Name: "printer",
				Title: strings.Repeat("long ", 40), Model: "Mono 40", Device: "ipp://" + address + "/ipp/print"}})
		}
		three, four := long("10.1.9.43"), long("10.1.9.44")
		if three.Queue.Name == four.Queue.Name || len(four.Queue.Name) > 63 {
			t.Errorf("%s: %s and %s", pattern, three.Queue.Name, four.Queue.Name)
		}
	}
}

// TestSecond: another queue on the same devices speaks another language; ways through servers are left out.
func TestSecond(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, worlds.Harbour)
	q := doc.Queues[slices.IndexFunc(doc.Queues, func(q estate.Queue) bool { return q.Name == "hall" })]
	ask := func(model, called, language string) (adopt.Proposal, error) {
		return adopt.NewProposer(doc, twoLanguages(), nil, nil, nil).Second(q, model, called, "", language)
	}
	got, err := ask("Mono 40", "hall-ps", "postscript")
	if err != nil {
		t.Fatal(err)
	}
	n := got.Queue
	if n.Name != "hall-ps" || n.Title != q.Title+" (PostScript)" || !slices.Equal(n.Devices, q.Devices) ||
		len(n.Formerly) != 0 || len(got.Drivers) == 0 || n.Drivers["linux/x64"] == "" || n.Drivers["*"] != estate.Driverless {
		t.Errorf("%+v %+v", n, got.Drivers)
	}
	for _, x := range n.Paths {
		if x.Server != "" || x.Set != "" {
			t.Errorf("it leads through a server that has no such queue: %+v", x)
		}
	}
	applied(t, doc, got)
	for what, c := range map[string]struct{ model, called, language, want string }{
		"no such language": {"Mono 40", "x", "ZPL", "write one of PCL6, PostScript"},
		"no such model":    {"Wide 90", "x", "PCL6", "add a package"},
		"unread":           {"", "x", "PCL6", "nobody knows yet which model"},
		"taken":            {"Mono 40", "hall", "PCL6", "there is a queue hall"},
	} {
		if _, err := ask(c.model, c.called, c.language); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// applied puts proposals into a document, which holds together then.
func applied(t *testing.T, doc *estate.Document, list ...adopt.Proposal) {
	t.Helper()
	edits, err := adopt.Edits(list)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := estate.ParseEdits(edits, doc, doc, estate.Options{}); err != nil {
		t.Error(err)
	}
}
