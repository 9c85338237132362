package studio

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/route"
)

// Whatever is accepted, every minute of hands that the quote charges is planned on a stage of a
// piece, to the minute: on prints, and on the assemblies they are joined in.
func TestWhatIsChargedIsPlanned(t *testing.T) {
	h := house()
	models := []Model{block(20, 20, 30), block(12, 40, 25), block(6, 6, 14)}
	rapid.Check(t, func(t *rapid.T) {
		var items []Item
		for i := range rapid.IntRange(1, 3).Draw(t, "items") {
			it := Item{ID: int64(i + 1), Title: fmt.Sprint("Thing ", i), Scale: 1, Copies: rapid.IntRange(1, 4).Draw(t, "copies"),
				Tier: rapid.SampledFrom(route.Tiers()).Draw(t, "tier")}
			it.Apart, it.Cast = rapid.Bool().Draw(t, "apart"), rapid.Bool().Draw(t, "cast")
			it.Features = finish.Features{Eyes: rapid.IntRange(0, 2).Draw(t, "eyes"), Weather: rapid.Bool().Draw(t, "weather"), FitHours: float64(rapid.IntRange(0, 1).Draw(t, "fit"))}
			for k := range rapid.IntRange(1, 3).Draw(t, "parts") {
				m := models[rapid.IntRange(0, 2).Draw(t, "model")]
				it.Parts = append(it.Parts, Part{ID: int64(10*i + k + 1), Name: fmt.Sprint("part ", k), ModelID: m.ID, Model: m, Copies: rapid.IntRange(1, 2).Draw(t, "of each"),
					Process: rapid.SampledFrom([]string{process.Resin, process.Filament}).Draw(t, "process"), Hidden: k > 0 && rapid.Bool().Draw(t, "hidden")})
			}
			for range rapid.IntRange(0, 3).Draw(t, "extras") {
				it.Extras = append(it.Extras, quote.Extra{What: "extra", Kind: rapid.SampledFrom([]string{quote.Trial, quote.Sculpt, quote.Licence, quote.BoughtIn, quote.Freight, quote.Restore, quote.Base, quote.SoftGoods, quote.Other}).Draw(t, "kind"),
					Hours: float64(rapid.IntRange(0, 5).Draw(t, "hours")), PerCopy: rapid.Bool().Draw(t, "per copy"), Revisions: rapid.IntRange(0, 2).Draw(t, "revisions"), Odds: 0.25, WorseHours: 3,
					StopAt: 80, Inside: rapid.Bool().Draw(t, "inside"), Ground: rapid.SampledFrom([]string{quote.Plain, quote.Textured, quote.Flocked, quote.Poured}).Draw(t, "ground")})
			}
			items = append(items, it)
		}
		for i, e := range h.EstimateAll(items) {
			it := items[i]
			var planned float64
			sum := func(stages []Stage, times int) {
				for _, s := range stages {
					planned += s.PlannedMin * float64(times)
				}
			}
			for _, p := range it.prints() {
				if it.Cast {
					plan := h.CastPlan(p, it, items)
					sum(plan.Master, 1)
					sum(plan.Mould, plan.Moulds)
					sum(plan.Copy, p.Copies*it.Copies)
					continue
				}
				sum(h.StagesFor(p, it, items), p.Copies*it.Copies)
			}
			if it.Joined() {
				sum(h.AssemblyStages(it, items), it.Copies)
			}
			for _, x := range h.ExtraPieces(it) {
				sum(x.Plan, x.Count)
			}
			require.InDelta(t, e.HandsMinutes, planned, 1e-6, it.Title)
		}
	})
}

