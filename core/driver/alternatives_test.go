package driver

import (
	"slices"
	"strings"
	"testing"
	"time"
)

// TestAlternatives: what is remembered of a model decides the order before all else; what a device does not take is not
// offered.
func TestAlternatives(t *testing.T) {
	t.Parallel()
	choices := []Choice{{Exact: "Mono 40 PCL6", Fits: true, Packages: []string{"a"}}, {Exact: "Mono 40 PS", Fits: true,
		Packages: []string{"a"}}, {Exact: "Wide 90", Packages: []string{"a"}}, {Exact: "Only on a server", Fits: true}}
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	saw := func(driver, result string, minute int) Seen {
		return Seen{Driver: driver, Result: result, At: at.Add(time.Duration(minute) * time.Minute)}
	}
	for says, c := range map[string]struct {
		formats []string
		now     string
		seen    []Seen
		want    string
	}{
		"nothing known":        {nil, "", nil, "Mono 40 PCL6, Mono 40 PS, driverless, plain"},
		"it takes raster only": {[]string{"image/pwg-raster"}, "", nil, "Mono 40 PCL6, Mono 40 PS, driverless"},
		"it takes neither":     {[]string{"application/octet-stream"}, "", nil, "Mono 40 PCL6, Mono 40 PS"},
		"what is there now counts": {[]string{"text/plain"}, "Odd name", nil, "Mono 40 PCL6, Mono 40 PS, " +
			"plain, Odd name"},
		"garbled goes last, good first": {nil, "", []Seen{saw("Mono 40 PCL6", "garbled", 0), saw("plain", "good", 1)},
			"plain, Mono 40 PS, driverless, Mono 40 PCL6"},
		"the latest word counts": {nil, "", []Seen{saw("Mono 40 PCL6", "garbled", 0), saw("Mono 40 PCL6", "good",
			2)}, "Mono 40 PCL6, Mono 40 PS, driverless, plain"},
		"a name of another model that went": {nil, "", []Seen{saw("Wide 90", "good", 0)}, "Wide 90, Mono 40 PCL6, Mono 40 " +
			"PS, driverless, plain"},
	} {
		var got []string
		for _, a := range Alternatives(choices, c.formats, c.now, c.seen) {
			got = append(got, a.Try)
			if a.Why == "" || a.Now != (a.Try == c.now) {
				t.Errorf("%s: %+v", says, a)
			}
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s: %s, want %s", says, strings.Join(got, ", "), c.want)
		}
	}
	twice := Alternatives(choices, nil, "", []Seen{saw("plain", "good", 0), saw("plain", "good", 1),
		saw("plain", "nothing", 2)})
	i := slices.IndexFunc(twice, func(a Alternative) bool { return a.Try == Plain })
	if !strings.HasPrefix(twice[i].Why, "came out well 2 times, nothing came out once; ") || twice[i].Last != "nothing" {
		t.Errorf("%+v", twice[i])
	}
}
