package quote

import (
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// atTheEnd is that nobody notices a failure before.
var atTheEnd = rates.Of("noticed after", 1000, "h", rates.Ours)

func head(copies int) Part { return headBy(rates.Starting(), copies) }

func headBy(b rates.Book, copies int) Part {
	p := finish.Part{Process: "resin", Tier: route.Painted, AreaMM2: 20_000, OverhangMM2: 900, PlateShare: 1.0 / 3, Copies: copies}
	return Part{
		Name: "head", Copies: copies, Process: "resin", MaterialGrams: 100, LossGrams: 4, PlateLossGrams: 12,
		PricePerKG: rates.Of("resin", 32, "¤/kg", rates.Practice), MachineMinutes: 120, RunMinutes: 360,
		MachinePerHour: 0.5, FailurePerHour: b.Get("failure.resin"), Noticed: atTheEnd,
		Work: finish.Plan(b, p), Supplies: finish.Supplies(b, p),
	}
}

func build(b rates.Book, parts ...Part) Item {
	return Build(b, []Job{{Parts: parts, Copies: 1}}, 2)[0]
}

func TestItem(t *testing.T) {
	b := rates.Starting()
	it := build(b, head(2))
	assert.EqualValues(t, 666, it.Lines[0].Minor, "2 × 104 g at 32 a kilogram = 6.656")
	assert.EqualValues(t, 200, it.ByKind(Machine), "2 × 2 h at 0.50")
	assert.EqualValues(t, 651, it.Lines[1].Alone, "2 × 6 h at 0.50, and 2 × 8 g more lost: 6 + 0.512")
	assert.InDelta(t, 200, it.Grams, 1e-9)
	assert.InDelta(t, 240, it.MachineMinutes, 1e-9)
	var sum int64
	for _, k := range Kinds() {
		if k != Bought {
			assert.Positive(t, it.ByKind(k), k)
		}
		sum += it.ByKind(k)
	}
	assert.Equal(t, it.CostMinor, sum)
	assert.InDelta(t, it.HandsMinutes, it.MinutesByKind(Hands), 1e-9)
	for _, l := range it.Lines {
		assert.NotEmpty(t, l.Working.Formula, l.What)
		assert.NotEmpty(t, l.Working.Inputs, l.What)
		assert.InDelta(t, float64(l.Minor)/100, l.Working.Result.Value, 0.00501, l.What)
		for _, f := range l.Working.Inputs {
			assert.NotEmpty(t, f.Source, "%s: %s", l.What, f.Label)
			assert.NotEmpty(t, f.Unit, "%s: %s", l.What, f.Label)
		}
	}
}

// A whole quote worked by hand on paper, line by line, to the cent. The book is plain: no
// spreads, so that the likely is the expected; nobody learns; packs are not opened for one
// order alone; a wage of 30.
//
//	A plinth, 2 copies in filament, smoothed and primed by the finish route "gaps only".
//	One copy: 250 g with supports at 24 a kg, 1 g lost; its run takes 10 h at 0.30 an hour.
//	Surface 5 dm², supports held 0.4 dm², creases not measured.
//
//	material   2 × 251 g × 24/kg                                    = 12.048   12.05
//	machines   2 × 10 h × 0.30                                      =  6.00
//	print      ((10 + 6)/2 + 1) = 9 min;   2 × 9/60 × 30            =  9.00
//	failures   (e^(0.008 × 10) − 1) × (12.048 + 6 + 9) = 0.0832871 × 27.048 = 2.2528  2.25
//	strip      0.25 + 0.4 × 14 = 5.85 min; 2 × 5.85/60 × 30         =  5.85
//	sand       0.4 + 5 × 13 + 1/2 = 65.9;  2 × 65.9/60 × 30         = 65.90
//	fill       1 + 5 × 2.5 + 2/2 = 14.5;   2 × 14.5/60 × 30         = 14.50
//	sand again 0.4 + 5 × 6 × 0.35 + 1/2 = 11.4;  11.4/60 × 60       = 11.40
//	prime      2 + 5 × 2.5 + 5/2 = 17;     17/60 × 60               = 17.00
//	look       2;                          2/60 × 60                =  2.00
//	what the look found, on 15 of 100 of it:
//	fill       1 + 5 × 2.5 × 0.15 + 2/2 = 3.875                     =  3.875  3.88 (half to even)
//	sand       0.4 + 5 × 6 × 0.15 + 1/2 = 5.4                       =  5.40
//	prime      2 + 5 × 2.5 × 0.15 + 5/2 = 6.375                     =  6.375  6.38 (half to even)
//	look       2                                                    =  2.00
//	pack       2.5 + 2 + 4/2 = 6.5;        6.5/60 × 60              =  6.50
//	paper      5 × 0.2 + 5 × 0.08 × (0.35 + 0.15) = 1.2 sheets; 2 × 1.2 × 1.10 =     2.64
//	putty      5 × 2.5 × 1.15 = 14.375 g;  2 × 14.375 × 0.045       =  1.294  1.29
//	primer     5 × 3.75 × 1.15 = 21.5625 ml; 2 × 21.5625 × 0.024    =  1.035  1.04 (half to even)
//	           direct                                               = 175.08
//	overhead   18 % of 175.08                                       = 31.5144  31.51
//	cost                                                            = 206.59
//	net        206.59 / (1 − 0.20)                                  = 258.2375 258.24
//	tax        19 % of 258.24                                       = 49.0656  49.07
//	price                                                           = 307.31
//	deposit    30 % of 307.31                                       = 92.193   92.19
func TestQuoteByHand(t *testing.T) {
	plain := map[rates.Key]float64{"wage": 30, "learning": 100, "open.share": 0, "spread.common": 0, "spread.model": 0}
	for _, e := range rates.Starting().Rates {
		if strings.HasPrefix(string(e.Key), "spread.") && e.Unit == "×" {
			plain[e.Key] = 1
		}
	}
	b := rates.Starting().With(plain)
	fp := finish.Part{Process: "filament", Tier: route.Primed, Route: "gaps", AreaMM2: 50_000, OverhangMM2: 4000, PlateShare: 0.5, Copies: 2}
	plinth := Part{Name: "plinth", Copies: 2, Process: "filament", MaterialGrams: 250, LossGrams: 1, PlateLossGrams: 4,
		PricePerKG: rates.Of("filament", 24, "¤/kg", rates.Ours), MachineMinutes: 600, RunMinutes: 600, MachinePerHour: 0.3,
		FailurePerHour: b.Get("failure.filament"), Noticed: atTheEnd, Work: finish.Plan(b, fp), Supplies: finish.Supplies(b, fp)}
	it := build(b, plinth)
	type line struct {
		kind, what string
		minor      int64
	}
	var got []line
	for _, l := range it.Lines {
		got = append(got, line{l.Kind, l.What, l.Minor})
	}
	assert.Equal(t, []line{
		{Material, "filament", 1205}, {Machine, "machine time", 600}, {Failure, "failed runs", 225},
		{Hands, "print", 900}, {Hands, "strip", 585}, {Hands, "sand", 6590}, {Hands, "fill", 1450}, {Hands, "sand", 1140},
		{Hands, "prime", 1700}, {Hands, "look", 200}, {Hands, "fill", 388}, {Hands, "sand", 540}, {Hands, "prime", 638}, {Hands, "look", 200}, {Hands, "pack", 650},
		{Material, "sandpaper", 264}, {Material, "putty", 129}, {Material, "primer", 104}, {Overhead, "overhead", 3151},
	}, got)
	assert.EqualValues(t, 20659, it.CostMinor)
	p, err := Ask([]Item{it}, Terms{MarginPercent: 20, TaxPercent: 19, DepositPercent: 30}, 2)
	require.NoError(t, err)
	assert.Equal(t, []int64{25824, 4907, 30731, 9219}, []int64{p.NetMinor, p.TaxMinor, p.TotalMinor, p.DepositMinor})
	assert.EqualValues(t, 5165, p.MarginMinor)
	r := Simulate(b, []Item{it}, dice(1), 1000, 2)
	assert.GreaterOrEqual(t, r.Quantiles[0], it.CostMinor-266, "only a failure can still come; without one it costs 2.66 less: 2.25 and its overhead")
}

func TestMoneyAlwaysAddsUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var items []Item
		for range rapid.IntRange(1, 8).Draw(t, "items") {
			items = append(items, Item{CostMinor: rapid.Int64Range(0, 10_000_000).Draw(t, "cost")})
		}
		terms := Terms{MarginPercent: rapid.Float64Range(0, 80).Draw(t, "margin"), TaxPercent: rapid.Float64Range(0, 30).Draw(t, "tax"), DepositPercent: 30,
			RushPercent: rapid.Float64Range(0, 100).Draw(t, "rush"), DiscountPercent: rapid.Float64Range(0, 100).Draw(t, "discount"),
			LeastMinor: rapid.Int64Range(0, 5000).Draw(t, "least"), RoundMinor: rapid.SampledFrom([]int64{0, 1, 50, 100, 500}).Draw(t, "round"), BeforeTax: rapid.Bool().Draw(t, "before tax"),
			AskedMinor: rapid.SampledFrom([]int64{0, 0, 12345}).Draw(t, "asked")}
		p, err := Ask(items, terms, 2)
		require.NoError(t, err)
		var shares, cost int64
		for i, s := range p.Shares {
			shares += s
			cost += items[i].CostMinor
		}
		assert.Equal(t, p.NetMinor, shares)
		assert.Equal(t, p.CostMinor, cost)
		assert.Equal(t, p.TotalMinor, p.NetMinor+p.TaxMinor)
		assert.Equal(t, p.NetMinor, p.CostMinor+p.MarginMinor)
		told := p.TotalMinor
		if terms.BeforeTax {
			told = p.NetMinor
		}
		switch {
		case terms.AskedMinor > 0:
			assert.Equal(t, terms.AskedMinor, told)
		case terms.RoundMinor > 1:
			assert.Zero(t, told%terms.RoundMinor)
			if terms.DiscountPercent == 0 {
				assert.GreaterOrEqual(t, p.NetMinor, terms.LeastMinor)
			}
		}
		for _, s := range p.Steps {
			assert.NotEmpty(t, s.Working.Inputs, s.What)
		}
	})
}

