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
	"sakuji/app/models"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/core/solid"
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
		if s.Air, err = air(tx, s.Now); err != nil {
			return err
		}
		orders, of, paints := map[int64]studio.Order{}, beside(pieces), paintsOf(tx)
		for _, p := range pieces {
			o, known := orders[p.OrderID]
			if !known {
				if o, err = tx.OrderByID(p.OrderID); err != nil {
					return err
				}
				orders[o.ID] = o
			}
			r := a.row(p, o)
			if p.State == studio.AtBench {
				held, err := wait(s.Air, paints, p, s.Now)
				if err != nil {
					return err
				}
				r.waits(held)
			}
			r.Held = studio.Held(p.HeldBy(of[p.ItemID]))
			ready := s.count(r)
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

// count counts a piece, and reports whether it is ready for hands.
func (s *BenchSheet) count(r BenchRow) (ready bool) {
	s.Count[BenchAll]++
	ready = r.State == studio.AtBench && !r.Wait && r.Held == ""
	if ready {
		s.Count[BenchReady]++
		if kind := r.Now().Kind; r.Process == process.Resin && studio.OneOf(kind, studio.Loading()...) {
			s.Loads[kind]++
		}
	} else if r.State == studio.AtBench {
		s.Count[BenchWaiting]++
	}
	return ready
}

// beside gathers the pieces of items that have some beside their prints, or joined after paint:
// only those hold others up, or are held.
func beside(pieces []studio.Piece) map[int64][]studio.Piece {
	of := map[int64][]studio.Piece{}
	for _, p := range pieces {
		if studio.OneOf(p.Kind, studio.ExtraKinds()...) || p.ParentID != 0 && p.State == studio.AtBench && p.Gated() {
			of[p.ItemID] = []studio.Piece{}
		}
	}
	for _, p := range pieces {
		if _, some := of[p.ItemID]; some {
			of[p.ItemID] = append(of[p.ItemID], p)
		}
	}
	return of
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
		r.Say = now.Kind.Manner().Do
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
	Booked    float64          // grams its order has used of this material
	Fragile   []solid.Fragile  // its weakest places, at its size
	Parts     []studio.Piece   // of an assembly: what it is made of
	Assembly  *studio.Piece    // that it becomes part of
	With      []studio.Piece   // what goes into or with it
	Baths     []studio.Bath    // that it may be washed in
	BathDue   map[int64]string // why one wants changing, by its id
	Whence    store.Whence     // what it was made with
	Photos    []studio.Photo
	Load      string                // how many like it the station takes at once
	In        []studio.Piece        // what is inside already, before it is closed
	ToGoIn    []studio.Piece        // what is still to go in
	Fits      string                // how it passes a station that it is too big for
	Exploded  []studio.ExplodedPart // of an assembly: its parts pulled apart
	Spare     string                // the label of a print that may stand in for it
	Sealed    string                // why it must not be cured as it is; empty: it may
	Clocks    finish.Clocks         // of what lies on top of it
	Air       finish.Reading        // that it dries in
	Place     studio.Place          // where it lies
	Places    []studio.Place        // where it may be put
	Change    int64                 // the last thing that had happened when it was drawn
}

// Kind is the stage that is next, or none.
func (s PieceSheet) Kind() route.StageKind {
	if now := s.Piece.Now(); now != nil {
		return now.Kind
	}
	return ""
}

// Piece returns a piece's sheet.
func (a *Room) Piece(ctx context.Context, code string) (s PieceSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		p, err := tx.Piece(strings.TrimSpace(code))
		if err != nil {
			return err
		}
		o, err := tx.OrderByID(p.OrderID)
		if err != nil {
			return err
		}
		h, err := setup.Load(tx)
		if err != nil {
			return err
		}
		s = PieceSheet{BenchRow: a.row(p, o), Now: a.Clock.Now(), Zone: h.Studio.Zone()}
		s.Material, _ = h.Material(p.MaterialID, p.Process)
		if err := s.dries(tx, p); err != nil {
			return err
		}
		s.BackTo = p.Strip().BackTo()
		if last := p.Last(); last != nil && p.MayOpen(s.Now) == nil {
			s.TakeBack = last.Kind.Manner().Name
		}
		models, err := tx.PieceModels(p)
		if err != nil {
			return err
		}
		s.Model = models[p.ID]
		s.Fits = h.Fits(s.Kind(), s.Model, p)
		if err := s.fragile(tx, p); err != nil {
			return err
		}
		if pl, err := tx.PlateOfPiece(p.ID); err == nil && p.State == studio.OnPlate {
			s.Plate = pl.Number
		}
		if err := s.provenance(tx, h, p); err != nil {
			return err
		}
		if err := s.family(tx, p); err != nil {
			return err
		}
		if err := s.exploded(tx, p); err != nil {
			return err
		}
		if s.Kind() == route.Cure {
			if s.Sealed, err = sealed(tx, p); err != nil {
				return err
			}
		}
		if s.Log, err = tx.LogOfPiece(p.ID); err != nil {
			return err
		}
		return s.nextAlike(a, tx)
	})
	return s, err
}

