// Package today says what to do first: it collects what waits for somebody's hands in every
// other room and ranks it by what is lost if it is left. It finds things, too.
package today

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"sakuji/app/backups"
	"sakuji/app/change"
	"sakuji/app/pieces"
	"sakuji/app/plan"
	"sakuji/app/plates"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where a day begins.
type Room struct {
	change.Base
	backups *backups.Room
	plan    *plan.Room
}

// New makes the room.
func New(base change.Base, backups *backups.Room, p *plan.Room) *Room { return &Room{base, backups, p} }

// Tones say what kind of urgency a task has.
const (
	ToneLate    = "late"    // it costs if left
	ToneReady   = "ready"   // ready for hands
	ToneWait    = "wait"    // not before a time
	ToneMachine = "machine" // for a machine, or an answer
)

// Task is one thing to do, with its one action.
type Task struct {
	Tone   string
	When   string
	Title  string
	Detail string
	Action string
	Link   string
	Post   bool // following the link changes something: it is a button
	Owner  bool // for the owner only: it speaks of money
	rank   int
	at     time.Time
}

// Ranks: what loses most if it is left comes first.
const (
	rankSetUp = iota
	rankBackup
	rankMissing
	rankEmpty
	rankOverdue
	rankRisk
	rankAnswer
	rankStart
	rankReady
	rankLay
	rankScrapped
	rankDeliver
	rankQuote
	rankDeposit
	rankWait
)

// Promise is an accepted order and what stands between it and its date.
type Promise struct {
	Order    studio.Order
	Open     int     // pieces still in work
	HandsMin float64 // left
	Earliest time.Time
	Late     bool
	SlackMin float64 // negative when late
}

// MachineBar is a machine's runs around now.
type MachineBar struct {
	Machine studio.Machine
	State   string // until when it runs, since when it stands
	Runs    []BarRun
}

// BarRun is a run as shares of the bar's length.
type BarRun struct {
	From, To float64
	Plate    int
}

// NightMark is something that happened while nobody was here.
type NightMark struct {
	At   time.Time
	Text string
	Tone string
}

// TodaySheet is what a person opening the studio sees first.
type TodaySheet struct {
	Studio   studio.Studio
	Tasks    []Task
	Machines []MachineBar
	Promises []Promise
	Night    []NightMark
	From     time.Time // the night line's start
	Caution  string
	Now      time.Time
}

// Today works out what to do first.
func (a *Room) Today(ctx context.Context) (s TodaySheet, err error) {
	s.Now = a.Clock.Now()
	planned, _ := a.plan.Latest(ctx) // as it was before what happened last, where it is not made again yet
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err := setup.Load(tx)
		if err != nil {
			return err
		}
		s.Studio = h.Studio
		t := today{tx: tx, h: h, s: &s, zone: h.Studio.Zone(), copies: a.backups, plan: planned, next: planned.Next()}
		for _, part := range []func() error{t.load, t.setUp, t.backups, t.plates, t.promises, t.answers, t.bench, t.clocks, t.desk, t.machines, t.night} {
			if err := part(); err != nil {
				return err
			}
		}
		return nil
	})
	slices.SortStableFunc(s.Tasks, func(a, b Task) int {
		return cmp.Or(cmp.Compare(a.rank, b.rank), a.at.Compare(b.at))
	})
	return s, err
}

// today collects the sheet.
type today struct {
	tx     *store.Tx
	h      studio.Shop
	s      *TodaySheet
	zone   *time.Location
	copies *backups.Room
	plts   []studio.Plate
	pieces []studio.Piece // not yet done
	ready  map[int64]studio.Readiness
	orders map[int64]studio.Order
	plan   plan.Sheet
	next   map[int64]plan.Task // of each piece, by the plan
}

func (t *today) add(rank int, at time.Time, task Task) {
	task.rank, task.at = rank, at
	t.s.Tasks = append(t.s.Tasks, task)
}

