package ipp

import (
	"cmp"
	"context"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/ipp"
)

// AttributesAt asks for a device's attributes at its URI, or where devices usually have them (PWG 5100.14, section
// 4.3).
func (c *Client) AttributesAt(ctx context.Context, u *url.URL, key *stock.Key) (ipp.Message, string, error) {
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

// Describe puts what a device tells of itself into a reading.
func Describe(d *stock.Device, m ipp.Message) {
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
	d.Able = Able(m)
	if a, ok := m.Find(ipp.PrinterGroup, "printer-is-accepting-jobs"); ok && len(a.Values) == 1 {
		d.Refuses = a.Values[0].Int == 0
	}
	if a, ok := m.Find(ipp.PrinterGroup, "color-supported"); ok && len(a.Values) == 1 {
		colour := a.Values[0].Int == 1
		d.Colour = &colour
	}
	if sides := d.Supported["sides"]; len(sides) > 0 {
		two := slices.ContainsFunc(sides, func(s string) bool { return strings.HasPrefix(s, "two-sided") })
		d.TwoSided = &two
	}
	d.Trays = trays(m)
	if a, ok := m.Find(ipp.PrinterGroup, "printer-resolution-supported"); ok {
		d.Dots = a.Words()
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

// trays are a device's trays: by the names that it gives them (printer-input-tray, PWG 5100.13, section 6.5.5), else by
// the media sources that jobs may ask for; auto is none.
func trays(m ipp.Message) []string {
	var out []string
	for _, t := range m.Texts(ipp.PrinterGroup, "printer-input-tray") {
		for part := range strings.SplitSeq(t, ";") {
			if called, ok := strings.CutPrefix(strings.TrimSpace(part), "name="); ok && called != "" {
				out = append(out, called)
			}
		}
	}
	if out == nil {
		out = m.Texts(ipp.PrinterGroup, "media-source-supported")
	}
	return slices.DeleteFunc(out, func(s string) bool { return s == "auto" })
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
