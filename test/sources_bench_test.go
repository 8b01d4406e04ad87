package test

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/access"
	"cirque/core/directory"
	corepage "cirque/core/page"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/large"
	"cirque/internal/testkit"
)

// peak is the most memory that this process has had, in MB; the directory server and the database are others.
func peak(b testing.TB) float64 {
	text, err := os.ReadFile("/proc/self/status")
	if err != nil {
		b.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(text), "VmHWM:")
	var kB float64
	if _, err := fmt.Sscan(rest, &kB); err != nil {
		b.Fatal(err)
	}
	return kB / 1024
}

// BenchmarkSource reads a directory of 100,000 people, 5,000 nested groups and 20,000 machines for the first time, then
// what ten changes alter, each through the whole service: from asking for the pass until lineups follow it.
func BenchmarkSource(b *testing.B) {
	dir := testkit.NewSlapd(b, testkit.LDIF(large.Scale(100_000), large.Scale(5_000), large.Scale(20_000)))
	r, err := app.Start(b.Context(), app.Options{Data: b.TempDir(), AllowOutgoing: loopback,
		Database: testkit.Database(b), Listen: "127.0.0.1:0",
		PlainHTTP: true, Throwaway: true})
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = r.Stop() })
	_, secret, err := r.Service.Identity.MakeToken(b.Context(), owner, access.Token{Name: "bench",
		Role: access.Administrator})
	if err != nil {
		b.Fatal(err)
	}
	c, err := apiclient.New(r.URL, secret, nil)
	if err != nil {
		b.Fatal(err)
	}
	pass := func(kind string) (directory.Run, time.Duration) {
		begin := time.Now()
		run, err := apiclient.Post[directory.Run](b.Context(), c, "/api/v1/directory/sources/skerry/runs",
			api.NewRun{Kind: kind})
		for err == nil && !run.Over() {
			time.Sleep(5 * time.Millisecond)
			var list corepage.Page[directory.Run]
			if list, err = apiclient.Page[directory.Run](b.Context(), c, "/api/v1/directory/runs",
				url.Values{"limit": {"1"}}); err == nil {
				run = list.Items[0]
			}
		}
		if err != nil || run.State != directory.Done {
			b.Fatal(run, err)
		}
		return run, time.Since(begin)
	}
	l, err := ldap.DialURL(dir.URL)
	if err == nil {
		err = l.Bind(dir.Manager, dir.Password)
	}
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = l.Close() }()
	for n := 0; b.Loop(); n++ {
		if n > 0 {
			if err := c.Do(context.Background(), "DELETE", "/api/v1/directory/sources/skerry", url.Values{"rows": {"true"}}, nil,
				nil); err != nil {
				b.Fatal(err)
			}
		}
		if err := c.Do(b.Context(), "PUT", "/api/v1/directory/sources/skerry", nil, api.NewSource{URL: dir.URL,
			Base: dir.Base, Bind: dir.Manager, Password: &dir.Password}, nil); err != nil {
			b.Fatal(err)
		}
		run, whole := pass(directory.RunWhole)
		if run.Users != large.Scale(100_000) || run.Groups != large.Scale(5_000) || run.Machines != large.Scale(20_000) {
			b.Fatalf("%+v", run)
		}
		_, none := pass(directory.RunChanges)
		for i := range 10 {
			if err := l.Modify(&ldap.ModifyRequest{DN: fmt.Sprintf("uid=person-%d,ou=team-%d,ou=staff,%s", i, i%testkit.Teams(large.Scale(100_000)), dir.Base),
				Changes: []ldap.Change{{Operation: ldap.ReplaceAttribute, Modification: ldap.PartialAttribute{Type: "mail",
					Vals: []string{fmt.Sprintf("again-%d@skerry.example", n)}}}}}); err != nil {
				b.Fatal(err)
			}
		}
		run, ten := pass(directory.RunChanges)
		if run.Changed != 10 {
			b.Fatalf("%+v", run)
		}
		b.ReportMetric(whole.Seconds(), "s/whole")
		b.ReportMetric(none.Seconds(), "s/unchanged")
		b.ReportMetric(ten.Seconds(), "s/ten-changes")
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(peak(b), "MB-peak")
}
