package schedule

import (
	"sort"
	"time"
)

// Span is a stretch of time, its end not in it.
type Span struct{ FromS, ToS int64 }

// Calendar is when a resource is open: spans in order, none touching another. After the last of them it
// is closed for good.
type Calendar struct{ Open []Span }

// Week is opening hours by day of the week, Sunday first: from and to in minutes since midnight; one that
// ends before it begins ends the next day.
type Week [7][]MinuteSpan

// MinuteSpan is a stretch of a day.
type MinuteSpan struct{ FromMin, ToMin int }

// CalendarOf is a week’s hours for so many days from a start on, as its clock shows them, but for days off.
func CalendarOf(week Week, start time.Time, days int, off func(day time.Time) bool) *Calendar {
	h := &Calendar{}
	y, m, d := start.Date()
	for k := -1; k < days; k++ {
		midnight := time.Date(y, m, d+k, 0, 0, 0, 0, start.Location())
		if off != nil && off(midnight) {
			continue
		}
		at := func(min int) int64 {
			return int64(time.Date(y, m, d+k, 0, min, 0, 0, start.Location()).Sub(start).Seconds())
		}
		for _, s := range week[midnight.Weekday()] {
			to := s.ToMin
			if to <= s.FromMin {
				to += 24 * 60
			}
			h.add(Span{max(0, at(s.FromMin)), at(to)})
		}
	}
	return h
}

// add appends a span, joined to the last where they touch.
func (h *Calendar) add(s Span) {
	if s.ToS <= s.FromS {
		return
	}
	if n := len(h.Open); n > 0 && s.FromS <= h.Open[n-1].ToS {
		h.Open[n-1].ToS = max(h.Open[n-1].ToS, s.ToS)
		return
	}
	h.Open = append(h.Open, s)
}

// Without is the hours but for a stretch.
func (h *Calendar) Without(s Span) *Calendar {
	out := &Calendar{}
	for _, o := range h.Open {
		if o.ToS <= s.FromS || o.FromS >= s.ToS {
			out.Open = append(out.Open, o)
			continue
		}
		out.add(Span{o.FromS, s.FromS})
		out.add(Span{s.ToS, o.ToS})
	}
	return out
}

// Ever is always open for so many days.
func Ever(days int) *Calendar { return &Calendar{Open: []Span{{0, int64(days) * 24 * 3600}}} }

// at is the first span that ends after a moment; the number of spans when there is none.
func (h *Calendar) at(t int64) int {
	return sort.Search(len(h.Open), func(i int) bool { return h.Open[i].ToS > t })
}

// start is the first moment from t on at which a task of so many seconds can begin by the hours alone, and
// when it is over then; ok is false where it never can. A nil calendar is always open.
func (h *Calendar) start(t, s int64, split bool) (begin, end int64, ok bool) {
	if h == nil {
		return t, t + s, true
	}
	for i := h.at(t); i < len(h.Open); i++ {
		begin = max(t, h.Open[i].FromS)
		if begin+s <= h.Open[i].ToS {
			return begin, begin + s, true
		}
		if !split {
			continue
		}
		left := s - (h.Open[i].ToS - begin)
		for k := i + 1; k < len(h.Open); k++ {
			if long := h.Open[k].ToS - h.Open[k].FromS; left > long {
				left -= long
				continue
			}
			return begin, h.Open[k].FromS + left, true
		}
		return 0, 0, false
	}
	return 0, 0, false
}

// OpenS is the time within a stretch in which the resource is open.
func (h *Calendar) OpenS(from, to int64) (s int64) {
	if h == nil {
		return to - from
	}
	for i := h.at(from); i < len(h.Open) && h.Open[i].FromS < to; i++ {
		s += min(to, h.Open[i].ToS) - max(from, h.Open[i].FromS)
	}
	return s
}
