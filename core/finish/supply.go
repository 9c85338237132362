package finish

import (
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Supply is a consumable that one piece uses up: how much of it, what that costs by itself,
// and in what packs it is sold.
type Supply struct {
	Key     string // the same for all parts that draw on one pack
	What    string
	Amount  float64
	Unit    string
	PerUnit float64 // price of a unit, in the studio's currency
	Pack    float64 // units in a pack; 0: it is not opened but counted
	Packs   float64 // how many must be opened at least: one for each colour
	Working rates.Working
}

// supplies gathers what a part uses of each thing.
type supplies struct {
	book rates.Book
	dm2  rates.Figure
	list []Supply
}

func (s *supplies) add(key, what, unit, formula string, amount, perUnit, pack float64, inputs ...rates.Figure) {
	if amount <= 0 {
		return
	}
	for i := range s.list {
		if s.list[i].Key == key {
			l := &s.list[i]
			l.Amount += amount
			l.Working.Formula += " + " + formula
			l.Working.Inputs = append(l.Working.Inputs, inputs...)
			l.Working.Result.Value = l.Amount
			return
		}
	}
	s.list = append(s.list, Supply{Key: key, What: what, Amount: amount, Unit: unit, PerUnit: perUnit, Pack: pack, Packs: 1,
		Working: rates.Working{Formula: formula, Inputs: inputs, Result: rates.Of(what, amount, unit, rates.Derived)}})
}

// byArea adds what a dm² takes of a thing sold by mass or by sheet.
func (s *supplies) byArea(use rates.Key, of string, times float64) {
	name := map[string]string{"paper": "sandpaper", "putty": "putty", "skin": "resin for the skin", "texture": "sand and glue", "clay": "clay"}[of]
	price := s.book.Get(rates.K(of, "price"))
	unit, per := "g", price.Value/1000
	if of == "paper" {
		unit, per = "sheets", price.Value
	}
	in := []rates.Figure{s.dm2, s.book.Get(use)}
	formula := "area × use"
	if times != 1 {
		formula += " × share"
		in = append(in, secondRound(times))
	}
	s.add(of, name, unit, formula, s.dm2.Value*s.book.V(use)*times, per, s.book.V(rates.K(of, "pack")),
		append(in, price, s.book.Get(rates.K(of, "pack")))...)
}

// secondRound is the figure of what a second round touches.
func secondRound(times float64) rates.Figure {
	return rates.Of("share that a second round touches", 100*times, "%", rates.Memory)
}

// coat adds what coats of a thing take.
func (s *supplies) coat(c string, least, times float64) {
	b := s.book
	name := map[string]string{"primer": "primer", "filler": "filler primer", "paint": "paint", "shade": "wash and glaze", "clear": "clear coat"}[c]
	in := []rates.Figure{s.dm2, b.Get(rates.K(c, "coats")), b.Get(rates.K(c, "film")), b.Get(rates.K(c, "solids")),
		b.Get(rates.K(c, "transfer")), b.Get(rates.K(c, "price")), b.Get(rates.K(c, "pack"))}
	formula := "area × coats × film ÷ (10 × solids) ÷ transfer"
	if times != 1 {
		formula, in = formula+" × share", append(in, secondRound(times))
	}
	s.add(c, name, "ml", formula, s.dm2.Value*CoatMLPerDM2(b, c)*times, b.V(rates.K(c, "price"))/1000, b.V(rates.K(c, "pack")), in...)
	if n := len(s.list); n > 0 && s.list[n-1].Key == c {
		s.list[n-1].Packs = max(1, least)
	}
}

// Supplies returns what one piece of the part uses up besides its material.
func Supplies(b rates.Book, p Part) []Supply {
	s := supplies{book: b, dm2: p.faces(route.Wash)}
	if p.Kind().Wet {
		s.add("alcohol", "washing alcohol", "ml", "area × loss", s.dm2.Value*b.V("alcohol.use"), b.V("alcohol.price")/1000, b.V("alcohol.pack"),
			s.dm2, b.Get("alcohol.use"), b.Get("alcohol.price"), b.Get("alcohol.pack"))
		s.add("gloves", "gloves and wipes", "pairs", "a piece", 1, b.V("gloves.price"), 0, b.Get("gloves.price"))
	}
	if p.raw() {
		return s.list
	}
	s.dm2 = p.faces(route.Prime)
	for _, st := range p.FinishRoute().Steps {
		if st.Use != "" {
			s.byArea(st.Use, st.Of, st.times())
		}
		if st.Coat != "" {
			s.coat(st.Coat, 1, st.times())
		}
	}
	if p.Tier != route.Painted {
		return s.list
	}
	s.dm2 = p.faces(route.Base)
	s.coat("paint", p.Features.colours(b), 1)
	s.coat("shade", 1, 1)
	s.coat("clear", 1, 1)
	if edge := rates.Of("edge to mask", p.Features.taped()/100, "dm", rates.Ours); edge.Value > 0 {
		s.add("tape", "masking tape", "m", "edge × use", edge.Value*b.V("tape.use")/10, b.V("tape.price"), b.V("tape.pack"), edge, b.Get("tape.use"), b.Get("tape.price"), b.Get("tape.pack"))
	}
	return s.list
}

// CoatMLPerDM2 is how many millilitres of a coating a square decimetre takes, all
// coats and losses together: the theoretical spreading rate in m²/l is 10 × volume
// solids (%) ÷ dry film (µm) [published: any coatings handbook], and only a share
// lands on the piece.
func CoatMLPerDM2(b rates.Book, coat string) float64 {
	spreadM2PerL := 10 * b.V(rates.K(coat, "solids")) / b.V(rates.K(coat, "film"))
	return 0.01 * 1000 / spreadM2PerL * b.V(rates.K(coat, "coats")) / (b.V(rates.K(coat, "transfer")) / 100)
}
