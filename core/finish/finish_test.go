package finish

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

func minutes(work []Work, kind route.StageKind) (sum float64) {
	for _, w := range work {
		if w.Kind == kind {
			sum += w.Minutes
		}
	}
	return sum
}

func all(work []Work) (sum float64) {
	for _, w := range work {
		sum += w.Minutes
	}
	return sum
}

// Effort as practitioners know it (TRADE, hours): a pair of small resin horns, about a third
// of a square decimetre each, takes about 5 min of sanding each; the same in filament hours.
func TestHornsAgainstPractice(t *testing.T) {
	b := rates.Starting()
	horn := Part{Process: process.Resin, Tier: route.Primed, AreaMM2: 3000, Copies: 2}
	assert.InDelta(t, 5, minutes(Plan(b, horn), route.Sand), 2.5)
	asFilament := horn
	asFilament.Process = process.Filament
	assert.Greater(t, minutes(Plan(b, asFilament), route.Sand), 2*minutes(Plan(b, horn), route.Sand))
}

// A hero miniature takes a couple of hours of paint: 32 mm tall, some 25 cm² of surface,
// finely creased, a face and two eyes.
func TestHeroMiniatureAgainstPractice(t *testing.T) {
	hero := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: 2500, Measured: true, RaisedMM: 1200, HollowMM: 600,
		Features: Features{Eyes: 2, Faces: 1, Small: 4}}
	var paint float64
	for _, w := range Plan(rates.Starting(), hero) {
		if Skill(w.Kind) == "wage.paint" {
			paint += w.Minutes
		}
	}
	assert.InDelta(t, 120, paint, 50)
}

// Washing and stripping a hundred small parts takes about an hour.
func TestHundredSmallPartsAgainstPractice(t *testing.T) {
	work := Plan(rates.Starting(), Part{Process: process.Resin, Tier: route.Raw, AreaMM2: 600, OverhangMM2: 40, Copies: 100})
	took := 100 * (minutes(work, route.Wash) + minutes(work, route.RemoveSupports))
	assert.Greater(t, took, 30.0)
	assert.Less(t, took, 120.0)
}

// Brushing a resin skin on a whole suit of plates, some 120 dm², takes about 20 min and a
// quarter of a bottle; putty all over it takes six or seven tubes of 200 g.
func TestSuitOfPlatesAgainstPractice(t *testing.T) {
	b := rates.Starting()
	suit := Part{Process: process.Filament, Tier: route.Primed, AreaMM2: 1.2e6, Route: "skin"}
	assert.InDelta(t, 26, minutes(Plan(b, suit), route.Skin), 8)
	amount := func(p Part, key string) float64 {
		for _, s := range Supplies(b, p) {
			if s.Key == key {
				return s.Amount
			}
		}
		return 0
	}
	assert.InDelta(t, 250, amount(suit, "skin"), 60, "of a bottle of a kilogram")
	suit.Route = "putty"
	assert.InDelta(t, 6.5, amount(suit, "putty")/200, 1.5)
}

func TestPlanFollowsTheCourse(t *testing.T) {
	b := rates.Starting()
	for _, s := range Routes() {
		for _, tier := range route.Tiers() {
			p := Part{Process: process.Filament, Tier: tier, Route: s.Key, AreaMM2: 41_200, OverhangMM2: 5000, PiecesOnPlate: 4,
				Features: Features{Eyes: 2, MaskMM: 300, Weather: true, FitHours: 1}}
			work := Plan(b, p)
			for i, kind := range p.Course().Stages() {
				require.Equal(t, kind, work[i].Kind, s.Key)
				assert.Positive(t, work[i].Minutes, "%s %s", s.Key, kind)
				assert.InDelta(t, work[i].Minutes, work[i].Working.Result.Value, 1e-9)
				for _, f := range work[i].Working.Inputs {
					assert.NotEmpty(t, f.Source, "%s %s", kind, f.Label)
					assert.NotEmpty(t, f.Unit, "%s %s", kind, f.Label)
				}
			}
		}
	}
	b2 := b.With(map[string]float64{"spread.sand.low": 1, "spread.sand.high": 1})
	p := Part{Process: process.Resin, Tier: route.Primed, AreaMM2: 41_200}
	assert.InDelta(t, b.V("sand.batch")+b.V("sand.piece")+4.12*b.V("sand.resin"), minutes(Plan(b2, p), route.Sand), 1e-9)
	p.DetailFactor = 2
	assert.InDelta(t, b.V("sand.batch")+b.V("sand.piece")+2*4.12*b.V("sand.resin"), minutes(Plan(b2, p), route.Sand), 1e-9)
}

