package solid

import (
	"math"

	"sakuji/core/mesh"
)

// Overhang is what hangs over nothing in the standing position of the mesh.
type Overhang struct {
	VolumeMM3    float64 `json:"volume"`    // room between overhanging faces and what is below them
	AreaMM2      float64 `json:"area"`      // projected area of those faces
	FootprintMM2 float64 `json:"footprint"` // area that lies flat on the plate
	ShadowMM2    float64 `json:"shadow"`    // projected area of the whole part

	Lax [len(LaxDeg)]Lax `json:"lax,omitzero"` // what of it wants holding at laxer limits; 0: nobody looked
}

// Lax is what a laxer limit leaves of an overhang, as shares of what the usual one finds.
type Lax struct {
	Room float64 `json:"room"`
	Area float64 `json:"area"`
}

// LaxDeg are limits beyond the usual one, from the vertical: up to 70° on forgiving shapes. Source:
// common practice.
var LaxDeg = [...]float64{50, 55, 60, 65, 70}

// OverhangDeg is the usual limit, from the vertical, beyond which a face needs
// holding. Source: common practice, 45–50°.
const OverhangDeg = 45

const (
	overhangCells = 160 // along the longer side of the plan
	onPlateMM     = 0.2 // a face this near to the plate lies on it
)

// OverhangOf walks the part in vertical lines through a grid of about a hundred
// and sixty cells along its longer side. Under every face that leans further than
// limitDeg from the vertical it measures the room down to the next surface or the
// plate. A face within 0.2 mm of the plate lies on it.
func OverhangOf(m *mesh.Mesh, limitDeg float64) Overhang {
	c := columnsOf(m, overhangCells)
	var o Overhang
	steep := math.Sin(limitDeg * math.Pi / 180)
	var laxer [len(LaxDeg)]float64
	for k, deg := range LaxDeg {
		laxer[k] = math.Sin(deg * math.Pi / 180)
	}
	for _, hits := range c.hits {
		if len(hits) == 0 {
			continue
		}
		o.ShadowMM2++
		below := 0.0
		for _, h := range hits {
			switch {
			case h.up < 0 && h.z < onPlateMM:
				o.FootprintMM2++
			case h.up < -steep && h.z-below > onPlateMM:
				o.AreaMM2++
				o.VolumeMM3 += h.z - below
				for k, s := range laxer {
					if h.up < -s {
						o.Lax[k].Area++
						o.Lax[k].Room += h.z - below
					}
				}
			}
			below = h.z
		}
	}
	for k := range o.Lax {
		o.Lax[k].Area, o.Lax[k].Room = o.Lax[k].Area/max(1, o.AreaMM2), o.Lax[k].Room/max(1e-9, o.VolumeMM3)
	}
	cell2 := c.cell * c.cell
	o.VolumeMM3, o.AreaMM2, o.FootprintMM2, o.ShadowMM2 = o.VolumeMM3*cell2, o.AreaMM2*cell2, o.FootprintMM2*cell2, o.ShadowMM2*cell2
	return o
}

// Scaled returns the overhang of the part at k times its size.
func (o Overhang) Scaled(k float64) Overhang {
	return Overhang{o.VolumeMM3 * k * k * k, o.AreaMM2 * k * k, o.FootprintMM2 * k * k, o.ShadowMM2 * k * k, o.Lax}
}

// LaxAt is what a limit leaves of the overhang, between those that were looked at in a straight line;
// all of it at the usual limit, below it, and where nobody looked.
func (o Overhang) LaxAt(limitDeg float64) Lax {
	all := Lax{1, 1}
	if limitDeg <= OverhangDeg || o.Lax == ([len(LaxDeg)]Lax{}) {
		return all
	}
	return Lax{between(limitDeg, func(k int) float64 { return o.Lax[k].Room }), between(limitDeg, func(k int) float64 { return o.Lax[k].Area })}
}

// LaxOf is the share of pillars that a limit leaves, of what LaxPillars found.
func LaxOf(shares [len(LaxDeg)]float64, limitDeg float64) float64 {
	if limitDeg <= OverhangDeg {
		return 1
	}
	return between(limitDeg, func(k int) float64 { return shares[k] })
}

// between reads a share at a limit off those at the usual one, which is all, and at LaxDeg.
func between(limitDeg float64, at func(k int) float64) float64 {
	deg, before := float64(OverhangDeg), 1.0
	for k, next := range LaxDeg {
		if limitDeg <= next {
			return before + (limitDeg-deg)/(next-deg)*(at(k)-before)
		}
		deg, before = next, at(k)
	}
	return before
}
