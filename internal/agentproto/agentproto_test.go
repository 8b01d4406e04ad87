package agentproto

import (
	"testing"
	"time"
)

// TestVectors holds the contract's headers to their letters: agents of other ages read them too.
func TestVectors(t *testing.T) {
	t.Parallel()
	if Prefer(55*time.Second) != "wait=55" || Quote("abc") != `W/"abc"` || LineupsPath != "/api/v1/lineups/batch" || ReportPath != "/api/v1/endpoints/report" || Version != 1 {
		t.Error("the contract has changed: make it another version")
	}
	for header, want := range map[string]time.Duration{"wait=55": 55 * time.Second, "respond-async, wait=10": 10 * time.Second, `Wait="7"; x=y`: 7 * time.Second, "wait=999999999": MaxWait,
		"": 0, "wait": 0, "wait=": 0, "wait=-5": 0, "wait=soon": 0, "waiting=5": 0} {
		if got := ParsePrefer(header); got != want {
			t.Errorf("%q is %v, want %v", header, got, want)
		}
	}
	for header, want := range map[string]string{`W/"abc"`: "abc", `"abc"`: "abc", " abc ": "abc", "": ""} {
		if got := TagOf(header); got != want {
			t.Errorf("%q is %q, want %q", header, got, want)
		}
	}
}