func (t *today) load() (err error) {
	if t.plts, err = t.tx.Plates(studio.PlateLaid, studio.PlateRunning, studio.PlateFinished); err != nil {
		return err
	}
	if t.pieces, err = t.tx.PiecesIn(studio.InWork()...); err != nil {
		return err
	}
	if t.ready, err = pieces.Readiness(t.tx, t.s.Now, t.pieces); err != nil {
		return err
	}
	list, err := t.tx.Orders()
	t.orders = map[int64]studio.Order{}
	for _, o := range list {
		t.orders[o.ID] = o
	}
	return err
}

// clock writes a time: the hour today, the day with it otherwise.
func (t *today) clock(at time.Time) string {
	return studio.ClockText(at.In(t.zone), t.s.Now.In(t.zone))
}

func (t *today) plates() error {
	for _, p := range t.plts {
		machine, _ := t.h.Machine(p.MachineID)
		link := fmt.Sprintf("/plates/%d", p.Number)
		hands := t.h.EmptyMin(len(p.Pieces))
		next := ""
		for _, q := range t.plts {
			if q.MachineID == p.MachineID && q.State == studio.PlateLaid {
				next = fmt.Sprintf(" Plate %d is ready to follow it.", q.Number)
			}
		}
		detail := fmt.Sprintf("%s, about %s of hands. %s stands idle.%s", studio.Say(len(p.Pieces), "piece"), studio.HandsText(hands), machine.Name, next)
		switch {
		case p.State == studio.PlateFinished:
			t.s.Caution = fmt.Sprintf("Plate %d: %s", p.Number, process.Of(machine.Process).AtPlate)
			t.add(rankEmpty, p.Run.Ended, Task{Tone: ToneLate, When: "since " + t.clock(p.Run.Ended), Title: fmt.Sprintf("Empty %s: plate %d is finished", machine.Name, p.Number),
				Detail: detail, Action: "Empty plate", Link: link})
		case p.State == studio.PlateRunning && p.Run.Asks() != "":
			t.add(rankMissing, p.Run.Missed, Task{Tone: ToneLate, When: "since " + t.clock(p.Run.Missed), Title: fmt.Sprintf("%s does not show plate %d any more", machine.Name, p.Number),
				Detail: p.Run.Asks() + " Look at it, and say whether it goes on, has failed, or is started again.", Action: "Say so", Link: link})
		case p.State == studio.PlateRunning && !t.s.Now.Before(p.Run.Due()):
			t.add(rankOverdue, p.Run.Due(), Task{Tone: ToneLate, When: "since " + t.clock(p.Run.Due()), Title: fmt.Sprintf("%s should be done with plate %d", machine.Name, p.Number),
				Detail: "Note when it ended, and empty it. " + detail, Action: "Empty plate", Link: link})
		case p.State == studio.PlateLaid && !t.busy(p.MachineID):
			t.add(rankStart, p.Created, Task{Tone: ToneMachine, When: "ready", Title: fmt.Sprintf("Start plate %d on %s", p.Number, machine.Name),
				Detail: studio.Say(len(p.Pieces), "piece") + ". " + machine.Name + " stands idle.", Action: "Start it", Link: link})
		}
	}
	return nil
}

func (t *today) busy(machineID int64) bool {
	return slices.ContainsFunc(t.plts, func(p studio.Plate) bool {
		return p.MachineID == machineID && (p.State == studio.PlateRunning || p.State == studio.PlateFinished)
	})
}

