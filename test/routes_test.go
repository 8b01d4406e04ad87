package test

import "strings"

// routeBodies are what each route takes, at its plainest.
var routeBodies = map[string]string{
	"POST /api/v1/session": `{"name":"x","password":"y"}`,
	"POST /api/v1/set-up":  `{"code":"x","name":"x","password":"y"}`, "POST /api/v1/lineups": `{"machine":"desk-1"}`,
	"POST /api/v1/lineups/batch":             `[{"machine":"desk-1"}]`,
	"POST /api/v1/why":                       `{"context":{"machine":"desk-1"},"queue":"q"}`,
	"POST /api/v1/test-pages":                `{"context":{"machine":"desk-1"},"queue":"q"}`,
	"POST /api/v1/endpoints/report":          `{"machine":"desk-1","version":"","platform":"","spooler":"","revision":0,"contexts":[{"machine":"desk-1"}],"installed":[],"failures":[]}`,
	"POST /api/v1/estate/check":              `{"files":[{"name":"e","text":"estate: 1"}]}`,
	"POST /api/v1/revisions":                 `{"reason":"r","files":[{"name":"e","text":"estate: 1"}]}`,
	"POST /api/v1/directory/import":          `{"files":[{"name":"d","text":"directory: 1"}]}`,
	"POST /api/v1/tokens":                    `{"name":"n","role":"administrator"}`,
	"PUT /api/v1/draft":                      `{"files":[{"name":"e","text":"estate: 1"}]}`,
	"POST /api/v1/draft/edits":               `{"edits":[{"list":"queues","name":"q","object":{"name":"q"}}]}`,
	"POST /api/v1/draft/publish":             `{"reason":"r"}`,
	"POST /api/v1/draft/reach":               `{"list":"grants","name":"g","object":{"name":"g","effect":"place","queues":["q"]}}`,
	"POST /api/v1/revisions/{number}/revert": `{"reason":"r"}`,
	"POST /api/v1/stock/servers":             `{"uri":"x.example"}`, "POST /api/v1/stock/devices": `{"uri":"x.example"}`,
	"POST /api/v1/stock/found/forget":            `{"addresses":["10.0.0.1"]}`,
	"POST /api/v1/stock/scans":                   `{"ranges":["10.0.0.1"],"dry":true}`,
	"PUT /api/v1/stock/reservations":             `{"name":"r","text":"mac,address\n"}`,
	"POST /api/v1/stock/proposals":               `{"selections":[{"kind":"server","from":"x"}]}`,
	"POST /api/v1/stock/adoptions":               `{"proposals":[{"from":"x","kind":"server","found":"x","queue":{"name":"x"},"remarks":[]}]}`,
	"POST /api/v1/stock/captures":                `{"machine":"desk-1","queues":[]}`,
	"POST /api/v1/stock/test-pages":              `{"kind":"device","name":"x"}`,
	"POST /api/v1/credentials":                   `{"name":"x","kind":"snmp","secret":"x"}`,
	"PUT /api/v1/drivers/places/{name}":          `{"url":"https://127.0.0.1:1/"}`,
	"POST /api/v1/drivers/places/{name}/fetches": `{"file":"x.zip"}`,
	"POST /api/v1/drivers/packages":              "PK", "PUT /api/v1/draft/queue-table": `{"name":"t","text":"name\n"}`,
	"PUT /api/v1/notes/{kind}/{name}":        `{"note":"x"}`,
	"PUT /api/v1/draft/table":                `{"name":"t","text":"name\n"}`,
	"POST /api/v1/draft/rename":              `{"queues":["x"],"pattern":"y"}`,
	"POST /api/v1/draft/second-queue":        `{"queue":"x","called":"y","language":"PCL6"}`,
	"POST /api/v1/draft/rename-object":       `{"list":"servers","object":"x","to":"y"}`,
	"POST /api/v1/draft/move":                `{"server":"x","to":"device"}`,
	"POST /api/v1/draft/end-server":          `{"server":"x"}`,
	"POST /api/v1/draft/complete-set":        `{"set":"x"}`,
	"POST /api/v1/stock/servers/{name}/jobs": `{"queue":"x","job":1,"do":"hold"}`,
	"POST /api/v1/jobs/{id}/release":         `{}`, "POST /api/v1/jobs/{id}/decide": `{"printed":true}`,
	"POST /api/v1/kept-servers/{name}/takes": `{}`,
	"POST /api/v1/keepers/serving":           `{"machine":"desk-1"}`,
	"POST /api/v1/keepers/report": `{"machine":"desk-1","version":"t","platform":"linux/x64","spooler":"s","server":"",` +
		`"revision":0,"found":[],"failures":[]}`,
	"PUT /api/v1/directory/sources/{name}":       `{"url":"ldap://127.0.0.1:1","base":"dc=x"}`,
	"PUT /api/v1/directory/sources/{name}/pause": `{"paused":true}`, "POST /api/v1/directory/sources/{name}/runs": `{}`,
	"POST /api/v1/directory/renames/take": `{}`, "POST /api/v1/directory/renames/drop": `{}`,
	"POST /api/v1/requests": `{"queue":"x","reason":"y"}`, "POST /api/v1/requests/{id}/answer": `{"grant":true}`,
	"POST /api/v1/enrolments":       `{"token":"x","machine":"m","request":"x"}`,
	"POST /api/v1/enrolments/renew": `{"request":"x"}`, "POST /api/v1/endpoints/who": `{"names":[]}`,
	"POST /api/v1/endpoints/checkup": `{"id":1,"rungs":[]}`, "POST /api/v1/endpoints/places": `{"queues":[]}`,
	"POST /api/v1/endpoints/driver":   `{"exact":"x","platform":"linux/x64"}`,
	"POST /api/v1/endpoints/said-who": `{"login":"x","name":"x","password":"y"}`,
	"POST /api/v1/enrolment-tokens":   `{"name":"x","site":"ardholm"}`,
	"POST /api/v1/agent-packages":     "x", "POST /api/v1/agent-update": `{"version":"0.2.0"}`,
	"POST /api/v1/agent-update/act":      `{"do":"pause"}`,
	"POST /api/v1/endpoints/update":      `{"version":"0.1.0","platform":"linux/x64","kind":"deb"}`,
	"POST /api/v1/endpoints/update/said": `{"order":1,"state":"came","former":"0.1.0"}`,
	"POST /api/v1/pairings":              `{"machine":"m","request":"x","commitment":"` + strings.Repeat("0", 64) + `"}`,
	"POST /api/v1/pairings/show":         `{"ticket":"x","nonce":"` + strings.Repeat("0", 26) + `"}`,
	"POST /api/v1/pairings/claim":        `{"ticket":"x"}`, "POST /api/v1/pairings/{code}": `{}`,
	"POST /api/v1/directory/links": `{"a":"x","b":"y"}`, "PUT /api/v1/directory/link-rules/{rule}": `{"on":false}`,
	"PUT /api/v1/directory/primary": `{"source":""}`, "POST /api/v1/session/tokens": `{"name":" "}`,
	"PUT /api/v1/session/password": `{"old":"x","new":"y"}`, "PUT /api/v1/views/{page}/{name}": `{"search":""}`,
	"POST /api/v1/accounts":            `{"name":"n","password":"x","role":"person"}`,
	"PUT /api/v1/accounts/{name}/role": `{"role":"person"}`, "POST /api/v1/access-rules": `{"who":"x","role":"person"}`,
	"POST /api/v1/session/second": `{"ticket":"x"}`, "POST /api/v1/session/proof": `{"ticket":"x"}`,
	"POST /api/v1/session/factors":       `{"ticket":"x"}`,
	"POST /api/v1/session/factors/begin": `{"kind":"code","name":"x"}`,
	"POST /api/v1/rehearsals":            `{}`, "POST /api/v1/draft/propose": `{"reason":"r"}`,
	"POST /api/v1/draft/publish-at":       `{"reason":"r","at":"2099-01-01T00:00:00Z"}`,
	"POST /api/v1/drafts/{id}/comments":   `{"says":"x"}`,
	"POST /api/v1/proposals/{id}/decline": `{"reason":"r"}`, "POST /api/v1/servers/{name}/drain": `{"reason":"r"}`,
	"POST /api/v1/checkups/{id}/print-result":    `{"result":"good"}`,
	"POST /api/v1/servers/{name}/failover-tests": `{"reason":"r","minutes":1}`, "POST /api/v1/snapshots": `{"name":"p"}`,
}

