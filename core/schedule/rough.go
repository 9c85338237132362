// Package schedule answers when work can be done: tasks on machines, stations and people, with waits by the clock. It lays a
// plan by rules and betters it by search, checks one, bounds what any could reach, and lives through many futures of one.
// This file is the quick answer for a few items: hands take up what is ready first, in their hours.
package schedule

import (
	"container/heap"
	"math"
	"time"
)

// Step is one step of an item on its way: machines run day and night, hands work in their
// hours, a wait passes by the clock. What a step does not have is nothing.
type Step struct {
	Name       string
	Round      int     // which of its name
	Pool       string  // which machines
	MaterialID int64   // that they print; 0: the first of their process
	MachineMin float64 // of all of them together
	RunMin     float64 // the longest run: machines in parallel do not shorten it
	HandsMin   float64
	WaitMin    float64
}

// Hours are when hands work: Monday to Friday from From on.
type Hours struct {
	From   time.Duration // since midnight
	PerDay time.Duration // 24 h: day and night, weekends, too
	Hands  int           // pairs that work at once
	Zone   *time.Location
}

// Always are hands that never rest: what nothing can beat.
func Always(hands int) Hours { return Hours{PerDay: 24 * time.Hour, Hands: hands, Zone: time.UTC} }

// There is the first moment from t on in which hands work.
func (h Hours) There(t time.Time) time.Time {
	at, _ := h.next(t)
	return at
}

// Until is when the hands that are there at a moment, or from the first one after it on, leave.
func (h Hours) Until(t time.Time) time.Time {
	at, left := h.next(t)
	if left > 24*time.Hour {
		return at.AddDate(100, 0, 0)
	}
	return at.Add(left)
}

// next is the first moment from t on in which hands work, and how long they go on then.
func (h Hours) next(t time.Time) (time.Time, time.Duration) {
	if h.PerDay >= 24*time.Hour {
		return t, math.MaxInt64
	}
	t = t.In(h.Zone)
	for {
		y, m, d := t.Date()
		from := time.Date(y, m, d, 0, 0, 0, 0, h.Zone).Add(h.From)
		to := from.Add(max(time.Minute, h.PerDay))
		if wd := t.Weekday(); wd != time.Saturday && wd != time.Sunday && t.Before(to) {
			if t.Before(from) {
				t = from
			}
			return t, to.Sub(t)
		}
		t = time.Date(y, m, d+1, 0, 0, 0, 0, h.Zone).Add(h.From)
	}
}

// work is when so many minutes of hands begun at t are done.
func (h Hours) work(t time.Time, minutes float64) time.Time {
	left := time.Duration(min(minutes, 1e7) * float64(time.Minute))
	if left <= 0 {
		return t
	}
	for {
		from, room := h.next(t)
		if left <= room {
			return from.Add(left)
		}
		left -= room
		t = from.Add(room)
	}
}

// Earliest is when items begun now can all be done, if nothing else is in the way: what is
// ready first is taken up first by the hands that are free first. The schedule of the whole
// studio answers better; this is the sum of hands and waits as days.
func Earliest(now time.Time, items [][]Step, h Hours) time.Time {
	at := make([]int, len(items))
	line := make(queue, 0, len(items))
	free := make([]time.Time, max(1, h.Hands))
	for i := range items {
		if len(items[i]) > 0 {
			line = append(line, waiting{now, i})
		}
	}
	for i := range free {
		free[i] = now
	}
	pools := map[string]time.Time{}
	end := now
	for len(line) > 0 {
		k, ready := line[0].item, line[0].ready
		s := items[k][at[k]]
		at[k]++
		t := ready
		if s.MachineMin > 0 {
			from := pools[s.Pool]
			if from.Before(t) {
				from = t
			}
			pools[s.Pool] = from.Add(minutesOf(s.MachineMin))
			if t = pools[s.Pool]; t.Before(ready.Add(minutesOf(s.RunMin))) {
				t = ready.Add(minutesOf(s.RunMin))
			}
		}
		if s.HandsMin > 0 {
			first := 0
			for i := range free {
				if free[i].Before(free[first]) {
					first = i
				}
			}
			if t.Before(free[first]) {
				t = free[first]
			}
			t = h.work(t, s.HandsMin)
			free[first] = t
		}
		t = t.Add(minutesOf(s.WaitMin))
		if end.Before(t) {
			end = t
		}
		if at[k] == len(items[k]) {
			heap.Pop(&line)
			continue
		}
		line[0].ready = t
		heap.Fix(&line, 0)
	}
	return end
}

// waiting is an item and when its next step can begin; queue has the first of them first.
type waiting struct {
	ready time.Time
	item  int
}

type queue []waiting

func (q queue) Len() int      { return len(q) }
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q queue) Less(i, j int) bool {
	if q[i].ready.Equal(q[j].ready) {
		return q[i].item < q[j].item
	}
	return q[i].ready.Before(q[j].ready)
}
func (q *queue) Push(x any) { *q = append(*q, x.(waiting)) }
func (q *queue) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

func minutesOf(m float64) time.Duration {
	return time.Duration(min(m, 1e7) * float64(time.Minute))
}
