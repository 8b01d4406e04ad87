package bulk

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

func TestAssign(t *testing.T) {
	t.Parallel()
	grant := estate.Ref{List: "grants", Name: "g"}
	queue := estate.Ref{List: "queues", Name: "q"}
	many := `"a","b","c","d","e","f","g","h","i","j","k"`
	for _, c := range []struct {
		of      estate.Ref
		before  string
		words   string // divided by |
		after   string
		emptied string
	}{
		{grant, `{"name":"g","to":["everyone"]}`, "to+=group:yard, unit:staff", `{"name":"g","to":["everyone","group:yard","unit:staff"]}`, ""},
		{grant, `{"name":"g","to":["everyone"]}`, "to+=everyone", `{"name":"g","to":["everyone"]}`, ""},
		{grant, `{"name":"g","to":["a","b"]}`, "to-=a", `{"name":"g","to":["b"]}`, ""},
		{grant, `{"name":"g","to":["a"]}`, "to-=a", `{"name":"g"}`, "to"},
		{grant, `{"name":"g","to":["a"]}`, "to=", `{"name":"g"}`, "to"},
		{grant, `{"name":"g"}`, "to=", `{"name":"g"}`, ""},
		{grant, `{"name":"g","to":[` + many + `]}`, "to=a,b,c", `{"name":"g","to":["a","b","c"]}`, "to"},
		{grant, `{"name":"g"}`, "default=10|insist=yes|nearest=2", `{"default":10,"insist":true,"name":"g","nearest":2}`, ""},
		{grant, `{"name":"g","default":10,"insist":true}`, "default=|insist=no", `{"name":"g"}`, ""},
		{grant, `{"name":"g"}`, "open=mon-wed 08:00-17:00; sat 9:00-12:00",
			`{"name":"g","open":[{"days":["mon","tue","wed"],"from":"08:00","to":"17:00"},{"days":["sat"],"from":"9:00","to":"12:00"}]}`, ""},
		{queue, `{"name":"q"}`, "access.allow=group:a,group:b|paths=device:d; set:s=Hall Mono",
			`{"access":{"allow":["group:a","group:b"]},"name":"q","paths":[{"device":"d"},{"remote_name":"Hall Mono","set":"s"}]}`, ""},
		{queue, `{"name":"q","access":{"allow":["group:a"]}}`, "access.allow=", `{"name":"q"}`, "allow"},
		{queue, `{"name":"q","access":{"allow":["group:a"],"deny":["user:x"]}}`, "access=", `{"name":"q"}`, "access"},
		{queue, `{"name":"q","paths":[{"device":"d","at":["location:l"]},{"gateway":true}]}`, "paths-=device:d", `{"name":"q","paths":[{"gateway":true}]}`, ""},
		{queue, `{"name":"q","defaults":{"copies":2}}`, "defaults.sides=one-sided|defaults.copies=2", `{"defaults":{"copies":2,"sides":"one-sided"},"name":"q"}`, ""},
		{queue, `{"name":"q","defaults":{"copies":2}}`, "defaults.copies=", `{"name":"q"}`, ""},
		{queue, `{"name":"q","drivers":{"*":"driverless"}}`, "drivers+=windows/x64=m", `{"drivers":{"*":"driverless","windows/x64":"m"},"name":"q"}`, ""},
		{estate.Ref{List: "settings", Name: "continuity"}, ``, "probe_every=20s|return_over=0s|down_after=3", `{"down_after":3,"probe_every":"20s","return_over":"0s"}`, ""},
		{estate.Ref{List: "locations", Name: "ard"}, `{"path":"ard"}`, "cut=40d|title=Ardholm, the harbour", `{"cut":"40d","path":"ard","title":"Ardholm, the harbour"}`, ""},
	} {
		next, emptied, err := Assign(c.of, json.RawMessage(c.before), strings.Split(c.words, "|"))
		if err != nil || string(next) != c.after || strings.Join(emptied, " ") != c.emptied {
			t.Errorf("%s, %s:\n%s\n%s %v %v", c.before, c.words, next, c.after, emptied, err)
		}
	}
	for words, want := range map[string]string{"title": "write KEY=VALUE", "tittle=x": "did you mean title?",
		"name=x": "copy it under the new name", "nearest=few": "write a whole number", "insist=perhaps": "write yes or no",
		"title+=x": "write title=x", "to.x=y": "write to=VALUE", "open=always": "days and hours"} {
		_, _, err := Assign(grant, json.RawMessage(`{"name":"g"}`), []string{words})
		if f := fault.As(err); f == nil || f.Code != "assignment-invalid" || !strings.Contains(f.Fix, want) {
			t.Errorf("%s: %v", words, err)
		}
	}
	for words, want := range map[string]string{"access=x": "access.allow", "access.alow=x": "allow", "paths=printer:x": "device:NAME"} {
		_, _, err := Assign(queue, json.RawMessage(`{"name":"q"}`), []string{words})
		if f := fault.As(err); f == nil || !strings.Contains(f.Fix, want) {
			t.Errorf("%s: %v", words, err)
		}
	}
	if _, _, err := Assign(estate.Ref{List: "queus", Name: "q"}, nil, nil); fault.As(err).Fix != "did you mean queues?" {
		t.Error(err)
	}
	if _, _, err := Assign(estate.Ref{List: "settings", Name: "agent"}, nil, nil); fault.As(err).Code != "setting-unknown" {
		t.Error(err)
	}
}