// routeQueries are what else some need.
var routeQueries = map[string]string{"GET /api/v1/stock/servers/{name}/compare": "?with=other",
	"POST /api/v1/drivers/packages": "?name=x", "GET /api/v1/drivers/packages/{digest}/file": "?path=x",
	"GET /api/v1/endpoints/driver/{digest}/file": "?path=x", "GET /api/v1/drivers/compare": "?a=x",
	"POST /api/v1/agent-packages": "?file=x", "GET /api/v1/estate/past": "?list=queues&object=x",
	"GET /api/v1/kept-servers/{name}/why": "?queue=x"}

// publicRoutes ask for no sign-in.
var publicRoutes = map[string]bool{"GET /healthz": true, "GET /readyz": true, "GET /api/v1/session": true,
	"POST /api/v1/session": true, "DELETE /api/v1/session": true, "POST /api/v1/set-up": true,
	"POST /api/v1/session/second": true, "POST /api/v1/enrolments": true,
	"POST /api/v1/pairings": true, "POST /api/v1/pairings/show": true, "POST /api/v1/pairings/claim": true}

func routeMedia(name string) string {
	if routeBodies[name] == "PK" {
		return "application/zip"
	}
	if routeBodies[name] == "x" {
		return "application/octet-stream"
	}
	return "application/json"
}

// filled is a route's path to what is not there.
func filled(path string) string {
	return strings.NewReplacer("{number}", "1", "{name}", "none", "{machine}", "none", "{id}", "1", "{queue}", "none",
		"{digest}", "none", "{rule}", "address", "{page}", "queues").Replace(path)
}
