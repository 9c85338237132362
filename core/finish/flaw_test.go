package finish

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/process"
	"sakuji/core/route"
)

// Every flaw has a name, a cause with what to do now and what to do otherwise, and stages that are some.
func TestFlawsAreWhole(t *testing.T) {
	seen := map[string]bool{}
	for _, f := range Flaws() {
		assert.False(t, seen[f.Key], f.Key)
		seen[f.Key] = true
		assert.NotEmpty(t, f.Name)
		assert.NotEmpty(t, f.Causes)
		for _, c := range f.Causes {
			assert.NotEmpty(t, c.Text, f.Key)
			assert.NotEmpty(t, c.Next, f.Key)
			assert.True(t, c.Remedy != "" || f.Key == OtherFlaw, f.Key)
		}
		for _, k := range append(append(append([]route.StageKind{}, f.Found...), f.Back...), f.HiddenBy...) {
			assert.Contains(t, route.All(), k)
		}
		got, ok := FlawOf(f.Key)
		assert.True(t, ok)
		assert.Equal(t, f.Name, got.Name)
	}
	_, ok := FlawOf("rust")
	assert.False(t, ok)
	for _, want := range []string{"run", "spatter", "dark", "bleed", "empty", "crack"} { // the painting failures of the trade
		assert.True(t, seen[want], want)
	}
}

// A flaw is judged against what is still to come: weathering hides a run, nothing hides what is too dark; it goes back
// to the nearest stage that the piece has been through.
func TestFlawsAreJudgedByWhatIsToCome(t *testing.T) {
	been := []route.StageKind{route.Print, route.Sand, route.Prime, route.Look, route.Base}
	run, _ := FlawOf("run")
	hidden, back := run.Judge(been, []route.StageKind{route.Shade, route.Weather, route.Clear})
	assert.Equal(t, []route.StageKind{route.Weather, route.Base}, []route.StageKind{hidden, back}, "a run is in the coat on top")
	_, back = run.Judge(been[:4], nil)
	assert.Equal(t, route.Prime, back)
	_, back = run.Judge(append(been, route.Clear), nil)
	assert.Equal(t, route.Clear, back)
	hidden, _ = run.Judge(been, []route.StageKind{route.Shade, route.Clear})
	assert.Empty(t, hidden)
	dark, _ := FlawOf("dark")
	hidden, back = dark.Judge(been, []route.StageKind{route.Weather})
	assert.Empty(t, hidden)
	assert.Equal(t, route.Base, back)
	seam, _ := FlawOf("seam")
	hidden, back = seam.Judge(been, []route.StageKind{route.Texture})
	assert.Equal(t, route.Texture, hidden)
	assert.Equal(t, route.Sand, back, "it was never filled")
	_, back = seam.Judge(nil, nil)
	assert.Empty(t, back)
	likely, others := FlawsAt(route.Look, route.Base)
	assert.Len(t, likely, len(Flaws())-len(others))
	assert.Equal(t, OtherFlaw, others[len(others)-1].Key)
}

// What checks a piece has a list to go by; what does not has none.
func TestCheckLists(t *testing.T) {
	resin := process.Of(process.Resin)
	assert.NotEqual(t, CheckList(route.Look, route.Prime, resin), CheckList(route.Look, route.Clear, resin))
	assert.Contains(t, CheckList(route.RemoveSupports, route.Wash, process.Of(process.Resin)), "no soft or sticky spots")
	assert.NotContains(t, CheckList(route.RemoveSupports, route.Print, process.Of(process.Filament)), "no soft or sticky spots")
	for _, before := range []route.StageKind{route.Sand, route.Fill, route.Glue, ""} {
		assert.Equal(t, []string{"raking light from four sides", "seams and plugs", "scratches", "edges and detail sharp"},
			CheckList(route.Look, before, process.Of(process.Resin)), "a look after %q", before)
	}
	for _, k := range []route.StageKind{route.DryFit, route.Pull, route.Insert, route.JoinAfter, route.Pack} {
		assert.NotEmpty(t, CheckList(k, route.Sand, process.Of(process.Filament)), k)
	}
	assert.Nil(t, CheckList(route.Sand, route.Fill, process.Of(process.Resin)))
}
