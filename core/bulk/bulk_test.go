package bulk_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/bulk"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/internal/testkit/worlds"
)

// TestQueueTable: what a table is written of it is read back as, conditions of paths included.
func TestQueueTable(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
	edits, err := bulk.QueueEdits(doc, "q.csv", bulk.QueueTable(doc.Queues))
	if err != nil {
		t.Fatal(err)
	}
	after := worlds.With(t, doc, edits)
	a, errA := doc.Sorted().YAML()
	b, errB := after.Sorted().YAML()
	if errA != nil || errB != nil || string(a) != string(b) {
		t.Errorf("the table changes the estate:\n%s\n%s", a, b)
	}
}

func TestQueueEdits(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
	// As a spreadsheet writes it where a comma stands within numbers.
	text := "\ufeffname;title;labels;paths;defaults;listed\r\nhall;The hall;mono a4;\"set:pair=Hall Mono; " +
		"device:d1\";\"sides=one-sided; print-quality=5\";yes\r\nnew-one;;;;;\r\n"
	edits, err := bulk.QueueEdits(doc, "q.csv", text)
	if err != nil {
		t.Fatal(err)
	}
	after := worlds.With(t, doc, edits)
	hall := after.Find(estate.Ref{List: "queues", Name: "hall"}).(*estate.Queue)
	if hall.Title != "The hall" || !hall.Listed || !slices.Equal(hall.Labels, []string{"mono", "a4"}) ||
		hall.Paths[0].Set != "pair" || hall.Paths[1].Device != "d1" || hall.Defaults["sides"] != "one-sided" ||
		hall.Defaults["print-quality"] == nil {
		t.Errorf("%+v", hall)
	}
	if len(after.Queues) != len(doc.Queues)+1 {
		t.Error("the new queue is not there")
	}
	for bad, says := range map[string]string{
		"name\nHall\n":                     `q.csv:2: "Hall" is no name for a queue`,
		"name\nhall\nhall\n":               "stands there twice, first in line 2",
		"name,paths\nhall,devcie:d1\n":     `"devcie:d1" is no path`,
		"name,listed\nhall,perhaps\n":      `listed: "perhaps"`,
		"name,drivers\nhall,windows/x64\n": `"windows/x64" has no value`,
		"title\nx\n":                       `the column "name" is missing`,
		"name,titel\nhall,x\n":             "did you mean title?",
		"name,title,note\nhall,a\n":        "the line has 2 of 3 columns",
		"name,title\nhall,a,b\n":           "the line has 3 columns, and the head 2",
		"name,name\nhall,hall\n":           "stands there twice",
		strings.Repeat("x\n", 60_000):      "has 60000 lines",
	} {
		if _, err := bulk.QueueEdits(doc, "q.csv", bad); err == nil || !strings.Contains(err.Error()+
			worlds.Details(err), says) {
			t.Errorf("%.40q: %v, want %q", bad, err, says)
		}
	}
	// Lines that are good come with the fault of those that are not, so that theirs can be told with it.
	edits, err = bulk.QueueEdits(doc, "q.csv", "name,title,listed\nhall,A,yes\nnew one,B,perhaps\n")
	if n := len(fault.As(err).Details); n != 2 || len(edits) != 1 || edits[0].From != "q.csv:2" {
		t.Errorf("%+v %v", edits, err)
	}
}

