package estate

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/fault"
	"cirque/internal/testkit/specification"
)

func parse(text string) (*Document, error) {
	return Parse([]document.File{{Name: "e.yaml", Text: text}}, Options{ValidZone: func(z string) bool {
		return z == "Europe/Oslo"
	}})
}

// TestRefused has one mistake a row: what is wrong, where, and the word that the fix must hold.
func TestRefused(t *testing.T) {
	t.Parallel()
	const queue = "queues:\n  - {name: q, devices: [p], paths: [{device: p}]}\ndevices:\n  - {name: p, uri: " +
		"'ipp://192.0.2.1/ipp/print'}\n"
	for name, c := range map[string]struct{ in, place, what, fix string }{
		"no version":    {"queues: [{name: q}]", "e.yaml:1", `"estate" is missing`, "add"},
		"other version": {"estate: 2", "e.yaml:1", "whole number from 1 to 1", ""},
		"unknown key":   {"estate: 1\nqueus: []", "e.yaml:2", `unknown key "queus"`, `"queues"`},
		"unknown key inside": {"estate: 1\ndevices:\n  - {name: p, uri: 'ipp://h/', mca: x}", "e.yaml:3",
			`unknown key "mca"`, `"mac"`},
		"far from any key": {"estate: 1\nzzzzzzzz: 1", "e.yaml:2", "unknown key", "known here: estate, locations"},
		"key twice":        {"estate: 1\nestate: 1", "e.yaml:2", "twice", ""},
		"empty list":       {"estate: 1\nqueues: []", "e.yaml:2", "the list is empty", "leave the key out"},
		"null":             {"estate: 1\nqueues:\n", "e.yaml:2", `"queues" has no value`, ""},
		"no list":          {"estate: 1\nqueues: {name: q}", "e.yaml:2", "a list is wanted", ""},
		"no object":        {"estate: 1\nqueues: [q]", "e.yaml:2", "an object is wanted", "name"},
		"bad name": {"estate: 1\nqueues: [{name: Hall Mono}]", "e.yaml:2", `"Hall Mono" is no name`,
			"lower-case"},
		"no name": {"estate: 1\nqueues: [{title: x}]", "e.yaml:2", `"name" is missing`, ""},
		"name twice": {"estate: 1\nqueues:\n  - {name: q}\n  - {name: q}", "e.yaml:4",
			"already there, at e.yaml:3", ""},
		"host bits": {"estate: 1\nlocations: [{path: a}]\nsubnets: [{cidr: 10.0.0.1/8, location: a}]", "e.yaml:3",
			"host bits", "10.0.0.0/8"},
		"listed helper": {"estate: 1\nqueues: [{name: q, purpose: helper, listed: true}]", "e.yaml:2", "on nobody's list",
			"leave one of the two out"},
		"no end": {"estate: 1\nqueues: [{name: q, until: 31.12.2026}]", "e.yaml:2", `"31.12.2026" is no day and no time`,
			"the last day, such as 2026-12-31"},
		"no cidr": {"estate: 1\nlocations: [{path: a}]\nsubnets: [{cidr: 10.0.0.0, location: a}]", "e.yaml:3",
			"no subnet", "ADDRESS/BITS"},
		"cidr twice": {"estate: 1\nlocations: [{path: a}]\nsubnets:\n  - {cidr: 10.0.0.0/8, location: a}\n  - " +
			"{cidr: 10.0.0.0/8, location: a}", "e.yaml:5", "already there", ""},
		"missing location": {"estate: 1\nsubnets: [{cidr: 10.0.0.0/8, location: ardhlm}]\nlocations: [{path: ardholm}]",
			"e.yaml:2", `subnet 10.0.0.0/8 names the location "ardhlm"`, `"ardholm"`},
		"missing device": {"estate: 1\nqueues: [{name: q, devices: [p]}]", "e.yaml:2", `queue q names the device "p"`,
			"add the device"},
		"missing queue": {"estate: 1\ngrants: [{name: g, effect: place, queues: [q]}]", "e.yaml:2",
			`grant g names the queue "q"`, ""},
		"missing driver": {"estate: 1\nqueues: [{name: q, drivers: {'*': d}}]", "e.yaml:2",
			`names the driver "d"`, ""},
		"location in an entry": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], at: " +
			"['location:a']}]", "e.yaml:6", `names the location "a"`, ""},
		"within nowhere": {"estate: 1\ngrants: [{name: g, effect: place, queues: ['within:a']}]", "e.yaml:2",
			`names the location "a"`, ""},
		"two kinds of path": {"estate: 1\n" + strings.ReplaceAll(queue, "{device: p}", "{device: p, gateway: true}"),
			"e.yaml:3", "has device and gateway", "one path of each"},
		"no kind of path": {"estate: 1\n" + strings.ReplaceAll(queue, "{device: p}", "{sessions: [desktop]}"),
			"e.yaml:3", "leads nowhere", ""},
		"gateway: false": {"estate: 1\n" + strings.ReplaceAll(queue, "{device: p}", "{gateway: false}"), "e.yaml:3",
			"either there or not", ""},
		"another's device": {"estate: 1\n" + strings.ReplaceAll(queue, "devices: [p], ", ""), "e.yaml:3",
			"not one of the queue's own", ""},
		"remote name of device": {"estate: 1\n" + strings.ReplaceAll(queue, "{device: p}", "{device: p, remote_name: x}"),
			"e.yaml:3", "belongs to a path through a server", ""},
		"set of none": {"estate: 1\nserver_sets: [{name: s, style: standby}]", "e.yaml:2",
			`"members" is missing`, ""},
		"set without a style": {"estate: 1\nservers: [{name: a, uri: 'ipp://a/'}]\nserver_sets: [{name: s, members: [a]}]",
			"e.yaml:3", `"style" is missing`, ""},
		"style of a set": {"estate: 1\nservers: [{name: a, uri: 'ipp://a/'}]\nserver_sets: [{name: s, style: " +
			"stanby, members: [a]}]", "e.yaml:3", `"stanby" is no value`, `"standby"`},
		"member that is not": {"estate: 1\nservers: [{name: a, uri: 'ipp://a/'}]\nserver_sets: [{name: s, style: " +
			"spread, members: [b]}]", "e.yaml:3", `server set s names the server "b"`, ""},
		"member twice": {"estate: 1\nservers: [{name: a, uri: 'ipp://a/'}]\nserver_sets: [{name: s, style: " +
			"spread, members: [a, a]}]", "e.yaml:3", "member twice", ""},
		"no such set": {"estate: 1\n" + strings.ReplaceAll(queue, "{device: p}", "{set: s}"), "e.yaml:3",
			`names the server set "s"`, "add the server set"},
		"hours without an end": {"estate: 1\nqueues: [{name: q, open: [{from: '08:00'}]}]", "e.yaml:2",
			`"to" is missing`, ""},
		"no such day": {"estate: 1\nqueues: [{name: q, open: [{days: [monday], from: '08:00', to: '09:00'}]}]",
			"e.yaml:2", `"monday" is no day`, "mon, tue"},
		"no such time": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], open: [{from: " +
			"'8', to: '24:00'}]}]", "e.yaml:6", `"8" is no time`, "HH:MM"},
		"nearest of 0": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], nearest: 0}]",
			"e.yaml:6", "from 1 to", ""},
		"withheld nearest": {"estate: 1\n" + queue + "grants: [{name: g, effect: withhold, queues: [q], nearest: 2}]",
			"e.yaml:6", "withholds", "leave it out"},
		"effect": {"estate: 1\n" + queue + "grants: [{name: g, effect: plaice, queues: [q]}]", "e.yaml:6",
			`"plaice" is no value`, `"place"`},
		"withheld default": {"estate: 1\n" + queue + "grants: [{name: g, effect: withhold, queues: [q], default: 3}]",
			"e.yaml:6", "withholds has no default", ""},
		"default of 0": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], default: 0}]",
			"e.yaml:6", "from 1 to 1000", ""},
		"default of 2.5": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], default: 2.5}]",
			"e.yaml:6", "from 1 to 1000", ""},
		"machine under to": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], to: " +
			"['machine:m']}]", "e.yaml:6", "does not belong under to", "everyone, user, group, unit"},
		"no kind of entry": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], to: [mira]}]",
			"e.yaml:6", `"mira" is no entry`, ""},
		"range backwards": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], at: " +
			"['range:10.0.0.9-10.0.0.1']}]", "e.yaml:6", "ends before it begins", "10.0.0.1-10.0.0.9"},
		"range of two families": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], at: " +
			"['range:10.0.0.9-fd00::1']}]", "e.yaml:6", "mixes IPv4 and IPv6", ""},
		"subnet entry": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], at: " +
			"['subnet:10.0.0.9/8']}]", "e.yaml:6", "host bits", "10.0.0.0/8"},
		"bad unit": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], to: " +
			"['unit:a//b']}]", "e.yaml:6", "is no unit", ""},
		"session": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], " +
			"sessions: [dektop]}]", "e.yaml:6", `"dektop"`, "desktop"},
		"platform of a grant": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: [q], platforms: [win]}]",
			"e.yaml:6", `"win" is no platform`, "windows"},
		"station's bare os": {"estate: 1\nstations: [{name: s, platform: linux}]", "e.yaml:2", `"linux" is no platform`,
			"linux/x64"},
		"selector": {"estate: 1\n" + queue + "grants: [{name: g, effect: place, queues: ['tag:x']}]", "e.yaml:6",
			"selects no queue", "label:NAME"},
		"zone of a floor": {"estate: 1\nlocations: [{path: a/b, timezone: Europe/Oslo}]", "e.yaml:2",
			"belongs to a site", "a"},
		"no such zone": {"estate: 1\nlocations: [{path: a, timezone: Europe/Ardholm}]", "e.yaml:2", "is not known",
			"Europe/Oslo"},
		"mac": {"estate: 1\ndevices: [{name: p, uri: 'ipp://h/', mac: '02:00:5e'}]", "e.yaml:2",
			"no hardware address", "twelve"},
		"uri": {"estate: 1\ndevices: [{name: p, uri: '10.0.0.1'}]", "e.yaml:2",
			"no absolute URI", "ipp://"},
		"uri with a sign-in": {"estate: 1\ndevices: [{name: p, uri: 'ipp://a:secret@h/'}]", "e.yaml:2",
			"carries a sign-in", ""},
		"reserved driver": {"estate: 1\ndrivers: [{name: driverless, exact: x, platform: linux}]", "e.yaml:2",
			"reserved", ""},
		"old name taken": {"estate: 1\nqueues:\n  - {name: q, formerly: [r]}\n  - {name: r}", "e.yaml:3",
			"name of another queue, at e.yaml:4", ""},
		"old name twice": {"estate: 1\nqueues:\n  - {name: q, formerly: [x]}\n  - {name: r, formerly: [x]}",
			"e.yaml:4", "already there", ""},
		"settings":    {"estate: 1\nsettings: {interval: 5}", "e.yaml:2", `unknown key "interval"`, ""},
		"broken yaml": {"estate: 1\nqueues: [", "e.yaml:2", "not valid YAML", ""},
		"empty file":  {"  \n", "e.yaml", "the file is empty", ""},
	} {
		_, err := parse(c.in)
		f := fault.As(err)
		if f == nil || f.Code != "estate-invalid" || len(f.Details) == 0 {
			t.Errorf("%s: %v", name, err)
			continue
		}
		found := false
		for _, d := range f.Details {
			found = found || d.Place == c.place && strings.Contains(d.What, c.what) && strings.Contains(d.Fix, c.fix)
		}
		if !found || len(f.Details) > 2 {
			t.Errorf("%s: want %s: %s … %s, got %q", name, c.place, c.what, c.fix, f.Details)
		}
		if strings.Contains(err.Error(), "secret") {
			t.Errorf("%s: the error tells a secret: %v", name, err)
		}
	}
}

