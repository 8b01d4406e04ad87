// Package snmp asks devices over SNMP (RFC 3416).
package snmp

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"strings"
	"syscall"
	"time"

	"cirque/internal/probe/dial"

	"github.com/gosnmp/gosnmp"

	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/snmp"
)

// Read asks a host what its printer tells over SNMP, with the first key that it takes. Silence may mean a wrong key
// as well as none there: a wrong community is not answered.
func Read(ctx context.Context, d *dial.Dialer, host string, keys []stock.Key,
	within time.Duration) (snmp.Printer, error) {
	addr, control, err := d.Lead(dial.SNMP, net.JoinHostPort(host, "161"))
	if err != nil {
		return snmp.Printer{}, dial.Explain(host, err)
	}
	var last error = fault.New(fault.Unavailable, "silent", "store a key for it", "%s does not answer over SNMP", host)
	for i, k := range keys {
		p, err := ask161(ctx, addr, control, host, k, within)
		if err == nil {
			keys[i].Outcome = "works"
			return p, nil
		}
		if fault.Is(err, fault.Denied) {
			keys[i].Outcome = "refused"
		}
		last = err
		if ctx.Err() != nil {
			break
		}
	}
	return snmp.Printer{}, last
}

//nolint:funlen // one dialogue
func ask161(ctx context.Context, addr string, control func(string, string, syscall.RawConn) error, host string,
	k stock.Key, within time.Duration) (p snmp.Printer, err error) {
	// The decoder belongs to somebody else; what it makes of garbage must not end the service.
	defer func() {
		if r := recover(); r != nil {
			err = fault.New(fault.Unavailable, "not-snmp", "look at the device", "%s does not speak SNMP",
				host).Because(fmt.Errorf("%v", r))
		}
	}()
	at, port, err := net.SplitHostPort(addr)
	if err != nil {
		return p, err
	}
	n, err := strconv.ParseUint(port, 10, 16)
	if err != nil {
		return p, err
	}
	g := &gosnmp.GoSNMP{Context: ctx, Target: at, Port: uint16(n), Transport: "udp", Version: gosnmp.Version2c,
		Community: k.Secret, Timeout: within / 2, Retries: 1, MaxOids: 60, MaxRepetitions: 16,
		Control: control}
	if k.Kind == stock.SNMP3 {
		g.Version, g.SecurityModel, g.MsgFlags = gosnmp.Version3, gosnmp.UserSecurityModel, gosnmp.AuthNoPriv
		usm := &gosnmp.UsmSecurityParameters{UserName: k.User, AuthenticationProtocol: gosnmp.SHA256,
			AuthenticationPassphrase: k.Secret}
		if k.Privacy != "" {
			g.MsgFlags, usm.PrivacyProtocol, usm.PrivacyPassphrase = gosnmp.AuthPriv, gosnmp.AES, k.Privacy
		}
		g.SecurityParameters = usm
	}
	if err := g.Connect(); err != nil {
		return p, dial.Explain(host, err)
	}
	defer func() { _ = g.Conn.Close() }()
	var vars []snmp.Var
	take := func(v gosnmp.SnmpPDU) {
		out := snmp.Var{OID: strings.TrimPrefix(v.Name, ".")}
		switch x := v.Value.(type) {
		case []byte:
			out.Bytes = x
		case string:
			out.Bytes = []byte(x)
		case nil:
			return
		default:
			big := gosnmp.ToBigInt(x)
			if big == nil || !big.IsInt64() {
				return
			}
			out.Int = big.Int64()
		}
		vars = append(vars, out)
	}
	answer, err := g.Get(snmp.Scalars())
	if err != nil {
		return p, snmpFault(host, k, err)
	}
	for _, v := range answer.Variables {
		take(v)
	}
	for _, column := range snmp.Columns() {
		next := column
		for rows := 0; rows < snmp.MaxRows; {
			answer, err := g.GetBulk([]string{next}, 0, 16)
			if err != nil {
				if ctx.Err() != nil {
					return p, snmpFault(host, k, err)
				}
				break // what was read so far is worth having
			}
			more := false
			for _, v := range answer.Variables {
				name := strings.TrimPrefix(v.Name, ".")
				if more = strings.HasPrefix(name, column+".") && name != next; !more {
					break
				}
				take(v)
				next = name
				rows++
			}
			if !more {
				break
			}
		}
	}
	p = snmp.Read(vars)
	if !p.IsPrinter() {
		return p, fault.New(fault.Unavailable, "no-printer", "check the address", "%s answers over SNMP, and "+
			"is no printer", host)
	}
	return p, nil
}

func snmpFault(host string, k stock.Key, err error) error {
	says := err.Error()
	switch {
	case strings.Contains(says, "wrong digest"), strings.Contains(says, "unknown user"), strings.Contains(says,
		"unknown username"), strings.Contains(says, "not authentic"), strings.Contains(says, "authentication"),
		strings.Contains(says, "decryption"):
		return fault.New(fault.Denied, "sign-in-refused", "enter the key anew", "%s refuses the key %s", host,
			k.Name).Because(err)
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded), strings.Contains(says, "timeout"):
		return fault.New(fault.Unavailable, "silent", "check that SNMP is on there, and the key: a wrong community is not "+
			"answered either", "%s does not answer over SNMP", host).Because(err)
	case strings.Contains(says, "refused"):
		return fault.New(fault.Unavailable, "refused", "switch SNMP on there", "%s has no SNMP", host).Because(err)
	}
	return fault.New(fault.Unavailable, "not-snmp", "look at the device", "%s does not speak SNMP as it should",
		host).Because(err)
}
