package sakuji

import (
	"go/ast"
	"go/constant"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/go/packages"

	"sakuji/core/rates"
)

// Every key of a rate or a figure that the program names is there: a slip of the pen would be found when a page
// falls over it, or never. Keys that are put together of words are those of tables that have tests of their own.
func TestEveryRateThatIsNamedIsThere(t *testing.T) {
	book, figures := rates.Starting(), map[string]bool{}
	for _, k := range append(append([]rates.Template{}, book.Machines...), book.Materials...) {
		for key := range k.Figures {
			figures[string(key)] = true
		}
	}
	there := map[string]func(key string) bool{
		"sakuji/core/rates.Key":       func(key string) bool { return book.Has(rates.Key(key)) },
		"sakuji/core/rates.FigureKey": func(key string) bool { return figures[key] },
	}
	named := map[string]int{}
	constants(t, func(of, text, at string) {
		if is, asked := there[of]; asked && text != "" {
			named[of]++
			assert.True(t, is(text), "%s: there is no %q", at, text)
		}
	})
	templates(t, func(path, text string) {
		for _, m := range inTemplate.FindAllStringSubmatch(text, -1) {
			of := map[string]string{"Book": "sakuji/core/rates.Key", "Figures": "sakuji/core/rates.FigureKey"}[m[1]]
			named[path]++
			assert.True(t, there[of](m[2]), "%s: there is no %q", path, m[2])
		}
	})
	assert.Positive(t, named["web/plates/templates/machine.html"])
	assert.Greater(t, named["sakuji/core/rates.Key"], 300, "the program was looked through")
	assert.Greater(t, named["sakuji/core/rates.FigureKey"], 100)
	assert.False(t, there["sakuji/core/rates.Key"]("wall.rezin"), "a wrong one is found")
}

// inTemplate is where a template asks for a rate or a figure.
var inTemplate = regexp.MustCompile(`(Book|Figures)\.(?:V|Get|Has) "([^"]+)"`)

// templates calls f with every template of a page.
func templates(t *testing.T, f func(path, text string)) {
	paths, err := filepath.Glob("web/*/templates/*.html")
	require.NoError(t, err)
	require.NotEmpty(t, paths)
	for _, path := range paths {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		f(filepath.ToSlash(path), string(text))
	}
}

// constants calls f with every text in the program that is constant: its type, itself, and where it stands.
func constants(t *testing.T, f func(of, text, at string)) {
	loaded, err := packages.Load(&packages.Config{Mode: packages.LoadSyntax, Fset: token.NewFileSet()}, "sakuji/...")
	require.NoError(t, err)
	require.NotEmpty(t, loaded)
	for _, p := range loaded {
		require.Empty(t, p.Errors, p.PkgPath)
		for at, v := range p.TypesInfo.Types {
			if v.Value == nil || v.Value.Kind() != constant.String {
				continue
			}
			if _, whole := at.(*ast.BasicLit); whole {
				f(v.Type.String(), constant.StringVal(v.Value), p.Fset.Position(at.Pos()).String())
			}
		}
	}
}
