package agentproto

import (
	"crypto/ed25519"
	"testing"
	"time"
)

// TestVectors holds the contract's headers to their letters: agents of other ages read them too.
func TestVectors(t *testing.T) {
	t.Parallel()
	if Prefer(55*time.Second) != "wait=55" || Quote("abc") != `W/"abc"` || LineupsPath != "/api/v1/lineups/batch" ||
		ReportPath != "/api/v1/endpoints/report" || Version != 1 {
		t.Error("the contract has changed: make it another version")
	}
	for header, want := range map[string]time.Duration{"wait=55": 55 * time.Second,
		"respond-async, wait=10": 10 * time.Second, `Wait="7"; x=y`: 7 * time.Second, "wait=999999999": MaxWait,
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

func TestPace(t *testing.T) {
	t.Parallel()
	p := Pace{Wait: 30 * time.Second, Report: time.Minute, Gap: 10 * time.Second}
	if got := ParsePace(p.String(), DefaultPace); got != p {
		t.Error(got)
	}
	if got := ParsePace("wait=0, report=-5,gap=x, nap=3, wait=999999999999999999999", p); got != p {
		t.Error(got)
	}
	if got := ParsePace("gap=7", p); got.Gap != 7*time.Second || got.Wait != p.Wait {
		t.Error(got)
	}
}

// TestSigned: an answer's signature holds for that answer alone.
func TestSigned(t *testing.T) {
	t.Parallel()
	public, private, err := ed25519.GenerateKey(nil)
	if err != nil {
		t.Fatal(err)
	}
	other, _, err := ed25519.GenerateKey(nil)
	if err != nil {
		t.Fatal(err)
	}
	h := Sign(private, "n", []byte("desk-1"), "tag", []byte("body"))
	if !Verify(ReadKey(WriteKey(public)), h, "n", []byte("desk-1"), "tag", []byte("body")) {
		t.Error("its own signature does not hold")
	}
	for says, ok := range map[string]bool{
		"another nonce":          Verify(public, h, "m", []byte("desk-1"), "tag", []byte("body")),
		"another question":       Verify(public, h, "n", []byte("desk-2"), "tag", []byte("body")),
		"another tag":            Verify(public, h, "n", []byte("desk-1"), "tug", []byte("body")),
		"another body":           Verify(public, h, "n", []byte("desk-1"), "tag", []byte("body.")),
		"parts that are shifted": Verify(public, h, "", []byte("n"+"desk-1"), "tag", []byte("body")),
		"another key":            Verify(other, h, "n", []byte("desk-1"), "tag", []byte("body")),
		"no key":                 Verify(ReadKey("nonsense"), h, "n", []byte("desk-1"), "tag", []byte("body")),
		"no signature":           Verify(public, "", "n", []byte("desk-1"), "tag", []byte("body")),
	} {
		if ok {
			t.Errorf("%s: it holds all the same", says)
		}
	}
}
