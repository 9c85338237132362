package studio

import (
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
)

func TestItemOptionsRefuse(t *testing.T) {
	for says, m := range map[string]ItemOptions{
		"finish_route: there is no finish route magic":  {FinishRoute: "magic"},
		"eyes: eyes: between":                           {Features: finish.Features{Eyes: -1}},
		"seam: seam: between":                           {SeamMM: math.NaN()},
		"fit: fitting out":                              {Features: finish.Features{FitHours: 2000}},
		"detail_why: detail set by hand wants a reason": {DetailFactor: 2},
		"detail: detail: between 0.2":                   {DetailFactor: 99, DetailWhy: "x"},
		"weapon: weapon-like":                           {Weapon: "perhaps"},
		"what: : say what it is":                        {Extras: []quote.Extra{{}}},
		"what: an item holds 40 extras":                 {Extras: make([]quote.Extra, 41)},
		"what: x: price: between":                       {Extras: []quote.Extra{{What: "x", Each: -1}}},
		"what: x: revisions: between 0 and 100":         {Extras: []quote.Extra{{What: "x", Revisions: 101}}},
		"what: x: hours: between":                       {Extras: []quote.Extra{{What: "x", Hours: 1e9}}},
		"what: x: how many: between":                    {Extras: []quote.Extra{{What: "x", Count: math.Inf(1)}}},
		"what: x: odds: between 0 and 100 %":            {Extras: []quote.Extra{{What: "x", Odds: 1.5}}},
	} {
		found := slices.ContainsFunc(m.Check(), func(w rates.Wrong) bool { return strings.HasPrefix(w.Field+": "+w.Text, says) })
		assert.True(t, found, "%s: %v", says, m.Check())
	}
	assert.Empty(t, ItemOptions{DetailFactor: 2, DetailWhy: "lace", Weapon: "no", FinishRoute: "gaps"}.Check())
}

func TestWeaponsByName(t *testing.T) {
	for title, asks := range map[string]bool{"Two swords, crossed": true, "Snail courier": false, "Post-guard’s halberd": true, "Swordfish pie": false, "Gunpowder-grey moth": false, "RIFLE": true} {
		it := item(block(1, 1, 1), process.Resin, route.Raw, 1, 1)
		it.Title = title
		assert.Equal(t, asks, it.AskWeapon(), title)
		it.Weapon = "no"
		assert.False(t, it.AskWeapon(), "asked and answered")
	}
}

func TestVariantOfAnItem(t *testing.T) {
	h := house()
	it := item(block(40, 40, 40), process.Resin, route.Painted, 2, 1)
	it.Parts[0].WallMM = 2
	stood := func(p Part, _ string) (Model, int64) { return p.Model, 9 }
	v := Variant{Tier: route.Raw, Process: process.Filament, FinishRoute: "gaps", Factor: 0.5, CutInto: 3}
	got := v.Of(h, it, stood)
	assert.Equal(t, route.Raw, got.Tier)
	assert.Equal(t, "gaps", got.FinishRoute)
	assert.InDelta(t, it.Scale/2, got.Scale, 1e-12)
	p := got.Parts[0]
	assert.Equal(t, process.Filament, p.Process)
	assert.Zero(t, p.WallMM, "filament has its own walls")
	assert.EqualValues(t, 9, p.OrientationID)
	assert.Equal(t, 3, p.CutInto)
	assert.Equal(t, process.Resin, it.Parts[0].Process, "the item itself stays as it was")
	back := Variant{Process: process.Resin}.Of(h, got, stood)
	assert.Equal(t, 2.0, back.Parts[0].WallMM, "thick: hollowed, as usual")
	assert.Equal(t, it, Variant{}.Of(h, it, stood))
	for _, bad := range []Variant{{}, {Name: "x", Tier: "gold"}, {Name: "x", Process: "wood"}, {Name: "x", Factor: 1e6}, {Name: "x", Factor: math.NaN()}, {Name: "x", CutInto: 13}, {Name: "x", FinishRoute: "magic"}} {
		assert.Error(t, bad.Check())
	}
	assert.NoError(t, Variant{Name: "x"}.Check())
}

