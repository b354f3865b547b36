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
		if !strings.HasPrefix(path, "internal/") || strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "internal/postgres/") {
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
