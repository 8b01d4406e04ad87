package cli

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func deviceCommand(r *root) *cobra.Command {
	const base = "/api/v1/stock/devices"
	show := deviceShowCommand(r, named(base, ""))
	read := ask(r, "read DEVICE", "Question a device now", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (stock.DeviceView, error) {
		return apiclient.Post[stock.DeviceView](c.Context(), client, apiclient.Path(base, a[0])+"/read", nil)
	}, r.writeDevice)
	recognise := ask(r, "recognise DEVICE", "Take the device that answers now for the one that is meant",
		cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.DeviceView, error) {
			return apiclient.Post[stock.DeviceView](c.Context(), client, apiclient.Path(base, a[0])+"/recognise", nil)
		}, r.writeDevice)
	remove := unregisterCommand(r, "device", "Forget a device that was registered by hand", base)
	forget := done(r, "forget ADDRESS...", "Take addresses off the list of what was found", cmdline.Args(1, -1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "POST", "/api/v1/stock/found/forget", nil, api.Addresses{Addresses: a}, nil)
		}, func(a []string) string {
			return fmt.Sprintf("%s taken off the list; a later scan may find them again.", words.Count(len(a), "address"))
		})
	found := ask(r, "found", "What scans found and nobody listed", cmdline.Args(0, 0),
		items[stock.Unlisted](fixed("/api/v1/stock/found")), func(w io.Writer, list []stock.Unlisted) {
			t := r.table("ADDRESS", "MODEL", "SERIAL", "HARDWARE ADDRESS", "ITS LOCATION", "FOUND")
			for _, f := range list {
				t.add(f.Address, first(f.Reading.Model, "not known"), f.Reading.Serial, f.Reading.MAC, f.Reading.Location,
					ago(f.At, time.Now()))
			}
			t.write(w)
			fmt.Fprintf(w, "%s. To register one: cirque device add ADDRESS. To make queues of them: cirque adopt --device "+
				"ADDRESS --dry-run\n", words.Count(len(list), "device"))
		})
	return cmdline.Group("device", "Devices: register, question, scan, reserve addresses", deviceListCommand(r), show,
		addDeviceCommand(r), lineCommand(r, stock.KindDevice),
		read, recognise, scanCommand(r), found, forget, reservationsCommand(r), testStockCommand(r, "device",
			"test DEVICE", 1), remove)
}

func deviceListCommand(r *root) *cobra.Command {
	var word, state string
	c := ask(r, "list", "All devices with what they tell and how they stand", cmdline.Args(0, 0), func(c *cobra.Command,
		client *apiclient.Client, _ []string) ([]stock.DeviceView, error) {
		if !slices.Contains([]string{"", "not-ready", "differs", "no-queue"}, state) {
			return nil, usagef("%q is no state to choose: not-ready, differs or no-queue", state)
		}
		list, err := apiclient.List[stock.DeviceView](c.Context(), client, "/api/v1/stock/devices", nil)
		return slices.DeleteFunc(list, func(d stock.DeviceView) bool {
			text := d.Name + " " + d.Title + " " + d.URI + " " + d.MAC + " " + d.Location + " " + d.Note + " " +
				d.Identity.String()
			ready := false
			if d.Reading != nil {
				text += " " + d.Reading.Model
				ready = d.Reading.Ready() && d.Check.OK
			}
			return word != "" && !strings.Contains(strings.ToLower(text), strings.ToLower(word)) || state == "not-ready" &&
				ready || state == "differs" && len(d.Differs) == 0 || state == "no-queue" && len(d.Queues) > 0
		}), err
	}, func(w io.Writer, list []stock.DeviceView) {
		t := r.table("DEVICE", "ADDRESS", "KEPT BY", "MODEL", "STATE", "STATUS", "REMARKS")
		for _, d := range list {
			model, state := "", ""
			if d.Reading != nil {
				model, state = d.Reading.Model, d.Reading.State
				if len(d.Reading.Reasons) > 0 {
					state += " (" + strings.Join(d.Reading.Reasons, ", ") + ")"
				}
			}
			var kinds []string
			for _, x := range d.Differs {
				kinds = append(kinds, x.Kind)
			}
			host, kept, how := stock.Host(d.URI), first(d.AddressKeptBy, "unknown"), stands(d.Check)
			if d.Machine != "" {
				host, kept, how = d.URI, "", pluggedInto(d.Watch)
			}
			t.add(d.Name, host, kept, model, state, how, strings.Join(kinds, ", "))
		}
		t.write(w)
		fmt.Fprintf(w, "%s.\n", words.Count(len(list), "device"))
	})
	c.Flags().StringVar(&word, "find", "", "only with this in name, address, hardware address, serial, model, "+
		"location or note")
	c.Flags().StringVar(&state, "state", "", "only these: not-ready, differs (from what is written) or no-queue (none "+
		"leads there)")
	return c
}

