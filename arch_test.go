package cirque_test

import (
	"errors"
	"fmt"
	"go/ast"
	"go/build"
	"go/parser"
	"go/token"
	"io/fs"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// The arrows of the architecture, as they stand in docs/reference/architecture.md. A package may import those of the
// module that its row names and no others; "core" and "standard" stand for all of their kind. This is a statement of
// policy: do not change it to make a build pass.
var arrows = map[string][]string{
	"core/access": {"core/estate", "core/fault", "core/name"},
	"core/adopt":  {"core/document", "core/driver", "core/estate", "core/fault", "core/stock", "core/words"},
	"core/advert": {"core/estate", "core/words"},
	"core/bulk":   {"core/document", "core/estate", "core/fault", "core/stock"},
	"core/continuity": {"core/endpoint", "core/estate", "core/lineup", "core/live", "core/name", "core/path", "core/server",
		"core/words"},
	"core/decommission": {"core/driver", "core/estate", "core/fault", "core/span", "core/stock", "core/words"},
	"core/directory":    {"core/document", "core/fault", "core/name"},
	"core/document":     {"core/fault", "core/words"},
	"core/driver":       {"core/estate", "core/fault", "core/name"},
	"core/endpoint": {"core/directory", "core/estate", "core/fault", "core/lineup", "core/name",
		"core/words"},
	"core/estate": {"core/document", "core/fault", "core/hours", "core/name", "core/span", "core/words"},
	"core/event":  {},
	"core/fault":  {},
	"core/findings": {"core/directory", "core/document", "core/driver", "core/estate", "core/lineup", "core/server",
		"core/stock"},
	"core/fleet": {"core/endpoint", "core/estate", "core/lineup", "core/name", "core/page"},
	"core/hours": {},
	"core/job":   {"core/estate", "core/fault", "core/lineup", "core/live"},
	"core/lease": {},
	"core/lineup": {"core/directory", "core/document", "core/estate", "core/fault", "core/hours",
		"core/live", "core/name", "core/path"},
	"core/instance": {"core/access", "core/directory", "core/document", "core/fault", "core/name", "core/span",
		"core/words"},
	"core/live":      {},
	"core/name":      {},
	"core/notice":    {"core/estate"},
	"core/page":      {},
	"core/password":  {},
	"core/path":      {"core/estate", "core/live"},
	"core/person":    {"core/access", "core/directory", "core/endpoint", "core/event"},
	"core/promise":   {"core/directory", "core/estate", "core/fault", "core/lineup", "core/name", "core/words"},
	"core/readiness": {"core/endpoint", "core/fault", "core/words"},
	"core/update":    {"core/fault", "core/name", "core/words"},
	"core/server": {"core/directory", "core/estate", "core/fault", "core/hours", "core/name", "core/span", "core/stock",
		"core/words"},
	"core/snapshot": {},
	"core/span":     {},
	"core/rehearse": {"core/directory", "core/document", "core/estate", "core/fault", "core/hours",
		"core/lineup", "core/live", "core/name", "core/promise"},
	"core/stock":                    {"core/document", "core/driver", "core/estate", "core/fault", "core/words"},
	"core/words":                    {},
	"internal/agentproto":           {},
	"internal/ipp":                  {},
	"internal/ldif":                 {},
	"internal/dhcp":                 {},
	"internal/whole":                {},
	"internal/backup":               {"core/fault"},
	"internal/winspool":             {},
	"internal/windows":              {"core", "internal/winspool"},
	"internal/factor":               {"core/fault"},
	"internal/snmp":                 {},
	"internal/httpsig":              {},
	"internal/syslog":               {},
	"internal/pwg":                  {},
	"internal/api":                  {"core"},
	"internal/postgres":             {"core", "internal/postgres/cluster"},
	"internal/postgres/cluster":     {"core/fault", "internal/whole"},
	"internal/service":              {"core", "rooms", "internal/service/present", "internal/service/worker"},
	"internal/service/present":      {"core"},
	"internal/service/worker":       {"core"},
	"internal/service/tries":        {"core"},
	"internal/service/adopt":        {"core", "internal/service/present"},
	"internal/service/adverts":      {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/alerts":       {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/audit":        {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/continuity":   {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/decommission": {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/drafts":       {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/drivers":      {"core", "internal/service/present"},
	"internal/service/enrolment":    {"core", "internal/service/present", "internal/service/tries"},
	"internal/service/factors":      {"core", "internal/factor", "internal/service/present", "internal/service/tries"},
	"internal/service/fleet":        {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/identity": {"core", "internal/service/present", "internal/service/tries",
		"internal/service/worker"},
	"internal/service/jobs": {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/printing": {"core", "internal/pages", "internal/service/present", "internal/service/worker",
		"internal/spool"},
	"internal/service/keepers": {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/lineups": {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/links":   {"core", "internal/service/present"},
	"internal/service/once":    {"core"},
	"internal/service/people":  {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/updates": {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/places":  {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/proofs":  {"core", "internal/service/present"},
	"internal/service/secrets": {"core", "internal/agentproto", "internal/service/present",
		"internal/service/worker"},
	"internal/service/snapshots": {"core", "internal/service/present"},
	"internal/service/sources":   {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/stock":     {"core", "internal/service/present", "internal/service/worker"},
	"internal/service/views":     {"core"},
	"internal/ca":                {"core", "internal/whole"},
	"internal/probe": {"core", "standard", "internal/probe/dial", "internal/probe/fetch", "internal/probe/ipp",
		"internal/probe/snmp"},
	"internal/probe/dial":   {"core"},
	"internal/probe/ipp":    {"core", "standard", "internal/probe/dial"},
	"internal/probe/ldap":   {"core", "standard", "internal/probe/dial"},
	"internal/probe/fetch":  {"core", "internal/probe/dial"},
	"internal/probe/mail":   {"core", "standard", "internal/probe/dial"},
	"internal/probe/snmp":   {"core", "standard", "internal/probe/dial"},
	"internal/probe/syslog": {"core", "standard", "internal/probe/dial"},
	"internal/front":        {},
	"docs":                  {},
	"internal/httpapi": {"core", "docs", "internal/api", "internal/service", "rooms", "internal/service/present",
		"internal/agentproto",
		"standard"},
	"internal/gateway": {"core", "internal/service/printing", "standard"},
	"internal/pages":   {},
	"internal/convert": {"core/fault", "core/job", "internal/ipp", "internal/pages"},
	"internal/spool":   {"core/fault", "core/job", "core/stock"},
	"internal/install": {"core/fault", "core/update", "core/words", "internal/whole"},
	"internal/agent": {"core", "internal/agentproto", "internal/install", "standard", "internal/probe/dial",
		"internal/probe/ipp", "internal/whole", "internal/windows", "internal/winspool"},
	"internal/story":        {},
	"internal/story/ondemo": {"internal/app", "internal/cli", "internal/cmdline", "internal/sim"},
	"internal/sim": {"core", "internal/agentproto", "standard", "internal/probe/dial", "internal/probe/ipp",
		"internal/agent", "internal/whole"},
	"internal/large":     {"core"},
	"internal/apiclient": {"core", "internal/api"},
	"client":             {"core", "internal/api", "internal/apiclient", "internal/httpsig"},
	"internal/cmdline":   {"core/fault", "core/name", "core/span", "core/words"},
	"internal/cli": {"core", "internal/api", "internal/apiclient", "internal/backup", "internal/cmdline",
		"internal/whole"},
	"internal/agentcli": {"core/fault", "core/words", "internal/agent", "internal/install", "internal/cmdline",
		"internal/windows"},
	"internal/app/stores": {"internal/postgres", "internal/service"},
	"internal/app": {"all but", "client", "internal/agentcli", "internal/cli", "internal/cmdline",
		"internal/testkit"},
	"internal/testkit":               {"all but"},
	"internal/testkit/described":     {"internal/httpapi"},
	"internal/testkit/worlds":        {"core"},
	"internal/testkit/rooms":         {"core", "internal/service/present"},
	"internal/testkit/conform":       {"core", "internal/agent"},
	"internal/testkit/windowsparts":  {"internal/windows", "internal/winspool"},
	"internal/testkit/wine":          {},
	"internal/testkit/specification": {},
	"internal/testkit/guide":         {},
	"demo":                           {},
	"cmd/cirque": {"internal/app", "internal/backup", "internal/cli", "internal/cmdline", "internal/story", "internal/story/ondemo", "demo",
		"core/endpoint", "core/fault"},
	"cmd/cirque-agent":    {"internal/agentcli", "internal/cmdline"},
	"cmd/cirque-sim":      {"internal/sim", "internal/large", "internal/whole"},
	"cmd/manual":          {"internal/agentcli", "internal/cli"},
	"cmd/openapi":         {"internal/httpapi"},
	"scripts/conformance": {},
	"scripts/problems":    {},
	"scripts/sbom":        {},
	"test":                {"all but"},
	"":                    {},
}

// The rooms of the service: each holds some use cases, and imports no other room.
var rooms = []string{"internal/service/adopt", "internal/service/adverts", "internal/service/alerts",
	"internal/service/audit", "internal/service/continuity", "internal/service/decommission", "internal/service/drafts",
	"internal/service/drivers", "internal/service/enrolment", "internal/service/factors", "internal/service/fleet",
	"internal/service/identity",
	"internal/service/jobs", "internal/service/lineups", "internal/service/links", "internal/service/once",
	"internal/service/people", "internal/service/places", "internal/service/printing", "internal/service/updates", "internal/service/keepers",
	"internal/service/proofs", "internal/service/secrets", "internal/service/snapshots", "internal/service/sources",
	"internal/service/views",
	"internal/service/stock"}

var standards = []string{"internal/dhcp", "internal/ipp", "internal/ldif", "internal/snmp", "internal/pwg",
	"internal/httpsig", "internal/syslog"}

// Third-party packages, by the path of the module's root, and who may import them.
var thirdParty = map[string][]string{
	"github.com/gin-gonic/gin":            {"internal/httpapi"},
	"github.com/danielgtaylor/huma/v2":    {"internal/httpapi", "internal/testkit/described"},
	"github.com/pires/go-proxyproto":      {"internal/front"},
	"github.com/prometheus/client_golang": {"internal/httpapi"},
	"filippo.io/age":                      {"internal/backup"},
	"github.com/klauspost/compress":       {"internal/backup"},
	"github.com/jackc/pgx/v5": {"internal/postgres", "internal/postgres/cluster", "internal/app",
		"internal/testkit"},
	"github.com/pressly/goose/v3": {"internal/postgres", "internal/app"},
	"github.com/spf13/cobra":      {"internal/agentcli", "internal/cli", "internal/cmdline", "cmd/cirque-sim", "cmd/manual"},
	"github.com/spf13/pflag":      {"internal/agentcli", "internal/cli", "internal/cmdline"},
	"github.com/gaissmai/bart":    {"core/lineup"},
	"go.yaml.in/yaml/v3": {"core/document", "core/estate", "core/instance", "internal/cmdline", "internal/story",
		"internal/probe/dial",
		"internal/agent", "internal/cli", "internal/sim", "internal/app", "cmd/cirque-sim"},
	"github.com/cespare/xxhash/v2": {"internal/service/lineups"},
	"github.com/hashicorp/golang-lru/v2": {"internal/service/present", "internal/service/tries",
		"internal/service/drafts"},
	"golang.org/x/sync": {"internal/service/present", "internal/service/updates", "internal/service/fleet",
		"internal/service/stock",
		"internal/service/continuity", "internal/service/decommission"},
	"golang.org/x/crypto": {"internal/service/identity", "internal/ca", "internal/backup"},
	"golang.org/x/sys": {"internal/probe/syslog", "internal/agent", "internal/install", "internal/whole",
		"internal/windows",
		"internal/winspool", "internal/convert"},
	"golang.org/x/term":               {"internal/agentcli", "internal/cli", "internal/cmdline"},
	"golang.org/x/image":              {"internal/pwg"},
	"github.com/gosnmp/gosnmp":        {"internal/probe/snmp", "internal/sim"},
	"github.com/emersion/go-smtp":     {"internal/sim"},
	"github.com/emersion/go-sasl":     {"internal/sim"},
	"github.com/go-ldap/ldap/v3":      {"internal/probe/ldap"},
	"github.com/go-asn1-ber/asn1-ber": {"internal/probe/ldap"},
	"codeberg.org/go-pdf/fpdf":        {"internal/service/jobs", "internal/agent"},
	"github.com/pdfcpu/pdfcpu":        {"internal/pages"},
	"github.com/go-webauthn/webauthn": {"internal/factor"},
	"github.com/pquerna/otp":          {"internal/factor"},
	"github.com/chromedp/chromedp":    {"test"},
	"github.com/chromedp/cdproto":     {"test"},
}

// What computes may not reach: the network, the system, the clock's helpers, other goroutines.
var notInCore = []string{"net", "net/http", "os", "os/exec", "context", "sync", "sync/atomic", "log", "log/slog",
	"math/rand", "math/rand/v2", "io/ioutil", "syscall"}

// packages reads what each package imports from its files, so that the test's cached result is for these files and no
// others.
func packages(t *testing.T) []*build.Package {
	t.Helper()
	var list []*build.Package
	err := filepath.WalkDir(".", func(dir string, e fs.DirEntry, err error) error {
		if err != nil || !e.IsDir() {
			return err
		}
		ours := []string{"testdata", "node_modules", "bench", "packaging"} // and modules of their own
		if n := e.Name(); dir != "." && (slices.Contains(ours, n) || strings.HasPrefix(n, ".") || strings.HasPrefix(n, "_")) {
			return filepath.SkipDir
		}
		p, err := build.ImportDir(dir, 0)
		if _, none := errors.AsType[*build.NoGoError](err); none {
			return nil
		}
		list = append(list, p)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return list
}

func TestArrows(t *testing.T) {
	t.Parallel()
	for _, p := range packages(t) {
		name := strings.TrimPrefix(filepath.ToSlash(p.Dir), ".")
		may, known := arrows[name]
		if !known {
			t.Errorf("%s has no row in arrows", p.Dir)
			continue
		}
		computes := strings.HasPrefix(name, "core/") || slices.Contains(standards, name)
		for _, imp := range p.Imports {
			own, isOwn := strings.CutPrefix(imp, "cirque/")
			switch {
			case isOwn && !allowed(may, own):
				t.Errorf("%s may not import %s", name, own)
			case isOwn:
			case strings.Contains(strings.Split(imp, "/")[0], "."):
				module := moduleOf(imp)
				if !slices.Contains(thirdParty[module], name) {
					t.Errorf("%s may not import %s", name, imp)
				}
			case computes && slices.Contains(notInCore, imp):
				t.Errorf("%s computes, and may not import %s", name, imp)
			}
		}
	}
}

func moduleOf(imp string) string {
	for m := range thirdParty {
		if imp == m || strings.HasPrefix(imp, m+"/") {
			return m
		}
	}
	return imp
}

func allowed(may []string, own string) bool {
	if len(may) > 0 && may[0] == "all but" {
		return !slices.Contains(may[1:], own)
	}
	return slices.ContainsFunc(may, func(m string) bool {
		switch m {
		case "core":
			return strings.HasPrefix(own, "core/")
		case "standard":
			return slices.Contains(standards, own)
		case "rooms":
			return slices.Contains(rooms, own)
		}
		return m == own
	})
}

// impure are functions of the standard library that look at the clock, wait, or load what lies on the machine.
var impure = map[string][]string{"time": {"Now", "Since", "Until", "Sleep", "After", "AfterFunc", "Tick", "NewTimer",
	"NewTicker", "LoadLocation"}}

// TestCoreIsPure reads the syntax tree of everything that computes: no goroutine, no channel, no clock. Imports are
// seen to by TestArrows.
func TestCoreIsPure(t *testing.T) {
	t.Parallel()
	dirs, err := filepath.Glob("core/*")
	if err != nil || len(dirs) == 0 {
		t.Fatal(dirs, err)
	}
	for _, dir := range append(dirs, standards...) {
		files, err := filepath.Glob(dir + "/*.go")
		if err != nil || len(files) == 0 {
			t.Error(dir, "holds no code:", err)
		}
		for _, f := range files {
			if !strings.HasSuffix(f, "_test.go") {
				pure(t, f, nil)
			}
		}
	}
}

// TestPurityIsSeen: what must not be in core would be found.
func TestPurityIsSeen(t *testing.T) {
	t.Parallel()
	for _, body := range []string{"go func() {}()", "go s.run()", "_ = time.Now()", "_ = clock.Since(at)",
		"f := time.Now; _ = f()",
		"time.AfterFunc(0, nil)", "ch := make(chan int); _ = ch", "select {}"} {
		src := "package x\nimport \"time\"\nimport clock \"time\"\nfunc f() { " + body + " }"
		var seen recorder
		pure(&seen, "x.go", []byte(src))
		if len(seen) == 0 {
			t.Errorf("%s passes", body)
		}
	}
}

// recorder takes the place of a test.
type recorder []string

func (r *recorder) Errorf(format string, args ...any) { *r = append(*r, fmt.Sprintf(format, args...)) }
func (r *recorder) Helper()                           {}

// pure complains of what computes and does more; src is the file's text, or nil to read it.
func pure(t interface {
	Helper()
	Errorf(format string, args ...any)
}, name string, src []byte) {
	t.Helper()
	set := token.NewFileSet()
	var text any
	if src != nil {
		text = src
	}
	file, err := parser.ParseFile(set, name, text, 0)
	if err != nil {
		t.Errorf("%v", err)
		return
	}
	called := map[string]string{} // packages, by what the file calls them
	for _, imp := range file.Imports {
		p := strings.Trim(imp.Path.Value, `"`)
		called[path.Base(p)] = p
		if imp.Name != nil {
			called[imp.Name.Name] = p
		}
	}
	ast.Inspect(file, func(n ast.Node) bool {
		at := func(what string) { t.Errorf("%s: %s", set.Position(n.Pos()), what) }
		switch n := n.(type) {
		case *ast.GoStmt:
			at("a goroutine")
		case *ast.SelectStmt, *ast.ChanType, *ast.SendStmt:
			at("a channel")
		case *ast.SelectorExpr:
			if x, ok := n.X.(*ast.Ident); ok && slices.Contains(impure[called[x.Name]], n.Sel.Name) {
				at(called[x.Name] + "." + n.Sel.Name)
			}
		}
		return true
	})
}

// TestAgentIsSmall: what an endpoint runs holds no client of directories, mail or SNMP, no database and no web server's
// framework.
func TestAgentIsSmall(t *testing.T) {
	t.Parallel()
	out, err := exec.Command("go", "list", "-deps", "./cmd/cirque-agent").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, dep := range strings.Fields(string(out)) {
		for _, no := range []string{"net/smtp", "cirque/internal/probe/ldap", "cirque/internal/probe/mail",
			"cirque/internal/probe/snmp", "cirque/internal/service", "cirque/internal/postgres"} {
			if dep == no || strings.HasPrefix(dep, no+"/") {
				t.Errorf("the agent holds %s", dep)
			}
		}
		for _, no := range []string{"go-ldap", "gosnmp", "gin-gonic", "huma", "pgx", "go-smtp"} {
			if strings.Contains(dep, no) {
				t.Errorf("the agent holds %s", dep)
			}
		}
	}
}
