package demo

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"sakuji/app/change"
	"sakuji/app/delivery"
	"sakuji/app/money"
	"sakuji/app/pieces"
	"sakuji/app/plates"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// life is the studio being lived through: a day has two or three pairs of hands,
// who empty plates, lay new ones and stamp what they have done.
type life struct {
	*Demo
	ctx      context.Context
	rand     *rand.Rand
	ilse     change.Actor
	jory     change.Actor
	maren    change.Actor
	files    map[string][]byte
	orders   map[string]string        // number by nickname
	recipes  map[string]studio.Recipe // by name
	happened map[string]bool          // mishaps, by what is said of them
	came     int                      // lots that came
	spare    map[int64]float64        // minutes of hands left, by person
}

// day is a moment of the demo's spring.
func day(month time.Month, d, h, m int) time.Time {
	return time.Date(2026, month, d, h, m, 0, 0, Morning().Location())
}

// live fills an empty folder.
func (d *Demo) live(ctx context.Context) error {
	l := &life{Demo: d, ctx: ctx, rand: rand.New(rand.NewPCG(seed, 1)), orders: map[string]string{}, spare: map[int64]float64{}, happened: map[string]bool{}}
	d.clock.Set(day(time.April, 17, 10, 0))
	l.carve()
	for _, part := range []func() error{l.house, l.april, l.may, l.lastNight} {
		if err := part(); err != nil {
			return err
		}
	}
	return nil
}

// carve makes all model files, on every processor.
func (l *life) carve() {
	l.files = map[string][]byte{}
	work := map[string]func() []byte{toad.file: scan, "acorn-tea-set.3mf": teaSet}
	for _, m := range append(allModel, loomAgain) {
		work[m.file] = m.carved
	}
	var mu sync.Mutex
	var wait sync.WaitGroup
	for file, make := range work {
		wait.Go(func() {
			data := make()
			mu.Lock()
			l.files[file] = data
			mu.Unlock()
		})
	}
	wait.Wait()
}

// tuned is what was found on the machines when they were new, and what was done to them.
func (l *life) tuned() error {
	h, err := l.App.Setup.Shop(l.ctx)
	if err != nil {
		return err
	}
	id := map[string]int64{}
	for _, m := range h.Machines {
		id[m.Name] = m.ID
	}
	for _, m := range h.Materials {
		id[m.Name] = m.ID
	}
	for _, t := range []studio.Tuning{
		{MachineID: id["Tarn"], Did: "plate levelled, feet set on felt", HandsMin: 25},
		{MachineID: id["Beck"], MaterialID: id["Grey standard resin"], Did: "second try with slower lift: nothing torn", HandsMin: 15, Grams: 18},
		{MachineID: id["Fell"], Did: "belts tightened, layers were shifting", HandsMin: 20},
		{MachineID: id["Holm"], Did: "first layer lowered by 0.05 mm", HandsMin: 10},
	} {
		if err := l.App.Plates.NoteTuning(l.ctx, l.jory, t); err != nil {
			return err
		}
	}
	if _, err := l.App.Plates.Calibrated(l.ctx, l.jory, id["Tarn"], plates.Tried{MaterialID: id["Clear resin"], HandsMin: 30, Grams: 12,
		Tried: process.Tried{Exposed: []process.Exposed{{ExposureS: 2.2, PinMM: 0.4, SlotMM: 0.25},
			{ExposureS: 2.6, PinMM: 0.35, SlotMM: 0.3}, {ExposureS: 3.2, PinMM: 0.3, SlotMM: 0.4}}}}); err != nil {
		return err
	}
	_, err = l.App.Plates.Calibrated(l.ctx, l.jory, id["Fell"],
		plates.Tried{MaterialID: id["PETG, white"], HandsMin: 10, Grams: 7,
			Tried: process.Tried{WallMM: []float64{0.46, 0.47, 0.46, 0.47}}})
	return err
}

