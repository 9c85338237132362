package process

import (
	"math"

	"sakuji/core/solid"
)

// Shape is what of a part counts for a machine, at the size it is printed.
type Shape struct {
	VolumeMM3  float64
	AreaMM2    float64
	BentMM     float64 // mean curvature over all of it; 0: not known
	HeightMM   float64
	SupportMM3 float64 // of pillars that hold it
	Held       bool    // they were worked out; else the room under its overhangs tells
	Profile    solid.Profile
	Overhang   solid.Overhang
}

// Grams is the mass of a volume.
func Grams(mm3, densityGPerCM3 float64) float64 { return mm3 / 1000 * densityGPerCM3 }

// FailureChance is the chance that a run of these minutes fails at a constant
// rate per hour: 1 − e^(−λT).
func FailureChance(perHour, minutes float64) float64 { return 1 - math.Exp(-perHour*minutes/60) }

// ExtraRuns is how many further runs are expected for one that succeeds, when a
// failure is noticed only at the end: e^(λT) − 1 [published: mean of the geometric
// distribution, e.g. Ross, Introduction to Probability Models]. Past e^20, some five
// hundred million runs, it stays there: nothing of it would ever come out.
func ExtraRuns(perHour, minutes float64) float64 { return math.Exp(min(20, perHour*minutes/60)) - 1 }

// ColdC is the room temperature below which resin runs fail and paint cures late.
// Source: common practice.
const ColdC = 20.0
