package windows

import (
	"encoding/xml"
	"fmt"
	"strings"
	"testing"

	"cirque/internal/winspool"
)

// TestOptions: what a DEVMODE has a member for comes back as it was set; what the driver took otherwise, or not at all,
// counts as it was wanted until somebody alters it.
func TestOptions(t *testing.T) {
	t.Parallel()
	all := map[string]any{"sides": "two-sided-short-edge", "print-color-mode": "monochrome", "copies": 3,
		"print-quality": 5, "orientation-requested": 4, "media": "iso_a3_297x420mm", "media-source": "manual",
		"multiple-document-handling": "separate-documents-collated-copies"}
	set := modeOf(all).Put(winspool.Fresh("x"))
	m := winspool.ReadMode(set)
	for o, want := range all {
		if v, ok := valueIn(m, o); !ok || fmt.Sprint(v) != fmt.Sprint(want) {
			t.Errorf("%s is %v", o, v)
		}
	}
	if shown := after(all, set); shown != nil {
		t.Errorf("%v", shown)
	}
	odd := map[string]any{"finishings": []any{4}, "media": "om_slip_80x200mm", "sides": "two-sided-long-edge", "copies": -1,
		"print-color-mode": "auto"}
	set = modeOf(odd).Put(winspool.Fresh("x"))
	if m = winspool.ReadMode(set); m.Width != 800 || m.Length != 2000 || m.Paper != paperOfItsSize || m.Has&winspool.HasCopies != 0 {
		t.Errorf("%+v", m)
	}
	kept := mark{Options: odd, Shown: after(odd, set)}
	for o, v := range kept.present(set) {
		if fmt.Sprint(v) != fmt.Sprint(odd[o]) {
			t.Errorf("%s is %v", o, v)
		}
	}
	altered := winspool.Mode{Has: winspool.HasDuplex | winspool.HasPaper, Duplex: 1, Paper: 9}.Put(set)
	now := kept.present(altered)
	if now["sides"] != "one-sided" || now["media"] != "iso_a4_210x297mm" || now["print-color-mode"] != "auto" {
		t.Errorf("%v", now)
	}
	if v, ok := valueIn(winspool.Mode{Has: winspool.HasSource, Source: 260}, "media-source"); !ok || v != "260" {
		t.Error(v, ok) // a bin of the driver's own
	}
	for _, media := range []string{"a4", "iso_a4_x297mm", "x_0x0mm", "x_99999x1mm", ""} {
		if _, _, ok := tenths(media); ok {
			t.Errorf("%q has measures", media)
		}
	}
	if w, l, ok := tenths("na_index-4x6_4x6in"); !ok || w != 1016 || l != 1524 {
		t.Error(w, l, ok)
	}
}

// TestTicket: a print ticket is well-formed, and asks for what it has words for.
func TestTicket(t *testing.T) {
	t.Parallel()
	b := ticketFor(map[string]any{"sides": "two-sided-long-edge", "finishings": []any{20}, "copies": "<2>",
		"media": "om_slip_80x200mm"})
	var doc struct {
		XMLName  xml.Name
		Features []struct {
			Name   string `xml:"name,attr"`
			Option struct {
				Name string `xml:"name,attr"`
			} `xml:"Option"`
		} `xml:"Feature"`
		Copies []string `xml:"ParameterInit>Value"`
	}
	if err := xml.Unmarshal(b, &doc); err != nil {
		t.Fatal(err, string(b))
	}
	got := fmt.Sprint(doc.Features, doc.Copies)
	if doc.XMLName.Space != ticketSchema || got != "[{psk:JobStapleAllDocuments {psk:StapleTopLeft}} "+
		"{psk:JobDuplexAllDocumentsContiguously {psk:TwoSidedLongEdge}}] [<2>]" {
		t.Error(got)
	}
	if ticketFor(map[string]any{"media": "om_slip_80x200mm"}) != nil || ticketFor(nil) != nil {
		t.Error("a ticket that asks for nothing")
	}
}

// TestPortFor: each URI has one port, and its monitor leads back to it.
func TestPortFor(t *testing.T) {
	t.Parallel()
	for uri, want := range map[string]port{
		"ipp://10.40.8.31/ipp/print":        {Name: "http://10.40.8.31:631/ipp/print", Monitor: winspool.MonitorInternet},
		"ipps://p.example:8443/q?waitjob=x": {Name: "https://p.example:8443/q?waitjob=x", Monitor: winspool.MonitorInternet},
		"socket://10.40.8.40":               tcp("10.40.8.40", 9100, ""),
		"socket://[2001:db8::7]:9101":       tcp("2001:db8::7", 9101, ""),
		"lpd://p.example/hall":              tcp("p.example", 515, "hall"),
		"lpd://p.example:1515/a/b":          tcp("p.example", 1515, "a/b"),
	} {
		p, err := portFor(uri)
		if err != nil || p != want || strings.ContainsAny(p.Name, `\,`) {
			t.Errorf("%s: %+v %v", uri, p, err)
		}
		var of *winspool.TCPPort
		if p.Monitor == winspool.MonitorTCP {
			of = &p.TCP
		}
		if back := uriOf(winspool.Port{Name: p.Name}, of); !same(back, uri) {
			t.Errorf("%s leads back to %s", uri, back)
		}
	}
	for _, uri := range []string{"usb://A/B", "parallel:/dev/lp0", "smb://a/b", "::", "ipp:x"} {
		if _, err := portFor(uri); err == nil {
			t.Errorf("a port for %s", uri)
		}
	}
	if same("socket://10.1.1.1", "socket://10.1.1.2") || !same("socket://10.1.1.1", "socket://10.1.1.1:9100") || same("x", "x") {
		t.Error("what leads to the same place")
	}
}
