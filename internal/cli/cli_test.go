package cli

import (
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"cirque/internal/cmdline"

	"github.com/spf13/cobra"
)

// aService answers every request alike, and remembers what it was asked.
type aService struct {
	*httptest.Server
	mu    sync.Mutex
	asked []string
}

func newService(t *testing.T, answer string) *aService {
	s := &aService{}
	s.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.mu.Lock()
		s.asked = append(s.asked, r.Method+" "+r.URL.RequestURI())
		s.mu.Unlock()
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write([]byte(answer))
	}))
	t.Cleanup(s.Close)
	return s
}

// run executes a command line against the service.
func (s *aService) run(t *testing.T, args ...string) (code int, out, errs string) {
	var o, e bytes.Buffer
	code = Execute(t.Context(), Local{}, args, cmdline.Streams{In: strings.NewReader(""), Out: &o, Err: &e},
		func(key string) string { return map[string]string{"CIRQUE_URL": s.URL, "CIRQUE_TOKEN": "t"}[key] })
	return code, o.String(), e.String()
}

// TestFormerWords: commands and flags of the version before go on working, and say on standard error how they are
// written now.
func TestFormerWords(t *testing.T) {
	t.Parallel()
	for line, want := range map[string]struct{ asks, note string }{
		"photograph list":            {"GET /api/v1/snapshots?limit=1000", "cirque snapshot list"},
		"photograph remove before":   {"DELETE /api/v1/snapshots/before", "cirque snapshot remove"},
		"exercise list":              {"GET /api/v1/failover-tests?limit=1000", "cirque failover-test list"},
		"exercise stop 3":            {"POST /api/v1/failover-tests/3/stop", "cirque failover-test stop"},
		"directory strangers":        {"GET /api/v1/directory/unmatched?limit=1000", "cirque directory unmatched"},
		"directory joins":            {"GET /api/v1/directory/links", "cirque directory links"},
		"directory join a b":         {"POST /api/v1/directory/links", "cirque directory link"},
		"directory apart x/a y/b":    {"POST /api/v1/directory/links", "cirque directory unlink"},
		"directory unjoin 3":         {"DELETE /api/v1/directory/links/3", "cirque directory remove-link"},
		"directory join-by address":  {"PUT /api/v1/directory/link-rules/address", "cirque directory link-by"},
		"directory lead yard":        {"PUT /api/v1/directory/primary", "cirque directory primary"},
		"endpoint paper 3 good":      {"POST /api/v1/checkups/3/print-result", "cirque endpoint print-result"},
		"driver remove abc --insist": {"DELETE /api/v1/drivers/packages/abc?force=true", "--force"},
		"driver remove abc --force":  {"DELETE /api/v1/drivers/packages/abc?force=true", ""},
		"snapshot list":              {"GET /api/v1/snapshots?limit=1000", ""},
	} {
		t.Run(line, func(t *testing.T) {
			t.Parallel()
			s := newService(t, `{"items":[],"next":"","total":0,"by_hand":[],"remarks":[],"sources":[],"checks":[],`+
				`"print_result":{"result":"good"}}`)
			code, out, errs := s.run(t, strings.Fields(line)...)
			if code != cmdline.ExitOK || len(s.asked) != 1 || s.asked[0] != want.asks {
				t.Fatalf("exit %d, asked %q: %s", code, s.asked, errs)
			}
			if strings.Contains(out, "Note:") || want.note == "" && errs != "" || !strings.Contains(errs, want.note) {
				t.Errorf("out %q, err %q", out, errs)
			}
		})
	}
}

// TestHelp: every command says in a line what it does, and no former word is offered.
func TestHelp(t *testing.T) {
	t.Parallel()
	var visit func(c *cobra.Command)
	visit = func(c *cobra.Command) {
		if c.Short == "" || strings.HasSuffix(c.Short, ".") || len(c.Short) > 140 {
			t.Errorf("%s: %q", c.CommandPath(), c.Short)
		}
		for _, sub := range c.Commands() {
			visit(sub)
		}
	}
	visit(rootCommand(&root{env: os.Getenv}))
	s := newService(t, "{}")
	for _, of := range []string{"", "directory", "endpoint"} {
		_, out, _ := s.run(t, append(strings.Fields(of), "--help")...)
		for line := range strings.Lines(out) {
			switch word, _, _ := strings.Cut(strings.TrimSpace(line), " "); word {
			case "photograph", "exercise", "strangers", "joins", "join", "apart", "lead", "paper":
				t.Errorf("cirque %s --help offers %s", of, word)
			}
		}
	}
}

// commandIn finds what a sentence says to type, and flagIn the flags of it.
var (
	commandIn = regexp.MustCompile(`\bcirque((?: [a-z][a-z-]*)+)([^.;:,()\n]*)`)
	flagIn    = regexp.MustCompile(`--([a-z][a-z-]*)`)
)

// TestSuggestions: each command and flag that any sentence of the code, or a guide, says to type is there.
func TestSuggestions(t *testing.T) {
	t.Parallel()
	top := rootCommand(&root{env: os.Getenv})
	found := 0
	keys := []string{"cirque answer", "cirque answers to agents"} // texts that are signed, and read by nobody
	check := func(where token.Position, text string) {
		for _, m := range commandIn.FindAllStringSubmatch(text, -1) {
			c := top
			if slices.Contains(keys, "cirque"+m[1]) {
				continue
			}
			for _, word := range strings.Fields(m[1]) {
				if !c.HasSubCommands() {
					break
				}
				sub, _, err := c.Find([]string{word})
				if sub == c && c.Runnable() && strings.Contains(c.Use, "[") {
					break // the name of something
				}
				if err != nil || sub == c || sub.Hidden {
					t.Errorf("%s: there is no command %q", where, "cirque"+m[1])
					break
				}
				c, found = sub, found+1
			}
			for _, flag := range flagIn.FindAllStringSubmatch(m[2], -1) {
				if c.Flags().Lookup(flag[1]) == nil && top.PersistentFlags().Lookup(flag[1]) == nil {
					t.Errorf("%s: %s has no flag %s", where, c.CommandPath(), flag[0])
				}
			}
		}
	}
	for _, dir := range []string{"../../core", "../../internal", "../../cmd"} {
		err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			files := token.NewFileSet()
			f, err := parser.ParseFile(files, path, nil, 0)
			if err != nil {
				return err
			}
			// Pieces that are put together with + are one sentence.
			var text func(e ast.Expr) string
			text = func(e ast.Expr) string {
				switch e := e.(type) {
				case *ast.BasicLit:
					if e.Kind == token.STRING {
						s, _ := strconv.Unquote(e.Value)
						return s
					}
				case *ast.BinaryExpr:
					if e.Op == token.ADD {
						return text(e.X) + text(e.Y)
					}
				}
				return "…" // what is put in
			}
			ast.Inspect(f, func(n ast.Node) bool {
				if tag, ok := n.(*ast.Field); ok && tag.Tag != nil {
					return true
				}
				switch n := n.(type) {
				case *ast.BinaryExpr:
					check(files.Position(n.Pos()), text(n))
					return n.Op != token.ADD
				case *ast.BasicLit:
					check(files.Position(n.Pos()), text(n))
				}
				return true
			})
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	guides, _ := filepath.Glob("../../docs/guide/*.md")
	for _, file := range append(guides, "../../README.md") {
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		line := 0
		for text := range strings.Lines(string(b)) {
			line++
			check(token.Position{Filename: file, Line: line}, text)
		}
	}
	if found < 200 {
		t.Errorf("only %d words of commands were found", found)
	}
}
