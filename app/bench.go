package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// BenchRow is a piece on the bench's sheet.
type BenchRow struct {
	studio.Piece
	Order  studio.Order
	Wait   bool      // its next stage must wait
	Until  time.Time // until then
	For    string    // what it waits for
	Say    string    // what to do next
	Plate  int       // the plate it lies on, or 0
	Model  studio.Model
	Repeat int // how often a look has sent it back
}

// Bench filters.
const (
	BenchReady   = "ready"
	BenchWaiting = "waits"
	BenchAll     = "all"
)

// BenchSheet is every piece that is on its way.
type BenchSheet struct {
	Filter string
	Order  string // only this order's
	Rows   []BenchRow
	Count  map[string]int
	Orders int
	Now    time.Time
	Zone   *time.Location
}

// Filters lists the filters in the order they are shown.
func (s BenchSheet) Filters() []string { return []string{BenchReady, BenchWaiting, BenchAll} }

// Bench returns the bench's sheet: pieces ready for hands, those that wait, or all,
// those on plates and waiting for one included.
func (a *App) Bench(ctx context.Context, filter, order string) (s BenchSheet, err error) {
	s = BenchSheet{Filter: filter, Order: order, Count: map[string]int{}, Now: a.Clock.Now()}
	if !studio.OneOf(filter, BenchReady, BenchWaiting, BenchAll) {
		s.Filter = BenchReady
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		st, err := tx.Studio()
		if err != nil && !NotFound(err) {
			return err
		}
		s.Zone = st.Zone()
		pieces, err := tx.PiecesIn(studio.AtBench, studio.OnPlate, studio.Waiting)
		if err != nil {
			return err
		}
		orders := map[int64]studio.Order{}
		for _, p := range pieces {
			o, known := orders[p.OrderID]
			if !known {
				if o, err = tx.OrderByID(p.OrderID); err != nil {
					return err
				}
				orders[o.ID] = o
			}
			r := a.row(p, o)
			s.Count[BenchAll]++
			ready := p.State == studio.AtBench && !r.Wait
			if ready {
				s.Count[BenchReady]++
			} else if p.State == studio.AtBench {
				s.Count[BenchWaiting]++
			}
			if (s.Filter == BenchReady && !ready) || (s.Filter == BenchWaiting && (ready || p.State != studio.AtBench)) ||
				(order != "" && o.Number != order) {
				continue
			}
			s.Rows = append(s.Rows, r)
		}
		s.Orders = len(orders)
		return nil
	})
	if s.Filter == BenchWaiting {
		slices.SortStableFunc(s.Rows, func(a, b BenchRow) int { return a.Until.Compare(b.Until) })
	}
	return s, err
}

func (a *App) row(p studio.Piece, o studio.Order) BenchRow {
	r := BenchRow{Piece: p, Order: o}
	now := p.Now()
	switch {
	case p.State == studio.Waiting && p.Attempt > 1:
		r.Say = fmt.Sprintf("waits for a plate, attempt %d", p.Attempt)
	case p.State == studio.Waiting:
		r.Say = "waits for a plate"
	case p.State == studio.OnPlate:
		r.Say = "on a plate"
	case now == nil:
		r.Say = p.State
	default:
		r.Say = now.Kind.Manner().Do
		if until := p.Strip().Until(); a.Clock.Now().Before(until) {
			r.Wait, r.Until, r.For = true, until, p.Strip().WaitedFor()
		}
	}
	for _, s := range p.Stages {
		if s.Mark == route.SentBack {
			r.Repeat++
		}
	}
	return r
}

// PieceSheet is one piece at the bench.
type PieceSheet struct {
	BenchRow
	Material  studio.Material
	Log       []studio.Entry
	MayStamp  error
	TakeBack  string // what can be taken back; empty: nothing
	BackTo    []route.StageKind
	Next      string // the code of the next ready piece at the same stage
	NextAlike int    // how many more wait for the same stage
	Now       time.Time
	Zone      *time.Location
	Booked    float64         // grams its order has used of this material
	Fragile   []solid.Fragile // its weakest places, at its size
}

// Piece returns a piece's sheet.
func (a *App) Piece(ctx context.Context, code string) (s PieceSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		p, err := tx.Piece(strings.TrimSpace(code))
		if err != nil {
			return err
		}
		o, err := tx.OrderByID(p.OrderID)
		if err != nil {
			return err
		}
		h, err := shop(tx)
		if err != nil {
			return err
		}
		s = PieceSheet{BenchRow: a.row(p, o), Now: a.Clock.Now(), Zone: h.Studio.Zone()}
		s.Material, _ = h.Material(p.MaterialID, p.Process)
		s.MayStamp = mayStamp(p, s.Now)
		s.BackTo = p.Strip().BackTo()
		if last := p.Last(); last != nil && takeBack(p, s.Now) == nil {
			s.TakeBack = last.Kind.Manner().Name
		}
		models, err := tx.PieceModels(p)
		if err != nil {
			return err
		}
		s.Model = models[p.ID]
		if analysis, err := tx.Analysis(p.ModelID); err == nil {
			for _, f := range analysis.Fragile[:min(len(analysis.Fragile), 3)] {
				s.Fragile = append(s.Fragile, f.Scaled(p.Scale))
			}
		} else if !NotFound(err) {
			return err
		}
		if pl, err := tx.PlateOfPiece(p.ID); err == nil && p.State == studio.OnPlate {
			s.Plate = pl.Number
		}
		booked, err := tx.BookedFor(o.ID)
		if err != nil {
			return err
		}
		s.Booked = booked[p.MaterialID]
		if s.Log, err = tx.LogOfPiece(p.ID); err != nil {
			return err
		}
		return s.nextAlike(a, tx)
	})
	return s, err
}