func (l *life) house() error {
	p, err := l.App.Setup.FirstOwner(l.ctx, setup.PersonForm{Name: "Ilse Karg", Initials: "IK", Password: "larch-and-lantern"})
	if err != nil {
		return err
	}
	l.ilse = change.ActorOf(p)
	for _, f := range []struct {
		hand *change.Actor
		form setup.PersonForm
	}{
		{&l.jory, setup.PersonForm{Name: "Jory Tamm", Initials: "JT", Role: studio.Bench, Active: true,
			Crafts: []route.Craft{route.AtMachines, route.Smoothing, route.Joining, route.Coating}}},
		{&l.maren, setup.PersonForm{Name: "Maren Osk", Initials: "MO", Role: studio.Bench, Active: true,
			Crafts: []route.Craft{route.Smoothing, route.Joining, route.Coating, route.Painting, route.Making}}},
	} {
		p, err := l.App.Setup.SavePerson(l.ctx, l.ilse, 0, f.form)
		if err != nil {
			return err
		}
		*f.hand = change.ActorOf(p)
	}
	if err := l.App.Setup.SaveStudio(l.ctx, l.ilse, studio.Studio{Name: "Lantern & Larch", Address: "3 Candle Steps\nSorrel Vale", Email: "workshop@lantern-larch.example",
		TaxNumber: "SV 20 114", Currency: "EUR", TaxPercent: 20, TimeZone: zone, PublicURL: "https://quotes.lantern-larch.example", FirstOrder: 404}); err != nil {
		return err
	}
	if err := l.App.Setup.SaveRates(l.ctx, l.ilse, map[rates.Key]float64{"wage": 27.5, "failure.resin": 0.03, "failure.filament": 0.015,
		"sand.resin": 9}); err != nil {
		return err
	}
	if err := l.gear(); err != nil {
		return err
	}
	if err := l.tuned(); err != nil {
		return err
	}
	return l.clients()
}

// gear is what the studio works with.
func (l *life) gear() error {
	book := rates.Starting()
	for i, name := range []string{"Tarn", "Beck", "Fell", "Holm"} {
		k := book.Machines[i]
		if _, err := l.App.Setup.SaveMachine(l.ctx, l.ilse, 0, setup.GearForm{Name: name, Process: k.Process, From: k.Name, Active: true}); err != nil {
			return err
		}
	}
	for _, b := range []studio.Bath{{Name: "first wash", Litres: 4, StrengthPercent: 96}, {Name: "clean wash", Litres: 3, StrengthPercent: 99}} {
		if err := l.App.Stock.Filled(l.ctx, l.ilse, b); err != nil {
			return err
		}
	}
	for _, k := range book.Materials {
		m, err := l.App.Setup.SaveMaterial(l.ctx, l.ilse, 0, setup.GearForm{Name: k.Name, Process: k.Process, From: k.Name, Active: true})
		if err != nil {
			return err
		}
		if err := l.App.Stock.SetLeast(l.ctx, l.ilse, m.ID, map[string]float64{"Grey standard resin": 500, "PLA, matt grey": 750}[k.Name]); err != nil {
			return err
		}
	}
	return nil
}

// clients are those who order.
func (l *life) clients() error {
	for _, c := range []studio.Client{
		{Name: "Small Hours Puppet Opera", Email: "props@small-hours.example", Phone: "0170 55 01", Address: "Stage door, 11 Moonrake Lane\nSorrel Vale", Note: "Rehearsals until midnight: do not ring before ten."},
		{Name: "Verdance Row Seed Museum", Email: "curator@verdance-row.example", Address: "1 Verdance Row\nSorrel Vale"},
		{Name: "Moth Post Guild", Email: "board@moth-post.example", Address: "The Attic, 40 Tallow Street\nNether Sorrel"},
		{Name: "Odile Brackwater", Email: "odile@brackwater.example", Address: "Weir Cottage\nBrackwater"},
	} {
		if _, err := l.App.Orders.SaveClient(l.ctx, l.ilse, c); err != nil {
			return err
		}
	}
	return nil
}

// until lives through the time up to a moment, half an hour at a step.
func (l *life) until(end time.Time) error {
	for l.clock.Now().Before(end) {
		step := l.clock.Now().Truncate(30 * time.Minute).Add(30 * time.Minute)
		if step.After(end) {
			step = end
		}
		l.clock.Set(step)
		if err := l.printers.Drive(l.ctx, l.App); err != nil {
			return err
		}
		at := step.In(Morning().Location())
		if wd := at.Weekday(); wd == time.Saturday || wd == time.Sunday || at.Hour() < 9 || at.Hour() >= 18 {
			continue
		}
		if err := l.shift(at); err != nil {
			return err
		}
	}
	return nil
}

// shift is half an hour of the studio.
func (l *life) shift(at time.Time) error {
	if err := l.machines(at); err != nil {
		return err
	}
	for _, who := range []change.Actor{l.jory, l.maren, l.ilse} {
		l.spare[who.ID] = math.Min(60, l.spare[who.ID]+13) // the rest of the half hour goes to all that no stamp records
		if err := l.hands(who); err != nil {
			return err
		}
	}
	if at.Hour() < 17 {
		return nil
	}
	return l.deliver()
}

