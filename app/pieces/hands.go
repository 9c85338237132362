package pieces

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// InHand is what somebody has in hand at a stage: the pieces whose clocks run, or stand still.
type InHand struct {
	Kind       route.StageKind
	How        string
	Pieces     []BenchRow
	Shown      map[int64]string // the stage that each sheet shows, by the piece's id
	PlannedMin float64
	RanMin     float64 // of hands so far
	Runs       bool
	Rate       float64   // minutes of hands that a minute adds, for the clock on the sheet; others take the rest
	Since      time.Time // when the clock that runs was begun last
	Forgotten  bool
	Open       time.Time // until when what was begun can be worked; zero: nothing is said of it
}

// RanS is it in whole seconds.
func (h InHand) RanS() int { return int(math.Round(60 * h.RanMin)) }

// Clock is it as a clock shows it, in minutes and seconds.
func (h InHand) Clock() string { return fmt.Sprintf("%d:%02d", h.RanS()/60, h.RanS()%60) }

// HandsSheet is what one person has in hand, and what is ready for hands.
type HandsSheet struct {
	InHand []InHand
	Ready  []BenchRow // in the order of the bench
	Now    time.Time
	Zone   *time.Location
	Person int64
	Change int64 // the last thing that had happened when it was drawn
}

// handsBack is how far back a clock that stands still is still in hand. Source: from memory.
const handsBack = 5 * 24 * time.Hour

// Hands returns what somebody has in hand.
func (a *Room) Hands(ctx context.Context, personID int64) (s HandsSheet, err error) {
	bench, err := a.Bench(ctx, BenchReady, "")
	if err != nil {
		return s, err
	}
	s = HandsSheet{Now: bench.Now, Zone: bench.Zone, Person: personID, Change: bench.Change}
	byID := map[int64]BenchRow{}
	for _, r := range bench.Rows {
		byID[r.ID] = r
	}
	var taken map[int64]bool
	if err = a.Store.Read(ctx, func(tx *store.Tx) error {
		list, err := tx.StretchesFrom(personID, s.Now.Add(-handsBack))
		taken = s.take(list, byID)
		return errors.Join(err, s.opened(bench.Air, paintsOf(tx)))
	}); err != nil {
		return s, err
	}
	for _, r := range bench.Rows {
		if !taken[r.ID] {
			s.Ready = append(s.Ready, r)
		}
	}
	return s, nil
}

// take gathers what clocks ran for, the same stage of several pieces together.
func (s *HandsSheet) take(list []studio.Stretch, byID map[int64]BenchRow) (taken map[int64]bool) {
	min, taken, weight := studio.HandsMin(list, s.Now), map[int64]bool{}, 0.0
	for _, x := range list {
		if x.Runs() {
			weight += max(1, x.PlannedMin)
		}
	}
	for k := len(list) - 1; k >= 0; k-- { // the newest of each piece
		x := list[k]
		r, ready := byID[x.PieceID]
		if !ready || taken[x.PieceID] || r.Shown() != x.Shown {
			continue
		}
		taken[x.PieceID] = true
		now := r.Now()
		at := slices.IndexFunc(s.InHand, func(h InHand) bool { return h.Kind == now.Kind && h.How == now.How && h.Runs == x.Runs() })
		if at < 0 {
			at = len(s.InHand)
			s.InHand = append(s.InHand, InHand{Kind: now.Kind, How: now.How, Shown: map[int64]string{}, Runs: x.Runs()})
		}
		h := &s.InHand[at]
		h.Pieces, h.Shown[r.ID] = append(h.Pieces, r), x.Shown
		h.PlannedMin, h.RanMin = h.PlannedMin+now.PlannedMin, h.RanMin+min[studio.Work{PieceID: x.PieceID, Shown: x.Shown}]
		if x.Runs() {
			h.Rate += max(1, x.PlannedMin) / weight
			h.Forgotten = h.Forgotten || x.Forgotten(s.Now, s.Zone)
			if h.Since.IsZero() || x.From.Before(h.Since) {
				h.Since = x.From
			}
		}
	}
	slices.SortStableFunc(s.InHand, func(a, b InHand) int {
		switch {
		case a.Runs == b.Runs:
			return 0
		case a.Runs:
			return -1
		}
		return 1
	})
	return taken
}

// opened finds until when what is in hand can be worked.
func (s *HandsSheet) opened(in finish.Air, all *paints) error {
	for k := range s.InHand {
		h := &s.InHand[k]
		if !h.Runs {
			continue
		}
		p := h.Pieces[0].Piece
		of, err := all.of(p)
		if err != nil {
			return err
		}
		h.Open = studio.Drying{Air: in, Paints: of}.OpenUntil(*p.Now(), h.Since)
	}
	return nil
}

