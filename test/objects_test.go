package test

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/agent"
	"cirque/internal/agentproto"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

const objectsEstate = `estate: 1
locations: [{path: brannoy}, {path: ardholm}]
servers:
  - {name: ps-here, kept: true, uri: "ipp://ps-here.example/", location: brannoy}
  - {name: ps-there, kept: true, uri: "ipp://ps-there.example/", location: ardholm}
queues:
  - {name: q-here, location: brannoy, paths: [{gateway: true}]}
  - {name: q-there, location: ardholm, paths: [{gateway: true}]}
grants:
  - {name: g-here, effect: offer, queues: [q-here], at: ["location:brannoy"]}
  - {name: g-there, effect: offer, queues: [q-there], at: ["location:ardholm"]}
notices:
  - {name: n-here, tell: ["mail:harbour@skerry.example"], at: ["location:brannoy"]}
  - {name: n-there, tell: ["mail:harbour@skerry.example"], at: ["location:ardholm"]}
`

// objects are a service with everything that a route can name, once at the site brannoy or somebody's own, and once at
// the other site or somebody else's.
type objects struct {
	*enrolling
	narrow, mine *apiclient.Client // a site administrator of brannoy, and a person
	id           map[string]string // what only the service could name: "checkup here"
}

func (o *objects) post(path string, in any, into any) {
	o.t.Helper()
	if err := o.c.Do(o.t.Context(), "POST", path, nil, in, into); err != nil {
		o.t.Fatalf("%s: %v %v", path, err, fault.As(err).Details)
	}
}

