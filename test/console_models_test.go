package test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	cdp "github.com/chromedp/chromedp"
)

// TestConsoleModels: what of the console is neither drawn nor asked for, in the browser in which it runs. Each line is
// an expression of JavaScript, and the JSON that it is to give.
func TestConsoleModels(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	cmd := exec.CommandContext(t.Context(), "npx", "--no-install", "vite", "build", "--config", "vite.models.config.ts",
		"--outDir", dir, "--emptyOutDir", "false")
	cmd.Dir = "../web"
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	script, err := os.ReadFile(filepath.Join(dir, "models.js"))
	if err != nil {
		t.Fatal(err)
	}
	p := &page{t: t, ctx: tab(t)}
	if _, err := cdp.Run(p.ctx, cdp.Evaluate[bool](string(script)+"; globalThis.models = models; true")); err != nil {
		t.Fatal(err)
	}
	for _, c := range [][2]string{
		// Pages: where the version before had them, which are offered, and where one is.
		{`models.pages.moved("/servers", "?show=sets")`, `"/continuity?show=sets"`},
		{`models.pages.moved("/servers", "?show=duty&server=ps-1")`, `"/continuity?server=ps-1"`},
		{`models.pages.moved("/servers", "?show=exercises")`, `"/continuity?show=failover-tests"`},
		{`models.pages.moved("/servers", "?show=keys")`, `"/keys"`},
		{`models.pages.moved("/servers", "?show=queues")`, `null`},
		{`models.pages.moved("/servers", "")`, `null`},
		{`models.pages.moved("/devices", "?show=sets")`, `null`},
		{`models.pages.offered([]).map((g) => g.word).join()`,
			`"Overview,Who gets what,Printing,Endpoints,Changes,Settings"`},
		{`models.pages.offered([]).flatMap((g) => g.pages).some((p) => p.to === "/draft")`, `false`},
		{`models.pages.groupOf("/people/mira", models.pages.groups).word`, `"Who gets what"`},
		{`models.pages.groupOf("/", models.pages.groups).word`, `"Overview"`},
		{`models.pages.groupOf("/nowhere", models.pages.groups) === undefined`, `true`},
		// Grants in words, and hours out of words.
		{`models.grants.whom({name: "g", effect: "place", queues: [], to: ["group:a", "user:b"], at: ["location:x"]})`,
			`"group:a or user:b, at location:x"`},
		{`models.grants.whom({name: "g", effect: "place", queues: []})`, `"whoever is there, also nobody"`},
		{`models.hours.readHours("fri-mon 22:00-06:00").days.join()`, `"fri,sat,sun,mon"`},
		{`models.hours.readHours("08:00-12:00").days === undefined`, `true`},
		{`models.hours.readHours("fry 08:00-12:00")`, `null`},
		{`models.hours.readHours("from eight")`, `null`},
		// A week, drawn and read back: the same half hours, days with the same hours together.
		{`JSON.stringify(models.hours.windowsOf(models.hours.weekOf([{days: ["mon", "tue"], from: "08:00", to: "17:30"}])))`,
			`"[{\"days\":[\"mon\",\"tue\"],\"from\":\"08:00\",\"to\":\"17:30\"}]"`},
		{`JSON.stringify(models.hours.windowsOf(models.hours.weekOf([{from: "09:00", to: "10:00"}])))`,
			`"[{\"from\":\"09:00\",\"to\":\"10:00\"}]"`},
		{`JSON.stringify(models.hours.windowsOf(models.hours.weekOf([{days: ["sun"], from: "22:00", to: "01:30"}])))`,
			`"[{\"days\":[\"mon\"],\"from\":\"00:00\",\"to\":\"01:30\"},{\"days\":[\"sun\"],\"from\":\"22:00\",\"to\":\"00:00\"}]"`},
		{`models.hours.windowsOf(models.hours.weekOf([])).length`, `0`},
		{`models.hours.drawable([{from: "08:15", to: "09:00"}])`, `false`},
		{`JSON.stringify(models.estate.tidied({a: "", b: [], c: {d: ""}, e: 0, f: false, g: {h: ["x"], i: null}}))`,
			`"{\"e\":0,\"g\":{\"h\":[\"x\"]}}"`},
		{`models.grants.tidy({name: "g", effect: "place", queues: [], to: [], default: 0, note: ""})`,
			`{"name":"g","effect":"place","queues":[]}`},
		// Queues are narrowed by every word, and by where they lie.
		{`models.queues.narrow([{name: "hall", location: "ard/quay", through: [], grants: ["all"]}, {name: "yard",
			location: "ardor", through: [], grants: []}], {word: "", location: "ard", label: "",
				state: ""}).map((q) => q.name)`,
			`["hall"]`},
		{`models.queues.narrow([{name: "hall", title: "Booking", through: ["device d"], grants: []}], {word: "BOOK d",
			location: "", label: "", state: ""}).length`,
			`1`},
		{`models.queues.narrow([{name: "hall", retired: true, paused: true, through: [], grants: []}], {word: "",
			location: "", label: "", state: "paused"}).length`,
			`0`},
		{`models.endpoints.wrong({failure: {step: "add", queue: "hall", says: "no driver"}, failures: 3, drift: 1})`,
			`"add of hall: no driver; and 2 more"`},
		{`models.endpoints.wrong({failures: 0, drift: 1, differs: {kind: "missing", queue: "hall", user: "mira"}})`,
			`"hall is missing for mira"`},
		{`models.endpoints.wrong({failures: 0, drift: 0})`, `""`},
		{`models.stock.hostOf("ipp://[2001:db8::1]:631/ipp/print")`, `"2001:db8::1"`},
		{`models.stock.hostOf("ipp://10.40.8.31/ipp/print")`, `"10.40.8.31"`},
		{`models.stock.named({found: "Hall Mono", queue: {name: "hall-mono", paths: [{server: "ps-1"}]}},
			"Hall Mono").queue.paths[0].remote_name === undefined`,
			`true`},
		{`models.stock.named({found: "Hall Mono", queue: {name: "x", paths: [{server: "ps-1"}, {device: "d"}]}},
			"hall").queue.paths`,
			`[{"server":"ps-1","remote_name":"Hall Mono"},{"device":"d"}]`},
		{`models.stock.lacking({queue: {name: "Hall"}}, new Set(), [])`, `"small letters, digits, dots and dashes"`},
		{`models.stock.lacking({queue: {name: "hall"}}, new Set(["hall"]), [])`, `"the estate has a queue of that name"`},
		{`models.stock.lacking({queue: {name: "hall"}}, new Set(), ["hall", "hall"])`, `"two of these have that name"`},
		{`models.stock.dutyWord("serving", .25)`, `"returning, 25 % of its people"`},
		{`models.site.drawSite({queues: [{name: "hall", location: "ard", devices: ["d"], paths: [{device: "d"}]},
			{name: "old", location: "ard", retired: true}]}, "ard", [], [{name: "d",
				differs: []}]).nodes.map((n) => n.name).sort()`,
			`["d","hall"]`},
		// What a problem says of single fields: by its places, or by the first word of its code.
		{`models.forms.fieldsOf(new models.ProblemError({code: "mac-invalid", detail: "no mac", status: 422,
			fix: "write it"}))`,
			`{"mac":"no mac; write it"}`},
		{`models.forms.fieldsOf(new models.ProblemError({code: "x", detail: "d", status: 422, places: [{place: "a",
			what: "w"}]}))`,
			`{"a":"w"}`},
		{`models.forms.fieldsOf(new models.ProblemError({code: "address-bad", detail: "d", status: 422}), {address: "uri"})`,
			`{"uri":"d"}`},
		{`models.forms.fieldsOf(new Error("no"))`, `{}`},
		// Small words.
		{`models.words.list(["a", "b", "c"])`, `"a, b and c"`},
		{`models.words.count(2, "directory")`, `"2 directories"`},
		{`models.words.count(1, "person")`, `"1 person"`},
		{`models.time.ago("2026-11-23T10:00:00Z", Date.parse("2026-11-23T12:30:00Z"))`, `"2 h ago"`},
		{`models.time.ago("2026-11-23T10:00:00Z", Date.parse("2026-11-23T09:00:00Z"))`, `"just now"`},
		{`models.among.among(["a", "b"], "c") === undefined`, `true`},
		{`models.among.keysOf({x: 1, y: 2})`, `["x","y"]`},
	} {
		expression, want := c[0], c[1]
		got, err := cdp.Run(p.ctx, cdp.Evaluate[string]("JSON.stringify("+expression+")"))
		if err != nil {
			t.Errorf("%s: %v", expression, err)
			continue
		}
		if !json.Valid([]byte(got)) || got != want {
			t.Errorf("%s\n gives %s\n want  %s", expression, got, want)
		}
	}
}