func TestTakeAdds(t *testing.T) {
	spec := func(id int64) DocumentItem { return DocumentItem{Spec: Item{ID: id}} }
	d := Document{Studio: Studio{Currency: "EUR"}, Name: "whole", Items: []DocumentItem{spec(1)}, Price: quote.Price{NetMinor: 100_00, TotalMinor: 120_00}, Terms: quote.Terms{DepositPercent: 30},
		Alternatives: []Alternative{{Name: "raw", Items: []DocumentItem{spec(1)}, Price: quote.Price{NetMinor: 50_00, TotalMinor: 60_00}}},
		Options:      []Option{{Item: spec(2), NetMinor: 10_00, TotalMinor: 12_00}, {Item: spec(3), NetMinor: 20_00, TotalMinor: 24_00}}}
	for _, c := range []struct {
		Chosen
		total, tax, deposit int64
		items               int
	}{
		{Chosen{}, 120_00, 20_00, 36_00, 1}, {Chosen{Alternative: 1}, 60_00, 10_00, 18_00, 1},
		{Chosen{Options: []int64{3, 2, 3}}, 156_00, 26_00, 46_80, 3}, {Chosen{1, []int64{2}}, 72_00, 12_00, 21_60, 2},
	} {
		got, err := d.Take(c.Chosen)
		require.NoError(t, err)
		assert.Equal(t, [3]int64{c.total, c.tax, c.deposit}, [3]int64{got.TotalMinor, got.TaxMinor, got.DepositMinor})
		assert.Len(t, got.Specs(), c.items)
	}
	for _, bad := range []Chosen{{Alternative: 2}, {Alternative: -1}, {Options: []int64{1}}} {
		_, err := d.Take(bad)
		assert.Error(t, err)
	}
	assert.Len(t, d.Items, 1, "taking changes nothing of the quote")
	assert.Len(t, d.Specs(), 3)
	assert.Empty(t, d.More())
	for agreed, says := range map[int64]string{100_00: "€ 20.00 more", 130_00: "€ 10.00 less", 120_00: "the same price"} {
		d.Instead = &Instead{TotalMinor: agreed}
		assert.Equal(t, says, d.More())
	}
	d.Terms.BeforeTax = true
	assert.Equal(t, "€ 100.00", d.Told(100_00, 120_00).String())
}

func TestDifferencesAreComplete(t *testing.T) {
	it := item(block(1, 1, 1), process.Resin, route.Raw, 1, 1)
	it.ID, it.Parts[0].ID = 1, 4
	assert.Empty(t, Differences([]Item{it}, []Item{it}))
	for what, change := range map[string]func(*Item){
		"copies": func(i *Item) { i.Copies = 2 }, "finish": func(i *Item) { i.Tier = route.Primed }, "size": func(i *Item) { i.Scale = 2 },
		"counted": func(i *Item) { i.Features.Eyes = 2 }, "finish route": func(i *Item) { i.FinishRoute = "skin" }, "extras": func(i *Item) { i.Extras = []quote.Extra{{What: "net"}} },
		"process": func(i *Item) { i.Parts[0].Process = process.Filament }, "wall": func(i *Item) { i.Parts[0].WallMM = 2 }, "name": func(i *Item) { i.Title = "other" },
		"pieces": func(i *Item) { i.Parts[0].CutInto = 2 }, "of each": func(i *Item) { i.Parts[0].Copies = 2 }, "joined": func(i *Item) { i.Apart = true },
	} {
		other := it
		other.Parts = append([]Part{}, it.Parts...)
		change(&other)
		d := Differences([]Item{it}, []Item{other})
		require.Len(t, d, 1, what)
		assert.Contains(t, d[0].What, what)
		assert.NotEqual(t, d[0].Before, d[0].After)
	}
	assert.Len(t, Differences([]Item{it}, nil), 1)
	assert.Len(t, Differences(nil, []Item{it}), 1)
}

