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

// Effort as practitioners know it (TRADE, hours): a pair of small resin horns, about half
// a square decimetre each, takes about 5 min of sanding; the same in filament hours.
func TestHornsAgainstPractice(t *testing.T) {
	b := rates.Starting()
	horn := Part{Process: process.Resin, Tier: route.Primed, AreaMM2: 5000, Copies: 2}
	assert.InDelta(t, 5, 2*minutes(Plan(b, horn), route.Sand), 3)
	asFilament := horn
	asFilament.Process = process.Filament
	var smooth float64
	for _, w := range Plan(b, asFilament) {
		if w.Kind == route.Sand || w.Kind == route.Fill || w.Kind == route.Prime {
			smooth += 2 * w.Minutes
		}
	}
	assert.InDelta(t, 120, smooth, 40, "a pair: hours")
}

// A hero miniature takes a couple of hours of paint: 32 mm tall, some 25 cm² of surface,
// finely creased, a face and two eyes.
func TestHeroMiniatureAgainstPractice(t *testing.T) {
	hero := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: 2500, Measured: true, RaisedMM: 1200, HollowMM: 600,
		Features: Features{Eyes: 2, Faces: 1, Small: 4}}
	assert.InDelta(t, 120, painting(hero), 30)
	hero.Standard = Fast
	assert.InDelta(t, 75, painting(hero), 25, "for the table")
}

// painting are a part's minutes at the brush.
func painting(p Part) (sum float64) {
	for _, w := range Plan(rates.Starting(), p) {
		if w.Kind.Traits().Wage == "wage.paint" {
			sum += w.Minutes
		}
	}
	return sum
}

// A vehicle of 250 × 110 × 70 mm takes three hours to paint fast, and no more than a day for
// display; a helmet's paint is a matter of a day or two, not of weeks.
func TestLargePaintAgainstPractice(t *testing.T) {
	vehicle := Part{Process: process.Resin, Tier: route.Painted, Standard: Fast, AreaMM2: 130_000, Measured: true, RaisedMM: 5000, HollowMM: 3000, Features: Features{Small: 12}}
	assert.InDelta(t, 180, painting(vehicle), 45)
	vehicle.Standard = Display
	assert.Less(t, painting(vehicle), 480.0)
	helmet := Part{Process: process.Filament, Tier: route.Painted, AreaMM2: 380_000, SeenMM2: 200_000, InsideMM2: 180_000, Measured: true, RaisedMM: 6000, HollowMM: 4000}
	assert.InDelta(t, 8, painting(helmet)/60, 4)
}

// The brush is for small areas of a colour, the can for large; whatever is taken, twice the
// area never takes more than twice as long, nor, but for taking a quicker tool, less in all.
func TestToolFollowsTheEvenArea(t *testing.T) {
	b := rates.Starting()
	tool := func(mm2 float64, colours int) string {
		for _, w := range Plan(b, Part{Process: process.Resin, Tier: route.Painted, AreaMM2: mm2, Features: Features{Colours: colours}}) {
			if w.Kind == route.Base {
				return w.Tool
			}
		}
		return ""
	}
	assert.Equal(t, Brush, tool(4000, 5))
	assert.Equal(t, Airbrush, tool(20_000, 1))
	assert.Equal(t, Can, tool(300_000, 1))
	assert.Equal(t, Brush, tool(10_000, 12), "many small areas")
	rapid.Check(t, func(t *rapid.T) {
		p := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: rapid.Float64Range(100, 3e6).Draw(t, "area"), Features: Features{Colours: rapid.IntRange(1, 20).Draw(t, "colours")}}
		one := minutes(Plan(b, p), route.Base)
		p.AreaMM2 *= 2
		two := minutes(Plan(b, p), route.Base)
		assert.LessOrEqual(t, 0.8*one, two+1e-9)
		assert.LessOrEqual(t, two, 2*one+1e-9)
	})
}