// Every figure between cost and price says how it came about, and its inputs give it.
func TestStepsExplainThemselves(t *testing.T) {
	p, err := Ask([]Item{{CostMinor: 80_00}, {CostMinor: 33_33}}, Terms{MarginPercent: 20, TaxPercent: 19, DepositPercent: 30}, 2)
	require.NoError(t, err)
	step := map[string]Step{}
	for _, s := range append(p.Steps, p.ShareSteps...) {
		step[s.What] = s
		assert.InDelta(t, float64(s.Minor)/100, s.Working.Result.Value, 1e-9, s.What)
		assert.NotEmpty(t, s.Working.Inputs, s.What)
	}
	in := func(what string, k int) float64 { return step[what].Working.Inputs[k].Value }
	assert.InDelta(t, in("cost", 0)+in("cost", 1), float64(step["cost"].Minor)/100, 1e-9)
	assert.InDelta(t, in("margin", 0)-in("margin", 1), float64(step["margin"].Minor)/100, 1e-9)
	assert.InDelta(t, in("net", 0)/(1-in("net", 1)/100), float64(step["net"].Minor)/100, 0.01)
	assert.InDelta(t, in("tax", 0)*in("tax", 1)/100, float64(step["tax"].Minor)/100, 0.005)
	assert.InDelta(t, in("deposit", 0)*in("deposit", 1)/100, float64(step["deposit"].Minor)/100, 0.005)
	assert.Len(t, p.ShareSteps, 2)
}

