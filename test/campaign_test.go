package test

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"
)

// whole says whether a campaign is run in full, by hand (make campaign); else a small one of its kind is run, to see that
// it works and that what does not depend on size holds.
func whole() bool { return os.Getenv("CIRQUE_CAMPAIGN") == "whole" }

// A campaign writes down what it did and saw.
type campaign struct {
	t    testing.TB
	name string
	text strings.Builder
}

func newCampaign(t testing.TB, name, about string) *campaign {
	c := &campaign{t: t, name: name}
	c.say("# %s\n\n%s\n", name, about)
	c.say("Run on %s with %d cores, %s, by `make campaign NAME=%s`.\n", time.Now().UTC().Format(time.DateOnly),
		runtime.NumCPU(), runtime.Version(), name)
	return c
}

// say writes a line.
func (c *campaign) say(format string, args ...any) {
	fmt.Fprintf(&c.text, format+"\n", args...)
	if whole() {
		fmt.Fprintf(os.Stderr, format+"\n", args...) // long work shows how far it is
	}
}

// keep puts what was seen beside the others' results, where the campaign was whole.
func (c *campaign) keep() {
	c.t.Log("\n" + c.text.String())
	if !whole() {
		return
	}
	dir := filepath.Join("..", "docs", "reference", "campaigns")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		c.t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, c.name+".md"), []byte(c.text.String()), 0o644); err != nil {
		c.t.Fatal(err)
	}
}

// quantile gives the time within which a part of them lie.
func quantile(times []time.Duration, part float64) time.Duration {
	if len(times) == 0 {
		return 0
	}
	s := slices.Sorted(slices.Values(times))
	return s[min(len(s)-1, int(part*float64(len(s))))]
}
