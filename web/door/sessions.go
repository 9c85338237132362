package door

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"slices"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/setup"
	"sakuji/studio"
	"sakuji/web/kit"
)

// session is one of a person's, as they see it.
type session struct {
	ID    string // of its token, which nobody sees
	Began time.Time
	From  string
	With  string
	This  bool
}

func idOf(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:8])
}

// each shows every session of a person that still holds.
func (s *Room) each(ctx context.Context, p studio.Person, show func(ctx context.Context) error) error {
	return s.Sessions.Iterate(ctx, func(ctx context.Context) error {
		if s.Sessions.GetInt64(ctx, "person") != p.ID || s.Sessions.GetString(ctx, "seal") != kit.Seal(p) {
			return nil
		}
		return show(ctx)
	})
}

func (s *Room) sessions(w http.ResponseWriter, r *http.Request) {
	var list []session
	this := idOf(s.Sessions.Token(r.Context()))
	err := s.each(r.Context(), kit.PersonOf(r), func(ctx context.Context) error {
		id := idOf(s.Sessions.Token(ctx))
		list = append(list, session{ID: id, Began: time.UnixMilli(s.Sessions.GetInt64(ctx, "began")), From: s.Sessions.GetString(ctx, "from"), With: s.Sessions.GetString(ctx, "with"), This: id == this})
		return nil
	})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	slices.SortFunc(list, func(a, b session) int { return cmp.Or(b.Began.Compare(a.Began), cmp.Compare(a.ID, b.ID)) })
	s.Show(w, r, "sessions", kit.Page{Title: "Where you are signed in", Sheet: "Signed in", D: map[string]any{"Sessions": list, "Min": setup.MinPassword}, Keys: kit.Keys("F", "find")})
}

// endSession signs a person out somewhere else.
func (s *Room) endSession(w http.ResponseWriter, r *http.Request) {
	err := s.each(r.Context(), kit.PersonOf(r), func(ctx context.Context) error {
		if idOf(s.Sessions.Token(ctx)) != chi.URLParam(r, "id") {
			return nil
		}
		return s.Sessions.Destroy(ctx)
	})
	s.Ended(w, r, err, "/me/sessions", "Signed out there.")
}

// ownPassword sets a new password for who is signed in; this session goes on, all others end.
func (s *Room) ownPassword(w http.ResponseWriter, r *http.Request) {
	var p studio.Person
	c, err := s.caller(r, kit.PersonOf(r).Name)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if !s.looked(w, r, c, func() (err error) {
		p, err = s.App.Setup.OwnPassword(r.Context(), kit.Owner(r), r.PostFormValue("now"), r.PostFormValue("next"))
		return err
	}) {
		return
	}
	s.Sessions.Put(r.Context(), "seal", kit.Seal(p))
	s.Done(w, r, "/me/sessions", "The new password is set. You are signed out everywhere else.")
}
