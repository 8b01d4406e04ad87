package estate

import "testing"

func TestHasSite(t *testing.T) {
	d := &Document{Locations: []Location{{Path: "berlin"}, {Path: "berlin/floor1"}, {Path: "wien/hall"}}}
	for site, want := range map[string]bool{"berlin": true, "wien": true, "berlin/floor1": false, "hall": false, "": false,
		"oslo": false} {
		if got := d.HasSite(site); got != want {
			t.Errorf("HasSite(%q) = %v", site, got)
		}
	}
}