func TestAllAtOnceAcrossFiles(t *testing.T) {
	t.Parallel()
	_, err := Parse([]document.File{{Name: "a.yaml", Text: "estate: 1\nqueues:\n  - {name: q, location: nowhere}\n  - " +
		"{name: Q}\n"}, {Name: "b.json", Text: "{\"estate\": 1,\n\t\"queues\": [\n\t{\"name\": \"q\"}, " +
		"{\"nmae\": \"r\"}]}"}}, Options{})
	var places []string
	for _, d := range fault.As(err).Details {
		places = append(places, d.Place)
	}
	if want := []string{"a.yaml:3", "a.yaml:4", "b.json:3", "b.json:3", "b.json:3"}; !reflect.DeepEqual(places, want) {
		t.Errorf("%v\n%v", places, err)
	}
}

func TestVeryManyProblems(t *testing.T) {
	t.Parallel()
	_, err := parse("estate: 1\nqueues:\n" + strings.Repeat("  - {name: X}\n", 2000))
	d := fault.As(err).Details
	if len(d) != 51 || !strings.Contains(d[50].What, "1950 more") {
		t.Errorf("%d: %v", len(d), d[len(d)-1])
	}
}

func TestSeveralFilesMakeOne(t *testing.T) {
	t.Parallel()
	d, err := Parse([]document.File{{Name: "a", Text: "estate: 1\ngrants: [{name: g, effect: offer, queues: " +
		"[old]}]\n---\nestate: 1\nlocations: [{path: a/b}]\n"},
		{Name: "b", Text: `{"estate": 1, "queues": [{"name": "q", "title": "\ud83d\ude00 \/", "formerly": ["old"], "location": "a"}]}`}}, Options{})
	if err != nil || len(d.Queues) != 1 || len(d.Grants) != 1 || d.Queues[0].Title != "😀 /" {
		t.Errorf("%+v %v", d, err)
	}
}

