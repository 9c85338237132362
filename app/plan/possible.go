package plan

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/schedule"
	"sakuji/store"
	"sakuji/studio"
)

// Possible is what might have an order ready in time: each way is planned.
type Possible struct {
	Order   studio.Order
	Shop    studio.Shop
	Planned time.Time // by the plan as it is
	Alone   time.Time // at the soonest, if nothing else were in the house
	Asked   bool      // it is asked for, and not in the plan yet
	Late    int       // orders that are late by the plan as it is
	Chain   []ChainStep
	Ways    []PossibleWay
	Other   studio.OtherMachine // that was tried
}

// ChainStep is a step of what fixes the date: the next could not begin before it was over, by what it waits
// for, or for its hands or machine.
type ChainStep struct {
	From, To, WaitTo time.Time // WaitTo: until when the next waits for it to dry; To, where it does not
	Title, Who       string
	Of               studio.Order // another one, where it is not this one's
}

// PossibleWay is one of them.
type PossibleWay struct {
	Name      string
	Ready     time.Time
	InDue     bool  // in time
	Late      int   // orders that are late by it, this one counted
	CostMinor int64 // more than as it is; less than 0: saved
	Price     bool  // that is what the client pays, not what it costs
	For       string
}

// tryLaid is how much is looked for a way, beyond the rules, in tasks laid.
const tryLaid = 6_000

// Possible tries them for an order: one that was accepted is in the plan; one that is asked for comes with what
// its items take, and in what other ways it might be made. With a machine like another one, where that is named.
func (a *Room) Possible(ctx context.Context, o studio.Order, asked []AskedWay, other studio.OtherMachine, upTo time.Duration) (Possible, error) {
	if err := other.Check().Err(); err != nil {
		return Possible{}, change.Refused(err)
	}
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return Possible{}, err
	}
	if _, known := s.Orders[o.ID]; len(s.People) == 0 || !known && len(asked) == 0 {
		return Possible{}, store.ErrNotFound
	}
	key := fmt.Sprintf("possible %d %s %+v", o.ID, s.key, other)
	return jobs.Ask(ctx, &a.answers, key, upTo, func(ctx context.Context) (Possible, error) { return a.possible(ctx, s, o, asked, other) })
}

// trying is a way before it is planned.
type trying struct {
	name  string
	shop  studio.Shop
	in    studio.Planning
	asked Asked                                                                   // what an order that is asked for takes so; nil: as it is
	price bool                                                                    // costs are what the client pays more
	costs func(p *schedule.Problem, plan schedule.Plan) (minor int64, why string) // nil: nothing
}

// possible plans each way.
func (a *Room) possible(ctx context.Context, s Sheet, o studio.Order, others []AskedWay, other studio.OtherMachine) (out Possible, err error) {
	var asked Asked
	if len(others) > 0 {
		asked, others = others[0].Steps, others[1:]
	}
	in := s.in
	if o.State == studio.Accepted { // it is in the plan; made otherwise its pieces are not
		asked = nil
		if in, err = a.without(ctx, s, o); err != nil {
			return out, err
		}
	}
	out = Possible{Order: o, Shop: s.Shop, Late: len(s.Late), Asked: len(asked) > 0}
	p, plan, job := s.problem, s.best, jobOf(s.problem, o)
	if out.Asked {
		if p, plan, _, err = s.fitted(ctx, asked); err != nil {
			return out, change.Refuse("What it takes fits nowhere: %v.", err)
		}
		job = len(p.Jobs) - 1
	}
	out.Planned, out.Chain = s.over(p, plan, job), s.chain(p, plan, job, o.ID)
	alone := s.afresh(nil)
	if out.Asked {
		asking{s.Shop, s.People}.add(alone, asked, schedule.Job{Name: o.Number})
	}
	out.Alone = s.Now.Add(time.Duration(alone.Soonest()[job]) * time.Second)
	if other.LikeID == 0 {
		other.LikeID = s.machineOf(o.ID, asked)
	}
	out.Other = other
	more, err := a.machineMore(ctx, s, other)
	if err != nil {
		return out, err
	}
	turned, err := a.turned(ctx, s, o)
	if err != nil {
		return out, err
	}
	for _, w := range slices.Concat(s.ways(o, out.Chain), s.otherwise(in, others, out.Asked), turned, more) {
		if w.asked == nil {
			w.asked = asked
		}
		way, err := s.try(ctx, w, o)
		if err != nil {
			return out, err
		}
		out.Ways = append(out.Ways, way)
	}
	return out, nil
}

