package solid

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh/meshtest"
)

// The lower half of a ball of radius R hangs over its plate: seen from above, the faces beyond a limit
// L cover πR²cos²L, and the room below them is πR³(cos²L − ⅔(1 − sin³L)) [integral of the circle].
func TestALaxerLimitHoldsLessOfABall(t *testing.T) {
	const r = 20.0
	var half [][2]float64
	for k := 0; k <= 360; k++ {
		a := float64(k) * math.Pi / 360
		half = append(half, [2]float64{r * math.Sin(a), r - r*math.Cos(a)})
	}
	ball := meshtest.Turned(half, 180).Weld()
	area := func(deg float64) float64 { return math.Pow(math.Cos(deg*math.Pi/180), 2) }
	room := func(deg float64) float64 { return area(deg) - 2.0/3*(1-math.Pow(math.Sin(deg*math.Pi/180), 3)) }
	o := OverhangOf(ball, OverhangDeg)
	for _, deg := range []float64{50, 55, 60, 65, 70} {
		got := o.LaxAt(deg)
		assert.InDelta(t, area(deg)/area(45), got.Area, 0.04, "%v°", deg)
		assert.InDelta(t, room(deg)/room(45), got.Room, 0.03, "%v°", deg)
	}
	assert.InDelta(t, (o.LaxAt(50).Room+o.LaxAt(55).Room)/2, o.LaxAt(52.5).Room, 1e-12, "between two limits in a straight line")
	assert.Equal(t, Lax{1, 1}, o.LaxAt(40))
	assert.InDelta(t, o.LaxAt(70).Room, o.LaxAt(80).Room, 1e-12, "no further than was looked")
	assert.Equal(t, Lax{1, 1}, Overhang{AreaMM2: 5}.LaxAt(60), "nobody looked: all of it")
	assert.Equal(t, o.LaxAt(60), o.Scaled(3).LaxAt(60), "size does not matter")

	usual := PillarMM3(ball, FilamentHolding)
	shares := LaxPillars(ball, FilamentHolding, usual)
	for _, deg := range LaxDeg {
		at := FilamentHolding
		at.LimitDeg = deg
		assert.InDelta(t, PillarMM3(ball, at)/usual, LaxOf(shares, deg), 1e-9, "the pillars as they are found at %v°", deg)
	}
	assert.Equal(t, 1.0, LaxOf(shares, 45))
	assert.Less(t, LaxOf(shares, 55), 0.5, "a face that is held by its own slope wants no pillar")
}