// everything has each key of each list.
const everything = `
estate: 1
locations: [{path: ard, title: A, timezone: Europe/Oslo, cut: 40d, note: n}, {path: ard/hall}]
subnets: [{cidr: 10.1.0.0/16, location: ard/hall, note: "a; b, c"}]
stations: [{name: till, title: T, addresses: [10.1.2.3, "fd00::1"], location: ard, platform: linux/x64, note: n}]
drivers: [{name: d, title: D, exact: "Exact  Name", platform: windows/x64, note: n}]
servers: [{name: s1, title: S, uri: "ipp://s1.example/", queue_root: "", location: ard, note: n}, {name: s2, uri: "ipp://s2.example/"}]
server_sets: [{name: pair, title: P, style: standby, members: [s1, s2], note: n}]
devices: [{name: p, title: P, uri: "ipp://192.0.2.1/ipp/print", mac: "02:00:5e:10:00:10", address_kept_by: static, location: ard, note: n}]
queues:
  - {name: q, title: Q, formerly: [old], location: ard/hall, labels: [a4, mono], devices: [p], paths: [{device: p, at: ["location:ard"],
    sessions: [desktop]}, {set: pair, remote_name: "Hall Mono"}, {gateway: true}], drivers: {"*": driverless, windows/x64: d},
    defaults: {sides: one-sided, copies: 2}, access: {allow: ["group:a"], deny: ["user:b"]}, open: [{days: [mon], from: "08:00",
    to: "17:00"}], jobs: {take: hold, release_at: [p, "within:ard"], expires: 48h, copies_for: 2h, outside_hours: wait, charge: optional}, listed: true, note: n}
grants:
  - {name: g, title: G, effect: place, queues: [q], nearest: 1, to: ["group:a"], except: ["user:b"], at: ["location:ard"], on:
    ["machine:m"], sessions: [desktop], platforms: [windows/x64], open: [{from: "08:00", to: "17:00"}], default: 5, insist: true,
    if_removed: leave, note: n}
promises: [{name: pr, title: P, context: {user: mira, machine: till, host: rds, addresses: [10.1.2.3], location: ard, session: remote,
    platform: linux/x64, time: "2026-11-23T10:00:00Z"}, receives: [q], default: q, note: n}, {name: no, context: {user: x}, never: [old]}]
charges: [{name: c, title: C, to: ["group:a"], note: n}]
allowances: [{name: al, title: A, formerly: [was], to: ["unit:staff"], queues: [q, "label:a4"], pages: 20, every: week, over: hold, note: n}]
notices: [{name: n, about: [servers], at: ["location:ard"], after: 10m, again: 24h, tell: ["mail:a@b.example"], owners: true}]
`

func parsed(t *testing.T, text string) *estate.Document {
	t.Helper()
	d, err := estate.Parse([]document.File{{Name: "e", Text: text}}, estate.Options{})
	if err != nil {
		t.Fatal(err, fault.As(err).Details)
	}
	return d
}

