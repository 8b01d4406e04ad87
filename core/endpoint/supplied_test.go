package endpoint_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/name"
)

func supplier(t *testing.T) endpoint.Supplier {
	t.Helper()
	doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: `
estate: 1
locations: [{path: ard}, {path: ard/quay}, {path: bran}]
subnets: [{cidr: 10.1.0.0/16, location: ard/quay}, {cidr: 10.2.0.0/16, location: bran}]
stations: [{name: till-07, addresses: [10.2.0.7], platform: linux/x64}, {name: bare}]
`}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	d := directory.New(directory.Records{
		Users:    []directory.User{{Name: "mira.solvang"}, {Name: "ragna.holm"}},
		Groups:   []directory.Group{{Name: "temps", Members: []string{"user:temp.one"}}},
		Machines: []directory.Machine{{Name: "desk-112", Platform: "windows/x64", Location: "ard"}, {Name: "desk-113"}}})
	mira, temp, desk, host, virtual := "mira.solvang", "temp.two", "desk-112", "rds-1", "virtual"
	at := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	records := map[string]*endpoint.Record{
		"desk-112": {LastSeen: at, Report: endpoint.Report{Machine: desk, Platform: "windows/arm64", Contexts: []lineup.Query{
			{Machine: &desk, Addresses: []string{"10.1.0.12"}},
			{Machine: &desk, User: &mira, Addresses: []string{"10.1.0.13"}, Session: &virtual, Host: &host}}}},
		"rds-1": {LastSeen: at, Report: endpoint.Report{Machine: host, Platform: "windows/x64"}}}
	return endpoint.Supplier{World: lineup.Bind(lineup.Compile(doc, 1, lineup.Options{}), d, live.State{}),
		Reported: func(m string) *endpoint.Record { return records[m] },
		Seen:     func(u string) bool { return u == name.Fold(temp) }}
}

// TestSupply: what is known of a machine is added with where it comes from, and nothing that was given is altered.
func TestSupply(t *testing.T) {
	t.Parallel()
	s := supplier(t)
	const ago = ", by the report of 3 min ago"
	now := time.Date(2026, 11, 23, 9, 3, 0, 0, time.UTC)
	for says, c := range map[string]struct {
		user, machine, host, platform, session string
		addresses                              []string
		want                                   string
	}{
		"a reporting machine": {machine: "DESK-112",
			want: "platform windows/arm64" + ago + "; addresses 10.1.0.12" + ago + " @ard"},
		"with its person": {user: "mira.solvang", machine: "desk-112", want: "session virtual" + ago + "; host rds-1" + ago +
			"; platform windows/x64" + ago + "; addresses 10.1.0.13" + ago + " @ard"},
		"with another person": {user: "ragna.holm", machine: "desk-112",
			want: "platform windows/arm64" + ago + "; addresses 10.1.0.12" + ago + " @ard"},
		"all given": {user: "mira.solvang", machine: "desk-112", platform: "macos/arm64", session: "desktop",
			addresses: []string{"10.2.0.9"}, want: "@ard"},
		"a station": {machine: "till-07",
			want: "platform linux/x64, by the estate's station; addresses 10.2.0.7, by the estate's station @bran"},
		"a station by its address": {addresses: []string{"10.2.0.7"},
			want: "platform linux/x64, by the estate's station @bran"},
		"an address alone":      {addresses: []string{"10.1.0.99"}, want: "@ard/quay"},
		"only in the directory": {machine: "desk-113", want: "@"},
		"a person alone":        {user: "mira.solvang", want: "@"},
		"seen somewhere":        {user: "temp.two", want: "@"},
		"named by a group":      {user: "temp.one", want: "@"},
		"nobody": {user: "mira.solvnag", want: "@ Nobody knows a person mira.solvnag: neither the directory nor any endpoint; " +
			"did you mean mira.solvang?"},
		"no machine": {machine: "till-70", want: "@ Nothing is known of a machine till-70: neither the directory, nor the " +
			"estate, nor an endpoint has it; did you mean till-07?"},
		"no host": {user: "mira.solvang", host: "xyz", session: "remote", want: "@ Nothing is known of a session host xyz: " +
			"neither the directory, nor the estate, nor an endpoint has it."},
	} {
		opt := func(s string) *string {
			if s == "" {
				return nil
			}
			return &s
		}
		q := lineup.Query{User: opt(c.user), Machine: opt(c.machine), Host: opt(c.host), Platform: opt(c.platform),
			Session: opt(c.session), Addresses: c.addresses}
		got := s.Supply(q)
		var parts, unknown []string
		for _, a := range got.Added {
			parts = append(parts, a.Sentence(now))
		}
		for _, u := range got.Unknown {
			unknown = append(unknown, u.Sentence())
		}
		text := strings.TrimSpace(strings.Join(parts, "; ") + " @" + got.Location + " " + strings.Join(unknown, " "))
		if text != c.want {
			t.Errorf("%s:\n%s\nwant:\n%s", says, text, c.want)
		}
		if _, err := got.Context.Context(now); err != nil {
			t.Errorf("%s cannot be asked: %v", says, err)
		}
	}
}
