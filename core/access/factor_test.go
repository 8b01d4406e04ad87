package access

import (
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

func codeOf(err error) string {
	if err == nil {
		return ""
	}
	return fault.As(err).Code
}

// TestOwes: whoever lacks a demanded second factor may do nothing at all but set one up, whatever they hold.
func TestOwes(t *testing.T) {
	t.Parallel()
	for _, r := range Roles() {
		p := &Principal{Name: "p", Role: r, Owes: true, Also: []Holding{{Role: Owner}}}
		if got := p.Actions(); !slices.Equal(got, []Action{OwnFactors}) {
			t.Errorf("%s may %v", r, got)
		}
		for _, a := range slices.Concat(reads, atSites, everywhere, own) {
			want := "second-factor-demanded"
			if a == OwnFactors {
				want = ""
			}
			if got := codeOf(Check(p, a)); got != want || want != "" && (p.MayAt(a, "") || p.MayAt(a, "brannoy")) {
				t.Errorf("%s to %s: %q", r, a, got)
			}
		}
	}
}

func TestDemanded(t *testing.T) {
	t.Parallel()
	roles := []string{"owner", "auditor"}
	for _, c := range []struct {
		a    Account
		want bool
	}{
		{Account{Role: Owner}, true}, {Account{Role: Auditor}, true}, {Account{Role: HelpDesk}, false},
		{Account{Role: Owner, Emergency: true}, false}, {Account{Source: "head-office", Role: Owner}, false},
	} {
		if Demanded(c.a, roles) != c.want || Demanded(c.a, nil) {
			t.Errorf("%+v: %v", c.a, !c.want)
		}
	}
}

func TestCheckProven(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		p    *Principal
		code string
	}{
		{nil, ""}, {&Principal{Token: true}, ""}, {&Principal{Proven: now.Add(-15 * time.Minute)}, ""},
		{&Principal{Proven: now.Add(-15*time.Minute - time.Second)}, "prove-again"},
		{&Principal{Token: true, Proven: now.Add(-time.Hour)}, ""},
	} {
		if got := codeOf(CheckProven(c.p, now, 15*time.Minute)); got != c.code {
			t.Errorf("%+v: %q", c.p, got)
		}
	}
}

func TestFactorNames(t *testing.T) {
	t.Parallel()
	for called, good := range map[string]bool{"phone": true, "key at the desk": true, "": false, " ": false,
		"a\x1b[1m":               false,
		strings.Repeat("x", 101): false} {
		if err := ValidFactorName(called); (err == nil) != good {
			t.Errorf("%q: %v", called, err)
		}
	}
}

// TestSignInRules: owners alone change of whom a second factor is demanded, when who they are is asked again, and where
// the audit is sent; the rest of the settings is an administrator's too.
func TestSignInRules(t *testing.T) {
	t.Parallel()
	parse := func(setting string) *estate.Document {
		text := "estate: 1\n"
		switch {
		case strings.HasPrefix(setting, "audit"):
			text += "settings: {" + setting + "}\n"
		case setting != "":
			text += "settings: {sign_in: " + setting + "}\n"
		}
		d, err := estate.Parse([]document.File{{Name: "e", Text: text}}, estate.Options{})
		if err != nil {
			t.Fatal(err, fault.As(err).Details)
		}
		return d
	}
	for _, c := range []struct {
		before, after string
		free          bool
	}{
		{"", "{idle: 30m}", true}, {"{second_factor: [owner]}", "{second_factor: [owner], idle: 30m}", true},
		{"", "{second_factor: [owner]}", false}, {"{second_factor: [owner]}", "", false},
		{"{second_factor: [owner, auditor]}", "{second_factor: [owner]}", false}, {"", "{again: 700m}", false},
		{"", `audit: {forward: "tls://a.example"}`, false}, {`audit: {forward: "tls://a.example"}`, "", false},
		{`audit: {forward: "tls://a.example"}`, `audit: {forward: "tls://b.example"}`, false},
	} {
		before, after := parse(c.before), parse(c.after)
		changes := estate.Changes(before, after)
		if got := codeOf(CheckChanges(&Principal{Role: Administrator}, Publish, before, after, changes)); got == "" !=
			c.free || got != "" && got != "not-allowed" {
			t.Errorf("%s to %s: %q", c.before, c.after, got)
		}
		if err := CheckChanges(&Principal{Role: Owner}, Publish, before, after, changes); err != nil {
			t.Error(err)
		}
	}
	if _, err := estate.Parse([]document.File{{Name: "e", Text: "estate: 1\nsettings: {sign_in: {second_factor: " +
		"[agent]}}"}},
		estate.Options{}); err == nil {
		t.Error("a second factor is demanded of agents")
	}
}
