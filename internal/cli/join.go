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
)

const joinsPath = "/api/v1/directory/joins"

// joined is how it is decided who is one person, as the API tells it.
type joined struct {
	directory.Joins
	People  int      `json:"people"`
	Remarks []string `json:"remarks"`
}

// stranger is a name that no directory has, as the API tells it.
type stranger struct {
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
		return fmt.Sprintf("%s says so (%d)", t.By, t.Join)
	}
	return "stands for the person"
}

func of(a directory.Account) string {
	if a.Source == "" {
		return a.Name
	}
	return a.Source + "/" + a.Name
}

func (r *root) writeJoined(w io.Writer, v joined) {
	word := map[bool]string{true: "are one person", false: "are not joined"}
	fmt.Fprintf(w, "Accounts of different sources with one address %s; with one employee number they %s.\n",
		word[v.ByAddress], word[v.ByEmployee])
	if v.Lead != "" {
		fmt.Fprintf(w, "Whoever has several names goes by the one that %s has.\n", v.Lead)
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
			if j.Apart {
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

func (r *root) joins() *cobra.Command {
	return ask(r, "joins", "How it is decided which accounts are one person", cobra.NoArgs, get[joined](fixed(joinsPath)),
		r.writeJoined)
}

func (r *root) join(apart bool) *cobra.Command {
	var reason string
	use, short, long, says := "join NAME OTHER",
		"Say that two accounts are one person",
		`Say that two accounts are one person: NAME stands for the person, OTHER is another account of
theirs, or a name that no directory has, such as the one that some machine gives. Names are written
NAME or SOURCE/NAME. Groups and grants of both then hold, whichever name is given. It can be undone:
cirque directory unjoin ID`, "%s and %s are one person (%d)."
	if apart {
		use, short, long, says = "apart NAME OTHER", "Say that two accounts are two people, whatever the rules say",
			`Say that two accounts are two people, whatever the rules say. It can be undone: cirque directory unjoin ID`,
			"%s and %s are two people (%d)."
	}
	c := ask(r, use, short, cobra.ExactArgs(2), func(c *cobra.Command, client *apiclient.Client,
		a []string) (directory.Join, error) {
		return apiclient.Post[directory.Join](c.Context(), client, joinsPath, api.NewJoin{A: a[0], B: a[1], Apart: apart,
			Reason: reason})
	}, func(w io.Writer, j directory.Join) { fmt.Fprintf(w, says+"\n", of(j.A), of(j.B), j.ID) })
	c.Long = long
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	return c
}

func (r *root) unjoin() *cobra.Command {
	return done(r, "unjoin ID", "Take back what was said of two accounts", cobra.ExactArgs(1), func(c *cobra.Command,
		client *apiclient.Client, a []string) error {
		if _, err := strconv.ParseInt(a[0], 10, 64); err != nil {
			return usageError{fmt.Errorf("%q is no number of a join; see cirque directory joins", a[0])}
		}
		return client.Do(c.Context(), "DELETE", apiclient.Path(joinsPath, a[0]), nil, nil, nil)
	}, func(a []string) string { return "What was said in " + a[0] + " holds no more." })
}

func (r *root) joinBy() *cobra.Command {
	var off, dry bool
	c := ask(r, "join-by address|employee [--off] [--dry-run]", "Whether accounts of different sources with one "+
		"address, or one employee number, are one person", cobra.ExactArgs(1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (v joined, err error) {
		return v, client.Do(c.Context(), "PUT", apiclient.Path("/api/v1/directory/join-rules", a[0]), nil,
			api.JoinRule{On: !off, Dry: dry}, &v)
	}, r.writeJoined)
	c.Flags().BoolVar(&dry, "dry-run", false, "only say what would come of it")
	c.Flags().BoolVar(&off, "off", false, "turn the rule off")
	return c
}

func (r *root) lead() *cobra.Command {
	var none bool
	c := ask(r, "lead SOURCE", "Say which source's account stands for a person who has several", cobra.MaximumNArgs(1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (v joined, err error) {
			if none == (len(a) == 1) {
				return v, usageError{fmt.Errorf("name the source, or give --none")}
			}
			return v, client.Do(c.Context(), "PUT", "/api/v1/directory/lead", nil, api.Lead{Source: strings.Join(a, "")}, &v)
		}, r.writeJoined)
	c.Flags().BoolVar(&none, "none", false, "leave it to the source that comes first by name")
	return c
}

func (r *root) strangers() *cobra.Command {
	return ask(r, "strangers", "Names that endpoints give for their people and that no directory has", cobra.NoArgs,
		items[stranger](fixed("/api/v1/directory/strangers")), func(w io.Writer, list []stranger) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Every name that an endpoint gives is in the directory.")
				return
			}
			t := r.table("NAME", "ON", "MAY BE")
			for _, v := range list {
				t.add(v.Name, strings.Join(v.Machines, ", "), strings.Join(v.Near, ", "))
			}
			t.write(w)
			fmt.Fprintln(w, "They receive what everybody does. To join one with somebody: cirque directory join NAME OTHER")
		})
}
