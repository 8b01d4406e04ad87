package lineup_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"cirque/core/lineup"
)

func TestAddresses(t *testing.T) {
	t.Parallel()
	w := world(t, `
estate: 1
locations: [{path: a}, {path: a/hall}]
subnets: [{cidr: 10.0.0.0/8, location: a}, {cidr: 10.40.8.0/22, location: a/hall}, {cidr: "fd00::/8", location: a}]
stations: [{name: till, addresses: [10.40.8.77]}]
queues: [{name: q, paths: [{gateway: true}]}]
grants:
  - {name: g, effect: place, queues: [q], at: ["range:10.40.8.70-10.40.8.80"]}
  - {name: h, effect: place, queues: [q], at: ["subnet:10.40.8.0/22", "location:a/hall"], except: ["subnet:192.0.2.0/24"]}
`, "directory: 1\nusers: [{name: mira}]\n")
	var got []string
	for _, s := range lineup.Spans(w.Estate.Document()) {
		got = append(got, fmt.Sprint(s.Written, " ", s.Kind, " ", s.Location, " ", s.Grants, " in ", s.Within))
	}
	want := []string{"10.0.0.0/8 subnet a [] in ", "10.40.8.0/22 subnet a/hall [h] in 10.0.0.0/8",
		"10.40.8.70-10.40.8.80 condition  [g] in 10.40.8.0/22", "10.40.8.77 station  [] in 10.40.8.70-10.40.8.80",
		"192.0.2.0/24 condition  [h] in ", "fd00::/8 subnet a [] in "}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	for address, want := range map[string]string{
		"10.40.8.77":  "a/hall till 4 [g h]",
		"10.40.11.99": "a/hall  2 [h]",
		"10.9.9.9":    "a  1 []",
		"192.0.2.1":   "  1 []",
		"fd00::1":     "a  1 []",
		"203.0.113.1": "  0 []",
	} {
		told, err := lineup.TellAddress(w, netip.MustParseAddr(address))
		if got := fmt.Sprint(told.Location, " ", told.Machine, " ", len(told.Spans), " ", told.Grants); err != nil || got != want {
			t.Errorf("%s: %s, want %s (%v)", address, got, want, err)
		}
	}
}
