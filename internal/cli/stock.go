package cli

import (
	"fmt"
	"io"
	"maps"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/decommission"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// stands says how the last try went, and how old that is.
func stands(c *stock.Check) string {
	if c == nil {
		return "not read yet"
	}
	if c.OK {
		return "answers, read " + ago(c.At, time.Now())
	}
	return c.Says + ", since " + strings.TrimSuffix(ago(c.Since, time.Now()), " ago")
}

func (r *root) server() *cobra.Command {
	const base = "/api/v1/stock/servers"
	list := ask(r, "list", "All print servers with how they stand", cobra.NoArgs, items[stock.ServerView](fixed(base)),
		func(w io.Writer, list []stock.ServerView) {
			t := r.table("SERVER", "ADDRESS", "STATUS", "QUEUES", "NOT READY", "JOBS", "DUTY", "DIFFERS")
			for _, s := range list {
				differs := ""
				if s.Differences > 0 {
					differs = words.Count(s.Differences, "difference")
				}
				t.add(s.Name, s.URI, stands(s.Check), fmt.Sprint(s.Count.Queues), fmt.Sprint(s.Count.NotReady),
					fmt.Sprint(s.Count.Jobs), s.Duty, differs)
			}
			t.write(w)
			fmt.Fprintf(w, "%s.\n", words.Count(len(list), "server"))
		})
	show := ask(r, "show SERVER", "One print server: its queues, and how it differs from the estate", cobra.ExactArgs(1),
		get[stock.ServerSheet](named(base, "")), r.writeServer)
	read := ask(r, "read SERVER", "Read a print server now", cobra.ExactArgs(1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (stock.ServerSheet, error) {
		return apiclient.Post[stock.ServerSheet](c.Context(), client, apiclient.Path(base, a[0])+"/read", nil)
	}, r.writeServer)
	compare := ask(r, "compare SERVER SERVER", "Two servers' queues side by side, deeper than by name", cobra.ExactArgs(2),
		func(c *cobra.Command, client *apiclient.Client, a []string) ([]stock.Pair, error) {
			return apiclient.List[stock.Pair](c.Context(), client, apiclient.Path(base, a[0])+"/compare",
				url.Values{"with": {a[1]}})
		}, func(w io.Writer, list []stock.Pair) {
			t := r.table("QUEUE", "ON", "DIFFERS")
			same := 0
			for _, p := range list {
				if p.Same {
					same++
				}
				says := strings.Join(p.Says, "; ")
				if p.On != "both" {
					says = "missing on the other"
				}
				t.add(p.Queue, p.On, says)
			}
			t.write(w)
			fmt.Fprintf(w, "%d of %s are the same on both.\n", same, words.Count(len(list), "queue"))
		})
	remove := r.unregister("server", "Forget a server that was registered by hand; its queues are not touched", base)
	return group("server", "Print servers: register, read, compare, leave", list, show, r.addServer(), read,
		r.serverQueues(), compare, r.sets(), r.depends(), r.serverJobs(), r.outage(), r.testStock("server",
			"test SERVER QUEUE", 2), remove)
}

// unregister makes the command that forgets one. What the estate names is still watched, which it says.
func (r *root) unregister(kind, short, base string) *cobra.Command {
	return &cobra.Command{Use: "remove " + strings.ToUpper(kind), Short: short, Args: args(cobra.ExactArgs(1)),
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			path := apiclient.Path(base, a[0])
			if err := client.Do(c.Context(), "DELETE", path, nil, nil, nil); err != nil {
				return err
			}
			says := fmt.Sprintf("The %s %s is no longer watched. Nothing on it was touched.", kind, a[0])
			if _, err := apiclient.Get[stock.Watch](c.Context(), client, path, nil); err == nil {
				says = fmt.Sprintf("What was registered of the %s %s is forgotten. The estate names it, so it is still read; to "+
					"take it out: cirque draft remove %ss/%s", kind, a[0], kind, a[0])
			}
			_, err = fmt.Fprintln(c.OutOrStdout(), says)
			return err
		}}
}

func watchFlags(c *cobra.Command, in *api.NewWatch) {
	f := c.Flags()
	f.StringVar(&in.Name, "name", "", "its name here; made of the address when absent")
	f.StringVar(&in.Title, "title", "", "what people call it")
	f.StringVar(&in.Location, "location", "", "where it stands")
	f.StringVar(&in.Credential, "credential", "", "the stored key to use")
	f.StringVar(&in.Note, "note", "", "a note that stays with it")
	f.BoolVar(&in.Anyway, "anyway", false, "register it even if it does not answer")
}

func (r *root) addServer() *cobra.Command {
	var in api.NewWatch
	c := ask(r, "add ADDRESS", "Register a print server by host name, address or URI; it is read at once",
		cobra.ExactArgs(1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.ServerView, error) {
			in.URI = a[0]
			return apiclient.Post[stock.ServerView](c.Context(), client, "/api/v1/stock/servers", in)
		}, func(w io.Writer, s stock.ServerView) {
			fmt.Fprintf(w, "%s is registered at %s: %s; %s, %d not ready, %s waiting.\n", s.Name, s.URI, stands(s.Check),
				words.Count(s.Count.Queues, "queue"), s.Count.NotReady, words.Count(s.Count.Jobs, "job"))
			if s.Count.Queues > 0 && !s.InEstate {
				fmt.Fprintf(w, "To take its queues into the estate: cirque adopt --server %s --dry-run\n", s.Name)
			}
		})
	watchFlags(c, &in)
	return c
}

func (r *root) writeServer(w io.Writer, s stock.ServerSheet) {
	fmt.Fprintf(w, "%s at %s: %s.\n", s.Name, s.URI, stands(s.Check))
	if s.Started != nil {
		fmt.Fprintf(w, "Up since %s; seen to start anew %s.\n", s.Started.Local().Format(time.DateTime), times(s.Restarts))
	}
	fmt.Fprintf(w, "%s, %d not ready, %s waiting, %s.\n\n", words.Count(s.Count.Queues, "queue"), s.Count.NotReady,
		words.Count(s.Count.Jobs, "job"), words.Count(s.Drivers, "different driver"))
	r.writeFoundQueues(w, s.Queues, false)
	if len(s.Differs) > 0 {
		fmt.Fprintln(w, "\nAgainst the estate:")
		writeDifferences(w, s.Differs)
	}
}

// alike is how many of one kind are written out; of the others only the number is told.
const alike = 20

func writeDifferences(w io.Writer, list []stock.Difference) {
	of := map[string]int{}
	for _, d := range list {
		if of[d.Kind]++; of[d.Kind] <= alike {
			fmt.Fprintf(w, "  %-8s %s; %s.\n", d.Severity, d.Says, d.Fix)
		}
	}
	for _, kind := range slices.Sorted(maps.Keys(of)) {
		if more := of[kind] - alike; more > 0 {
			fmt.Fprintf(w, "  and %d more of the kind %s; -o json has all.\n", more, kind)
		}
	}
}

// some joins names, the first of them where there are many.
func some(names []string) string {
	if len(names) <= alike {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more; -o json has all", strings.Join(names[:alike], ", "), len(names)-alike)
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

func (r *root) writeFoundQueues(w io.Writer, list []stock.QueueView, server bool) {
	head := []string{"QUEUE", "STATE", "JOBS", "DRIVER", "DEVICE", "LOCATION", "QUEUE HERE"}
	if server {
		head = append([]string{"SERVER"}, head...)
	}
	t := r.table(head...)
	for _, q := range list {
		state := q.State
		if len(q.Reasons) > 0 {
			state += " (" + strings.Join(q.Reasons, ", ") + ")"
		}
		if !q.Accepting {
			state += ", takes no jobs"
		}
		leads := strings.Join(q.Leads, ", ")
		if leads == "" {
			leads = "nothing"
		}
		cells := []string{q.Name, state, fmt.Sprint(q.Jobs), q.Model, q.Device, q.Location, leads}
		if server {
			cells = append([]string{q.Server}, cells...)
		}
		t.add(cells...)
	}
	t.write(w)
}

func (r *root) serverQueues() *cobra.Command {
	var server, word, state string
	c := ask(r, "queues [SERVER]", "The queues of all print servers, or of one", cobra.MaximumNArgs(1),
		func(c *cobra.Command, client *apiclient.Client, a []string) ([]stock.QueueView, error) {
			if len(a) == 1 {
				server = a[0]
			}
			if !slices.Contains([]string{"", "not-ready", "jobs", "unlisted"}, state) {
				return nil, usageError{fmt.Errorf("%q is no state to choose: not-ready, jobs or unlisted", state)}
			}
			list, err := apiclient.List[stock.QueueView](c.Context(), client, "/api/v1/stock/queues", nil)
			if err != nil {
				return nil, err
			}
			return slices.DeleteFunc(list, func(q stock.QueueView) bool {
				text := strings.ToLower(strings.Join([]string{q.Name, q.Title, q.Location, q.Model, q.Device, q.Server}, " "))
				return server != "" && q.Server != server || word != "" && !strings.Contains(text, strings.ToLower(word)) ||
					state == "not-ready" && q.Ready() || state == "jobs" && q.Jobs == 0 || state == "unlisted" && len(q.Leads) > 0
			}), nil
		}, func(w io.Writer, list []stock.QueueView) {
			r.writeFoundQueues(w, list, true)
			fmt.Fprintf(w, "%s.\n", words.Count(len(list), "queue"))
		})
	c.Flags().StringVar(&word, "find", "", "only with this in name, title, location, driver, device or server")
	c.Flags().StringVar(&state, "state", "", "only not-ready ones, those with jobs, or those that are unlisted: the "+
		"estate does not lead to them")
	return c
}

func (r *root) depends() *cobra.Command {
	c := ask(r, "depends SERVER", "What still leads to a server, who would miss it, and who printed through it lately",
		cobra.ExactArgs(1), get[decommission.Leaving](named("/api/v1/stock/servers", "/depends")), func(w io.Writer,
			d decommission.Leaving) {
			fmt.Fprintln(w, d.Says)
			line := func(what string, list []string) {
				if len(list) > 0 {
					fmt.Fprintf(w, "  %-22s %s\n", what, some(list))
				}
			}
			line("server sets", d.Sets)
			line("queues", d.Queues)
			line("only reached this way", d.Only)
			line("grants", d.Grants)
			if len(d.Queues) > 0 {
				fmt.Fprintf(w, "Were it gone just now, %s would lose a queue or find it stranded.\n",
					words.Count(d.People, "person"))
			}
			fmt.Fprintf(w, "\nLate use: %s.\n", d.Told)
			if len(d.Lately) > 0 {
				t := r.table("QUEUE", "WHO", "FROM", "JOBS", "LAST")
				for _, u := range d.Lately {
					last := ""
					if u.Last != nil {
						last = ago(*u.Last, time.Now())
					}
					t.add(u.Queue, first(u.Owner, "not told"), u.From, fmt.Sprint(u.Jobs), last)
				}
				t.write(w)
			}
			if len(d.Queues) > 0 {
				fmt.Fprintf(w, "\nTo lead them straight to their devices: cirque queue move --from-server %s --to device "+
					"--dry-run\n", d.Server)
			}
		})
	return c
}

func (r *root) device() *cobra.Command {
	const base = "/api/v1/stock/devices"
	show := ask(r, "show DEVICE", "Everything about one device", cobra.ExactArgs(1), get[stock.DeviceView](named(base,
		"")), r.writeDevice)
	read := ask(r, "read DEVICE", "Question a device now", cobra.ExactArgs(1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (stock.DeviceView, error) {
		return apiclient.Post[stock.DeviceView](c.Context(), client, apiclient.Path(base, a[0])+"/read", nil)
	}, r.writeDevice)
	recognise := ask(r, "recognise DEVICE", "Take the device that answers now for the one that is meant",
		cobra.ExactArgs(1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.DeviceView, error) {
			return apiclient.Post[stock.DeviceView](c.Context(), client, apiclient.Path(base, a[0])+"/recognise", nil)
		}, r.writeDevice)
	remove := r.unregister("device", "Forget a device that was registered by hand", base)
	forget := done(r, "forget ADDRESS...", "Take addresses off the list of what was found", cobra.MinimumNArgs(1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "POST", "/api/v1/stock/found/forget", nil, api.Addresses{Addresses: a}, nil)
		}, func(a []string) string {
			return fmt.Sprintf("%s taken off the list; a later scan may find them again.", words.Count(len(a), "address"))
		})
	found := ask(r, "found", "What scans found and nobody listed", cobra.NoArgs,
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
	return group("device", "Devices: register, question, scan, reserve addresses", r.deviceList(), show, r.addDevice(),
		read, recognise, r.scan(), found, forget, r.reservations(), r.testStock("device", "test DEVICE", 1), remove)
}

func (r *root) deviceList() *cobra.Command {
	var word, state string
	c := ask(r, "list", "All devices with what they tell and how they stand", cobra.NoArgs, func(c *cobra.Command,
		client *apiclient.Client, _ []string) ([]stock.DeviceView, error) {
		if !slices.Contains([]string{"", "not-ready", "differs", "no-queue"}, state) {
			return nil, usageError{fmt.Errorf("%q is no state to choose: not-ready, differs or no-queue", state)}
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
			t.add(d.Name, stock.Host(d.URI), first(d.AddressKeptBy, "unknown"), model, state, stands(d.Check),
				strings.Join(kinds, ", "))
		}
		t.write(w)
		fmt.Fprintf(w, "%s.\n", words.Count(len(list), "device"))
	})
	c.Flags().StringVar(&word, "find", "", "only with this in name, address, hardware address, serial, model, "+
		"location or note")
	c.Flags().StringVar(&state, "state", "", "only not-ready ones, those that differs from what is written, or those "+
		"with no-queue")
	return c
}

func (r *root) addDevice() *cobra.Command {
	var in api.NewWatch
	c := ask(r, "add ADDRESS", "Register a device by host name, address or URI; it is questioned at once",
		cobra.ExactArgs(1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.DeviceView, error) {
			in.URI = a[0]
			return apiclient.Post[stock.DeviceView](c.Context(), client, "/api/v1/stock/devices", in)
		}, r.writeDevice)
	watchFlags(c, &in)
	c.Flags().StringVar(&in.MAC, "mac", "", "its hardware address, in any notation; read from the device when absent")
	c.Flags().StringVar(&in.AddressKeptBy, "kept-by", "", "what keeps its address: reservation, static or unknown")
	return c
}

func (r *root) writeDevice(w io.Writer, d stock.DeviceView) {
	fmt.Fprintf(w, "%s at %s: %s.\n", d.Name, d.URI, stands(d.Check))
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
	line("address kept by", first(d.AddressKeptBy, "unknown"))
	line("location", d.Location)
	line("queues", first(strings.Join(d.Queues, ", "), "none"))
	line("note", d.Note)
	for _, x := range d.Differs {
		fmt.Fprintf(w, "  %-8s %s; %s.\n", x.Severity, x.Says, x.Fix)
	}
}

func (r *root) scan() *cobra.Command {
	var in api.NewScan
	var stop int64
	c := &cobra.Command{Use: "scan RANGE...", Short: "Look at every address of some ranges for devices that nobody listed",
		Args: args(cobra.ArbitraryArgs),
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
			_, err := fmt.Fprintf(c.OutOrStdout(), "The scan %d is being stopped.\n", stop)
			return err
		}
		if len(a) == 0 {
			return usageError{fmt.Errorf("name a range to scan")}
		}
		in.Ranges = a
		begun, err := apiclient.Post[api.StartedScan](c.Context(), client, "/api/v1/stock/scans", in)
		if err != nil {
			return err
		}
		if begun.Scan == nil {
			return r.print(c, begun, func(w io.Writer) { writePlan(w, begun.Plan) })
		}
		last, err := r.follow(c, client, begun.Scan.ID)
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

// follow waits for a scan's end; on a terminal it shows the progress.
func (r *root) follow(c *cobra.Command, client *apiclient.Client, id int64) (stock.Scan, error) {
	for {
		list, err := apiclient.List[stock.Scan](c.Context(), client, "/api/v1/stock/scans", nil)
		if err != nil {
			return stock.Scan{}, err
		}
		i := slices.IndexFunc(list, func(s stock.Scan) bool { return s.ID == id })
		if i < 0 {
			return stock.Scan{}, fault.New(fault.Unknown, "scan-unknown", "see cirque device found",
				"the scan %d is no longer kept", id)
		}
		if r.width > 0 {
			fmt.Fprintf(c.ErrOrStderr(), "\r%d of %d, %d found ", list[i].Done, list[i].Total, list[i].Found)
		}
		if list[i].State != "running" {
			if r.width > 0 {
				fmt.Fprint(c.ErrOrStderr(), "\r\033[K")
			}
			return list[i], nil
		}
		select {
		case <-c.Context().Done():
			return list[i], c.Context().Err()
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func (r *root) reservations() *cobra.Command {
	var format string
	export := &cobra.Command{Use: "export", Short: "Write the reservations that the devices need, for a DHCP server",
		Args: args(cobra.NoArgs), RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if format != "csv" && format != "json" {
				return usageError{fmt.Errorf("%q is no form for reservations: csv or json", format)}
			}
			t, err := apiclient.Get[api.Text](c.Context(), client, "/api/v1/stock/reservations", url.Values{"format": {format}})
			if err != nil {
				return err
			}
			for _, l := range t.Lacking {
				fmt.Fprintln(c.ErrOrStderr(), "left out: "+l.String())
			}
			_, err = io.WriteString(c.OutOrStdout(), t.Text)
			return err
		}}
	export.Flags().StringVar(&format, "format", "csv", "csv, or json as the common open DHCP server's "+
		"configuration has them")
	take := ask(r, "import FILE", "Take in what a DHCP server reserves, to compare devices with", cobra.ExactArgs(1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (api.Imported, error) {
			var n api.Imported
			files, err := readFiles(c, a)
			if err != nil {
				return n, err
			}
			return n, client.Do(c.Context(), "PUT", "/api/v1/stock/reservations", nil, api.NamedText{Name: files[0].Name,
				Text: files[0].Text}, &n)
		}, func(w io.Writer, n api.Imported) {
			fmt.Fprintf(w, "%s imported. See cirque device list --state differs.\n", words.Count(n.Count, "reservation"))
		})
	return group("reservations", "Reservations of addresses, out and in", export, take)
}

// testStock sends a test page straight to a device or a server's queue, and tells each state of the job.
func (r *root) testStock(kind, use string, n int) *cobra.Command {
	short := "Send a test page straight to a device, and follow it until it is done"
	if kind == "server" {
		short = "Send a test page straight to a server's queue, and follow it until it is done"
	}
	return &cobra.Command{Use: use, Short: short, Args: args(cobra.ExactArgs(n)), RunE: func(c *cobra.Command,
		a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		in := api.NewTest{Kind: kind, Name: a[0]}
		if n == 2 {
			in.Queue = a[1]
		}
		resp, err := client.Raw(c.Context(), "POST", "/api/v1/stock/test-pages", nil, nil, in)
		if err != nil {
			return err
		}
		defer func() { _ = resp.Body.Close() }()
		var last *stock.TestSheet
		if err := lines(resp.Body, func(l api.TestLine) error {
			switch {
			case l.Problem != nil:
				return l.Problem.Fault()
			case l.Result != nil:
				last = l.Result
			case l.Job != nil && r.output == "table":
				fmt.Fprintf(c.ErrOrStderr(), "job %d is %s%s\n", l.Job.ID, l.Job.State, reasons(l.Job.Reasons))
			}
			return nil
		}); err != nil {
			return err
		}
		if last == nil {
			return fault.New(fault.Unavailable, "broke-off", "try again", "the service broke off before it had the result")
		}
		if err := r.print(c, last, func(w io.Writer) {
			fmt.Fprintf(w, "Sent as %s to %s.\n%s: %s.\n", last.Format, last.SentTo, map[string]string{"yes": "Printed",
				"no": "Not printed", "unproven": "Nothing proven"}[last.Result], last.Says)
		}); err != nil {
			return err
		}
		if last.Result == "no" {
			return errNo
		}
		return nil
	}}
}

func reasons(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return " (" + strings.Join(list, ", ") + ")"
}

func (r *root) orphans() *cobra.Command {
	return ask(r, "orphans", "What leads nowhere, and what nothing leads to", cobra.NoArgs,
		get[decommission.Orphans](fixed("/api/v1/stock/orphans")), func(w io.Writer, o decommission.Orphans) {
			none := true
			for _, x := range []struct {
				what string
				list []string
			}{{"Devices without a queue", o.Devices}, {"Queues without a grant", o.Queues},
				{"Servers through which no path leads", o.Servers}, {"Drivers that no queue names", o.Drivers},
				{"Addresses without a device", o.Addresses}, {"Found queues to which the estate does not lead", o.Found}} {
				if len(x.list) > 0 {
					none = false
					fmt.Fprintf(w, "%s (%d):\n  %s\n", x.what, len(x.list), strings.Join(x.list, "\n  "))
				}
			}
			if none {
				fmt.Fprintln(w, "Nothing is orphaned.")
			}
		})
}

func (r *root) credential() *cobra.Command {
	list := ask(r, "list", "Stored keys, without their secrets", cobra.NoArgs,
		items[stock.Credential](fixed("/api/v1/credentials")), func(w io.Writer, list []stock.Credential) {
			t := r.table("NAME", "KIND", "USER", "FOR", "STATE", "DETAIL", "ENTERED", "EXPIRES")
			for _, c := range list {
				expires := ""
				if c.Expires != nil {
					expires = c.Expires.Local().Format(time.DateOnly)
					if left := time.Until(*c.Expires); left < 0 {
						expires += ", over"
					} else if left < stock.ExpiresSoon {
						expires += ", soon"
					}
				}
				t.add(c.Name, c.Kind, c.User, strings.Join(c.For, ", "), c.State, c.Says, ago(c.At, time.Now()), expires)
			}
			t.write(w)
		})
	var in api.NewCredential
	var file, privacyFile, expires string
	add := ask(r, "add NAME", "Store a key; its secret is read from a file or standard input, and tried at once",
		cobra.ExactArgs(1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.Credential, error) {
			in.Name = a[0]
			var err error
			if in.Secret, err = secretFrom(c, file); err != nil {
				return stock.Credential{}, err
			}
			if privacyFile != "" {
				if in.Privacy, err = secretFrom(c, privacyFile); err != nil {
					return stock.Credential{}, err
				}
			}
			if in.Expires, err = dayOf(expires); err != nil {
				return stock.Credential{}, err
			}
			return apiclient.Post[stock.Credential](c.Context(), client, "/api/v1/credentials", in)
		}, func(w io.Writer, c stock.Credential) {
			fmt.Fprintf(w, "The key %s is stored: %s, %s.\n", c.Name, c.State, c.Says)
		})
	f := add.Flags()
	f.StringVar(&in.Kind, "kind", stock.SignIn, "sign-in, snmp (a community) or snmp-usm (a user with authentication "+
		"and privacy)")
	f.StringVar(&in.User, "user", "", "whose it is")
	f.StringVar(&file, "secret-file", "-", "a file that holds the secret; - for standard input")
	f.StringVar(&privacyFile, "privacy-file", "", "a file that holds the privacy's key, of snmp-usm")
	f.StringSliceVar(&in.For, "for", nil, "a host name, address, subnet or *.DOMAIN for which it is used; may be repeated")
	f.StringVar(&in.Try, "try", "", "where to try it; something that is watched and fits when absent")
	f.StringVar(&expires, "expires", "", "the day on which it ends, YYYY-MM-DD")
	remove := done(r, "remove NAME", "Forget a key", cobra.ExactArgs(1), func(c *cobra.Command, client *apiclient.Client,
		a []string) error {
		return client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/credentials", a[0]), nil, nil, nil)
	}, func(a []string) string { return "The key " + a[0] + " is forgotten." })
	return group("credential", "Keys to servers and devices, kept sealed", list, add, remove)
}

func secretFrom(c *cobra.Command, file string) (string, error) {
	var b []byte
	var err error
	if file == "-" {
		b, err = io.ReadAll(io.LimitReader(c.InOrStdin(), 4096))
	} else {
		b, err = os.ReadFile(file)
	}
	if err != nil {
		return "", fault.New(fault.Invalid, "file-unreadable", "name a readable file", "%s cannot be read", file)
	}
	return strings.TrimRight(string(b), "\r\n"), nil
}
