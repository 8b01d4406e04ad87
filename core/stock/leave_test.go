package stock_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/estate"
	"cirque/core/stock"
)

func TestDependentsOf(t *testing.T) {
	doc := parse(t, harbour)
	d := stock.DependentsOf(doc, "ps-1")
	if !slices.Equal(d.Queues, []string{"hall", "both", "pool", "raw", "bare", "labels"}) || !slices.Equal(d.Only,
		[]string{"pool", "raw", "bare", "labels"}) || !slices.Equal(d.Sets, []string{"pair"}) {
		t.Errorf("%+v", d)
	}
	if d := stock.DependentsOf(doc, "ps-3"); len(d.Queues)+len(d.Sets) != 0 {
		t.Errorf("%+v", d)
	}
}

// TestLeave: afterwards no queue that was moved leads through the server, and each leads where and when it did before.
func TestLeave(t *testing.T) {
	doc := parse(t, harbour)
	readings := map[string]*stock.Device{"d1": {Supported: map[string][]string{"sides": {"one-sided"}},
		Formats: []string{"text/plain"}}}
	edits, moved, err := stock.Leave(doc, "ps-1", "device", nil, readings)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]stock.Moved{}
	for _, m := range moved {
		got[m.Queue] = m
	}
	for queue, want := range map[string]struct {
		moved bool
		says  string
	}{
		"hall": {true, "straight to d1"}, "both": {true, "straight to d2"}, "pool": {true, "through the gateway"},
		"labels": {true, "straight to d2"},
		"raw":    {false, "its device d3 is reached by socket, over which no lineup can lead"},
		"bare":   {false, "the estate does not say which device is behind it"},
	} {
		if m := got[queue]; m.Moved != want.moved || !strings.Contains(m.Says, want.says) {
			t.Errorf("%s: %+v", queue, m)
		}
	}
	if r := strings.Join(got["hall"].Remarks, "; "); !strings.Contains(r, "does not take sides = two-sided-long-edge") ||
		!strings.Contains(r, "takes none of PDF, PWG raster") {
		t.Error("remarks on hall:", r)
	}
	if r := strings.Join(got["both"].Remarks, "; "); !strings.Contains(r, "has not been read") {
		t.Error("remarks on both:", r)
	}
	after := with(t, doc, edits)
	if left := slices.Sorted(slices.Values(stock.DependentsOf(after, "ps-1").Queues)); !slices.Equal(left,
		[]string{"bare", "raw"}) {
		t.Error("still lead there:", left)
	}
	for _, q := range after.Queues {
		switch q.Name {
		case "both":
			// The server's path held at one place only; the straight one after it, everywhere.
			if len(q.Paths) != 2 || q.Paths[0].Device != "d2" || !slices.Equal(q.Paths[0].At, []string{"location:ard"}) ||
				len(q.Paths[1].At) != 0 {
				t.Errorf("%+v", q.Paths)
			}
		case "hall":
			if len(q.Paths) != 1 || q.Paths[0].Device != "d1" || q.Paths[0].RemoteName != "" {
				t.Errorf("%+v", q.Paths)
			}
		}
	}
	if edits, moved, err := stock.Leave(doc, "ps-1", "gateway", []string{"hall"}, nil); err != nil || len(edits) != 1 ||
		len(moved) != 1 || moved[0].Says != "through the gateway" {
		t.Error(edits, moved, err)
	}
	for _, c := range [][3]string{{"ps-9", "device", `no server "ps-9"`}, {"ps-1", "cloud", `moved to "cloud"`},
		{"ps-3", "device hall", "does not lead through ps-3"}} {
		to, only, _ := strings.Cut(c[1], " ")
		if _, _, err := stock.Leave(doc, c[0], to, strings.Fields(only), nil); err == nil ||
			!strings.Contains(err.Error(), c[2]) {
			t.Errorf("%v: %v", c, err)
		}
	}
}

