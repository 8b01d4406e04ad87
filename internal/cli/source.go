package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const sourcesPath = "/api/v1/directory/sources"

func sourceCommand(r *root) *cobra.Command {
	list := ask(r, "list", "The directories that are read, with how they stand", cmdline.Args(0, 0),
		items[directory.SourceView](fixed(sourcesPath)), func(w io.Writer, list []directory.SourceView) {
			if len(list) == 0 {
				fmt.Fprintln(w, "No directory is read over LDAP. To have one read: cirque directory source add NAME --url "+
					"ldaps://HOST --base DN")
				return
			}
			t := r.table("SOURCE", "ADDRESS", "BASE", "USERS", "GROUPS", "MACHINES", "LAST PASS", "NEXT")
			for _, v := range list {
				last := "none yet"
				if v.Last != nil {
					last = v.Last.State + ", " + ago(v.Last.At, time.Now())
				}
				next := "paused"
				if v.Next != nil {
					next = "now"
					if d := time.Until(*v.Next); d > time.Second {
						next = "in " + d.Round(time.Second).String()
					}
				}
				t.add(v.Name, v.URL, v.Base, fmt.Sprint(v.Users), fmt.Sprint(v.Groups), fmt.Sprint(v.Machines), last, next)
			}
			t.write(w)
			for _, v := range list {
				if v.Last != nil && (v.Last.State == directory.Failed || v.Last.State == directory.Held) {
					fmt.Fprintf(w, "%s: %s; %s.\n", v.Name, v.Last.Says, v.Last.Fix)
				}
			}
		})
	stop := done(r, "stop NAME", "Stop the pass that is under way; nothing of it is applied", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "DELETE", apiclient.Path(sourcesPath, a[0])+"/runs", nil, nil, nil)
		}, func(a []string) string { return "The pass over " + a[0] + " is being stopped." })
	var rows, leave bool
	remove := &cobra.Command{Use: "remove NAME", Short: "Forget a source; what came from it stays unless --with-rows",
		Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if err := client.Do(c.Context(), "DELETE", apiclient.Path(sourcesPath, a[0]), url.Values{"rows": {fmt.Sprint(rows)},
				"leave_entries": {fmt.Sprint(leave)}}, nil, nil); err != nil {
				return err
			}
			says := "The users, groups and machines that came from it stay."
			if rows {
				says = "The users, groups and machines that came from it are gone."
			}
			return r.say(c, a, "The source %s is forgotten. %s", a[0], says)
		}}
	remove.Flags().BoolVar(&leave, "leave-entries", false, "leave the printer entries that were written there, for a "+
		"directory that does not answer any more")
	remove.Flags().BoolVar(&rows, "with-rows", false, "take out the users, groups and machines that came from it as well")
	pause := func(use, short, says string, paused bool) *cobra.Command {
		return done(r, use+" NAME", short, cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client,
			a []string) error {
			return client.Do(c.Context(), "PUT", apiclient.Path(sourcesPath, a[0])+"/pause", nil,
				api.Pausing{Paused: paused}, nil)
		}, func(a []string) string { return fmt.Sprintf(says, a[0]) })
	}
	return cmdline.Group("source", "Directories that are read over LDAP", list, addSourceCommand(r),
		runSourceCommand(r), stop,
		pause("pause", "Have no more passes over a source", "The source %s is paused.", true),
		pause("resume", "Have a source read from now on", "The source %s is read from now on; to see how it goes: cirque "+
			"directory source list", false), remove)
}

