package studio

import (
	"strings"
	"time"
	"unicode/utf8"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// Photo is a photograph of a piece.
type Photo struct {
	ID        int64
	PieceID   int64
	PlateID   int64 // that it came off; 0: it was taken elsewhere
	PersonID  int64
	SHA       string
	FullSHA   string // as large as it came; empty: it was not kept so
	At        time.Time
	Text      string
	Stage     route.StageKind // that was stamped last when it was taken; empty: nobody has said
	Strokes   [][]Spot        // drawn on it with a finger
	Offered   bool            // the client sees it
	AllowedBy string          // the client who allows everybody to see it; empty: nobody does
	Allowed   time.Time
}

// Spot is a place on a picture, from its left and its top, 0 to 1.
type Spot [2]float64

// Public reports whether everybody may see a photograph: the studio shows it, and the client has allowed it.
func (p Photo) Public() bool { return p.Offered && !p.Allowed.IsZero() }

// Check says what is wrong with what was said of a photograph.
func (p Photo) Check() error {
	var wrong rates.Invalid
	wrong.Need(utf8.RuneCountInString(p.Text) <= 300, "text", "say it in at most 300 letters")
	n := 0
	for _, stroke := range p.Strokes {
		n += len(stroke)
		for _, s := range stroke {
			wrong.Need(s[0] >= 0 && s[0] <= 1 && s[1] >= 0 && s[1] <= 1, "strokes", "what is drawn is not on the picture")
		}
	}
	wrong.Need(len(p.Strokes) <= 100 && n <= 20_000, "strokes", "that is too much drawn on one picture")
	return wrong.Err()
}

// Shown is the photograph as the studio wants it shown or not; what is no longer shown to the client, the client allows no
// more.
func (p Photo) Shown(offered bool) Photo {
	if p.Offered = offered; !offered {
		p.AllowedBy, p.Allowed = "", time.Time{}
	}
	return p
}

// Allow is the photograph as a client allows everybody to see it, or does not.
func (p Photo) Allow(by string, yes bool, at time.Time) Photo {
	switch {
	case !yes:
		p.AllowedBy, p.Allowed = "", time.Time{}
	case p.Allowed.IsZero():
		p.AllowedBy, p.Allowed = strings.TrimSpace(by), at
	}
	return p
}

// SideBySide are the photographs to lay beside each other, of those of a piece in the order of time: before, during and
// after; fewer, where there are fewer.
func SideBySide(photos []Photo) (out []Photo) {
	n := len(photos)
	if n < 3 {
		return photos
	}
	return []Photo{photos[0], photos[n/2], photos[n-1]}
}

// StageAt is the stage of a piece that was stamped last at a moment; empty: none was.
func (p Piece) StageAt(at time.Time) (kind route.StageKind) {
	for _, s := range p.Stages {
		if s.Mark == route.Done && !s.Done.After(at) {
			kind = s.Kind
		}
	}
	return kind
}
