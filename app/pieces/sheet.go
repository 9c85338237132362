package pieces

import (
	"context"
	"slices"
	"strings"
	"time"

	"sakuji/app/models"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

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
	Recipes   []studio.Recipe       // that can be laid
	ToPaint   []ToPaint             // regions that are next
	Laid      []store.Was           // what lies on it
	Checks    []string              // what to look at before it is stamped
	Wrong     []studio.Flaw         // what was wrong with it, the newest first
	Questions []studio.Point        // open, before the first coat of colour
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
			s.TakeBack = last.Kind.Traits().Name
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
		for _, part := range []func() error{
			func() error { return s.provenance(tx, h, p) },
			func() error { return s.family(tx, p) },
			func() error { return s.exploded(tx, p) },
			func() error { return s.painting(tx, h) },
			func() error { return s.toLookFor(tx) },
		} {
			if err := part(); err != nil {
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
	by, err := aroundOne(tx, s.Now, p)
	if err != nil {
		return err
	}
	d, is := by.Drying, p.Readiness(s.Now, by)
	s.waits(is.Wait)
	s.Held, s.Sealed, s.Unsigned = studio.Held(is.Held), is.Sealed, is.Unsigned
	if s.MayStamp = is.Refused; is.Wait != nil {
		s.MayStamp = is.Wait
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
	pieces, err := tx.PiecesIn(studio.InWork()...)
	if err != nil {
		return err
	}
	around, err := aroundsOf(tx, s.Now, pieces)
	for _, p := range pieces {
		if n := p.Now(); err != nil || p.ID == s.Piece.ID || p.State != studio.AtBench || n == nil || n.Kind != now.Kind {
			continue
		}
		by, e := around.around(p)
		if err = e; err == nil && p.Readiness(s.Now, by).Hands() {
			if s.NextAlike++; s.Next == "" {
				s.Next = p.Code
			}
		}
	}
	return err
}
