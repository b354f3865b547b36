// Package aftergust_test holds what all Go files of the project keep to, beside
// what gofmt and staticcheck see.
package aftergust_test

import (
	"bufio"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const (
	longestLine     = 140 // characters; a literal or a comment with an address cannot be broken
	longestFunction = 80  // lines
)

func goFiles(t *testing.T) (files []string) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(".", func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if entry.IsDir() && (entry.Name() == "node_modules" || strings.HasPrefix(entry.Name(), ".") && path != ".") {
			return filepath.SkipDir
		}
		if strings.HasSuffix(path, ".go") {
			files = append(files, path)
		}
		return nil
	}))
	require.NotEmpty(t, files)
	return files
}

func TestNoLineIsTooLong(t *testing.T) {
	for _, path := range goFiles(t) {
		f, err := os.Open(path)
		require.NoError(t, err)
		lines := bufio.NewScanner(f)
		lines.Buffer(nil, 1<<20)
		for n := 1; lines.Scan(); n++ {
			if line := lines.Text(); len([]rune(line)) > longestLine && !strings.ContainsAny(line, "\"`<") {
				t.Errorf("%s:%d has %d characters", path, n, len([]rune(line)))
			}
		}
		require.NoError(t, lines.Err())
		require.NoError(t, f.Close())
	}
}

func TestNoFunctionIsTooLong(t *testing.T) {
	set := token.NewFileSet()
	for _, path := range goFiles(t) {
		if strings.HasSuffix(path, "_test.go") {
			continue // a journey is as long as it is
		}
		file, err := parser.ParseFile(set, path, nil, 0)
		require.NoError(t, err)
		for _, d := range file.Decls {
			if f, ok := d.(*ast.FuncDecl); ok && f.Body != nil {
				lines := set.Position(f.End()).Line - set.Position(f.Pos()).Line + 1
				assert.LessOrEqual(t, lines, longestFunction, "%s: %s", path, f.Name.Name)
			}
		}
	}
}

// A service that grows beyond this wants to be two; so does what it asks of the
// database (docs/decisions/the-cut-along-the-work.md).
const (
	mostStoreMethods   = 21
	mostServiceMethods = 25
)

func TestNoStoreAndNoServiceIsTooWide(t *testing.T) {
	set := token.NewFileSet()
	methods := map[string]int{}
	for _, path := range goFiles(t) {
		if !strings.HasPrefix(path, "internal/") || strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "internal/ground/db/") {
			continue
		}
		file, err := parser.ParseFile(set, path, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.TypeSpec:
				if wide, ok := n.Type.(*ast.InterfaceType); ok {
					assert.LessOrEqual(t, len(wide.Methods.List), mostStoreMethods, "%s: %s", path, n.Name.Name)
				}
			case *ast.FuncDecl:
				if n.Recv != nil && n.Name.IsExported() {
					receiver := n.Recv.List[0].Type
					if star, ok := receiver.(*ast.StarExpr); ok {
						receiver = star.X
					}
					if name, ok := receiver.(*ast.Ident); ok {
						methods[filepath.Dir(path)+"."+name.Name]++
					}
				}
			}
			return true
		})
	}
	for name, n := range methods {
		assert.LessOrEqual(t, n, mostServiceMethods, name)
	}
}

// Classes of the theme that stand for words, not for a control: a page may say more of them.
var ofWords = []string{"hint", "problem", "label", "key", "visually-hidden"}

// A class that a component styles for itself and the theme knows as a control would be drawn as
// that control.
func TestNoPartOfThePageWearsTheNameOfAControl(t *testing.T) {
	rule := regexp.MustCompile(`(?m)^\s*\.([a-z][\w-]*)\b[^{}]*\{`)
	theme, err := os.ReadFile("ui/src/lib/ui/theme.css")
	require.NoError(t, err)
	controls := map[string]bool{}
	for _, m := range rule.FindAllStringSubmatch(string(theme), -1) {
		controls[m[1]] = !slices.Contains(ofWords, m[1])
	}
	require.True(t, controls["button"] && controls["tickbox"])
	require.NoError(t, filepath.WalkDir("ui/src", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || filepath.Ext(path) != ".svelte" || filepath.Dir(path) == "ui/src/lib/ui" {
			return err
		}
		source, err := os.ReadFile(path)
		_, own, _ := strings.Cut(string(source), "<style>")
		for _, m := range rule.FindAllStringSubmatch(own, -1) {
			assert.False(t, controls[m[1]], "%s styles .%s, which the theme draws as a control", path, m[1])
		}
		return err
	}))
}
