package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// aDevice is a device with the revision that said last what keeps its address.
type aDevice struct {
	stock.DeviceView
	KeptSince *estate.Revision `json:"address_kept_since,omitempty"`
}

func deviceShowCommand(r *root, path func([]string) string) *cobra.Command {
	return ask(r, "show DEVICE", "Everything about one device", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (out aDevice, err error) {
		if out.DeviceView, err = get[stock.DeviceView](path)(c, client, a); err != nil {
			return out, err
		}
		list, err := past(c.Context(), client, estate.Ref{List: "devices", Name: out.Name})
		if fault.Is(err, fault.Unknown) {
			return out, nil // it is registered, and not in the estate
		}
		if rev, ok := estate.Since(list, "address_kept_by"); ok && out.AddressKeptBy != "" && out.AddressKeptBy != "unknown" {
			out.KeptSince = &rev
		}
		return out, err
	}, func(w io.Writer, d aDevice) {
		kept := ""
		if v := d.KeptSince; v != nil {
			kept = fmt.Sprintf(", as %s said %s, revision %d", v.Author, r.at(v.At), v.Number)
		}
		writeDevice(&r.screen, w, d.DeviceView, kept)
	})
}
