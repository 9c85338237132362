// Package backups keeps copies of the studio in a second folder: one a day, thinned by a rule
// as they age, each read back before it counts. What is there is told by the files alone, so
// that a folder on another disk, or one carried over, speaks for itself.
package backups

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"sakuji/app/change"
	"sakuji/store"
)

// Room is where the copies are made.
type Room struct {
	change.Base
	Dir string // where they lie; empty: none are made

	now     chan struct{} // somebody asks for one
	mu      sync.Mutex
	trouble string // why the last try did not give a good one
}

// New makes the room; without a folder it makes no copies.
func New(base change.Base) *Room { return &Room{Base: base, now: make(chan struct{}, 1)} }

// Ask has a copy made as soon as may be.
func (a *Room) Ask() {
	select {
	case a.now <- struct{}{}:
	default: // it is asked for already
	}
}

const (
	// Every is how long a good copy lasts.
	Every = 24 * time.Hour
	// Late is the age of the last good copy at which people are told: a day, and time to
	// have switched a machine off over a night.
	Late = 36 * time.Hour
	// tryAgain is how long a try that failed is left alone.
	tryAgain = time.Hour

	stamp      = "2006-01-02T150405Z"
	good       = store.Packed
	incomplete = ".incomplete" + store.Packed
	before     = ".tgz" // those of older programs
	ahead      = 10 * time.Minute
)

// Copy is one of the files.
type Copy struct {
	Name string
	At   time.Time
	Good bool // everything the studio knows of is in it
}

// State is how the copies stand.
type State struct {
	Dir     string
	Copies  []Copy // newest first
	Trouble string // why the last try did not give a good one
	Now     time.Time
}

// Last is the newest good copy; zero if there is none. One that is dated in the future, when a clock went wrong, does not
// count, whatever it holds.
func (s State) Last() Copy {
	for _, c := range s.Copies {
		if c.Good && !c.At.After(s.Now.Add(ahead)) {
			return c
		}
	}
	return Copy{}
}

// State looks at the folder.
func (a *Room) State() (s State, err error) {
	a.mu.Lock()
	s = State{Dir: a.Dir, Trouble: a.trouble, Now: a.Clock.Now()}
	a.mu.Unlock()
	if a.Dir == "" {
		return s, nil
	}
	entries, err := os.ReadDir(a.Dir)
	if errors.Is(err, os.ErrNotExist) {
		return s, nil
	}
	for _, e := range entries {
		if c, ours := parse(e.Name()); ours {
			s.Copies = append(s.Copies, c)
		}
	}
	slices.SortFunc(s.Copies, func(a, b Copy) int { return b.At.Compare(a.At) })
	return s, err
}

func nameOf(at time.Time, whole bool) string {
	end := incomplete
	if whole {
		end = good
	}
	return "sakuji-" + at.UTC().Format(stamp) + end
}

func parse(name string) (c Copy, ours bool) {
	rest, ours := strings.CutPrefix(name, "sakuji-")
	rest, old := strings.CutSuffix(rest, before)
	if old {
		rest += good
	}
	rest, part := strings.CutSuffix(rest, incomplete)
	rest = strings.TrimSuffix(rest, good)
	at, err := time.Parse(stamp, rest)
	c = Copy{Name: name, At: at, Good: !part}
	return c, ours && err == nil && (nameOf(at, c.Good) == name || old && strings.TrimSuffix(nameOf(at, c.Good), good) == strings.TrimSuffix(name, before))
}

// Thinned are the copies that have had their time: the newest of each of the last seven days,
// four weeks and twelve months that have one are kept, by the calendar of UTC. Source: three
// generations of copies, common practice; the counts are ours. Copies that are incomplete go
// as soon as there is a good one that is newer.
func Thinned(list []Copy, now time.Time) (gone []Copy) {
	list = slices.DeleteFunc(slices.Clone(list), func(c Copy) bool { return c.At.After(now.Add(ahead)) }) // they wait until they are past
	keep := map[string]bool{}
	for _, rule := range []struct {
		most int
		of   func(time.Time) string
	}{
		{7, func(t time.Time) string { return t.Format(time.DateOnly) }},
		{4, func(t time.Time) string { y, w := t.ISOWeek(); return fmt.Sprint(y, "-", w) }},
		{12, func(t time.Time) string { return t.Format("2006-01") }},
	} {
		seen := map[string]bool{}
		for _, c := range list {
			if span := rule.of(c.At.UTC()); c.Good && !seen[span] && len(seen) < rule.most {
				seen[span], keep[c.Name] = true, true
			}
		}
	}
	newest := State{Copies: list, Now: now}.Last()
	for _, c := range list {
		if c.Good && !keep[c.Name] || !c.Good && c.At.Before(newest.At) {
			gone = append(gone, c)
		}
	}
	return gone
}

// inWords says why no copy could be made, without the names of what was only on its way.
func inWords(err error) string {
	var path *fs.PathError
	switch why := store.Unwritable(err); {
	case why != nil:
		return why.Error()
	case errors.As(err, &path):
		return "the folder of the backups: " + path.Err.Error()
	}
	return err.Error()
}

// Make makes a copy now and thins the old ones. What of the studio is missing or damaged is
// told, a line each; such a copy is kept, and does not count as a good one.
func (a *Room) Make(ctx context.Context) (name string, faults []string, err error) {
	defer func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		switch {
		case err != nil:
			a.trouble = inWords(err)
		case len(faults) > 0:
			a.trouble = strings.Join(faults, "; ")
		default:
			a.trouble = ""
		}
	}()
	if err := os.MkdirAll(a.Dir, 0o700); err != nil {
		return "", nil, err
	}
	at := a.Clock.Now()
	name = filepath.Join(a.Dir, nameOf(at, true))
	if faults, err = a.Store.Backup(ctx, name); err != nil {
		return "", nil, err
	}
	if len(faults) > 0 {
		part := filepath.Join(a.Dir, nameOf(at, false))
		if err := os.Rename(name, part); err != nil {
			return "", faults, err
		}
		return part, faults, nil
	}
	s, err := a.State()
	for _, c := range Thinned(s.Copies, s.Now) {
		err = errors.Join(err, os.Remove(filepath.Join(a.Dir, c.Name)))
	}
	return name, nil, err
}

// Work makes a copy whenever the last good one is a day old, until the context ends.
func (a *Room) Work(ctx context.Context, log *slog.Logger) {
	if a.Dir == "" {
		return
	}
	left, _ := filepath.Glob(filepath.Join(a.Dir, ".backup-*")) // the pattern is ours
	for _, name := range left {
		os.RemoveAll(name) //nolint:errcheck // it is tried again at the next start
	}
	for wait := time.Second; ; {
		asked := false
		select {
		case <-ctx.Done():
			return
		case <-a.now:
			asked = true
		case <-time.After(wait):
		}
		s, err := a.State()
		if wait = a.due(s); err == nil && wait > 0 && !asked {
			continue
		}
		wait = tryAgain
		name, faults, err := a.Make(ctx)
		switch {
		case ctx.Err() != nil:
		case err != nil:
			log.Error("backup", "err", err)
		case len(faults) > 0:
			log.Error("backup", "file", name, "faults", faults)
		default:
			log.Info("backup", "file", name)
		}
	}
}

// due is how long it is until the next copy; nothing or less when it is time.
func (a *Room) due(s State) time.Duration {
	age := max(0, a.Clock.Now().Sub(s.Last().At))
	if age >= Every {
		return 0
	}
	return min(Every-age, 10*time.Minute)
}