// machines empties what has finished and starts what waits.
func (l *life) machines(at time.Time) error {
	s, err := l.App.Plates.Plates(l.ctx)
	if err != nil {
		return err
	}
	for _, p := range s.Open {
		if p.State != studio.PlateFinished {
			continue
		}
		out := map[int64]studio.Outcome{}
		for _, o := range p.Pieces {
			out[o.PieceID] = studio.Outcome{What: studio.Good}
			if o.Report != "" && o.Report != studio.Good {
				out[o.PieceID] = studio.Outcome{What: studio.Failed, Cause: o.Report}
			}
		}
		if err := l.App.Plates.EmptyPlate(l.ctx, l.jory, p.Number, plates.Emptied{Outcomes: out}); err != nil {
			return err
		}
	}
	if s, err = l.App.Plates.Plates(l.ctx); err != nil {
		return err
	}
	for _, m := range s.Shop.Machines {
		if len(s.On(m.ID, studio.PlateRunning, studio.PlateFinished)) > 0 {
			continue
		}
		for _, g := range s.Waiting {
			if g.Process != m.Process {
				continue
			}
			number, _, err := l.App.Plates.LayPlate(l.ctx, l.jory, m.ID, g.Material.ID, g.Profile)
			var refusal *change.Refusal
			if errors.As(err, &refusal) {
				continue
			}
			if err != nil {
				return err
			}
			room := 20.4 + 2*l.rand.Float64()
			if at.Hour() < 10 {
				room -= 1.6
			}
			room = math.Round(room*10) / 10
			if err := l.start(number, room); err != nil {
				return err
			}
			break
		}
	}
	return nil
}

// start looks at what a run asks for, puts a held machine right, changes one thing for what failed
// before, and begins.
func (l *life) start(number int, roomC float64) error {
	s, err := l.App.Plates.PlateSheet(l.ctx, number)
	if err != nil {
		return err
	}
	if s.Hold != "" {
		cause := s.InRow[0]
		if cause == process.Unknown {
			cause = "wrong settings"
		}
		if err := l.App.Plates.PutRight(l.ctx, l.ilse, studio.Remedy{MachineID: s.Machine.ID, Cause: cause, Did: process.FaultOf(cause).Changes[0]}); err != nil {
			return err
		}
	}
	run := studio.Started{RoomC: &roomC, Changed: map[int64]string{}, Looked: map[string]bool{}}
	for i, c := range s.Ready {
		run.Looked[c.Key] = i != number%5 // now and then one is left out
	}
	for _, a := range s.Again {
		run.Changed[a.Piece.ID] = a.Fault.Changes[0]
	}
	if run.Lot, err = l.lot(s); err != nil {
		return err
	}
	return l.App.Plates.StartRun(l.ctx, l.jory, number, run)
}

// lot is the one that a run takes from: the first that has enough, or a new one that comes for it.
func (l *life) lot(s plates.PlateSheet) (studio.Lot, error) {
	for _, lot := range s.Lots {
		if lot.Short(s.Estimate.Grams, s.Now) == "" {
			return lot, nil
		}
		if lot.LeftG() > 60 { // it does for a smaller plate
			continue
		}
		if err := l.App.Stock.End(l.ctx, l.jory, lot.ID); err != nil {
			return lot, err
		}
	}
	l.came++
	err := l.App.Stock.Received(l.ctx, l.ilse, studio.Lot{MaterialID: s.Material.ID, Label: fmt.Sprintf("%s %d", map[string]string{process.Resin: "bottle", process.Filament: "spool"}[s.Machine.Process], l.came),
		Grams: 1000, PricePerKG: math.Round(s.Material.Figures.V("price") * (0.95 + 0.05*float64(l.came%3))), Expires: s.Now.AddDate(1, 0, 0)})
	if err != nil {
		return studio.Lot{}, err
	}
	again, err := l.App.Plates.PlateSheet(l.ctx, s.Plate.Number)
	if err != nil || len(again.Lots) == 0 {
		return studio.Lot{}, err
	}
	return again.Lots[len(again.Lots)-1], nil
}

// paints are the stages that Ilse does herself.
var paints = []route.StageKind{route.Base, route.Shade, route.Light, route.Detail, route.Clear, route.Sculpt, route.ClientYes, route.Revise, route.Judge, route.Flock}

// hands lets a person stamp what is ready, as far as the minutes reach.
func (l *life) hands(who change.Actor) error {
	for l.spare[who.ID] > 0 {
		s, err := l.App.Pieces.Bench(l.ctx, pieces.BenchReady, "")
		if err != nil {
			return err
		}
		at := slices.IndexFunc(s.Rows, func(r pieces.BenchRow) bool {
			return slices.Contains(paints, r.Now().Kind) == (who == l.ilse)
		})
		if at < 0 {
			return nil
		}
		row := s.Rows[at]
		if err := l.one(who, row); err != nil {
			return err
		}
	}
	return nil
}

