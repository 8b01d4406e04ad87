package findings_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/directory"
	"cirque/core/findings"
	"cirque/core/lineup"
	"cirque/internal/testkit/worlds"
)

// TestKept: what a kept server cannot be given is remarked on, at the object and key where it is mended; the worst is
// that it lets more people print than the estate.
func TestKept(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, `
estate: 1
locations: [{path: ard}]
servers: [{name: ps, uri: "ipp://ps.example/", kept: true}, {name: pt, uri: "ipp://pt.example/", kept: true, machine: ps},
  {name: win, uri: "ipp://win.example/", kept: true, platform: windows/x64}, {name: other, uri: "ipp://other.example/"}]
drivers: [{name: mono, exact: Mono 40, platform: windows}]
devices: [{name: d, uri: "ipp://10.1.0.11/ipp/print"}, {name: e, uri: "ipp://10.1.0.12/ipp/print"}, {name: slip, uri: "usb://A/B", machine: desk}]
queues:
  - {name: good, devices: [d], paths: [{server: ps}], access: {allow: ["group:clerks"]}}
  - {name: placed, devices: [d], paths: [{server: ps}], access: {allow: ["location:ard"]}}
  - {name: spaced, devices: [d], paths: [{server: ps, remote_name: Hall Mono}]}
  - {name: bare, paths: [{server: ps}]}
  - {name: slip, devices: [slip], paths: [{server: ps}]}
  - {name: driven, devices: [d], paths: [{server: ps}], drivers: {windows: mono}}
  - {name: pool, devices: [d, e], paths: [{server: win}]}
  - {name: ghost, devices: [d], paths: [{server: ps}], access: {allow: ["user:ghost"]}}
  - {name: twin, devices: [d], paths: [{server: ps, remote_name: good}]}
  - {name: read, devices: [d], paths: [{server: other, remote_name: Hall Mono}], access: {allow: ["location:ard"]}}
`)
	d := directory.New(directory.Records{Users: []directory.User{{Name: "mira"}}, Groups: []directory.Group{{Name: "clerks",
		Members: []string{"user:mira"}}}})
	want := map[string]string{"queue placed": "lets more people print", "queue spaced": "takes no space",
		"queue bare": "has no device", "queue slip": "plugged into desk", "queue driven": "fits linux/x64",
		"queue pool": "no classes", "queue ghost": "does not know ghost", "queue twin": "would both be called",
		"server pt": "one machine keeps one server"}
	got := findings.Kept(doc, d)
	for _, f := range got {
		says, ok := want[f.Object]
		if !ok || !strings.Contains(f.Says, says) || f.Fix == "" || f.Key == "" {
			t.Errorf("%+v", f)
		}
		delete(want, f.Object)
	}
	if len(want) > 0 {
		t.Errorf("nothing is said of %v", want)
	}
	all := findings.Check(lineup.Compile(doc, 1, lineup.Options{}), d)
	if !slices.IsSortedFunc(all, func(a, b lineup.Finding) int { return -strings.Compare(a.Severity, b.Severity) }) ||
		len(all) < len(got) {
		t.Errorf("%+v", all)
	}
}