// nextAlike finds the next piece ready for the same stage, so that a batch can be
// stamped one after the other.
func (s *PieceSheet) nextAlike(a *App, tx *store.Tx) error {
	now := s.Piece.Now()
	if now == nil || s.Piece.State != studio.AtBench {
		return nil
	}
	pieces, err := tx.PiecesIn(studio.AtBench)
	for _, p := range pieces {
		if n := p.Now(); p.ID != s.Piece.ID && n != nil && n.Kind == now.Kind && p.Strip().MayStamp(s.Now) == nil {
			if s.NextAlike++; s.Next == "" {
				s.Next = p.Code
			}
		}
	}
	return err
}

func mayStamp(p studio.Piece, now time.Time) error {
	if p.State != studio.AtBench {
		return fmt.Errorf("%s is %s", p.Code, p.State)
	}
	return p.Strip().MayStamp(now)
}

// Stamp is a stage done.
type Stamp struct {
	Minutes float64 // of hands; less than zero: as planned
	Note    string
	Early   bool      // stamped although the wait was not over; the note says why
	At      time.Time // when it was done; zero: now
}

// when settles at what time a stage was done: now, or a time that has passed since
// the stage before it.
func (st Stamp) when(p studio.Piece, now time.Time, zone *time.Location) (time.Time, error) {
	if st.At.IsZero() {
		return now, nil
	}
	if st.At.After(now) {
		return now, refuse("It cannot have been done later than now.")
	}
	if last := p.Last(); last != nil && st.At.Before(last.Done) {
		return now, refuse("The stage before it was stamped %s; this one cannot have been done earlier.", last.Done.In(zone).Format("Mon 2 Jan, 15:04"))
	}
	return st.At, nil
}

// Stamp stamps the stage that is next.
func (a *App) Stamp(ctx context.Context, hand Actor, code string, st Stamp) (done studio.Piece, err error) {
	st.Note = strings.TrimSpace(st.Note)
	err = a.do(ctx, hand, func(d Change) error {
		p, err := d.Piece(code)
		if err != nil {
			return err
		}
		s, err := d.Studio()
		if err != nil {
			return err
		}
		at, err := st.when(p, d.Now, s.Zone())
		if err != nil {
			return err
		}
		err = mayStamp(p, at)
		var wait *route.WaitError
		if errors.As(err, &wait) {
			until := route.WaitError{For: wait.For, Until: wait.Until.In(s.Zone())}
			if !st.Early && st.At.IsZero() {
				return refuse("%s must wait: %s.", p.Code, until.Error())
			}
			if st.Note == "" {
				return refuse("%s should still wait (%s). If it is ready, say in the note why.", p.Code, until.Error())
			}
		} else if err != nil {
			return refused(err)
		}
		stage := p.Now()
		if st.Minutes < 0 {
			st.Minutes = stage.Planned
		}
		if st.Minutes > 24*60 {
			return refuse("%s minutes are more than a day; enter the minutes of hands.", fmt.Sprint(int(st.Minutes)))
		}
		stage.Mark, stage.PersonID, stage.Done, stage.Minutes, stage.Note = route.Done, d.Who.ID, at, st.Minutes, st.Note
		stage.Until = at.Add(time.Duration(stage.WaitS) * time.Second)
		name := stage.Kind.Manner().Name
		if p.Now() == nil {
			p.State = studio.PieceDone
		}
		if err := d.SavePiece(p); err != nil {
			return err
		}
		if err := d.SaveStages(&p); err != nil {
			return err
		}
		done = p
		return d.Note("stamped", About{Order: p.OrderID, Piece: p.ID}, "%s: %s, %.0f min%s", p.Code, name, st.Minutes, studio.Dash(st.Note))
	})
	return done, err
}

