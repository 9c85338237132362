package kit

import (
	"bytes"
	"cmp"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"net/http"
	"strings"
	"time"

	"sakuji/app/change"
)

// posts are the forms that do a thing once: every one that is posted, but for those that
// send themselves at each change and those that bring files, which are known by their
// contents.
var posts = []byte(`<form method="post"`)

// withActs gives every form an act of its own, so that a double tap does a thing once.
func withActs(page []byte) []byte {
	if !bytes.Contains(page, posts) {
		return page
	}
	key, out := rand.Text()[:16], make([]byte, 0, len(page)+len(page)/16)
	for n := 1; ; n++ {
		at := bytes.Index(page, posts)
		if at < 0 {
			return append(out, page...)
		}
		end := at + bytes.IndexByte(page[at:], '>') + 1
		form := page[at:end]
		out = append(out, page[:end]...)
		if !bytes.Contains(form, []byte("hx-trigger")) && !bytes.Contains(form, []byte("multipart")) {
			out = fmt.Appendf(out, `<input type="hidden" name="act" value="%s-%d">`, key, n)
		}
		page = page[end:]
	}
}

// longestAct is more than any key of ours.
const longestAct = 40

// Once lets a form that is sent twice do a thing once: of one person, at one address. A key that somebody else has
// heard of is worth nothing.
func (s *Kit) Once(who func(*http.Request) int64) func(next http.Handler) http.Handler {
	return func(next http.Handler) http.Handler { return s.once(who, next) }
}

// Acting is whose hand a form is sent by.
func (s *Kit) Acting(r *http.Request) int64 {
	return cmp.Or(queuedBy(r), s.Sessions.GetInt64(r.Context(), "hand"), s.Sessions.GetInt64(r.Context(), "person"))
}

// Whoever is where nobody signs in: the address holds the secret.
func Whoever(*http.Request) int64 { return 0 }

func (s *Kit) once(who func(*http.Request) int64, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost && strings.HasPrefix(r.Header.Get("Content-Type"), "application/x-www-form-urlencoded") {
			if err := r.ParseForm(); err != nil { // too long, or broken off: nothing of it counts
				w.Header().Set("Connection", "close")
				s.Refuse(w, r, "The form did not arrive whole. Nothing was saved.")
				return
			}
			if key := r.PostFormValue("act"); key != "" && len(key) <= longestAct {
				sum := sha256.Sum256(fmt.Appendf(nil, "%d\n%s\n%s", who(r), r.URL.Path, key))
				r = r.WithContext(change.Once(r.Context(), hex.EncodeToString(sum[:16]), r.URL.Path))
			}
		}
		next.ServeHTTP(w, r)
	})
}

// again leads whoever sent a form twice to where the first time led.
func (s *Kit) again(w http.ResponseWriter, r *http.Request) {
	to, told := "", ""
	for range 30 {
		var err error
		if to, told, err = s.App.Again(r.Context()); err != nil {
			s.Log.Error("act", "id", RequestID(r.Context()), "err", err)
			break
		}
		if to != "" {
			break
		}
		select { // the first request is still being answered
		case <-time.After(100 * time.Millisecond):
		case <-r.Context().Done():
			return
		}
	}
	if to == "" {
		s.Refuse(w, r, "That has been done already. Look at the sheet again.")
		return
	}
	s.lead(w, r, to, told)
}

// toldCookie carries what a change told to the sheet that it leads to, so that looking at
// a sheet writes nothing.
const toldCookie = "told"

func (s *Kit) tell(w http.ResponseWriter, told string) {
	if len(told) > 2400 {
		told = strings.ToValidUTF8(told[:2400], "") + " …"
	}
	s.SetCookie(w, toldCookie, base64.RawURLEncoding.EncodeToString([]byte(told)), time.Minute)
}

// TakeTold is what was told, once.
func (s *Kit) TakeTold(w http.ResponseWriter, r *http.Request) string {
	c, err := r.Cookie(toldCookie)
	if err != nil {
		return ""
	}
	s.SetCookie(w, toldCookie, "", -time.Second)
	told, err := base64.RawURLEncoding.DecodeString(c.Value)
	if err != nil {
		return ""
	}
	return string(told)
}

// SetCookie leaves a cookie for a while, or takes it away if that is less than nothing.
func (s *Kit) SetCookie(w http.ResponseWriter, name, value string, keep time.Duration) {
	http.SetCookie(w, &http.Cookie{Name: name, Value: value, Path: "/", MaxAge: int(keep / time.Second), HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: s.Opts.BehindTLS})
}