// A margin of 20 % is a mark-up of 25 %: people confuse them. By hand: 80 cost and 100 net
// leave 20, a fifth of the price and a quarter of the cost.
func TestMarginIsOfThePrice(t *testing.T) {
	p, err := Ask([]Item{{CostMinor: 80_00}}, Terms{MarginPercent: 20, TaxPercent: 19, DepositPercent: 30}, 2)
	require.NoError(t, err)
	assert.EqualValues(t, 100_00, p.NetMinor)
	assert.EqualValues(t, 119_00, p.TotalMinor)
	assert.EqualValues(t, 35_70, p.DepositMinor)
	assert.InDelta(t, 20, p.MarginPercent, 1e-9)
	assert.InDelta(t, 25, p.MarkUpPercent, 1e-9)
}

// By hand: 80 cost, 100 net; a rush of 25 % makes 125, a discount of 10 % 112.50; tax of 20 %
// 135; rounded to 5 it stays, to 50 it is 150, of which 125 is net.
func TestRushDiscountRounding(t *testing.T) {
	ask := func(t *testing.T, change func(*Terms)) Price {
		terms := Terms{MarginPercent: 20, TaxPercent: 20, DepositPercent: 30}
		change(&terms)
		p, err := Ask([]Item{{CostMinor: 80_00}}, terms, 2)
		require.NoError(t, err)
		return p
	}
	p := ask(t, func(t *Terms) { t.RushPercent, t.DiscountPercent, t.RoundMinor = 25, 10, 500 })
	assert.EqualValues(t, []int64{112_50, 135_00}, []int64{p.NetMinor, p.TotalMinor})
	p = ask(t, func(t *Terms) { t.RushPercent, t.DiscountPercent, t.RoundMinor = 25, 10, 5000 })
	assert.EqualValues(t, []int64{125_00, 150_00}, []int64{p.NetMinor, p.TotalMinor})
	p = ask(t, func(t *Terms) { t.LeastMinor = 150_00 })
	assert.EqualValues(t, 150_00, p.NetMinor)
	p = ask(t, func(t *Terms) { t.BeforeTax, t.LeastMinor, t.RoundMinor = true, 104_00, 10_00 })
	assert.EqualValues(t, 110_00, p.NetMinor, "a least charge is not rounded away")
	p = ask(t, func(t *Terms) { t.LeastMinor, t.RoundMinor = 102_00, 10_00 })
	assert.EqualValues(t, []int64{108_33, 130_00}, []int64{p.NetMinor, p.TotalMinor})
	p = ask(t, func(t *Terms) { t.LeastMinor, t.RoundMinor, t.DiscountPercent = 102_00, 10_00, 50 })
	assert.EqualValues(t, 60_00, p.TotalMinor, "a discount goes below it, as was said")
	p = ask(t, func(t *Terms) { t.AskedMinor = 90_00 })
	assert.EqualValues(t, []int64{75_00, -5_00}, []int64{p.NetMinor, p.MarginMinor}, "below cost is allowed, and seen")
	p = ask(t, func(t *Terms) { t.BeforeTax, t.RoundMinor = true, 3000 })
	assert.EqualValues(t, []int64{90_00, 108_00}, []int64{p.NetMinor, p.TotalMinor})
	for _, bad := range []Terms{{MarginPercent: 100}, {MarginPercent: math.NaN()}, {DiscountPercent: 101}, {RushPercent: -1}, {TaxPercent: 101}, {AskedMinor: -1}} {
		_, err := Ask(nil, bad, 2)
		assert.Error(t, err)
	}
}

