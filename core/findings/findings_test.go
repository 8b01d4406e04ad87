package findings_test

import (
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/findings"
	"cirque/core/stock"
)

const plain = `
estate: 1
locations: [{path: a}, {path: b}]
servers: [{name: s, uri: "ipp://s.example/"}]
drivers: [{name: mono, exact: "Mono 40 PCL6", platform: windows/x64}]
devices: [{name: p, uri: "ipp://10.0.0.1/ipp/print", location: a}, {name: l, uri: "ipp://10.0.0.2/ipp/print", location: a}]
queues: [{name: q, title: Hall, devices: [p], paths: [{device: p}], drivers: {windows/x64: mono, "*": driverless}}]
`

// TestOf has one thing to remark on in each row; the estate without it has none.
func TestOf(t *testing.T) {
	t.Parallel()
	yes := true
	a4 := &stock.Device{Model: "Mono 40", Colour: new(bool), TwoSided: &yes, Supported: map[string][]string{
		"sides": {"one-sided", "two-sided-long-edge"}, "media": {"iso_a4_210x297mm", "iso_a5_148x210mm"}}}
	label := &stock.Device{Model: "Label 4", Colour: new(bool), Supported: map[string][]string{"media": {"oe_label_4x6in"}}}
	packages := []driver.Package{{Models: []driver.Model{{Exact: "Mono 40 PCL6", Platform: "windows/x64"},
		{Exact: "Label 4 ZPL", Platform: "windows/x64"}}}}
	with := func(old, new string) string { return strings.Replace(plain, old, new, 1) }
	for name, c := range map[string]struct {
		text                        string
		devices                     map[string]*stock.Device
		severity, object, says, fix string
	}{
		"nothing": {plain, map[string]*stock.Device{"p": a4}, "", "", "", ""},
		"a value that the device does not take": {with("name: q,", "name: q, defaults: {sides: two-sided-longedge},"),
			map[string]*stock.Device{"p": a4}, "warning", "queue q",
			"its default sides = two-sided-longedge is taken by no device behind it: p takes one-sided, two-sided-long-edge",
			"did you mean two-sided-long-edge?"},
		"a value that the device takes": {with("name: q,", "name: q, defaults: {sides: two-sided-long-edge},"),
			map[string]*stock.Device{"p": a4}, "", "", "", ""},
		"a value of no standard, unread": {with("name: q,", "name: q, defaults: {sides: two-sided},"), nil, "note", "queue q",
			"its default sides = two-sided is none of the values", "did you mean"},
		"no size of paper, unread": {with("name: q,", "name: q, defaults: {media: nonsense},"), nil, "note", "queue q",
			"its default media = nonsense is no name of a size", "iso_a4_210x297mm"},
		"a size of paper, unread": {with("name: q,", "name: q, defaults: {media: iso_a4_210x297mm},"), nil, "", "", "", ""},
		"no option": {with("name: q,", "name: q, defaults: {side: one-sided},"), nil, "note", "queue q",
			"of an option that no device behind it tells of", "did you mean sides?"},
		"a driver of another model": {plain, map[string]*stock.Device{"p": label}, "warning", "queue q",
			"its driver mono (Mono 40 PCL6) is for other models than Label 4, which is p behind it", "take the driver Label 4 ZPL"},
		"a letter off": {with(`exact: "Mono 40 PCL6"`, `exact: "Mono 40 PCL 6"`), map[string]*stock.Device{"p": a4}, "warning",
			"driver mono", "close to one that is", `write "Mono 40 PCL6"`},
		"a pool that differs": {with("devices: [p], paths: [{device: p}]", "devices: [p, l], paths: [{gateway: true}]"),
			map[string]*stock.Device{"p": a4, "l": label}, "warning", "queue q",
			"not alike: model: Mono 40 of p, Label 4 of l; paper: a4 a5 of p, label of l", "give each a queue"},
		"two devices at one address": {plain + "\n---\nestate: 1\ndevices: [{name: x, uri: \"ipp://10.0.0.1/other\"}]\n",
			map[string]*stock.Device{"p": a4}, "note", "device x", "its address 10.0.0.1:631 is also that of p", "let one"},
		"two drivers of one name": {plain + "\n---\nestate: 1\ndrivers: [{name: other, exact: \"Mono 40 PCL6\", platform: windows/x64}]\n",
			map[string]*stock.Device{"p": a4}, "note", "driver other", "is also that of mono", "let one"},
		"two queues of one title": {plain + "\n---\nestate: 1\nqueues: [{name: r, title: Hall, devices: [p], paths: [{device: p}]}]\n",
			map[string]*stock.Device{"p": a4}, "note", "queue r", `its title "Hall" is also that of q`, "tell them apart"},
	} {
		doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: c.text}}, estate.Options{})
		if err != nil {
			t.Fatal(name, err)
		}
		found := findings.Of(doc.Sorted(), findings.Known{Packages: packages,
			Device: func(n string) *stock.Device { return c.devices[n] }, Server: func(string) *stock.Server { return nil }})
		hit := c.says == "" && len(found) == 0
		for _, f := range found {
			hit = hit || c.says != "" && f.Severity == c.severity && f.Object == c.object && strings.Contains(f.Says, c.says) &&
				strings.Contains(f.Fix, c.fix)
		}
		if !hit || len(found) > 2 {
			t.Errorf("%s: %+v", name, found)
		}
	}
}
