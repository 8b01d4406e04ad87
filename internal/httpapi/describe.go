package httpapi

import (
	_ "embed"
	"encoding/json"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"cirque/internal/api"
)

// What the description says of all operations: to what each belongs, which statuses it may answer, and by which headers
// a change is done once, or held to what was seen.

// A subject is what operations are about; its tag stands in the description.
type subject struct {
	tag, says string
	paths     []string // beginnings, the longest decides
}

var subjects = []subject{
	{"Lineups", "What a context receives, and why.", []string{"/lineups", "/why", "/context", "/test-pages",
		"/addresses"}},
	{"Estate", "Revisions, and what there is to remark on.", []string{"/estate", "/revisions", "/diff", "/findings",
		"/promises", "/grants", "/overlaps", "/queues", "/bare", "/coverage", "/locations", "/subnets", "/stations",
		"/server_sets", "/devices"}},
	{"Drafts", "What is decided and not yet published.", []string{"/draft", "/drafts", "/proposals", "/rehearsals"}},
	{"People", "People and machines, their picks, requests, notes and data.", []string{"/people", "/machines", "/requests",
		"/notes"}},
	{"Directory", "Users, groups, units and machines, and where they come from.", []string{"/directory", "/search"}},
	{"Stock", "Print servers, devices, keys, and what was found of them.", []string{"/stock", "/credentials"}},
	{"Kept servers", "Print servers that Cirque makes and holds.", []string{"/kept-servers", "/keepers"}},
	{"Drivers", "Packages, exact names, and what came out.", []string{"/drivers"}},
	{"Endpoints", "Machines with an agent: reports, drift, checkups, enrolment.", []string{"/endpoints", "/fleet",
		"/checkups", "/enrolments", "/enrolment-tokens", "/pairings", "/agent-packages", "/agent-update", "/proof"}},
	{"Continuity", "Health, duty, failover, faults and notices.", []string{"/servers", "/duties", "/moves", "/health",
		"/failover-tests", "/faults", "/notices", "/snapshots", "/overview", "/checklist"}},
	{"Access", "Accounts, roles, sessions, tokens and the audit.", []string{"/accounts", "/access-rules", "/session",
		"/sessions", "/tokens", "/emergency-account", "/set-up", "/audit", "/events", "/views"}},
	{"Jobs", "Jobs at the gateway.", []string{"/jobs"}},
	{"Service", "How the service is, and what changes.", []string{"/healthz", "/readyz", "/watch", "/guides"}},
}

// tagOfPath gives the tag of an operation by its path.
func tagOfPath(path string) string {
	path = strings.TrimPrefix(path, "/api/v1")
	found, longest := "", 0
	for _, s := range subjects {
		for _, p := range s.paths {
			if len(p) > longest && (path == p || strings.HasPrefix(path, p+"/")) {
				found, longest = s.tag, len(p)
			}
		}
	}
	return found
}

//go:embed problems.json
var problemsText []byte

// A Problem's kind of row in the list of all: what each code is, by its source.
type problemRow struct {
	Code   string `json:"code"`
	Status int    `json:"status"`
	Says   string `json:"says"`
	Fix    string `json:"fix,omitempty"`
}

// problemRows are all codes that the service answers with; scripts/problems makes the list from the source.
func problemRows() []problemRow {
	var rows []problemRow
	if err := json.Unmarshal(problemsText, &rows); err != nil {
		panic("problems.json: " + err.Error()) // it is part of the program, and a test reads it
	}
	return rows
}

// describe completes the description once all operations are there.
func describe(doc *huma.OpenAPI) {
	doc.Servers = []*huma.Server{{URL: "/", Description: "This service."}}
	for _, s := range subjects {
		doc.Tags = append(doc.Tags, &huma.Tag{Name: s.tag, Description: s.says})
	}
	schema := doc.Components.Schemas.Schema(typeOf[problem](), true, "")
	doc.Components.Responses = map[string]*huma.Response{"304": {Description: "It has this tag still."}}
	for status, text := range says {
		doc.Components.Responses[strconv.Itoa(status)] = &huma.Response{Description: text,
			Content: map[string]*huma.MediaType{"application/problem+json": {Schema: schema}}}
	}
	doc.Components.Parameters = map[string]*huma.Param{}
	for name, text := range headers {
		doc.Components.Parameters[name] = &huma.Param{Name: name, In: "header", Description: text,
			Schema: &huma.Schema{Type: huma.TypeString}}
	}
	for path, item := range doc.Paths {
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Patch, item.Delete} {
			if op != nil {
				describeOperation(op, path)
			}
		}
	}
	codes := map[string]any{}
	for _, r := range problemRows() {
		codes[r.Code] = map[string]any{"status": r.Status, "says": r.Says}
	}
	if p := doc.Components.Schemas.Map()["Problem"]; p != nil {
		p.Properties["code"].Extensions = map[string]any{"x-codes": codes}
		p.Properties["code"].Description = "Stable, for programs: one of x-codes, each with its usual status and what " +
			"it says."
	}
}

// says are what statuses mean here.
var says = map[int]string{
	400: "The body is missing, or cannot be read.",
	401: "Nobody is signed in, or the sign-in has ended.",
	403: "Whoever asks may not do it.",
	404: "What is named is not there.",
	408: "The body did not arrive in time, or whoever asked went before the answer.",
	409: "The present state, or somebody else's change, is in the way.",
	412: "It is not any more as the tag in If-Match says.",
	413: "The body is too large.",
	415: "The body is of another type than is taken.",
	422: "What was given is wrong; places says what and where.",
	429: "Too many at once; wait, and ask again.",
	500: "Something went wrong inside Cirque; the log has the cause.",
	503: "What is needed for it does not answer; it may be asked again.",
}

// headers are what changes and reads may be sent with.
var headers = map[string]string{
	api.OnceHeader:  "Sent again with the same key, the change is done once and answered as it was the first time.",
	"If-Match":      "Done only while what is read at this address, or the draft or the estate, has this tag; else 412.",
	"If-None-Match": "The tag (ETag) of what is known already: where it has it still, 304.",
}

func describeOperation(op *huma.Operation, path string) {
	op.Tags = []string{tagOfPath(path)}
	reads, _ := op.Metadata[readsKey].(bool)
	changes := op.Method != http.MethodGet && !reads
	open := op.Security != nil && len(op.Security) == 0
	statuses := []int{404, 408, 409, 413, 422, 500, 503} // also where something is named by a parameter
	if !open {
		statuses = append(statuses, 401, 403)
	}
	if op.RequestBody != nil {
		statuses = append(statuses, 400, 415)
	}
	if changes {
		statuses = append(statuses, 429)
		op.Parameters = append(op.Parameters, header(api.OnceHeader), header("If-Match"))
		statuses = append(statuses, 412)
	}
	if op.Method == http.MethodGet && path != "/api/v1/watch" && strings.HasPrefix(path, "/api/v1/") {
		op.Parameters = append(op.Parameters, header("If-None-Match"))
		op.Responses["304"] = &huma.Response{Ref: "#/components/responses/304"}
	}
	for _, status := range statuses {
		op.Responses[strconv.Itoa(status)] = &huma.Response{Ref: "#/components/responses/" + strconv.Itoa(status)}
	}
}

func header(name string) *huma.Param { return &huma.Param{Ref: "#/components/parameters/" + name} }