// What is joined is put together dry before the first coat, coloured and packed as a whole; its
// parts stop where it takes over, and pegs stop as they come.
func TestRouteOfAnAssembly(t *testing.T) {
	h := house()
	it := item(block(20, 20, 30), process.Resin, route.Painted, 2, 1)
	peg := block(4, 4, 12)
	peg.How = Peg
	it.Parts = append(it.Parts, Part{ID: 2, Name: "arm", Copies: 2, Process: process.Resin, Model: block(8, 8, 20)}, Part{ID: 3, Name: "peg", Copies: 2, Process: process.Resin, Model: peg})
	it.Features = finish.Features{Eyes: 2, FitHours: 1}
	require.True(t, it.Joined())
	kinds := func(stages []Stage) (out []route.StageKind) {
		for _, s := range stages {
			out = append(out, s.Kind)
			assert.Positive(t, s.PlannedMin, s.Kind)
		}
		return out
	}
	assert.Equal(t, []route.StageKind{route.DryFit, route.Score, route.Glue, route.Fill, route.Sand, route.Prime, route.Look,
		route.Base, route.Shade, route.Light, route.Detail, route.Clear, route.Fit, route.Pack}, kinds(h.AssemblyStages(it, []Item{it})))
	arm := kinds(h.StagesFor(it.Parts[1], it, []Item{it}))
	assert.Equal(t, route.Look, arm[len(arm)-1])
	assert.Equal(t, []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure}, kinds(h.StagesFor(it.Parts[2], it, []Item{it})))
	assert.Equal(t, int64(1), it.Principal().ID)
	// What is counted lies on it once, not on every part.
	plain := it
	plain.Features = finish.Features{FitHours: 1}
	e, without := h.Estimate(it), h.Estimate(plain)
	fine := minutesOf(e, route.Detail)
	assert.InDelta(t, 2*2*h.Book.V("detail.eye"), fine/finish.SpreadOf(h.Book, "detail").Mean, 2*2*h.Book.V("detail.eye")*0.2+2*h.Book.V("detail.batch"), "two eyes on each of two")
	assert.Greater(t, e.HandsMinutes, without.HandsMinutes)
	it.Apart = true
	assert.False(t, it.Joined())
	// A hollow figure and its plugs: nothing to line up, but the plugs are glued, and it is packed.
	figure := item(block(20, 20, 30), process.Resin, route.Primed, 1, 1)
	figure.Parts = append(figure.Parts, Part{ID: 2, Name: "plug", Copies: 2, Process: process.Resin, Model: peg})
	assert.Equal(t, []route.StageKind{route.Glue, route.Pack}, kinds(h.AssemblyStages(figure, []Item{figure})))
	assert.Nil(t, h.seamOf(Item{Parts: figure.Parts[1:], Copies: 1, Scale: 1, Tier: route.Primed}, nil), "pegs alone are no assembly yet")
}

// An assembly lies at the bench when all its parts are done, and never before; one that is sent
// back, scrapped or taken off takes it along, until it is joined.
func TestAssembliesGather(t *testing.T) {
	todo := StageList{{Stage: route.Stage{Kind: route.DryFit, Mark: route.Todo}}, {Stage: route.Stage{Kind: route.Glue, Mark: route.Todo}}}
	assembly := Piece{ID: 1, Code: "0412-1", Kind: KindAssembly, State: InParts, Stages: todo}
	part := func(id int64, s PieceState) Piece {
		return Piece{ID: id, Code: fmt.Sprint("0412-1", id), Kind: KindPrint, ParentID: 1, State: s}
	}
	rapid.Check(t, func(t *rapid.T) {
		all := []Piece{assembly}
		ready, live := true, 0
		for i := range rapid.IntRange(0, 4).Draw(t, "parts") {
			s := rapid.SampledFrom([]PieceState{Waiting, OnPlate, AtBench, PieceDone, PieceDone, PieceDone, Scrapped, LeftOut, PieceOff}).Draw(t, "state")
			all = append(all, part(int64(i+2), s))
			ready = ready && OneOf(s, PieceDone, LeftOut, PieceOff)
			if s == PieceDone {
				live++
			}
		}
		got, _ := assembly.Gather(all)
		if want := map[bool]PieceState{true: AtBench, false: InParts}[ready && live > 0]; got.State != want {
			t.Fatalf("%s, want %s: %+v", got.State, want, all[1:])
		}
		if (len(got.Missing(all)) == 0) != ready {
			t.Fatalf("missing %v", got.Missing(all))
		}
	})
	// A replacement counts in the place of what was scrapped.
	fresh := part(9, PieceDone)
	fresh.ReplacesID = 2
	got, changed := assembly.Gather([]Piece{assembly, part(2, Scrapped), fresh})
	assert.True(t, changed)
	assert.Equal(t, AtBench, got.State)
	again, _ := got.Gather([]Piece{got, part(2, AtBench)})
	assert.Equal(t, InParts, again.State, "its part is on the bench again")
	got.Stages = StageList{{Stage: route.Stage{Kind: route.DryFit, Mark: route.Done}}, todo[1]}
	again, changed = got.Gather([]Piece{got, part(2, AtBench)})
	assert.False(t, changed, "what is joined stays joined")
	assert.Equal(t, AtBench, again.State)
	assert.ErrorContains(t, part(2, PieceDone).MayReopen([]Piece{got}), "is in 0412-1 already: take that back first")
	assert.NoError(t, part(2, PieceDone).MayReopen([]Piece{assembly}))
	plain, changed := Piece{Kind: KindPrint, State: AtBench}.Gather(nil)
	assert.False(t, changed)
	assert.Equal(t, AtBench, plain.State)
}