// Half to even, as ISO 80000-1 annex B has it.
func TestRoundsHalfToEven(t *testing.T) {
	for amount, want := range map[float64]int64{0.125: 12, 0.135: 14, 0.375: 38, -0.125: -12, 2.5: 250} {
		assert.Equal(t, want, Minor(amount, 2), amount)
	}
	assert.EqualValues(t, 2, Minor(2.5, 0))
	assert.EqualValues(t, MostMinor, Minor(1e300, 2))
	assert.EqualValues(t, MostMinor, Minor(math.Inf(1), 2))
	assert.EqualValues(t, -MostMinor, Minor(-1e300, 2))
	assert.Zero(t, Minor(math.NaN(), 2))
}

// Packs are opened for the order as a whole: what is left in them is shared out by use. An
// order that pays all of it pays whole packs; by the starting book it pays a tenth.
func TestPacksAreShared(t *testing.T) {
	b := rates.Starting().With(map[rates.Key]float64{"open.share": 100})
	jobs := []Job{{Parts: []Part{head(1)}, Copies: 1}, {Parts: []Part{head(3)}, Copies: 1}}
	var primer, paint float64
	for _, it := range Build(b, jobs, 2) {
		for _, l := range it.Lines {
			switch l.What {
			case "primer":
				primer += float64(l.Minor) / 100
			case "paint":
				paint += float64(l.Minor) / 100
			}
		}
	}
	assert.InDelta(t, b.V("primer.pack")/1000*b.V("primer.price"), primer, 0.011, "30 ml: one can")
	assert.InDelta(t, 5*b.V("paint.pack")/1000*b.V("paint.price"), paint, 0.011, "a pot of each colour")
	of := func(share float64) int64 {
		return Build(b.With(map[rates.Key]float64{"open.share": share}), jobs, 2)[0].CostMinor
	}
	assert.Less(t, of(0), of(100))
	assert.InDelta(t, float64(of(0))+0.1*float64(of(100)-of(0)), float64(Build(rates.Starting(), jobs, 2)[0].CostMinor), 4, "what stays on the shelf is the studio’s")
}

