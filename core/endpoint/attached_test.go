package endpoint

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/estate"
)

func TestNewAttached(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ uri, model, id, want string }{
		{"usb://Skerrymark/Slip%203?serial=SK-3", "Skerrymark Slip 3",
			"MFG:Skerrymark;MDL:Slip 3;CMD:TEXT, PCL6,TEXT;CLS:PRINTER;SN:SK-3;", "Skerrymark Slip 3|SK-3|[TEXT PCL6]|true"},
		{"usb://Skerrymark/Slip%203", "x", "MANUFACTURER: Skerrymark;MODEL:Skerrymark Slip 3;SERN:S\x1b9;CLASS:AUDIO",
			"Skerrymark Slip 3|S 9|[]|false"},
		{"serial:/dev/ttyS0?baud=115200", "Unknown", "", "||[]|nil"},
		{"parallel:/dev/lp0", "Tarnhelm 24", ";;:;", "Tarnhelm 24||[]|nil"},
		{"ipp://10.1.0.1/", "x", "", "no"}, {"usb://Skerrymark", "x", "", "no"}, {"file:///etc/passwd", "x", "", "no"},
		{"serial:/dev/../etc/ttyS0", "", "", "no"}, {"parallel:/dev/lp0;rm", "", "", "no"},
	} {
		a, ok := NewAttached(c.uri, c.model, c.id)
		is := "nil"
		if a.Printer != nil {
			is = fmt.Sprint(*a.Printer)
		}
		got := fmt.Sprintf("%s|%s|%v|%s", a.Model, a.Serial, a.Languages, is)
		if !ok {
			got = "no"
		}
		if got != c.want {
			t.Errorf("%s %q: %s", c.uri, c.id, got)
		}
	}
}

func TestAsDevices(t *testing.T) {
	t.Parallel()
	devices := []estate.Device{{Name: "net", URI: "ipp://10.1.0.1/"},
		{Name: "slip", URI: "usb://T/Slip?serial=S1", Machine: "Till-07"},
		{Name: "port", URI: "parallel:/dev/lp0", Machine: "till-07"}}
	for _, c := range []struct{ machine, uri, serial, device, says string }{
		{"till-07", "usb://T/Slip?serial=S1", "S1", "slip", ""},
		{"till-07", "usb://T/Slip%203?serial=s1", "s1", "slip", "the estate has it at usb://T/Slip?serial=S1"},
		{"till-08", "usb://T/Slip?serial=S1", "S1", "slip", "the estate has it plugged into Till-07; if it was moved: " +
			"cirque draft set device slip machine=till-08"},
		{"till-07", "parallel:/dev/lp0", "", "port", ""}, {"till-08", "parallel:/dev/lp0", "", "", ""},
		{"till-07", "usb://T/Slip?serial=S2", "S2", "", ""},
	} {
		got := AsDevices(Report{Machine: c.machine, Attached: []Attached{{URI: c.uri, Serial: c.serial}}}, devices)
		if len(got) != 1 || got[0].Device != c.device || got[0].Says != c.says {
			t.Errorf("%+v: %+v", c, got)
		}
	}
	if AsDevices(Report{}, devices) != nil || AsDevices(Report{Attached: []Attached{}}, devices) == nil {
		t.Error("none plugged in and nothing told are one")
	}
}

// TestPluggedIn: a look proves that a device is there, or is not, for half an hour; what is not told proves nothing.
func TestPluggedIn(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)
	d := estate.Device{Name: "slip", URI: "usb://T/Slip?serial=S1", Machine: "till-07"}
	slip := []Attached{{URI: d.URI, Serial: "S1"}}
	for _, c := range []struct {
		machine string
		found   []Attached
		before  time.Duration
		want    string
	}{
		{"", nil, 0, Unproven + " no agent"}, {"till-07", nil, 0, Unproven + " the agent of till-07 does not tell"},
		{"till-07", slip, time.Minute, Yes + " it is plugged into till-07, as that looked 1 min ago"},
		{"till-07", slip, AttachedFor + time.Second, Unproven + " it is long since till-07 looked"},
		{"till-07", slip, -time.Hour, Yes + " it is plugged into till-07, as that looked 0 s ago"},
		{"till-07", []Attached{}, time.Minute, No + " it is not plugged into till-07"},
		{"till-07", []Attached{}, 2 * AttachedFor, Unproven + " it is long"},
		{"till-07", []Attached{{URI: "usb://T/Slip%203?serial=S1", Serial: "S1"}}, 0, No + " the estate has it at"},
	} {
		at := now.Add(-c.before)
		got := PluggedIn(Report{Machine: c.machine, Attached: c.found, AttachedAt: &at}, d, now)
		if !strings.HasPrefix(got.Result+" "+got.Says, c.want) || (got.Result == Yes) != (got.Fix == "") {
			t.Errorf("%+v: %+v", c, got)
		}
	}
	if got := PluggedIn(Report{Machine: "till-07", Attached: slip}, d, now); got.Result != Unproven {
		t.Errorf("a look without its time: %+v", got)
	}
}
