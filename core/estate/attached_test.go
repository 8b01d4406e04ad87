package estate

import (
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/fault"
)

// TestAttachedDevices: a printer that is plugged in is written with its machine, and one on the network without; what a
// spooler could take for something else than a printer is no address.
func TestAttachedDevices(t *testing.T) {
	t.Parallel()
	const no, unnamed, network = "is no address of a printer that is plugged into a machine",
		"the device is plugged into a machine, and none is named", "a device on the network is plugged into no machine"
	for device, says := range map[string]string{
		`uri: "usb://Skerrymark/Slip%203?serial=SK-3", machine: till-07`:             "",
		`uri: "usb://Skerrymark/Slip%203?serial=SK-3&interface=1", machine: till-07`: "",
		`uri: "usb://Skerrymark/Slip%203", machine: till-07`:                         "",
		`uri: "parallel:/dev/lp0", machine: till-07`:                                 "",
		`uri: "serial:/dev/ttyUSB0?baud=9600+parity=none", machine: till-07`:         "",
		`uri: "ipp://10.1.0.1/ipp/print"`:                                            "",
		`uri: "usb://Skerrymark/Slip%203?serial=SK-3"`:                               unnamed,
		`uri: "ipp://10.1.0.1/ipp/print", machine: till-07`:                          network,
		`uri: "usb://Skerrymark", machine: till-07`:                                  no,
		`uri: "usb:///etc/passwd", machine: till-07`:                                 no,
		`uri: "parallel:/dev/sda", machine: till-07`:                                 no,
		`uri: "serial:/dev/ttyS0?baud=9600;reboot", machine: till-07`:                no,
		`uri: "serial:/dev/../etc/ttyS0", machine: till-07`:                          no,
		`uri: "file:///etc/passwd", machine: till-07`:                                network,
		`uri: "lpinfo:x"`: "leads to nothing that prints",
	} {
		text := "estate: 1\ndevices: [{name: d, " + device + "}]\n"
		_, err := Parse([]document.File{{Name: "e.yaml", Text: text}}, Options{})
		text = ""
		if err != nil {
			for _, d := range fault.As(err).Details {
				text += d.What + "; "
			}
		}
		if says == "" && err != nil || !strings.Contains(text, says) {
			t.Errorf("%s: %s", device, text)
		}
	}
	for uri, prints := range map[string]bool{"usb://A/B?serial=1": true, "parallel:/dev/usb/lp1": true,
		"serial:/dev/ttyS1": true, "usb://A/B?serial=1#x": false, "serial:/dev/sda": false, "socket://10.1.0.1": true} {
		if PrintsTo(uri) != prints {
			t.Error(uri)
		}
	}
	if SerialOf("usb://A/B?serial=SK%203") != "SK 3" || SerialOf("ipp://a/?serial=1") != "" {
		t.Error(SerialOf("usb://A/B?serial=SK%203"))
	}
}