// TestRoundTrip: what is exported reads back to the same document, and exports to the same text.
func TestRoundTrip(t *testing.T) {
	t.Parallel()
	first, err := parse(specification.Samples(t, "estate.md")[0])
	if err != nil {
		t.Fatal(err)
	}
	text, err := first.YAML()
	if err != nil {
		t.Fatal(err)
	}
	second, err := parse(string(text))
	if err != nil || !reflect.DeepEqual(second, first.Sorted()) {
		t.Fatalf("%v\n%s", err, text)
	}
	js, err := json.Marshal(first)
	if err != nil {
		t.Fatal(err)
	}
	third, err := Parse([]document.File{{Name: "e.json", Text: string(js)}}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if again, _ := third.YAML(); string(again) != string(text) {
		t.Errorf("by way of JSON:\n%s\nfirst:\n%s", again, text)
	}
}

func TestAliasBombEnds(t *testing.T) {
	t.Parallel()
	if _, err := parse("estate: 1\nqueues: &q\n  - {name: q, labels: *q, defaults: {x: *q}}\n"); err == nil {
		t.Error("a document inside itself was taken")
	}
}

func TestMAC(t *testing.T) {
	t.Parallel()
	for in, want := range map[string]string{"02:00:5e:10:00:31": "02:00:5e:10:00:31",
		"02-00-5E-10-00-31": "02:00:5e:10:00:31", "0200.5e10.0031": "02:00:5e:10:00:31", "02005E100031": "02:00:5e:10:00:31",
		"02:00": "", "02:00:5e:10:00:3g": ""} {
		if got, ok := NormalMAC(in); got != want || ok != (want != "") {
			t.Errorf("%q gives %q", in, got)
		}
	}
}

// FuzzParse holds that nothing panics, and the law of the round trip for whatever is taken.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"estate: 1\nqueues: [{name: q, defaults: {copies: 2, x: [1, a]}}]", `{"estate": 1}`,
		"estate: 1\nlocations: [{path: a/b/c}]\nsubnets: [{cidr: 'fd00::/8', location: a/b}]", "a: &a [*a]"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, in string) {
		d, err := parse(in)
		if err != nil {
			return
		}
		text, err := d.YAML()
		if err != nil {
			t.Fatal(err)
		}
		again, err := parse(string(text))
		if err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		if second, _ := again.YAML(); string(second) != string(text) {
			t.Fatalf("first %s\nthen %s", text, second)
		}
	})
}

