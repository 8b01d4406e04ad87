// Command problems lists every problem that the service may answer with, out of the source: each call of fault.New with
// its code, the sentence and the fix. It writes internal/httpapi/problems.json, and with -table the reference's page.
package main

import (
	"cmp"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// status of each kind, as internal/httpapi answers them.
var status = map[string]int{"Invalid": 422, "Unknown": 404, "Conflict": 409, "Unsigned": 401, "Denied": 403,
	"TooMany": 429, "TooLarge": 413, "Unavailable": 503, "Internal": 500, "precondition": 412, "left": 408}

type row struct {
	Code   string `json:"code"`
	Status int    `json:"status"`
	Says   string `json:"says"`
	Fix    string `json:"fix,omitempty"`
}

// notServed are parts whose faults no request meets: they speak at the command line, or at the endpoint.
var notServed = []string{"internal/cli", "internal/cmdline", "internal/agentcli", "internal/apiclient", "internal/sim",
	"internal/testkit", "internal/agent", "internal/whole"}

func main() {
	rows, err := read()
	if err != nil {
		fmt.Fprintln(os.Stderr, "problems:", err)
		os.Exit(1)
	}
	if len(os.Args) > 1 && os.Args[1] == "-table" {
		table(rows)
		return
	}
	enc := json.NewEncoder(os.Stdout)
	enc.SetEscapeHTML(false)
	fmt.Println("[")
	for i, r := range rows {
		b, _ := json.Marshal(r) // texts and a number
		end := ","
		if i == len(rows)-1 {
			end = ""
		}
		fmt.Println("  " + strings.NewReplacer(`\u003c`, "<", `\u003e`, ">", `\u0026`, "&").Replace(string(b)) + end)
	}
	fmt.Println("]")
}

func read() ([]row, error) {
	found := map[string]row{}
	consts := map[string]string{}
	var calls []row
	err := filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name = filepath.ToSlash(name)
		if d.IsDir() && (name != "." && strings.HasPrefix(d.Name(), ".") || d.Name() == "node_modules" ||
			slices.Contains(notServed, name)) {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") ||
			!strings.HasPrefix(name, "core/") && !strings.HasPrefix(name, "internal/") {
			return nil
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.ValueSpec:
				for i, id := range n.Names {
					if i < len(n.Values) {
						if s, ok := text(n.Values[i]); ok {
							consts[id.Name] = s
						}
					}
				}
			case *ast.CallExpr:
				if r, ok := call(n); ok {
					calls = append(calls, r)
				}
			case *ast.AssignStmt:
				if r, ok := chosen(n); ok {
					calls = append(calls, r)
				}
			case *ast.CompositeLit:
				if r, ok := cause(n); ok {
					calls = append(calls, r)
				}
			}
			return true
		})
		return nil
	})
	for _, r := range calls {
		if name, ok := strings.CutPrefix(r.Code, "$"); ok {
			if r.Code = consts[name]; r.Code == "" {
				continue // made elsewhere, and passed on
			}
		}
		if was, there := found[r.Code]; !there || len(r.Says) > len(was.Says) {
			found[r.Code] = r
		}
	}
	for _, kind := range []string{"user", "group", "unit", "machine", "person", "server", "device"} {
		code := kind + "-unknown"
		if _, there := found[code]; !there {
			found[code] = row{code, status["Unknown"], "there is no " + kind + " …", "see cirque directory find"}
		}
	}
	for _, r := range more {
		found[r.Code] = r
	}
	var out []row
	for _, r := range found {
		out = append(out, r)
	}
	slices.SortFunc(out, func(a, b row) int { return cmp.Compare(a.Code, b.Code) })
	return out, err
}

// more are those that are not made by fault.New.
var more = []row{
	{"body-too-large", 413, "the body is too large", "send less at once"},
	{"body-slow", 408, "the body did not arrive in time", "send it again"},
	{"body-unreadable", 400, "the body is missing, or cannot be read", ""},
	{"media-type", 415, "the body is of another type than is taken", "send application/json"},
	{"request-invalid", 422, "what was sent is not as the description says",
		"see the API's description at /api/openapi.yaml"},
	{"method-not-allowed", 405, "the method is not for this address", "see the Allow header"},
	{"host-unknown", 421, "the service is not asked for by this name", "name it with --public-url"},
	{"internal", 500, "something went wrong inside Cirque", "the service's log has the cause"},
}

var code = regexp.MustCompile(`^[a-z]+(-[a-z]+)*$`)