// A machine's own failures take the book's place as its hours grow; by hand: 5 failures in
// 120 h beside 120 h of trust at 0.012 are 6.44 in 240 h. With another material that is what
// its hours are weighed against.
func TestFailuresOfAMachine(t *testing.T) {
	h := house()
	m, mat := h.Machines[0], h.Materials[0]
	require.Equal(t, process.Resin, m.Process)
	book := h.FailurePerHour(m, mat)
	assert.Equal(t, 0.012, book.Value)
	h.History.Failed = map[[2]int64]FailedRuns{{m.ID, mat.ID}: {Hours: 120, Fails: 5}}
	assert.InDelta(t, 0.0268, h.FailurePerHour(m, mat).Value, 5e-5)
	assert.InDelta(t, 6.44/240, h.FailurePerHour(m, Material{ID: 77}).Value, 1e-12, "another material: the machine's own")
	h.History.Failed[[2]int64{m.ID, 77}] = FailedRuns{Hours: 60, Fails: 1}
	assert.InDelta(t, (1+6.44/240*120)/180, h.FailurePerHour(m, Material{ID: 77}).Value, 1e-12)
	assert.Equal(t, rates.Logged, h.FailurePerHour(m, mat).Source)
	assert.Equal(t, 0.012, h.FailurePerHour(h.Machines[1], mat).Value, "another machine knows nothing of it")
}

// Parts of one item are joined when they are finished, and come apart as a raw kit.
func TestSeamsAreJoined(t *testing.T) {
	h := house()
	it := item(block(20, 20, 20), process.Resin, route.Primed, 1, 1)
	second := it.Parts[0]
	second.ID, second.Name, second.Copies = 2, "arm", 2
	it.Parts = append(it.Parts, second)
	join := func(it Item) (minutes float64) {
		for _, l := range h.Estimate(it).Lines {
			if strings.HasPrefix(l.What, "join: ") {
				minutes += l.Minutes
			}
		}
		return minutes
	}
	three := join(it)
	assert.Positive(t, three, "three pieces, two seams")
	it.SeamMM = 500
	assert.Greater(t, join(it), three)
	it.Apart = true
	assert.Zero(t, join(it))
	it.Apart, it.Tier = false, route.Raw
	assert.Zero(t, join(it))
	whole := item(block(20, 20, 20), process.Resin, route.Raw, 1, 1)
	whole.Parts[0].CutInto = 3
	assert.Positive(t, join(whole), "what was cut for printing is glued again")
}

// The machine that is named is the one priced on, fit or not.
func TestMachineIsChosen(t *testing.T) {
	h := house()
	it := item(block(20, 20, 20), process.Resin, route.Raw, 1, 1)
	usual := h.Estimate(it)
	for _, m := range h.Machines {
		it.Parts[0].MachineID = m.ID
		e := h.Estimate(it)
		if m.Process == process.Resin {
			assert.Equal(t, []string{m.Name}, e.Machines)
		} else {
			assert.Equal(t, usual.Machines, e.Machines, "of another process: not taken")
		}
	}
	it.Scale = 10
	it.Parts[0].MachineID = h.Machines[0].ID
	assert.NotEmpty(t, h.Estimate(it).Troubles)
}

func TestWageOfAnOrder(t *testing.T) {
	h := house()
	it := item(block(20, 20, 20), process.Resin, route.Painted, 1, 1)
	dear := h.At(Terms{WageMinor: 100_00})
	assert.Equal(t, 100.0, dear.Book.V("wage.paint"))
	assert.Greater(t, dear.Estimate(it).CostMinor, 2*h.Estimate(it).CostMinor)
	assert.Equal(t, h.Book.V("wage"), h.At(Terms{}).Book.V("wage"))
}

// Minor units of ISO 4217, some of each kind.
func TestCurrencies(t *testing.T) {
	for code, digits := range map[string]int32{"EUR": 2, "JPY": 0, "KWD": 3, "CLF": 4, "XAF": 0, "CHF": 2, "IQD": 3} {
		assert.Equal(t, digits, Digits(code), code)
	}
	assert.True(t, IsCurrency("EUR"))
	for _, bad := range []string{"", "EU", "eur", "EURO", "E1R"} {
		assert.False(t, IsCurrency(bad), bad)
	}
}