// TestSchemes: a server or device is led to by a scheme of what prints, and by nothing else; agents are told by the same
// rule.
func TestSchemes(t *testing.T) {
	t.Parallel()
	for uri, want := range map[string][2]bool{ // of a server, of a device
		"ipp://a.example/": {true, true}, "ipps://a.example/ipp": {true, true}, "http://a.example:631/": {true, true},
		"https://a.example/": {true, true}, "socket://a.example:9100": {false, true}, "lpd://a.example/q": {false, true},
		"IPP://a.example/": {true, true}, "file:///etc/passwd": {}, "file:/etc/passwd": {}, "javascript:alert(1)": {},
		"ftp://a.example/": {}, "smb://a.example/x": {}, "data:text/plain,x": {}, "ipp:a.example": {}, "ipp:///x": {},
		"gopher://a.example/": {}, "pdf:/": {}, "ipp://a.example/" + strings.Repeat("x", 1100): {},
	} {
		for i, list := range []string{"servers", "devices"} {
			_, err := parse("estate: 1\n" + list + ": [{name: a, uri: \"" + uri + "\"}]")
			if (err == nil) != want[i] {
				t.Errorf("%s in %s: %v", uri, list, err)
			}
		}
		if len(uri) < 1000 && PrintsTo(uri) != want[1] {
			t.Errorf("an agent is led to %s: %v", uri, PrintsTo(uri))
		}
	}
}

// TestAuditSetting: where the audit is sent is an address that takes a log, over TLS unless that is waived.
func TestAuditSetting(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		`{forward: "tls://log.example"}`: "", `{forward: "tcp://127.0.0.1:601", clear: true}`: "",
		`{forward: "tcp://log.example"}`: "would be sent without TLS", `{forward: "https://log.example"}`: "takes a log",
		`{forward: "tls://a:b@log.example"}`: "carries a sign-in", `{clear: true}`: "forward",
		`{forward: "tls://log.example", ca: "x"}`: "no certificate", `{forward: "tls://"}`: "takes a log",
	} {
		_, err := Parse([]document.File{{Name: "e", Text: "estate: 1\nsettings: {audit: " + text + "}"}},
			Options{})
		says := ""
		if err != nil {
			for _, d := range fault.As(err).Details {
				says += d.What + "; "
			}
		}
		if (want == "") != (err == nil) || !strings.Contains(says, want) {
			t.Errorf("%s: %q, want %q", text, says, want)
		}
	}
}
