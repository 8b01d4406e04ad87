package probe

import (
	"cmp"
	"context"
	"net"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/ipp"
	"cirque/internal/snmp"
)

// DeviceWithin is how long one device may take in all, silent ones included.
const DeviceWithin = 4 * time.Second

// publicKey is what most devices are delivered with; it is tried where no key is stored.
var publicKey = stock.Key{Name: "public", Kind: stock.SNMP, Secret: "public"}

// ReadDevice questions a device: over IPP at its URI, or where devices usually answer; over SNMP, which knows its
// hardware address and supplies; and, where neither answers, by a bare connection to the port for raw data, which
// proves only that something listens. It fails when nothing answers, with the failure that says most.
func (c *IPP) ReadDevice(ctx context.Context, uri string, keys []stock.Key) (*stock.Device, error) {
	ctx, cancel := context.WithTimeout(ctx, DeviceWithin)
	defer cancel()
	u, err := url.Parse(uri)
	if err != nil || u.Hostname() == "" {
		return nil, fault.New(fault.Invalid, "uri-invalid", "write ipp://HOST/ipp/print, or socket://HOST",
			"%q is no device's URI", uri)
	}
	d := &stock.Device{At: time.Now().UTC(), State: "unknown"}
	var signIn *stock.Key
	var communities []stock.Key
	for i, k := range keys {
		if k.Kind == stock.SignIn {
			signIn = &keys[i]
		} else {
			communities = append(communities, k)
		}
	}
	if len(communities) == 0 {
		communities = []stock.Key{publicKey}
	}
	var wg sync.WaitGroup
	var overIPP ipp.Message
	var at string
	var ippErr, snmpErr error
	var overSNMP snmp.Printer
	wg.Go(func() { overIPP, at, ippErr = c.attributesAt(ctx, u, signIn) })
	wg.Go(func() {
		overSNMP, snmpErr = c.table.readSNMP(ctx, u.Hostname(), communities, DeviceWithin/4)
	})
	wg.Wait()
	for _, k := range communities {
		for i := range keys {
			if keys[i].Name == k.Name && k.Kind != stock.SignIn {
				keys[i].Outcome = k.Outcome
			}
		}
	}
	if ippErr == nil {
		d.URI = at
		fromIPP(d, overIPP)
		d.Answers = append(d.Answers, stock.Answer{Protocol: "ipp", Result: "yes", Says: "it answers at " + at})
	} else {
		d.Answers = append(d.Answers, stock.Answer{Protocol: "ipp", Result: "no", Says: fault.As(ippErr).What})
	}
	if snmpErr == nil {
		fromSNMP(d, overSNMP, ippErr == nil)
		d.Answers = append(d.Answers, stock.Answer{Protocol: "snmp", Result: "yes", Says: "it tells its state, supplies " +
			"and hardware address as far as it knows them"})
	} else {
		result := "no"
		if fault.As(snmpErr).Code == "silent" {
			result = "unproven"
		}
		d.Answers = append(d.Answers, stock.Answer{Protocol: "snmp", Result: result, Says: fault.As(snmpErr).What})
	}
	if ippErr == nil || snmpErr == nil {
		return d, nil
	}
	port := "9100"
	if u.Scheme == "socket" {
		port = cmp.Or(u.Port(), port)
	}
	conn, err := c.table.dial(ctx, "tcp", net.JoinHostPort(u.Hostname(), port), DeviceWithin/4)
	if err == nil {
		_ = conn.Close()
		d.Answers = append(d.Answers, stock.Answer{Protocol: "raw", Result: "unproven",
			Says: "something takes connections at port " + port + "; whether it prints, and what it is, is not proven"})
		return d, nil
	}
	if fault.Is(ippErr, fault.Denied) || fault.Is(snmpErr, fault.Denied) {
		return nil, ippErr
	}
	return nil, worst(u.Hostname(), ippErr, snmpErr)
}

// worst gives of two failures the one that says more.
func worst(host string, overIPP, overSNMP error) error {
	a, b := fault.As(overIPP), fault.As(overSNMP)
	if a.Code == "silent" || a.Code == "refused" && b.Code == "refused" {
		if a.Code == "silent" {
			return fault.New(fault.Unavailable, "silent", "check that it is on, and its address", "nothing answers at %s, "+
				"neither over IPP nor over SNMP nor at the raw port", host).Because(overIPP)
		}
		return fault.New(fault.Unavailable, "refused", "switch IPP or SNMP on there, or check the address",
			"%s is there, and answers neither over IPP nor over SNMP nor at the raw port", host).Because(overIPP)
	}
	return overIPP
}

