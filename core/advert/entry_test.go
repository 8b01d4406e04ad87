package advert

import (
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

func TestEntries(t *testing.T) {
	t.Parallel()
	d, err := estate.Parse([]document.File{{Name: "e", Text: `estate: 1
locations: [{path: ardholm, title: Ardholm harbour}, {path: ardholm/quay/2, title: Second floor}]
servers: [{name: ps, uri: "ipp://ps.skerry.example:631/"}]
server_sets: [{name: pair, style: standby, members: [ps]}]
devices: [{name: a, uri: "ipp://192.0.2.1/ipp/print"}, {name: b, uri: "ipp://192.0.2.2/ipp/print"}, {name: unread, uri: "ipp://192.0.2.3/ipp/print"}]
queues:
  - {name: pool, title: "Mail room", location: ardholm/quay/2, devices: [a, b], paths: [{device: a, at: ["location:ardholm"]}, {gateway: true}], listed: true, formerly: [old-pool]}
  - {name: direct, devices: [a], paths: [{device: a}], listed: true}
  - {name: served, devices: [unread], paths: [{set: pair, remote_name: "Hall Mono"}], listed: true, defaults: {print-color-mode: monochrome}}
  - {name: nowhere, devices: [a], paths: [{device: a, at: ["location:ardholm"]}], listed: true}
  - {name: quiet, paths: [{gateway: true}]}
  - {name: gone, paths: [{gateway: true}], listed: true, retired: true}
`}}, estate.Options{})
	if err != nil {
		t.Fatal(err, fault.As(err).Details)
	}
	yes, no := true, false
	readings := map[string]*Reading{
		"a": {Model: "Skerrymark Mono 40", Colour: &yes, TwoSided: &yes, Media: []string{"iso_a4_210x297mm",
			"iso_a3_297x420mm"}, Formats: []string{"application/pdf", "image/pwg-raster"}},
		"b": {Model: "Skerrymark Mono 40", Colour: &no, Sides: []string{"one-sided"}, Media: []string{"iso_a4_210x297mm"},
			Formats: []string{"application/pdf"}},
	}
	got := map[string]Entry{}
	for _, e := range Entries(d, "https://cirque.example:8631", func(n string) *Reading { return readings[n] }) {
		got[e.Queue] = e
	}
	if len(got) != 4 {
		t.Errorf("%d entries", len(got))
	}
	for queue, want := range map[string]map[string]string{
		"pool": {"printer-uri": "ipps://cirque.example:8631/ipp/queues/pool",
			"printer-location": "Ardholm harbour, quay, Second floor", "printer-info": "Mail room",
			"printer-color-supported": "FALSE", "printer-sides-supported": "one-sided",
			"printer-media-supported": "iso_a4_210x297mm", "printer-document-format-supported": "application/pdf",
			"printer-make-and-model": "Skerrymark Mono 40", "printer-aliases": "old-pool",
			"printer-xri-supported": "uri=ipps://cirque.example:8631/ipp/queues/pool < auth=basic < sec=tls <"},
		"direct": {"printer-uri": "ipp://192.0.2.1/ipp/print", "printer-color-supported": "TRUE",
			"printer-sides-supported": "one-sided two-sided-long-edge two-sided-short-edge", "printer-info": "direct",
			"printer-location": "", "printer-media-supported": "iso_a3_297x420mm iso_a4_210x297mm"},
		"served": {"printer-uri": "ipp://ps.skerry.example:631/printers/Hall%20Mono", "printer-color-supported": "FALSE",
			"printer-media-supported": "", "printer-make-and-model": ""},
	} {
		for key, v := range want {
			if is := strings.Join(got[queue].Attributes[key], " "); is != v {
				t.Errorf("%s %s: %q, want %q", queue, key, is, v)
			}
		}
		if got[queue].Lacks != "" {
			t.Errorf("%s: %s", queue, got[queue].Lacks)
		}
		for key := range got[queue].Attributes {
			if !strings.Contains(" "+strings.Join(Attributes(), " ")+" ", " "+key+" ") {
				t.Errorf("%s is not among the attributes that are Cirque's", key)
			}
		}
	}
	if got["nowhere"].Lacks == "" || got["nowhere"].Attributes["printer-uri"] != nil {
		t.Errorf("%+v", got["nowhere"])
	}
	if long := clip(strings.Repeat("é", 100), 127); len(long) > 127 || !strings.HasSuffix(long, "é") {
		t.Error(long)
	}
}
