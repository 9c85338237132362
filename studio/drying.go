package studio

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// AirReading is what the air in the studio was at a moment, as somebody or a sensor says.
type AirReading struct {
	ID int64
	finish.Reading
	ByID int64 // 0: a sensor
}

// Text is it in words.
func (r AirReading) Text() string {
	return fmt.Sprintf("%s °C, %s %% damp", rates.Number(r.C), rates.Number(r.HumidityPercent))
}

// Drying is the air that pieces dry in, and what the coats of a piece are made of.
type Drying struct {
	Air    finish.Air
	Paints finish.Paints
	Under  *route.Coat  // what the coat that was laid last is thinned with, by its recipe; nil: as the item has it
	Over   *route.Coat  // and the one that is planned next
	Next   route.Medium // that is planned next, by its recipe; empty: as the item has it
}

// attacks reports whether the coat that is next attacks the one under it until that is hard.
func (d Drying) attacks(under, next Stage) bool {
	below, above := d.Paints.Of(under.Kind), d.Paints.Of(next.Kind)
	if d.Under != nil {
		below = *d.Under
	}
	if d.Over != nil {
		above = *d.Over
	}
	return route.Attacks(below, above) != ""
}

// Layers are what lies on a piece and has to dry, the lowest first; old paint that was stripped is not there any
// more.
func (p Piece) Layers(paints finish.Paints) (out []finish.Layer) {
	for _, s := range p.Stages {
		if s.Mark != route.Done {
			continue
		}
		if s.Kind == route.Soak {
			out = nil
		}
		if m := mediumOf(s, paints); m != "" {
			out = append(out, finish.Layer{Medium: m, At: s.Done, Film: s.Film})
		}
	}
	return out
}

// mediumOf is what a stage laid, or will: by the recipe that was used, or as the item has it.
func mediumOf(s Stage, paints finish.Paints) route.Medium {
	if s.Medium != "" {
		return s.Medium
	}
	return finish.MediumOf(s.Kind, strings.HasPrefix(s.How, "filler"), paints)
}

// Clocks are the moments of what lies on top of a piece; it is handled no sooner than its strip has it, which counts
// the waits between the coats of a stage, too.
func (d Drying) Clocks(p Piece) finish.Clocks {
	c := d.Air.Clocks(p.Layers(d.Paints))
	if last := p.Last(); c.Of != "" && last != nil && last.Mark == route.Done && mediumOf(*last, d.Paints) == c.Of && last.Until.After(c.Handle) {
		c.Handle = last.Until
	}
	return c
}

// Until is when the wait after a stage is over that was done at a moment: as it was planned for the book's room, in
// the air that there is. What light hardens does not mind the air.
func (d Drying) Until(s Stage, done time.Time) time.Time {
	if s.Kind == route.Cure {
		return done.Add(time.Duration(s.WaitS) * time.Second)
	}
	return d.Air.Dry(done, int64(float64(s.WaitS)/finish.Slower(d.Air.Book.V("room"))+0.5))
}

// OpenUntil is until when what hands began to lay at a moment can be worked: putty sets, a wash dries. Zero: nothing is
// said of it.
func (d Drying) OpenUntil(s Stage, begun time.Time) time.Time {
	of := mediumOf(s, d.Paints)
	if of == "" {
		return time.Time{}
	}
	if open := finish.ClockOf(d.Air.Book, of).OpenS; open > 0 {
		return d.Air.Dry(begun, open)
	}
	return time.Time{}
}

// Holds is what keeps the next stage of a piece from being done at a moment, by what lies on it: tape on a coat that
// it would lift, a coat over one whose window is shut, or one that attacks what is under it until that is hard. nil:
// nothing does.
func (d Drying) Holds(p Piece, at time.Time) *route.WaitError {
	next := p.Now()
	if next == nil {
		return nil
	}
	over := mediumOf(*next, d.Paints)
	if d.Next != "" {
		over = d.Next
	}
	if next.Kind != route.Mask && !over.IsCoat() {
		return nil
	}
	under, top := p.lastCoat(d.Paints), p.top(d.Paints)
	attacks := under != nil && d.attacks(*under, *next)
	if next.Kind != route.Mask && (!top.IsCoat() || !attacks && finish.ClockOf(d.Air.Book, top).WithinS == 0) {
		return nil
	}
	c := d.Clocks(p)
	hold := func(until time.Time, what string) *route.WaitError {
		if until.IsZero() || !at.Before(until) {
			return nil
		}
		return &route.WaitError{For: what, Until: until, At: at}
	}
	if next.Kind == route.Mask {
		return hold(c.Handle, "safe to tape")
	}
	if attacks {
		return hold(c.Full, c.Of.Name()+" hard, so that "+over.Name()+" does not lift it")
	}
	if !c.Within.IsZero() && at.After(c.Within) {
		return hold(c.Again, c.Of.Name()+" takes a coat again")
	}
	return nil
}

// top is what was laid last.
func (p Piece) top(paints finish.Paints) route.Medium {
	for i := len(p.Stages) - 1; i >= 0; i-- {
		if s := p.Stages[i]; s.Mark == route.Done {
			if m := mediumOf(s, paints); m != "" || s.Kind == route.Soak {
				return m
			}
		}
	}
	return ""
}

// lastCoat is the stage that laid the coat on top, below what is primed again; nil: none has.
func (p Piece) lastCoat(paints finish.Paints) *Stage {
	for i := len(p.Stages) - 1; i >= 0; i-- {
		s := &p.Stages[i]
		if s.Mark != route.Done || !mediumOf(*s, paints).IsCoat() {
			continue
		}
		if s.Kind == route.Prime {
			return nil
		}
		return s
	}
	return nil
}

// Waits is what the next stage of a piece waits for at a moment, by its strip and by what lies on it, whichever is
// later; nil: nothing.
func (d Drying) Waits(p Piece, at time.Time) *route.WaitError {
	wait := d.Holds(p, at)
	if until := p.Strip().Until(); at.Before(until) && (wait == nil || until.After(wait.Until)) {
		wait = &route.WaitError{For: p.Strip().WaitedFor(), Until: until, At: at}
	}
	return wait
}

// Again works out when the wait of a piece is over that is not over yet; until is when it was to be over before
// that, zero: nothing has changed.
func (d Drying) Again(p Piece, now time.Time) (same Piece, until time.Time) {
	last := p.Last()
	if last == nil || last.Mark != route.Done || !last.Until.After(now) {
		return p, time.Time{}
	}
	at := d.Until(*last, last.Done)
	if at.Equal(last.Until) {
		return p, time.Time{}
	}
	until, p.Stages = last.Until, slices.Clone(p.Stages)
	p.Last().Until = at
	return p, until
}