// The putty finish route is the dear one and printing as it comes the cheap one, whatever the part.
func TestRoutesCompare(t *testing.T) {
	b := rates.Starting()
	rapid.Check(t, func(t *rapid.T) {
		p := Part{Process: process.Filament, Tier: route.Primed, AreaMM2: rapid.Float64Range(500, 1e6).Draw(t, "area"), Copies: rapid.IntRange(1, 60).Draw(t, "copies")}
		hands := map[string]float64{}
		for _, s := range Routes() {
			p.Route = s.Key
			hands[s.Key] = all(Plan(b, p))
		}
		assert.Greater(t, hands["putty"], hands["gaps"])
		assert.Greater(t, hands["gaps"], hands["light"])
		assert.Greater(t, hands["skin"], hands["primer"])
		for key, h := range hands {
			assert.GreaterOrEqual(t, h, hands["printed"], key)
		}
	})
}

// More copies never take less in all, and never more for each.
func TestCopiesSave(t *testing.T) {
	b := rates.Starting()
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 11).Draw(t, "copies") // within a batch
		p := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: rapid.Float64Range(100, 1e5).Draw(t, "area"), PiecesOnPlate: 4}
		p.Copies = n
		few := all(Plan(b, p))
		p.Copies = n + 1
		more := all(Plan(b, p))
		assert.LessOrEqual(t, more, few+1e-9)
		assert.Greater(t, more*float64(n+1), few*float64(n))
	})
}

// The learning curve of T. P. Wright (1936): at 80 % the mean of 2, 4, 8 copies is 0.8, 0.64,
// 0.512 of the first; his own figure for airframes. The fourth copy alone takes
// 4 × 0.64 − 3 × 0.702 = 0.454.
func TestWright(t *testing.T) {
	for n, want := range map[float64]float64{1: 1, 2: 0.8, 4: 0.64, 8: 0.512, 3: 0.7021} {
		assert.InDelta(t, want, Wright(n, 0.8), 5e-5)
	}
	assert.InDelta(t, 0.4539, 4*Wright(4, 0.8)-3*Wright(3, 0.8), 5e-4)
	assert.Equal(t, 1.0, Wright(50, 1))
}

// PERT as published: a task of 2, 5 and 14 days is expected to take 6 with a deviation of 2.
func TestPERT(t *testing.T) {
	mean, dev := PERT(2, 5, 14)
	assert.InDelta(t, 6, mean, 1e-12)
	assert.InDelta(t, 2, dev, 1e-12)
}

func TestFirstTimeFades(t *testing.T) {
	b := rates.Starting()
	assert.InDelta(t, b.V("first.factor"), FirstTime(b, 0, 1), 1e-9)
	assert.Greater(t, FirstTime(b, 0, 1), FirstTime(b, 0, 10))
	assert.Greater(t, FirstTime(b, 0, 1), FirstTime(b, 3, 1))
	assert.InDelta(t, 1, FirstTime(b, 200, 1), 1e-6)
	p := Part{Process: process.Resin, Tier: route.Primed, AreaMM2: 5000}
	known := all(Plan(b, p))
	p.Practice = Practice{}
	assert.Greater(t, all(Plan(b, p)), 1.2*known, "nobody named knows it by heart")
}

// A few stamps prove little, many take the book's place.
func TestLogbookTakesTheBooksPlace(t *testing.T) {
	b := rates.Starting()
	book := SpreadOf(b, "sand").Mean
	at := func(n int) float64 {
		return EffortOf(b, route.Sand, Logged{Count: n, Mean: 2 * book, Var: 0.04}).Mean
	}
	assert.InDelta(t, book, at(0), 1e-12)
	assert.InDelta(t, 1.5*book, at(int(b.V("spread.trust"))), 1e-9, "half and half")
	assert.InDelta(t, 2*book, at(10_000), 0.01)
	assert.InDelta(t, 0.2, EffortOf(b, route.Sand, Logged{Count: 10_000, Mean: 2, Var: 0.04}).Deviation, 0.01)
}

// Creases slow hands down, hollow ones more, and there is an end to it.
func TestDetail(t *testing.T) {
	b := rates.Starting()
	factor := func(raised, hollow float64) float64 {
		f, w := Part{AreaMM2: 1e4, Measured: true, RaisedMM: raised, HollowMM: hollow}.Detail(b)
		assert.InDelta(t, f, w.Result.Value, 1e-12)
		return f
	}
	assert.Equal(t, 1.0, factor(0, 0))
	assert.InDelta(t, 1.2, factor(1000, 0), 1e-9, "10 dm at 0.02 for each")
	assert.InDelta(t, 1.26, factor(0, 1000), 1e-9, "hollow: 1.3 times that")
	assert.Equal(t, b.V("detail.most"), factor(1e9, 0))
	f, _ := Part{AreaMM2: 1e4, DetailFactor: 1.7}.Detail(b)
	assert.Equal(t, 1.7, f)
}

