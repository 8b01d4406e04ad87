package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/bulk"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// howToAssign ends the help of commands that take KEY=VALUE.
const howToAssign = `KEY=VALUE says what a key is to hold, KEY+=VALUE adds entries, KEY-=VALUE takes them out, and
KEY= takes the key out. Entries are divided by commas; hours are written mon-fri 08:00-17:00, paths
device:NAME, server:NAME, set:NAME=THERE or gateway, both divided by semicolons; a key within
another stands after a dot, such as access.allow or defaults.sides.`

// keysOf says which keys objects of a list have.
func keysOf(list string) string {
	if list == "" {
		return ""
	}
	lines := []string{"\n"}
	for _, of := range bulk.KeysIn(list) {
		var names []string
		for _, k := range of.Keys {
			if k.Name != of.By || of.Name != "" {
				names = append(names, k.Name)
			}
		}
		word := "Keys"
		if of.Name != "" {
			word = "Of " + of.Name
		}
		lines = append(lines, cmdline.Wrap(word+": "+strings.Join(names, ", ")+".", 100))
	}
	return strings.Join(lines, "\n")
}

// assignments divides what was typed into names and KEY=VALUE.
func assignments(a []string) (names, assigned []string) {
	for _, w := range a {
		if strings.Contains(w, "=") {
			assigned = append(assigned, w)
		} else {
			names = append(names, w)
		}
	}
	return names, assigned
}

// editing are the flags of a command that edits.
type editing struct {
	name     func() url.Values
	dry, yes bool
}

func (e *editing) flags(c *cobra.Command) {
	e.name = draftFlag(c)
	c.Flags().BoolVar(&e.dry, "dry-run", false, "say what would change, and store nothing")
}

func (o objectsOf) add() *cobra.Command {
	c := &cobra.Command{Use: "add " + o.arg() + " KEY=VALUE...", Short: "Add " + o.one() + " to your draft",
		Args: cmdline.Args(1, -1), Long: howToAssign + keysOf(o.list)}
	var e editing
	e.flags(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		o, a, err := o.of(a)
		if err != nil {
			return err
		}
		names, assigned := assignments(a)
		if len(names) != 1 {
			return &cmdline.Usage{What: "name one " + o.word() + " before the keys"}
		}
		object, err := o.fresh(names[0], nil, assigned)
		if err != nil {
			return err
		}
		return o.send(c, e, nil, estate.Edit{Ref: estate.Ref{List: o.list, Name: names[0]}, Object: object, Create: true})
	}
	return c
}

// fresh makes an object of a name, like another one if that is given.
func (o objectsOf) fresh(name string, like json.RawMessage, assigned []string) (json.RawMessage, error) {
	v := map[string]any{}
	if like != nil {
		if err := json.Unmarshal(like, &v); err != nil {
			return nil, err
		}
	}
	v[bulk.NameKey(o.list)] = name
	b, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	object, _, err := bulk.Assign(estate.Ref{List: o.list, Name: name}, b, assigned)
	return object, err
}

func (o objectsOf) copy() *cobra.Command {
	c := &cobra.Command{Use: "copy " + o.arg() + " NEW [KEY=VALUE...]", Short: "Add " + o.one() + " like another, to " +
		"your draft", Args: cmdline.Args(2, -1), Long: howToAssign + keysOf(o.list)}
	var e editing
	e.flags(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		o, a, err := o.of(a)
		if err != nil {
			return err
		}
		names, assigned := assignments(a)
		if len(names) != 2 {
			return &cmdline.Usage{What: "name the " + o.word() + " and the new one before the keys"}
		}
		client, err := o.r.client()
		if err != nil {
			return err
		}
		like, err := o.objects(c, client, e.name(), names[0])
		if err != nil {
			return err
		}
		object := like[0].Object
		if o.list == "queues" { // its old names lead to the one that had them
			if object, _, err = bulk.Assign(like[0].Ref, object, []string{"formerly="}); err != nil {
				return err
			}
		}
		if object, err = o.fresh(names[1], object, assigned); err != nil {
			return err
		}
		return o.send(c, e, nil, estate.Edit{Ref: estate.Ref{List: o.list, Name: names[1]}, Object: object, Create: true})
	}
	return c
}

func (o objectsOf) set() *cobra.Command {
	c := &cobra.Command{Use: "set " + o.arg() + "... KEY=VALUE...", Short: "Change keys of " + o.word() + "s in your " +
		"draft", Args: cmdline.Args(2, -1), Long: howToAssign + " What would empty a list that had entries, or take " +
		"out more than half of over ten, wants --yes." + keysOf(o.list)}
	var e editing
	e.flags(c)
	c.Flags().BoolVar(&e.yes, "yes", false, "do not ask, also where a list is emptied")
	c.RunE = func(c *cobra.Command, a []string) error {
		o, a, err := o.of(a)
		if err != nil {
			return err
		}
		names, assigned := assignments(a)
		if len(names) == 0 || len(assigned) == 0 {
			return &cmdline.Usage{What: "name one or more " + o.word() + "s, then what to change, as KEY=VALUE"}
		}
		client, err := o.r.client()
		if err != nil {
			return err
		}
		before, err := o.before(c, client, e, names)
		if err != nil {
			return err
		}
		var edits []estate.Edit
		var emptied []string
		for _, d := range before {
			object, gone, err := bulk.Assign(d.Ref, d.Object, assigned)
			if err != nil {
				return err
			}
			for _, key := range gone {
				emptied = append(emptied, key+" of "+d.Name)
			}
			edits = append(edits, estate.Edit{Ref: d.Ref, Object: object})
		}
		return o.send(c, e, emptied, edits...)
	}
	return c
}