func addSourceCommand(r *root) *cobra.Command {
	var in api.NewSource
	var caFile, passwordFile string
	var every, whole cmdline.Span
	var maps []string
	c := &cobra.Command{Use: "add NAME --directory URL --base DN", Short: "Try a directory and keep it as a source, " +
		"or change " +
		"one; a new one is read only after resume", Args: cmdline.Args(1, 1),
		Long: `Try a directory and keep it as a source: its name, TLS, the account, the base, and a few of what is
there. A source of that name is changed. A new one is paused: a dry pass says what would come of it,
and nothing is taken in before cirque directory source resume NAME. The account's password is read
from --password-file, or asked for.`,
		RunE: func(c *cobra.Command, a []string) error {
			if in.URL == "" {
				return usagef("--directory is missing")
			}
			in.Every, in.Whole = int(time.Duration(every).Seconds()), int(time.Duration(whole).Seconds())
			var err error
			if in.CA, err = authorityFrom(caFile); err != nil {
				return err
			}
			m, err := mapOf(maps)
			if err != nil {
				return err
			}
			in.Map = m
			client, err := r.client()
			if err != nil {
				return err
			}
			kept, err := apiclient.List[directory.SourceView](c.Context(), client, sourcesPath, nil)
			if err != nil {
				return err
			}
			known := false
			for _, v := range kept {
				known = known || v.Name == a[0]
			}
			if in.Bind != "" && (!known || c.Flags().Changed("password-file")) {
				var secret string
				if passwordFile == "" {
					secret, err = readSecret(c, "Password of "+in.Bind+": ")
				} else {
					secret, err = secretFrom(c, passwordFile)
				}
				if err != nil {
					return err
				}
				in.Password = &secret
			}
			var t api.TriedSource
			if err := client.Do(c.Context(), "PUT", apiclient.Path(sourcesPath, a[0]), nil, in, &t); err != nil {
				return err
			}
			var dry *directory.Run
			if t.Kept && !known {
				run, err := r.followRun(c, client, a[0], api.NewRun{Kind: directory.RunDry})
				if err != nil {
					return err
				}
				dry = &run
			}
			return r.print(c, struct {
				api.TriedSource
				Dry *directory.Run `json:"dry"`
			}{t, dry}, func(w io.Writer) {
				fmt.Fprintf(w, "%s answers. A few of what is below %s:\n", t.Source.URL, t.Source.Base)
				tab := r.table("KIND", "NAME", "", "UNIT").main(1)
				for _, f := range t.Sample {
					tab.add(f.Kind, f.Name, f.Says, f.Detail)
				}
				tab.write(w)
				if len(t.Sample) == 0 {
					fmt.Fprintln(w, "Nothing is found by the preset's filters; try another --preset, or --map user_filter=… "+
						"and the like.")
				}
				switch {
				case !t.Kept:
					fmt.Fprintln(w, "It was only tried; nothing is kept.")
				case dry != nil:
					writeRun(w, *dry)
					fmt.Fprintf(w, "It is kept, and paused. To have it read from now on: cirque directory source resume %s\n", a[0])
				default:
					fmt.Fprintln(w, "It is kept.")
				}
			})
		}}
	f := c.Flags()
	f.StringVar(&in.URL, "directory", "", "the directory's `URL`: ldaps://HOST, or ldap://HOST with --start-tls")
	f.BoolVar(&in.StartTLS, "start-tls", false, "turn TLS on within the connection")
	f.StringVar(&in.ListUnder, "list-under", "", "the DN below which queues that are listed are written as "+
		"printer entries")
	f.BoolVar(&in.SignIn, "sign-in", false, "let its people sign in here with their password there; an owner's to say")
	f.StringVar(&caFile, "directory-ca", "", "the authority of the directory's certificate, a PEM file; the system's "+
		"when absent")
	f.StringVar(&in.Bind, "bind", "", "the account that reads, as a DN or as the server wants it; anonymous when absent")
	f.StringVar(&passwordFile, "password-file", "", "a file that holds the account's password; - for standard input")
	f.StringVar(&in.Base, "base", "", "the DN below which everything is read")
	f.StringVar(&in.Preset, "preset", "", "standard, posix or domain")
	f.StringArrayVar(&maps, "map", nil, "what differs from the preset, such as user_filter=(objectClass=person) or "+
		"user_name=cn; may be repeated")
	f.IntVar(&in.RemovalLimit, "removal-limit", 0, "the share, in percent, that may disappear in one pass; 20 when absent")
	formerFlag(c, "brake", "removal-limit")
	f.Var(&every, "every", "how often what has changed is read; 5m when absent")
	f.Var(&whole, "whole-every", "how often everything is read; 1d when absent")
	f.BoolVar(&in.Try, "dry-run", false, "only try it; nothing is kept")
	formerFlag(c, "try", "dry-run")
	formerFlag(c, "url", "directory")
	_ = c.MarkFlagRequired("base")
	return c
}

// authorityFrom reads an authority's certificate; nothing where no file is named.
func authorityFrom(file string) (string, error) {
	if file == "" {
		return "", nil
	}
	b, err := readFile("", file)
	if err != nil {
		return "", err
	}
	return string(b), nil
}

// mapOf reads KEY=VALUE pairs of an attribute map.
func mapOf(pairs []string) (m directory.Map, err error) {
	values := map[string]string{}
	for _, p := range pairs {
		k, v, ok := strings.Cut(p, "=")
		if !ok {
			return m, usagef("%q is no KEY=VALUE", p)
		}
		values[strings.TrimSpace(k)] = strings.TrimSpace(v)
	}
	b, err := json.Marshal(values)
	if err != nil {
		return m, err
	}
	d := json.NewDecoder(strings.NewReader(string(b)))
	d.DisallowUnknownFields()
	if err := d.Decode(&m); err != nil {
		return m, usagef("the map has %s; its keys are user_filter, group_filter, machine_filter, "+
			"user_name, display_name, email, employee, group_name, machine_name, members, member_names, id and changed",
			strings.TrimPrefix(err.Error(), "json: "))
	}
	return m, nil
}

