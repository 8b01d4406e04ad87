package lineup_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
)

// TestPluggedIn: what is plugged into a machine serves whoever works at that machine, and nobody in a session
// elsewhere; why says so, and findings what nobody can reach.
func TestPluggedIn(t *testing.T) {
	t.Parallel()
	doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: `
estate: 1
devices: [{name: slip, uri: "usb://Skerrymark/Slip%203?serial=SK-3", machine: Till-07}]
queues:
  - {name: slips, devices: [slip], paths: [{device: slip}]}
  - {name: far, devices: [slip], paths: [{gateway: true}]}
grants:
  - {name: g, effect: place, queues: [slips], to: [everyone]}
  - {name: h, effect: place, queues: [far], to: [everyone]}
`}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	d := directory.New(directory.Records{Users: []directory.User{{Name: "mira"}}})
	w := lineup.Bind(lineup.Compile(doc, 1, lineup.Options{}), d, live.State{})
	for _, c := range []struct {
		machine, session string
		has              bool
	}{{"till-07", "desktop", true}, {"TILL-07", "desktop", true}, {"till-08", "desktop", false}, {"", "desktop", false},
		{"till-07", "remote", false}} {
		at := lineup.Context{User: "mira", Machine: c.machine, Session: c.session, Time: time.Now()}
		why, err := w.Why(at, "slips")
		if err != nil {
			t.Fatal(err)
		}
		if got := why.Present; got != c.has {
			t.Errorf("%+v: %v", c, got)
		}
		p := why.Paths[0]
		if len(p.Conditions) != 1 || p.Conditions[0].Kind != "on" || p.Conditions[0].Holds != c.has ||
			p.Conditions[0].Wanted[0] != "machine:Till-07" || !c.has && !strings.Contains(p.Says,
			"the device slip is plugged into Till-07, and serves nobody elsewhere") {
			t.Errorf("%+v: %+v", c, p)
		}
	}
	says := ""
	for _, f := range lineup.Check(w.Estate, d) {
		says += f.Object + ": " + f.Says + "\n"
	}
	for _, want := range []string{"queue far: its path through the gateway leads nowhere: slip is plugged into Till-07",
		"device slip: neither the directory nor the estate knows machine:Till-07"} {
		if !strings.Contains(says, want) {
			t.Errorf("%q is not said:\n%s", want, says)
		}
	}
}
