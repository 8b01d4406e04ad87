package lineup_test

import (
	"strings"
	"testing"

	"cirque/core/lineup"
)

const checkDirectory = `
directory: 1
users: [{name: mira, unit: staff/booking}, {name: jonas, unit: staff/yard}, {name: temp, unit: temps}]
groups:
  - {name: clerks, members: ["user:mira", "user:jonas"]}
  - {name: desks, members: ["machine:desk-1"]}
  - {name: nobody}
machines: [{name: desk-1, unit: machines, platform: windows/x64}, {name: tablet, unit: machines, platform: ios/arm64}]
`

const checkEstate = `
estate: 1
locations: [{path: a}, {path: b}]
subnets: [{cidr: 10.0.0.0/8, location: a}]
servers: [{name: s, uri: "ipp://s/"}]
drivers: [{name: d, exact: D, platform: windows/x64}]
devices: [{name: p, uri: "ipp://10.1.1.1/"}]
`

// TestFindings has one thing to remark on in each row; the estate without it has none.
func TestFindings(t *testing.T) {
	t.Parallel()
	const queue = "queues: [{name: q, devices: [p], paths: [{device: p}]}]\n"
	const plain = queue + "grants: [{name: g, effect: place, queues: [q], to: ['group:clerks']}"
	for name, c := range map[string]struct{ add, severity, object, says string }{
		"nothing": {plain + "]", "", "", ""},
		"selects nothing": {plain + ", {name: h, effect: offer, queues: ['label:x'], to: ['user:temp']}]",
			"warning", "grant h", "label:x selects no queue"},
		"an empty group": {plain + ", {name: h, effect: offer, queues: [q], to: ['group:nobody']}]", "warning",
			"grant h", "nobody whom the directory knows"},
		"an unknown group": {plain + ", {name: h, effect: withhold, queues: [q], to: ['group:clerkes', " +
			"'user:temp']}]", "note", "grant h", "does not know group:clerkes"},
		"all excepted": {plain + ", {name: h, effect: offer, queues: [q], to: ['user:temp'], except: " +
			"['unit:temps']}]", "warning", "grant h", "takes out everybody"},
		"machines under to": {plain + ", {name: h, effect: withhold, queues: [q], to: ['group:desks', 'user:temp']}]",
			"warning", "grant h", "holds machines only"},
		"people under on": {plain + ", {name: h, effect: withhold, queues: [q], on: ['group:clerks', " +
			"'machine:desk-1']}]", "warning", "grant h", "holds people only"},
		"no machine": {plain + ", {name: h, effect: withhold, queues: [q], on: ['group:nobody']}]", "warning",
			"grant h", "no machine that the directory knows"},
		"a duplicate": {plain + ", {name: h, effect: place, queues: [q], to: ['group:clerks']}]", "warning",
			"grant h", "the same as g"},
		"shadowed": {plain + ", {name: h, effect: offer, queues: [q], to: ['group:clerks'], at: " +
			"['location:a']}]", "note", "grant h", "adds nothing beside g"},
		"everyone left beside": {plain + ", {name: h, effect: place, queues: [q], to: [everyone]}]", "warning",
			"grant h", "to everyone what the narrower grant g"},
		"nobody receives": {plain + "]\n---\nestate: 1\nqueues: [{name: r, devices: [p], paths: [{device: p}]}]",
			"warning", "queue r", "nobody receives it"},
		"no path": {strings.Replace(plain, ", paths: [{device: p}]", "", 1) + "]", "warning", "queue q",
			"it has no path"},
		"a gateway to nothing": {strings.Replace(plain, "devices: [p], paths: [{device: p}]", "paths: [{gateway: true}]",
			1) + "]", "warning", "queue q", "no device for the gateway"},
		"no driver for a platform": {strings.Replace(plain, "name: q,", "name: q, drivers: {windows: d},", 1) + "]",
			"warning", "queue q", "no driver fits ios/arm64, which 1 machine has"},
		"a set of one": {plain + "]\nserver_sets: [{name: t, style: standby, members: [s]}]", "note",
			"server set t", "one member only"},
		"subnets across sites": {plain + "]\n---\nestate: 1\nsubnets: [{cidr: 10.2.0.0/16, location: b}]", "warning",
			"subnet 10.2.0.0/16", "inside 10.0.0.0/8, which lies at a"},
		"an address in no subnet": {plain + "]\n---\nestate: 1\ndevices: [{name: far, uri: 'ipp://192.0.2.1/'}]", "note",
			"device far", "in no subnet"},
		"an address twice": {plain + "]\nstations: [{name: t, addresses: [10.0.0.1]}, {name: u, addresses: " +
			"[10.0.0.1]}]", "warning", "station u", "also that of t"},
		"a tie within a grant": {"queues: [{name: q, devices: [p], paths: [{device: p}]}, {name: r, devices: [p], " +
			"paths: [{device: p}]}]\ngrants: [{name: g, effect: place, queues: [q, r], to: ['group:clerks'], default: 3}]",
			"note", "grant g", "falls to 2 queues"},
		"a tie between grants": {"queues: [{name: q, devices: [p], paths: [{device: p}]}, {name: r, devices: [p], " +
			"paths: [{device: p}]}]\ngrants: [{name: g, effect: place, queues: [q], to: ['group:clerks'], default: 3}, {name: " +
			"h, effect: place, queues: [r], to: ['group:clerks'], default: 3}]", "note", "grant h", "ties with that of g"},
		"access against a grant": {strings.Replace(plain, "name: q,", "name: q, access: {allow: ['user:temp']},", 1) +
			", {name: h, effect: offer, queues: [q], to: ['user:temp']}]", "warning", "grant g", "none of whom may print"},
		"access against some": {strings.Replace(plain, "name: q,", "name: q, access: {deny: ['user:jonas']},", 1) + "]",
			"note", "grant g", "1 of its 2 people"},
		"no condition": {plain + ", {name: h, effect: offer, queues: [q]}]", "note", "grant h",
			"it has no condition: it holds everywhere and for everybody, 3 people and 2 machines"},
		"every address": {plain + ", {name: h, effect: withhold, queues: [q], to: ['user:temp'], at: " +
			"['range:0.0.0.0-255.255.255.255']}]", "note", "grant h", "is every address there is"},
		"every address as a subnet": {plain + ", {name: h, effect: withhold, queues: [q], to: ['user:temp'], at: " +
			"['subnet:0.0.0.0/0']}]", "note", "grant h", "is every address there is"},
		"a gap of one": {plain + ", {name: h, effect: withhold, queues: [q], to: ['user:temp'], at: " +
			"['range:10.0.0.1-10.0.0.9', 'range:10.0.0.11-10.0.0.20']}]", "note", "grant h", "one address is left out: 10.0.0.10"},
		"a range within another": {plain + ", {name: h, effect: withhold, queues: [q], to: ['user:temp'], at: " +
			"['range:10.0.0.1-10.0.0.9', 'range:10.0.0.2-10.0.0.3']}]", "note", "grant h", "lies within range:10.0.0.1-10.0.0.9"},
		"ranges that overlap": {plain + ", {name: h, effect: withhold, queues: [q], to: ['user:temp'], at: " +
			"['range:10.0.0.1-10.0.0.9', 'range:10.0.0.9-10.0.0.12']}]", "note", "grant h", "overlap"},
		"a machine that nobody knows": {plain + ", {name: h, effect: withhold, queues: [q], on: ['machine:desk-11', " +
			"'machine:desk-1']}]", "note", "grant h", "neither the directory nor the estate knows machine:desk-11"},
		"access of nobody": {strings.Replace(plain, "name: q,", "name: q, access: {allow: ['group:clerks', 'group:clerkz']},", 1) +
			"]", "warning", "queue q", "its access names group:clerkz under allow, which nobody knows"},
		"receivers that cannot have it": {strings.Replace(plain, "name: q,", "name: q, drivers: {windows: d, linux: driverless}, ", 1) +
			", {name: h, effect: place, queues: [q], on: ['machine:tablet']}]", "warning", "grant h",
			"1 machine to which it gives q cannot have it: no driver of the queue fits ios/arm64"},
		"permitted and not granted": {strings.Replace(plain, "name: q,", "name: q, access: {allow: ['group:clerks', "+
			"'user:temp']},", 1) + "]", "note", "queue q", "1 person may print to it, and no grant"},
	} {
		w := world(t, checkEstate+c.add+"\n", checkDirectory)
		found := lineup.Check(w.Estate, w.Directory)
		hit := c.says == "" && len(found) == 0
		for _, f := range found {
			hit = hit || c.says != "" && f.Severity == c.severity && f.Object == c.object && f.At.String() == f.Object &&
				strings.Contains(f.Says, c.says) && f.Fix != ""
		}
		if !hit || len(found) > 2 {
			t.Errorf("%s: %+v", name, found)
		}
	}
}