// promises works out, for every accepted order, when it is ready: by the plan, or, of what the plan does not
// have yet, by hours and hands alone, other orders not counted.
func (t *today) promises() error {
	left, err := t.runsLeft()
	if err != nil {
		return err
	}
	ahead, open := studio.ChainsOf(t.pieces, t.s.Now, left)
	for _, o := range t.byNumber() {
		if o.State != studio.Accepted || len(ahead[o.ID]) == 0 {
			continue
		}
		pr := Promise{Order: o, Open: open[o.ID], Earliest: schedule.Earliest(t.s.Now, ahead[o.ID], t.h.Hours())}
		how := "with its waits it is ready %s at the earliest"
		if at := t.plan.Ready(o.ID); !at.IsZero() {
			pr.Earliest, how = at, "by the plan it is ready %s"
		}
		for _, steps := range ahead[o.ID] {
			for _, s := range steps {
				pr.HandsMin += s.HandsMin
			}
		}
		if !o.Wanted.IsZero() {
			pr.SlackMin = o.Wanted.Sub(pr.Earliest).Minutes()
			pr.Late = pr.SlackMin < 0
		}
		t.s.Promises = append(t.s.Promises, pr)
		risk := "/orders/" + o.Number
		if !t.plan.Ready(o.ID).IsZero() {
			risk = "/plan/possible/" + o.Number
		}
		if pr.Late {
			t.add(rankRisk, o.Wanted, Task{Tone: ToneLate, When: "due " + t.clock(o.Wanted), Title: fmt.Sprintf("%s cannot be ready in time", o.Title),
				Detail: fmt.Sprintf("Order %s: %s left, %s of hands; "+how+".", o.Number, studio.Say(pr.Open, "piece"), studio.HandsText(pr.HandsMin), t.clock(pr.Earliest)),
				Action: "Look", Link: risk})
		}
	}
	slices.SortFunc(t.s.Promises, func(a, b Promise) int {
		return cmp.Or(cmp.Compare(noDate(a.Order), noDate(b.Order)), a.Order.Wanted.Compare(b.Order.Wanted), cmp.Compare(a.Order.Number, b.Order.Number))
	})
	return nil
}

func noDate(o studio.Order) int {
	if o.Wanted.IsZero() {
		return 1
	}
	return 0
}

// runsLeft is how many minutes of machine are still ahead of each unprinted piece.
func (t *today) runsLeft() (map[int64]float64, error) {
	out := map[int64]float64{}
	for _, pl := range t.plts {
		for _, o := range pl.Pieces {
			if pl.Run != nil {
				out[o.PieceID] = pl.Run.Left(t.s.Now)
			}
		}
	}
	type spec struct {
		model, standing int64
		scale           float64
		profile         studio.PrintProfile
	}
	known := map[spec]float64{}
	for _, p := range t.pieces {
		if _, running := out[p.ID]; running || p.State == studio.AtBench {
			continue
		}
		key := spec{p.ModelID, p.OrientationID, p.Scale, p.Profile}
		if _, ok := known[key]; !ok {
			models, err := t.tx.PieceModels(p)
			if err != nil {
				return nil, err
			}
			machine, _, ok := t.h.MachineFor(models[p.ID], p.Scale, p.Process, p.MaterialID)
			material, _ := t.h.Material(p.MaterialID, p.Process)
			if ok {
				known[key] = t.h.PrintOf(p.Copy(models[p.ID]), machine, material).Minutes
			}
		}
		out[p.ID] = known[key]
	}
	return out, nil
}

func (t *today) answers() error {
	answers, err := t.tx.UnseenAnswers()
	if err != nil {
		return err
	}
	for _, q := range answers {
		o := t.orders[q.OrderID]
		task := Task{Tone: ToneMachine, When: t.clock(q.Answered), Title: fmt.Sprintf("%s has accepted: %s", o.Client, o.Title),
			Detail: fmt.Sprintf("Order %s, %s. Its pieces wait for plates; the deposit is %s.", o.Number, q.Total(), q.Deposit()), Action: "Look", Link: "/orders/" + o.Number + "/seen", Post: true, Owner: true}
		if q.State == studio.QuoteDeclined {
			task.Title, task.Detail = fmt.Sprintf("%s has declined: %s", o.Client, o.Title), fmt.Sprintf("Order %s, %s.", o.Number, q.Total())
		}
		t.add(rankAnswer, q.Answered, task)
	}
	asked, err := t.tx.OpenAsked()
	for _, p := range asked {
		o := t.orders[p.OrderID]
		if !o.Open() {
			continue
		}
		t.add(rankAnswer, p.At, Task{Tone: ToneMachine, When: t.clock(p.At), Title: fmt.Sprintf("%s asks: %s", o.Client, studio.Short(p.Text, 70)),
			Detail: fmt.Sprintf("Order %s, %s. The answer shows on the client’s page.", o.Number, o.Title), Action: "Answer", Link: "/orders/" + o.Number + "#points", Owner: true})
	}
	return err
}

