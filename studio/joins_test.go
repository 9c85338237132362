package studio

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Before paint where a seam must vanish, after it where parts keep their own colour, never where
// one comes off; what was said goes before what the tool thinks.
func TestJoinOf(t *testing.T) {
	it := item(block(20, 20, 30), process.Resin, route.Painted, 1, 1)
	peg, cut := block(4, 4, 12), block(10, 10, 10)
	peg.How, cut.How = Peg, Cut
	add := func(id int64, name string, m Model, change func(*Part)) {
		p := it.Parts[0]
		p.ID, p.Name, p.Model = id, name, m
		change(&p)
		it.Parts = append(it.Parts, p)
	}
	add(2, "arm", block(8, 8, 20), func(*Part) {})
	add(3, "visor", block(8, 8, 20), func(p *Part) { p.MaterialID = 99 })
	add(4, "dowel", peg, func(*Part) {})
	add(5, "lower half", cut, func(p *Part) { p.MaterialID = 99 })
	add(6, "lid", block(9, 9, 9), func(p *Part) { p.Joins = JoinLoose })
	for k, want := range []string{"before paint: the others are joined to it", "before paint: its seam is filled and painted over", "after paint: printed in another material: it keeps its own colour",
		"before paint: it lies inside", "before paint: it was cut off: the seam must vanish", "comes off: as was said"} {
		assert.Equal(t, want, it.JoinText(it.Parts[k]), it.Parts[k].Name)
	}
	it.Tier = route.Primed
	assert.Equal(t, "before paint: nothing is painted", it.JoinText(it.Parts[2]))
	it.Apart = true
	assert.Equal(t, "before paint", it.JoinText(it.Parts[2]))

	// A body that lies in another of its file hides it; one that only stands on it does not.
	shade, flame := block(20, 20, 40), block(8, 8, 20)
	shade.How, shade.Shape.LowMM = Body, [3]float64{1, 1, 1}
	flame.How, flame.Shape.LowMM = Body, [3]float64{7, 7, 5}
	lamp := item(shade, process.Resin, route.Painted, 1, 1)
	lamp.Parts = append(lamp.Parts, lamp.Parts[0])
	lamp.Parts[1].ID, lamp.Parts[1].Model = 2, flame
	assert.Equal(t, "after paint: it and what it lies in hide each other from the brush", lamp.JoinText(lamp.Parts[1]))
	lamp.Parts[1].Model.Shape.LowMM[2] = 35
	assert.Equal(t, "before paint: its seam is filled and painted over", lamp.JoinText(lamp.Parts[1]))

	// Nothing of a seam that is joined after paint is filled, and one that comes off is only fitted.
	h := house()
	one := item(block(20, 20, 30), process.Resin, route.Painted, 1, 1)
	one.Parts = append(one.Parts, one.Parts[0])
	one.Parts[1].ID = 2
	minutes := map[string]float64{}
	for _, when := range []string{JoinBefore, JoinAfter, JoinLoose} {
		one.Parts[1].Joins = when
		work, _ := finish.Join(h.Book, *h.seamOf(one, nil))
		for _, w := range work {
			minutes[when] += w.BookMin
		}
	}
	assert.Less(t, minutes[JoinLoose], minutes[JoinAfter])
	assert.Less(t, minutes[JoinAfter], minutes[JoinBefore])
}

// The adhesive follows the need; its clock is in the book, and what it is for stands with it.
func TestAdhesives(t *testing.T) {
	b := rates.Starting()
	for _, c := range []struct {
		finish.Joint
		want string
	}{
		{finish.Joint{Bond: finish.UVResin, LengthMM: 40}, finish.Cyanoacrylate},
		{finish.Joint{Bond: finish.UVResin, LengthMM: 120}, finish.UVResin},
		{finish.Joint{Bond: finish.UVResin, LengthMM: 300}, finish.Epoxy},
		{finish.Joint{Bond: finish.Weld, LengthMM: 300}, finish.Weld},
		{finish.Joint{LengthMM: 120}, finish.Epoxy},
		{finish.Joint{Bond: finish.Weld, Worn: true, LengthMM: 300}, finish.Contact},
	} {
		a, why := c.Choose()
		assert.Equal(t, c.want, a.Key, "%+v", c.Joint)
		assert.NotEmpty(t, why)
	}
	for _, a := range finish.Adhesives() {
		assert.NotEmpty(t, a.Caution, a.Key)
		handle, full := finish.WaitS(b, finish.Step{Wait: a.Handle}), finish.WaitS(b, finish.Step{Wait: a.Full})
		require.Positive(t, handle, a.Key)
		assert.LessOrEqual(t, handle, full, "%s may be handled before it is fully hard", a.Key)
	}
	_, known := finish.AdhesiveOf("spit")
	assert.False(t, known)
}

// A piece that is too big for a station is told at the stage: washed in two turns, sprayed outside.
func TestFitsAtTheStage(t *testing.T) {
	h := house()
	long := block(100, 100, 300)
	p := Piece{Process: process.Resin, Scale: 1}
	assert.Contains(t, h.Fits(route.Wash, long, p), "too big for the washing tank: in two turns")
	assert.Contains(t, h.Fits(route.Cure, long, p), "cure station")
	assert.Empty(t, h.Fits(route.Prime, long, p))
	assert.Empty(t, h.Fits(route.Sand, long, p))
	p.Scale = 2
	assert.Contains(t, h.Fits(route.Clear, long, p), "too big for the spray booth: outside")
	p.Scale = 0.5
	assert.Empty(t, h.Fits(route.Wash, long, p))
}

// What the client is told follows what is handed over: worn, lit, with magnets, heavy, to be sanded.
func TestHandover(t *testing.T) {
	told := func(o Order, grams float64, items ...Item) string {
		return strings.Join(Handover(o, items, map[int64]float64{1: grams}), " ")
	}
	plain := item(block(20, 20, 30), process.Resin, route.Painted, 1, 1)
	assert.NotContains(t, told(Order{}, 10, plain), "Cells")
	lit := plain
	lit.Extras = []quote.Extra{{Kind: quote.BoughtIn, What: "Light with its cell"}, {Kind: quote.BoughtIn, What: "four magnets"}}
	assert.Contains(t, told(Order{}, 10, lit), "Cells: take them out")
	assert.Contains(t, told(Order{}, 10, lit), "Magnets: swallowed")
	assert.Contains(t, told(Order{Use: "worn"}, 10, plain), "straps that release")
	assert.Contains(t, told(Order{}, 6000, plain), "two lift it")
	raw := plain
	raw.Tier = route.Raw
	assert.Contains(t, told(Order{}, 10, raw), "respirator")
}

// A print that is not solid is never put under vacuum.
func TestRubbering(t *testing.T) {
	p := item(block(20, 20, 30), process.Resin, route.Primed, 1, 1).Parts[0]
	assert.Contains(t, rubbering(p), "under vacuum")
	p.WallMM = 2
	assert.Contains(t, rubbering(p), "no vacuum")
	p.WallMM, p.Model.How = 0, Hollow
	assert.Contains(t, rubbering(p), "no vacuum")
	p.Model.How, p.Process = Sent, process.Filament
	assert.Contains(t, rubbering(p), "no vacuum")
}
