package access

import (
	"strings"
	"testing"
	"time"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

func TestCheck(t *testing.T) {
	t.Parallel()
	agent, admin := &Principal{Name: "till", Role: Agent, Machine: "Till-07"}, &Principal{Name: "mira",
		Role: Administrator}
	narrow := &Principal{Name: "olav", Role: Administrator, Sites: []string{"brannoy"}, Also: []Holding{{Role: Auditor}}}
	for _, c := range []struct {
		p    *Principal
		a    Action
		code string
	}{
		{nil, ReadEstate, "sign-in-needed"}, {&Principal{Name: "x", Role: "other"}, ReadEstate, "not-allowed"},
		{agent, Report, ""}, {agent, AskOwn, ""}, {agent, AskAny, "not-allowed"}, {agent, Import, "not-allowed"},
		{agent, KeepSources, "not-allowed"}, {agent, EndSessions, "not-allowed"},
		{admin, KeepSources, ""}, {admin, EndSessions, ""}, {admin, Report, "not-allowed"}, {admin, ManageAccounts,
			"not-allowed"}, {admin, ErasePerson, "not-allowed"}, {&Principal{Role: Owner}, ErasePerson, ""},
		{narrow, Drain, ""}, {narrow, Import, "not-allowed"}, {narrow, ReadAudit, ""}, {&Principal{Role: HelpDesk},
			RefreshEndpoint, ""}, {&Principal{Role: HelpDesk}, Drain, "not-allowed"},
		{&Principal{Role: HelpDesk}, ReadAudit, "not-allowed"}, {&Principal{Role: Auditor}, ReadAudit, ""},
		{&Principal{Role: Auditor}, SendTestPage, "not-allowed"}, {&Principal{Role: Person}, ReadEstate, "not-allowed"},
		{&Principal{Role: Person}, AskOwn, ""},
	} {
		got := ""
		if err := Check(c.p, c.a); err != nil {
			got = fault.As(err).Code
		}
		if got != c.code {
			t.Errorf("%+v to %s: %q, want %q", c.p, c.a, got, c.code)
		}
	}
	if CheckMachine(agent, "TILL-07") != nil || !fault.Is(CheckMachine(agent, "till-08"), fault.Denied) ||
		!fault.Is(CheckMachine(agent, ""), fault.Denied) || CheckMachine(admin, "till-08") != nil {
		t.Error("an agent speaks for one machine")
	}
}

func TestCheckAt(t *testing.T) {
	t.Parallel()
	narrow := &Principal{Name: "olav", Role: SiteAdmin, Sites: []string{"brannoy"}, Also: []Holding{{Role: HelpDesk,
		Sites: []string{"kestle"}}}}
	for _, c := range []struct {
		a    Action
		site string
		code string
	}{
		{Drain, "brannoy", ""}, {Drain, "kestle", "not-your-site"}, {Drain, "", "not-your-site"}, {RefreshEndpoint, "kestle",
			""}, {RefreshEndpoint, "ardholm", "not-your-site"}, {Import, "brannoy", "not-allowed"},
	} {
		got := ""
		if err := CheckAt(narrow, c.a, c.site, "the server x"); err != nil {
			got = fault.As(err).Code
		}
		if got != c.code {
			t.Errorf("%s at %q: %q, want %q", c.a, c.site, got, c.code)
		}
	}
	if CheckAt(&Principal{Role: Owner}, Drain, "", "x") != nil {
		t.Error("whoever has no scope may act on what lies nowhere")
	}
}

// TestNobodyGivesMore: for every two holdings, whoever may give one has each of its permissions, at each of its sites.
func TestNobodyGivesMore(t *testing.T) {
	t.Parallel()
	var all []Holding
	for _, r := range append(Roles(), Agent) {
		for _, sites := range [][]string{nil, {"a"}, {"b"}, {"a", "b"}} {
			all = append(all, Holding{r, sites})
		}
	}
	for _, have := range all {
		p := &Principal{Name: "p", Role: have.Role, Sites: have.Sites}
		for _, want := range all {
			if want.Role == Agent && p.May(ManageTokens) {
				continue // an agent's permissions are its machine's, not somebody's
			}
			gives := CheckGives(p, want) == nil
			q := &Principal{Name: "q", Role: want.Role, Sites: want.Sites}
			for _, a := range q.Actions() {
				for _, site := range []string{"", "a", "b", "c"} {
					if gives && q.MayAt(a, site) && !p.MayAt(a, site) {
						t.Fatalf("%+v gives %+v, which may %s at %q", have, want, a, site)
					}
				}
			}
		}
	}
	if CheckGives(&Principal{Role: Administrator}, Holding{Role: HelpDesk}) != nil ||
		CheckGives(&Principal{Role: Administrator}, Holding{Role: Owner}) == nil ||
		CheckGives(&Principal{Role: Administrator, Sites: []string{"a"}}, Holding{Role: HelpDesk}) == nil ||
		CheckGives(&Principal{Role: SiteAdmin, Sites: []string{"a"}}, Holding{Agent, nil}) == nil {
		t.Error("what may be given is not right")
	}
}

func TestCheckChanges(t *testing.T) {
	t.Parallel()
	parse := func(text string) *estate.Document {
		d, err := estate.Parse([]document.File{{Name: "e", Text: text}}, estate.Options{})
		if err != nil {
			t.Fatal(err, fault.As(err).Details)
		}
		return d
	}
	base := `estate: 1
locations: [{path: brannoy}, {path: ardholm}]
servers: [{name: ps-b, uri: "ipp://ps-b.example/", location: brannoy}, {name: ps-a, uri: "ipp://ps-a.example/", location: ardholm}, {name: ps-n, uri: "ipp://ps-n.example/"}]
server_sets: [{name: own, style: spread, members: [ps-b]}, {name: mixed, style: spread, members: [ps-b, ps-a]}]
drivers: [{name: d, exact: "D", platform: windows}]
queues: [{name: here, location: brannoy, labels: [x], paths: [{gateway: true}]}, {name: there, location: ardholm, paths: [{gateway: true}]}]
grants: [{name: g-here, effect: place, queues: [here]}, {name: g-there, effect: place, queues: [there]}]
`
	p := &Principal{Name: "olav", Role: SiteAdmin, Sites: []string{"brannoy"}}
	for from, c := range map[string]struct{ to, place string }{
		"title: of the queue": {strings.Replace(base, "{name: here,", "{name: here, title: T,", 1), ""},
		"another's queue":     {strings.Replace(base, "{name: there,", "{name: there, title: T,", 1), "queue there"},
		"moved here": {strings.Replace(base, "{name: there, location: ardholm,",
			"{name: there, location: brannoy,", 1), "queue there"},
		"moved away": {strings.Replace(base, "{name: here, location: brannoy,", "{name: here, location: ardholm,",
			1), "queue here"},
		"a location below": {strings.Replace(base, "{path: brannoy},", "{path: brannoy}, {path: brannoy/quay},", 1), ""},
		"another site": {strings.Replace(base, "{path: brannoy},", "{path: brannoy}, {path: kestle},", 1),
			"location kestle"},
		"own set": {strings.Replace(base, "{name: own, style: spread", "{name: own, style: standby", 1), ""},
		"mixed set": {strings.Replace(base, "{name: mixed, style: spread", "{name: mixed, style: standby", 1),
			"server set mixed"},
		"nowhere":  {strings.Replace(base, "{name: ps-n,", "{name: ps-n, title: T,", 1), "server ps-n"},
		"a driver": {strings.Replace(base, `exact: "D"`, `exact: "E"`, 1), "driver d"},
		"own grant": {strings.Replace(base, "{name: g-here, effect: place",
			"{name: g-here, effect: offer", 1), ""},
		"another's grant": {strings.Replace(base, "{name: g-there, effect: place", "{name: g-there, effect: offer", 1),
			"grant g-there"},
		"another's queue in it": {strings.Replace(base, "queues: [here]", "queues: [here, there]", 1), "grant g-here"},
		"by label":              {strings.Replace(base, "queues: [here]", `queues: ["label:x"]`, 1), "grant g-here"},
		"within":                {strings.Replace(base, "queues: [here]", `queues: ["within:brannoy"]`, 1), ""},
		"within another":        {strings.Replace(base, "queues: [here]", `queues: ["within:ardholm"]`, 1), "grant g-here"},
		"taken out": {strings.Replace(base, ", {name: g-there, effect: place, queues: [there]}", "", 1),
			"grant g-there"},
	} {
		before, after := parse(base), parse(c.to)
		changes := estate.Changes(before, after)
		if len(changes) == 0 {
			t.Errorf("%s: nothing changes", from)
		}
		err := CheckChanges(p, EditDraft, before, after, changes)
		switch f := fault.As(err); {
		case c.place == "" && err != nil:
			t.Errorf("%s: %v", from, err)
		case c.place != "" && (err == nil || f.Code != "not-your-site" || f.Details[0].Place != c.place):
			t.Errorf("%s: %v", from, err)
		}
		if err := CheckChanges(&Principal{Role: Administrator}, EditDraft, before, after, changes); err != nil {
			t.Errorf("%s: %v", from, err)
		}
	}
}

func TestLifetime(t *testing.T) {
	t.Parallel()
	day := 24 * time.Hour
	from := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	for cut, want := range map[time.Duration]time.Duration{0: 90 * day, 30 * day: 90 * day, 40 * day: 120 * day} {
		lasts := Lifetime(cut)
		if lasts != want {
			t.Errorf("a cut of %s: %s", cut, lasts)
		}
		// The line goes just before it would have renewed.
		gone := from.Add(lasts - lasts/3)
		if Renews(from, from.Add(lasts), gone) || !Renews(from, from.Add(lasts), gone.Add(time.Second)) ||
			gone.Add(cut).After(from.Add(lasts)) {
			t.Errorf("a cut of %s outlasts the certificate", cut)
		}
	}
}

func TestEnrolToken(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	good := EnrolToken{Name: "brannoy", Uses: 2, ExpiresAt: now.Add(time.Hour), Site: "brannoy"}
	known := func(s string) bool { return s == "brannoy" }
	if err := ValidEnrolToken(good, now, known); err != nil || good.Over(now) != "" {
		t.Error(err, good.Over(now))
	}
	for code, change := range map[string]func(*EnrolToken){
		"token-name": func(e *EnrolToken) { e.Name = " " }, "enrol-uses": func(e *EnrolToken) { e.Uses = 0 },
		"token-expires": func(e *EnrolToken) { e.ExpiresAt = now }, "site-unknown": func(e *EnrolToken) { e.Site = "x" },
	} {
		bad := good
		change(&bad)
		if err := ValidEnrolToken(bad, now, known); err == nil || fault.As(err).Code != code {
			t.Errorf("%s: %v", code, err)
		}
	}
	revoked, used := good, good
	revoked.RevokedAt, used.Used = &now, 2
	if revoked.Over(now) == "" || used.Over(now) == "" || good.Over(now.Add(time.Hour)) == "" {
		t.Error("a token that is over lets in")
	}
}

func TestValidToken(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	past, later := now.Add(-time.Second), now.Add(time.Second)
	for _, c := range []struct {
		token Token
		code  string
	}{
		{Token{Name: "a", Role: Administrator}, ""}, {Token{Name: "a", Role: Administrator, ExpiresAt: &later}, ""},
		{Token{Name: "a", Role: Agent, Machine: "m"}, ""},
		{Token{Name: "a", Role: Administrator, ExpiresAt: &past}, "token-expires"}, {Token{Name: "a", Role: Administrator,
			ExpiresAt: &now}, "token-expires"},
		{Token{Name: " ", Role: Administrator}, "token-name"}, {Token{Name: "a", Role: "root"}, "role-unknown"},
		{Token{Name: "a", Role: Agent}, "token-machine"}, {Token{Name: "a", Role: SiteAdmin}, "role-sites"},
		{Token{Name: "a", Role: SiteAdmin, Sites: []string{"brannoy"}}, ""}, {Token{Name: "a", Role: HelpDesk,
			Sites: []string{"x"}}, "site-unknown"},
		{Token{Name: "a", Role: Owner, Sites: []string{"brannoy"}}, "role-sites"}, {Token{Name: "a", Role: Person},
			"token-role"}, {Token{Name: "a", Account: "mira"}, ""}, {Token{Name: "a", Account: "mira", Role: Owner},
			"token-role"}, {Token{Name: "a", Role: Administrator, Machine: "m"}, "token-machine"},
	} {
		got := ""
		if err := ValidToken(c.token, now, func(s string) bool { return s == "brannoy" }); err != nil {
			got = fault.As(err).Code
		}
		if got != c.code {
			t.Errorf("%+v: %q, want %q", c.token, got, c.code)
		}
	}
}

func TestPrincipals(t *testing.T) {
	t.Parallel()
	if (&Principal{Role: Agent, Name: "token", For: "mira"}).Person() != "mira" ||
		(&Principal{Role: Administrator, Name: "mira"}).Person() != "mira" {
		t.Error("whose job it is")
	}
	if Check(nil, Publish) == nil || Check(&Principal{Role: Agent},
		Publish) == nil || Check(&Principal{Role: "else"}, Print) == nil {
		t.Error("somebody may who may not")
	}
}