// attributesAt asks for a device's attributes at its URI, or where devices usually have them (PWG 5100.14, section
// 4.3).
func (c *IPP) attributesAt(ctx context.Context, u *url.URL, key *stock.Key) (ipp.Message, string, error) {
	var places []string
	switch u.Scheme {
	case "ipp", "ipps", "http", "https":
		places = append(places, u.String())
	}
	host := u.Host
	if u.Scheme == "socket" || u.Scheme == "lpd" {
		host = u.Hostname()
		if strings.Contains(host, ":") {
			host = "[" + host + "]"
		}
	}
	for _, path := range []string{"/ipp/print", "/ipp", "/"} {
		if p := "ipp://" + host + path; len(places) == 0 || u.Path == "" || u.Path == "/" {
			if !slices.Contains(places, p) {
				places = append(places, p)
			}
		}
	}
	var first error
	for _, p := range places {
		m, err := c.exchange(ctx, p, ipp.NewRequest(ipp.GetPrinterAttributes, c.id.Add(1), p), nil, asking{key: key})
		if err == nil {
			return m, p, nil
		}
		if first == nil {
			first = err
		}
		if f := fault.As(err); f.Code != "path-not-found" && f.Code != "device-refused" {
			return m, p, err // another path will not help
		}
	}
	return ipp.Message{}, "", first
}

func fromIPP(d *stock.Device, m ipp.Message) {
	text := func(name string) string { return strings.TrimSpace(m.Text(ipp.PrinterGroup, name)) }
	d.Model, d.Name, d.Location, d.Message = text("printer-make-and-model"), cmp.Or(text("printer-dns-sd-name"),
		text("printer-name")), text("printer-location"), text("printer-state-message")
	d.UUID = strings.ToLower(strings.TrimPrefix(text("printer-uuid"), "urn:uuid:"))
	d.Firmware = text("printer-firmware-string-version")
	id := deviceID(text("printer-device-id"))
	d.Maker, d.Serial = id["MFG"], cmp.Or(text("printer-serial-number"), id["SN"])
	d.State, d.Reasons = stateOf(m.Number(ipp.PrinterGroup, "printer-state")), reasonsOf(m.Texts(ipp.PrinterGroup,
		"printer-state-reasons"))
	d.Formats, d.Jobs, d.Pages = m.Texts(ipp.PrinterGroup, "document-format-supported"), m.Number(ipp.PrinterGroup,
		"queued-job-count"), m.Number(ipp.PrinterGroup, "printer-impressions-completed")
	d.Defaults, d.Supported = options(m)
	if a, ok := m.Find(ipp.PrinterGroup, "color-supported"); ok && len(a.Values) == 1 {
		colour := a.Values[0].Int == 1
		d.Colour = &colour
	}
	if sides := d.Supported["sides"]; len(sides) > 0 {
		two := slices.ContainsFunc(sides, func(s string) bool { return strings.HasPrefix(s, "two-sided") })
		d.TwoSided = &two
	}
	names, levels := m.Texts(ipp.PrinterGroup, "marker-names"), []int{}
	if a, ok := m.Find(ipp.PrinterGroup, "marker-levels"); ok {
		for _, v := range a.Values {
			levels = append(levels, int(v.Int))
		}
	}
	for i, n := range names {
		s := stock.Supply{Name: n}
		if i < len(levels) && levels[i] >= 0 && levels[i] <= 100 {
			s.Level = &levels[i]
		}
		d.Supplies = append(d.Supplies, s)
	}
}

// fromSNMP adds what IPP did not say; what a device says over IPP of its state goes before.
func fromSNMP(d *stock.Device, p snmp.Printer, also bool) {
	d.Model, d.Name, d.Location = cmp.Or(d.Model, p.Model, p.Descr), cmp.Or(d.Name, p.Name), cmp.Or(d.Location, p.Location)
	d.Serial, d.MAC, d.Pages, d.Languages = cmp.Or(d.Serial, p.Serial), p.MAC, cmp.Or(d.Pages, p.Pages), p.Languages
	if !also {
		d.State, d.Reasons, d.Message = p.State, p.Reasons, p.Message
	}
	if len(p.Supplies) > 0 {
		d.Supplies = nil
		for _, s := range p.Supplies {
			d.Supplies = append(d.Supplies, stock.Supply{Name: s.Name, Level: s.Percent})
		}
	}
}

var deviceIDPart = regexp.MustCompile(`(?i)(MFG|MANUFACTURER|MDL|MODEL|SN|SERN|SERIALNUMBER)\s*:\s*([^;]*)`)

// deviceID reads an IEEE 1284 device id.
func deviceID(s string) map[string]string {
	short := map[string]string{"MANUFACTURER": "MFG", "MODEL": "MDL", "SERN": "SN", "SERIALNUMBER": "SN"}
	out := map[string]string{}
	for _, m := range deviceIDPart.FindAllStringSubmatch(s, 16) {
		k := strings.ToUpper(m[1])
		out[cmp.Or(short[k], k)] = strings.TrimSpace(m[2])
	}
	return out
}

// ReadLine tells whether an address answers at all over IPP, SNMP or at the raw port: for a scan, where most do not.
func (c *IPP) ReadLine(ctx context.Context, host string, keys []stock.Key) (*stock.Device, string, error) {
	h := host
	if strings.Contains(h, ":") {
		h = "[" + h + "]"
	}
	uri := "ipp://" + h + "/ipp/print"
	d, err := c.ReadDevice(ctx, uri, keys)
	if err == nil && d.URI == "" {
		uri = "socket://" + h + ":9100"
	}
	return d, uri, err
}