// dries finds what the piece waits for, the clocks of what lies on it, and where it lies itself.
func (s *PieceSheet) dries(tx *store.Tx, p studio.Piece) error {
	d, err := drying(tx, s.Now, p)
	if err != nil {
		return err
	}
	if s.MayStamp = p.MayStamp(s.Now); p.State == studio.AtBench {
		if held := d.Waits(p, s.Now); held != nil {
			s.waits(held)
			s.MayStamp = held
		}
	}
	s.Clocks = d.Clocks(p)
	s.Air, _ = d.Air.Now(s.Now)
	if s.Change, err = tx.LastEntry(); err != nil {
		return err
	}
	all, err := tx.Places()
	for _, at := range all {
		if at.ID == p.PlaceID {
			s.Place = at
		}
		if !at.Ended {
			s.Places = append(s.Places, at)
		}
	}
	return err
}

// fragile finds the thin places of a piece.
func (s *PieceSheet) fragile(tx *store.Tx, p studio.Piece) (err error) {
	s.Fragile, err = models.Fragile(tx, p.ModelID, p.Scale)
	return err
}

// exploded lays out the drawing of what an assembly is made of.
func (s *PieceSheet) exploded(tx *store.Tx, p studio.Piece) error {
	if p.Kind != studio.KindAssembly {
		return nil
	}
	items, err := tx.Items(p.OrderID)
	for _, it := range items {
		if it.ID == p.ItemID {
			s.Exploded = it.Exploded()
		}
	}
	return err
}

// provenance finds what the piece was made with, and for a wash the baths and how many fit at once.
func (s *PieceSheet) provenance(tx *store.Tx, h studio.Shop, p studio.Piece) (err error) {
	if s.Whence, err = tx.WhenceOf(p.ID); err != nil {
		return err
	}
	if s.Photos, err = tx.PhotosOf(p.ID); err != nil {
		return err
	}
	if s.Kind() == route.Wash {
		if s.Baths, err = tx.Baths(); err != nil {
			return err
		}
		s.BathDue = map[int64]string{}
		for _, b := range s.Baths {
			s.BathDue[b.ID] = b.Due(h.Book)
		}
	}
	s.Load = h.AtOnce(s.Kind(), s.Model, p)
	booked, err := tx.BookedFor(p.OrderID)
	s.Booked = booked[p.MaterialID]
	return err
}