func startObjects(t *testing.T) *objects {
	t.Helper()
	e := startEnrolling(t)
	e.publish(objectsEstate)
	e.importDirectory("directory: 1\nusers: [{name: mira.solvang}]\nmachines: [{name: till-1$, location: ardholm}, " +
		"{name: till-2, location: brannoy}, {name: m-here, location: brannoy}, {name: m-there, location: ardholm}, " +
		"{name: p-here, location: brannoy}, {name: p-there, location: ardholm}]")
	o := &objects{enrolling: e, id: map[string]string{}}
	client := func(secret string, err error) *apiclient.Client {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		c, err := apiclient.New(e.URL, secret, e.ca)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	_, secret, err := e.Service.Identity.MakeToken(t.Context(), owner, access.Token{Name: "olav", Role: access.SiteAdmin,
		Sites: []string{"brannoy"}})
	o.narrow = client(secret, err)
	for _, who := range []string{"here", "there"} {
		e.addAccount(who, access.Person)
		p := &access.Principal{Name: who, Role: access.Person, Account: who, User: who}
		if _, _, err := e.Service.Identity.MakeOwnToken(t.Context(), p, "token-"+who, nil); err != nil {
			t.Fatal(err)
		}
		_, secret, err := e.Service.Identity.MakeOwnToken(t.Context(), p, "way in of "+who, nil)
		c := client(secret, err)
		if who == "here" {
			o.mine = c
		}
		var made access.Request
		if err := c.Do(t.Context(), "POST", "/api/v1/requests", nil, api.NewRequest{Queue: "q-" + who, Reason: "x"},
			&made); err != nil {
			t.Fatal(err)
		}
		o.id["request "+who] = fmt.Sprint(made.ID)
		ask, nonce := agentproto.PairRequest{Machine: "p-" + who, Request: "x"}, strings.Repeat(who, 8)
		ask.Commitment = access.CommitTo(nonce)
		var told agentproto.PairAnswer
		o.post(agentproto.PairPath, ask, &told)
		o.post(agentproto.ShowPath, agentproto.ShowRequest{Ticket: told.Ticket, Nonce: nonce}, nil)
		o.id["pairing "+who] = access.PairCode(ask.Machine, []byte(ask.Request), told.Authority, nonce, told.Nonce)
	}
	for who, site := range map[string]string{"here": "brannoy", "there": "ardholm"} {
		o.post("/api/v1/enrolment-tokens", api.NewEnrolToken{Name: "e-" + who, Site: site}, nil)
		id, err := agent.Enrol(t.Context(), e.URL, e.enrolToken(site, 1), t.TempDir(), e.ca,
			facts("m-"+who, "10.0.0.1"))
		if err != nil {
			t.Fatal(err)
		}
		if status, p := e.as(id, "POST", "/api/v1/endpoints/report", fmt.Sprintf(`{"machine":"m-%s","version":"t",`+
			`"platform":"linux/x64","spooler":"s","revision":0,"contexts":[{"machine":"m-%[1]s"}],"installed":[],`+
			`"removed":[],"failures":[]}`, who)); status >= 300 {
			t.Fatal(status, p)
		}
		var checkup struct{ ID int64 }
		o.post("/api/v1/endpoints/m-"+who+"/checkups", map[string]any{"print": "q-" + who}, &checkup)
		o.id["checkup "+who] = fmt.Sprint(checkup.ID)
		var test struct{ ID int64 }
		o.post("/api/v1/servers/ps-"+who+"/failover-tests", map[string]any{"reason": "r", "minutes": 5}, &test)
		o.id["failover test "+who] = fmt.Sprint(test.ID)
	}
	return o
}

// A rule says what decides whether somebody who may do a thing somewhere may do it to one object.
type rule struct {
	what string // atSite, ofOwn, everywhere, or where else it is decided and tested
	path string // with @ in place of here or there; or the name of an id
	body string
}

const (
	atSite     = "at the site"
	ofOwn      = "one's own"
	everywhere = "of all sites at once: a scope keeps off it"
	byContent  = "by what changes; TestScopeOfPublishing"
	ownOrAll   = "one's own, or whoever's for whoever may publish for all sites; TestPublishAt"
	ofJobs     = "one's own, or for whoever looks after jobs at the queue's site; TestJobsOfSites"
	ofAnybody  = "whoever's: it is only said; TestComments"
)

// objectRules are the rules of all routes that do something to an object that they name.
var objectRules = map[string]rule{
	"POST /api/v1/endpoints/{machine}/refresh":  {what: atSite, path: "/api/v1/endpoints/m-@/refresh"},
	"POST /api/v1/endpoints/{machine}/checkups": {what: atSite, path: "/api/v1/endpoints/m-@/checkups", body: `{}`},
	"POST /api/v1/checkups/{id}/print-result":   {what: atSite, path: "checkup", body: `{"result":"good"}`},
	"POST /api/v1/failover-tests/{id}/stop":     {what: atSite, path: "failover test"},
	"POST /api/v1/servers/{name}/failover-tests": {what: atSite, path: "/api/v1/servers/ps-@/failover-tests",
		body: `{"reason":"r","minutes":1}`},
	"POST /api/v1/servers/{name}/drain": {what: atSite, path: "/api/v1/servers/ps-@/drain",
		body: `{"reason":"r"}`},
	"POST /api/v1/kept-servers/{name}/takes":           {what: atSite, path: "/api/v1/kept-servers/ps-@/takes", body: `{}`},
	"DELETE /api/v1/kept-servers/{name}/takes/{queue}": {what: atSite, path: "/api/v1/kept-servers/ps-@/takes/q"},
	"DELETE /api/v1/keepers/{machine}":                 {what: everywhere, path: "/api/v1/keepers/x"},
	"POST /api/v1/stock/servers/{name}/jobs": {what: atSite, path: "/api/v1/stock/servers/ps-@/jobs",
		body: `{"queue":"q","job":1,"do":"hold"}`},
	"POST /api/v1/servers/{name}/return":         {what: atSite, path: "/api/v1/servers/ps-@/return"},
	"DELETE /api/v1/enrolments/{machine}":        {what: atSite, path: "/api/v1/enrolments/m-@"},
	"POST /api/v1/pairings/{code}":               {what: atSite, path: "pairing", body: `{}`},
	"DELETE /api/v1/agent-packages/{digest}":     {what: everywhere, path: "/api/v1/agent-packages/x"},
	"DELETE /api/v1/enrolment-tokens/{name}":     {what: atSite, path: "/api/v1/enrolment-tokens/e-@"},
	"POST /api/v1/requests/{id}/answer":          {what: atSite, path: "request", body: `{"grant":false,"says":"no"}`},
	"PUT /api/v1/people/{name}/picks/{queue}":    {what: atSite, path: "/api/v1/people/here/picks/q-@"},
	"DELETE /api/v1/people/{name}/picks/{queue}": {what: atSite, path: "/api/v1/people/here/picks/q-@"},
	"POST /api/v1/notices/{name}/try":            {what: atSite, path: "/api/v1/notices/n-@/try"},
	"POST /api/v1/revisions/{number}/revert":     {what: byContent},
	"POST /api/v1/revisions/{number}/undo":       {what: byContent},

	"POST /api/v1/jobs/{id}/cancel":       {what: ofJobs},
	"POST /api/v1/jobs/{id}/hold":         {what: ofJobs},
	"POST /api/v1/jobs/{id}/release":      {what: ofJobs},
	"POST /api/v1/jobs/{id}/decide":       {what: ofJobs},
	"DELETE /api/v1/requests/{id}":        {what: ofOwn, path: "request"},
	"DELETE /api/v1/tokens/{name}":        {what: ofOwn, path: "/api/v1/tokens/token-@"},
	"POST /api/v1/tokens/{name}/secret":   {what: ofOwn, path: "/api/v1/tokens/token-@/secret"},
	"DELETE /api/v1/snapshots/{name}":     {what: "one's own; TestRolesAtSites"},
	"DELETE /api/v1/sessions/{id}":        {what: "one's own; TestOwnSessions"},
	"DELETE /api/v1/session/factors/{id}": {what: "one's own, by its account in the statement; TestFactorOfOthers"},
	"PUT /api/v1/notes/{kind}/{name}":     {what: "whoever writes notes, whatever they are about: a note decides nothing"},
	"PUT /api/v1/views/{page}/{name}":     {what: "one's own, by the account in its key"},
	"DELETE /api/v1/views/{page}/{name}":  {what: "one's own, by the account in its key"},
	"DELETE /api/v1/accounts/{name}":      {what: everywhere, path: "/api/v1/accounts/there"},
	"DELETE /api/v1/people/{name}/data":   {what: everywhere, path: "/api/v1/people/there/data"},
	"PUT /api/v1/accounts/{name}/role": {what: everywhere, path: "/api/v1/accounts/there/role",
		body: `{"role":"person"}`},
	"DELETE /api/v1/accounts/{name}/factors": {what: everywhere, path: "/api/v1/accounts/there/factors"},
	"DELETE /api/v1/access-rules/{id}":       {what: everywhere, path: "/api/v1/access-rules/1"},
	"DELETE /api/v1/credentials/{name}":      {what: everywhere, path: "/api/v1/credentials/x"},
	"DELETE /api/v1/directory/links/{id}":    {what: everywhere, path: "/api/v1/directory/links/1"},
	"PUT /api/v1/directory/link-rules/{rule}": {what: everywhere, path: "/api/v1/directory/link-rules/address",
		body: `{"on":false}`},
	"PUT /api/v1/directory/sources/{name}": {what: everywhere, path: "/api/v1/directory/sources/x",
		body: `{"url":"ldap://127.0.0.1:1","base":"dc=x"}`},
	"DELETE /api/v1/directory/sources/{name}": {what: everywhere, path: "/api/v1/directory/sources/x"},
	"PUT /api/v1/directory/sources/{name}/pause": {what: everywhere, path: "/api/v1/directory/sources/x/pause",
		body: `{"paused":true}`},
	"POST /api/v1/directory/sources/{name}/runs": {what: everywhere, path: "/api/v1/directory/sources/x/runs",
		body: `{}`},
	"DELETE /api/v1/directory/sources/{name}/runs": {what: everywhere, path: "/api/v1/directory/sources/x/runs"},
	"PUT /api/v1/drivers/places/{name}": {what: everywhere, path: "/api/v1/drivers/places/x",
		body: `{"url":"https://127.0.0.1:1/"}`},
	"DELETE /api/v1/drivers/places/{name}":     {what: everywhere, path: "/api/v1/drivers/places/x"},
	"POST /api/v1/drivers/places/{name}/looks": {what: everywhere, path: "/api/v1/drivers/places/x/looks"},
	"POST /api/v1/drivers/places/{name}/fetches": {what: everywhere, path: "/api/v1/drivers/places/x/fetches",
		body: `{"file":"x.zip"}`},
	"DELETE /api/v1/drivers/places/{name}/fetches/{id}": {what: everywhere, path: "/api/v1/drivers/places/x/fetches/1"},
	"DELETE /api/v1/drivers/packages/{digest}":          {what: everywhere, path: "/api/v1/drivers/packages/x"},
	"DELETE /api/v1/stock/devices/{name}":               {what: everywhere, path: "/api/v1/stock/devices/x"},
	"POST /api/v1/stock/devices/{name}/read":            {what: everywhere, path: "/api/v1/stock/devices/x/read"},
	"POST /api/v1/stock/devices/{name}/recognise":       {what: everywhere, path: "/api/v1/stock/devices/x/recognise"},
	"DELETE /api/v1/stock/scans/{id}":                   {what: everywhere, path: "/api/v1/stock/scans/1"},
	"DELETE /api/v1/stock/servers/{name}":               {what: everywhere, path: "/api/v1/stock/servers/x"},
	"POST /api/v1/stock/servers/{name}/line-test":       {what: everywhere, path: "/api/v1/stock/servers/x/line-test"},
	"POST /api/v1/stock/devices/{name}/line-test":       {what: everywhere, path: "/api/v1/stock/devices/x/line-test"},
	"POST /api/v1/stock/sets/{name}/line-test":          {what: everywhere, path: "/api/v1/stock/sets/x/line-test"},
	"POST /api/v1/stock/servers/{name}/read":            {what: everywhere, path: "/api/v1/stock/servers/x/read"},
	"POST /api/v1/proposals/{id}/take":                  {what: everywhere, path: "/api/v1/proposals/1/take"},
	"DELETE /api/v1/drafts/{id}/publish-at":             {what: ownOrAll},
	"POST /api/v1/drafts/{id}/comments":                 {what: ofAnybody},
	"POST /api/v1/drafts/{id}/take":                     {what: everywhere, path: "/api/v1/drafts/1/take"},
	"POST /api/v1/proposals/{id}/decline": {what: everywhere, path: "/api/v1/proposals/1/decline",
		body: `{"reason":"r"}`},
}

// refusals are the codes by which somebody who may do a thing is kept from one object. What is somebody else's may also
// be unknown to them.
var refusals = []string{"not-allowed", "not-your-site", "reaches-elsewhere", "not-your-token"}

// TestEveryObjectEveryVerb goes through the API's description: no route that does something to an object it names is
// without a rule in the table above, and each rule holds. A route that reads names no scope: whoever may read reads
// all.
func TestEveryObjectEveryVerb(t *testing.T) {
	t.Parallel()
	o := startObjects(t)
	known := map[string]bool{}
	for path, methods := range describedPaths(t) {
		if !strings.Contains(path, "{") {
			continue
		}
		for method := range methods {
			name := strings.ToUpper(method) + " " + path
			if method == "get" || method == "parameters" {
				continue
			}
			known[name] = true
			if _, ok := objectRules[name]; !ok {
				t.Errorf("%s does something to an object, and no rule says who may", name)
			}
		}
	}
	do := func(c *apiclient.Client, name, which string) (string, bool) {
		r := objectRules[name]
		method, pattern, _ := strings.Cut(name, " ")
		path := strings.ReplaceAll(r.path, "@", which)
		if !strings.HasPrefix(path, "/") {
			path = regexp.MustCompile(`\{(id|code)\}`).ReplaceAllString(pattern, o.id[r.path+" "+which])
		}
		var in any
		if r.body != "" {
			if err := yaml.Unmarshal([]byte(r.body), &in); err != nil {
				t.Fatal(err)
			}
		}
		err := c.Do(t.Context(), method, path, nil, in, nil)
		if err == nil {
			return "", false
		}
		f := fault.As(err)
		return f.Code, slices.Contains(refusals, f.Code) || r.what == ofOwn && f.Kind == fault.Unknown
	}
	for _, name := range slices.Backward(slices.Sorted(maps.Keys(objectRules))) { // DELETE last
		if !known[name] {
			t.Errorf("%s is in the table, and no route", name)
			continue
		}
		switch r := objectRules[name]; r.what {
		case atSite:
			if code, refused := do(o.narrow, name, "there"); !refused {
				t.Errorf("%s: whoever looks after another site may: %q", name, code)
			}
			if code, refused := do(o.narrow, name, "here"); refused {
				t.Errorf("%s: whoever looks after the site may not: %s", name, code)
			}
		case ofOwn:
			if code, refused := do(o.mine, name, "there"); !refused {
				t.Errorf("%s: somebody else may: %q", name, code)
			}
			if code, refused := do(o.mine, name, "here"); refused {
				t.Errorf("%s: its owner may not: %s", name, code)
			}
		case everywhere:
			if code, refused := do(o.narrow, name, "there"); !refused {
				t.Errorf("%s: whoever looks after a site may: %q", name, code)
			}
		}
	}
}
