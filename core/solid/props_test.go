package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// A table top of 40 × 40 mm, 30 mm up on one leg: every pillar reaches from the plate into its under side,
// closed by itself, and together they weigh what they are priced at.
func TestPropsReachFromThePlateToThePart(t *testing.T) {
	table := Whole(meshtest.Together(meshtest.Box(mesh.Vec{X: 15, Y: 15}, mesh.Vec{X: 10, Y: 10, Z: 31}), meshtest.Box(mesh.Vec{Z: 30}, mesh.Vec{X: 40, Y: 40, Z: 3})).Weld())
	contacts := Contacts(table, FilamentHolding)
	require.NotEmpty(t, contacts)
	props := Props(table, contacts, FilamentHolding, Standing{})
	assert.InDelta(t, 0, props.Box.Min.Z, 1e-3)
	assert.InDelta(t, 30+tipSunkMM, props.Box.Max.Z, 0.15)
	measured := props.Weld().Measure()
	assert.True(t, measured.Watertight)
	assert.Equal(t, 2*len(contacts), measured.Shells, "a pillar and its tip, for each")
	pillars := float64(len(contacts)) * 30 * math.Pi * FilamentHolding.PillarMM * FilamentHolding.PillarMM / 4
	assert.InEpsilon(t, pillars, measured.VolumeMM3, 0.08, "less the cones, and 1 % for the sides of a polygon")

	hung := Props(table, Contacts(table, ResinHolding), ResinHolding, Standing{LiftMM: 5, RaftMM: 1.2})
	assert.InDelta(t, -6.2, hung.Box.Min.Z, 1e-3, "the raft lies on the plate")
	assert.Nil(t, Props(table, nil, ResinHolding, Standing{}))

	// A shelf over a step: its pillars stand on the part, not on the plate.
	step := Whole(meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 40, Y: 20, Z: 10}), meshtest.Box(mesh.Vec{}, mesh.Vec{X: 4, Y: 20, Z: 40}), meshtest.Box(mesh.Vec{Z: 40 - 3}, mesh.Vec{X: 40, Y: 20, Z: 3})).Weld())
	on := Props(step, Contacts(step, FilamentHolding), FilamentHolding, Standing{})
	assert.InDelta(t, 10-propSunkMM, on.Box.Min.Z, 0.3)
}