// looked is what looks have found.
var looked = []studio.Flaw{
	{Kind: "seam", Cause: "putty sank", Text: "at the back", Verdict: studio.FlawBack, BackTo: route.Fill, Remedy: "two thin fillings"},
	{Kind: "pits", Cause: "supports torn out", Text: "on the base", Verdict: studio.FlawBack, BackTo: route.Fill, Remedy: "spot putty"},
	{Kind: "lines", Cause: "too little filler or skin", Text: "layer lines at the back", Verdict: studio.FlawBack, BackTo: route.Fill, Remedy: "filler primer, twice"},
}

// mishap is where one happened: in which order, at what stage.
type mishap struct {
	nick string
	at   route.StageKind
}

// mishaps are those of the spring while pieces were painted, each once.
var mishaps = map[mishap]studio.Flaw{
	{"old heron", route.Shade}: {Kind: "run", Cause: "too much at once, or too near", Text: "under the left cuff", Verdict: studio.FlawMended, Remedy: "sanded flat, coated again", Minutes: 18, Marked: true, X: 0.44, Y: 0.62},
	{"snails", route.Clear}:    {Kind: "print", Cause: "handled before it was dry", Text: "on the shell", Verdict: studio.FlawMended, Remedy: "polished out", Minutes: 6, Marked: true, X: 0.6, Y: 0.4},
	{"snails", route.Light}:    {Kind: "cover", Cause: "a coat too few for this pair", Text: "plum over skin", Verdict: studio.FlawMended, Remedy: "one more coat", Minutes: 9},
	{"orrery", route.Shade}:    {Kind: "spatter", Cause: "paint too thick, or a dirty needle", Text: "one wing tip", Verdict: studio.FlawMended, Remedy: "lifted while wet", Minutes: 4},
}

// nickOf is what an order is called here.
func (l *life) nickOf(number string) string {
	for nick, n := range l.orders {
		if n == number {
			return nick
		}
	}
	return ""
}

func (l *life) one(who change.Actor, row pieces.BenchRow) error {
	now := row.Now()
	if now.Kind == route.Look && row.Repeat == 0 && slices.Contains(row.Strip().BackTo(), route.Fill) && l.rand.Float64() < 0.22 {
		l.spare[who.ID] -= 2
		return l.App.Pieces.NoteFlaw(l.ctx, who, row.Code, looked[l.rand.IntN(len(looked))], "")
	}
	if f, ok := mishaps[mishap{l.nickOf(row.Order.Number), now.Kind}]; ok && !l.happened[f.Text] {
		l.happened[f.Text] = true
		if err := l.App.Pieces.NoteFlaw(l.ctx, who, row.Code, f, ""); err != nil || f.Verdict == studio.FlawBack {
			return err
		}
	}
	minutes := math.Max(1, math.Round(now.PlannedMin*math.Exp(0.26*l.rand.NormFloat64()+0.03)))
	l.spare[who.ID] -= minutes
	note := ""
	if now.Kind == route.Judge {
		note = "covers in two, holds on the sand; no silver under it"
	}
	st := studio.Stamp{Minutes: minutes, Note: note}
	if row.Now().Kind == route.Wash {
		st.Bath = 1 // the first wash takes the bulk
	}
	_, err := l.App.Pieces.Stamp(l.ctx, who, row.Code, st)
	return err
}

// deliver sends off what is complete and closes it.
func (l *life) deliver() error {
	orders, err := l.App.Orders.Orders(l.ctx, studio.Accepted, studio.Delivered)
	if err != nil {
		return err
	}
	for _, o := range orders {
		if o.State == studio.Delivered {
			if l.clock.Now().Sub(o.Delivered) > 20*time.Hour {
				err = l.settle(o)
			}
		} else {
			var s delivery.DeliverySheet
			if s, err = l.App.Delivery.Delivery(l.ctx, o.Number); err == nil && s.Complete() {
				err = l.App.Delivery.Deliver(l.ctx, l.ilse, o.Number, time.Time{}, false)
			}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// settle notes the rest of an order's price, which has arrived by now, and closes it.
func (l *life) settle(o studio.Order) error {
	s, err := l.App.Quotes.OrderSheet(l.ctx, o.Number)
	if err != nil {
		return err
	}
	if open := s.Account().Open(); open.Minor > 0 {
		if err := l.App.Money.NotePayment(l.ctx, l.ilse, o.Number, money.PaymentForm{Kind: studio.PaidRest, Amount: open.Plain()}); err != nil {
			return err
		}
	}
	return l.App.Money.CloseOrder(l.ctx, l.ilse, o.Number, "")
}

// untilMorning lets the night pass: machines only, nobody comes in.
func (l *life) untilMorning() error {
	for at := l.clock.Now(); at.Before(Morning()); {
		at = at.Add(15 * time.Minute)
		if at.After(Morning()) {
			at = Morning()
		}
		l.clock.Set(at)
		if err := l.printers.Drive(l.ctx, l.App); err != nil {
			return err
		}
	}
	return nil
}