// otherwise are the other ways to make an order, beside all else.
func (s Sheet) otherwise(in studio.Planning, list []AskedWay, price bool) (out []trying) {
	for _, w := range list {
		out = append(out, trying{name: w.Name, shop: s.Shop, in: in, asked: w.Steps, price: price, costs: func(*schedule.Problem, schedule.Plan) (int64, string) { return w.MoreMinor, "material and hands" }})
	}
	return out
}

// without is what is planned without an order.
func (a *Room) without(ctx context.Context, s Sheet, o studio.Order) (studio.Planning, error) {
	in := s.in
	foreseen, err := a.plates.ForeseenWithout(ctx, o.ID)
	in.Plates = append(slices.DeleteFunc(slices.Clone(in.Plates), foreseenPlate), foreseen...)
	in.Pieces = slices.DeleteFunc(slices.Clone(in.Pieces), func(p studio.Piece) bool { return p.OrderID == o.ID })
	return in, err
}

// jobOf is an order's job; −1: the problem has none.
func jobOf(p *schedule.Problem, o studio.Order) int {
	return slices.IndexFunc(p.Jobs, func(j schedule.Job) bool { return j.Name == o.Number })
}

// chain is what fixes when a job is over, step by step.
func (s Sheet) chain(p *schedule.Problem, plan schedule.Plan, job int, orderID int64) (out []ChainStep) {
	at := func(sec int64) time.Time { return s.Now.Add(time.Duration(sec) * time.Second) }
	chain := p.Chain(plan, job)
	for k, i := range chain {
		x := plan.At[i]
		step := ChainStep{From: at(x.StartS), To: at(x.EndS), WaitTo: at(x.EndS + p.Tasks[i].WaitS), Title: p.Tasks[i].Name, Who: p.Resources[x.Resource].Name}
		if k+1 < len(chain) && !slices.Contains(p.Tasks[chain[k+1]].After, i) {
			step.WaitTo = step.To // the next had to have its hands, not its wait
		}
		if i < len(s.what) {
			step.Title = s.titled(s.what[i])
			if id := s.what[i].OrderID; id != orderID {
				step.Of = s.Orders[id]
			}
		}
		if n := len(out); n > 0 && out[n-1].Title == step.Title && out[n-1].Who == step.Who && out[n-1].Of.ID == step.Of.ID {
			out[n-1].To, out[n-1].WaitTo = step.To, step.WaitTo
			continue
		}
		out = append(out, step)
	}
	return out
}

// titled names a task, a run by its plate.
func (s Sheet) titled(what studio.PlanTask) string {
	if what.Doing != studio.RunOn {
		return s.titleOf(Task{PlanTask: what})
	}
	if n := s.Plates[what.Plate].Number; n != 0 {
		return fmt.Sprintf("plate %d", n)
	}
	return "a run"
}

// machineOf is the machine that has most to do for an order; 0: none has anything.
func (s Sheet) machineOf(orderID int64, asked Asked) (id int64) {
	for _, steps := range asked {
		for _, step := range steps {
			for _, m := range s.Shop.InUse() {
				if step.Pool == m.Process && m.Prints(step.MaterialID) {
					return m.ID
				}
			}
		}
	}
	of := map[int64]bool{}
	for _, p := range s.in.Pieces {
		of[p.ID] = p.OrderID == orderID
	}
	minutes := map[int64]float64{}
	for _, pl := range s.Plates {
		if slices.ContainsFunc(pl.Pieces, func(id int64) bool { return of[id] }) {
			if minutes[pl.MachineID] += pl.Minutes; minutes[pl.MachineID] > minutes[id] || id == 0 {
				id = pl.MachineID
			}
		}
	}
	return id
}

