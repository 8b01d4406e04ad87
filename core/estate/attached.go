package estate

import (
	"net/url"
	"regexp"

	"cirque/core/document"
	"cirque/core/name"
)

// A printer that is plugged into a machine is led to by the URIs that spoolers give it: usb://MAKER/MODEL?serial=S,
// parallel:/dev/lp0, serial:/dev/ttyS0?baud=9600+parity=none. The forms are narrow, as agents hand them to spoolers.
var (
	usbRE = regexp.MustCompile(`^usb://[^/?#\s]+/[^/?#\s]+` +
		`(\?(serial=[^&?#\s]+(&interface=\d{1,3})?|interface=\d{1,3}))?$`)
	parallelRE = regexp.MustCompile(`^parallel:/dev/(usb/)?(lp|parport|printers/)\d{1,3}$`)
	serialRE   = regexp.MustCompile(`^serial:/dev/tty[A-Za-z]{1,6}\d{1,3}(\?[a-z]+=[a-z0-9/]+(\+[a-z]+=[a-z0-9/]+)*)?$`)
)

// attachedForms are examples of those URIs, by scheme.
var attachedForms = map[string]string{"usb": "usb://MAKER/MODEL?serial=SERIAL", "parallel": "parallel:/dev/lp0",
	"serial": "serial:/dev/ttyS0?baud=9600"}

// Attached says whether a URI leads to a printer that is plugged into the machine on which it is used: by USB, or by a
// parallel or serial line.
func Attached(uri string) bool {
	return len(uri) <= mostURI && (usbRE.MatchString(uri) || parallelRE.MatchString(uri) || serialRE.MatchString(uri))
}

// SerialOf gives the serial number that a USB printer's URI has; "" where it has none.
func SerialOf(uri string) string {
	if !usbRE.MatchString(uri) {
		return ""
	}
	u, err := url.Parse(uri)
	if err != nil {
		return ""
	}
	return u.Query().Get("serial")
}

// deviceURI reads a device's URI with the machine into which it is plugged; "" of one on the network.
func (p *parser) deviceURI(o document.Object) (uri, machine string) {
	n, ok := o.Get("uri")
	written, _ := o.Get("machine")
	text := ""
	if ok {
		text, _ = n.Text()
	}
	u, err := url.Parse(text)
	form := ""
	if err == nil {
		form = attachedForms[u.Scheme]
	}
	machine = o.Text("machine")
	switch {
	case form == "":
		if machine != "" {
			written.Complain("leave it out, or write its URI as the machine has it, such as "+attachedForms["usb"],
				"a device on the network is plugged into no machine")
		}
		return p.uri(o, writtenSchemes), machine
	case !Attached(text):
		n.Complain("write it as cirque endpoint attached shows it, such as "+form,
			"%q is no address of a printer that is plugged into a machine", text)
	case machine == "":
		n.Complain("add machine: and the machine's name", "the device is plugged into a machine, and none is named")
	case !name.Valid(machine):
		written.Complain("write the machine's name as the directory has it", "%q is no name of a machine", machine)
	}
	return text, machine
}
