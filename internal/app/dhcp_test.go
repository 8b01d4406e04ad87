package app

import (
	"net/netip"
	"slices"
	"testing"

	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

// TestReservationsComeBack: what is written for a DHCP server is read back as it was, by the estate's subnets.
func TestReservationsComeBack(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, worlds.Harbour)
	var list []stock.Reservation
	for i, a := range []string{"10.1.0.11", "10.1.8.7", "10.2.0.3", "192.0.2.9"} {
		list = append(list, stock.Reservation{MAC: "02:00:5e:10:00:0" + string(rune('1'+i)),
			Address: netip.MustParseAddr(a), Name: "d"})
	}
	v6 := stock.Reservation{MAC: "02:00:5e:10:00:09", Address: netip.MustParseAddr("fd00::9")}
	text, err := reservations{}.Write(stock.BySubnet(doc, append(slices.Clone(list), v6)))
	if err != nil {
		t.Fatal(err)
	}
	back, err := stock.ParseReservations("dhcp.json", text, reservations{}.Read)
	if err != nil {
		t.Fatal(err)
	}
	slices.SortFunc(back, func(a, b stock.Reservation) int { return a.Address.Compare(b.Address) })
	if !slices.Equal(back, list) {
		t.Errorf("%+v\n%s", back, text)
	}
	for _, bad := range []string{`{"Dhcp4": [}`, `{"Dhcp4": {"subnet4": "x"}}`,
		`{"reservations":[{"hw-address":"q","ip-address":"1"}]}`} {
		if list, err := stock.ParseReservations("r", bad, reservations{}.Read); err == nil {
			t.Errorf("%s is taken: %v", bad, list)
		}
	}
}
