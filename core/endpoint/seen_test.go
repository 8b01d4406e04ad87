package endpoint

import (
	"strings"
	"testing"

	"cirque/core/lineup"
)

func TestSeen(t *testing.T) {
	t.Parallel()
	host := "host-1"
	for says, c := range map[string]struct {
		from string
		own  []string
		host *string
		want string
	}{
		"the same":  {"10.1.0.7", []string{"10.9.0.1", "10.1.0.7"}, nil, ""},
		"mapped":    {"::ffff:10.1.0.7", []string{"10.1.0.7"}, nil, ""},
		"loopback":  {"127.0.0.1", []string{"10.1.0.7"}, nil, ""},
		"not known": {"", []string{"10.1.0.7"}, nil, ""},
		"translated": {"192.0.2.9", []string{"10.1.0.7"}, nil, "come from 192.0.2.9, and its own addresses " +
			"are 10.1.0.7"},
		"none of its own": {"192.0.2.9", nil, nil, "reports no address"},
		"a session's":     {"10.1.0.7", []string{"10.1.0.7"}, &host, "reports no address"},
	} {
		got := strings.Join(Seen(Record{SeenFrom: c.from, Report: Report{Contexts: []lineup.Query{{Host: c.host,
			Addresses: c.own}}}}), "; ")
		if (c.want == "") != (got == "") || !strings.Contains(got, c.want) {
			t.Errorf("%s: %q", says, got)
		}
	}
}
