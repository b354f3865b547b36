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

// mostMethods is how many methods a type may have, with those of what it embeds: beyond it
// wants to be two. An interface asks for fewer.
const (
	mostMethods = 40
	mostAsked   = 21
)

// A shape is a type of the project as its source shows it.
type shape struct {
	methods   map[string]bool // its own, also unexported ones
	embeds    []string        // types of the project, as folder.Type
	asks      []string        // methods of an interface
	isAsking  bool            // an interface
	inTesting bool
}

// shapes are all types below some folders, by folder.Type.
func shapes(t *testing.T, below ...string) map[string]*shape {
	t.Helper()
	set := token.NewFileSet()
	all := map[string]*shape{}
	of := func(name string) *shape {
		if all[name] == nil {
			all[name] = &shape{methods: map[string]bool{}}
		}
		return all[name]
	}
	for _, path := range goFiles(t) {
		if !slices.ContainsFunc(below, func(folder string) bool { return strings.HasPrefix(path, folder+"/") }) {
			continue
		}
		file, err := parser.ParseFile(set, path, nil, 0)
		require.NoError(t, err)
		imports := map[string]string{}
		for _, i := range file.Imports {
			at := strings.Trim(i.Path.Value, `"`)
			name := filepath.Base(at)
			if i.Name != nil {
				name = i.Name.Name
			}
			if local, ok := strings.CutPrefix(at, "aftergust/"); ok {
				imports[name] = local
			}
		}
		folder := filepath.Dir(path)
		named := func(e ast.Expr) string {
			switch e := e.(type) {
			case *ast.Ident:
				return folder + "." + e.Name
			case *ast.SelectorExpr:
				if x, ok := e.X.(*ast.Ident); ok && imports[x.Name] != "" {
					return imports[x.Name] + "." + e.Sel.Name
				}
			}
			return ""
		}
		plain := func(e ast.Expr) ast.Expr {
			for {
				switch x := e.(type) {
				case *ast.StarExpr:
					e = x.X
				case *ast.IndexExpr:
					e = x.X
				case *ast.IndexListExpr:
					e = x.X
				default:
					return e
				}
			}
		}
		for _, d := range file.Decls {
			switch d := d.(type) {
			case *ast.FuncDecl:
				if d.Recv != nil {
					of(named(plain(d.Recv.List[0].Type))).methods[d.Name.Name] = true
				}
			case *ast.GenDecl:
				for _, s := range d.Specs {
					spec, ok := s.(*ast.TypeSpec)
					if !ok {
						continue
					}
					it := of(folder + "." + spec.Name.Name)
					it.inTesting = strings.HasSuffix(path, "_test.go")
					switch what := spec.Type.(type) {
					case *ast.InterfaceType:
						it.isAsking = what.Methods != nil && !it.inTesting
						for _, m := range what.Methods.List {
							for _, n := range m.Names {
								it.asks = append(it.asks, n.Name)
							}
							if len(m.Names) == 0 {
								it.embeds = append(it.embeds, named(plain(m.Type)))
							}
						}
					case *ast.StructType:
						for _, f := range what.Fields.List {
							if len(f.Names) == 0 {
								it.embeds = append(it.embeds, named(plain(f.Type)))
							}
						}
					}
				}
			}
		}
	}
	return all
}

// has are all methods of a type, with those of what it embeds.
func has(all map[string]*shape, name string) map[string]bool {
	out := map[string]bool{}
	it := all[name]
	if it == nil {
		return out
	}
	for m := range it.methods {
		out[m] = true
	}
	for _, m := range it.asks {
		out[m] = true
	}
	for _, inner := range it.embeds {
		for m := range has(all, inner) {
			out[m] = true
		}
	}
	return out
}

func TestNoTypeIsTooWide(t *testing.T) {
	all := shapes(t, "core", "internal")
	for name, it := range all {
		n := len(has(all, name))
		assert.LessOrEqual(t, n, mostMethods, name)
		if it.isAsking {
			assert.LessOrEqual(t, n, mostAsked, name)
		}
	}
}

// What one type has alone needs no interface: it would hide from the reader where a call goes.
// Names of methods are compared; an interface is met twice, or once and by a fake in the tests.
func TestNoInterfaceStandsBeforeOneType(t *testing.T) {
	outside := []string{"internal/ground/db.Querier"} // met by pgx
	all := shapes(t, "core", "internal", "cmd")
	for name, it := range all {
		if !it.isAsking || slices.Contains(outside, name) {
			continue
		}
		var met []string
		for other, candidate := range all {
			if other == name || candidate.isAsking {
				continue
			}
			theirs, fits := has(all, other), true
			for m := range has(all, name) {
				fits = fits && theirs[m]
			}
			if fits {
				met = append(met, other)
			}
		}
		assert.Greater(t, len(met), 1, "%s: %v", name, met)
	}
}

// layers are the folders of internal from the ground up: each imports only what lies below it.
// The parts stand side by side, and Go itself lets none of them stand on each other.
var layers = []string{"internal/ground", "internal/out", "internal/who", "internal/files", "internal/web", "internal/parts", "internal/app", "internal/dev"}

func TestImportsPointDown(t *testing.T) {
	level := func(path string) int {
		return slices.IndexFunc(layers, func(l string) bool { return path == l || strings.HasPrefix(path, l+"/") })
	}
	set := token.NewFileSet()
	for _, path := range goFiles(t) {
		if strings.HasSuffix(path, "_test.go") || !strings.HasPrefix(path, "internal/") {
			continue
		}
		file, err := parser.ParseFile(set, path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		own := level(filepath.Dir(path))
		require.GreaterOrEqual(t, own, 0, "%s lies in no layer", path)
		for _, i := range file.Imports {
			if local, ok := strings.CutPrefix(strings.Trim(i.Path.Value, `"`), "aftergust/"); ok && strings.HasPrefix(local, "internal/") {
				assert.LessOrEqual(t, level(local), own, "%s imports %s, which lies above it", path, local)
			}
		}
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
