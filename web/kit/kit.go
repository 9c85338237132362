// Package kit is what every room of web uses: the page around a sheet, forms, refusals and
// questions, who is asking, drawings that several sheets share. A room embeds it. It knows
// no sheet and no address of its own.
package kit

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"html/template"
	"io/fs"
	"log/slog"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"

	"sakuji/app"
)

// TimeMachine lets simulated time pass; only the demo has one.
type TimeMachine interface {
	// Pass lets time pass, machines and waits included.
	Pass(ctx context.Context, d time.Duration) error
	// ToNext lets time pass until something ends by itself, and says whether anything did.
	ToNext(ctx context.Context) (bool, error)
}

// Options are how the server is started.
type Options struct {
	Demo       TimeMachine   // not nil: the demo studio, its owner signed in by itself on loopback
	FirstToken string        // asked for when the first owner is named from elsewhere than this machine
	Exposed    bool          // it listens on more than loopback
	BehindTLS  bool          // a proxy on this machine speaks HTTPS for it and says who asks
	Patience   time.Duration // for the first byte of a form; 0: as usual
}

// Kit is what every room has at hand.
type Kit struct {
	App      *app.App
	Log      *slog.Logger
	Opts     Options
	Sessions *scs.SessionManager
	Closing  chan struct{} // closed when the server is to end: streams end by it

	pages  map[string]*template.Template
	shared *template.Template
	hungUp sync.Once
	sent   sentLately
	turns  chan struct{}
}

// New makes a kit; static are the styles and scripts, whose version goes into their address.
func New(a *app.App, log *slog.Logger, opts Options, sessions *scs.SessionManager, static fs.FS) *Kit {
	k := &Kit{App: a, Log: log, Opts: opts, Sessions: sessions, Closing: make(chan struct{}), pages: map[string]*template.Template{}, turns: newTurns()}
	k.shared = template.Must(template.New("shared").Funcs(funcs(versionOf(static))).ParseFS(templates, "templates/_*.html"))
	k.Pages(templates)
	return k
}

// HangUp ends the streams, which would otherwise go on as long as somebody looks.
func (s *Kit) HangUp() { s.hungUp.Do(func() { close(s.Closing) }) }

// Pages adds the templates of a room: each a page of its file's name, together with the
// layout and the parts that all share, whose names begin with an underscore.
func (s *Kit) Pages(room fs.FS) {
	names, err := fs.Glob(room, "templates/*.html")
	if err != nil {
		panic(err)
	}
	for _, name := range names {
		base := strings.TrimSuffix(path.Base(name), ".html")
		if strings.HasPrefix(base, "_") {
			continue
		}
		if s.pages[base] != nil {
			panic("two rooms have a page " + base)
		}
		s.pages[base] = template.Must(template.Must(s.shared.Clone()).ParseFS(room, name))
	}
}

// versionOf changes with the styles and scripts, so that browsers ask again.
func versionOf(static fs.FS) string {
	sum := sha256.New()
	for _, name := range []string{"static/app.css", "static/app.js", "static/part.js"} {
		data, err := fs.ReadFile(static, name)
		if err != nil {
			panic(err)
		}
		sum.Write(data)
	}
	return hex.EncodeToString(sum.Sum(nil))[:12]
}
