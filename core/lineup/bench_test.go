package lineup_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
)

// demoWorld is Skerry Line.
func demoWorld(b *testing.B) *lineup.World {
	b.Helper()
	var files []document.File
	names, err := filepath.Glob("../../demo/estate/*.yaml")
	if err != nil || len(names) == 0 {
		b.Fatal("no demo estate", err)
	}
	for _, n := range append(names, "../../demo/directory.yaml") {
		text, err := os.ReadFile(n)
		if err != nil {
			b.Fatal(err)
		}
		files = append(files, document.File{Name: n, Text: string(text)})
	}
	doc, err := estate.Parse(files[:len(files)-1], estate.Options{})
	if err != nil {
		b.Fatal(err)
	}
	records, err := directory.Parse(files[len(files)-1:])
	if err != nil {
		b.Fatal(err)
	}
	return lineup.Bind(lineup.Compile(doc, 1, lineup.Options{}), directory.New(records), live.State{})
}

// BenchmarkResolveDemo resolves one context on the demo estate; the bar is 10 µs.
func BenchmarkResolveDemo(b *testing.B) {
	w := demoWorld(b)
	var s lineup.Scratch
	for name, q := range map[string]string{
		"clerk-at-a-till": `{"user":"mira.solvang","machine":"till-07","addresses":["10.40.8.77"],"platform":"windows/x64"}`,
		"nobody":          `{"addresses":["192.0.2.1"]}`,
		"remote-session":  `{"user":"jens.kolt","host":"rd-host-1","machine":"goods-in-scanner","session":"remote","addresses":["10.43.8.31"],"platform":"windows/x64"}`,
	} {
		c := context(b, q)
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, err := w.Resolve(c, &s); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// BenchmarkBindDemo is what a change of the live state costs before the first answer.
func BenchmarkBindDemo(b *testing.B) {
	w := demoWorld(b)
	for b.Loop() {
		lineup.Bind(w.Estate, w.Directory, live.State{})
	}
}

// BenchmarkResolveGrants shows that the cost follows the grants that concern a person, not those that there are.
func BenchmarkResolveGrants(b *testing.B) {
	for _, n := range []int{100, 1000, 10000} {
		d := &estate.Document{Estate: 1, Devices: []estate.Device{{Name: "p", URI: "ipp://192.0.2.1/"}}}
		var r directory.Records
		for i := range n {
			q := fmt.Sprintf("q%d", i)
			d.Queues = append(d.Queues, estate.Queue{Name: q, Devices: []string{"p"}, Paths: []estate.Path{{Device: "p"}}})
			d.Grants = append(d.Grants, estate.Grant{Name: "g" + q, Effect: estate.Place, Queues: []string{q},
				To: []string{fmt.Sprintf("group:g%d", i)}})
			r.Groups = append(r.Groups, directory.Group{Name: fmt.Sprintf("g%d", i),
				Members: []string{fmt.Sprintf("user:u%d", i%10)}})
			if i >= 50 {
				r.Groups[i].Members = nil
			}
		}
		w := lineup.Bind(lineup.Compile(d, 1, lineup.Options{}), directory.New(r), live.State{})
		c := context(b, `{"user":"u3"}`)
		var s lineup.Scratch
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				l, err := w.Resolve(c, &s)
				if err != nil || len(l.Entries) != 5 {
					b.Fatal(len(l.Entries), err)
				}
			}
		})
	}
}
