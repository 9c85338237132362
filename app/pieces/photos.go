package pieces

import (
	"context"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// KeptPhoto is what a photograph is kept under, and in the size in which it came where that is wanted.
type KeptPhoto struct{ SHA, FullSHA string }

// Photograph notes photographs of a piece, as they were kept: as it is after the stage that was stamped last. One that
// is there already is not there twice. at is when they were taken, on a tablet that was without a network; zero: now.
func (a *Room) Photograph(ctx context.Context, who change.Actor, code string, kept []KeptPhoto, text string, at time.Time) error {
	return a.Do(ctx, who, func(c change.Change) error {
		p, err := c.Piece(code)
		if err != nil {
			return err
		}
		if at.IsZero() || at.After(c.Now) {
			at = c.Now
		}
		there, err := c.PhotosOf(p.ID)
		if err != nil {
			return err
		}
		for _, k := range kept {
			if slices.ContainsFunc(there, func(o studio.Photo) bool { return o.SHA == k.SHA }) {
				continue
			}
			photo := studio.Photo{PieceID: p.ID, SHA: k.SHA, FullSHA: k.FullSHA, Text: strings.TrimSpace(text), Stage: p.StageAt(at), At: at}
			if err := change.Refused(photo.Check()); err != nil {
				return err
			}
			if err := a.NotePhoto(c, photo); err != nil {
				return err
			}
		}
		return c.Note("photographed", change.About{Order: p.OrderID, Piece: p.ID}, "%s%s", p.Code, studio.Dash(text))
	})
}

// PhotoSheet is the photographs of a piece.
type PhotoSheet struct {
	Piece  studio.Piece
	Order  studio.Order
	Photos []studio.Photo // in the order of time
	Beside []studio.Photo // those that are laid side by side
}

// PhotoSheet returns it; beside are the ids of those that are laid side by side, none: before, during and after.
func (a *Room) PhotoSheet(ctx context.Context, code string, beside []int64) (s PhotoSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Piece, err = tx.Piece(code); err != nil {
			return err
		}
		if s.Order, err = tx.OrderByID(s.Piece.OrderID); err != nil {
			return err
		}
		s.Photos, err = tx.PhotosOf(s.Piece.ID)
		slices.Reverse(s.Photos)
		for _, p := range s.Photos {
			if slices.Contains(beside, p.ID) {
				s.Beside = append(s.Beside, p)
			}
		}
		if len(s.Beside) == 0 {
			s.Beside = studio.SideBySide(s.Photos)
		}
		return err
	})
	return s, err
}

// Photo returns one photograph of a piece.
func (s PhotoSheet) Photo(id int64) (studio.Photo, bool) {
	at := slices.IndexFunc(s.Photos, func(p studio.Photo) bool { return p.ID == id })
	if at < 0 {
		return studio.Photo{}, false
	}
	return s.Photos[at], true
}

// NotePhotoText keeps what is said of a photograph and drawn on it, and whether the client sees it.
func (a *Room) NotePhotoText(ctx context.Context, who change.Actor, code string, id int64, text string, strokes [][]studio.Spot, offered bool) error {
	return a.Do(ctx, who, func(c change.Change) error {
		p, err := c.Piece(code)
		if err != nil {
			return err
		}
		photo, err := c.Photo(id)
		if err != nil {
			return err
		}
		if photo.PieceID != p.ID {
			return store.ErrNotFound
		}
		was := photo.Offered
		photo.Text, photo.Strokes = strings.TrimSpace(text), strokes
		photo = photo.Shown(offered)
		if err := change.Refused(photo.Check()); err != nil {
			return err
		}
		if err := c.SavePhoto(&photo); err != nil {
			return err
		}
		what := "photograph noted"
		switch {
		case offered && !was:
			what = "photograph shown to the client"
		case was && !offered:
			what = "photograph not shown any more"
		}
		return c.Note(what, change.About{Order: p.OrderID, Piece: p.ID}, "%s%s", p.Code, studio.Dash(photo.Text))
	})
}

// mostPublic is how many photographs everybody sees at the most.
const mostPublic = 60

// Public returns the photographs that everybody may see.
func (a *Room) Public(ctx context.Context) (list []store.PublicPhoto, st studio.Studio, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if st, err = tx.Studio(); err != nil && !change.NotFound(err) {
			return err
		}
		list, err = tx.PublicPhotos(mostPublic)
		return err
	})
	return list, st, err
}

// Contact is the photographs of an order, for its contact sheet.
type Contact struct {
	Order  studio.Order
	Photos []studio.Photo
	Codes  map[int64]string // of the pieces
}

// Contact returns them; public: those only that the client allows everybody to see.
func (a *Room) Contact(ctx context.Context, number string, public bool) (s Contact, err error) {
	s.Codes = map[int64]string{}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Order, err = tx.Order(number); err != nil {
			return err
		}
		pieces, err := tx.PiecesOf(s.Order.ID)
		if err != nil {
			return err
		}
		for _, p := range pieces {
			s.Codes[p.ID] = p.Code
		}
		s.Photos, err = tx.PhotosOfOrder(s.Order.ID)
		if public {
			s.Photos = slices.DeleteFunc(s.Photos, func(p studio.Photo) bool { return !p.Public() })
		}
		return err
	})
	return s, err
}

// ToPhotograph is the stage that was stamped last, where nobody has photographed the piece since; empty: it is done.
func (s PieceSheet) ToPhotograph() route.StageKind {
	last := s.Last()
	if last == nil || slices.ContainsFunc(s.Photos, func(p studio.Photo) bool { return p.Stage == last.Kind && !p.At.Before(last.Done) }) {
		return ""
	}
	return last.Kind
}
