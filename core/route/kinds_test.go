package route

import (
	"go/ast"
	"go/parser"
	"go/token"
	"reflect"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/rates"
)

// missing says what a line of the table lacks, or names that is not there.
func (t Traits) missing(b rates.Book) (lacks []string) {
	need := func(there bool, what string) {
		if !there {
			lacks = append(lacks, what)
		}
	}
	need(len(t.Mark) == 2, "Mark")
	need(t.Name != "", "Name")
	need(t.Do != "", "Do")
	need(slices.Contains(Crafts(), t.Craft), "Craft")
	need(b.Has(t.Wage), "Wage")
	need(b.Has(rates.K("spread", t.Spread, "low")) && b.Has(rates.K("spread", t.Spread, "high")), "Spread")
	need(slices.Contains([]Sharing{ByPlate, ByProcess, ByRoute, ByItem, ByOrder}, t.Shared), "Shared")
	need(!t.Mixed || t.SetUp != "", "SetUp of what is mixed")
	need(t.Wait == "" || t.Dry != "", "Dry of what is waited for")
	need(t.Paint == NoPaint || t.Dry != "" && t.Colour, "Dry and Colour of a paint")
	need(!t.Colour || t.Whole, "Whole of what lays colour")
	for what, key := range map[string]rates.Key{"Answer": t.Answer, "Area": t.Area, "Wait": t.Wait, "Piece": t.Piece, "SetUp": t.SetUp} {
		need(key == "" || b.Has(key), what)
	}
	need(t.Coats == "" || b.Has(rates.K(t.Coats, "coats")), "Coats")
	return lacks
}

// Every kind of stage has a line, full and of its own; a line that is not is found.
func TestEveryStageHasItsLine(t *testing.T) {
	book := rates.Starting()
	assert.ElementsMatch(t, declared(t), All())
	marks, names := map[string]StageKind{}, map[string]StageKind{}
	for _, line := range table {
		assert.Empty(t, line.missing(book), line.Kind)
		assert.Empty(t, marks[line.Mark], "%s has the mark of it", line.Kind)
		assert.Empty(t, names[line.Name], "%s has the name of it", line.Kind)
		marks[line.Mark], names[line.Name] = line.Kind, line.Kind
	}
	for _, field := range []string{"Mark", "Name", "Do", "Craft", "Wage", "Spread", "Shared"} {
		line := Base.Traits()
		reflect.ValueOf(&line).Elem().FieldByName(field).SetZero()
		assert.Equal(t, []string{field}, line.missing(book), "an empty field is found")
	}
	for _, field := range []string{"Wage", "Area", "Wait", "Piece", "SetUp"} {
		line := Clear.Traits()
		reflect.ValueOf(&line).Elem().FieldByName(field).SetString("no.such.rate")
		assert.Equal(t, []string{field}, line.missing(book), "a wrong key is found")
	}
}

// declared are the constants of kinds in the source of this room.
func declared(t *testing.T) (kinds []StageKind) {
	file, err := parser.ParseFile(token.NewFileSet(), "route.go", nil, parser.SkipObjectResolution)
	require.NoError(t, err)
	ast.Inspect(file, func(n ast.Node) bool {
		if v, ok := n.(*ast.ValueSpec); ok && len(v.Values) == 1 {
			if of, ok := v.Type.(*ast.Ident); ok && of.Name == "StageKind" {
				text, err := strconv.Unquote(v.Values[0].(*ast.BasicLit).Value)
				require.NoError(t, err)
				kinds = append(kinds, StageKind(text))
			}
		}
		return true
	})
	return kinds
}

// A kind of a newer program's folder is work by hand, called by its name; nothing that asks falls over it.
func TestAKindThatNobodyKnows(t *testing.T) {
	k := StageKind("gild")
	assert.Empty(t, slices.DeleteFunc(k.Traits().missing(rates.Starting()), func(what string) bool { return what == "Mark" }))
	assert.Equal(t, "gild", k.Traits().Name)
	assert.False(t, Colours(k) || OfPrint(k))
}
