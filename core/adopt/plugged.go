package adopt

import (
	"strings"

	"cirque/core/estate"
	"cirque/core/stock"
)

// plugged says whether a queue's device is plugged into the machine where it was found.
func (f Found) plugged() bool {
	return (f.Kind == KindCapture || f.Kind == KindAttached) && estate.Attached(f.Queue.Device)
}

// pluggedKey tells apart what is plugged into machines. A USB printer's serial number is its own wherever it is.
func pluggedKey(machine, uri string) string {
	if s := estate.SerialOf(uri); s != "" {
		return "serial " + strings.ToLower(s) + " " + stock.Scheme(uri)
	}
	return strings.ToLower(machine) + " " + uri
}