func TestOrphansOf(t *testing.T) {
	doc := parse(t, harbour)
	list, err := stock.ParseReservations("r.csv",
		"mac,address\n02:00:5e:10:00:01,10.1.0.11\n02:00:5e:10:00:09,10.1.0.200\n")
	if err != nil {
		t.Fatal(err)
	}
	o := stock.OrphansOf(doc, func(q string) bool {
		return q == "hall" || q == "both"
	}, map[string]*stock.Server{"ps-1": {Queues: []stock.Queue{{Name: "Hall Mono"}, {Name: "stray"}}}, "ps-2": nil}, list,
		[]string{"10.1.0.77", "10.1.0.12"})
	for what, pair := range map[string][2][]string{
		"queues": {o.Queues, {"bare", "labels", "pool", "raw"}}, "devices": {o.Devices, {}}, "servers": {o.Servers, {"ps-3"}},
		"drivers":   {o.Drivers, {}},
		"addresses": {o.Addresses, {"10.1.0.200", "10.1.0.77"}}, "found": {o.Found, {"ps-1: stray"}},
	} {
		if !slices.Equal(pair[0], pair[1]) {
			t.Errorf("%s: %v, want %v", what, pair[0], pair[1])
		}
	}
}

// TestQueueTable: what a table is written of it is read back as, conditions of paths included.
func TestQueueTable(t *testing.T) {
	doc := parse(t, harbour)
	edits, err := stock.QueueEdits(doc, "q.csv", stock.QueueTable(doc.Queues))
	if err != nil {
		t.Fatal(err)
	}
	after := with(t, doc, edits)
	a, errA := doc.Sorted().YAML()
	b, errB := after.Sorted().YAML()
	if errA != nil || errB != nil || string(a) != string(b) {
		t.Errorf("the table changes the estate:\n%s\n%s", a, b)
	}
}

func TestQueueEdits(t *testing.T) {
	doc := parse(t, harbour)
	// As a spreadsheet writes it where a comma stands within numbers.
	text := "\ufeffname;title;labels;paths;defaults;listed\r\nhall;The hall;mono a4;\"set:pair=Hall Mono; " +
		"device:d1\";\"sides=one-sided; print-quality=5\";yes\r\nnew-one;;;;;\r\n"
	edits, err := stock.QueueEdits(doc, "q.csv", text)
	if err != nil {
		t.Fatal(err)
	}
	after := with(t, doc, edits)
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
		"name,name\nhall,hall\n":           "stands there twice",
		strings.Repeat("x\n", 60_000):      "has 60000 lines",
	} {
		if _, err := stock.QueueEdits(doc, "q.csv", bad); err == nil || !strings.Contains(err.Error()+detailsOf(err), says) {
			t.Errorf("%.40q: %v, want %q", bad, err, says)
		}
	}
}

// TestRename: new names by a pattern; old names go on leading there, grants follow, servers keep what they call it.
func TestRename(t *testing.T) {
	doc := parse(t, harbour)
	edits, list, err := stock.Rename(doc, []string{"hall", "both"}, "{site}-{last}-{name}-{n}")
	if err != nil || len(list) != 2 || list[0].To != "ard-hall-hall-1" || list[1].To != "both-2" {
		t.Fatal(list, err)
	}
	after := with(t, doc, edits)
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
	edits, _, err = stock.Rename(after, []string{"both-2"}, "both")
	if err != nil {
		t.Fatal(err)
	}
	if q := with(t, after, edits).Find(estate.Ref{List: "queues", Name: "both"}).(*estate.Queue); !slices.Equal(q.Formerly,
		[]string{"both-2"}) {
		t.Errorf("%+v", q)
	}
	for pattern, says := range map[string]string{"": "no pattern", "raw": "the name raw is taken",
		"{title}": "leaves no name", "same": "the name same is taken"} {
		if _, _, err := stock.Rename(doc, []string{"hall", "both"}, pattern); err == nil || !strings.Contains(err.Error()+
			detailsOf(err), says) {
			t.Errorf("%q: %v", pattern, err)
		}
	}
	if _, _, err := stock.Rename(doc, []string{"nope"}, "x"); err == nil {
		t.Error("a queue that is not there was renamed")
	}
}
