package readiness

import (
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// well is how it is while nothing is wrong, a moment ago.
func well() Facts {
	return Facts{Now: noon, AsOf: noon.Add(-2 * time.Second), Looked: noon.Add(-time.Second), DiskOf: "/data",
		DiskFree: 1 << 30, Seen: Database{Schema: 7, Knows: 7}}
}

func said(kind fault.Kind, code string) *fault.Error {
	return fault.New(kind, code, "mend it", "it is %s", code)
}

func TestOf(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		change func(f *Facts)
		codes  string
		writes bool
		says   string
	}{
		"well": {func(*Facts) {}, "", true, ""},
		"away": {func(f *Facts) { f.Failed = said(fault.Unavailable, "database-unavailable") }, Away, false,
			"it is database"},
		"refused":    {func(f *Facts) { f.Failed = said(fault.Unavailable, "database-refuses") }, Away, false, "refuses"},
		"no answer":  {func(f *Facts) { f.Failed = said(fault.Unavailable, Slow) }, Slow, false, "slow"},
		"not looked": {func(f *Facts) { f.Looked = noon.Add(-11 * time.Second) }, Away, false, "not answered for 11 s"},
		"read-only":  {func(f *Facts) { f.Seen.ReadOnly = true }, ReadOnly, false, "read-only"},
		"refuses it": {func(f *Facts) { f.Seen.Write = said(fault.Unavailable, ReadOnly) }, ReadOnly, false, "read-only"},
		"stands by":  {func(f *Facts) { f.Seen.Standby, f.Seen.Lag = true, 3*time.Second }, Behind, false, "3 s behind"},
		"full":       {func(f *Facts) { f.Seen.Write = said(fault.Unavailable, Full) }, Full, false, "full"},
		"no room":    {func(f *Facts) { f.Seen.Full = said(fault.Unavailable, Full) }, Full, false, "full"},
		"waits": {func(f *Facts) { f.Seen.Write, f.Seen.Waits = said(fault.Unavailable, Slow), true }, Slow, false,
			"standby"},
		"locked":      {func(f *Facts) { f.Seen.Write = said(fault.Unavailable, "database-busy") }, Slow, false, "busy"},
		"older":       {func(f *Facts) { f.Seen.Schema = 6 }, Schema, false, "schema 6"},
		"newer":       {func(f *Facts) { f.Seen.Schema = 8 }, Schema, true, "schema 8"},
		"disk":        {func(f *Facts) { f.DiskFree = 1 << 20 }, Disk, true, "1 MiB left"},
		"disk closed": {func(f *Facts) { f.DiskFailed = "read-only file system" }, Disk, true, "read-only file system"},
		"deaf":        {func(f *Facts) { f.AsOf = noon.Add(-11 * time.Second) }, Deaf, true, "so at 11:59:49Z; notices of"},
		"long deaf":   {func(f *Facts) { f.AsOf = noon.Add(-31 * time.Second) }, Deaf, false, "so at 11:59:29Z"},
		"leaderless": {func(f *Facts) {
			f.Seen.Leaderless, f.LeaderlessSince = []string{"health", "notices"}, noon.Add(-21*time.Second)
		}, Leader, true, "health, notices"},
		"being replaced": {func(f *Facts) {
			f.Seen.Leaderless, f.LeaderlessSince = []string{"health"}, noon.Add(-15*time.Second)
		}, "", true, ""},
		"away and old": {func(f *Facts) {
			f.Failed, f.AsOf = said(fault.Unavailable, "database-unavailable"), noon.Add(-time.Minute)
		}, Away, false, "so at 11:59:00Z; it is database"},
		"two at once": {func(f *Facts) { f.Seen.ReadOnly, f.DiskFree = true, 0 }, ReadOnly + " " + Disk, false, "read-only"},
	} {
		f := well()
		c.change(&f)
		list := Of(f)
		var codes []string
		for _, one := range list {
			codes = append(codes, one.Code)
			if one.Says == "" || one.Fix == "" {
				t.Errorf("%s: %+v says too little", name, one)
			}
			if !slices.Contains(Codes(), one.Code) {
				t.Errorf("%s: %q is no code", name, one.Code)
			}
		}
		if strings.Join(codes, " ") != c.codes {
			t.Errorf("%s: %v", name, codes)
			continue
		}
		if r := Sum(f, list); r.Writing != c.writes || !r.Ready || len(list) > 0 && !strings.Contains(r.Sentence(), c.says) {
			t.Errorf("%s: %+v", name, r)
		}
	}
}

// TestKeep: a condition says since when it has been so, not when it was last looked.
func TestKeep(t *testing.T) {
	t.Parallel()
	first := Keep(nil, []Condition{{Code: Away}}, noon)
	second := Keep(first, []Condition{{Code: Disk}, {Code: Away}}, noon.Add(time.Minute))
	if !second[1].Since.Equal(noon) || !second[0].Since.Equal(noon.Add(time.Minute)) {
		t.Errorf("%+v", second)
	}
}

// TestEveryCode: the description of the API lists each.
func TestEveryCode(t *testing.T) {
	t.Parallel()
	for _, c := range Codes() {
		if c == "" || strings.ToLower(c) != c {
			t.Errorf("%q", c)
		}
	}
}
