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
}

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
			}
			below = h.z
		}
	}
	cell2 := c.cell * c.cell
	o.VolumeMM3, o.AreaMM2, o.FootprintMM2, o.ShadowMM2 = o.VolumeMM3*cell2, o.AreaMM2*cell2, o.FootprintMM2*cell2, o.ShadowMM2*cell2
	return o
}

// Scaled returns the overhang of the part at k times its size.
func (o Overhang) Scaled(k float64) Overhang {
	return Overhang{o.VolumeMM3 * k * k * k, o.AreaMM2 * k * k, o.FootprintMM2 * k * k, o.ShadowMM2 * k * k}
}