func runSourceCommand(r *root) *cobra.Command {
	var in api.NewRun
	var dry, changes, noWait bool
	c := &cobra.Command{Use: "run NAME", Short: "Read a source now: whole, or only for what has changed",
		Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
			if dry && (changes || in.Accept) {
				return usagef("a dry pass is whole, and applies nothing: leave the other flag out")
			}
			in.Kind = directory.RunWhole
			if dry {
				in.Kind = directory.RunDry
			} else if changes {
				in.Kind = directory.RunChanges
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			var run directory.Run
			if !noWait {
				run, err = r.followRun(c, client, a[0], in)
			} else {
				run, err = apiclient.Post[directory.Run](c.Context(), client, apiclient.Path(sourcesPath, a[0])+"/runs", in)
			}
			if err != nil {
				return err
			}
			if err := r.print(c, run, func(w io.Writer) { writeRun(w, run) }); err != nil {
				return err
			}
			switch run.State {
			case directory.Failed:
				return fault.New(fault.Unavailable, run.Code, run.Fix, "%s", run.Says)
			case directory.Held:
				return fault.New(fault.Conflict, run.Code, run.Fix, "%s", run.Says)
			}
			return nil
		}}
	f := c.Flags()
	f.BoolVar(&dry, "dry-run", false, "read everything, say what would come of it, and apply nothing")
	f.BoolVar(&changes, "changes", false, "only what has changed since the last pass")
	f.BoolVar(&in.Accept, "accept-removals", false, "apply it, whatever disappears")
	f.BoolVar(&noWait, "no-wait", false, "do not wait for its end")
	return c
}

// followRun begins a pass and waits for its end, saying on the way how far it is.
func (r *root) followRun(c *cobra.Command, client *apiclient.Client, name string,
	in api.NewRun) (directory.Run, error) {
	run, err := apiclient.Post[directory.Run](c.Context(), client, apiclient.Path(sourcesPath, name)+"/runs", in)
	if err != nil {
		return run, err
	}
	return follow(r, c, client, run, work[directory.Run]{over: directory.Run.Over,
		stop: apiclient.Path(sourcesPath, name) + "/runs",
		again: func(ctx context.Context) (directory.Run, error) {
			latest, err := apiclient.Page[directory.Run](ctx, client, "/api/v1/directory/runs", url.Values{"source": {name},
				"limit": {"20"}})
			for _, x := range latest.Items {
				if x.ID == run.ID {
					run = x
				}
			}
			return run, err
		},
		says: func(run directory.Run) string {
			return fmt.Sprintf("%s: %s read", run.State, words.Count(run.Read, "entry"))
		}})
}

func writeRun(w io.Writer, v directory.Run) {
	what := map[string]string{directory.RunWhole: "whole pass", directory.RunChanges: "pass for changes",
		directory.RunDry: "dry pass"}[v.Kind]
	fmt.Fprintf(w, "The %s over %s is %s: %s.\n", what, v.Source, v.State, v.Says)
	if v.Users+v.Groups+v.Machines > 0 {
		fmt.Fprintf(w, "It has %s, %s and %s.\n", words.Count(v.Users, "user"), words.Count(v.Groups, "group"),
			words.Count(v.Machines, "machine"))
	}
	for _, n := range v.Notes {
		fmt.Fprintln(w, "  "+n)
	}
}

func renamesCommand(r *root) *cobra.Command {
	var take, drop bool
	var in api.RenameIDs
	c := &cobra.Command{Use: "renames", Short: "What the directory calls differently from the estate; --take " +
		"puts it into the draft", Args: cmdline.Args(0, 0), RunE: func(c *cobra.Command, _ []string) error {
		if take && drop {
			return usagef("take them or drop them, not both")
		}
		if drop && len(in.IDs) == 0 {
			return usagef("say which to drop, with --id")
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		if drop {
			if err := client.Do(c.Context(), "POST", "/api/v1/directory/renames/drop", nil, in, nil); err != nil {
				return err
			}
			return r.say(c, nil, "%s dropped; the estate stays as it is.", words.Count(len(in.IDs), "rename"))
		}
		if take {
			v, err := apiclient.Post[api.TakenRenames](c.Context(), client, "/api/v1/directory/renames/take", in)
			if err != nil {
				return err
			}
			return r.print(c, v, func(w io.Writer) {
				fmt.Fprintf(w, "%s of the draft %s changed. To see it: cirque draft; to publish it: cirque publish -m REASON\n",
					words.Count(v.Objects, "object"), cmp.Or(in.Draft, "main"))
			})
		}
		list, err := apiclient.List[directory.Proposal](c.Context(), client, "/api/v1/directory/renames", nil)
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nothing that the estate names has another name now.")
				return
			}
			t := r.table("ID", "KIND", "IN THE ESTATE", "IN THE DIRECTORY", "SOURCE", "SINCE")
			for _, p := range list {
				t.add(fmt.Sprint(p.ID), p.Kind, p.From, p.To, p.Source, ago(p.At, time.Now()))
			}
			t.write(w)
			fmt.Fprintln(w, "To put them into your draft: cirque directory renames --take")
		})
	}}
	f := c.Flags()
	f.BoolVar(&take, "take", false, "put them into your own draft")
	f.BoolVar(&drop, "drop", false, "take them off the list; the estate stays as it is")
	f.Int64SliceVar(&in.IDs, "id", nil, "only these; may be repeated")
	f.StringVar(&in.Draft, "draft", "", "which of your drafts; main when absent")
	return c
}
