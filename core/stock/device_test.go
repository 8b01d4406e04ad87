package stock_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

func TestIdentity(t *testing.T) {
	a := stock.Identity{Serial: "S1", MAC: "02:00:5e:10:00:01"}
	for _, c := range []struct {
		o    stock.Identity
		want stock.Sameness
	}{
		{stock.Identity{}, stock.Unproven}, {stock.Identity{UUID: "u"}, stock.Unproven}, {stock.Identity{Serial: "s1",
			MAC: "02:00:5e:10:00:02"}, stock.Same},
		{stock.Identity{Serial: "S2", MAC: "02:00:5E:10:00:01"}, stock.Same}, {stock.Identity{Serial: "S2"}, stock.Different},
		{stock.Identity{Serial: "S2", UUID: "u"}, stock.Different},
	} {
		if got := a.Compare(c.o); got != c.want || c.o.Compare(a) != got {
			t.Errorf("%v: %v, want %v", c.o, got, c.want)
		}
	}
	if m := (stock.Identity{Serial: "S1"}).Merge(stock.Identity{Serial: "S2",
		UUID: "u"}); m != (stock.Identity{Serial: "S1", UUID: "u"}) {
		t.Error(m)
	}
}

func listed(name, uri, mac, keptBy, location string, seen *stock.Device, ok bool) stock.Listed {
	c := &stock.Check{OK: ok, Says: "nothing answers at " + stock.Host(uri), Fix: "look"}
	l := stock.Listed{Watch: stock.Watch{Kind: "device", Name: name, URI: uri, MAC: mac, AddressKeptBy: keptBy,
		Location: location}, InEstate: true, Identity: stock.Identity{MAC: mac}, Check: c, Reading: seen}
	if seen != nil {
		l.Identity = l.Identity.Merge(stock.IdentityOf(*seen))
	}
	return l
}

func TestDeviceDifferences(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
	mac := func(n int) string { return fmt.Sprintf("02:00:5e:10:00:%02x", n) }
	seen := func(n int) *stock.Device {
		return &stock.Device{MAC: mac(n), Serial: fmt.Sprint("S", n), Model: "Mono 40", State: "idle"}
	}
	list := []stock.Listed{
		listed("fine", "ipp://10.1.0.1/", mac(1), "reservation", "ard/hall", seen(1), true),
		listed("moved", "ipp://10.1.0.2/", mac(2), "static", "ard", nil, false),
		listed("swapped", "ipp://10.1.0.3/", mac(3), "static", "ard", seen(33), true),
		listed("silent", "ipp://10.1.0.4/", mac(4), "static", "ard", seen(4), false),
		listed("unkept", "ipp://10.1.0.5/", mac(5), "", "ard", seen(5), true),
		listed("twin-a", "ipp://10.1.0.6/", mac(6), "static", "ard", seen(6), true),
		listed("twin-b", "ipp://10.1.0.6/ipp/print", mac(7), "static", "ard", seen(6), true),
		listed("outside", "ipp://192.0.2.7/", mac(8), "static", "ard", seen(8), true),
		listed("elsewhere", "ipp://10.2.0.8/", mac(9), "static", "ard/hall", seen(9), true),
		listed("by-name", "ipp://printer.example/", mac(10), "", "ard", seen(10), true),
		listed("on-server", "ipp://ps-1.example/", mac(11), "static", "ard", seen(11), true),
		listed("reserved-otherwise", "ipp://10.1.0.12/", mac(12), "reservation", "ard", seen(12), true),
		listed("reserved-for-another", "ipp://10.1.0.13/", mac(13), "reservation", "ard", seen(13), true),
		listed("not-reserved", "ipp://10.1.0.14/", mac(14), "reservation", "ard", seen(14), true),
	}
	list[6].Identity = stock.Identity{MAC: mac(7)}
	list[2].Identity = stock.Identity{MAC: mac(3)}
	reservations, err := stock.ParseReservations("r", fmt.Sprintf("mac,address\n%s,10.1.0.1\n%s,10.1.0.99\n%s,10.1.0.13\n",
		mac(1), mac(12), mac(55)), noJSON)
	if err != nil {
		t.Fatal(err)
	}
	got := stock.DeviceDifferences(doc, list, []stock.Sighting{{URI: "ipp://10.1.0.200/ipp/print", Seen: seen(2)}},
		reservations)
	for name, want := range map[string]string{
		"fine": "", "moved": "moved", "swapped": "swapped", "silent": "silent", "unkept": "address-unkept",
		"twin-a": "address-shared", "twin-b": "swapped address-shared", "outside": "address-outside",
		"elsewhere": "address-outside", "by-name": "", "on-server": "address-shared", "reserved-otherwise": "reservation",
		"reserved-for-another": "reservation", "not-reserved": "reservation",
	} {
		var kinds []string
		for _, d := range got[name] {
			kinds = append(kinds, d.Kind)
			if d.Says == "" || d.Fix == "" || d.At == nil {
				t.Errorf("%s: %+v", name, d)
			}
		}
		// twin-b's own device answers nowhere, and another at its address: moved or swapped is for others to say.
		if strings.Join(kinds, " ") != want {
			t.Errorf("%s: %q, want %q", name, kinds, want)
		}
	}
	if d := got["moved"][0]; d.To != "ipp://10.1.0.200/ipp/print" || !strings.Contains(d.Says, "10.1.0.200") {
		t.Errorf("%+v", d)
	}
}

