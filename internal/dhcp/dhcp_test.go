package dhcp

import (
	"fmt"
	"slices"
	"testing"
)

func TestRoundTrip(t *testing.T) {
	t.Parallel()
	in := []Subnet{{"10.2.0.0/16", []Host{{"02:00:5e:10:00:02", []string{"10.2.0.9"}, "pier"}}},
		{"10.1.0.0/16", []Host{{"02:00:5e:10:00:01", []string{"10.1.0.9", "10.1.0.10"}, ""}}}}
	beside := []Host{{"02:00:5e:10:00:03", []string{"192.0.2.9"}, "far"}}
	text, err := AppendV4(nil, in, beside)
	if err != nil {
		t.Fatal(err)
	}
	list, err := Parse(string(text))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, p := range list {
		got = append(got, fmt.Sprint(p.Place, " ", p.MAC, " ", p.Addresses, " ", p.Name))
	}
	if want := []string{"reservation 1 02:00:5e:10:00:03 [192.0.2.9] far",
		"10.1.0.0/16, reservation 1 02:00:5e:10:00:01 [10.1.0.9] ", "10.1.0.0/16, reservation 2 02:00:5e:10:00:01 " +
			"[10.1.0.10] ",
		"10.2.0.0/16, reservation 1 02:00:5e:10:00:02 [10.2.0.9] pier"}; !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

func TestParse(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		`[{"hw-address":"a","ip-address":"1"}]`:                                                                      "[{{a [1] } reservation 1}]",
		`{"reservations":[{"hw-address":"a","ip-addresses":["1","2"]}]}`:                                             "[{{a [1 2] } reservation 1}]",
		`{"Dhcp6":{"subnet6":[{"subnet":"x","reservations":[{"hw-address":"a","ip-address":"1","hostname":"h"}]}]}}`: "[{{a [1] h} x, reservation 1}]",
		`[{"hw-address":"a"},{"ip-address":"1"}]`:                                                                    "[]",
		`{}`: "[]",
	} {
		if got, err := Parse(text); err != nil || fmt.Sprint(got) != want {
			t.Errorf("%s: %v %v, want %s", text, got, err, want)
		}
	}
	for _, bad := range []string{`{"Dhcp4": [}`, `{"Dhcp4": {"subnet4": "x"}}`, "", "[1]"} {
		if got, err := Parse(bad); err == nil {
			t.Errorf("%q: %v", bad, got)
		}
	}
}

// FuzzParse: what is read is written and read again as it was.
func FuzzParse(f *testing.F) {
	f.Add(`{"Dhcp4":{"subnet4":[{"subnet":"10.0.0.0/8","reservations":[{"hw-address":"02:00:5e:10:00:01","ip-address":"10.1.0.1"}]}]}}`)
	f.Fuzz(func(t *testing.T, text string) {
		list, err := Parse(text)
		if err != nil {
			return
		}
		var hosts []Host
		n := 0
		for _, p := range list {
			hosts = append(hosts, p.Host)
			n += len(p.Addresses)
		}
		out, err := AppendV4(nil, nil, hosts)
		if err != nil {
			t.Fatal(err)
		}
		if back, err := Parse(string(out)); err != nil || len(back) != n {
			t.Fatalf("%d addresses became %d: %v", n, len(back), err)
		}
	})
}