// TestRename: new names by a pattern; old names go on leading there, grants follow, servers keep what they call it.
func TestRename(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
	edits, list, err := bulk.Rename(doc, []string{"hall", "both"}, "{site}-{last}-{name}-{n}")
	if err != nil || len(list) != 2 || list[0].To != "ard-hall-hall-1" || list[1].To != "both-2" {
		t.Fatal(list, err)
	}
	after := worlds.With(t, doc, edits)
	q := after.Find(estate.Ref{List: "queues", Name: "both-2"}).(*estate.Queue)
	if !slices.Equal(q.Formerly, []string{"both"}) || q.Paths[0].RemoteName != "both" || q.Paths[1].RemoteName != "" {
		t.Errorf("%+v", q)
	}
	if hall := after.Find(estate.Ref{List: "queues",
		Name: "ard-hall-hall-1"}).(*estate.Queue); hall.Paths[0].RemoteName != "Hall Mono" {
		t.Errorf("%+v", hall.Paths)
	}
	g := after.Find(estate.Ref{List: "grants", Name: "g"}).(*estate.Grant)
	if !slices.Equal(g.Queues, []string{"ard-hall-hall-1", "both-2"}) || len(after.Queues) != len(doc.Queues) {
		t.Errorf("%+v", g)
	}
	// And back again.
	edits, _, err = bulk.Rename(after, []string{"both-2"}, "both")
	if err != nil {
		t.Fatal(err)
	}
	if q := worlds.With(t, after, edits).Find(estate.Ref{List: "queues",
		Name: "both"}).(*estate.Queue); !slices.Equal(q.Formerly,
		[]string{"both-2"}) {
		t.Errorf("%+v", q)
	}
	for pattern, says := range map[string]string{"": "no pattern", "raw": "the name raw is taken",
		"{title}": "leaves no name", "same": "the name same is taken"} {
		if _, _, err := bulk.Rename(doc, []string{"hall", "both"}, pattern); err == nil || !strings.Contains(err.Error()+
			worlds.Details(err), says) {
			t.Errorf("%q: %v", pattern, err)
		}
	}
	for pattern, fix := range map[string]string{"{nam}-x": "did you mean {name}?", "{": "{title}", "x{weather}": "{title}",
		"{name}}": "{title}"} {
		if _, _, err := bulk.Rename(doc, []string{"hall"}, pattern); err == nil || !strings.Contains(fault.As(err).Fix, fix) {
			t.Errorf("%q: %v", pattern, err)
		}
	}
	if _, _, err := bulk.Rename(doc, []string{"hal"}, "x"); err == nil || fault.As(err).Fix != `did you mean "hall"?` {
		t.Error("a queue that is not there:", err)
	}
	// Under its old name a queue is the same: for another name, and in a table.
	if _, list, err := bulk.Rename(after, []string{"both", "both-2"}, "once"); err != nil || len(list) != 1 ||
		list[0].From != "both-2" {
		t.Error(list, err)
	}
	edits, err = bulk.QueueEdits(after, "q.csv", "name,title\nboth,Both of them\n")
	if err != nil || len(edits) != 1 || edits[0].Name != "both-2" {
		t.Fatal(edits, err)
	}
	if q := worlds.With(t, after, edits).Find(edits[0].Ref).(*estate.Queue); q.Title != "Both of them" ||
		!slices.Equal(q.Formerly, []string{"both"}) {
		t.Errorf("%+v", q)
	}
	if _, err = bulk.QueueEdits(after, "q.csv", "name,title\nboth-2,A\nboth,B\n"); err == nil ||
		!strings.Contains(err.Error(), "both is an old name of both-2, which stands in line 2") {
		t.Error(err)
	}
}

func FuzzQueueEdits(f *testing.F) {
	doc := worlds.Parse(f, worlds.Harbour)
	f.Add(bulk.QueueTable(doc.Queues))
	f.Fuzz(func(t *testing.T, text string) { _, _ = bulk.QueueEdits(doc, "q", text) }) // an error, or edits, and no panic
}

// TestNewNames: one object of any list is renamed, with what names it; queues keep leading from their old names.
func TestNewNames(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, worlds.Harbour)
	for name, c := range map[string]struct {
		of    estate.Ref
		to    string
		also  int
		edits int
	}{
		"location": {estate.Ref{List: "locations", Name: "ard/hall"}, "ard/booking", 4, 6},
		"server":   {estate.Ref{List: "servers", Name: "ps-1"}, "ps-9", 6, 8},
		"set":      {estate.Ref{List: "server_sets", Name: "pair"}, "two", 1, 3},
		"queue":    {estate.Ref{List: "queues", Name: "hall"}, "booking", 1, 3},
	} {
		edits, list, err := bulk.NewNames{Of: c.of, To: c.to}.Edits(doc)
		if err != nil || len(list) != 1 || list[0].Also != c.also || len(edits) != c.edits {
			t.Errorf("%s: %d edits, %+v, %v", name, len(edits), list, err)
			continue
		}
		after := worlds.With(t, doc, edits)
		if after.Find(c.of) != nil || len(estate.Integrity(after)) > 0 {
			t.Errorf("%s: %v", name, estate.Integrity(after))
		}
		if q, err := after.QueueCalled(c.of.Name); name == "queue" && (err != nil || q.Name != c.to) {
			t.Errorf("the old name leads to %v, %v", q, err)
		}
	}
	if _, _, err := (bulk.NewNames{Of: estate.Ref{List: "servers", Name: "ps-1"}, To: "ps-2"}).Edits(doc); err == nil {
		t.Error("a name was given twice")
	}
}