// Finish is paid by the faces that are finished: a hollow figure takes the hands of the solid
// one but for its wash, its inside adds what is asked for it, and what is hidden stays raw.
func TestFacesThatMatter(t *testing.T) {
	b := rates.Starting()
	solid := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: 60_000, SeenMM2: 60_000, Measured: true, RaisedMM: 3000}
	hollow := solid
	hollow.AreaMM2, hollow.InsideMM2, hollow.RimMM = 110_000, 50_000, 400
	except := func(p Part) float64 { w := Plan(b, p); return all(w) - minutes(w, route.Wash) }
	assert.InDelta(t, except(solid), except(hollow), 1e-9)
	supply := func(p Part, key string) (amount float64) {
		for _, s := range Supplies(b, p) {
			if s.Key == key {
				amount += s.Amount
			}
		}
		return amount
	}
	primed, painted, worn, hidden := hollow, hollow, hollow, hollow
	primed.Inside, painted.Inside, worn.Worn, hidden.Hidden = InsidePrimed, InsidePainted, true, true
	for _, key := range []string{"paper", "putty", "primer"} {
		assert.InDelta(t, supply(solid, key), supply(hollow, key), 1e-9, key)
		assert.InEpsilon(t, supply(solid, key)*11/6, supply(primed, key), 1e-9, key)
	}
	assert.Equal(t, supply(solid, "paint"), supply(primed, "paint"))
	assert.Greater(t, supply(painted, "paint"), supply(primed, "paint"))
	assert.Greater(t, supply(hollow, "alcohol"), supply(solid, "alcohol"), "all of it is washed")
	assert.Greater(t, except(primed), except(hollow))
	assert.Greater(t, except(painted), except(primed))
	assert.InDelta(t, 4*b.V("sand.rim")*SpreadOf(b, "sand").Mean, except(worn)-except(hollow), 1e-9)
	raw := hollow
	raw.Tier = route.Raw
	assert.Equal(t, Plan(b, raw), Plan(b, hidden))
	assert.Equal(t, Supplies(b, raw), Supplies(b, hidden))
}

// A face may be given the hours and the rest toned down: three levels of care.
func TestCare(t *testing.T) {
	b := rates.Starting()
	assert.Equal(t, 1.0, Care{}.Factor(b))
	assert.InDelta(t, 0.2*1.6+0.5*0.5+0.3, Care{FocalPercent: 20, TonedPercent: 50}.Factor(b), 1e-12)
	p := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: 30_000, Features: Features{Faces: 1}}
	usual := painting(p)
	p.Care.TonedPercent = 60
	toned := painting(p)
	assert.Less(t, toned, usual)
	p.Care.FocalPercent = 20
	assert.Greater(t, painting(p), toned)
}

// Set-up is for the session: a kit of six parts that are washed together pays the bath once.
func TestSessionsAreShared(t *testing.T) {
	b := rates.Starting().With(map[rates.Key]float64{"spread.wash.low": 1, "spread.wash.high": 1})
	alone := Part{Process: process.Resin, Tier: route.Raw, AreaMM2: 5000}
	kit := alone
	kit.Sessions = Sessions{route.Wash: 6}
	assert.InDelta(t, b.V("wash.batch")*5/6, minutes(Plan(b, alone), route.Wash)-minutes(Plan(b, kit), route.Wash), 1e-9)
	kit.Sessions = Sessions{route.Wash: 13} // two sessions of a dozen at most
	assert.InDelta(t, b.V("wash.batch")*(1-2.0/13), minutes(Plan(b, alone), route.Wash)-minutes(Plan(b, kit), route.Wash), 1e-9)
	alone.PlateShare = 1.0 / 24
	assert.InDelta(t, b.V("plate.piece")+(b.V("plate.setup")+b.V("plate.empty"))/24, Plan(b, alone)[0].BookMin, 1e-9)
}

// Every route that fills sands afterwards, before the next coat that shows: putty is not left
// as it was laid. What is meant to be seen from afar is left so on purpose.
func TestPuttyIsSanded(t *testing.T) {
	for _, r := range Routes(rates.Starting()) {
		looks := 0
		for i, s := range r.Steps {
			if s.Kind == route.Fill && r.Key != "over" {
				require.Less(t, i+1, len(r.Steps), r.Key)
				assert.Equal(t, route.Sand, r.Steps[i+1].Kind, r.Key)
			}
			if s.Kind == route.Look {
				looks++
			}
		}
		if r.Key == "putty" || r.Key == "light" || r.Key == "gaps" || r.Key == "skin" || r.Key == "primer" {
			assert.GreaterOrEqual(t, looks, 2, "%s: two or three looks are normal", r.Key)
		}
	}
}

