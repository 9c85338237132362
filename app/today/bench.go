package today

import (
	"fmt"
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/studio"
)

// batch is pieces of one item that are at the same stage.
type batch struct {
	name    string
	order   studio.Order
	kind    route.StageKind
	code    string
	n       int
	minutes float64
	since   time.Time // when the last of them became ready
	first   int64     // piece
	dry     string
	waiting bool
}

// bench groups pieces ready for hands, and waits that end today, by item and stage.
func (t *today) bench() error {
	for _, b := range t.batches() {
		if b.waiting && b.since.Sub(t.s.Now) > 10*time.Hour {
			continue
		}
		rank, at, task := t.batchTask(b)
		t.add(rank, at, task)
	}
	return nil
}

// batches are the pieces of an item that are at the same stage: done in one go.
func (t *today) batches() (list []batch) {
	type key struct {
		item    int64
		kind    route.StageKind
		waiting bool
	}
	index := map[key]int{}
	for _, p := range t.pieces {
		now := p.Now()
		if p.State != studio.AtBench || now == nil {
			continue
		}
		is := t.ready[p.ID]
		if is.Refused != nil || len(is.Held) > 0 { // others are done first, and asked for
			continue
		}
		until, dry := p.Strip().Until(), p.Strip().WaitedFor()
		if is.Wait != nil {
			until, dry = is.Wait.Until, is.Wait.For
		}
		k := key{p.ItemID, now.Kind, is.Wait != nil}
		i, ok := index[k]
		if !ok {
			i = len(list)
			index[k] = i
			list = append(list, batch{name: p.Name, order: t.orders[p.OrderID], kind: now.Kind, code: p.Code, first: p.ID,
				waiting: k.waiting, dry: dry})
		}
		if list[i].name != p.Name { // parts of one item: by the item's name
			list[i].name, _, _ = strings.Cut(p.Name, ", ")
		}
		list[i].n++
		list[i].minutes += now.PlannedMin
		if until.After(list[i].since) {
			list[i].since = until
		}
	}
	return list
}

// batchTask is what a batch asks for: hands now, or a look at the clock.
func (t *today) batchTask(b batch) (rank int, at time.Time, task Task) {
	m, of := b.kind.Traits(), "Order "+b.order.Number
	name, take := b.name, "Take it"
	if b.n > 1 {
		name, take = fmt.Sprintf("%s, %d pieces", b.name, b.n), "Take them"
	}
	if b.waiting {
		return rankWait, b.since, Task{Tone: ToneWait, When: t.clock(b.since), Title: studio.UpperFirst(b.dry) + ": " + name, Link: "/bench/" + b.code, Action: "See",
			Detail: fmt.Sprintf("%s. Then: %s, about %s.", of, studio.LowerFirst(m.Do), studio.Hours(b.minutes))}
	}
	task = Task{Tone: ToneReady, When: "ready", Title: m.Do + ": " + name, Link: "/bench/" + b.code, Action: take, Detail: fmt.Sprintf("%s, about %s.", of, studio.Hours(b.minutes))}
	if b.dry != "" && !b.since.IsZero() {
		task.When = "since " + t.clock(b.since)
		task.Detail = studio.UpperFirst(b.dry) + ". " + task.Detail
	}
	if next, ok := t.next[b.first]; ok && next.Stage == b.kind { // the plan has an order for them
		task.Detail += fmt.Sprintf(" Planned for %s, %s.", t.clock(next.From), t.plan.Who(next))
		return rankReady, next.From, task
	}
	due := b.order.Wanted
	if due.IsZero() {
		due = t.s.Now.AddDate(1, 0, 0)
	}
	return rankReady, due, task
}
