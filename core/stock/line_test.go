package stock_test

import (
	"testing"

	"cirque/core/stock"
)

func TestNewLine(t *testing.T) {
	t.Parallel()
	for uri, want := range map[string]struct {
		port int
		of   string
		all  int
	}{
		"ipp://d.example/ipp/print": {631, "IPP", 4}, "ipps://d.example:8443/": {8443, "IPP", 5},
		"socket://10.1.0.9": {9100, "raw printing", 4}, "lpd://d.example/q": {515, "LPD", 4},
		"https://d.example/": {443, "IPP", 4},
	} {
		l := stock.NewLine(stock.KindDevice, "d", uri)
		first := l.Ports[0]
		if first.Port != want.port || first.For != want.of || !first.Needed || len(l.Ports) != want.all || l.Host == "" {
			t.Errorf("%s: %+v", uri, l)
		}
		for _, p := range l.Ports[1:] {
			if p.Needed {
				t.Errorf("%s: nothing leads to %d", uri, p.Port)
			}
		}
	}
	l := stock.NewLine(stock.KindServer, "s", "ipp://s.example/")
	for state, works := range map[string]bool{"open": true, "refused": false, "silent": false, "not-tried": false} {
		l.Resolved, l.Ports[0].State = "yes", state
		if l.Works() != works {
			t.Errorf("%s: %v", state, l.Works())
		}
	}
	l.Resolved, l.Ports[0].State = "no", "open"
	if l.Works() {
		t.Error("a name that leads nowhere works")
	}
}
