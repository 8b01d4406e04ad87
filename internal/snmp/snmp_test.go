package snmp_test

import (
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"cirque/internal/snmp"
)

func text(oid, s string) snmp.Var         { return snmp.Var{OID: oid, Bytes: []byte(s)} }
func number(oid string, n int64) snmp.Var { return snmp.Var{OID: oid, Int: n} }

func TestRead(t *testing.T) {
	vars := []snmp.Var{
		text("1.3.6.1.2.1.1.1.0", "Mono 40\r\n  firmware 4"), number("1.3.6.1.2.1.1.3.0", 12_345), text("1.3.6.1.2.1.1.5.0",
			"hall-40"), text("1.3.6.1.2.1.1.6.0", "Hall\xe4"),
		text("1.3.6.1.2.1.25.3.2.1.3.1", "Mono 40"), number("1.3.6.1.2.1.25.3.5.1.1.1", 3),
		text("1.3.6.1.2.1.25.3.5.1.2.1", "\xa0"),
		text("1.3.6.1.2.1.43.5.1.1.17.1", " SK-1 "), number("1.3.6.1.2.1.43.10.2.1.4.1.1", 104_523),
		text("1.3.6.1.2.1.43.16.5.1.2.1.1", "Ready"),
		text("1.3.6.1.2.1.2.2.1.6.1", ""), text("1.3.6.1.2.1.2.2.1.6.2", "\x00\x00\x00\x00\x00\x00"),
		text("1.3.6.1.2.1.2.2.1.6.3", "\x02\x00\x5e\x10\x00\x1f"), text("1.3.6.1.2.1.2.2.1.6.4", "\x02\x00\x5e\x10\x00\x20"),
		text("1.3.6.1.2.1.43.11.1.1.6.1.10", "Cyan"), number("1.3.6.1.2.1.43.11.1.1.8.1.10", 2000),
		number("1.3.6.1.2.1.43.11.1.1.9.1.10", 500),
		text("1.3.6.1.2.1.43.11.1.1.6.1.2", "Black"), number("1.3.6.1.2.1.43.11.1.1.8.1.2", 100),
		number("1.3.6.1.2.1.43.11.1.1.9.1.2", -3), text("1.3.6.1.2.1.43.11.1.1.6.1.3", "Drum"),
		number("1.3.6.1.2.1.43.15.1.1.2.1.1", 6), number("1.3.6.1.2.1.43.15.1.1.2.1.2", 47),
		number("1.3.6.1.2.1.43.15.1.1.2.1.3", 6), number("1.3.6.1.2.1.43.15.1.1.2.1.4", 999),
	}
	p := snmp.Read(vars)
	if p.Model != "Mono 40" || p.Descr != "Mono 40 firmware 4" || p.Location != "Hallä" || p.Serial != "SK-1" ||
		p.MAC != "02:00:5e:10:00:1f" || p.UpSeconds != 123 || p.Pages != 104_523 || p.Message != "Ready" {
		t.Errorf("%+v", p)
	}
	if p.State != "idle" || !slices.Equal(p.Reasons, []string{"media-low", "toner-low"}) || !slices.Equal(p.Languages,
		[]string{"PostScript", "PCL6"}) {
		t.Errorf("%+v", p)
	}
	var supplies []string
	for _, s := range p.Supplies {
		level := "unknown"
		if s.Percent != nil {
			level = strings.Repeat("|", *s.Percent/5)
		}
		supplies = append(supplies, s.Name+" "+level)
	}
	if !slices.Equal(supplies, []string{"Black unknown", "Drum unknown", "Cyan |||||"}) {
		t.Errorf("%q", supplies)
	}
	if !p.IsPrinter() || snmp.Read(vars[:4]).IsPrinter() || snmp.Read(nil).IsPrinter() {
		t.Error("what is a printer is not told")
	}
}

// TestErrorBits: each bit of hrPrinterDetectedErrorState by its keyword; those that stop a printer stop it.
func TestErrorBits(t *testing.T) {
	for bits, want := range map[string]string{"\x80": "idle media-low", "\x40": "stopped media-empty",
		"\x04": "stopped media-jam", "\x02": "stopped offline", "\x00\x80": "idle input-tray-missing",
		"\x01": "idle service-requested", "": "idle ", "\xff\xff\xff": "stopped media-low"} {
		p := snmp.Read([]snmp.Var{number("1.3.6.1.2.1.25.3.5.1.1.1", 3), text("1.3.6.1.2.1.25.3.5.1.2.1", bits)})
		first := ""
		if len(p.Reasons) > 0 {
			first = p.Reasons[0]
		}
		if got := p.State + " " + first; got != want {
			t.Errorf("%x: %q, want %q", bits, got, want)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add("1.3.6.1.2.1.43.11.1.1.9.1.1", []byte{0xff}, int64(-3), uint8(3))
	f.Add("1.3.6.1.2.1.2.2.1.6.9", []byte("\x02\x00\x5e\x10\x00\x1f"), int64(1)<<62, uint8(7))
	f.Fuzz(func(t *testing.T, oid string, b []byte, n int64, more uint8) {
		vars := []snmp.Var{{OID: oid, Bytes: b, Int: n}}
		for i, o := range append(snmp.Scalars(), snmp.Columns()...) {
			if more&(1<<(i%8)) != 0 {
				vars = append(vars, snmp.Var{OID: o, Bytes: b, Int: n}, snmp.Var{OID: o + "." + oid, Bytes: b, Int: n})
			}
		}
		p := snmp.Read(vars)
		for _, s := range []string{p.Descr, p.Model, p.Name, p.Location, p.Serial, p.Message} {
			if !utf8.ValidString(s) || strings.ContainsAny(s, "\n\x00") {
				t.Errorf("%q cannot be shown", s)
			}
		}
		for _, s := range p.Supplies {
			if s.Percent != nil && (*s.Percent < 0 || *s.Percent > 100) {
				t.Errorf("%s at %d %%", s.Name, *s.Percent)
			}
		}
	})
}
