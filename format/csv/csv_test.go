package csv

import (
	"bytes"
	"encoding/csv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestNoTextIsAFormula(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		typed := rapid.OneOf(rapid.String(), rapid.StringMatching(`[=+@\t\r-]HYPERLINK\("x"\)`)).Draw(t, "typed")
		list, err := csv.NewReader(bytes.NewReader(Write([]string{"name", "amount"}, [][]Cell{{Text(typed), Figure("-3.50")}}))).ReadAll()
		if err != nil || len(list) != 2 {
			t.Fatal(err, list)
		}
		if c := list[1][0]; c != "" && bytes.ContainsAny([]byte(c[:1]), "=+-@\t\r") {
			t.Fatalf("%q", c)
		}
		if list[1][1] != "-3.50" {
			t.Fatal("a figure stays one")
		}
	})
	list, err := csv.NewReader(bytes.NewReader(Write([]string{"a"}, [][]Cell{{Text("＝1")}, {Text("Vase, blue")}}))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"a"}, {"'＝1"}, {"Vase, blue"}}, list)
}