// byNumber are the orders in the order of their numbers: the sheet reads the same each time.
func (t *today) byNumber() []studio.Order {
	return slices.SortedFunc(maps.Values(t.orders), func(a, b studio.Order) int { return cmp.Compare(a.Number, b.Number) })
}

// desk is what waits at the desk: plates to lay, quotes to send, deposits, orders
// that are complete.
func (t *today) desk() error {
	groups, _, err := plates.Waiting(t.tx, t.h)
	if err != nil {
		return err
	}
	for _, g := range groups {
		for _, m := range g.Machines {
			if !t.busy(m.ID) && !slices.ContainsFunc(t.plts, func(p studio.Plate) bool { return p.MachineID == m.ID }) {
				t.add(rankLay, t.s.Now, Task{Tone: ToneMachine, When: "idle", Title: fmt.Sprintf("Lay a plate for %s", m.Name),
					Detail: fmt.Sprintf("%s for %s.", studio.Say(len(g.Pieces), "piece")+" wait", g.Material.Name), Action: "Lay it", Link: "/plates"})
				break
			}
		}
	}
	for _, o := range t.byNumber() {
		if o.State == studio.Enquiry {
			t.add(rankQuote, o.Created, Task{Tone: ToneMachine, When: "enquiry", Title: fmt.Sprintf("%s waits for a price: %s", o.Client, o.Title),
				Detail: fmt.Sprintf("Order %s, came in %s.", o.Number, t.clock(o.Created)), Action: "Price it", Link: "/orders/" + o.Number, Owner: true})
		}
	}
	return t.accepted()
}

// accepted looks at the accepted orders: pieces scrapped, orders complete, deposits
// owed.
func (t *today) accepted() error {
	pieces, err := t.tx.PiecesOfOrders(studio.Accepted)
	if err != nil {
		return err
	}
	open, live := map[int64]int{}, map[int64]int{}
	for _, p := range pieces {
		o := t.orders[p.OrderID]
		if p.Counts() {
			live[o.ID]++
			if p.State != studio.PieceDone {
				open[o.ID]++
			}
		}
		if p.Short(pieces) {
			open[o.ID]++
			t.add(rankScrapped, o.Wanted, Task{Tone: ToneLate, When: "short", Title: fmt.Sprintf("%s was scrapped: %s", p.Code, p.Name),
				Detail: "Print it again, or record that the client does without.", Action: "Decide", Link: "/orders/" + o.Number + "/delivery", Owner: true})
		}
	}
	for id, n := range live {
		if o := t.orders[id]; open[id] == 0 {
			t.add(rankDeliver, o.Wanted, Task{Tone: ToneReady, When: "complete", Title: fmt.Sprintf("Deliver %s to %s", o.Title, o.Client),
				Detail: fmt.Sprintf("Order %s: %s done and packed.", o.Number, studio.Say(n, "piece")), Action: "Deliver", Link: "/orders/" + o.Number + "/delivery"})
		}
	}
	quotes, err := t.tx.AcceptedQuotes()
	if err != nil {
		return err
	}
	paid, err := t.tx.Paid()
	for _, q := range quotes {
		o := t.orders[q.OrderID]
		money := func(minor int64) studio.Money { return studio.Money{Minor: minor, Currency: q.Currency} }
		switch open := q.TotalMinor - paid[o.ID]; {
		case o.State == studio.Accepted && paid[o.ID] < q.DepositMinor:
			t.add(rankDeposit, q.Answered, Task{Tone: ToneWait, When: "deposit", Title: fmt.Sprintf("%s owes the deposit for %s", o.Client, o.Title),
				Detail: fmt.Sprintf("Order %s, accepted %s: %s of %s.", o.Number, t.clock(q.Answered), money(q.DepositMinor-paid[o.ID]), q.Total()),
				Action: "It arrived", Link: "/orders/" + o.Number + "#money", Owner: true})
		case o.State == studio.Delivered && open > 0:
			t.add(rankDeposit, o.Delivered, Task{Tone: ToneWait, When: "rest", Title: fmt.Sprintf("%s still owes %s for %s", o.Client, money(open), o.Title),
				Detail: fmt.Sprintf("Order %s, delivered %s: %s paid of %s.", o.Number, t.clock(o.Delivered), money(paid[o.ID]), q.Total()),
				Action: "It arrived", Link: "/orders/" + o.Number + "#money", Owner: true})
		}
	}
	return err
}