// SendBack strikes the stage that is next through and repeats the stages from an
// earlier one on: a look to filling, say, or a broken piece to the print.
func (a *App) SendBack(ctx context.Context, hand Actor, code string, to route.StageKind, note string) error {
	return a.do(ctx, hand, func(d Change) error {
		p, err := d.Piece(code)
		if err != nil {
			return err
		}
		if p.State != studio.AtBench {
			return refuse("%s is %s.", p.Code, p.State)
		}
		repeat, err := p.Strip().Back(to)
		if err != nil {
			return refused(err)
		}
		at := p.Strip().Now()
		s := &p.Stages[at]
		s.Mark, s.PersonID, s.Done, s.Note = route.SentBack, d.Who.ID, d.Now, strings.TrimSpace(note)
		var again []studio.Stage
		for _, r := range repeat {
			again = append(again, studio.Stage{Stage: r})
		}
		p.Stages = slices.Insert(p.Stages, at+1, again...)
		if to == route.Print {
			p.State = studio.Waiting
			p.Attempt++
		}
		if err := d.SavePiece(p); err != nil {
			return err
		}
		if err := d.SaveStages(&p); err != nil {
			return err
		}
		return d.Note("sent back", About{Order: p.OrderID, Piece: p.ID}, "%s to %s%s", p.Code, to.Manner().Name, studio.Dash(note))
	})
}

// takeBack says whether a piece's last mark can be taken back.
func takeBack(p studio.Piece, now time.Time) error {
	last := p.Last()
	switch {
	case last == nil:
		return errors.New("nothing is stamped yet")
	case last.Kind == route.Print && last.Mark == route.Done:
		return errors.New("the print is taken back on its plate")
	case p.State != studio.AtBench && p.State != studio.PieceDone && !(p.State == studio.Waiting && last.Mark == route.SentBack):
		return fmt.Errorf("%s is %s", p.Code, p.State)
	}
	return studio.MayTakeBack(last.Done, now)
}

// TakeBackStamp undoes a piece's last stamp, or its being sent back. The logbook
// keeps both.
func (a *App) TakeBackStamp(ctx context.Context, hand Actor, code string) error {
	return a.do(ctx, hand, func(d Change) error {
		p, err := d.Piece(code)
		if err != nil {
			return err
		}
		if err := takeBack(p, d.Now); err != nil {
			return refused(err)
		}
		o, err := d.OrderByID(p.OrderID)
		if err != nil {
			return err
		}
		if studio.OneOf(o.State, studio.Delivered, studio.Closed) {
			return refuse("Order %s is %s; its pieces are out of the house.", o.Number, o.State)
		}
		last := p.Last()
		was := last.Mark
		*last = studio.Stage{Position: last.Position, Stage: route.Stage{Kind: last.Kind, Mark: route.Todo, Planned: last.Planned, WaitS: last.WaitS}}
		if was == route.SentBack {
			if p.State == studio.Waiting {
				p.Attempt--
			}
			at := last.Position
			repeat, err := p.Strip().Back(p.Stages[at+1].Kind)
			if err != nil {
				return refused(err)
			}
			p.Stages = slices.Delete(p.Stages, at+1, at+1+len(repeat))
		}
		p.State = studio.AtBench
		if err := d.SavePiece(p); err != nil {
			return err
		}
		name := p.Now().Kind.Manner().Name
		if err := d.SaveStages(&p); err != nil {
			return err
		}
		return d.Note("taken back", About{Order: p.OrderID, Piece: p.ID}, "%s: %s is open again", p.Code, name)
	})
}

// ReplaceScrapped makes a new piece in place of a scrapped one, or settles that the
// client does without it.
func (a *App) ReplaceScrapped(ctx context.Context, hand Actor, code string, leaveOut bool) error {
	return a.do(ctx, hand, func(d Change) error {
		p, err := d.Piece(code)
		if err != nil {
			return err
		}
		if p.State != studio.Scrapped {
			return refuse("%s is %s, not scrapped.", p.Code, p.State)
		}
		all, err := d.PiecesOf(p.OrderID)
		if err != nil {
			return err
		}
		if replaced(all, p.ID) {
			return refuse("%s has its replacement already.", p.Code)
		}
		if leaveOut {
			p.State = studio.LeftOut
			if err := d.SavePiece(p); err != nil {
				return err
			}
			return d.Note("left out", About{Order: p.OrderID, Piece: p.ID}, "%s: the client does without", p.Code)
		}
		o, err := d.OrderByID(p.OrderID)
		if err != nil {
			return err
		}
		codes, err := d.Codes(o.ID)
		if err != nil {
			return err
		}
		fresh := p
		fresh.ID, fresh.Code, fresh.ReplacesID, fresh.State, fresh.Attempt = 0, studio.NextCode(o.Number, codes), p.ID, studio.Waiting, p.Attempt+1
		fresh.Stages = nil
		seen := map[route.StageKind]bool{}
		for _, s := range p.Stages {
			if !seen[s.Kind] {
				seen[s.Kind] = true
				fresh.Stages = append(fresh.Stages, studio.Stage{Stage: route.Stage{Kind: s.Kind, Mark: route.Todo, Planned: s.Planned, WaitS: s.WaitS}})
			}
		}
		if err := errors.Join(d.AddPiece(&fresh), d.FollowParts(o.ID)); err != nil {
			return err
		}
		return d.Note("piece made", About{Order: o.ID, Piece: fresh.ID}, "%s in place of %s", fresh.Code, p.Code)
	})
}
