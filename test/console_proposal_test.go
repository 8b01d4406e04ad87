package test

import (
	"testing"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// TestConsoleProposal: what reaches beyond a site is proposed from the console by who looks after it, and taken over by
// an administrator of all sites, as a draft of theirs.
func TestConsoleProposal(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(`estate: 1
locations: [{path: ardholm}, {path: brannoy}]
queues: [{name: pier, location: brannoy, paths: [{gateway: true}]}]
grants: [{name: all, effect: place, queues: [pier], to: [everyone]}]`)
	p := consoleOf(t, s)
	if _, err := apiclient.Post[access.Account](t.Context(), s.c, "/api/v1/accounts", api.NewAccount{Name: "bjorn",
		Password: "correct horse battery", Role: access.SiteAdmin, Sites: []string{"brannoy"}}); err != nil {
		t.Fatal(err)
	}
	site := signInAs(t, s, "bjorn")
	site.see("Overview")
	bjorn := &access.Principal{Name: "bjorn", Account: "bjorn", Role: access.SiteAdmin, Sites: []string{"brannoy"}}
	if _, err := s.Service.Drafts.Edit(t.Context(), bjorn, "", nil, []estate.Edit{{Ref: estate.Ref{List: "queues",
		Name: "pier"}, Object: []byte(
		`{"name":"pier","title":"Pier","location":"brannoy","paths":[{"gateway":true}]}`)}}); err != nil {
		t.Fatal(err)
	}
	site.goTo("/draft")
	site.fill("textbox", "Why", "a name that people know")
	site.press("button", "Publish 1 change")
	site.see("received at other sites too, by the grant all")
	site.accessible()
	site.press("button", "Propose it to an administrator of all sites")
	site.see("It is proposed to the administrators of all sites: a name that people know")
	p.goTo("/draft")
	p.see("Proposed to you")
	p.accessible()
	p.press("button", "Take it into my draft")
	p.see("1 object of revision 1 is changed")
	p.gone("Proposed to you")
}
