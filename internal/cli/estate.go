package cli

import (
	"fmt"
	"io"
	"net/url"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// readFiles reads documents; "-" is standard input.
func readFiles(c *cobra.Command, names []string) ([]document.File, error) {
	var out []document.File
	for _, n := range names {
		var b []byte
		var err error
		if n == "-" {
			n = "standard input"
			b, err = io.ReadAll(c.InOrStdin())
		} else {
			b, err = os.ReadFile(n)
		}
		if err != nil {
			return nil, unreadable("", n, err)
		}
		out = append(out, document.File{Name: n, Text: string(b)})
	}
	return out, nil
}

func estateCommand(r *root) *cobra.Command {
	return cmdline.Group("estate", "Check, apply and export the estate", estateApplyCommand(r), estateCheckCommand(r),
		estateExportCommand(r), estateSchemaCommand(r))
}

func estateApplyCommand(r *root) *cobra.Command {
	var publish, merge, dry, yes, breaks bool
	var reason string
	c := &cobra.Command{Use: "apply FILE...", Short: "Put files into your draft, or publish them at once",
		Args: cmdline.Args(1, -1),
		Long: `Put one document in one or several YAML or JSON files, "-" for standard input, into your draft. The
draft then equals the files: what they do not hold is taken out. With --merge only the objects that
they name are added or replaced. Nothing reaches people until the draft is published; --publish -m
REASON does that in the same step, and leaves your draft alone. --dry-run says what would change, and
what there is to remark on. What would take out all of a list, or more than half of one with over ten
objects, wants --yes; a person at a terminal is asked.`,
		Example: "  cirque estate apply estate.yaml --dry-run\n  cirque estate apply new-queue.yaml --merge\n  cirque " +
			"estate " +
			"apply estate.yaml --publish -m \"the new hall\""}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		files, err := readFiles(c, a)
		if err != nil {
			return err
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		query := name()
		if dry || !merge {
			told, err := r.lookFirst(c, client, api.CheckEstate{Files: files, Merge: merge}, dry, yes)
			if told || err != nil {
				return err
			}
		}
		if !publish {
			if reason != "" {
				return usagef("a reason belongs to publishing: add --publish, or leave -m out")
			}
			var d api.Draft
			if err := client.Do(c.Context(), "PUT", "/api/v1/draft", query, api.Apply{Merge: merge, Files: files},
				&d); err != nil {
				return err
			}
			return r.print(c, d, func(w io.Writer) {
				if d.Total == 0 {
					fmt.Fprintf(w, "The estate is already so: revision %d stands.\n", d.Base)
					return
				}
				writeDraft(w, d)
			})
		}
		var p api.Published
		if merge {
			// In a draft of its own, so that what else is in the making stays there.
			query = url.Values{"name": {"applied-at-once"}}
			var d api.Draft
			if err = client.Do(c.Context(), "PUT", "/api/v1/draft", query, api.Apply{Merge: true, Files: files},
				&d); err != nil {
				return err
			}
			if p.Unchanged, p.Revision.Number = d.Total == 0, d.Current; !p.Unchanged {
				err = client.Do(c.Context(), "POST", "/api/v1/draft/publish", query, api.PublishDraft{Reason: reason,
					BreakPromises: breaks}, &p)
			}
			if err != nil {
				_ = client.Do(c.Context(), "DELETE", "/api/v1/draft", query, nil, nil) // what failed matters more
			}
		} else {
			p, err = apiclient.Post[api.Published](c.Context(), client, "/api/v1/revisions", api.Publish{Reason: reason,
				Files: files, BreakPromises: breaks})
		}
		if err != nil {
			return err
		}
		return r.print(c, p, func(w io.Writer) {
			if p.Unchanged {
				fmt.Fprintf(w, "The estate is already so: revision %d stands.\n", p.Revision.Number)
				return
			}
			fmt.Fprintf(w, "Revision %d is published.\n", p.Revision.Number)
		})
	}
	c.Flags().BoolVar(&publish, "publish", false, "publish at once")
	c.Flags().BoolVar(&dry, "dry-run", false, "say what would change, and store nothing")
	c.Flags().BoolVar(&yes, "yes", false, "also where that takes out all, or most, of a list")
	c.Flags().BoolVar(&merge, "merge", false, "add and replace only the objects that the files name")
	breakFlag(c, &breaks)
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	return c
}

// writeChecked says what would come of a document.
func writeChecked(r *root, w io.Writer, k api.Checked) {
	if k.Total == 0 {
		fmt.Fprintln(w, "The estate is already so: nothing would change.")
	} else {
		fmt.Fprintf(w, "It would change %s:\n", words.Count(k.Total, "object"))
		writeDiffs(w, k.Changes, k.Total)
	}
	for _, t := range k.Takes {
		fmt.Fprintf(w, "\nIt would take out %s, which wants --yes.\n", t)
	}
	if len(k.New) > 0 {
		fmt.Fprintln(w, "\nWhat there would be to remark on, and is not so now:")
		r.writeFindings(w, k.New)
	}
	fmt.Fprintln(w, "\nNothing was stored.")
}

func estateCheckCommand(r *root) *cobra.Command {
	var revision string
	var merge bool
	c := &cobra.Command{Use: "check [FILE...]", Short: "What a careful colleague would remark on: in files, in your " +
		"draft, or in what is published",
		Long: `Check files as one estate, or with --merge as a part of what is published, without storing anything;
without files, what is published, or with
--revision another revision or your draft. Findings never stop anything; what does is reported as an
error.`, RunE: func(c *cobra.Command,
			a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if len(a) == 0 && merge {
				return usagef("--merge is for files")
			}
			if len(a) == 0 {
				list, err := apiclient.List[lineup.Finding](c.Context(), client, "/api/v1/findings",
					url.Values{"revision": {revision}})
				if err != nil {
					return err
				}
				return r.print(c, list, func(w io.Writer) { r.writeFindings(w, list) })
			}
			files, err := readFiles(c, a)
			if err != nil {
				return err
			}
			k, err := apiclient.Post[api.Checked](c.Context(), client, "/api/v1/estate/check", api.CheckEstate{Files: files,
				Merge: merge})
			if err != nil {
				return err
			}
			return r.print(c, k, func(w io.Writer) {
				fmt.Fprintf(w, "The estate can be published: %s.\n\n", counts(k.Objects))
				r.writeFindings(w, k.Findings)
			})
		}}
	c.Flags().StringVar(&revision, "revision", "", "a revision's number, or draft")
	c.Flags().BoolVar(&merge, "merge", false, "the files add and replace only the objects that they name")
	return c
}

func (r *screen) writeFindings(w io.Writer, list []lineup.Finding) {
	if len(list) == 0 {
		fmt.Fprintln(w, "There is nothing to remark on.")
		return
	}
	t := r.table("SEVERITY", "OBJECT", "FINDING", "FIX").main(1)
	for _, f := range list {
		t.add(f.Severity, f.Object, f.Says, f.Fix)
	}
	t.write(w)
	fmt.Fprintf(w, "%s.\n", words.Count(len(list), "finding"))
}

func counts(objects map[string]int) string {
	var parts []string
	for _, k := range []string{"locations", "subnets", "stations", "drivers", "servers", "server_sets", "devices",
		"queues", "grants", "notices", "promises", "charges", "allowances"} {
		if objects[k] > 0 {
			parts = append(parts, words.Count(objects[k], estate.Word(k)))
		}
	}
	if len(parts) == 0 {
		return "nothing in it"
	}
	return strings.Join(parts, ", ")
}

func estateExportCommand(r *root) *cobra.Command {
	var number int
	c := &cobra.Command{Use: "export", Short: "Write the current revision as a document, stable in order",
		Args: cmdline.Args(0, 0),
		Long: `Write the current revision as a document, stable in order, so that it lives well in version control.
YAML, or JSON with -o json.`,
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			path := "/api/v1/estate"
			if number > 0 {
				path = fmt.Sprintf("/api/v1/revisions/%d", number)
			}
			e, err := apiclient.Get[api.Estate](c.Context(), client, path, nil)
			if err != nil {
				return err
			}
			if r.output == "json" {
				return r.print(c, e.Document.Sorted(), nil)
			}
			b, err := e.Document.YAML()
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(b)
			return err
		}}
	c.Flags().IntVar(&number, "revision", 0, "another revision than the current one")
	return c
}

func estateSchemaCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "schema", Short: "Write a JSON Schema of the estate's file, for editors",
		Args: cmdline.Args(0, 0),
		Long: `Write a JSON Schema (draft 2020-12) of the estate's file, by which editors complete keys and values, say
what each is for, and mark slips. What objects say of one another it does not know: cirque estate check.
It is of this client's version, and asks no service.`,
		RunE: func(c *cobra.Command, _ []string) error {
			form := cmdline.JSON // also where tables are usual: it has none
			if r.output == cmdline.YAML {
				form = cmdline.YAML
			}
			return cmdline.Encode(c.OutOrStdout(), form, estate.Schema())
		}}
}

func directoryCommand(r *root) *cobra.Command {
	var source, format string
	var dry, accept bool
	imp := &cobra.Command{Use: "import FILE...", Short: "Make a source of the directory hold exactly what the files say",
		Args: cmdline.Args(1, -1),
		Long: `Make a source of the directory hold exactly what the files say: directory files (YAML or JSON), LDIF
(RFC 2849) or tables (CSV with a head line: kind, name and further columns), which are told apart by
their names (.ldif, .csv) or --format. What the source held before and the files do not is removed;
where that is a large share, nothing is applied unless --accept-removals.`,
		RunE: func(c *cobra.Command, a []string) error {
			files, err := readFiles(c, a)
			if err != nil {
				return err
			}
			if format == "" {
				format = formatOf(a)
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			i, err := apiclient.Post[directory.Import](c.Context(), client, "/api/v1/directory/import",
				api.Import{Source: source, Format: format, Files: files, Dry: dry, Accept: accept})
			if err != nil {
				return err
			}
			return r.print(c, i, func(w io.Writer) {
				holds := "holds"
				if i.Dry {
					holds = "would hold"
				}
				fmt.Fprintf(w, "The source %s %s %s, %s and %s: %d added, %d changed, %d removed.\n", i.Source, holds,
					words.Count(i.Users, "user"), words.Count(i.Groups, "group"), words.Count(i.Machines, "machine"), i.Added,
					i.Changed, i.Removed)
				for _, n := range i.Notes {
					fmt.Fprintln(w, n)
				}
				if i.Dry {
					fmt.Fprintln(w, "Nothing was applied.")
					if i.Held != "" {
						fmt.Fprintf(w, "The removal limit would hold it, since %s; --accept-removals applies it nevertheless.\n", i.Held)
					}
				}
			})
		}}
	imp.Flags().StringVar(&source, "source", "file", "which source this is")
	imp.Flags().StringVar(&format, "format", "", "file, ldif or csv")
	imp.Flags().BoolVar(&dry, "dry-run", false, "say what would come of it, and apply nothing")
	imp.Flags().BoolVar(&accept, "accept-removals", false, "apply it, whatever disappears")
	return cmdline.Group("directory", "Users, groups, units and machines: import them, or have them read over LDAP", imp,
		directoryFindCommand(r), sourceCommand(r), directoryRunsCommand(r), renamesCommand(r), linksCommand(r),
		linkCommand(r, false), linkCommand(r, true), removeLinkCommand(r),
		linkByCommand(r), primaryCommand(r), unmatchedCommand(r), listedCommand(r),
		directoryPrintersCommand(r),
		former("joins", "directory links", linksCommand(r)), former("join", "directory link", linkCommand(r, false)),
		former("apart", "directory unlink", linkCommand(r, true)), former("unjoin", "directory remove-link",
			removeLinkCommand(r)),
		former("join-by", "directory link-by", linkByCommand(r)), former("lead", "directory primary", primaryCommand(r)),
		former("strangers", "directory unmatched", unmatchedCommand(r)))
}

func formatOf(names []string) string {
	for _, format := range []string{"ldif", "csv"} {
		if !slices.ContainsFunc(names, func(n string) bool { return !strings.HasSuffix(strings.ToLower(n), "."+format) }) {
			return format
		}
	}
	return "file"
}

func directoryFindCommand(r *root) *cobra.Command {
	var kinds []string
	c := &cobra.Command{Use: "find WORD", Short: "Find people, groups, units, machines and objects of the estate by " +
		"part of what they are called", Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		f, err := apiclient.Page[directory.Match](c.Context(), client, "/api/v1/search", url.Values{"word": {a[0]},
			"kind": kinds, "limit": {"200"}})
		if err != nil {
			return err
		}
		return r.print(c, f.Items, func(w io.Writer) {
			if f.Total == 0 {
				fmt.Fprintf(w, "Nothing is called anything like %q.\n", a[0])
				return
			}
			t := r.table("KIND", "NAME", "", "").main(1)
			for _, x := range f.Items {
				t.add(x.Kind, x.Name, x.Says, x.Detail)
			}
			t.write(w)
			if f.Total > len(f.Items) {
				fmt.Fprintf(w, "%d more; write more of the name.\n", f.Total-len(f.Items))
			}
		})
	}}
	c.Flags().StringSliceVar(&kinds, "kind", nil, "such as user, group, unit, machine, station, location, queue or grant")
	return c
}
