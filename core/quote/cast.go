package quote

import (
	"sakuji/core/finish"
	"sakuji/core/rates"
)

// Casting is one print, a mould of it, and copies cast.
type Casting struct {
	VolumeMM3 float64 // of one copy
}

// cost works out what a mould and a copy cost: hours, rubber; minutes, casting resin.
func (c Casting) cost(b rates.Book) (mould, mouldMin, copy, copyMin float64) {
	litres := c.VolumeMM3 / 1e6
	mouldMin, copyMin = b.V("mould.hours")*60, b.V("cast.minutes")
	mould = mouldMin/60*b.V("wage") + litres*b.V("mould.rubber")*b.V("mould.price")
	copy = copyMin/60*b.V("wage") + litres*(1+b.V("cast.loss")/100)*b.V("cast.price")
	return mould, mouldMin, copy, copyMin
}

// cast adds a master that is printed and finished once, moulds, and copies; what comes
// after the mould is painted like any copy.
func (b *builder) cast(p Part, packs map[string]pack, name func(string) string) {
	master := p
	master.Copies = 1
	material, machine, atRisk := b.printed(master, 1, name)
	b.failing(master, material, machine, atRisk, name)
	n := float64(p.Copies)
	mould, mouldMin, copy, copyMin := p.Casting.cost(b.book)
	moulds := finish.Moulds(b.book, n)
	wage := b.book.Get("wage")
	b.item.HandsMinutes += moulds*mouldMin + n*copyMin
	volume := rates.Of("volume of a copy", p.Casting.VolumeMM3/1000, "cm³", rates.Mesh)
	b.add(Hands, name("moulds"), moulds*mould, moulds*mouldMin, rates.Working{Formula: "moulds × (hours × wage + volume × rubber around it × price)",
		Inputs: []rates.Figure{rates.Of("copies", n, "×", rates.Derived), b.book.Get("mould.life"), b.book.Get("mould.hours"), wage, volume, b.book.Get("mould.rubber"), b.book.Get("mould.price")}})
	b.add(Hands, name("casting"), n*copy, n*copyMin, rates.Working{Formula: "copies × (minutes × wage + volume × (1 + loss) × price)",
		Inputs: []rates.Figure{rates.Of("copies", n, "×", rates.Derived), b.book.Get("cast.minutes"), wage, volume, b.book.Get("cast.loss"), b.book.Get("cast.price")}})
	b.risky("other", name("casting"), n*copy+moulds*mould, n, finish.SpreadOf(b.book, "other"))
	b.castWork(p, name)
	b.supplies(p, packs, name)
}

// castWork adds the hands: the print is smoothed and looked at once, as one piece; every copy
// is primed, looked at, and painted like a print.
func (b *builder) castWork(p Part, name func(string) string) {
	for _, w := range finish.CastCopy(p.Work) {
		b.work(w, p.Wage, float64(p.Copies), name)
	}
	master := func(what string) string { return name("the print to cast: " + what) }
	for _, w := range finish.CastMaster(p.MasterWork) {
		b.work(w, p.Wage, 1, master)
	}
}

// BreakEven is from how many copies casting costs less than printing each; 0 when it never
// does up to the most that is asked about. at is the part for so many copies, with the work of
// one print to cast.
func BreakEven(b rates.Book, at func(copies int) Part, volumeMM3 float64, most int) (from int) {
	cost := func(n int, cast bool) float64 {
		one := at(n)
		one.Copies, one.Casting = n, nil
		if cast {
			one.Casting = &Casting{volumeMM3}
		}
		return float64(Build(b, []Job{{Parts: []Part{one}, Copies: n}}, 2)[0].CostMinor)
	}
	if cost(most, true) >= cost(most, false) {
		return 0
	}
	low, high := 1, most // casting is dear at first and then gains with every copy
	for low < high {
		if mid := (low + high) / 2; cost(mid, true) < cost(mid, false) {
			high = mid
		} else {
			low = mid + 1
		}
	}
	return low
}