func addDeviceCommand(r *root) *cobra.Command {
	var in api.NewWatch
	c := ask(r, "add ADDRESS", "Register a device by host name, address or URI; it is questioned at once",
		cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.DeviceView, error) {
			in.URI = a[0]
			return apiclient.Post[stock.DeviceView](c.Context(), client, "/api/v1/stock/devices", in)
		}, r.writeDevice)
	watchFlags(c, &in)
	c.Flags().StringVar(&in.MAC, "mac", "", "its hardware address, in any notation; read from the device when absent")
	c.Flags().StringVar(&in.AddressKeptBy, "kept-by", "", "what keeps its address: reservation, static or unknown")
	return c
}

// pluggedInto says how a device stands that no network leads to.
func pluggedInto(d stock.Watch) string {
	return "plugged into " + d.Machine + ", which alone reaches it"
}

func (r *screen) writeDevice(w io.Writer, d stock.DeviceView) { writeDevice(r, w, d, "") }

// writeDevice writes a device, with since when its address is kept as it is, where that is known.
func writeDevice(r *screen, w io.Writer, d stock.DeviceView, kept string) {
	how := stands(d.Check)
	if d.Machine != "" {
		how = pluggedInto(d.Watch)
	}
	fmt.Fprintf(w, "%s at %s: %s.\n", d.Name, d.URI, how)
	line := func(what, value string) {
		if value != "" {
			fmt.Fprintf(w, "  %-18s %s\n", what, value)
		}
	}
	if x := d.Reading; x != nil {
		for _, a := range x.Answers {
			line(strings.ToUpper(a.Protocol), a.Result+": "+a.Says)
		}
		line("model", strings.TrimSpace(x.Model))
		line("state", strings.TrimSpace(x.State+" "+strings.Join(x.Reasons, ", ")))
		line("firmware", x.Firmware)
		line("says it is at", x.Location)
		line("takes", strings.Join(x.Formats, ", "))
		line("page languages", strings.Join(x.Languages, ", "))
		line("colour", yesNo(x.Colour))
		line("both sides", yesNo(x.TwoSided))
		line("paper", strings.Join(x.Supported["media"], ", "))
		line("trays", strings.Join(x.Trays, ", "))
		line("resolution", strings.Join(x.Dots, ", "))
		line("finishing", strings.Join(x.Supported["finishings"], ", "))
		for _, s := range x.Supplies {
			level := "level not known"
			if s.Level != nil {
				level = fmt.Sprintf("%d %%", *s.Level)
			}
			line("supply", s.Name+": "+level)
		}
		if x.Pages > 0 {
			line("pages", fmt.Sprint(x.Pages))
		}
	}
	line("recognised by", d.Identity.String())
	if d.Machine == "" {
		line("address kept by", first(d.AddressKeptBy, "unknown")+kept)
	}
	line("location", d.Location)
	line("queues", first(strings.Join(d.Queues, ", "), "none"))
	line("note", d.Note)
	for _, x := range d.Differs {
		fmt.Fprintf(w, "  %-8s %s; %s.\n", x.Severity, x.Says, x.Fix)
	}
}

// yesNo says what a device says of itself, and nothing where it does not say.
func yesNo(can *bool) string {
	if can == nil {
		return ""
	}
	return map[bool]string{true: "yes", false: "no"}[*can]
}

