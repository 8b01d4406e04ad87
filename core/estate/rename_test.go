package estate_test

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/internal/testkit/worlds"
)

// TestRenameFollowed: in random estates, every object that can be renamed leaves nothing behind that names it, what
// named it names it anew, the document holds together, and the way back gives the document as it was.
func TestRenameFollowed(t *testing.T) {
	t.Parallel()
	renamed, mentioned := map[string]int{}, map[string]int{}
	for seed := range 60 {
		doc := worlds.New(uint64(seed)).Estate()
		before := len(estate.Integrity(doc))
		for _, r := range doc.Refs() {
			if slices.Contains([]string{"queues", "subnets", "settings"}, r.List) {
				continue
			}
			old := estate.Dependents(doc, r)
			to := estate.Ref{List: r.List, Name: "quite-new"}
			if i := strings.LastIndexByte(r.Name, '/'); r.List == "locations" && i > 0 {
				to.Name = r.Name[:i+1] + to.Name // what lies above may be there by it alone
			}
			out, err := doc.Rename(r, to.Name)
			if err != nil {
				t.Fatalf("world %d, %s: %v", seed, r, err)
			}
			renamed[r.List]++
			mentioned[r.List] += len(old)
			if out.Find(r) != nil || out.Find(to) == nil || len(estate.Dependents(out, r)) > 0 {
				t.Fatalf("world %d: %s is still there, or is named by %v", seed, r, estate.Dependents(out, r))
			}
			if got := estate.Dependents(out, to); len(got) != len(old) {
				t.Fatalf("world %d: %s was named by %v, and is by %v", seed, r, old, got)
			}
			if n := len(estate.Integrity(out)); n != before {
				t.Fatalf("world %d, %s: %d problems, %d before", seed, r, n, before)
			}
			back, err := out.Rename(to, r.Name)
			if err != nil || !reflect.DeepEqual(plain(t, back), plain(t, doc)) {
				t.Fatalf("world %d: %s does not come back: %v", seed, r, err)
			}
		}
	}
	for _, l := range []string{"locations", "servers", "devices", "drivers", "server_sets"} {
		if renamed[l] < 30 || mentioned[l] < 30 {
			t.Errorf("the worlds are too dull: %d %s, named %d times", renamed[l], l, mentioned[l])
		}
	}
}

func plain(t *testing.T, d *estate.Document) string {
	t.Helper()
	b, err := d.YAML()
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

func TestRename(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, strings.Replace(worlds.Harbour, "grants: [{", "stations: [{name: till-1, addresses: [10.1.0.9], "+
		"location: ard/hall}]\nnotices: [{name: n, at: ['location:ard/hall'], tell: ['mail:x@skerry.example']}]\ngrants: [{name: "+
		"tills, effect: offer, queues: ['within:ard/hall'], on: ['machine:TILL-1'], except: ['location:ard/pier']}, {", 1))
	for name, c := range map[string]struct {
		of   estate.Ref
		to   string
		code string
		has  []string
	}{
		"location": {estate.Ref{List: "locations", Name: "ard"}, "skerry", "", []string{"within:skerry/hall", "path: skerry/pier",
			"location: skerry/hall", "location:skerry/pier", "at: ['location:skerry/hall']"}},
		"station":        {estate.Ref{List: "stations", Name: "till-1"}, "till-2", "", []string{"machine:till-2"}},
		"driver":         {estate.Ref{List: "drivers", Name: "mono"}, "mono-40", "", []string{"windows/x64: mono-40"}},
		"taken":          {estate.Ref{List: "servers", Name: "ps-1"}, "ps-2", "name-taken", nil},
		"no name":        {estate.Ref{List: "servers", Name: "ps-1"}, "PS 1", "name-invalid", nil},
		"no path":        {estate.Ref{List: "locations", Name: "ard"}, "a//b", "name-invalid", nil},
		"within itself":  {estate.Ref{List: "locations", Name: "ard"}, "ard/more", "name-within", nil},
		"not there":      {estate.Ref{List: "servers", Name: "ps-11"}, "x", "object-unknown", nil},
		"queue":          {estate.Ref{List: "queues", Name: "hall"}, "x", "rename-list", nil},
		"what is in one": {estate.Ref{List: "subnets", Name: "10.2.0.0/16"}, "x", "rename-list", nil},
	} {
		out, err := doc.Rename(c.of, c.to)
		if c.code != "" {
			if f := fault.As(err); f == nil || f.Code != c.code || f.Fix == "" {
				t.Errorf("%s: %v", name, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		text := plain(t, out)
		for _, want := range c.has {
			if !strings.Contains(text, want) {
				t.Errorf("%s: no %s in\n%s", name, want, text)
			}
		}
	}
}
