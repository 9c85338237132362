package kit

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/studio"
)

// SignedIn lets people of the studio pass. The demo signs its owner in by itself,
// on loopback only; a studio without people asks for its first owner.
func (s *Kit) SignedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := r.Context()
		person, err := s.App.Setup.Person(ctx, s.Sessions.GetInt64(ctx, "person"))
		if err != nil && !change.NotFound(err) {
			s.Fail(w, r, err)
			return
		}
		if err == nil && s.Sessions.GetString(ctx, "seal") != Seal(person) { // their password is a new one
			err = errNobody
		}
		if (err != nil || !person.Active) && s.Opts.Demo != nil && Local(r) {
			person, err = s.demoOwner(ctx)
		}
		if err != nil || !person.Active {
			s.turnAway(w, r)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(ctx, KeyPerson, person)))
	})
}

// Seal is what a session carries of a password: with a new one it fits no more.
func Seal(p studio.Person) string {
	sum := sha256.Sum256([]byte("session " + p.PasswordHash))
	return hex.EncodeToString(sum[:12])
}

// PersonOf is who is signed in.
func PersonOf(r *http.Request) studio.Person {
	person, _ := r.Context().Value(KeyPerson).(studio.Person)
	return person
}

func (s *Kit) demoOwner(ctx context.Context) (studio.Person, error) {
	people, err := s.App.Setup.People(ctx)
	if err != nil {
		return studio.Person{}, err
	}
	for _, p := range people {
		if p.Active && p.Role == studio.Owner {
			return p, nil
		}
	}
	return studio.Person{}, errNobody
}

var errNobody = &change.Refusal{Text: "Nobody is signed in."}

// turnAway asks whoever is not signed in to do so. What they were about to send is kept: with
// JavaScript it stays on the sheet, without it comes along.
func (s *Kit) turnAway(w http.ResponseWriter, r *http.Request) {
	to := "/sign-in"
	if r.Method == http.MethodPost && ByHTMX(r) {
		w.Header().Set("X-Signed-Out", "1") // what a tablet has kept for later stays there
		s.Render(w, r, http.StatusUnprocessableEntity, "error", "signedout", Page{})
		return
	}
	if r.Method == http.MethodPost && r.ParseForm() == nil && len(r.PostForm) > 0 {
		r.PostForm.Del("password")
		s.Render(w, r, http.StatusUnauthorized, "signin", "bare", Page{Title: "Sign in", Theme: Theme(r), Now: s.App.Clock.Now(), D: map[string]any{"Next": r.URL.RequestURI(), "Typed": r.PostForm.Encode()}})
		return
	}
	if empty, err := s.App.Setup.Empty(r.Context()); err == nil && empty {
		to = "/first"
	} else if r.Method == http.MethodGet && r.URL.Path != "/" {
		to += "?next=" + url.QueryEscape(r.URL.RequestURI())
	}
	s.Done(w, r, to, "")
}

func (s *Kit) OwnerOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !IsOwner(r) {
			s.ErrorPage(w, r, http.StatusForbidden, "This sheet is the owner’s.", "")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// Hand is who does a change: who gave it on a tablet that had no network, else the hand chosen at the bench, else who is
// signed in.
func (s *Kit) Hand(r *http.Request) change.Actor {
	return change.ActorOf(s.HandOf(r, s.Acting(r)))
}

// HandOf is the person of an id, as long as they work here; else who is signed in.
func (s *Kit) HandOf(r *http.Request, id int64) studio.Person {
	person := PersonOf(r)
	if id != 0 && id != person.ID {
		if p, err := s.App.Setup.Person(r.Context(), id); err == nil && p.Active {
			return p
		}
	}
	return person
}

// queuedBy is whose hand gave what had to wait on a tablet for the network; 0: it did not wait.
func queuedBy(r *http.Request) int64 {
	id, _ := strconv.ParseInt(r.PostFormValue("queued_by"), 10, 64)
	return id
}

// errWhose is said of what somebody gave who works here no more.
var errWhose = &change.Refusal{Text: "It was given by somebody who does not work here any more, before the network was away. Nothing was saved: whoever knows of it does it again."}

// theirOwn refuses what somebody gave who is gone; files come with forms that are read later, and ask it then.
func (s *Kit) theirOwn(r *http.Request) error {
	if id := queuedBy(r); id != 0 && s.HandOf(r, id).ID != id {
		return errWhose
	}
	return nil
}

// TheirOwn lets what waited on a tablet go in as theirs who gave it, and asks where they are gone.
func (s *Kit) TheirOwn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost && strings.HasPrefix(r.Header.Get("Content-Type"), "application/x-www-form-urlencoded") {
			if err := s.theirOwn(r); err != nil {
				s.Fail(w, r, err)
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}

// Owner is who is signed in, for changes that are not done by hands.
func Owner(r *http.Request) change.Actor {
	person, _ := r.Context().Value(KeyPerson).(studio.Person)
	return change.ActorOf(person)
}

// Bare shows a page without margin and title block.
func (s *Kit) Bare(w http.ResponseWriter, r *http.Request, name string, p Page) {
	p, err := s.page(r, p)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, name, "bare", p)
}

// Back is the sheet a form was on, if it is one of ours.
func Back(r *http.Request, otherwise string) string {
	return OwnPath(r.PostFormValue("back"), otherwise)
}

// hands are the people who may stamp.
func (s *Kit) hands(r *http.Request) (active []studio.Person, err error) {
	people, err := s.App.Setup.People(r.Context())
	for _, p := range people {
		if p.Active {
			active = append(active, p)
		}
	}
	return active, err
}

func IsOwner(r *http.Request) bool {
	person, _ := r.Context().Value(KeyPerson).(studio.Person)
	return person.Role == studio.Owner
}

func (s *Kit) Zone(r *http.Request) *time.Location {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		return time.UTC
	}
	return h.Studio.Zone()
}
