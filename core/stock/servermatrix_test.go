package stock_test

import (
	"fmt"
	"testing"

	"cirque/core/driver"
	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

// TestServerMatrix: each queue that leads through a server stands against every server and platform; what is missing, and
// what somebody lacks, is a hole, and comes first.
func TestServerMatrix(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, worlds.Harbour)
	read := func(server string) *stock.Server {
		return map[string]*stock.Server{"ps-1": {Queues: []stock.Queue{{Name: "Hall Mono", Model: "Mono 40"}, {Name: "both"},
			{Name: "Labels"}, {Name: "pool"}, {Name: "raw"}, {Name: "bare"}}}, "ps-2": {}}[server]
	}
	rows := driver.Matrix(doc, map[string]int{"windows/x64": 3, "linux/x64": 1}, driver.Holdings(doc, nil), func(q,
		p string) int {
		return map[string]int{"labels linux/x64": 1}[q+" "+p]
	})
	m := stock.NewServerMatrix(doc, read, rows)
	var got []string
	for _, r := range m.Rows {
		line := r.Queue
		for _, c := range r.Servers {
			line += " " + c.State
		}
		got = append(got, fmt.Sprint(line, " ", r.Hole))
	}
	want := []string{"hall there missing not-wanted true", "labels there not-wanted not-wanted true",
		"bare there not-wanted not-wanted false", "both there not-wanted not-wanted false",
		"pool there not-wanted not-wanted false", "raw there not-wanted not-wanted false"}
	if fmt.Sprint(got) != fmt.Sprint(want) || m.Holes != 2 || len(m.Platforms) != 2 || len(m.Servers) != 3 {
		t.Errorf("%q\nwant %q\n%+v", got, want, m)
	}
	if m.Servers[0].Unread+m.Servers[1].Unread != 0 {
		t.Errorf("all were read: %+v", m.Servers)
	}
	none := stock.NewServerMatrix(doc, func(string) *stock.Server { return nil }, rows)
	if s := none.Servers; s[0].Unread != 6 || s[1].Unread != 1 || s[2].Unread != 0 || s[0].Read != nil {
		t.Errorf("none was read: %+v", s)
	}
	if m.Rows[0].Servers[0].Name != "Hall Mono" || m.Rows[0].Servers[0].Model != "Mono 40" {
		t.Errorf("%+v", m.Rows[0])
	}
}

// TestInside: a server's drivers, forms and ports are those of its queues, each with who has it.
func TestInside(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, worlds.Harbour)
	packages := []driver.Package{{Digest: "new", Name: "mono", Models: []driver.Model{{Exact: "Mono 40", Platform: "linux",
		Version: "2.0", SetUpFile: "a.ppd"}}}}
	media := map[string][]string{"media": {"iso_a4_210x297mm", "iso_a5_148x210mm"}}
	v := stock.InsideOf(doc, "ps-1", &stock.Server{Queues: []stock.Queue{
		{Name: "a", Model: "Mono 40", Device: "ipp://10.1.0.11/ipp/print", Supported: media, Package: "old",
			Defaults: map[string]any{"media": "iso_a5_148x210mm"}},
		{Name: "b", Model: "Mono 40", Device: "ipp://10.9.9.9/x", Supported: media}, {Name: "c"}}}, packages, "linux/x64")
	if len(v.Drivers) != 1 || len(v.Drivers[0].Queues) != 2 || !v.Drivers[0].Newer || v.Drivers[0].Version != "2.0" ||
		fmt.Sprint(v.Drivers[0].Packages) != "[mono]" {
		t.Errorf("%+v", v.Drivers)
	}
	if len(v.Forms) != 2 || fmt.Sprint(v.Forms[1].Loaded) != "[a]" || len(v.Forms[0].Queues) != 2 {
		t.Errorf("%+v", v.Forms)
	}
	if len(v.Ports) != 2 || v.Ports[0].Device != "d1" || v.Ports[1].Device != "" {
		t.Errorf("%+v", v.Ports)
	}
	if v := stock.InsideOf(doc, "ps-9", nil, nil, ""); v.Drivers == nil || v.Forms == nil || v.Ports == nil {
		t.Error("an unread server has no lists")
	}
}