// Washing and stripping a hundred small parts takes about an hour.
func TestHundredSmallPartsAgainstPractice(t *testing.T) {
	work := Plan(rates.Starting(), Part{Process: process.Resin, Tier: route.Raw, AreaMM2: 600, OverhangMM2: 40, Copies: 100})
	assert.InDelta(t, 60, 100*(minutes(work, route.Wash)+minutes(work, route.RemoveSupports)), 20)
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
	for _, s := range Routes(rates.Starting()) {
		for _, tier := range route.Tiers() {
			p := Part{Process: process.Filament, Tier: tier, Route: s.Key, AreaMM2: 41_200, OverhangMM2: 5000,
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
	b2 := b.With(map[rates.Key]float64{"spread.sand.low": 1, "spread.sand.high": 1})
	p := Part{Process: process.Resin, Tier: route.Primed, AreaMM2: 41_200}
	rounds := 1 + 0.15 // the second touches what the look found
	assert.InDelta(t, 2*(b.V("sand.batch")+b.V("sand.piece"))+rounds*4.12*b.V("sand.resin"), minutes(Plan(b2, p), route.Sand), 1e-9)
	p.DetailFactor = 2
	assert.InDelta(t, 2*(b.V("sand.batch")+b.V("sand.piece"))+2*rounds*4.12*b.V("sand.resin"), minutes(Plan(b2, p), route.Sand), 1e-9)
}

// The putty finish route is the dear one and printing as it comes the cheap one, whatever the part.
func TestRoutesCompare(t *testing.T) {
	b := rates.Starting()
	rapid.Check(t, func(t *rapid.T) {
		p := Part{Process: process.Filament, Tier: route.Primed, AreaMM2: rapid.Float64Range(500, 1e6).Draw(t, "area"), Copies: rapid.IntRange(1, 60).Draw(t, "copies")}
		hands := map[string]float64{}
		for _, s := range Routes(rates.Starting()) {
			p.Route = s.Key
			hands[s.Key] = all(Plan(b, p))
		}
		assert.Greater(t, hands["putty"], hands["light"])
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
		p := Part{Process: process.Resin, Tier: route.Painted, AreaMM2: rapid.Float64Range(100, 1e5).Draw(t, "area")}
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
	b := rates.Starting().With(map[rates.Key]float64{"room": 12})
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
	assert.EqualValues(t, 24*3600+1800, wait(b.With(map[rates.Key]float64{"room": 22}), route.Clear))
}

// The handbook formula by hand: 20 % solids at 15 µm spread 13.3 m² a litre; two
// coats on a square decimetre with 40 % on the piece take 3.75 ml. And the example that
// coatings handbooks give for it: 50 % solids at 50 µm spread 10 m² a litre.
func TestCoatAmount(t *testing.T) {
	assert.InDelta(t, 3.75, CoatMLPerDM2(rates.Starting(), "primer"), 1e-9)
	b := rates.Starting().With(map[rates.Key]float64{"clear.solids": 50, "clear.film": 50, "clear.coats": 1, "clear.transfer": 100})
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
// by no more than about double in P number, or starts again after something that fills.
var grainUM = map[int]float64{60: 269, 80: 201, 100: 162, 120: 125, 150: 100, 180: 82, 220: 68, 240: 58.5, 280: 52.2, 320: 46.2, 360: 40.5, 400: 35, 500: 30.2, 600: 25.8, 800: 21.8, 1000: 18.3, 1200: 15.3, 1500: 12.6, 2000: 10.3}

func TestLadders(t *testing.T) {
	for _, s := range Routes(rates.Starting()) {
		for _, step := range s.Steps {
			run := step.Papers
			assert.Equal(t, step.Kind == route.Sand, len(run) > 0, "%s: every sanding has its papers, and nothing else", s.Key)
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

// Joining goes stage by stage: a dry fit first, then score and glue, then the seam is filled,
// sanded, primed and looked at; what of the book's minutes goes where adds up to them.
func TestJoin(t *testing.T) {
	b := rates.Starting()
	work, glue := Join(b, Seam{Seams: 2, Pegs: 1, LengthMM: 300, Source: rates.Mesh, Copies: 1, Packed: true})
	var kinds []route.StageKind
	var seam, around float64
	for _, w := range work {
		kinds = append(kinds, w.Kind)
		own := w.BookMin
		if key := w.Kind.Traits().SetUp; key != "" {
			own -= b.V(key)
		}
		switch w.Kind {
		case route.DryFit, route.Score, route.Glue:
			seam += own
		case route.Fill, route.Sand, route.Prime:
			around += own
		}
		assert.InDelta(t, w.Minutes, w.Working.Result.Value, 1e-9)
	}
	assert.Equal(t, []route.StageKind{route.DryFit, route.Score, route.Glue, route.Fill, route.Sand, route.Prime, route.Look, route.Pack}, kinds)
	assert.InDelta(t, 2*b.V("seam.piece")+b.V("seam.pegs"), seam, 1e-9)
	assert.InDelta(t, 2*3*b.V("seam.length"), around, 1e-9)
	assert.InDelta(t, 2*3*b.V("adhesive.use"), glue.Amount, 1e-9)
	assert.Positive(t, work[2].WaitS, "glue hardens")
	none, nothing := Join(b, Seam{})
	assert.Empty(t, nothing.Key)
	assert.Empty(t, none)
}
