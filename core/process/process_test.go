package process

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/rates"
	"sakuji/core/solid"
)

func machine(t *testing.T, name string) rates.Set {
	t.Helper()
	for _, m := range rates.Starting().Machines {
		if m.Name == name {
			return m.Figures
		}
	}
	t.Fatal("no machine " + name)
	return nil
}

func shapeOf(s *mesh.Soup) Shape {
	m := s.Weld()
	d := m.Measure()
	return Shape{VolumeMM3: d.VolumeMM3, AreaMM2: d.AreaMM2, BentMM: solid.BentMM(m), HeightMM: d.SizeMM[2],
		Profile: solid.ProfileOf(m, 200), Overhang: solid.OverhangOf(m, solid.OverhangDeg)}
}

// The trade's check values for resin at 30 µm: a bust of 110–120 mm with its lift
// about 9 h, tall plates of 165–250 mm 13–20 h, jewellery of 25 mm about 2 h; 8.5 s a
// layer make 12.7 mm an hour.
func TestResinRunAgainstPractice(t *testing.T) {
	for _, name := range []string{"Small resin printer", "Large resin printer"} {
		r := ResinOf(machine(t, name))
		hours := func(withStand float64) float64 { return r.Minutes(withStand-r.RaftMM-r.StandMM) / 60 }
		assert.InDelta(t, 9, hours(115), 1.2, name)
		assert.InDelta(t, 2, hours(25), 0.4, name)
		assert.Greater(t, hours(165), 11.7, name)
		assert.Less(t, hours(250), 21.0, name)
	}
	even := ResinMachine{LayerMM: 0.03, ExposureS: 2.5, BottomExposureS: 2.5, RestS: 6}
	assert.InEpsilon(t, 12.7, 127/(even.Minutes(127)/60), 0.005)
}

func TestResinRunByHand(t *testing.T) {
	r := ResinMachine{LayerMM: 0.05, ExposureS: 2, BottomExposureS: 30, BottomLayers: 5,
		LiftMM: 6, LiftMMPerS: 2, RetractMMPerS: 3, RestS: 1, PreparationMin: 3, RaftMM: 1, StandMM: 4}
	assert.Equal(t, 1000, r.Layers(45))
	assert.InDelta(t, 6, r.MoveS(), 1e-9) // 3 up, 2 down, 1 rest
	assert.InDelta(t, 3+(5*36+995*8)/60.0, r.Minutes(45), 1e-9)
	w := r.Working(45, machine(t, "Small resin printer"))
	assert.InDelta(t, r.Minutes(45), w.Result.Value, 1e-9)
}

// 1 kg of PLA at 1.75 mm and 1.24 g/cm³ is about 335 m.
func TestFilamentLength(t *testing.T) {
	assert.InDelta(t, 335, FilamentMetres(1000, 1.24, 1.75), 1)
}

// A solid block: three walls of 0.45 mm all round, five skins below and above, the
// rest infilled. Added up by hand.
func TestFilamentOfABlock(t *testing.T) {
	m := FilamentMachine{LayerMM: 0.2, LineMM: 0.45, Walls: 3, SkinLayers: 5, Infill: 0.1,
		WallMMPerS: 50, InfillMMPerS: 100, MeltMM3PerS: 1000, PreparationMin: 5}
	got := m.Lay(shapeOf(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 50, Y: 40, Z: 20})))
	assert.Len(t, got.LayerS, 100)
	wall := 180.0 * 3 * 0.45 * 20
	assert.InEpsilon(t, wall, got.WallMM3, 1e-3)
	inner := 50*40.0 - 180*3*0.45
	assert.InEpsilon(t, inner*0.2*10, got.SkinMM3, 1e-3)
	assert.InEpsilon(t, inner*0.2*90*0.1, got.InfillMM3, 1e-3)
	seconds := 100*180*3/50.0 + inner/0.45*(10+9)/100
	assert.InEpsilon(t, seconds, secondsOf(m, got), 1e-3)
	assert.InEpsilon(t, 5+2*seconds/60, m.Minutes(got, got), 1e-3)
}

// A wall thinner than its lines is drawn as far as there is room, and no further.
func TestThinWallsMeet(t *testing.T) {
	m := FilamentMachine{LayerMM: 0.2, LineMM: 0.45, Walls: 3, SkinLayers: 5, Infill: 0.1, WallMMPerS: 50, InfillMMPerS: 100}
	got := m.Lay(shapeOf(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 40, Y: 1, Z: 20})))
	assert.InEpsilon(t, 40*1*20, got.WallMM3, 0.01)
	assert.InDelta(t, 0, got.SkinMM3+got.InfillMM3, 1)
	assert.InEpsilon(t, 40*1*20, got.MM3(), 0.01, "never more than the part")
}

