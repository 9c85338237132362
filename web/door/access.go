package door

import (
	"crypto/subtle"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"sakuji/app/setup"
	"sakuji/studio"
	"sakuji/web/kit"
)

func (s *Room) signIn(w http.ResponseWriter, r *http.Request) {
	if empty, err := s.App.Setup.Empty(r.Context()); err == nil && empty {
		http.Redirect(w, r, "/first", http.StatusSeeOther)
		return
	}
	s.Bare(w, r, "signin", kit.Page{Title: "Sign in", D: map[string]any{"Next": r.FormValue("next")}})
}

// looked looks at a password that is given for a name: two at a time, and none while too many
// wrong ones hold it up. It answers unless it is well.
func (s *Room) looked(w http.ResponseWriter, r *http.Request, c caller, look func() error) (well bool) {
	select {
	case s.signIns <- struct{}{}:
		defer func() { <-s.signIns }()
	case <-r.Context().Done():
		return false
	}
	now := s.App.Clock.Now()
	if wait := s.wrong.wait(now, c); wait > 0 {
		s.Log.Warn("sign-in held up", "id", kit.RequestID(r.Context()), "name", c.logged(), "from", c.from)
		w.Header().Set("Retry-After", strconv.Itoa(int(wait.Seconds())+1))
		s.Refuse(w, r, fmt.Sprintf("Too many wrong passwords. The next is looked at in %d s.", int(wait.Seconds())+1))
		return false
	}
	err := look()
	if setup.WrongPassword(err) {
		s.wrong.failed(now, c)
		s.Log.Warn("wrong password", "name", c.logged(), "from", c.from)
	}
	if err != nil {
		s.Fail(w, r, err)
	}
	return err == nil
}

// deviceCookie carries what a device is known by that somebody has signed in at.
const (
	deviceCookie = "device"
	deviceLasts  = 365 * 24 * time.Hour
)

// caller is who gives a name, and from where.
func (s *Room) caller(r *http.Request, name string) (c caller, err error) {
	token := ""
	if cookie, err := r.Cookie(deviceCookie); err == nil {
		token = cookie.Value
	}
	c = caller{name: studio.Folded(strings.TrimSpace(name)), from: kit.AddressOf(r)}
	c.visitor, err = s.App.Setup.Visitor(r.Context(), name, token)
	return c, err
}

func (s *Room) signInCheck(w http.ResponseWriter, r *http.Request) {
	var p studio.Person
	name := r.PostFormValue("name")
	c, err := s.caller(r, name)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if !s.looked(w, r, c, func() (err error) {
		p, err = s.App.Setup.SignIn(r.Context(), name, r.PostFormValue("password"))
		return err
	}) {
		return
	}
	told := s.wrong.passed(c, s.Zone(r))
	if err := s.enter(w, r, p); err != nil {
		s.Fail(w, r, err)
		return
	}
	next := kit.OwnPath(r.PostFormValue("next"), "/")
	if typed, err := url.ParseQuery(r.PostFormValue("typed")); err == nil && len(typed) > 0 {
		s.Bare(w, r, "resume", kit.Page{Title: "Signed in", D: map[string]any{"Action": next, "Typed": typed}})
		return
	}
	s.Done(w, r, next, told)
}

// enter begins a session under a new token, so that a token known before is worth
// nothing after, and knows the device from now on.
func (s *Room) enter(w http.ResponseWriter, r *http.Request, p studio.Person) error {
	token, err := s.App.Setup.KnowDevice(r.Context(), p.ID)
	if err != nil {
		return err
	}
	s.SetCookie(w, deviceCookie, token, deviceLasts)
	if err := s.Sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	s.Sessions.Remove(r.Context(), "hand")
	s.Sessions.Put(r.Context(), "person", p.ID)
	s.Sessions.Put(r.Context(), "seal", kit.Seal(p))
	s.Sessions.Put(r.Context(), "began", s.App.Clock.Now().UnixMilli())
	s.Sessions.Put(r.Context(), "from", kit.AddressOf(r))
	s.Sessions.Put(r.Context(), "with", deviceOf(r.UserAgent()))
	return nil
}

// deviceOf is what somebody sits at, as far as their browser says so.
func deviceOf(agent string) string {
	switch {
	case strings.Contains(agent, "Tablet"):
		return "a tablet"
	case strings.Contains(agent, "Mobi"):
		return "a phone or tablet"
	case agent == "":
		return ""
	}
	return "a computer"
}

func (s *Room) signOut(w http.ResponseWriter, r *http.Request) {
	if err := s.Sessions.Destroy(r.Context()); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/sign-in", "")
}

// needsToken reports whether naming the first owner takes the console's token.
func (s *Room) needsToken(r *http.Request) bool { return s.Opts.Exposed || !kit.Local(r) }

func (s *Room) first(w http.ResponseWriter, r *http.Request) {
	if empty, err := s.App.Setup.Empty(r.Context()); err != nil || !empty {
		http.Redirect(w, r, "/", http.StatusSeeOther)
		return
	}
	s.Bare(w, r, "first", kit.Page{Title: "A new studio", D: map[string]any{"Token": s.needsToken(r), "Min": setup.MinPassword}})
}

func (s *Room) firstSave(w http.ResponseWriter, r *http.Request) {
	if s.needsToken(r) {
		got := strings.TrimSpace(r.PostFormValue("token"))
		if s.Opts.FirstToken == "" || subtle.ConstantTimeCompare([]byte(got), []byte(s.Opts.FirstToken)) != 1 {
			s.Refuse(w, r, "The token is not the one printed at the console where Sakuji was started.")
			return
		}
	}
	if r.PostFormValue("password") != r.PostFormValue("again") {
		s.Refuse(w, r, "The two passwords differ.")
		return
	}
	p, err := s.App.Setup.FirstOwner(r.Context(), setup.PersonForm{Name: r.PostFormValue("name"), Initials: r.PostFormValue("initials"), Password: r.PostFormValue("password")})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if err := s.enter(w, r, p); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/studio", "Welcome, "+p.Name+". Say what the studio is called; then its machines and materials.")
}

// saveMe changes how the sheets look and behave for whoever is signed in.
func (s *Room) saveMe(w http.ResponseWriter, r *http.Request) {
	if t := r.PostFormValue("theme"); studio.OneOf(t, "day", "night", "auto") {
		s.SetCookie(w, "theme", t, 365*24*time.Hour)
	}
	if l := r.PostFormValue("letters"); l != "" {
		if err := s.App.Setup.SetLetters(r.Context(), kit.Owner(r), l == "off"); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	s.Done(w, r, kit.Back(r, "/"), "")
}
