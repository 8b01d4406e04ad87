package cirque_test

import (
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// Bounds on what somebody has to hold in mind at once. Functions are the linters' business.
const (
	mostMethods   = 40
	mostInterface = 15
	mostLines     = 400
)

// TestSizes counts the methods of each type, those of each interface with what it embeds, and the lines of each file.
func TestSizes(t *testing.T) {
	t.Parallel()
	for _, p := range packages(t) {
		set := token.NewFileSet()
		methods := map[string]int{}
		faces := map[string]*ast.InterfaceType{}
		for _, name := range p.GoFiles {
			file, err := parser.ParseFile(set, filepath.Join(p.Dir, name), nil, 0)
			if err != nil {
				t.Fatal(err)
			}
			at := filepath.ToSlash(filepath.Join(p.Dir, name))
			if n := set.File(file.Pos()).LineCount(); n > mostLines+1 {
				t.Errorf("%s has %d lines", at, n)
			}
			ast.Inspect(file, func(n ast.Node) bool {
				switch n := n.(type) {
				case *ast.FuncDecl:
					if n.Recv != nil {
						of := n.Recv.List[0].Type
						if star, ok := of.(*ast.StarExpr); ok {
							of = star.X
						}
						if id, ok := of.(*ast.Ident); ok {
							methods[id.Name]++
						}
					}
				case *ast.TypeSpec:
					if it, ok := n.Type.(*ast.InterfaceType); ok {
						faces[n.Name.Name] = it
					}
				}
				return true
			})
		}
		for name, n := range methods {
			if n > mostMethods {
				t.Errorf("%s: %s has %d methods", p.Dir, name, n)
			}
		}
		var size func(it *ast.InterfaceType) int
		size = func(it *ast.InterfaceType) (n int) {
			for _, m := range it.Methods.List {
				if id, ok := m.Type.(*ast.Ident); ok && len(m.Names) == 0 && faces[id.Name] != nil {
					n += size(faces[id.Name])
				} else {
					n++
				}
			}
			return n
		}
		for name, it := range faces {
			if n := size(it); n > mostInterface {
				t.Errorf("%s: the interface %s has %d methods", p.Dir, name, n)
			}
		}
	}
}

// TestNothingBuilt: what a build makes, or somebody fetched, is not kept with the sources.
func TestNothingBuilt(t *testing.T) {
	t.Parallel()
	list, err := exec.Command("git", "ls-files", "-z").Output()
	if err != nil {
		t.Skip("these sources are not out of a repository")
	}
	built := []string{"\x7fELF", "MZ", "!<arch>", "PK\x03\x04", "\x1f\x8b", "\xcf\xfa\xed\xfe"}
	for name := range strings.SplitSeq(strings.TrimRight(string(list), "\x00"), "\x00") {
		b, err := os.ReadFile(name)
		if os.IsNotExist(err) {
			continue // taken out, and not recorded yet
		}
		if err != nil {
			t.Fatal(err)
		}
		for _, begins := range built {
			if bytes.HasPrefix(b, []byte(begins)) {
				t.Errorf("%s is a program or an archive", name)
			}
		}
		if len(b) > 1<<20 {
			t.Errorf("%s has %d KiB", name, len(b)>>10)
		}
	}
}
