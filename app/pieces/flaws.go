package pieces

import (
	"cmp"
	"context"
	"errors"
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

// FlawSheet is what may be wrong with a piece, and one of it in full.
type FlawSheet struct {
	PieceSheet
	Likely, Others []finish.Flaw
	Chosen         *finish.Flaw // nil: nothing is chosen yet
	HiddenBy       route.StageKind
	Back           route.StageKind    // where it is put right from
	Before         []store.SeenBefore // on pieces of its model
	Flaws          []studio.Flaw      // of this piece, the newest first
}

// Flaw returns the sheet of what is wrong with a piece; kind is what is chosen, or empty.
func (a *Room) Flaw(ctx context.Context, code, kind string) (s FlawSheet, err error) {
	if s.PieceSheet, err = a.Piece(ctx, code); err != nil {
		return s, err
	}
	at := []route.StageKind{s.Kind()}
	if last := s.Last(); last != nil {
		at = append(at, last.Kind)
	}
	s.Likely, s.Others = finish.FlawsAt(at...)
	if f, ok := finish.FlawOf(kind); ok {
		s.Chosen = &f
		s.HiddenBy, s.Back = f.Judge(s.Been(), s.ToCome())
		if !slices.Contains(s.BackTo, s.Back) {
			s.Back = ""
		}
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Flaws, err = tx.FlawsOf(s.Piece.ID); err != nil || s.ModelID == 0 {
			return err
		}
		s.Before, err = tx.FlawsOfModel(s.ModelID, s.Piece.ID)
		return err
	})
	return s, err
}

// NoteFlaw notes what is wrong with a piece, and sends it back where that is what becomes of it; shown is the stage that
// the sheet showed.
func (a *Room) NoteFlaw(ctx context.Context, who change.Actor, code string, f studio.Flaw, shown string) error {
	f.Text, f.Cause, f.Remedy = strings.TrimSpace(f.Text), strings.TrimSpace(f.Cause), strings.TrimSpace(f.Remedy)
	_, err := a.on(ctx, who, code, func(c change.Change, p studio.Piece, zone *time.Location) (studio.Piece, studio.Entry, error) {
		kind, _ := finish.FlawOf(f.Kind)
		f.HiddenBy, _ = kind.Judge(p.Been(), p.ToCome())
		f.PieceID, f.At, f.ByID = p.ID, c.Now, who.ID
		if now := p.Now(); now != nil {
			f.Position, f.Stage = now.Position, now.Kind
		} else if last := p.Last(); last != nil {
			f.Position, f.Stage = last.Position, last.Kind
		}
		if err := f.Check(); err != nil {
			return p, studio.Entry{}, err
		}
		if err := a.pairOf(c, &f, kind); err != nil {
			return p, studio.Entry{}, err
		}
		if f.PhotoSHA != "" {
			photos, err := c.PhotosOf(p.ID)
			if err != nil {
				return p, studio.Entry{}, err
			}
			if !slices.ContainsFunc(photos, func(o studio.Photo) bool { return o.SHA == f.PhotoSHA }) {
				return p, studio.Entry{}, change.Refuse("That photograph is not of %s. Nothing was noted.", p.Code)
			}
		}
		e := p.Found(c.Act(), f)
		if f.Verdict == studio.FlawBack {
			sent, back, err := p.SendBack(c.Act(), f.BackTo, f.Name()+studio.Dash(f.Text), shown, zone)
			if err != nil {
				return p, e, err
			}
			p = sent
			if err := errors.Join(stopAll(c, p.ID, c.Now), c.Log(back)); err != nil {
				return p, e, err
			}
		}
		return p, e, c.AddFlaw(&f)
	})
	return err
}

// pairOf says which coats a flaw of coats is of: the one that was laid last, and the last other one before it.
func (a *Room) pairOf(c change.Change, f *studio.Flaw, kind finish.Flaw) error {
	if !kind.OfCoats {
		return nil
	}
	laid, err := c.LaidOn(f.PieceID)
	for _, l := range slices.Backward(laid) {
		switch {
		case f.OverRecipe == 0:
			f.OverRecipe = l.Number
		case l.Number != f.OverRecipe:
			f.UnderRecipe = l.Number
			return err
		}
	}
	return err
}

// Problem is what went wrong of a kind, how often, and what it took.
type Problem struct {
	Name     string
	Times    int
	Minutes  float64 // of hands lost
	Grams    float64
	Causes   []Tally
	Remedies []Tally // those after which it was not found on the piece again
	Last     time.Time
	Where    []ProblemAt // the last ones
	Next     string      // what to do otherwise, by its likeliest cause
}

