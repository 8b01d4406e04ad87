package cirque_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

var inBraces = regexp.MustCompile(`\{(\w+)\}`)

// TestSentences: what an event says names the fields that it is given, and no others. Names of people go in as such:
// a field that is called person, account, user, login or author is an event.Person.
func TestSentences(t *testing.T) {
	t.Parallel()
	fset, found := token.NewFileSet(), 0
	err := filepath.WalkDir("internal", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(fset, path, nil, parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if call, ok := n.(*ast.CallExpr); ok {
				found += checkSentence(t, fset, call)
			}
			return true
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if found < 60 {
		t.Errorf("only %d sentences are found", found)
	}
}

func checkSentence(t *testing.T, fset *token.FileSet, call *ast.CallExpr) int {
	args := call.Args
	switch f := call.Fun.(type) {
	case *ast.SelectorExpr:
		if f.Sel.Name != "Saying" {
			return 0
		}
	case *ast.Ident:
		if f.Name != "tell" || len(args) < 2 {
			return 0
		}
		args = args[1:]
	default:
		return 0
	}
	if call.Ellipsis.IsValid() {
		return 0 // a function that passes on what it is given
	}
	at := fset.Position(call.Pos())
	pattern, ok := constant(args[0])
	if !ok {
		t.Errorf("%s: the sentence is no constant", at)
		return 1
	}
	var wanted, given []string
	for _, m := range inBraces.FindAllStringSubmatch(pattern, -1) {
		wanted = append(wanted, m[1])
	}
	if len(args)%2 != 1 {
		t.Errorf("%s: a field has no value", at)
	}
	for i := 1; i+1 < len(args); i += 2 {
		called, ok := constant(args[i])
		if !ok {
			t.Errorf("%s: the name of field %d is no constant", at, i/2+1)
		}
		given = append(given, called)
		if slices.Contains([]string{"person", "account", "user", "login", "author"}, called) && !isPerson(args[i+1]) {
			t.Errorf("%s: {%s} names somebody, and is no event.Person", at, called)
		}
	}
	slices.Sort(wanted)
	slices.Sort(given)
	if wanted = slices.Compact(wanted); !slices.Equal(wanted, given) {
		t.Errorf("%s: %q names %q, and is given %q", at, pattern, wanted, given)
	}
	return 1
}

// constant gives a text that is written out, in one piece or several.
func constant(e ast.Expr) (string, bool) {
	switch x := e.(type) {
	case *ast.BasicLit:
		s, err := strconv.Unquote(x.Value)
		return s, err == nil
	case *ast.BinaryExpr:
		a, okA := constant(x.X)
		b, okB := constant(x.Y)
		return a + b, okA && okB
	}
	return "", false
}

func isPerson(e ast.Expr) bool {
	call, ok := e.(*ast.CallExpr)
	if !ok {
		return false
	}
	f, ok := call.Fun.(*ast.SelectorExpr)
	return ok && f.Sel.Name == "Person"
}