// Begin starts somebody's clock for the stages that are next of pieces; one that runs goes on. All are begun or
// none; shown says for each which stage its sheet showed.
//
// at is when they were begun, on a tablet that was without a network; zero: now.
func (a *Room) Begin(ctx context.Context, who change.Actor, shown map[string]string, at time.Time) error {
	if len(shown) == 0 {
		return change.Refuse("Choose the pieces that you begin.")
	}
	return a.Do(ctx, who, func(c change.Change) error {
		running, err := c.Running()
		if err != nil {
			return err
		}
		if at.IsZero() || at.After(c.Now) {
			at = c.Now
		}
		for _, code := range sortedKeys(shown) {
			p, err := c.Piece(code)
			if err != nil {
				return err
			}
			by, err := aroundOne(c.Tx, c.Now, p)
			if err == nil {
				err = change.Refused(p.MayBegin(at, shown[code], by))
			}
			if err != nil {
				return err
			}
			if slices.ContainsFunc(running, func(s studio.Stretch) bool { return s.PersonID == who.ID && s.PieceID == p.ID }) {
				continue
			}
			s := studio.Stretch{PersonID: who.ID, PieceID: p.ID, Shown: p.Shown(), PlannedMin: p.Now().PlannedMin, From: at}
			if err := errors.Join(c.SaveStretch(&s), clockNote(c, "clock begun", p)); err != nil {
				return err
			}
		}
		return nil
	})
}

// Pause stops somebody's clock for pieces, as of a moment; zero: now.
func (a *Room) Pause(ctx context.Context, who change.Actor, codes []string, at time.Time) error {
	return a.Do(ctx, who, func(c change.Change) error {
		if at.IsZero() {
			at = c.Now
		}
		for _, code := range codes {
			p, err := c.Piece(code)
			if err != nil {
				return err
			}
			if err := stop(c, p.ID, who.ID, at); err != nil {
				return err
			}
			if err := clockNote(c, "clock stopped", p); err != nil {
				return err
			}
		}
		return nil
	})
}

// clockNote is a line of the logbook about the clock for what is next of a piece.
func clockNote(c change.Change, what string, p studio.Piece) error {
	doing := string(p.State)
	if now := p.Now(); now != nil {
		doing = now.Kind.Traits().Name
	}
	return c.Note(what, change.About{Order: p.OrderID, Piece: p.ID}, "%s: %s", p.Code, doing)
}

// stop ends somebody's clock that runs for a piece.
func stop(c change.Change, pieceID, personID int64, at time.Time) error {
	running, err := c.Running()
	for _, s := range running {
		if err != nil || s.PieceID != pieceID || s.PersonID != personID {
			continue
		}
		if at.Before(s.From) || at.After(c.Now) {
			return change.RefuseField("at", "The clock was begun %s: it was stopped after that, and not later than now.", s.From.Format("Mon 2 Jan, 15:04"))
		}
		s.To = at
		err = c.SaveStretch(&s)
	}
	return err
}

// stopAll ends all clocks that run for a piece, none before it was begun.
func stopAll(c change.Change, pieceID int64, at time.Time) error {
	running, err := c.Running()
	for _, s := range running {
		if err != nil || s.PieceID != pieceID {
			continue
		}
		if s.To = at; at.Before(s.From) {
			s.To = s.From
		}
		err = c.SaveStretch(&s)
	}
	return err
}

// clocked are the minutes of hands that clocks ran until a moment for the stage that is next of a piece; false: none
// did.
func clocked(c change.Change, p studio.Piece, at time.Time) (min float64, some bool, err error) {
	list, err := c.StretchesWith(p.ID, p.Shown())
	if err != nil || len(list) == 0 {
		return 0, false, err
	}
	min, some = studio.HandsMin(list, at)[studio.Work{PieceID: p.ID, Shown: p.Shown()}]
	return min, some, nil
}

func sortedKeys(m map[string]string) (out []string) {
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// InHandOf is a piece as somebody has it in hand; nil: they have not begun what is next.
func (a *Room) InHandOf(ctx context.Context, personID int64, p studio.Piece) (in *InHand, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		st, err := tx.Studio()
		if err != nil && !change.NotFound(err) {
			return err
		}
		s := HandsSheet{Now: a.Clock.Now(), Zone: st.Zone()}
		list, err := tx.StretchesFrom(personID, s.Now.Add(-handsBack))
		if s.take(list, map[int64]BenchRow{p.ID: {Piece: p}}); err != nil || len(s.InHand) == 0 {
			return err
		}
		dry, err := Air(tx, s.Now)
		in = &s.InHand[0]
		return errors.Join(err, s.opened(dry, paintsOf(tx)))
	})
	return in, err
}
