package finish

import (
	"math"
	"sort"
	"time"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// MediumOf is what a stage leaves, a priming with filler primer or another one. Empty: nothing that dries by the air.
func MediumOf(kind route.StageKind, filler bool, p Paints) route.Medium {
	switch t := kind.Traits(); {
	case t.Leaves == route.Primer && filler:
		return route.FillerPrimer
	case t.Leaves != route.NothingToDry:
		return t.Leaves
	case t.Paint != route.NoPaint:
		return p.Of(kind).Medium()
	}
	return route.NothingToDry
}

// Clock is for how long after it was laid, in seconds and at BookC, a medium is what: each 0 where nothing is
// said of it.
type Clock struct {
	TouchS  int64 // dry to the touch
	RecoatS int64 // it takes the next coat
	WithinS int64 // until then; and
	AgainS  int64 // from then on again
	HandleS int64 // it may be masked, sanded or handled
	FullS   int64 // hard
	OpenS   int64 // it can be worked until then
}

// ClockOf is the clock of a medium by the rate book. What the book says already of waits between stages is said
// there alone.
func ClockOf(b rates.Book, m route.Medium) Clock {
	of := func(key rates.Key) int64 {
		if key == "" {
			return 0
		}
		return int64(math.Round(b.V(key) * map[string]float64{"min": 60, "h": 3600}[b.Get(key).Unit]))
	}
	k := clocks[m]
	return Clock{TouchS: of(k.touch), RecoatS: of(k.recoat), WithinS: of(k.within), AgainS: of(k.again), HandleS: of(k.handle),
		FullS: of(k.full), OpenS: of(k.open)}
}

// clocks are the rates that a medium's clock goes by; empty: the book says nothing of it.
var clocks = map[route.Medium]struct{ touch, recoat, within, again, handle, full, open rates.Key }{
	route.Primer:       {touch: "dry.primer.touch", recoat: "prime.recoat", handle: "prime.wait", full: "dry.primer.full"},
	route.FillerPrimer: {touch: "dry.filler.touch", recoat: "filler.recoat", handle: "filler.wait", full: "dry.filler.full"},
	route.AcrylicPaint: {touch: "dry.acrylic.touch", recoat: "base.recoat", handle: "base.wait", full: "dry.acrylic.full"},
	route.CanPaint: {touch: "dry.can.touch", recoat: "dry.can.recoat", within: "dry.can.within", again: "dry.can.again",
		handle: "dry.can.handle", full: "dry.can.full"},
	route.MirrorMetal:  {touch: "dry.mirror.touch", handle: "dry.mirror.handle", full: "dry.mirror.full"},
	route.StainColour:  {touch: "dry.stain.touch", recoat: "dry.stain.recoat", handle: "dry.stain.handle", full: "dry.stain.full"},
	route.ClearCoat:    {touch: "dry.clear.touch", recoat: "clear.recoat", handle: "clear.wait", full: "dry.clear.full"},
	route.SpotPutty:    {touch: "dry.putty.touch", handle: "fill.wait", full: "dry.putty.full"},
	route.TwoPartPutty: {touch: "dry.twopart.touch", handle: "dry.twopart.handle", full: "dry.twopart.full", open: "dry.twopart.open"},
	route.AirDryClay:   {handle: "clay.wait", full: "dry.clay.full"},
	route.CastingResin: {handle: "cast.wait", full: "dry.casting.full"},
	route.SandOrWash:   {handle: "weather.wait", full: "dry.wash.full", open: "dry.wash.open"},
	route.MouldRubber:  {handle: "mould.wait", full: "dry.rubber.full"},
}

// Reading is what the air in the studio was at a moment.
type Reading struct {
	At              time.Time
	C               float64
	HumidityPercent float64
}

// Check says what of it cannot be.
func (r Reading) Check() error {
	var wrong rates.Invalid
	wrong.Need(r.C >= -10 && r.C <= 50, "c", "a room has between −10 and 50 °C")
	wrong.Need(r.HumidityPercent >= 1 && r.HumidityPercent <= 100, "humidity", "humidity: between 1 and 100 %%")
	return wrong.Err()
}

// For how long a reading stands when none follows, and how damp a room is of which nobody says. Source: from
// memory.
const (
	readingStands  = 12 * time.Hour
	UsualHumidityP = 50
)

// Air is how the air was that pieces dried in, and is from now on as far as anybody knows.
type Air struct {
	Book     rates.Book
	Readings []Reading // in the order of time
}

// at is the air at a moment, and until when that is so; zero: for good.
func (a Air) at(t time.Time) (r Reading, until time.Time) {
	r = Reading{C: a.Book.V("room"), HumidityPercent: UsualHumidityP}
	k := sort.Search(len(a.Readings), func(i int) bool { return a.Readings[i].At.After(t) })
	if k < len(a.Readings) {
		until = a.Readings[k].At
	}
	if k > 0 {
		last := a.Readings[k-1]
		if stands := last.At.Add(readingStands); t.Before(stands) {
			r = last
			if until.IsZero() || stands.Before(until) {
				until = stands
			}
		}
	}
	return r, until
}

// Now is the air at a moment, and whether anybody has said so.
func (a Air) Now(t time.Time) (r Reading, said bool) {
	r, _ = a.at(t)
	return r, !r.At.IsZero()
}

// slower is how many times as long a coat takes in such air as at BookC and dry: twice for every 10 °C less, and
// twice again in damp air, as the book has it.
func (a Air) slower(r Reading) float64 {
	from, twice := a.Book.V("damp.from"), a.Book.V("damp.twice")
	damp := max(0, r.HumidityPercent-from) / max(1, twice-from)
	return Slower(r.C) * math.Exp2(damp)
}

// Slows is how many times as long as in the rate book's room a coat takes that is laid at a moment.
func (a Air) Slows(at time.Time) float64 {
	r, _ := a.at(at)
	return a.slower(r) / Slower(a.Book.V("room"))
}

// Dry is when something is dry that was laid at a moment and needs so many seconds at BookC, in dry air.
func (a Air) Dry(from time.Time, s int64) time.Time {
	left := float64(s)
	for left > 0 {
		r, until := a.at(from)
		slower := a.slower(r)
		if until.IsZero() || until.Sub(from).Seconds() >= left*slower {
			return from.Add(time.Duration(left * slower * float64(time.Second))).Round(time.Second)
		}
		left -= until.Sub(from).Seconds() / slower
		from = until
	}
	return from
}

// left is how many seconds at BookC are left at a moment of what was laid at another one.
func (a Air) left(laid, at time.Time, s int64) int64 {
	dried := 0.0
	for from := laid; from.Before(at); {
		r, until := a.at(from)
		if until.IsZero() || until.After(at) {
			until = at
		}
		dried += until.Sub(from).Seconds() / a.slower(r)
		from = until
	}
	return max(0, s-int64(math.Round(dried)))
}

// Layer is a medium on a piece, when it was laid, and how many times as thick as the rate book has it; 0: as it has it.
type Layer struct {
	Medium route.Medium
	At     time.Time
	Film   float64
}

// thick is the clock of a layer: one twice as thick takes twice as long. Source: from memory; a thick coat skins over and
// stays soft below.
func (l Layer) thick(b rates.Book) Clock {
	c := ClockOf(b, l.Medium)
	if l.Film <= 0 {
		return c
	}
	k := func(s int64) int64 { return int64(math.Round(float64(s) * min(mostFilm, max(1/mostFilm, l.Film)))) }
	return Clock{TouchS: k(c.TouchS), RecoatS: k(c.RecoatS), WithinS: c.WithinS, AgainS: k(c.AgainS), HandleS: k(c.HandleS), FullS: k(c.FullS), OpenS: c.OpenS}
}

// mostFilm is up to how many times as thick, or as thin, that is believed. Source: from memory.
const mostFilm = 5.0

// Clocks are the moments of what lies on top of a piece; each zero where nothing is said of it.
type Clocks struct {
	Of     route.Medium
	Laid   time.Time
	Touch  time.Time
	Recoat time.Time // it takes the next coat from then
	Within time.Time // until then; and
	Again  time.Time // from then on again
	Handle time.Time // it may be masked, sanded or handled
	Full   time.Time // it is hard, and all that lies under it
	Open   time.Time // it can be worked until then
}

// Clocks works out the moments of a piece from its layers, the lowest first. What was covered before it was hard
// takes longer for what it still needs, and the piece is not ready for tape, or hard, before it is.
func (a Air) Clocks(layers []Layer) (c Clocks) {
	if len(layers) == 0 {
		return c
	}
	top := layers[len(layers)-1]
	of := top.thick(a.Book)
	when := func(s int64) time.Time {
		if s == 0 {
			return time.Time{}
		}
		return a.Dry(top.At, s)
	}
	c = Clocks{Of: top.Medium, Laid: top.At, Touch: when(of.TouchS), Recoat: when(of.RecoatS), Within: when(of.WithinS), Again: when(of.AgainS), Handle: when(of.HandleS), Full: when(of.FullS), Open: when(of.OpenS)}
	for k, l := range layers[:len(layers)-1] {
		under, covered := l.thick(a.Book), layers[k+1].At
		c.Handle = later(c.Handle, a.under(l.At, covered, under.HandleS))
		c.Full = later(c.Full, a.under(l.At, covered, under.FullS))
	}
	return c
}

// under is when something is dry that was covered at a moment.
func (a Air) under(laid, covered time.Time, s int64) time.Time {
	if s == 0 || covered.Before(laid) {
		return time.Time{}
	}
	if dry := a.Dry(laid, s); !dry.After(covered) {
		return dry
	}
	return a.Dry(covered, int64(a.Book.V("covered")*float64(a.left(laid, covered, s))))
}

// later is the later of two moments, where both are said.
func later(x, y time.Time) time.Time {
	if y.After(x) {
		return y
	}
	return x
}
