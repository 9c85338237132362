// Package pieces is what happens to the things that are made: they are made when a client
// accepts, stamped stage by stage at the bench, sent back by a look, taken back, replaced
// and called off. What may follow what is studio's to say; here it is loaded and saved.
package pieces

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// Room is where pieces are.
type Room struct{ change.Base }

// New makes the room.
func New(base change.Base) *Room { return &Room{base} }

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
	Repeat int    // how often a look has sent it back
	Held   string // what else it waits for, in words

	Unsigned string // colours of its next stage that nobody has signed off; empty: none
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
	Loads  map[route.StageKind]int // pieces that are ready for a station
	Orders int
	Air    finish.Air
	Change int64 // the last thing that had happened when it was drawn
	Now    time.Time
	Zone   *time.Location
}

// Filters lists the filters in the order they are shown.
func (s BenchSheet) Filters() []string { return []string{BenchReady, BenchWaiting, BenchAll} }

// Bench returns the bench's sheet: pieces ready for hands, those that wait, or all,
// those on plates and waiting for one included.
func (a *Room) Bench(ctx context.Context, filter, order string) (s BenchSheet, err error) {
	s = BenchSheet{Filter: filter, Order: order, Count: map[string]int{}, Loads: map[route.StageKind]int{}, Now: a.Clock.Now()}
	if !studio.OneOf(filter, BenchReady, BenchWaiting, BenchAll) {
		s.Filter = BenchReady
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		st, err := tx.Studio()
		if err != nil && !change.NotFound(err) {
			return err
		}
		s.Zone = st.Zone()
		if s.Change, err = tx.LastEntry(); err != nil {
			return err
		}
		pieces, err := tx.PiecesIn(studio.InWork()...)
		if err != nil {
			return err
		}
		around, err := aroundsOf(tx, s.Now, pieces)
		if err != nil {
			return err
		}
		s.Air = around.air
		orders := map[int64]studio.Order{}
		for _, p := range pieces {
			o, known := orders[p.OrderID]
			if !known {
				if o, err = tx.OrderByID(p.OrderID); err != nil {
					return err
				}
				orders[o.ID] = o
			}
			by, err := around.around(p)
			if err != nil {
				return err
			}
			r, is := a.row(p, o), p.Readiness(s.Now, by)
			r.waits(is.Wait)
			r.Held, r.Unsigned = studio.Held(is.Held), is.Unsigned
			ready := is.Hands()
			s.count(r, ready)
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

// count counts a piece, ready for hands or not.
func (s *BenchSheet) count(r BenchRow, ready bool) {
	s.Count[BenchAll]++
	if ready {
		s.Count[BenchReady]++
		if kind := r.Now().Kind; process.Of(r.Process).Wet && studio.OneOf(kind, studio.Loading()...) {
			s.Loads[kind]++
		}
	} else if r.State == studio.AtBench {
		s.Count[BenchWaiting]++
	}
}

func (a *Room) row(p studio.Piece, o studio.Order) BenchRow {
	r := BenchRow{Piece: p, Order: o}
	now := p.Now()
	switch {
	case p.State == studio.Waiting && p.Attempt > 1:
		r.Say = fmt.Sprintf("waits for a plate, attempt %d", p.Attempt)
	case p.State == studio.Waiting:
		r.Say = "waits for a plate"
	case p.State == studio.OnPlate:
		r.Say = "on a plate"
	case p.State == studio.InParts:
		r.Say = p.WaitsFor()
	case now == nil:
		r.Say = string(p.State)
	default:
		r.Say = now.Kind.Traits().Do
	}
	for _, s := range p.Stages {
		if s.Mark == route.SentBack {
			r.Repeat++
		}
	}
	return r
}

// waits notes what the piece waits for; nil: nothing.
func (r *BenchRow) waits(w *route.WaitError) {
	if w != nil {
		r.Wait, r.Until, r.For = true, w.Until, w.For
	}
}

// on loads a piece of an order that is still in the studio, lets something happen to it
// and saves it.
func (a *Room) on(ctx context.Context, who change.Actor, code string, f func(c change.Change, p studio.Piece, zone *time.Location) (studio.Piece, studio.Entry, error)) (done studio.Piece, err error) {
	err = a.Do(ctx, who, func(c change.Change) error {
		done, err = onPiece(c, code, f)
		return err
	})
	return done, err
}

// onPiece lets something happen to a piece within a change.
func onPiece(c change.Change, code string, f func(c change.Change, p studio.Piece, zone *time.Location) (studio.Piece, studio.Entry, error)) (studio.Piece, error) {
	p, err := c.Piece(code)
	if err != nil {
		return p, err
	}
	st, err := c.Studio()
	if err != nil && !change.NotFound(err) {
		return p, err
	}
	was := p.State
	p, e, err := f(c, p, st.Zone())
	if err != nil {
		return p, change.Refused(err)
	}
	if err := save(c, p, e); err != nil || p.State == was && !p.ColouredApart() {
		return p, err
	}
	return p, gatherOn(c, p)
}

// Stamp stamps the stage that is next.
func (a *Room) Stamp(ctx context.Context, who change.Actor, code string, st studio.Stamp) (done studio.Piece, err error) {
	return a.on(ctx, who, code, stamping(st))
}

// stamping stamps a piece.
func stamping(st studio.Stamp) func(c change.Change, p studio.Piece, zone *time.Location) (studio.Piece, studio.Entry, error) {
	return func(c change.Change, p studio.Piece, zone *time.Location) (studio.Piece, studio.Entry, error) {
		at := c.Now
		if !st.At.IsZero() {
			at = st.At
		}
		by, err := mayStamp(c, p, st, at)
		if err != nil {
			return p, studio.Entry{}, err
		}
		st.Drying = by.Drying
		if min, some, err := clocked(c, p, at); err != nil {
			return p, studio.Entry{}, err
		} else if some && st.Minutes < 0 {
			st.Minutes = min
		}
		if st.Minutes < 0 && p.Now() != nil {
			if st.Minutes, err = asPlanned(c, p); err != nil {
				return p, studio.Entry{}, err
			}
		}
		stage := p.Now()
		p, e, err := p.Stamp(c.Act(), st, zone)
		if err == nil {
			err = stopAll(c, p.ID, at)
		}
		if err == nil && stage != nil {
			s := &p.Stages[stage.Position]
			s.Medium, s.Film, err = lay(c, p, stage.Position, st)
		}
		return p, e, err
	}
}

// asPlanned are the minutes of hands for what is next of a piece where nobody says how many: as planned, and what was mended
// meanwhile.
func asPlanned(c change.Change, p studio.Piece) (min float64, err error) {
	now := p.Now()
	min = now.PlannedMin
	wrong, err := c.FlawsOf(p.ID)
	for _, f := range wrong {
		if f.Position == now.Position && f.Verdict == studio.FlawMended {
			min += f.Minutes
		}
	}
	return min, err
}

// mayStamp says what beside its own strip keeps a piece from being stamped at a time, and what else its readiness goes by.
func mayStamp(c change.Change, p studio.Piece, st studio.Stamp, at time.Time) (by studio.Around, err error) {
	if st.Bath != 0 {
		baths, err := c.Baths()
		if err != nil {
			return by, err
		}
		if !slices.ContainsFunc(baths, func(b studio.Bath) bool { return b.ID == st.Bath }) {
			return by, change.Refuse("That bath was emptied. Choose another; nothing was stamped.")
		}
	}
	if by, err = aroundOne(c.Tx, c.Now, p); err != nil {
		return by, err
	}
	return by, change.Refused(p.Readiness(at, by).Stamp(p.Code, st.Early && strings.TrimSpace(st.Note) != ""))
}

// sealed says that a piece has resin shut in, where nobody has given a reason for it.
func sealed(tx *store.Tx, p studio.Piece) (string, error) {
	part, err := partOf(tx, p)
	return sealedIn(part, p), err
}

// partOf is what a piece is a print of, with its model; nothing of what is no print.
func partOf(tx *store.Tx, p studio.Piece) (part studio.Part, err error) {
	if p.PartID == 0 || p.ModelID == 0 {
		return part, nil
	}
	if part, err = tx.Part(p.PartID); err != nil || part.Waived != "" {
		return part, err
	}
	models, err := tx.PieceModels(p)
	part.Model = models[p.ID]
	return part, err
}

// sealedIn is what is said of a piece of a part.
func sealedIn(part studio.Part, p studio.Piece) string {
	if part.Waived != "" {
		return ""
	}
	part.Process, part.Name = p.Process, p.Code
	return part.Sealed()
}

// SendBack strikes the stage that is next through and repeats the stages from an earlier
// one on; shown is the stage that the sheet showed.
func (a *Room) SendBack(ctx context.Context, who change.Actor, code string, to route.StageKind, note, shown string) error {
	_, err := a.on(ctx, who, code, func(c change.Change, p studio.Piece, zone *time.Location) (studio.Piece, studio.Entry, error) {
		p, e, err := p.SendBack(c.Act(), to, note, shown, zone)
		if err == nil {
			err = stopAll(c, p.ID, c.Now)
		}
		return p, e, err
	})
	return err
}

// TakeBackStamp undoes a piece's last stamp, or its being sent back. The logbook keeps
// both.
func (a *Room) TakeBackStamp(ctx context.Context, who change.Actor, code string) error {
	_, err := a.on(ctx, who, code, func(c change.Change, p studio.Piece, zone *time.Location) (studio.Piece, studio.Entry, error) {
		o, err := c.OrderByID(p.OrderID)
		if err != nil {
			return p, studio.Entry{}, err
		}
		if err := o.InHouse(); err != nil {
			return p, studio.Entry{}, err
		}
		if feeds, err := feeds(c, p); err != nil {
			return p, studio.Entry{}, err
		} else if feeds {
			all, err := c.PiecesOf(p.OrderID)
			if err == nil {
				err = p.MayReopen(all)
			}
			if err != nil {
				return p, studio.Entry{}, err
			}
		}
		p, e, err := p.TakeBack(c.Act())
		if err == nil {
			err = errors.Join(stopAll(c, p.ID, c.Now), unlay(c, p, p.Now().Position), c.DropFlaws(p.ID, p.Now().Position))
		}
		return p, e, err
	})
	return err
}

// SettleScrapped makes a new piece in place of a scrapped one, or settles that the client
// does without it.
func (a *Room) SettleScrapped(ctx context.Context, who change.Actor, code string, leaveOut bool) error {
	return a.Do(ctx, who, func(c change.Change) error {
		p, err := c.Piece(code)
		if err != nil {
			return err
		}
		all, err := c.PiecesOf(p.OrderID)
		if err != nil {
			return err
		}
		if leaveOut {
			p, e, err := p.LeaveOut(c.Act(), all)
			if err != nil {
				return change.Refused(err)
			}
			return errors.Join(save(c, p, e), gatherOn(c, p))
		}
		o, err := c.OrderByID(p.OrderID)
		if err != nil {
			return err
		}
		codes, err := c.Codes(o.ID)
		if err != nil {
			return err
		}
		code := studio.NextCode(o.Number, codes)
		for _, assembly := range all {
			if assembly.ID == p.ParentID {
				code = studio.ChildCode(assembly.Code, codes)
			}
		}
		fresh, e, err := p.Replace(c.Act(), all, code)
		if err != nil {
			return change.Refused(err)
		}
		items, err := c.Items(o.ID)
		if err != nil {
			return err
		}
		for _, it := range items { // of what its part prints now
			for _, part := range it.Parts {
				if part.ID == fresh.PartID {
					fresh, _ = fresh.Follow(part)
				}
			}
		}
		if err := c.AddPiece(&fresh); err != nil {
			return err
		}
		e.PieceID = fresh.ID
		return errors.Join(c.Log(e), gatherOn(c, fresh))
	})
}