// before gives objects as they are; a setting of which nothing is said yet is there as well.
func (o objectsOf) before(c *cobra.Command, client *apiclient.Client, e editing, names []string) ([]estate.Drafted,
	error) {
	if o.list != "settings" {
		return o.objects(c, client, e.name(), names...)
	}
	all, err := o.objects(c, client, e.name())
	if err != nil {
		return nil, err
	}
	var out []estate.Drafted
	for _, n := range names {
		one := estate.Drafted{Ref: estate.Ref{List: o.list, Name: n}}
		if i := slices.IndexFunc(all, called(n)); i >= 0 {
			one = all[i]
		}
		out = append(out, one)
	}
	return out, nil
}

func (o objectsOf) remove() *cobra.Command {
	short := "Take " + o.word() + "s out, in your draft"
	if o.list == "settings" {
		short = "Let settings be as usual again, in your draft"
	}
	c := &cobra.Command{Use: "remove " + o.arg() + "...", Short: short, Args: cmdline.Args(1, -1)}
	var e editing
	e.flags(c)
	along := false
	if o.list != "settings" && o.list != "grants" && o.list != "promises" && o.list != "notices" &&
		o.list != "charges" && o.list != "allowances" {
		c.Flags().BoolVar(&along, "along", false, "also out of what names them; what says nothing more then goes, too")
	}
	c.RunE = func(c *cobra.Command, a []string) error {
		o, a, err := o.of(a)
		if err != nil {
			return err
		}
		var edits []estate.Edit
		for _, n := range a {
			edits = append(edits, estate.Edit{Ref: estate.Ref{List: o.list, Name: n}, Remove: true, Along: along})
		}
		err = o.send(c, e, nil, edits...)
		if f := fault.As(err); f != nil && f.Code == "estate-incoherent" && c.Flags().Lookup("along") != nil {
			f.Fix = "take it out of that, too, with --along, or change what names it first"
		}
		return err
	}
	return c
}

// send edits the draft, once what is emptied is confirmed, or in a dry run says what it would come to.
func (o objectsOf) send(c *cobra.Command, e editing, emptied []string, edits ...estate.Edit) error {
	if len(emptied) > 0 && !e.dry {
		if err := confirmed(c, e.yes, "--yes", "this takes out all or most entries of "+strings.Join(emptied, " and "),
			"Go on?"); err != nil {
			return err
		}
	}
	client, err := o.r.client()
	if err != nil {
		return err
	}
	var d api.Draft
	if err := client.Do(c.Context(), "POST", "/api/v1/draft/edits", withDry(e.name(), e.dry), api.Edits{Edits: edits},
		&d); err != nil {
		return err
	}
	var touched []estate.Ref
	for _, x := range d.Changes {
		if len(edits) > 0 && edits[0].Along {
			touched = append(touched, x.Ref)
		}
	}
	for _, x := range edits {
		touched = append(touched, x.Ref)
	}
	return o.r.print(c, d, func(w io.Writer) { writeEdited(w, d, e.dry, touched...) })
}

// writeEdited says what a draft does to the objects that were just edited.
func writeEdited(w io.Writer, d api.Draft, dry bool, touched ...estate.Ref) {
	var mine []estate.Diff
	for _, diff := range d.Changes {
		if slices.Contains(touched, diff.Ref) {
			mine = append(mine, diff)
		}
	}
	writeDiffs(w, mine, len(mine))
	switch {
	case len(mine) == 0 && dry:
		fmt.Fprintln(w, "It would be as it is published. Nothing was stored.")
	case len(mine) == 0:
		fmt.Fprintf(w, "It is as it is published. Your draft %s has %s.\n", d.Name, words.Count(d.Total, "change"))
	case dry:
		fmt.Fprintln(w, "\nNothing was stored.")
	default:
		fmt.Fprintf(w, "\nYour draft %s has %s now. See cirque draft, then cirque rehearse.\n", d.Name,
			words.Count(d.Total, "change"))
	}
}

// settingListCommand says what each setting holds; one of which nothing is said is as usual.
func settingListCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the settings, and what your draft says of each",
		Args: cmdline.Args(0, 0)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		list, err := objectsOf{r: r, list: "settings"}.objects(c, client, name())
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) {
			t := r.table("SETTING", "KEY", "VALUE", "IN YOUR DRAFT")
			for _, of := range bulk.KeysIn("settings") {
				i := slices.IndexFunc(list, called(of.Name))
				if i < 0 {
					t.add(of.Name, "", "as usual", "")
					continue
				}
				says := written(list[i])
				for _, k := range of.Keys {
					if v := says[k.Name]; v != "" && v != "no" {
						t.add(of.Name, k.Name, v, list[i].Change)
					}
				}
			}
			t.write(w)
			fmt.Fprintln(w, "Which keys there are stands in the help of cirque setting set.")
		})
	}
	return c
}
