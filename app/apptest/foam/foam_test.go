// Package foam holds that a further process is one file: a foam cutter, added beside resin and filament, is priced,
// planned, cut and stamped by its own time, route and cautions.
package foam

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/app/plates"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

// Everything that a process is asked for, it tells; what is left out is named.
func TestLacks(t *testing.T) {
	for _, k := range process.Kinds() {
		assert.Empty(t, k.Lacks(), k.Name)
	}
	k := cutter
	k.Print, k.Before, k.Faults = nil, "", nil
	assert.Equal(t, []string{"Before", "Faults", "Print"}, k.Lacks())
	assert.Panics(t, func() { process.Add(k, brings) })
	assert.Panics(t, func() { process.Add(cutter, brings) }, "it is there already")
	assert.Equal(t, "resin, filament or foam", process.OrOf())
}

func TestAThirdProcess(t *testing.T) {
	s := apptest.New(t)
	table, err := s.Setup.SaveMachine(s.Ctx, s.Owner, 0, setup.GearForm{Name: "Wire", From: "Hot wire table", Active: true})
	require.NoError(t, err)
	foam, err := s.Setup.SaveMaterial(s.Ctx, s.Owner, 0, setup.GearForm{Name: "Blue foam", From: "Blue foam", Active: true})
	require.NoError(t, err)
	assert.Equal(t, []string{Name, Name}, []string{table.Process, foam.Process})

	// Priced: four vases of 40 mm are four slabs each; minutes by hand from the wire's path and the changes.
	no := s.Order(4, route.Primed)
	sheet := apptest.Pricing(t, s, no)
	it := sheet.Items[0].Item
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID,
		orders.ItemForm{Title: "Vase", Tier: route.Primed, Copies: 4, Scale: 1,
			Parts: map[int64]orders.PartForm{it.Parts[0].ID: {Process: Name, Copies: 1, MaterialID: foam.ID}}}))
	sheet = apptest.Pricing(t, s, no)
	part := sheet.Items[0].Item.Parts[0]
	require.Equal(t, Name, part.Process)
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	wire, ok := h.Machine(table.ID)
	require.True(t, ok)
	print := h.PrintOf(part.CopyAt(1), wire, foam)
	byHand := 4 * 2.0
	for i := range 4 {
		byHand += part.Model.Shape.Profile.At(float64(i)*10+5).PerimeterMM / 8 / 60
	}
	assert.InDelta(t, byHand, print.Minutes, 0.02*byHand)
	assert.InDelta(t, part.Model.Measures.VolumeMM3/1000*0.035, print.Grams, 1e-6)
	assert.Positive(t, sheet.Price.NetMinor)

	// Promised and planned: its machine is on the plan.
	s.Accept(no)
	by, codes := apptest.PiecesOf(t, s, no)
	require.Len(t, codes, 4)
	var kinds []route.StageKind
	for _, stage := range by[codes[0]].Stages {
		kinds = append(kinds, stage.Kind)
	}
	require.GreaterOrEqual(t, len(kinds), 4)
	assert.Equal(t, []route.StageKind{route.Print, route.CutOut, route.Glue}, kinds[:3], "its own route")
	plan, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(t, err)
	onIt := 0
	for _, task := range plan.Tasks {
		if task.MachineID == table.ID {
			onIt++
		}
	}
	assert.Positive(t, onIt, "the table is planned")

	// Cut and stamped, with its own checks and cautions.
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, table.ID, foam.ID, studio.PrintProfile{})
	require.NoError(t, err)
	laid, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	require.Len(t, laid.Pieces, 4)
	assert.InDelta(t, 4*print.Minutes, laid.Estimate.Minutes, 1e-6, "hours add up")
	require.Len(t, laid.Ready, 2)
	assert.Equal(t, "wire taut", laid.Ready[0].Text)
	s.Begin(number)
	s.Clock.Pass(3 * time.Hour)
	laid, err = s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	out := map[int64]studio.Outcome{}
	for i, p := range laid.Pieces {
		if out[p.Piece.ID] = (studio.Outcome{What: studio.Good}); i == 3 {
			out[p.Piece.ID] = studio.Outcome{What: studio.Failed, Cause: "wire broke"}
		}
	}
	require.NoError(t, s.Plates.EmptyPlate(s.Ctx, s.Bench, number, plates.Emptied{Outcomes: out, Ended: laid.Plate.Run.Due()}))
	first, err := s.Pieces.Piece(s.Ctx, laid.Pieces[0].Piece.Code)
	require.NoError(t, err)
	require.Equal(t, route.CutOut, first.Piece.Now().Kind)
	assert.Contains(t, process.Of(Name).Caution(route.Print), "fumes harm")
	apptest.FinishTo(t, s, first.Code)
	first, err = s.Pieces.Piece(s.Ctx, first.Code)
	require.NoError(t, err)
	assert.Equal(t, studio.PieceDone, first.State)
}