// chosen reads code, what, fix = "...", "...", "...": of a connection that fails.
func chosen(n *ast.AssignStmt) (row, bool) {
	if id, ok := n.Lhs[0].(*ast.Ident); !ok || id.Name != "code" || len(n.Lhs) != 3 || len(n.Rhs) != 3 {
		return row{}, false
	}
	return filled(n.Rhs[0], n.Rhs[1], n.Rhs[2], status["Unavailable"])
}

// cause reads what the database's own errors come to: {code, what, fix}.
func cause(n *ast.CompositeLit) (row, bool) {
	if len(n.Elts) != 3 || n.Type != nil && !named(n.Type, "cause") {
		return row{}, false
	}
	return filled(n.Elts[0], n.Elts[1], n.Elts[2], status["Unavailable"])
}

func named(e ast.Expr, name string) bool {
	id, ok := e.(*ast.Ident)
	return ok && id.Name == name
}

func filled(c, what, fix ast.Expr, status int) (row, bool) {
	r := row{Status: status}
	var ok bool
	if r.Code, ok = text(c); !ok {
		if sel, is := c.(*ast.SelectorExpr); is {
			r.Code, ok = "$"+sel.Sel.Name, true
		}
	}
	if call, is := what.(*ast.CallExpr); is && len(call.Args) > 0 { // fmt.Sprintf
		what = call.Args[0]
	}
	r.Says, _ = text(what)
	r.Fix, _ = text(fix)
	r.Says, r.Fix = verbs.ReplaceAllString(r.Says, "…"), verbs.ReplaceAllString(r.Fix, "…")
	return r, ok && r.Says != "" && (strings.HasPrefix(r.Code, "$") || code.MatchString(r.Code))
}

// call reads a call of fault.New(kind, code, fix, what, ...), or of a function named invalid(code, fix, what, ...).
func call(n *ast.CallExpr) (row, bool) {
	if id, ok := n.Fun.(*ast.Ident); ok && id.Name == "invalid" && len(n.Args) >= 3 {
		return filled(n.Args[0], n.Args[2], n.Args[1], status["Invalid"])
	}
	sel, ok := n.Fun.(*ast.SelectorExpr)
	if !ok || sel.Sel.Name != "New" || len(n.Args) < 4 {
		return row{}, false
	}
	if pkg, ok := sel.X.(*ast.Ident); !ok || pkg.Name != "fault" {
		return row{}, false
	}
	r := row{}
	switch k := n.Args[0].(type) {
	case *ast.SelectorExpr:
		r.Status = status[k.Sel.Name]
	case *ast.Ident:
		r.Status = cmp.Or(status[k.Name], status["Invalid"])
	}
	switch c := n.Args[1].(type) {
	case *ast.Ident:
		r.Code = "$" + c.Name
	case *ast.SelectorExpr:
		r.Code = "$" + c.Sel.Name
	default:
		r.Code, ok = text(c)
	}
	r.Says, _ = text(n.Args[3])
	r.Fix, _ = text(n.Args[2])
	r.Says, r.Fix = verbs.ReplaceAllString(r.Says, "…"), verbs.ReplaceAllString(r.Fix, "…")
	return r, ok && r.Code != "" && r.Status > 0
}

var verbs = regexp.MustCompile(`%[-+# 0-9.]*[a-zA-Z]`)

// text reads a constant text; what is put into it is an ellipsis.
func text(e ast.Expr) (string, bool) {
	switch e := e.(type) {
	case *ast.BasicLit:
		s, err := strconv.Unquote(e.Value)
		return s, err == nil && e.Kind == token.STRING
	case *ast.BinaryExpr:
		a, okA := text(e.X)
		b, okB := text(e.Y)
		if !okA {
			a = "…"
		}
		if !okB {
			b = "…"
		}
		return a + b, okA || okB
	}
	return "", false
}

func table(rows []row) {
	fmt.Print("# Problems\n\nWhat the API answers where something does not go (RFC 9457): the code stays, for programs; " +
		"the sentence is for people, and says what\nstands for each `…`. The client and the console tell the same. " +
		"Made from the source: `make openapi`.\n\n| code | status | says | to mend it |\n|---|---|---|---|\n")
	cell := strings.NewReplacer("|", `\|`, "\n", " ", "<", "&lt;")
	for _, r := range rows {
		fmt.Printf("| `%s` | %d | %s | %s |\n", r.Code, r.Status, cell.Replace(r.Says), cell.Replace(r.Fix))
	}
}
