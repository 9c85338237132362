package studio

import (
	"fmt"

	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
)

// PlateEstimate is what a plate takes as it is laid.
type PlateEstimate struct {
	Minutes        float64
	PhysicsMin     float64 // before what the machine learned
	Grams          float64 // pieces, supports and loss
	Metres         float64 // of filament; 0 for resin
	TallestMM      float64
	TallestID      int64   // piece; 0 for filament, where the sum counts
	WithoutMinutes float64 // of a resin plate without its tallest piece
	WithoutMM      float64
	Covered        float64 // of the bed, 0..1
	FailureChance  float64
	CostMinor      int64
	Working        rates.Working // of Minutes
	CostWorking    rates.Working
	GramsWorking   rates.Working
	CoveredWorking rates.Working
	ChanceWorking  rates.Working
	PieceGrams     map[int64]float64
}

// LaidPiece is a piece on a plate with its model.
type LaidPiece struct {
	Piece Piece
	Model Model
}

// SharedBy is the profile that pieces on a plate have in common.
func SharedBy(pieces []LaidPiece) PrintProfile {
	if len(pieces) == 0 {
		return PrintProfile{}
	}
	return pieces[0].Piece.Profile.Shared()
}

// EstimatePlate works out a run of these pieces on a machine.
func (h Shop) EstimatePlate(machine Machine, material Material, pieces []LaidPiece) PlateEstimate {
	e := PlateEstimate{PieceGrams: map[int64]float64{}}
	machine = machine.For(material, SharedBy(pieces))
	kind := process.Of(machine.Process)
	var prints []process.Print
	coveredMM2 := 0.0
	for _, lp := range pieces {
		pr := h.PrintOf(lp.Piece.Copy(lp.Model), machine, material)
		e.PieceGrams[lp.Piece.ID] = pr.Grams
		e.Grams += pr.Grams
		prints = append(prints, pr)
		coveredMM2 += lp.Model.Shape.Plan.Scaled(lp.Piece.Scale).AreaMM2()
		if pr.HeightMM > e.TallestMM {
			e.TallestMM, e.TallestID, e.WithoutMM = pr.HeightMM, lp.Piece.ID, e.TallestMM
		} else {
			e.WithoutMM = max(e.WithoutMM, pr.HeightMM)
		}
	}
	e.cover(machine, coveredMM2)
	if len(pieces) == 0 {
		return e
	}
	e.fill(machine, material, len(pieces))
	e.run(kind, machine, prints)
	e.calibrate(machine)
	failure := h.FailurePerHour(machine, material)
	e.FailureChance = process.FailureChance(failure.Value, e.Minutes)
	e.ChanceWorking = rates.Working{Formula: "1 − e^(−failures per hour × hours)", Inputs: []rates.Figure{failure, rates.Of("run", e.Minutes/60, "h", rates.Derived)},
		Result: rates.Of("chance the run fails", e.FailureChance*100, "%", rates.Derived)}
	h.costRun(&e, machine, material)
	return e
}

// cover works out how much of the bed lies under the pieces.
func (e *PlateEstimate) cover(machine Machine, coveredMM2 float64) {
	bed := machine.Bed()
	e.Covered = min(1, coveredMM2/max(1, bed.WidthMM*bed.DepthMM))
	e.CoveredWorking = rates.Working{Formula: "outlines ÷ (width × depth)",
		Inputs: []rates.Figure{rates.Of("outlines of the pieces", coveredMM2/100, "cm²", rates.Mesh), machine.Figures["width"], machine.Figures["depth"]},
		Result: rates.Of("bed covered", e.Covered*100, "%", rates.Derived)}
}

// fill works out the material of the run from that of its pieces.
func (e *PlateEstimate) fill(machine Machine, material Material, pieces int) {
	e.GramsWorking = rates.Working{Formula: "pieces with their supports + loss of a plate", Inputs: []rates.Figure{
		rates.Of("pieces", float64(pieces), "pieces", rates.Derived), rates.Of("all of them", e.Grams, "g", rates.Derived), machine.Figures["loss"]}}
	e.Grams += machine.Figures.V("loss")
	e.Metres = process.FilamentMetres(e.Grams, material.Figures.V("density"), material.Figures.V("diameter"))
	e.GramsWorking.Result = rates.Of("material of the run", e.Grams, "g", rates.Derived)
}

// run times the run; where its tallest piece sets it, also without that one.
func (e *PlateEstimate) run(kind process.Kind, machine Machine, prints []process.Print) {
	e.Working = kind.Working(machine.Figures, prints)
	e.Minutes = e.Working.Result.Value
	switch {
	case !kind.TallestSets:
		e.WithoutMM = 0
	case e.WithoutMM > 0:
		e.WithoutMinutes = kind.Run(machine.Figures)([]process.Print{{HeightMM: e.WithoutMM}})
	}
}

// calibrate corrects the time by what the machine taught.
func (e *PlateEstimate) calibrate(machine Machine) {
	e.PhysicsMin = e.Minutes
	f := machine.Calibration.Factor()
	if f == 1 {
		return
	}
	e.Minutes, e.WithoutMinutes = e.Minutes*f, e.WithoutMinutes*f
	e.Working.Formula = "(" + e.Working.Formula + ") × what the machine taught"
	e.Working.Inputs = append(e.Working.Inputs, rates.Of(fmt.Sprintf("taught by %d runs and files", machine.Calibration.Count), f, "×", rates.Derived))
	e.Working.Result.Value = e.Minutes
}

// costRun prices a run.
func (h Shop) costRun(e *PlateEstimate, machine Machine, material Material) {
	perHour, inputs := machine.HourCost(h.Book)
	wear, wearInputs := machine.Wear(1, e.Grams)
	inputs = append(inputs, wearInputs...)
	cost := e.Grams/1000*material.Figures.V("price") + e.Minutes/60*perHour + wear
	e.CostMinor = quote.Minor(cost, Digits(h.Studio.Currency))
	e.CostWorking = rates.Working{
		Formula: "material × price + hours × machine hour + wear of film or nozzle",
		Inputs: append([]rates.Figure{rates.Of("material with loss", e.Grams, "g", rates.Derived),
			labelled(material.Figures["price"], material.Name), rates.Of("run", e.Minutes/60, "h", rates.Derived),
			rates.Of("machine hour", perHour, "¤/h", rates.Derived)}, inputs...),
		Result: rates.Of("cost of the run", cost, "¤", rates.Derived),
	}
}
