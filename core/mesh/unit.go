package mesh

import "math"

// UnitGuess says in what unit a file without one was probably drawn.
type UnitGuess struct {
	Unit      string   `json:"unit"`       // m, in, cm or micron
	Scale     float64  `json:"scale"`      // millimetres in one of them
	LargestMM float64  `json:"largest_mm"` // the largest side, if the guess is right
	Or        []string `json:"or"`         // the other units that would give a likely size
}

// UnitsMM are the units a model can be taken in, by name, in millimetres.
var UnitsMM = map[string]float64{"mm": 1, "cm": 10, "m": 1000, "in": 25.4, "ft": 304.8, "micron": 0.001}

// The largest side of what a studio prints, in millimetres. Source: common practice,
// a bead to a wearable in one piece.
const (
	likelyLeastMM = 5.0
	likelyMostMM  = 1500.0
	likelyMM      = 120.0 // a bust
	possibleMM    = 1.0   // of another unit: a file of beads is odd, not absurd
)

// GuessUnit looks at the largest side of a file without a unit. A side that makes
// sense in millimetres needs no guess. Otherwise the unit is taken that brings the
// side nearest, in ratio, to that of a bust; the others that give a likely size are
// named. Nothing is ever scaled by a guess alone.
func GuessUnit(size [3]float64) (guess UnitGuess, needed bool) {
	side := max(size[0], size[1], size[2])
	if side <= 0 || side >= likelyLeastMM && side <= likelyMostMM {
		return guess, false
	}
	best := math.Inf(1)
	for _, unit := range []string{"m", "in", "cm", "micron"} {
		k := UnitsMM[unit]
		if side*k < possibleMM || side*k > likelyMostMM {
			continue
		}
		if off := math.Abs(math.Log(side * k / likelyMM)); off < best {
			if guess.Unit != "" {
				guess.Or = append(guess.Or, guess.Unit)
			}
			best, guess.Unit, guess.Scale, guess.LargestMM = off, unit, k, side*k
		} else {
			guess.Or = append(guess.Or, unit)
		}
	}
	return guess, guess.Unit != ""
}