func TestDeviceChanges(t *testing.T) {
	a := &stock.Device{Serial: "S1", State: "idle", Firmware: "1"}
	for _, c := range []struct {
		after stock.Device
		says  string
	}{
		{stock.Device{Serial: "S1", State: "stopped", Reasons: []string{"media-jam"}, Firmware: "1"},
			"d has stopped: media-jam"},
		{stock.Device{Serial: "S1", State: "idle", Firmware: "2"}, "d has the firmware 2; it had 1"},
		{stock.Device{Serial: "S2", State: "idle", Model: "Other"}, "Another device answers at the address of d: Other, " +
			"with serial S2"},
		{stock.Device{Serial: "S1", State: "processing", Firmware: "1"}, ""},
	} {
		if got := strings.Join(stock.DeviceChanges("d", a, &c.after), "; "); c.says == "" && got != "" ||
			!strings.HasPrefix(got, c.says) {
			t.Errorf("%q, want %q", got, c.says)
		}
	}
}

func TestReservations(t *testing.T) {
	devices := []stock.Listed{
		listed("a", "ipp://10.1.0.11/", "02:00:5e:10:00:01", "reservation", "", nil, true), listed("b", "ipp://[fd00::9]/",
			"02:00:5e:10:00:02", "reservation", "", nil, true),
		listed("c", "ipp://10.1.8.7/", "", "unknown", "", &stock.Device{MAC: "02:00:5e:10:00:03"}, true),
		listed("d", "ipp://name.example/", "02:00:5e:10:00:04", "static", "", nil, true),
		listed("e", "ipp://192.0.2.9/", "", "unknown", "", nil, true),
	}
	list, lacking := stock.Reservations(devices)
	var got []string
	for _, r := range list {
		got = append(got, r.Name+" "+r.MAC+" "+r.Address.String())
	}
	if !slices.Contains(got, "a 02:00:5e:10:00:01 10.1.0.11") || !slices.Contains(got, "c 02:00:5e:10:00:03 10.1.8.7") ||
		len(lacking) == 0 {
		t.Errorf("%q, lacking %v", got, lacking)
	}
	// What goes out comes back, by either way.
	csv := stock.ReservationsCSV(list)
	back, err := stock.ParseReservations("r.csv", csv, noJSON)
	if err != nil || stock.ReservationsCSV(back) != csv {
		t.Error(back, err)
	}
	for bad, says := range map[string]string{
		"mac,address\nxx,10.1.0.1\n":           `r:2: "xx" is no hardware address`,
		"mac,address\n0200.5e10.0001,10.1.0\n": `r:2: "10.1.0" is no address`,
		`{"Dhcp4": [}`:                         "r is no JSON with reservations",
	} {
		if _, err := stock.ParseReservations("r", bad, noJSON); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", bad, err, says)
		}
	}
	for _, mac := range []string{"02-00-5E-10-00-01", "0200.5e10.0001", "02005E100001"} {
		r, err := stock.ParseReservations("r", "hw-address,ip-address,hostname\n"+mac+",10.1.0.11,x\n", noJSON)
		if err != nil || r[0].MAC != "02:00:5e:10:00:01" || r[0].Name != "x" {
			t.Errorf("%s: %v %v", mac, r, err)
		}
	}
}

func TestAddresses(t *testing.T) {
	for text, want := range map[string]string{
		"10.1.0.0/30": "10.1.0.1 10.1.0.2", "10.1.0.1/32": "10.1.0.1", "10.1.0.5-10.1.0.7": "10.1.0.5 10.1.0.6 10.1.0.7",
		"10.1.0.9, 10.1.0.9": "10.1.0.9", "10.1.0.6/31": "10.1.0.6 10.1.0.7",
		"255.255.255.254-255.255.255.255": "255.255.255.254 255.255.255.255",
	} {
		got, err := stock.Addresses(strings.Split(text, ","))
		var s []string
		for _, a := range got {
			s = append(s, a.String())
		}
		if err != nil || strings.Join(s, " ") != want {
			t.Errorf("%s: %v %v", text, s, err)
		}
	}
	for text, says := range map[string]string{
		"": "is no range", "10.1.0.0/8": "holds more than the 16384", "10.1.0.9-10.1.0.1": "is no range",
		"fd00::/64": "holds more", "a-b": "is no range", "10.1.0.0/33": "is no range", "10.1.0.1-fd00::1": "is no range",
		"10.0.0.0-10.255.0.0": "holds more",
	} {
		if got, err := stock.Addresses([]string{text}); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %d, %v, want %q", text, len(got), err, says)
		}
	}
}

func TestCount(t *testing.T) {
	s := &stock.Server{At: time.Now(), Queues: []stock.Queue{{State: "idle", Accepting: true, Jobs: 2}, {State: "stopped",
		Accepting: true}, {State: "idle", Accepting: false, Jobs: 1}}}
	if c := s.Count(); c != (stock.Counter{Queues: 3, NotReady: 2, WithJobs: 2, Jobs: 3}) {
		t.Errorf("%+v", c)
	}
	var none *stock.Server
	if none.Count() != (stock.Counter{}) || none.Find("x") != nil {
		t.Error("of a server that was not read")
	}
}

func FuzzReservations(f *testing.F) {
	f.Add("mac,address,name\n02:00:5e:10:00:01,10.1.0.11,x\n")
	f.Add(`{"Dhcp4":{"subnet4":[{"subnet":"10.0.0.0/8","reservations":[{"hw-address":"02:00:5e:10:00:01","ip-address":"10.1.0.1"}]}]}}`)
	f.Fuzz(func(t *testing.T, text string) {
		list, err := stock.ParseReservations("r", text, noJSON)
		if err != nil {
			return
		}
		back, err := stock.ParseReservations("r", stock.ReservationsCSV(list), noJSON)
		if err != nil || len(back) != len(list) {
			t.Errorf("%v does not come back: %v %v", list, back, err)
		}
	})
}

// noJSON stands for the reader of configurations, which is somebody else's.
func noJSON(string) ([]stock.RawReservation, error) { return nil, errors.New("no JSON here") }