func objects(t *testing.T, d *estate.Document, list string) (out []json.RawMessage, find func(string) json.RawMessage) {
	t.Helper()
	by := map[string]json.RawMessage{}
	for _, r := range d.Refs() {
		if r.List != list {
			continue
		}
		b, err := json.Marshal(d.Find(r))
		if err != nil {
			t.Fatal(err)
		}
		out, by[r.Name] = append(out, b), b
	}
	return out, func(name string) json.RawMessage { return by[name] }
}

// TestTables: a table says what its objects say, changes nothing as it is, and where there is nothing makes them all.
func TestTables(t *testing.T) {
	t.Parallel()
	d := parsed(t, everything)
	for _, list := range estate.Lists() {
		if list == "settings" {
			continue
		}
		all, find := objects(t, d, list)
		if len(all) == 0 {
			t.Fatal(list)
		}
		text, err := ObjectTable(list, all)
		if err != nil {
			t.Fatal(err)
		}
		edits, err := ObjectEdits(list, find, "t.csv", text)
		if err != nil {
			t.Fatal(list, err, fault.As(err).Details)
		}
		changes, err := estate.ParseEdits(edits, d, d, estate.Options{})
		if err != nil {
			t.Fatal(list, err)
		}
		for _, c := range changes {
			if !reflect.DeepEqual(c.Before, c.After) {
				t.Errorf("%s as it is changes %+v to %+v", list, c.Before, c.After)
			}
		}
		// On an estate without the list, all of them are made; only the conditions of paths have no room in a table.
		fresh, err := ObjectEdits(list, func(string) json.RawMessage { return nil }, "t.csv", text)
		if err != nil || len(fresh) != len(all) {
			t.Fatal(list, err)
		}
		made, err := estate.ParseEdits(fresh, d, d, estate.Options{})
		if err != nil {
			t.Fatal(list, err)
		}
		for _, c := range made {
			want := c.Before
			if q, ok := want.(*estate.Queue); ok {
				other := *q
				other.Paths = append([]estate.Path{{Device: "p"}}, q.Paths[1:]...)
				want = &other
			}
			if !reflect.DeepEqual(c.After, want) {
				t.Errorf("%s: made %+v of %+v", list, c.After, c.Before)
			}
		}
	}
}

// TestKeys: each list has keys, its name among them, and each key a shape that says how it is written.
func TestKeys(t *testing.T) {
	t.Parallel()
	lists := map[string]bool{}
	for _, k := range AllKeys() {
		lists[k.List] = true
		if len(k.Keys) < 3 || k.List != "settings" && find(k.Keys, k.By) == nil {
			t.Errorf("%s %s: %+v", k.List, k.Name, k.Keys)
		}
	}
	if len(lists) != len(estate.Lists()) || Keys(estate.Ref{List: "settings", Name: "x"}) != nil {
		t.Error(lists)
	}
	queue := Keys(estate.Ref{List: "queues"})
	for name, want := range map[string]Shape{"title": Text, "labels": Words, "paths": Paths, "open": Windows, "drivers": Pairs,
		"access": Group, "paused": Flag} {
		if k := find(queue, name); k == nil || k.Shape != want {
			t.Errorf("%s: %+v", name, k)
		}
	}
	if k := find(Keys(estate.Ref{List: "grants"}), "default"); k.Shape != Number {
		t.Errorf("%+v", k)
	}
}

func TestTableProblems(t *testing.T) {
	t.Parallel()
	d := parsed(t, everything)
	_, find := objects(t, d, "stations")
	edits, err := ObjectEdits("stations", find, "t.csv", "name,title,remove\ntill,New,\ntill,Again,\n,None,\nx,X,perhaps\n")
	f := fault.As(err)
	if f == nil || len(f.Details) != 3 || len(edits) != 1 || f.Details[0].Place != "t.csv:3" ||
		!strings.Contains(f.Details[2].What, "neither yes nor no") {
		t.Errorf("%+v %+v", f, edits)
	}
	edits, err = ObjectEdits("stations", find, "t.csv", "name,remove\ntill,yes\n")
	if err != nil || len(edits) != 1 || !edits[0].Remove {
		t.Errorf("%+v %v", edits, err)
	}
	if _, err := ObjectEdits("stations", find, "t.csv", "name,adress\ntill,x\n"); fault.As(err).Fix != "did you mean addresses?" {
		t.Error(err)
	}
	if _, err := ObjectTable("settings", nil); err == nil {
		t.Error("settings have no table")
	}
}
