package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/url"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/bulk"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const objectsPath = "/api/v1/draft/objects"

// objectsOf are the commands for one list of the estate: what is seen and changed is one's own draft.
type objectsOf struct {
	r    *root
	list string
	// columns of the table that list writes, after the name.
	columns []string
}

// word is what one object of the list is called.
func (o objectsOf) word() string {
	if o.list == "" {
		return "object"
	}
	return estate.Word(o.list)
}

// one is the word with its article.
func (o objectsOf) one() string {
	if o.list == "" {
		return "an object"
	}
	return "a " + o.word()
}

// arg is how a use names an object.
func (o objectsOf) arg() string {
	if o.list == "" {
		return "LIST NAME"
	}
	return strings.ToUpper(strings.ReplaceAll(o.word(), " ", "-"))
}

// of takes the list from what was typed, where the command is for any.
func (o objectsOf) of(a []string) (objectsOf, []string, error) {
	if o.list != "" {
		return o, a, nil
	}
	if len(a) < 2 {
		return o, nil, &cmdline.Usage{What: "name a list, such as queue, and an object of it"}
	}
	list, err := refs(a[:2])
	if err != nil {
		return o, nil, err
	}
	o.list = list[0].List
	return o, a[1:], nil
}

func grantCommand(r *root) *cobra.Command {
	o := objectsOf{r, "grants", []string{"effect", "queues", "to", "on", "at", "except"}}
	return cmdline.Group("grant", "Grants in your draft: see, add, change and remove them",
		append(o.all(), overlapsCommand(r))...)
}

func placeCommands(r *root) []*cobra.Command {
	locations := objectsOf{r, "locations", []string{"title", "timezone", "cut", "note"}}
	subnets := objectsOf{r, "subnets", []string{"location", "note"}}
	stations := objectsOf{r, "stations", []string{"title", "addresses", "location", "platform"}}
	return []*cobra.Command{
		cmdline.Group("location", "Places in your draft: see, add, change and remove them", locations.all()...),
		cmdline.Group("subnet", "Subnets in your draft: see, add, change and remove them", subnets.all()...),
		cmdline.Group("station", "Stations, machines that no directory knows, in your draft: see, add, change and "+
			"remove them", stations.all()...)}
}

func settingCommand(r *root) *cobra.Command {
	o := objectsOf{r, "settings", nil}
	return cmdline.Group("setting", "Settings of the estate in your draft: see and change them", settingListCommand(r),
		o.show(), o.set(), o.remove())
}

// all are the commands that each list has.
func (o objectsOf) all() []*cobra.Command {
	return append([]*cobra.Command{o.see(), o.table(), o.applyTable()}, o.edits()...)
}

// edits are the commands for single objects.
func (o objectsOf) edits() []*cobra.Command {
	out := []*cobra.Command{o.show(), o.add(), o.set(), o.copy(), o.remove()}
	if o.list != "subnets" && o.list != "queues" { // those are what their address is, and these have a pattern
		out = append(out, o.rename())
	}
	return out
}

// objects asks for the objects of the list, or some of them; each that is named must be there.
func (o objectsOf) objects(c *cobra.Command, client *apiclient.Client, query url.Values,
	names ...string) ([]estate.Drafted, error) {
	q := url.Values{"list": {o.list}, "object": names}
	maps.Copy(q, query)
	list, err := apiclient.List[estate.Drafted](c.Context(), client, objectsPath, q)
	if err != nil {
		return nil, err
	}
	for _, n := range names {
		if !slices.ContainsFunc(list, called(n)) {
			return nil, o.unknown(c, client, query, n)
		}
	}
	return list, nil
}

// called finds an object by its name.
func called(name string) func(estate.Drafted) bool {
	return func(d estate.Drafted) bool { return d.Name == name }
}

// unknown says that there is no such object, with the nearest name.
func (o objectsOf) unknown(c *cobra.Command, client *apiclient.Client, query url.Values, name string) error {
	all, err := o.objects(c, client, query)
	if err != nil {
		return err
	}
	known := make([]string, len(all))
	for i, d := range all {
		known[i] = d.Name
	}
	fix := "see what the draft has: cirque estate export --revision draft"
	if near := document.Nearest(name, known); near != "" {
		fix = fmt.Sprintf("did you mean %q?", near)
	}
	return fault.New(fault.Unknown, "object-unknown", fix, "your draft has no %s %q", o.word(), name)
}

// see lists the objects of the draft.
func (o objectsOf) see() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the " + o.word() + "s of your draft", Args: cmdline.Args(0, 0)}
	name := draftFlag(c)
	find := c.Flags().String("find", "", "only with this in some text of theirs")
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := o.r.client()
		if err != nil {
			return err
		}
		q := url.Values{}
		maps.Copy(q, name())
		if *find != "" {
			q.Set("find", *find)
		}
		list, err := o.objects(c, client, q)
		if err != nil {
			return err
		}
		return o.r.print(c, list, func(w io.Writer) { o.write(w, list) })
	}
	return c
}

func (o objectsOf) write(w io.Writer, list []estate.Drafted) {
	head := []string{o.arg()}
	for _, k := range o.columns {
		head = append(head, strings.ToUpper(strings.ReplaceAll(k, "_", " ")))
	}
	t, drafted := o.r.table(append(head, "IN YOUR DRAFT")...), 0
	for _, d := range list {
		row, says := []string{d.Name}, written(d)
		for _, k := range o.columns {
			row = append(row, says[k])
		}
		t.add(append(row, d.Change)...)
		if d.Change != "" {
			drafted++
		}
	}
	t.write(w)
	fmt.Fprintf(w, "%s", words.Count(len(list), o.word()))
	if drafted > 0 {
		fmt.Fprintf(w, ", %d of which your draft adds or changes", drafted)
	}
	fmt.Fprintln(w, ".")
}

