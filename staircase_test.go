// Package sakuji at the top of the tree holds only the tests that look at the
// whole of it.
package sakuji

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

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors from the top down: a room imports only rooms below it.
var floors = []string{"cmd", "demo", "web", "device", "app", "store", "format", "studio", "core"}

// rooms of a floor from the top down: a room imports only those below it. The floor's own
// package, "", stands where it is listed.
var rooms = map[string][]string{
	"core": {"quote", "finish", "process", "route", "plate", "schedule", "surface", "solid", "mesh", "rates"},
	"app":  {"apptest", "", "today", "money", "delivery", "quotes", "plan", "plates", "stock", "pieces", "paint", "orders", "models", "pictures", "setup", "backups", "jobs", "apart", "change"},
	"web":  {"webtest", "", "door", "today", "plan", "orders", "quotes", "client", "models", "plates", "stock", "bench", "money", "delivery", "setup", "kit", "papers"},
}

// alone are the rooms of a floor that stand beside one another: a screen of one part of
// the work knows nothing of the next.
var alone = []string{"web/door", "web/today", "web/plan", "web/orders", "web/quotes", "web/client", "web/models", "web/plates", "web/stock", "web/bench", "web/money", "web/delivery", "web/setup"}

// closed are packages of the outside that a floor and all below it may not touch.
var closed = map[string][]string{
	"core":   {"database/sql", "net/http", "html/template", "text/template", "os", "math/rand", "math/rand/v2", "crypto/rand"},
	"studio": {"database/sql", "net/http", "html/template", "text/template", "os", "math/rand", "math/rand/v2", "crypto/rand"},
	"store":  {"net/http", "html/template"},
	"app":    {"database/sql", "html/template"},
}

// sources calls f with every file of Go.
func sources(t *testing.T, f func(path string)) {
	require.NoError(t, filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git") {
			return filepath.SkipDir
		}
		if strings.HasSuffix(path, ".go") {
			f(filepath.ToSlash(path))
		}
		return nil
	}))
}

// programs calls f with every file of the program, tests left out.
func programs(t *testing.T, mode parser.Mode, f func(path string, in *token.FileSet, file *ast.File)) {
	sources(t, func(path string) {
		if strings.HasSuffix(path, "_test.go") {
			return
		}
		in := token.NewFileSet()
		file, err := parser.ParseFile(in, path, nil, mode)
		require.NoError(t, err)
		f(path, in, file)
	})
}

// pageLines is how long a function may be: what is longer is no page any more.
const pageLines = 60

func TestFunctionsAreAPageEach(t *testing.T) {
	seen := 0
	programs(t, parser.SkipObjectResolution, func(path string, in *token.FileSet, file *ast.File) {
		for _, d := range file.Decls {
			if f, ok := d.(*ast.FuncDecl); ok {
				seen++
				assert.LessOrEqual(t, in.Position(f.End()).Line-in.Position(f.Pos()).Line+1, pageLines, "%s: %s", path, f.Name.Name)
			}
		}
	})
	assert.Greater(t, seen, 1500, "the walk has seen the tree")
}

func TestStaircase(t *testing.T) {
	seen := 0
	programs(t, parser.ImportsOnly, func(path string, _ *token.FileSet, file *ast.File) {
		from := filepath.ToSlash(filepath.Dir(path))
		for _, spec := range file.Imports {
			name, err := strconv.Unquote(spec.Path.Value)
			require.NoError(t, err)
			seen++
			check(t, path, from, name)
		}
	})
	assert.Greater(t, seen, 200, "the walk has seen the tree")
}

func check(t *testing.T, path, from, imported string) {
	floor, room, _ := strings.Cut(from, "/")
	assert.NotContains(t, closed[floor], imported, "%s reaches out of its floor", path)
	if strings.HasPrefix(from, "core") && strings.Contains(imported, ".") && !strings.HasPrefix(imported, "gonum.org/v1/gonum/") {
		assert.Contains(t, []string{"github.com/shopspring/decimal"}, imported, "%s: core stands on the standard library, gonum and decimal", path)
	}
	to, ours := strings.CutPrefix(imported, "sakuji/")
	if !ours {
		return
	}
	toFloor, toRoom, _ := strings.Cut(to, "/")
	if toFloor == "demo" {
		assert.Equal(t, "cmd", floor, "%s: only cmd imports demo", path)
	}
	if order := rooms[floor]; floor == toFloor && order != nil {
		room, _, _ = strings.Cut(room, "/")
		toRoom, _, _ = strings.Cut(toRoom, "/")
		require.Contains(t, order, room, path)
		assert.LessOrEqual(t, slices.Index(order, room), slices.Index(order, toRoom), "%s runs up the stairs of %s to %s", path, floor, imported)
		assert.False(t, room != "" && from != to && slices.Contains(alone, to), "%s reaches into the room beside it: %s", path, imported)
		return
	}
	if floor == toFloor {
		return // a room of the same floor: the compiler keeps circles out
	}
	require.Contains(t, floors, floor, path)
	require.Contains(t, floors, toFloor, path)
	assert.Less(t, slices.Index(floors, floor), slices.Index(floors, toFloor), "%s runs up the stairs to %s", path, imported)
}

// The clock is an argument on the floors that must be repeatable.
func TestNoClockBelow(t *testing.T) {
	for _, floor := range []string{"core", "studio", "store"} {
		require.NoError(t, filepath.WalkDir(floor, func(path string, d fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			assert.NotContains(t, read(t, path), "time.Now(", path)
			return nil
		}))
	}
}

// The tests that docs/ names as what holds something exist.
func TestDocsNameTestsThatExist(t *testing.T) {
	there := map[string]bool{}
	sources(t, func(path string) {
		for _, m := range regexp.MustCompile(`(?m)^func ((?:Test|Fuzz|Benchmark)\w+)\(`).FindAllStringSubmatch(read(t, path), -1) {
			there[m[1]] = true
		}
	})
	docs, err := filepath.Glob("docs/*.md")
	require.NoError(t, err)
	named := 0
	for _, path := range docs {
		for _, m := range regexp.MustCompile("`((?:Test|Fuzz|Benchmark)\\w+)(…?)`").FindAllStringSubmatch(read(t, path), -1) {
			named++
			found := there[m[1]]
			for name := range there {
				found = found || m[2] != "" && strings.HasPrefix(name, m[1])
			}
			assert.True(t, found, "%s names %s", path, m[1])
		}
	}
	assert.Greater(t, named, 30)
}