// Casting: a mould costs once, a copy little. Where the two lines cross is the break-even.
func TestCastingBreaksEven(t *testing.T) {
	b := rates.Starting()
	at := func(copies int) Part {
		p := head(copies)
		p.MasterWork = head(1).Work
		return p
	}
	n := BreakEven(b, at, 60_000, 1000)
	require.Positive(t, n)
	cost := func(copies int, cast bool) Item {
		p := at(copies)
		if cast {
			p.Casting = &Casting{60_000}
		}
		return build(b, p)
	}
	assert.Less(t, cost(n, true).CostMinor, cost(n, false).CostMinor)
	assert.GreaterOrEqual(t, cost(n-1, true).CostMinor, cost(n-1, false).CostMinor)
	assert.Zero(t, BreakEven(b.With(map[rates.Key]float64{"cast.minutes": 5000}), at, 60_000, 1000), "never, when a copy takes days")

	minutes := func(it Item, what string) (sum float64) {
		for _, l := range it.Lines {
			if l.Kind == Hands && l.What == what {
				sum += l.Minutes
			}
		}
		return sum
	}
	cast, printed := cost(24, true), cost(24, false)
	var once, look float64
	for _, w := range head(1).Work {
		switch w.Kind {
		case route.Sand:
			once += w.Minutes
		case route.Look:
			look = w.Minutes
		}
	}
	assert.InDelta(t, once, minutes(cast, "the print to cast: sand"), 1e-9, "one piece, that takes no learning of 24")
	assert.InDelta(t, 24*head(24).Work[slices.IndexFunc(head(24).Work, func(w finish.Work) bool { return w.Kind == route.Prime })].Minutes, minutes(cast, "prime"), 1e-9, "every copy is primed")
	assert.Greater(t, minutes(cast, "look"), 20*look*0.7, "and looked at")
	assert.Zero(t, minutes(cast, "sand"))
	assert.InDelta(t, minutes(printed, "base"), minutes(cast, "base"), 1e-9)
}

// A failure that is noticed early wastes less; what a scarce machine is charged for stands
// beside what it costs.
func TestNoticedAndOccupied(t *testing.T) {
	b := rates.Starting()
	p := head(1)
	p.RunMinutes, p.MachineMinutes = 63*60, 63*60
	end := build(b, p).ByKind(Failure)
	p.Noticed.Value = 0
	once := build(b, p).ByKind(Failure)
	assert.Less(t, once, end*6/10)
	plain := build(b, p)
	p.OccupiedPerHr = rates.Of("charge", 1.5, "¤/h", rates.Ours)
	charged := build(b, p)
	assert.InDelta(t, 63*150, float64(charged.ByKind(Machine)-plain.ByKind(Machine)), 1)
	assert.Equal(t, "occupied hours", charged.Lines[2].What)
}

