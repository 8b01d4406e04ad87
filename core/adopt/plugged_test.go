package adopt_test

import (
	"testing"

	"cirque/core/adopt"
	"cirque/core/estate"
	"cirque/core/stock"
)

// TestProposeAttached: what is plugged into a machine becomes a device of that machine; one that the estate has at
// another by its serial number is that device, and a port without one is another at each machine.
func TestProposeAttached(t *testing.T) {
	t.Parallel()
	doc := &estate.Document{Estate: 1, Devices: []estate.Device{{Name: "slip", URI: "usb://T/Slip?serial=S1",
		Machine: "till-01"}, {Name: "lp", URI: "parallel:/dev/lp0", Machine: "till-01"}}}
	p := adopt.NewProposer(doc, nil, nil, nil, nil)
	for _, c := range []struct{ kind, from, uri, known, machine string }{
		{adopt.KindAttached, "till-02", "usb://T/Slip?serial=s1", "slip", ""},
		{"capture", "till-01", "parallel:/dev/lp0", "lp", ""},
		{"capture", "till-02", "parallel:/dev/lp0", "", "till-02"},
		{adopt.KindAttached, "till-02", "usb://T/Slip?serial=S2", "", "till-02"},
		{stock.KindServer, "ps-1", "usb://T/Slip?serial=S3", "", ""},
	} {
		got := p.Propose(adopt.Found{From: c.from, Kind: c.kind, Queue: stock.Queue{Name: "slips " + c.from, Device: c.uri}})
		switch {
		case c.known != "":
			if got.Device != nil || len(got.Queue.Devices) != 1 || got.Queue.Devices[0] != c.known {
				t.Errorf("%+v: %+v %v", c, got.Device, got.Queue.Devices)
			}
		case c.machine != "":
			if got.Device == nil || got.Device.Machine != c.machine || got.Device.URI != c.uri ||
				got.Device.AddressKeptBy != "" || len(got.Queue.Paths) != 1 || got.Queue.Paths[0].Device != got.Device.Name {
				t.Errorf("%+v: %+v %+v", c, got.Device, got.Queue.Paths)
			}
		case got.Device != nil:
			t.Errorf("what is plugged into a server is led to: %+v", got.Device)
		}
	}
}
