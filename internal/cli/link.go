package cli

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/directory"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const linksPath = "/api/v1/directory/links"

// linked is how it is decided who is one person, as the API tells it.
type linked struct {
	directory.Links
	People  int      `json:"people"`
	Remarks []string `json:"remarks"`
}

// unmatchedName is a name that no directory has, as the API tells it.
type unmatchedName struct {
	Name     string   `json:"name"`
	Machines []string `json:"machines"`
	Near     []string `json:"near"`
}

// because says how a name came to be somebody's.
func because(t directory.Tie) string {
	switch t.How {
	case "name":
		return "has the same name"
	case "address":
		return "has the address " + t.By
	case "employee":
		return "has the employee number " + t.By
	case "hand":
		return fmt.Sprintf("%s says so (%d)", t.By, t.Link)
	}
	return "stands for the person"
}

func of(a directory.Account) string {
	if a.Source == "" {
		return a.Name
	}
	return a.Source + "/" + a.Name
}

func (r *screen) writeLinks(w io.Writer, v linked) {
	word := map[bool]string{true: "are one person", false: "are not linked"}
	fmt.Fprintf(w, "Accounts of different sources with one address %s; with one employee number they %s.\n",
		word[v.ByAddress], word[v.ByEmployee])
	if v.Primary != "" {
		fmt.Fprintf(w, "Whoever has several names goes by the one that %s has.\n", v.Primary)
	}
	have := "people have"
	if v.People == 1 {
		have = "person has"
	}
	fmt.Fprintf(w, "%d %s several accounts or names.\n", v.People, have)
	if len(v.ByHand) > 0 {
		fmt.Fprintln(w)
		t := r.table("ID", "NAME", "AND", "ARE", "BY", "REASON")
		for _, j := range v.ByHand {
			are := "one person"
			if j.Unlinked {
				are = "two people"
			}
			t.add(fmt.Sprint(j.ID), of(j.A), of(j.B), are, j.Author, j.Reason)
		}
		t.write(w)
	}
	for _, n := range v.Remarks {
		fmt.Fprintln(w, "Note: "+n)
	}
}

func linksCommand(r *root) *cobra.Command {
	return ask(r, "links", "How it is decided which accounts are one person", cmdline.Args(0, 0),
		get[linked](fixed(linksPath)),
		r.writeLinks)
}

func linkCommand(r *root, unlink bool) *cobra.Command {
	var reason string
	use, short, long, says := "link NAME OTHER",
		"Say that two accounts are one person",
		`Say that two accounts are one person: NAME stands for the person, OTHER is another account of
theirs, or a name that no directory has, such as the one that some machine gives. Names are written
NAME or SOURCE/NAME. Groups and grants of both then hold, whichever name is given. It can be undone:
cirque directory remove-link ID`, "%s and %s are one person (%d)."
	if unlink {
		use, short, long, says = "unlink NAME OTHER", "Say that two accounts are two people, whatever the rules say",
			`Say that two accounts are two people, whatever the rules say. It can be undone: cirque directory remove-link ID`,
			"%s and %s are two people (%d)."
	}
	c := ask(r, use, short, cmdline.Args(2, 2), func(c *cobra.Command, client *apiclient.Client,
		a []string) (directory.Link, error) {
		return apiclient.Post[directory.Link](c.Context(), client, linksPath, api.NewLink{A: a[0], B: a[1], Unlinked: unlink,
			Reason: reason})
	}, func(w io.Writer, j directory.Link) { fmt.Fprintf(w, says+"\n", of(j.A), of(j.B), j.ID) })
	c.Long = long
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	return c
}

func removeLinkCommand(r *root) *cobra.Command {
	return done(r, "remove-link ID", "Take back what was said of two accounts", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) error {
		if _, err := strconv.ParseInt(a[0], 10, 64); err != nil {
			return usagef("%q is no number of a link; see cirque directory links", a[0])
		}
		return client.Do(c.Context(), "DELETE", apiclient.Path(linksPath, a[0]), nil, nil, nil)
	}, func(a []string) string { return "What was said in " + a[0] + " holds no more." })
}

func linkByCommand(r *root) *cobra.Command {
	var off, dry bool
	c := ask(r, "link-by address|employee [--off] [--dry-run]", "Whether accounts of different sources with one "+
		"address, or one employee number, are one person", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (v linked, err error) {
		return v, client.Do(c.Context(), "PUT", apiclient.Path("/api/v1/directory/link-rules", a[0]), nil,
			api.LinkRule{On: !off, Dry: dry}, &v)
	}, r.writeLinks)
	c.Flags().BoolVar(&dry, "dry-run", false, "only say what would come of it")
	c.Flags().BoolVar(&off, "off", false, "turn the rule off")
	return c
}

func primaryCommand(r *root) *cobra.Command {
	var none bool
	c := ask(r, "primary SOURCE", "Say which source's account stands for a person who has several", cmdline.Args(0, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (v linked, err error) {
			if none == (len(a) == 1) {
				return v, usagef("name the source, or give --none")
			}
			return v, client.Do(c.Context(), "PUT", "/api/v1/directory/primary", nil, api.Primary{Source: strings.Join(a,
				"")}, &v)
		}, r.writeLinks)
	c.Flags().BoolVar(&none, "none", false, "leave it to the source that comes first by name")
	return c
}

func unmatchedCommand(r *root) *cobra.Command {
	return ask(r, "unmatched", "Names that endpoints give for their people and that no directory has", cmdline.Args(0, 0),
		items[unmatchedName](fixed("/api/v1/directory/unmatched")), func(w io.Writer, list []unmatchedName) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Every name that an endpoint gives is in the directory.")
				return
			}
			t := r.table("NAME", "ON", "MAY BE")
			for _, v := range list {
				t.add(v.Name, strings.Join(v.Machines, ", "), strings.Join(v.Near, ", "))
			}
			t.write(w)
			fmt.Fprintln(w, "They receive what everybody does. To link one with somebody: cirque directory link NAME OTHER")
		})
}