func TestExtras(t *testing.T) {
	b := rates.Starting()
	mean := finish.SpreadOf(b, "sculpt").Mean
	it := Build(b, []Job{{Copies: 6, Extras: []Extra{
		{Kind: BoughtIn, What: "net", Each: 4, Count: 1, Pack: 4, PerCopy: true},
		{Kind: Licence, What: "licence", Each: 2.5, PerCopy: true},
		{Kind: Sculpt, What: "sculpting", Hours: 10, Figures: 4, FigureHours: 2, Revisions: 2},
		{Kind: Restore, What: "mending", Hours: 5, Odds: 0.25, WorseHours: 8},
	}}}, 2)[0]
	by := map[string]int64{}
	for _, l := range it.Lines {
		by[l.What] += l.Minor
	}
	assert.EqualValues(t, 8_00, by["net"], "six of them: two packs of four")
	assert.EqualValues(t, 15_00, by["licence"])
	assert.EqualValues(t, Minor((10+3*2+2*2)*mean*b.V("wage.sculpt"), 2), by["sculpting"])
	mended := (5*0.65+0.25*8)*finish.SpreadOf(b, "other").Mean + 5*0.05*finish.SpreadOf(b, "prime").Mean + 5*0.3*finish.SpreadOf(b, "base").Mean
	assert.EqualValues(t, Minor(mended*b.V("wage.paint"), 2), by["mending"])
	floor, hour := it.Floor(it.CostMinor)
	assert.Equal(t, it.CostMinor, floor)
	assert.InDelta(t, float64(it.ByKind(Hands))/(it.HandsMinutes/60), hour, 1e-9, "at cost an hour earns its wage")
	assert.Equal(t, rates.Amiss("what", "say what it is"), Extra{}.Check())
	assert.ErrorContains(t, Extra{What: "x", Odds: 2}.Check(), "odds: between 0 and 100 %")
	assert.ErrorContains(t, Extra{What: "x", Hours: math.NaN()}.Check(), "hours: between 0 and 10")
	assert.NoError(t, Extra{What: "x"}.Check())
}

// Cut into pieces, less is lost with each failure: by the restart formula the expected
// waste of n runs of T/n is that of e^(λT/n) − 1.
func TestCutLosesLess(t *testing.T) {
	b := rates.Starting()
	p := head(1)
	p.RunMinutes, p.MachineMinutes, p.FirstRuns = 40*60, 40*60, 0
	p.CutInto = 1
	whole := build(b, p).ByKind(Failure)
	p.CutInto = 4
	cut := build(b, p).ByKind(Failure)
	assert.Less(t, cut, whole/3)
}

// What looks have sent back is expected again: so many further rounds of filling, sanding, priming
// and looking, and nothing where none was sent back.
func TestLooksThatSendBack(t *testing.T) {
	b := rates.Starting()
	p := head(2)
	plain := build(b, p)
	p.SentBack = rates.Of("sent back", 0.25, "rounds", rates.Logged)
	with := build(b, p)
	rounds := 0.0
	for _, w := range p.Work {
		switch w.Kind {
		case route.Fill, route.Sand, route.Prime, route.Look:
			rounds += w.Minutes / 60 * b.V("wage")
		}
	}
	require.Positive(t, rounds)
	assert.InDelta(t, 100*0.25*rounds*2, float64(with.ByKind(Failure)-plain.ByKind(Failure)), 1)
	assert.Equal(t, plain.HandsMinutes, with.HandsMinutes, "they are no hands that are planned")
}

// The net price is split so that the running sum is rounded half to even, and the items add up to it.
func TestSharesRoundHalfToEven(t *testing.T) {
	two := []Item{{CostMinor: 100}, {CostMinor: 100}}
	assert.Equal(t, []int64{2, 3}, shares(two, 5, 200), "2.5 is 2")
	assert.Equal(t, []int64{8, 7}, shares(two, 15, 200), "7.5 is 8")
	assert.Equal(t, []int64{-2, -3}, shares(two, -5, 200))
	four := []Item{{CostMinor: 1}, {CostMinor: 1}, {CostMinor: 1}, {CostMinor: 1}}
	assert.Equal(t, []int64{0, 1, 1, 0}, shares(four, 2, 4), "0.5, 1, 1.5, 2")
}
