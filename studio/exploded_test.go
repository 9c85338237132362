package studio

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/core/solid"
)

// Whatever an item is made of, no two parts of its exploded drawing overlap, each is pulled along
// one axis from where it belongs, and they are numbered as they are joined.
func TestExploded(t *testing.T) {
	seen := func(x, z float64) Model { // only what is seen of it from the front counts
		return Model{Shape: ModelShape{Front: solid.Outline{{{}, {X: x}, {X: x, Y: z}, {Y: z}}}}}
	}
	rapid.Check(t, func(t *rapid.T) {
		it := item(seen(20, 30), process.Resin, route.Painted, 1, rapid.Float64Range(0.5, 3).Draw(t, "scale"))
		for k := range rapid.IntRange(1, 9).Draw(t, "more") {
			side := func(name string) float64 { return rapid.Float64Range(1, 40).Draw(t, name) }
			p := it.Parts[0]
			p.ID, p.Name, p.Model = int64(k+2), fmt.Sprint("part ", k), seen(side("x"), side("z"))
			p.Model.How = rapid.SampledFrom([]string{Sent, Cut, Body, Peg}).Draw(t, "how")
			p.Model.Shape.LowMM = [3]float64{side("at x"), 0, side("at z")}
			p.Joins = rapid.SampledFrom([]string{JoinAsSuggested, JoinAfter, JoinLoose}).Draw(t, "joins")
			it.Parts = append(it.Parts, p)
		}
		list := it.Exploded()
		if len(list) != len(it.Parts) {
			t.Fatalf("%d parts drawn of %d", len(list), len(it.Parts))
		}
		for k, p := range list {
			if p.Number != k+1 || p.At.X != p.From.X && p.At.Y != p.From.Y {
				t.Fatalf("part %d: %+v from %+v", p.Number, p.At, p.From)
			}
			for _, o := range list[:k] {
				a, b := p.Size(), o.Size()
				if p.At.X < o.At.X+b.X-1e-6 && o.At.X < p.At.X+a.X-1e-6 && p.At.Y < o.At.Y+b.Y-1e-6 && o.At.Y < p.At.Y+a.Y-1e-6 {
					t.Fatalf("%d lies over %d", p.Number, o.Number)
				}
			}
		}
	})
	// Two halves of a cut come apart along it; their dowels are set first, what comes off is last.
	lower, upper, dowel, lid := block(20, 20, 30), block(20, 20, 25), block(4, 4, 8), block(10, 10, 4)
	lower.How, upper.How, dowel.How = Cut, Cut, Peg
	lower.Shape.LowMM, upper.Shape.LowMM = [3]float64{0, 0, 1}, [3]float64{0, 0, 31}
	it := item(lower, process.Resin, route.Painted, 1, 2)
	for k, m := range []Model{upper, lid, dowel} {
		p := it.Parts[0]
		p.ID, p.Model = int64(k+2), m
		it.Parts = append(it.Parts, p)
	}
	it.Parts[2].Joins = JoinLoose
	list := it.Exploded()
	require.Len(t, list, 4)
	var order []int64
	for _, p := range list {
		order = append(order, p.Part.ID)
	}
	assert.Equal(t, []int64{1, 4, 2, 3}, order)
	assert.Equal(t, solid.Point{X: 0, Y: 60}, list[2].From, "30 mm over the lower one, at twice the size")
	assert.Greater(t, list[2].At.Y, 60.0)
	assert.Equal(t, list[2].From.X, list[2].At.X)
	assert.Nil(t, Item{Parts: it.Parts[:1], Scale: 1}.Exploded())
}

// Parts of one file are measured together: a height asked for is that of the whole, not of its
// tallest part, and what comes off again is told apart. Parts of several files are not.
func TestEnvelope(t *testing.T) {
	lower, upper, dowel, antlers := block(20, 20, 30), block(20, 20, 25), block(4, 4, 8), block(40, 10, 12)
	lower.How, upper.How, dowel.How, antlers.How = Cut, Cut, Peg, Cut
	lower.Shape.LowMM, upper.Shape.LowMM, antlers.Shape.LowMM = [3]float64{5, 5, 1}, [3]float64{5, 5, 31}, [3]float64{-5, 10, 50}
	it := item(lower, process.Resin, route.Painted, 1, 2)
	for k, m := range []Model{upper, antlers, dowel} {
		p := it.Parts[0]
		p.ID, p.Model, p.Hidden = int64(k+2), m, m.How == Peg
		it.Parts = append(it.Parts, p)
	}
	it.Parts[2].Joins = JoinLoose
	whole, fixed, ok := it.Envelope()
	require.True(t, ok)
	assert.Equal(t, [3]float64{40, 20, 61}, whole)
	assert.Equal(t, [3]float64{20, 20, 55}, fixed)
	k, _, err := SizeRule{By: ByHeight, Height: 122}.ScaleOf(it)
	require.NoError(t, err)
	assert.InDelta(t, 2, k, 1e-12)
	it.Parts[1].Model.How = Sent
	_, _, ok = it.Envelope()
	assert.False(t, ok, "nobody knows where a part of another file belongs")
	assert.InDelta(t, 30, it.Sized().Measures.SizeMM[2], 1e-12)
	_, _, ok = Item{Parts: it.Parts[:1]}.Envelope()
	assert.False(t, ok)
}