// ways are what hands, hours and orders allow.
func (s Sheet) ways(o studio.Order, chain []ChainStep) (out []trying) {
	hours := s.Shop.Book.V("day.hours")
	longer := s.Shop
	longer.Book = longer.Book.With(map[rates.Key]float64{"day.hours": min(24, hours+2)})
	more, saturdays, first, all := s.in, s.in, s.in, s.in
	more.People = append(slices.Clone(s.in.People), studio.Person{ID: -1, Name: "one more"})
	saturdays.Saturdays = true
	first.First = o.ID
	all.People, all.Saturdays, all.First = more.People, true, o.ID
	out = []trying{{name: "this order before all others", shop: s.Shop, in: first}}
	if later := standsBefore(chain); later.ID != 0 {
		in := s.in
		in.Last = later.ID
		out = append(out, trying{name: later.Title + " later, it stands before this one", shop: s.Shop, in: in})
	}
	if name, in, saved, ok := s.cheaper(o.ID); ok {
		out = append(out, trying{name: name, shop: s.Shop, in: in, costs: func(*schedule.Problem, schedule.Plan) (int64, string) {
			return -s.minor(saved / 60), studio.HandsText(saved) + " of hands less"
		}})
	}
	return append(out,
		trying{name: "another pair of hands", shop: s.Shop, in: more, costs: s.oneMore},
		trying{name: fmt.Sprintf("%.0f h of work a day instead of %.0f", hours+2, hours), shop: longer, in: s.in, costs: s.overtime},
		trying{name: "Saturdays, too", shop: s.Shop, in: saturdays, costs: s.overtime},
		trying{name: "all hands and hours of these, before all others", shop: longer, in: all, costs: func(p *schedule.Problem, plan schedule.Plan) (int64, string) {
			a, _ := s.oneMore(p, plan)
			b, _ := s.overtime(p, plan)
			return a + b, "hands and overtime"
		}})
}

// minor is what so many hours of hands cost.
func (s Sheet) minor(hours float64) int64 {
	return quote.Minor(hours*s.Shop.Book.V("wage"), studio.Digits(s.Shop.Studio.Currency))
}

// oneMore is what the person costs who came last.
func (s Sheet) oneMore(p *schedule.Problem, plan schedule.Plan) (int64, string) {
	r, busy := len(p.Resources)-1, int64(0)
	for _, x := range plan.At {
		if x.Resource == r {
			busy += p.Resources[r].Hours.OpenS(x.StartS, x.EndS)
		}
	}
	return s.minor(float64(busy) / 3600), studio.HandsText(float64(busy)/60) + " of their hands"
}

// overtime is what hours cost more that lie outside the usual ones.
func (s Sheet) overtime(p *schedule.Problem, plan schedule.Plan) (int64, string) {
	first, outside := len(s.problem.Resources)-len(s.People), int64(0)
	for _, x := range plan.At {
		if k := x.Resource; k >= first && k < len(s.problem.Resources) {
			outside += p.Resources[k].Hours.OpenS(x.StartS, x.EndS) - s.problem.Resources[k].Hours.OpenS(x.StartS, x.EndS)
		}
	}
	hours := float64(max(0, outside)) / 3600
	return s.minor(hours * s.Shop.Book.V("overtime") / 100), studio.HandsText(60*hours) + " outside the usual hours"
}

// standsBefore is the other order that takes most of the time on the chain that fixes an order's date.
func standsBefore(chain []ChainStep) (o studio.Order) {
	long := map[int64]time.Duration{}
	most := time.Duration(0)
	for _, c := range chain {
		if long[c.Of.ID] += c.To.Sub(c.From); c.Of.ID != 0 && long[c.Of.ID] > most {
			most, o = long[c.Of.ID], c.Of
		}
	}
	return o
}

// cheaper is the order at the next cheaper tier: what of its pieces is still to be painted is left, or, where
// nothing is painted, what is to be smoothed. saved is in minutes of hands.
func (s Sheet) cheaper(orderID int64) (name string, in studio.Planning, saved float64, ok bool) {
	smooth := func(k route.StageKind) bool {
		return k.Traits().Craft == route.Smoothing || k == route.Prime
	}
	for _, tier := range []struct {
		name  string
		drops func(route.StageKind) bool
	}{{route.TierName(route.Primed) + " instead of painted", route.Colours}, {route.TierName(route.Raw) + " instead of smoothed", smooth}} {
		in, saved = s.in, 0
		in.Pieces = slices.Clone(s.in.Pieces)
		for i, p := range in.Pieces {
			if p.OrderID != orderID {
				continue
			}
			in.Pieces[i].Stages = nil
			for _, st := range p.Stages {
				if st.Mark == route.Todo && tier.drops(st.Kind) {
					saved += st.PlannedMin
					continue
				}
				in.Pieces[i].Stages = append(in.Pieces[i].Stages, st)
			}
		}
		if saved > 0 {
			return tier.name, in, saved, true
		}
	}
	return "", in, 0, false
}

