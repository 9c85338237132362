package pieces

import (
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"sakuji/app/change"
	"sakuji/core/route"
	"sakuji/studio"
)

// mostPhotoText is how much is said of a photograph at the most.
const mostPhotoText = 300

// Photograph notes photographs of a piece, as KeepPhoto kept them: as it is after the stage that was stamped last.
func (a *Room) Photograph(ctx context.Context, who change.Actor, code string, shas []string, text string) error {
	text = strings.TrimSpace(text)
	if utf8.RuneCountInString(text) > mostPhotoText {
		return change.Refuse("Say it in at most %d letters. Nothing was saved.", mostPhotoText)
	}
	return a.Do(ctx, who, func(c change.Change) error {
		p, err := c.Piece(code)
		if err != nil {
			return err
		}
		var stage route.StageKind
		if last := p.Last(); last != nil {
			stage = last.Kind
		}
		for _, sha := range shas {
			if err := a.NotePhoto(c, studio.Photo{PieceID: p.ID, SHA: sha, Text: text, Stage: stage}); err != nil {
				return err
			}
		}
		return c.Note("photographed", change.About{Order: p.OrderID, Piece: p.ID}, "%s%s", p.Code, studio.Dash(text))
	})
}

// ToPhotograph is the stage that was stamped last, where nobody has photographed the piece since; empty: it is done.
func (s PieceSheet) ToPhotograph() route.StageKind {
	last := s.Last()
	if last == nil || slices.ContainsFunc(s.Photos, func(p studio.Photo) bool { return p.Stage == last.Kind && !p.At.Before(last.Done) }) {
		return ""
	}
	return last.Kind
}
