// Package probe asks servers and devices over every protocol that they may speak. Below it stand one client for each
// protocol, and the one way out.
package probe

import (
	"cmp"
	"context"
	"net"
	"net/url"
	"strings"
	"sync"
	"time"

	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/ipp"
	"cirque/internal/probe/dial"
	ippclient "cirque/internal/probe/ipp"
	snmpclient "cirque/internal/probe/snmp"
	"cirque/internal/snmp"
)

// A Prober is a client of servers and devices over IPP, which also asks devices over SNMP.
type Prober struct {
	*ippclient.Client
	out *dial.Dialer
}

// New makes a Prober that goes by a table, which may be nil.
func New(d *dial.Dialer) *Prober { return &Prober{ippclient.New(d), d} }

// DeviceWithin is how long one device may take in all, silent ones included.
const DeviceWithin = 4 * time.Second

// publicKey is what most devices are delivered with; it is tried where no key is stored.
var publicKey = stock.Key{Name: "public", Kind: stock.SNMP, Secret: "public"}

// ReadDevice questions a device: over IPP at its URI, or where devices usually answer; over SNMP, which knows its
// hardware address and supplies; and, where neither answers, by a bare connection to the port for raw data, which
// proves only that something listens. It fails when nothing answers, with the failure that says most.
func (c *Prober) ReadDevice(ctx context.Context, uri string, keys []stock.Key) (*stock.Device, error) {
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
	wg.Go(func() { overIPP, at, ippErr = c.AttributesAt(ctx, u, signIn) })
	wg.Go(func() {
		overSNMP, snmpErr = snmpclient.Read(ctx, c.out, u.Hostname(), communities, DeviceWithin/4)
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
		ippclient.Describe(d, overIPP)
		d.Answers = append(d.Answers, stock.Answer{Protocol: "ipp", Result: "yes", Says: "it answers at " + at})
	} else {
		d.Answers = append(d.Answers, stock.Answer{Protocol: "ipp", Result: "no", Says: fault.As(ippErr).What})
	}
	if snmpErr == nil {
		snmpclient.Describe(d, overSNMP, ippErr == nil)
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
	conn, err := c.out.Dial(ctx, dial.Raw, "tcp", net.JoinHostPort(u.Hostname(), port), DeviceWithin/4)
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

// ReadLine tells whether an address answers at all over IPP, SNMP or at the raw port: for a scan, where most do not.
func (c *Prober) ReadLine(ctx context.Context, host string, keys []stock.Key) (*stock.Device, string, error) {
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