// A small layer still takes its least time, so that it can cool.
func TestLeastLayerTime(t *testing.T) {
	m := FilamentOf(machine(t, "Filament printer"), 0)
	pin := shapeOf(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 3, Y: 3, Z: 20}))
	one := m.Lay(pin)
	assert.InEpsilon(t, 100*m.LeastLayerS, secondsOf(m, one), 1e-9)
	assert.Zero(t, secondsOf(m, FilamentMachine{}.Lay(pin)), "a machine without figures draws nothing")
	// It belongs to the plate: ten pins keep it busy, and take as long as one part of ten.
	ten := meshtest.Together()
	for k := range 10 {
		ten = meshtest.Together(ten, meshtest.Box(mesh.Vec{X: 9 * float64(k)}, mesh.Vec{X: 3, Y: 3, Z: 20}))
	}
	together := []Laid{}
	for range 10 {
		together = append(together, one)
	}
	assert.Less(t, m.Minutes(together...), 0.35*10*m.Minutes(one))
	asOne := m.Minutes(m.Lay(shapeOf(ten)))
	assert.Less(t, asOne, m.Minutes(together...), "one file is thought of with fewer hops")
	assert.InEpsilon(t, m.Minutes(together...)/10, m.EachMinutes(one, 10), 1e-9)
	assert.Zero(t, m.Minutes())
}

// Supports fill their share of the room under what hangs.
func TestFilamentSupports(t *testing.T) {
	m := FilamentOf(machine(t, "Filament printer"), 0.15)
	table := shapeOf(meshtest.Together(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 6, Y: 6, Z: 20}), meshtest.Box(mesh.Vec{Z: 20}, mesh.Vec{X: 40, Y: 40, Z: 3})))
	bare := m
	bare.SupportOfRoom = 0
	with, without := m.Lay(table), bare.Lay(table)
	assert.InEpsilon(t, 0.15*(40*40-36)*20, with.SupportMM3, 0.03)
	assert.Zero(t, without.SupportMM3)
	assert.Greater(t, secondsOf(m, with), secondsOf(m, without))
	pillars := table
	pillars.SupportMM3, pillars.Held = 1234, true
	assert.Equal(t, 1234.0, m.Lay(pillars).SupportMM3, "pillars that were worked out come first")
}

func TestMeltFlowLimitsSpeed(t *testing.T) {
	block := shapeOf(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 50, Y: 40, Z: 20}))
	m := FilamentOf(machine(t, "Filament printer"), 0)
	free, slow := m, m
	free.MeltMM3PerS, slow.MeltMM3PerS = 1000, 2
	slow.RetractS = 0
	assert.Greater(t, secondsOf(slow, slow.Lay(block)), 1.8*secondsOf(free, free.Lay(block)))
	assert.InEpsilon(t, slow.Lay(block).MM3()/2, secondsOf(slow, slow.Lay(block)), 0.05, "all of it at 2 mm³/s")
}

// secondsOf is the time of a part alone, without heating.
func secondsOf(m FilamentMachine, l Laid) float64 {
	m.PreparationMin = 0
	return 60 * m.Minutes(l)
}

// A dish and a tilted disc have as much skin over and under them as a flat plate of their
// area: five layers of 0.2 mm, straight up, are 1 mm wherever the surface is.
func TestSkinOnSlopes(t *testing.T) {
	m := FilamentMachine{LayerMM: 0.2, LineMM: 0.4, Walls: 2, SkinLayers: 5, Infill: 0.1, WallMMPerS: 50, InfillMMPerS: 50}
	disc := meshtest.Turned([][2]float64{{0, 0}, {60, 0}, {60, 10}, {0, 10}}, 128)
	flat := m.Lay(shapeOf(disc))
	tilted := func(deg float64) Laid {
		s, c := math.Sincos(deg * math.Pi / 180)
		shape := shapeOf(solid.Turned(disc.Weld(), [9]float64{1, 0, 0, 0, c, -s, 0, s, c}).Soup("stl"))
		return m.Lay(shape)
	}
	for _, deg := range []float64{3, 10, 20} {
		solidMM3 := func(l Laid) float64 { return l.WallMM3 + l.SkinMM3 }
		thick := m.LayerMM * 5
		want := math.Pi * 3600 * math.Cos(deg*math.Pi/180) * 2 * thick // over and under, seen from above
		got := tilted(deg)
		assert.Greater(t, solidMM3(got), 0.93*want, "%v°", deg)
		assert.InEpsilon(t, flat.MM3(), got.MM3(), 0.12, "%v°", deg)
	}
	// A dish 4 mm deep: paraboloids above and below.
	var bowl [][2]float64
	for k := 0; k <= 40; k++ {
		r := 80 * float64(k) / 40
		bowl = append(bowl, [2]float64{r, 4 * r * r / 6400})
	}
	for k := 40; k >= 0; k-- {
		r := 80 * float64(k) / 40
		bowl = append(bowl, [2]float64{r, 4*r*r/6400 + 2.8})
	}
	dish := shapeOf(meshtest.Turned(bowl, 128))
	assert.InEpsilon(t, math.Pi*6400*2.8, dish.VolumeMM3, 0.01)
	got := m.Lay(dish)
	want := math.Pi * 6400 * (2 + 0.8*m.Infill) // skins of 1 mm, 0.8 mm of infill between them
	assert.InEpsilon(t, want, got.MM3(), 0.06)
	old := dish
	old.Profile = solid.Profile{HeightMM: dish.Profile.HeightMM}
	for _, s := range dish.Profile.Slices {
		old.Profile.Slices = append(old.Profile.Slices, solid.Slice{AreaMM2: s.AreaMM2, PerimeterMM: s.PerimeterMM})
	}
	assert.Less(t, m.Lay(old).MM3(), got.MM3(), "a profile of before, which does not say where it lies open")
}