// The machines' bars reach from half a day back to half a day ahead.
const barBack, barAhead = 12 * time.Hour, 12 * time.Hour

// BarNow is where now lies on a machine's bar, 0..1.
const BarNow = float64(barBack) / float64(barBack+barAhead)

func (t *today) machines() error {
	from := t.s.Now.Add(-barBack)
	runs, err := t.tx.RunsSince(from)
	if err != nil {
		return err
	}
	numbers := map[int64]int{}
	for _, p := range t.plts {
		numbers[p.ID] = p.Number
	}
	for _, m := range t.h.Machines {
		if !m.Active {
			continue
		}
		bar := MachineBar{Machine: m, State: "stands idle"}
		for _, r := range runs {
			if r.MachineID != m.ID {
				continue
			}
			end := r.Due()
			switch {
			case !r.Ended.IsZero():
				end = r.Ended
				bar.State = "idle since " + t.clock(r.Ended)
			case end.Before(t.s.Now):
				end = t.s.Now
				bar.State = "should be done"
			default:
				bar.State = "until " + t.clock(end)
			}
			share := func(at time.Time) float64 {
				return max(0, min(1, float64(at.Sub(from))/float64(barBack+barAhead)))
			}
			bar.Runs = append(bar.Runs, BarRun{share(r.Started), share(end), numbers[r.PlateID]})
		}
		t.s.Machines = append(t.s.Machines, bar)
	}
	return nil
}

// night collects what happened since yesterday evening at six.
func (t *today) night() error {
	y, m, d := t.s.Now.In(t.zone).Date()
	t.s.From = time.Date(y, m, d-1, 18, 0, 0, 0, t.zone)
	entries, err := t.tx.LogOf(t.s.From, "run started", "run ended", "quote accepted", "quote declined", "client asks")
	if err != nil {
		return err
	}
	for _, e := range entries {
		if !e.At.Before(t.s.Now) { // the demo's morning is before its evening
			break
		}
		mark := NightMark{At: e.At, Tone: ToneMachine}
		switch e.Event {
		case "run started":
			mark.Text = fmt.Sprintf("plate %d started", e.Plate)
		case "run ended":
			mark.Text, mark.Tone = fmt.Sprintf("plate %d ended", e.Plate), ToneLate
		case "client asks":
			mark.Text = "a question on " + e.Order
		default:
			mark.Text = e.Order + " " + strings.TrimPrefix(e.Event, "quote ")
		}
		t.s.Night = append(t.s.Night, mark)
	}
	waits, err := t.tx.WaitsSince(t.s.From)
	for i, st := range waits {
		if !st.Until.Before(t.s.Now) {
			break
		}
		if i > 0 && waits[i-1].Kind == st.Kind && st.Until.Sub(waits[i-1].Until) < 30*time.Minute {
			continue // a batch is one mark
		}
		t.s.Night = append(t.s.Night, NightMark{At: st.Until, Text: st.Kind.Traits().Dry, Tone: ToneReady})
	}
	slices.SortStableFunc(t.s.Night, func(a, b NightMark) int { return a.At.Compare(b.At) })
	return err
}

// NextEvent is the next time that something ends by itself: a run, or a wait at
// the bench; ok is false when nothing does.
func (a *Room) NextEvent(ctx context.Context) (at time.Time, ok bool, err error) {
	now := a.Clock.Now()
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		see := func(t time.Time) {
			if t.After(now) && (!ok || t.Before(at)) {
				at, ok = t, true
			}
		}
		plates, err := tx.Plates(studio.PlateRunning)
		if err != nil {
			return err
		}
		for _, p := range plates {
			see(p.Run.Due())
		}
		pieces, err := tx.PiecesIn(studio.AtBench)
		for _, p := range pieces {
			see(p.Strip().Until())
		}
		return err
	})
	return at, ok, err
}