// written gives what an object says, as bulk.Assign reads it; nothing where it cannot be read.
func written(d estate.Drafted) map[string]string {
	says, err := bulk.Written(d.Ref, d.Object)
	if err != nil {
		return nil
	}
	return says
}

// show writes objects as a file of the estate has them, and says who names them.
func (o objectsOf) show() *cobra.Command {
	c := &cobra.Command{Use: "show " + o.arg() + "...", Short: "Show " + o.word() + "s as your draft has them, and what " +
		"names them", Args: cmdline.Args(1, -1)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		o, a, err := o.of(a)
		if err != nil {
			return err
		}
		client, err := o.r.client()
		if err != nil {
			return err
		}
		list, err := o.objects(c, client, name(), a...)
		if err != nil {
			return err
		}
		named := map[string][]estate.Ref{}
		for _, d := range list {
			if o.list == "settings" {
				continue
			}
			q := url.Values{"list": {d.List}, "object": {d.Name}}
			maps.Copy(q, name())
			if named[d.Name], err = apiclient.List[estate.Ref](c.Context(), client, "/api/v1/draft/dependents", q); err != nil {
				return err
			}
		}
		return o.r.print(c, list, func(w io.Writer) { err = writeObjects(w, list, named) })
	}
	return c
}

func writeObjects(w io.Writer, list []estate.Drafted, named map[string][]estate.Ref) error {
	doc, err := asEstate(list)
	if err != nil {
		return err
	}
	text, err := doc.YAML()
	if err != nil {
		return err
	}
	fmt.Fprint(w, string(text))
	for _, d := range list {
		if d.Change != "" {
			fmt.Fprintf(w, "# Your draft has %s %s.\n", d.Change, d.Name)
		}
		var by []string
		for _, r := range named[d.Name] {
			by = append(by, r.String())
		}
		if len(by) > 0 {
			fmt.Fprintf(w, "# %s is named by %s.\n", d.Name, strings.Join(by, ", "))
		}
	}
	return nil
}

// asEstate makes an estate of some objects.
func asEstate(list []estate.Drafted) (doc estate.Document, err error) {
	lists := map[string]any{"estate": estate.Version}
	for _, d := range list {
		if d.List == "settings" {
			all, _ := lists[d.List].(map[string]any)
			if all == nil {
				all = map[string]any{}
			}
			all[d.Name], lists[d.List] = d.Object, all
			continue
		}
		of, _ := lists[d.List].([]json.RawMessage)
		lists[d.List] = append(of, d.Object)
	}
	b, err := json.Marshal(lists)
	if err != nil {
		return doc, err
	}
	return doc, json.Unmarshal(b, &doc)
}

// table writes the objects as CSV.
func (o objectsOf) table() *cobra.Command {
	c := &cobra.Command{Use: "table [" + o.arg() + "...]", Short: "Write the " + o.word() + "s of your draft as CSV, " +
		"to be read back with apply-table", Args: cmdline.Args(0, -1)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := o.r.client()
		if err != nil {
			return err
		}
		q := url.Values{"list": {o.list}, "object": a}
		maps.Copy(q, name())
		t, err := apiclient.Get[api.Text](c.Context(), client, "/api/v1/draft/table", q)
		if err != nil {
			return err
		}
		return o.r.print(c, t, func(w io.Writer) { fmt.Fprint(w, t.Text) })
	}
	return c
}

// applyTable reads such a table.
func (o objectsOf) applyTable() *cobra.Command {
	c := &cobra.Command{Use: "apply-table FILE", Short: "Put a table of " + o.word() + "s into your draft: it changes " +
		"those that are there, and adds the others", Args: cmdline.Args(1, 1),
		Long: "Read CSV with a head line into your draft. The column " + bulk.NameKey(o.list) + ` is needed; of the
others, see the table command, only those change that the table has. An empty cell takes the key
out, and yes in a column remove takes out the whole line's object. Entries are divided by commas,
hours by semicolons.`}
	dry := c.Flags().Bool("dry-run", false, "say what would change, and store nothing")
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		q := withDry(name(), *dry)
		q.Set("list", o.list)
		return o.r.applyTable(c, "/api/v1/draft/table", q, a, *dry)
	}
	return c
}

// applyTable sends a table, and says what the draft comes to.
func (r *root) applyTable(c *cobra.Command, path string, query url.Values, a []string, dry bool) error {
	files, err := readFiles(c, a)
	if err != nil {
		return err
	}
	client, err := r.client()
	if err != nil {
		return err
	}
	var d api.Draft
	if err := client.Do(c.Context(), "PUT", path, query, api.NamedText{Name: files[0].Name, Text: files[0].Text},
		&d); err != nil {
		return err
	}
	return r.print(c, d, func(w io.Writer) {
		if dry {
			writeDiffs(w, d.Changes, d.Total)
			fmt.Fprintf(w, "Your draft would have %s. Nothing was stored.\n", words.Count(d.Total, "change"))
			return
		}
		fmt.Fprintf(w, "Your draft has %s now. See cirque draft.\n", words.Count(d.Total, "change"))
	})
}
