package studio

import (
	"time"
)

// LayerLoad is how much area cures in each layer of a plate: what the film must let go of, layer by
// layer.
type LayerLoad struct {
	HeightMM float64
	AreaMM2  []float64 // in the middle of equal slabs from the plate up
	MostMM2  float64
	AtMM     float64 // the height of the largest
}

// loadSlabs is how finely the load is told.
const loadSlabs = 80

// PlateLoad adds up what the pieces of a plate cut at each height; supports are not counted.
func PlateLoad(pieces []LaidPiece) (l LayerLoad) {
	for _, lp := range pieces {
		l.HeightMM = max(l.HeightMM, lp.Model.PrintHeightMM()*lp.Piece.Scale)
	}
	if l.HeightMM <= 0 {
		return l
	}
	l.AreaMM2 = make([]float64, loadSlabs)
	for i := range l.AreaMM2 {
		z := (float64(i) + 0.5) * l.HeightMM / loadSlabs
		for _, lp := range pieces {
			k, p := lp.Piece.Scale, lp.Model.Shape.Profile
			if k > 0 && z/k <= p.HeightMM && len(p.Slices) > 0 {
				l.AreaMM2[i] += p.At(z/k).AreaMM2 * k * k
			}
		}
		if l.AreaMM2[i] > l.MostMM2 {
			l.MostMM2, l.AtMM = l.AreaMM2[i], z
		}
	}
	return l
}

// Risk is what a run puts at stake: a piece that could not be printed again in time.
type Risk struct {
	Piece      Piece
	SlackMin   float64 // between the end of this run and when the piece must be off its plate
	ReprintMin float64 // of another run with it alone, the change of the plate included
	SpareMin   float64 // that another copy beside it would add, where one has room
	SpareGrams float64
	Spare      bool   // one has room
	Has        string // the label of one that lies beside it
}

// Irreplaceable reports whether a piece that fails could not be printed again before it is due. off is
// when it must be off its plate; zero: whenever.
func (h Shop) Irreplaceable(lp LaidPiece, machine Machine, material Material, off, ends time.Time) (r Risk, is bool) {
	if off.IsZero() {
		return r, false
	}
	again := h.EstimatePlate(machine, material, []LaidPiece{lp})
	r = Risk{Piece: lp.Piece, SlackMin: off.Sub(ends).Minutes(), ReprintMin: again.Minutes + h.ChangeMin()}
	return r, r.SlackMin < r.ReprintMin
}

// Attended says whether somebody is in the studio at a time, and from when on somebody is.
func (h Shop) Attended(at time.Time) (is bool, from time.Time) {
	from = h.Hours().There(at)
	return !from.After(at), from
}