// A part's label is the assembly's with a letter, a new one for each.
func TestCodesOfParts(t *testing.T) {
	taken := []string{"0412-1", "0412-12", "0412-12a"}
	assert.Equal(t, "0412-1a", ChildCode("0412-1", taken))
	for range 27 {
		taken = append(taken, ChildCode("0412-1", taken))
	}
	assert.Equal(t, "0412-1aa", taken[len(taken)-1])
	assert.Equal(t, "0412-12b", ChildCode("0412-12", taken))
	assert.Equal(t, "0412-13", NextCode("0412", taken))
}

// An assembly follows on the longest of its parts; the others only need hands.
func TestChainsOfATree(t *testing.T) {
	now := time.Date(2026, 5, 14, 9, 0, 0, 0, time.UTC)
	stages := func(minutes ...float64) (out StageList) {
		for _, m := range minutes {
			out = append(out, Stage{Stage: route.Stage{Kind: route.Sand, Mark: route.Todo, PlannedMin: m}})
		}
		return out
	}
	cast, ready := ChainsOf([]Piece{{ID: 1, OrderID: 7, Kind: KindMaster, State: Waiting, Stages: stages(3)}, {ID: 2, OrderID: 7, Kind: KindMould, FromID: 1, State: InParts, Stages: stages(4)},
		{ID: 3, OrderID: 7, Kind: KindCast, FromID: 2, State: InParts, Stages: stages(5)}, {ID: 4, OrderID: 7, Kind: KindCast, FromID: 2, State: InParts, Stages: stages(5)}}, now, nil)
	require.Len(t, cast[7], 2)
	assert.Len(t, cast[7][0], 3, "print, mould and the first casting")
	assert.Equal(t, 2, ready[7])
	chains, open := ChainsOf([]Piece{
		{ID: 1, OrderID: 7, Kind: KindAssembly, State: InParts, Stages: stages(50)},
		{ID: 2, OrderID: 7, Kind: KindPrint, ParentID: 1, State: AtBench, Stages: stages(5)},
		{ID: 3, OrderID: 7, Kind: KindPrint, ParentID: 1, State: AtBench, Stages: stages(20, 10)},
		{ID: 4, OrderID: 7, Kind: KindPrint, State: AtBench, Stages: stages(1)},
	}, now, nil)
	require.Len(t, chains[7], 3)
	assert.Len(t, chains[7][0], 1)
	assert.Len(t, chains[7][1], 3, "its own two stages, then the assembly's")
	assert.Equal(t, 2, open[7], "what the client gets")
	alone, _ := ChainsOf([]Piece{{ID: 1, OrderID: 7, Kind: KindAssembly, State: AtBench, Stages: stages(50)}}, now, nil)
	assert.Len(t, alone[7], 1)
}
