package solid

import "sakuji/core/mesh"

// Standing is how a part is set over its plate.
type Standing struct {
	LiftMM float64 // between the top of the raft, or the plate, and the part's lowest point
	RaftMM float64 // thick; 0: pillars stand on the plate itself
}

// How props are shaped. Source: from memory.
const (
	tipLongMM  = 2.0 // the cone between a pillar and its tip, at most
	tipSunkMM  = 0.15
	footWide   = 3.0 // of a foot on the plate, times the pillar
	propSunkMM = 0.3 // of a pillar into its foot, or into the part that it stands on
)

// Props are the pillars of a part as bodies of their own, for a program that is given them: each from a
// foot on the plate, or from the part, to a cone that ends in its tip, a little way into the face it
// holds. They stand as the part does, and reach below its lowest point as far as it is lifted; nil for
// a part that nothing holds.
func Props(m *mesh.Mesh, contacts []Contact, h Holding, on Standing) *mesh.Soup {
	var flat []float32
	add := func(footMM, headMM, longMM float64, at mesh.Vec) {
		body := frustum(footMM/2, headMM/2, longMM)
		for _, t := range body.Triangles {
			for _, k := range t {
				v := body.Vertices[k].Add(at)
				flat = append(flat, float32(v.X), float32(v.Y), float32(v.Z))
			}
		}
	}
	plate := m.Box.Min.Z - on.LiftMM - on.RaftMM
	for _, c := range contacts {
		bottom := c.At
		if bottom.Z -= c.LongMM + propSunkMM; !c.OnPart {
			bottom.Z = plate + on.RaftMM/2
			if on.RaftMM > 0 {
				add(footWide*h.PillarMM, footWide*h.PillarMM, on.RaftMM, mesh.Vec{X: c.At.X, Y: c.At.Y, Z: plate})
			}
		}
		long := c.At.Z + tipSunkMM - bottom.Z
		tip := min(tipLongMM, long/2)
		if long <= 0 {
			continue
		}
		add(h.PillarMM, h.PillarMM, long-tip, bottom)
		add(h.PillarMM, h.TipMM, tip+propOverlapMM, mesh.Vec{X: bottom.X, Y: bottom.Y, Z: bottom.Z + long - tip - propOverlapMM})
	}
	if len(flat) == 0 {
		return nil
	}
	return mesh.SoupOf("stl", flat)
}

// propOverlapMM is how far the two bodies of a pillar reach into each other, so that they are one.
const propOverlapMM = 0.02