// turned is the way with what of the order still waits for a plate turned as it prints fastest.
func (a *Room) turned(ctx context.Context, s Sheet, o studio.Order) ([]trying, error) {
	foreseen, names, err := a.plates.ForeseenTurned(ctx, o.ID)
	if err != nil || len(names) == 0 {
		return nil, err
	}
	in := s.in
	in.Plates = append(slices.DeleteFunc(slices.Clone(s.in.Plates), foreseenPlate), foreseen...)
	return []trying{{name: strings.Join(names, ", ") + " turned as it prints fastest", shop: s.Shop, in: in, costs: func(*schedule.Problem, schedule.Plan) (int64, string) {
		return 0, "with the supports and scars that its sheet shows for that"
	}}}, nil
}

// foreseenPlate reports whether nobody has laid a plate yet.
func foreseenPlate(pl studio.PlannedPlate) bool { return pl.Number == 0 }

// machineMore is the way with another machine: what waits is packed again for all of them.
func (a *Room) machineMore(ctx context.Context, s Sheet, other studio.OtherMachine) ([]trying, error) {
	like, ok := s.Shop.Machine(other.LikeID)
	if !ok || other.LikeID == 0 {
		return nil, nil
	}
	m := other.Machine(like)
	foreseen, err := a.plates.Foreseen(ctx, m)
	if err != nil {
		return nil, err
	}
	h, in := s.Shop, s.in
	h.Machines = append(slices.Clone(h.Machines), m)
	in.Plates = append(slices.DeleteFunc(slices.Clone(s.in.Plates), foreseenPlate), foreseen...)
	return []trying{{name: m.Name, shop: h, in: in, costs: func(*schedule.Problem, schedule.Plan) (int64, string) {
		return quote.Minor(m.Figures.V("price"), studio.Digits(s.Shop.Studio.Currency)), "the machine"
	}}}, nil
}

// try plans the studio in a way.
func (s Sheet) try(ctx context.Context, w trying, o studio.Order) (PossibleWay, error) {
	in := w.in
	in.Agreed, in.Keep = nil, false // what if it were so from the beginning
	problem, _ := w.shop.Problem(in)
	if len(w.asked) > 0 {
		job := schedule.Job{Name: o.Number}
		if !o.Wanted.IsZero() {
			job.DueS = max(1, int64(o.Wanted.Sub(s.Now).Seconds()))
		}
		if in.First == o.ID {
			job.DueS, job.Weight = 1, rushWeight
		}
		asking{w.shop, in.People}.add(problem, w.asked, job)
	}
	search, err := schedule.NewSearch(problem, rand.New(rand.NewPCG(1, 1)))
	if err != nil {
		return PossibleWay{}, err
	}
	if err := search.Look(ctx, tryLaid); err != nil {
		return PossibleWay{}, err
	}
	plan := search.Best()
	job := jobOf(problem, o)
	way := PossibleWay{Name: strings.TrimSpace(w.name), Price: w.price, Ready: s.over(problem, plan, job)}
	way.InDue = !o.Wanted.IsZero() && !way.Ready.After(o.Wanted)
	for _, l := range problem.Late(plan) {
		if l.Job != job { // its own day may be another for this
			way.Late++
		}
	}
	if !way.InDue && !o.Wanted.IsZero() {
		way.Late++
	}
	if w.costs != nil {
		way.CostMinor, way.For = w.costs(problem, plan)
	}
	return way, nil
}

// Cost is what it costs more, in words.
func (p Possible) Cost(w PossibleWay) string {
	m := p.Shop.Studio.Money(int64(math.Abs(float64(w.CostMinor))))
	switch {
	case w.Price && w.CostMinor > 0:
		return m.String() + " more in its price"
	case w.Price:
		return m.String() + " less in its price"
	case w.CostMinor > 0:
		return m.String() + " for " + w.For
	case w.CostMinor < 0:
		return "saves " + m.String() + ", " + w.For
	case w.For != "":
		return w.For
	}
	return ""
}
