package advert

import (
	"strings"
	"testing"
	"time"

	"cirque/core/stock"
)

// TestJudge: an entry is stale only where the server behind it was read and has no such queue; what nobody read is
// unknown.
func TestJudge(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	known := Known{Ours: func(dn string) bool { return dn == "printer-name=ours,dc=x" },
		Server: func(uri string) (Server, bool) {
			return Server{Name: "ps-1", At: now.Add(-time.Minute), Has: func(q string) bool { return q == "Hall Mono" }},
				stock.Authority(uri) == "ps-1.example:631"
		},
		Device: func(uri string) (string, bool) { return "hall-40", stock.Authority(uri) == "10.0.0.1:9100" }}
	for uri, want := range map[string]struct {
		state State
		says  string
	}{
		"ipp://PS-1.example/printers/Hall%20Mono":    {Leads, "ps-1 had the queue Hall Mono when it was read 1 min ago"},
		"ipp://ps-1.example:631/printers/Old":        {Gone, "ps-1 has no queue Old, by its reading of 1 min ago"},
		"http://ps-1.example/printers/Old":           {Unknown, "nobody has read"}, // port 80 is another
		"ipp://ps-9.example/printers/Old":            {Unknown, "nobody has read"},
		"socket://10.0.0.1":                          {Leads, "straight to the device hall-40"},
		"":                                           {Unknown, "names no address"},
		"ipps://ps-1.example:443/printers/Hall Mono": {Unknown, "nobody has read"},
	} {
		f := Found{DN: "printer-name=x,dc=x", URI: uri}
		if f.Judge(known, now); f.State != want.state || !strings.Contains(f.Says, want.says) {
			t.Errorf("%s: %+v", uri, f)
		}
	}
	f := Found{DN: "printer-name=ours,dc=x", URI: "ipp://ps-1.example/printers/Old"}
	if f.Judge(known, now); f.State != Ours {
		t.Errorf("%+v", f)
	}
}
