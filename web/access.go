package web

import (
	"context"
	"crypto/subtle"
	"net/http"
	"net/url"
	"strings"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/studio"
)

// signedIn lets people of the studio pass. The demo signs its owner in by itself,
// on loopback only; a studio without people asks for its first owner.
func (s *Server) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := r.Context()
		person, err := s.App.Setup.Person(ctx, s.Sessions.GetInt64(ctx, "person"))
		if err != nil && !change.NotFound(err) {
			s.fail(w, r, err)
			return
		}
		if (err != nil || !person.Active) && s.Opts.Demo != nil && local(r) {
			person, err = s.demoOwner(ctx)
			if err == nil {
				s.Sessions.Put(ctx, "person", person.ID)
			}
		}
		if err != nil || !person.Active {
			s.turnAway(w, r)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(ctx, KeyPerson, person)))
	})
}

func (s *Server) demoOwner(ctx context.Context) (studio.Person, error) {
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

func (s *Server) turnAway(w http.ResponseWriter, r *http.Request) {
	to := "/sign-in"
	if empty, err := s.App.Setup.Empty(r.Context()); err == nil && empty {
		to = "/first"
	} else if r.Method == http.MethodGet && r.URL.Path != "/" {
		to += "?next=" + url.QueryEscape(r.URL.RequestURI())
	}
	s.done(w, r, to, "")
}

func (s *Server) ownerOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !isOwner(r) {
			s.errorPage(w, r, http.StatusForbidden, "This sheet is the owner’s.", "")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// hand is who does a change: the hand chosen at the bench, else who is signed in.
func (s *Server) hand(r *http.Request) change.Actor {
	person, _ := r.Context().Value(KeyPerson).(studio.Person)
	if id := s.Sessions.GetInt64(r.Context(), "hand"); id != 0 && id != person.ID {
		if p, err := s.App.Setup.Person(r.Context(), id); err == nil && p.Active {
			return change.ActorOf(p)
		}
	}
	return change.ActorOf(person)
}

// owner is who is signed in, for changes that are not done by hands.
func owner(r *http.Request) change.Actor {
	person, _ := r.Context().Value(KeyPerson).(studio.Person)
	return change.ActorOf(person)
}

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) {
	if empty, err := s.App.Setup.Empty(r.Context()); err == nil && empty {
		http.Redirect(w, r, "/first", http.StatusSeeOther)
		return
	}
	s.bare(w, r, "signin", Page{Title: "Sign in", D: map[string]any{"Next": r.FormValue("next")}})
}

// bare shows a page without margin and title block.
func (s *Server) bare(w http.ResponseWriter, r *http.Request, name string, p Page) {
	p, err := s.page(r, p)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, name, "bare", p)
}

func (s *Server) signInCheck(w http.ResponseWriter, r *http.Request) {
	select { // a hash takes 64 MB: two at a time
	case s.signIns <- struct{}{}:
		defer func() { <-s.signIns }()
	case <-r.Context().Done():
		return
	}
	p, err := s.App.Setup.SignIn(r.Context(), r.PostFormValue("name"), r.PostFormValue("password"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if err := s.enter(r, p); err != nil {
		s.fail(w, r, err)
		return
	}
	next := r.PostFormValue("next")
	if !strings.HasPrefix(next, "/") || strings.HasPrefix(next, "//") || strings.Contains(next, `\`) {
		next = "/"
	}
	s.done(w, r, next, "")
}

// enter begins a session under a new token, so that a token known before is worth
// nothing after.
func (s *Server) enter(r *http.Request, p studio.Person) error {
	if err := s.Sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	s.Sessions.Remove(r.Context(), "hand")
	s.Sessions.Put(r.Context(), "person", p.ID)
	return nil
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) {
	if err := s.Sessions.Destroy(r.Context()); err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/sign-in", "")
}

// needsToken reports whether naming the first owner takes the console's token.
func (s *Server) needsToken(r *http.Request) bool { return s.Opts.Exposed || !local(r) }

func (s *Server) first(w http.ResponseWriter, r *http.Request) {
	if empty, err := s.App.Setup.Empty(r.Context()); err != nil || !empty {
		http.Redirect(w, r, "/", http.StatusSeeOther)
		return
	}
	s.bare(w, r, "first", Page{Title: "A new studio", D: map[string]any{"Token": s.needsToken(r), "Min": setup.MinPassword}})
}

func (s *Server) firstSave(w http.ResponseWriter, r *http.Request) {
	if s.needsToken(r) {
		got := strings.TrimSpace(r.PostFormValue("token"))
		if s.Opts.FirstToken == "" || subtle.ConstantTimeCompare([]byte(got), []byte(s.Opts.FirstToken)) != 1 {
			s.refuse(w, r, "The token is not the one printed at the console where Sakuji was started.")
			return
		}
	}
	if r.PostFormValue("password") != r.PostFormValue("again") {
		s.refuse(w, r, "The two passwords differ.")
		return
	}
	p, err := s.App.Setup.FirstOwner(r.Context(), setup.PersonForm{Name: r.PostFormValue("name"), Initials: r.PostFormValue("initials"), Password: r.PostFormValue("password")})
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if err := s.enter(r, p); err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/studio", "Welcome, "+p.Name+". Say what the studio is called; then its machines and materials.")
}

// saveMe changes how the sheets look and behave for whoever is signed in.
func (s *Server) saveMe(w http.ResponseWriter, r *http.Request) {
	if t := r.PostFormValue("theme"); studio.OneOf(t, "day", "night", "auto") {
		http.SetCookie(w, &http.Cookie{Name: "theme", Value: t, Path: "/", MaxAge: 365 * 24 * 3600, HttpOnly: true, SameSite: http.SameSiteLaxMode})
	}
	if l := r.PostFormValue("letters"); l != "" {
		if err := s.App.Setup.SetLetters(r.Context(), owner(r), l == "off"); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	s.done(w, r, back(r, "/"), "")
}

// back is the sheet a form was on, if it is one of ours.
func back(r *http.Request, otherwise string) string {
	if to := r.PostFormValue("back"); strings.HasPrefix(to, "/") && !strings.HasPrefix(to, "//") && !strings.Contains(to, `\`) {
		return to
	}
	return otherwise
}