// family finds the assembly of a piece, or the parts of an assembly.
func (s *PieceSheet) family(tx *store.Tx, p studio.Piece) error {
	all, err := tx.PiecesOf(p.OrderID)
	s.Held = studio.Held(p.HeldBy(all))
	s.In, s.ToGoIn = p.GoesInside(all)
	for _, o := range all {
		if o.ItemID == p.ItemID && o.Beside && !p.Beside && p.ParentID == 0 && o.Live() && !studio.OneOf(o.Kind, studio.StaysHere()...) {
			s.With = append(s.With, o)
		}
	}
	if spare, ok := p.SpareOf(all); ok {
		s.Spare = spare.Code
	}
	for _, o := range all {
		if o.ID == p.ParentID {
			s.Assembly = &o
		}
	}
	s.Parts = slices.DeleteFunc(p.PartsOf(all), func(c studio.Piece) bool { return !c.Live() && !c.Short(all) })
	return err
}

// nextAlike finds the next piece ready for the same stage, so that a batch can be
// stamped one after the other.
func (s *PieceSheet) nextAlike(a *Room, tx *store.Tx) error {
	now := s.Piece.Now()
	if now == nil || s.Piece.State != studio.AtBench {
		return nil
	}
	pieces, err := tx.PiecesIn(studio.AtBench)
	if err != nil {
		return err
	}
	in, err := air(tx, s.Now)
	all := paintsOf(tx)
	for _, p := range pieces {
		if n := p.Now(); err != nil || p.ID == s.Piece.ID || n == nil || n.Kind != now.Kind || p.Strip().MayStamp(s.Now) != nil {
			continue
		}
		held, e := wait(in, all, p, s.Now)
		if err = e; e == nil && held == nil {
			if s.NextAlike++; s.Next == "" {
				s.Next = p.Code
			}
		}
	}
	return err
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
		if err := mayStamp(c, p, st); err != nil {
			return p, studio.Entry{}, err
		}
		d, err := drying(c.Tx, c.Now, p)
		if err != nil {
			return p, studio.Entry{}, err
		}
		st.Drying = &d
		at := c.Now
		if !st.At.IsZero() {
			at = st.At
		}
		if min, some, err := clocked(c, p, at); err != nil {
			return p, studio.Entry{}, err
		} else if some && st.Minutes < 0 {
			st.Minutes = min
		}
		p, e, err := p.Stamp(c.Act(), st, zone)
		if err == nil {
			err = stopAll(c, p.ID, at)
		}
		return p, e, err
	}
}

// mayStamp says what beside its own strip keeps a piece from being stamped: pieces that it waits
// for, and resin shut in that the cure would not reach.
func mayStamp(c change.Change, p studio.Piece, st studio.Stamp) error {
	now := p.Now()
	if st.Bath != 0 {
		baths, err := c.Baths()
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(baths, func(b studio.Bath) bool { return b.ID == st.Bath }) {
			return change.Refuse("That bath was emptied. Choose another; nothing was stamped.")
		}
	}
	if now == nil {
		return nil
	}
	if p.Gated() {
		all, err := c.PiecesOf(p.OrderID)
		if err != nil {
			return err
		}
		if held := studio.Held(p.HeldBy(all)); held != "" {
			return change.Refuse("%s %s.", p.Code, held)
		}
	}
	if now.Kind != route.Cure || st.Early && strings.TrimSpace(st.Note) != "" {
		return nil
	}
	sealed, err := sealed(c.Tx, p)
	if err == nil && sealed != "" {
		err = change.Refuse("%s To cure it all the same, give the reason.", sealed)
	}
	return err
}

// sealed says that a piece has resin shut in, where nobody has given a reason for it.
func sealed(tx *store.Tx, p studio.Piece) (string, error) {
	if p.PartID == 0 || p.ModelID == 0 {
		return "", nil
	}
	part, err := tx.Part(p.PartID)
	if err != nil || part.Waived != "" {
		return "", err
	}
	models, err := tx.PieceModels(p)
	part.Model, part.Process, part.Name = models[p.ID], p.Process, p.Code
	return part.Sealed(), err
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
			err = stopAll(c, p.ID, c.Now)
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
