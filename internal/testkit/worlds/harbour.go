package worlds

import (
	"fmt"
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

// Harbour is a small estate by hand, with servers in a set, devices, a pool and conditions of paths.
const Harbour = `
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

// Parse reads an estate that is right.
func Parse(t testing.TB, text string) *estate.Document {
	t.Helper()
	doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: text}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

// With applies edits to a document, as a draft does.
func With(t testing.TB, doc *estate.Document, edits []estate.Edit) *estate.Document {
	t.Helper()
	changes, err := estate.ParseEdits(edits, doc, doc, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return doc.With(changes)
}

// Details writes the places of a fault, a line each.
func Details(err error) string {
	var b strings.Builder
	for _, d := range fault.As(err).Details {
		fmt.Fprintf(&b, "\n%s: %s; %s", d.Place, d.What, d.Fix)
	}
	return b.String()
}