// Where it is known how many tips hold a print, they are what stripping is reckoned by:
// a third of a second each, for they come off in bunches (TRADE: a hundred small parts in an hour, washing included).
func TestTipsAreStripped(t *testing.T) {
	b := rates.Starting()
	p := Part{Process: process.Resin, Tier: route.Raw, AreaMM2: 3000, OverhangMM2: 400}
	by := func(tips float64) float64 { p.Tips = tips; return minutes(Plan(b, p), route.RemoveSupports) }
	assert.InDelta(t, 100*b.V("strip.tip")*SpreadOf(b, "strip").Mean, by(200)-by(100), 1e-9)
	area := by(0)
	p.OverhangMM2 *= 2
	assert.Greater(t, by(0), area, "not known: by area")
	assert.Equal(t, by(50), func() float64 { p.OverhangMM2 *= 9; return by(50) }(), "known: not by area")
	p.Process = process.Filament
	assert.Equal(t, by(0), by(500), "filament has no tips")
}

// Drying doubles for each 10 °C less, between 10 and 30.
func TestWaitsFollowTheRoom(t *testing.T) {
	assert.InDelta(t, 1, Slower(22), 1e-12)
	assert.InDelta(t, 2, Slower(12), 1e-12)
	assert.InDelta(t, Slower(10), Slower(-5), 1e-12)
	b := rates.Starting().With(map[string]float64{"room": 12})
	wait := func(b rates.Book, kind route.StageKind) (s int64) {
		for _, w := range Plan(b, Part{Process: process.Resin, Tier: route.Painted, AreaMM2: 2000}) {
			if w.Kind == kind {
				s = w.WaitS
			}
		}
		return s
	}
	assert.EqualValues(t, 2*(3600+600), wait(b, route.Prime), "two coats, 10 min between, an hour after, in the cold")
	assert.EqualValues(t, 600, wait(b, route.Cure), "the lamp does not mind")
	assert.EqualValues(t, 24*3600+1800, wait(b.With(map[string]float64{"room": 22}), route.Clear))
}

// The handbook formula by hand: 20 % solids at 15 µm spread 13.3 m² a litre; two
// coats on a square decimetre with 40 % on the piece take 3.75 ml. And the example that
// coatings handbooks give for it: 50 % solids at 50 µm spread 10 m² a litre.
func TestCoatAmount(t *testing.T) {
	assert.InDelta(t, 3.75, CoatMLPerDM2(rates.Starting(), "primer"), 1e-9)
	b := rates.Starting().With(map[string]float64{"clear.solids": 50, "clear.film": 50, "clear.coats": 1, "clear.transfer": 100})
	assert.InDelta(t, 10, 0.01/CoatMLPerDM2(b, "clear")*1000, 1e-9)
}

func TestSuppliesGrowWithTheTier(t *testing.T) {
	b := rates.Starting()
	cost := func(tier string) (sum float64) {
		for _, s := range Supplies(b, Part{Process: process.Resin, Tier: tier, AreaMM2: 20_000, Features: Features{MaskMM: 200}}) {
			assert.NotEmpty(t, s.Working.Inputs)
			assert.NotEmpty(t, s.Unit)
			sum += s.Amount * s.PerUnit
		}
		return sum
	}
	assert.Less(t, cost(route.Raw), cost(route.Primed))
	assert.Less(t, cost(route.Primed), cost(route.Painted))
}

// FEPA P-scale grain sizes in µm [published: ISO 6344]: what a finish route's ladder names goes up
// by no more than about double in P number, or starts anew after something that fills.
var grainUM = map[int]float64{60: 269, 80: 201, 100: 162, 120: 125, 150: 100, 180: 82, 220: 68, 240: 58.5, 280: 52.2, 320: 46.2, 360: 40.5, 400: 35, 500: 30.2, 600: 25.8, 800: 21.8, 1000: 18.3, 1200: 15.3, 1500: 12.6, 2000: 10.3}

func TestLadders(t *testing.T) {
	for _, s := range Routes() {
		for _, run := range s.Ladder {
			for i, p := range run {
				require.NotZero(t, grainUM[p], "%s: there is no P%d", s.Key, p)
				if i > 0 {
					assert.LessOrEqual(t, p, 2*run[i-1], "%s: from P%d to P%d", s.Key, run[i-1], p)
					assert.Less(t, GrainUM(p), GrainUM(run[i-1]))
				}
			}
		}
	}
	for p, um := range grainUM {
		assert.Equal(t, um, GrainUM(p))
	}
	assert.True(t, math.IsNaN(GrainUM(77)))
}

func TestJoin(t *testing.T) {
	b := rates.Starting()
	w, glue := Join(b, Seam{Seams: 2, LengthMM: 300, Source: rates.Mesh, Copies: 1})
	assert.InDelta(t, 2*(b.V("seam.piece")+3*b.V("seam.length")), w.BookMin, 1e-9)
	assert.InDelta(t, 2*3*b.V("adhesive.use"), glue.Amount, 1e-9)
	_, none := Join(b, Seam{})
	assert.Empty(t, none.Key)
}