// Check values of the trade as wide ranges: a flat medallion 20–30 min; the parts of
// a wearable-size prop 35–40 h together; a big building about a week.
func TestFilamentRunAgainstPractice(t *testing.T) {
	m := FilamentOf(machine(t, "Filament printer"), 0.15)
	medallion := shapeOf(meshtest.Turned([][2]float64{{0, 0}, {23, 0}, {23, 5}, {0, 5}}, 96))
	assert.InDelta(t, 25, m.Minutes(m.Lay(medallion)), 10)

	shell := shapeOf(meshtest.Turned([][2]float64{{110, 0}, {113, 0}, {113, 250}, {0, 300}, {0, 297}, {110, 247}, {110, 0}}, 96))
	inParts := m // cut so that nothing inside needs holding
	inParts.SupportOfRoom = 0
	assert.InDelta(t, 38, m.Minutes(inParts.Lay(shell))/60, 15)

	big := FilamentOf(machine(t, "Large filament printer"), 0.15)
	tower := shapeOf(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 280, Y: 280, Z: 300}))
	assert.InDelta(t, 7*24, 2*big.Minutes(big.Lay(tower))/60, 60, "a building of two such blocks")
}

func TestResinAmounts(t *testing.T) {
	s := shapeOf(meshtest.Turned([][2]float64{{0, 0}, {30, 0}, {30, 60}, {0, 60}}, 96))
	assert.Equal(t, s.VolumeMM3, ResinSolidMM3(s, 0))
	assert.InEpsilon(t, math.Pi*(900*60-784*56), ResinSolidMM3(s, 2), 0.01, "a can of 2 mm, by hand")
	for _, r := range []float64{10, 20, 60} { // a ball's wall is exact: 4/3 π (r³ − (r−w)³)
		var arc [][2]float64
		for k := 0; k <= 60; k++ {
			sin, cos := math.Sincos(math.Pi * (float64(k)/60 - 0.5))
			arc = append(arc, [2]float64{r * cos, r * sin})
		}
		arc[0][0], arc[60][0] = 0, 0
		ball := shapeOf(meshtest.Turned(arc, 120))
		assert.InEpsilon(t, 4.0/3*math.Pi*(r*r*r-(r-2)*(r-2)*(r-2)), ResinSolidMM3(ball, 2), 0.02, "r %v", r)
	}
	assert.Equal(t, s.VolumeMM3, ResinSolidMM3(s, 500), "never more than the solid")
	r := ResinMachine{RaftMM: 1, StandMM: 5}
	foot := math.Pi * 900
	assert.InEpsilon(t, 0.06*foot*5+foot*0.5, ResinSupportMM3(s, r, 0.06), 0.03)
	assert.InEpsilon(t, 110, Grams(100_000, 1.1), 1e-9)
}

// With λ = 0.01 per hour a 40 h run fails one time in three.
func TestFailure(t *testing.T) {
	assert.InDelta(t, 0.33, FailureChance(0.01, 40*60), 0.005)
	p := FailureChance(0.02, 600)
	assert.InEpsilon(t, p/(1-p), ExtraRuns(0.02, 600), 1e-9, "the geometric distribution's mean")
	assert.Zero(t, ExtraRuns(0, 600))
	assert.False(t, math.IsInf(ExtraRuns(1, 1e6), 0), "hopeless, and still a number")
}