func TestReach(t *testing.T) {
	t.Parallel()
	w := world(t, checkEstate+`
queues: [{name: q, devices: [p], paths: [{device: p}]}]
stations: [{name: till}]
grants:
  - {name: g, effect: place, queues: [q], to: ["unit:staff", "user:ghost"], except: ["user:jonas"]}
  - {name: h, effect: place, queues: ["label:x"], on: ["machine:till", "unit:machines"], except: ["machine:tablet"]}
  - {name: i, effect: place, queues: [q], to: [everyone], at: ["location:a"]}
`, checkDirectory)
	g, _ := w.Reach("g")
	if g.People != 1 || g.OfPeople != 3 || g.Everyone || g.MachineWide || !g.AnyMachine || strings.Join(g.Names,
		" ") != "mira" || strings.Join(g.Left, " ") != "jonas temp" || len(g.Queues) != 1 {
		t.Errorf("%+v", g)
	}
	if len(g.Unknown) != 1 || !strings.HasPrefix(g.Unknown[0], "user:ghost (") {
		t.Errorf("unknown: %q", g.Unknown)
	}
	h, _ := w.Reach("h")
	if h.Machines != 2 || h.OfMachines != 3 || !h.MachineWide || h.AnyMachine || strings.Join(h.Names,
		" ") != "desk-1 till" || len(h.Queues) != 0 {
		t.Errorf("%+v", h)
	}
	i, _ := w.Reach("i")
	if !i.Everyone || i.People != 3 || i.MachineWide {
		t.Errorf("%+v", i)
	}
	if _, ok := w.Reach("none"); ok {
		t.Error("a grant that is not there reaches somebody")
	}
}