// Tally is a word and how often it was said.
type Tally struct {
	Word  string
	Times int
}

// ProblemAt is one of them.
type ProblemAt struct {
	studio.Flaw
	Code string
	Name string
}

// ProblemBook is what went wrong in the studio in a time.
type ProblemBook struct {
	Since    time.Time
	Problems []Problem           // the costliest first
	Prints   []store.FailedPrint // prints that failed, by cause
	Minutes  float64
	Grams    float64
}

// problemMonths is how far back the problem book goes, and problemsShown how many of a kind it names.
const (
	problemMonths = 12
	problemsShown = 4
)

// Problems returns the problem book.
func (a *Room) Problems(ctx context.Context) (s ProblemBook, err error) {
	s.Since = a.Clock.Now().AddDate(0, -problemMonths, 0)
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		flaws, err := tx.FlawsFrom(s.Since)
		if err != nil {
			return err
		}
		by := map[string]*Problem{}
		for _, f := range flaws {
			p, err := tx.PieceByID(f.PieceID)
			if err != nil {
				return err
			}
			s.count(by, f, p, flaws)
		}
		for _, p := range by {
			s.Problems = append(s.Problems, *p)
		}
		slices.SortFunc(s.Problems, func(a, b Problem) int {
			return cmp.Or(cmp.Compare(b.Minutes, a.Minutes), cmp.Compare(b.Times, a.Times), cmp.Compare(a.Name, b.Name))
		})
		s.Prints, err = tx.FailedPrints(s.Since, studio.Failed, studio.ScrappedOff)
		return err
	})
	return s, err
}

// count counts a flaw of a piece.
func (s *ProblemBook) count(by map[string]*Problem, f studio.Flaw, p studio.Piece, all []studio.Flaw) {
	kind, _ := finish.FlawOf(f.Kind)
	x := by[f.Kind]
	if x == nil {
		x = &Problem{Name: kind.Name}
		by[f.Kind] = x
	}
	lost := p.LostMin(f)
	x.Times, x.Minutes, x.Grams = x.Times+1, x.Minutes+lost, x.Grams+f.Grams
	s.Minutes, s.Grams = s.Minutes+lost, s.Grams+f.Grams
	x.Causes = tallied(x.Causes, f.Cause)
	again := slices.ContainsFunc(all, func(o studio.Flaw) bool { return o.PieceID == f.PieceID && o.Kind == f.Kind && o.ID > f.ID })
	if f.Remedy != "" && !again && f.Verdict != studio.FlawPass {
		x.Remedies = tallied(x.Remedies, f.Remedy)
	}
	if x.Last.Before(f.At) {
		x.Last = f.At
	}
	if len(x.Where) < problemsShown {
		x.Where = append(x.Where, ProblemAt{f, p.Code, p.Name})
	}
	x.Next = nextTime(kind, x.Causes)
}

// nextTime is what to do otherwise, by the cause that is named most.
func nextTime(kind finish.Flaw, causes []Tally) string {
	for _, c := range kind.Causes {
		if c.Text == causes[0].Word {
			return c.Next
		}
	}
	return ""
}

// tallied counts a word, the most frequent first.
func tallied(list []Tally, word string) []Tally {
	at := slices.IndexFunc(list, func(t Tally) bool { return t.Word == word })
	if at < 0 {
		return append(list, Tally{word, 1})
	}
	list[at].Times++
	slices.SortStableFunc(list, func(a, b Tally) int { return cmp.Compare(b.Times, a.Times) })
	return list
}

// toLookFor finds what was wrong with a piece, and what is checked before the next stage of a piece is stamped, what was wrong with others of its model
// first.
func (s *PieceSheet) toLookFor(tx *store.Tx) (err error) {
	now := s.Piece.Now()
	if s.Wrong, err = tx.FlawsOf(s.Piece.ID); err != nil || now == nil || s.Piece.State != studio.AtBench {
		return err
	}
	var before route.StageKind
	if last := s.Last(); last != nil {
		before = last.Kind
	}
	s.Checks = finish.CheckList(now.Kind, before, process.Of(s.Process))
	if len(s.Checks) == 0 || s.ModelID == 0 {
		return nil
	}
	seen, err := tx.FlawsOfModel(s.ModelID, s.Piece.ID)
	for k, x := range seen {
		if kind, ok := finish.FlawOf(x.Kind); ok && k < 2 {
			text := "as before on this model: " + kind.Name
			if x.Text != "" {
				text += ", " + x.Text
			}
			s.Checks = slices.Insert(s.Checks, k, text)
		}
	}
	return err
}
