package stock

import (
	"testing"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

// TestLinesOfTheEstate: servers, devices and each member of a set are tried; others are not, nor by whoever may not.
func TestLinesOfTheEstate(t *testing.T) {
	t.Parallel()
	r, _ := furnish(t)
	got, err := TestLines(t.Context(), r, keeper, stock.KindDevice, "lift")
	if err != nil || len(got) != 1 || got[0].Host != "192.0.2.9" || !got[0].Works() {
		t.Errorf("%+v %v", got, err)
	}
	for _, of := range [][2]string{{stock.KindServer, "nowhere"}, {"set", "nowhere"}} {
		if _, err := TestLines(t.Context(), r, keeper, of[0], of[1]); !fault.Is(err, fault.Unknown) {
			t.Errorf("%v: %v", of, err)
		}
	}
	if _, err := TestLines(t.Context(), r, rooms.Who(access.HelpDesk), stock.KindServer, "ps-1"); !fault.Is(err,
		fault.Denied) {
		t.Errorf("who may not did: %v", err)
	}
	r.cfg.Prober = nil
	if _, err := TestLines(t.Context(), r, keeper, stock.KindServer, "ps-1"); !fault.Is(err, fault.Unavailable) {
		t.Errorf("without probing: %v", err)
	}
}
