package plan

import (
	"slices"
	"strings"
	"time"

	"sakuji/studio"
)

// Load is how full a day of a person or a machine is.
type Load struct {
	BusyMin, OpenMin float64
}

// Share is how much of the hours is planned.
func (l Load) Share() float64 {
	if l.OpenMin <= 0 {
		return 0
	}
	return min(1, l.BusyMin/l.OpenMin)
}

// fullFrom is from what share of the hours on a day counts as full. Source: from memory.
const fullFrom = 0.85

// loadOf is how full a resource is between two moments.
func (s Sheet) loadOf(resource int, from, to time.Time) (l Load) {
	a, b := max(0, int64(from.Sub(s.Now).Seconds())), max(0, int64(to.Sub(s.Now).Seconds()))
	hours := s.problem.Resources[resource].Hours
	l.OpenMin = float64(hours.OpenS(a, b)) / 60
	for i, x := range s.best.At {
		on := x.Resource == resource
		for _, w := range s.problem.Tasks[i].With {
			on = on || w == resource
		}
		if from, to := max(a, x.StartS), min(b, x.EndS); on && to > from {
			l.BusyMin += float64(hours.OpenS(from, to)) / 60
		}
	}
	return l
}

// PersonLoad is how full a person is between two moments.
func (s Sheet) PersonLoad(id int64, from, to time.Time) Load {
	for k, p := range s.People {
		if p.ID == id && s.problem != nil {
			return s.loadOf(len(s.problem.Resources)-len(s.People)+k, from, to)
		}
	}
	return Load{}
}

// MachineLoad is how full a machine is.
func (s Sheet) MachineLoad(id int64, from, to time.Time) Load {
	for k, m := range s.Shop.InUse() {
		if m.ID == id && s.problem != nil && k < len(s.problem.Resources) {
			return s.loadOf(k, from, to)
		}
	}
	return Load{}
}

// FullUntil is the first day on which hands have room again; zero: they have today.
func (s Sheet) FullUntil(zone *time.Location) (day time.Time) {
	y, m, d := s.Now.In(zone).Date()
	for k := range 200 {
		from := time.Date(y, m, d+k, 0, 0, 0, 0, zone)
		all := Load{}
		for _, p := range s.People {
			l := s.PersonLoad(p.ID, from, from.AddDate(0, 0, 1))
			all.BusyMin, all.OpenMin = all.BusyMin+l.BusyMin, all.OpenMin+l.OpenMin
		}
		if all.OpenMin > 0 && all.Share() < fullFrom {
			return day
		}
		if all.OpenMin > 0 {
			day = from.AddDate(0, 0, 1)
		}
	}
	return day
}

// LastDay is the midnight before the last thing planned; today's, where there is nothing.
func (s Sheet) LastDay(zone *time.Location) time.Time {
	last := s.Now
	for _, t := range s.Tasks {
		if t.To.After(last) {
			last = t.To
		}
	}
	y, m, d := last.In(zone).Date()
	return time.Date(y, m, d, 0, 0, 0, 0, zone)
}

// Dues are the orders that are wanted on a day.
func (s Sheet) Dues(from time.Time) (out []studio.Order) {
	for _, o := range s.Orders {
		if w := o.Wanted; !w.Before(from) && w.Before(from.AddDate(0, 0, 1)) {
			out = append(out, o)
		}
	}
	slices.SortFunc(out, func(a, b studio.Order) int { return strings.Compare(a.Number, b.Number) })
	return out
}