func scanCommand(r *root) *cobra.Command {
	var in api.NewScan
	var stop int64
	c := &cobra.Command{Use: "scan RANGE...", Short: "Look at every address of some ranges for devices that nobody listed",
		Args: cmdline.Args(0, -1),
		Long: `Ask each address of subnets (10.40.8.0/24), ranges (10.40.8.20-10.40.8.60) and single addresses over
IPP and SNMP, and whether something listens at the raw port. Addresses of what is listed already are
not asked. What answers is proposed; nothing is added by itself. The scan goes on if you leave;
--stop N ends it.`}
	c.Flags().IntVar(&in.Rate, "rate", 0, "addresses a second, at most 200; 40 when absent")
	c.Flags().BoolVar(&in.Dry, "dry-run", false, "only say what would be touched")
	c.Flags().Int64Var(&stop, "stop", 0, "stop the scan of this number")
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if stop > 0 {
			if err := client.Do(c.Context(), "DELETE", fmt.Sprintf("/api/v1/stock/scans/%d", stop), nil, nil, nil); err != nil {
				return err
			}
			return r.say(c, []string{fmt.Sprint(stop)}, "The scan %d is being stopped.", stop)
		}
		if len(a) == 0 {
			return usagef("name a range to scan")
		}
		in.Ranges = a
		begun, err := apiclient.Post[api.StartedScan](c.Context(), client, "/api/v1/stock/scans", in)
		if err != nil {
			return err
		}
		if begun.Scan == nil {
			return r.print(c, begun, func(w io.Writer) { writePlan(w, begun.Plan) })
		}
		last, err := r.followScan(c, client, *begun.Scan)
		if err != nil {
			return err
		}
		return r.print(c, last, func(w io.Writer) {
			fmt.Fprintf(w, "The scan %d is %s: %d of %s asked, %d answered that are not listed. See cirque device found.\n",
				last.ID, last.State, last.Done, words.Count(last.Total, "address"), last.Found)
		})
	}
	return c
}

func writePlan(w io.Writer, p stock.ScanPlan) {
	fmt.Fprintf(w, "%s from %s to %s", words.Count(p.Total, "address"), p.First, p.Last)
	if p.Listed > 0 {
		fmt.Fprintf(w, ", %d of which are listed already and not asked", p.Listed)
	}
	fmt.Fprintf(w, "; at %d a second it takes %d s.\nEach would be asked:\n", p.Rate, p.Seconds)
	for _, a := range p.Asks {
		fmt.Fprintf(w, "  %s\n", a)
	}
	fmt.Fprintln(w, "Nothing was touched.")
}

// followScan waits for a scan's end; it goes on where whoever waits leaves.
func (r *root) followScan(c *cobra.Command, client *apiclient.Client, begun stock.Scan) (stock.Scan, error) {
	return follow(r, c, client, begun, work[stock.Scan]{over: func(s stock.Scan) bool { return s.State != "running" },
		again: func(ctx context.Context) (stock.Scan, error) {
			list, err := apiclient.List[stock.Scan](ctx, client, "/api/v1/stock/scans", nil)
			if err != nil {
				return stock.Scan{}, err
			}
			i := slices.IndexFunc(list, func(s stock.Scan) bool { return s.ID == begun.ID })
			if i < 0 {
				return stock.Scan{}, fault.New(fault.Unknown, "scan-unknown", "see cirque device found",
					"the scan %d is no longer kept", begun.ID)
			}
			return list[i], nil
		},
		says: func(s stock.Scan) string { return fmt.Sprintf("%d of %d, %d found", s.Done, s.Total, s.Found) }})
}

func reservationsCommand(r *root) *cobra.Command {
	var format string
	export := &cobra.Command{Use: "export", Short: "Write the reservations that the devices need, for a DHCP server",
		Args: cmdline.Args(0, 0), RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if format != "csv" && format != "json" {
				return usagef("%q is no form for reservations: csv or json", format)
			}
			t, err := apiclient.Get[api.Text](c.Context(), client, "/api/v1/stock/reservations", url.Values{"format": {format}})
			if err != nil {
				return err
			}
			for _, l := range t.Lacking {
				fmt.Fprintln(c.ErrOrStderr(), "left out: "+l.String())
			}
			return r.print(c, t, func(w io.Writer) { _, _ = io.WriteString(w, t.Text) })
		}}
	export.Flags().StringVar(&format, "format", "csv", "csv, or json as the common open DHCP server's "+
		"configuration has them")
	dry := false
	take := ask(r, "import FILE", "Take in what a DHCP server reserves, to compare devices with", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (api.Imported, error) {
			var n api.Imported
			files, err := readFiles(c, a)
			if err != nil {
				return n, err
			}
			return n, client.Do(c.Context(), "PUT", "/api/v1/stock/reservations", withDry(nil, dry),
				api.NamedText{Name: files[0].Name,
					Text: files[0].Text}, &n)
		}, func(w io.Writer, n api.Imported) {
			if dry {
				fmt.Fprintf(w, "%s would be imported. Nothing was stored.\n", words.Count(n.Count, "reservation"))
				return
			}
			fmt.Fprintf(w, "%s imported. See cirque device list --state differs.\n", words.Count(n.Count, "reservation"))
		})
	take.Flags().BoolVar(&dry, "dry-run", false, "only say how many there are")
	return cmdline.Group("reservations", "Reservations of addresses, out and in", export, take)
}
