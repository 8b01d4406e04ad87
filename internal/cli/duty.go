package cli

import (
	"fmt"
	"io"
	"math"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/live"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func drainCommand(r *root) *cobra.Command {
	var reason string
	until := cmdline.Moment{Ahead: true}
	var watch bool
	c := &cobra.Command{Use: "drain SERVER", Short: "Take a server out of duty; its people move to another member " +
		"of its sets", Args: cmdline.Args(1, 1),
		Long: `Take a server out of duty. Everybody whom another member of its sets can serve is moved there first:
each endpoint puts the other path into its queue, and only then no longer leads here. cirque moves
says how far that is, and when the server is empty.`,
		Example: "  cirque drain ps-ardholm-1 --reason \"driver update\"\n  cirque drain ps-ardholm-1 --reason \"driver " +
			"update\" --until 2h --follow",
		RunE: func(c *cobra.Command, a []string) error {
			end := r.timeOf(&until)
			if err := r.duty(c, apiclient.Path("/api/v1/servers", a[0])+"/drain", nil, api.DrainServer{Reason: reason,
				Until: end}); err != nil || !watch {
				return err
			}
			return r.followDrain(c, a[0])
		}}
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	c.Flags().Var(&until, "until", "it returns by itself then, such as 18:00, or after so long, such as 2h")
	c.Flags().BoolVar(&watch, "follow", false, "say how far it is until the server is empty")
	return c
}

func backCommand(r *root) *cobra.Command {
	var atOnce bool
	c := &cobra.Command{Use: "return SERVER", Short: "Put a server back on duty", Args: cmdline.Args(1, 1),
		Long: `Put a server back on duty. A member of a set takes its people back part by part, over the time that
the estate says (settings.continuity.return_over); with --at-once it takes them all now.`,
		RunE: func(c *cobra.Command, a []string) error {
			return r.duty(c, apiclient.Path("/api/v1/servers", a[0])+"/return",
				url.Values{"at_once": {strconv.FormatBool(atOnce)}}, nil)
		}}
	c.Flags().BoolVar(&atOnce, "at-once", false, "take all its people back now")
	return c
}

// followDrain says how far a drain is, whenever that changes, until the server is empty.
func (r *root) followDrain(c *cobra.Command, server string) error {
	client, err := r.client()
	if err != nil {
		return err
	}
	said := ""
	for {
		list, err := apiclient.List[continuity.Move](c.Context(), client, "/api/v1/moves", nil)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(m continuity.Move) bool { return m.Name == server })
		if i < 0 {
			r.tell(c, "%s is back on duty.", server)
			return nil
		}
		if list[i].Says != said {
			said = list[i].Says
			r.tell(c, "%s: %s.", server, said)
		}
		if list[i].Empty {
			r.tell(c, "%s is empty.", server)
			return nil
		}
		select {
		case <-c.Context().Done():
			return c.Context().Err()
		case <-time.After(time.Second):
		}
	}
}

func movesCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "moves", Short: "How far people have moved off servers that are out of duty, or back to " +
		"those that return", Args: cmdline.Args(0, 0), RunE: func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		list, err := apiclient.List[continuity.Move](c.Context(), client, "/api/v1/moves", nil)
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Every server is on duty.")
				return
			}
			t := r.table("SERVER", "DUTY", "SINCE", "ENDPOINTS", "LEFT", "WAITING JOBS", "DETAIL")
			for _, m := range list {
				waiting := "not read"
				if m.Waiting != nil {
					waiting = fmt.Sprint(*m.Waiting)
				}
				duty := string(m.Duty)
				if m.Duty == live.Serving {
					duty = "returning"
				}
				t.add(m.Name, duty, ago(m.Since, time.Now()), fmt.Sprint(m.Endpoints), fmt.Sprint(m.Left), waiting, m.Says)
			}
			t.write(w)
			for _, m := range list {
				for _, k := range m.Stuck {
					fmt.Fprintf(w, "  %s, %s: %s\n", k.Machine, k.State, k.Says)
				}
			}
		})
	}}
}

func healthCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "health [server|device NAME]", Short: "What probing has found of servers, and of devices " +
		"that people reach directly", Args: cmdline.Args(0, 2), RunE: func(c *cobra.Command, a []string) error {
		if len(a) == 1 {
			return usagef("write server NAME or device NAME, or nothing for all")
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		if len(a) == 2 {
			v, err := apiclient.Get[continuity.HealthView](c.Context(), client, apiclient.Path("/api/v1/health/"+
				url.PathEscape(a[0]), a[1]), nil)
			if err != nil {
				return err
			}
			return r.print(c, v, func(w io.Writer) {
				fmt.Fprintf(w, "%s %s is %s since %s; probed %s", v.Kind, v.Name, v.Verdict,
					r.zone().Minute(v.Since), ago(v.Checked, time.Now()))
				if v.Uptime != nil {
					fmt.Fprintf(w, "; up for %.2f %% of what is known of the last 30 days", *v.Uptime*100)
				}
				fmt.Fprintln(w, ".")
				if v.Last != "" {
					fmt.Fprintf(w, "  %s\n", v.Says)
				}
				for _, t := range v.Turns {
					fmt.Fprintf(w, "  %s  %-8s  %s\n", r.zone().At(t.At), t.Verdict, t.Says)
				}
			})
		}
		list, err := apiclient.List[continuity.Health](c.Context(), client, "/api/v1/health", nil)
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nothing has been probed yet.")
				return
			}
			t := r.table("", "NAME", "VERDICT", "SINCE", "PROBED", "DETAIL")
			for _, h := range list {
				says := h.Says
				switch {
				case h.Held:
					says = "it answers, and is held down: it went up and down too often"
				case h.Last != "": // it says what it was
				case h.Verdict == continuity.Unproven:
					says = "it has never answered, which may be the way from here: " + h.Says
				case h.Fails == 0:
					says = ""
				}
				t.add(h.Kind, h.Name, string(h.Verdict), ago(h.Since, time.Now()), ago(h.Checked, time.Now()), says)
			}
			t.write(w)
		})
	}}
}

func fleetCommand(r *root) *cobra.Command {
	var since cmdline.Moment
	hours := 24
	c := &cobra.Command{Use: "fleet", Short: "How all endpoints stand, now and over time", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if at := since.At(r.clock()); !at.IsZero() {
				hours = max(1, int(math.Ceil(r.clock().Sub(at).Hours())))
			}
			f, err := apiclient.Get[endpoint.Fleet](c.Context(), client, "/api/v1/fleet",
				url.Values{"hours": {fmt.Sprint(hours)}})
			if err != nil {
				return err
			}
			return r.print(c, f, func(w io.Writer) {
				if f.Part == nil {
					fmt.Fprintln(w, "No endpoint has reported yet.")
					return
				}
				fmt.Fprintf(w, "%.1f %% of %d endpoints have what they should. %s\n", *f.Part*100, f.Now.Converged+f.Now.Behind+
					f.Now.Failing+f.Now.Silent, f.Pace)
				t := r.table("AT", "CONVERGED", "BEHIND", "FAILING", "SILENT")
				every := max(1, len(f.Samples)/12)
				for i, s := range append(f.Samples, f.Now) {
					if i%every == 0 || i == len(f.Samples) {
						t.add(r.zone().Minute(s.At), fmt.Sprint(s.Converged), fmt.Sprint(s.Behind),
							fmt.Sprint(s.Failing), fmt.Sprint(s.Silent))
					}
				}
				t.write(w)
			})
		}}
	c.Flags().Var(&since, "since", "how far back, such as 3d; 24h when absent")
	c.Flags().IntVar(&hours, "hours", hours, "so many hours back")
	_ = c.Flags().MarkHidden("hours")
	return c
}

func (r *root) duty(c *cobra.Command, path string, query url.Values, in any) error {
	client, err := r.client()
	if err != nil {
		return err
	}
	var x api.Changed
	if err := client.Do(c.Context(), "POST", path, query, in, &x); err != nil {
		return err
	}
	return r.print(c, x, func(w io.Writer) { fmt.Fprintln(w, x.Says+".") })
}

func dutiesCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "duties", Short: "Servers and devices that are out of duty", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			list, err := apiclient.List[live.Note](c.Context(), client, "/api/v1/duties", nil)
			if err != nil {
				return err
			}
			return r.print(c, list, func(w io.Writer) {
				if len(list) == 0 {
					fmt.Fprintln(w, "Everything is on duty.")
					return
				}
				t := r.table("", "NAME", "DUTY", "SINCE", "BY", "REASON")
				for _, n := range list {
					t.add(n.Kind, n.Name, string(n.Duty), ago(n.Since, time.Now()), n.Author, n.Reason)
				}
				t.write(w)
			})
		}}
}

func pickCommand(r *root, use, short, method string) *cobra.Command {
	var user string
	c := &cobra.Command{Use: use + " QUEUE", Short: short, Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command,
		a []string) error {
		if user == "" {
			return usagef("say whose pick it is with --user")
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		var x api.Changed
		if err := client.Do(c.Context(), method, apiclient.Path("/api/v1/people", user)+"/picks/"+url.PathEscape(a[0]), nil,
			nil, &x); err != nil {
			return err
		}
		return r.print(c, x, func(w io.Writer) { fmt.Fprintln(w, x.Says+".") })
	}}
	c.Flags().StringVar(&user, "user", "", "whose pick it is")
	return c
}
