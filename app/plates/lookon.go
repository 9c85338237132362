package plates

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/studio"
)

// LookedOn is how far a longer search for plates is.
type LookedOn struct {
	Seconds int
	Share   float64 // 0..1
	Rounds  int
	Over    bool
	SavedS  float64 // of the time of the soonest way, against what a moment had found
}

// lookingOn is a search that goes on, and the best of each way so far.
type lookingOn struct {
	far  LookedOn
	ways []Way
}

// MostSeconds is how long a search may go on.
const MostSeconds = 120

// stillLooking is how long a search that goes on is waited for before it is shown how far it is.
const stillLooking = 300 * time.Millisecond

// key names all that goes into a plan.
func (w WhatIf) key(seconds int) string {
	h := sha256.New()
	fmt.Fprint(h, w.Process, w.Material.ID, w.Profile, w.Other, seconds)
	for _, p := range w.Pieces {
		fmt.Fprint(h, " ", p.Piece.ID, p.Piece.OrientationID, p.Piece.Scale)
	}
	for _, m := range w.Machines {
		fmt.Fprint(h, " ", m.ID, m.Figures["layer"].Value, m.Calibration.Factor())
	}
	for _, s := range w.laid {
		fmt.Fprint(h, " ", s.Plate.ID)
	}
	return fmt.Sprintf("plates %x", h.Sum(nil))
}

// lookOn goes on looking for so many seconds, while somebody watches, and gives the best of each way so
// far.
func (a *Room) lookOn(ctx context.Context, w *WhatIf, seconds int) error {
	seconds = min(seconds, MostSeconds)
	key, from := w.key(seconds), *w
	_, err := jobs.Ask(ctx, &a.answers, key, stillLooking, func(ctx context.Context) (bool, error) {
		return true, a.look(ctx, from, key, time.Duration(seconds)*time.Second)
	})
	if err != nil && !errors.Is(err, jobs.ErrUnderway) {
		return err
	}
	a.lookMu.Lock()
	defer a.lookMu.Unlock()
	if l := a.looking[key]; l != nil {
		far := l.far
		w.LookedOn, w.Ways = &far, slices.Clone(l.ways)
		return nil
	}
	w.ways(whatIfSteps, 1) // its first round is not over yet
	w.LookedOn = &LookedOn{Seconds: seconds}
	return nil
}

// mostLooked is how many searches are remembered.
const mostLooked = 8

// look is the search: round after round by other dice and more steps, keeping of each way the best.
func (a *Room) look(ctx context.Context, w WhatIf, key string, long time.Duration) error {
	began := time.Now()
	first := time.Time{}
	for round := 1; ctx.Err() == nil; round++ {
		w.ways(whatIfSteps*round, uint64(round))
		share := min(1, float64(time.Since(began))/float64(long))
		a.lookMu.Lock()
		l := a.looking[key]
		if l == nil || round == 1 {
			if len(a.looking) >= mostLooked {
				a.looking = map[string]*lookingOn{}
			}
			l = &lookingOn{far: LookedOn{Seconds: int(long.Seconds())}, ways: w.Ways}
			a.looking[key] = l
		}
		for k := range l.ways {
			if w.Ways[k].betterThan(l.ways[k]) {
				l.ways[k] = w.Ways[k]
			}
		}
		soonest := slices.MinFunc(l.ways, func(a, b Way) int { return a.Ends.Compare(b.Ends) }).Ends
		if round == 1 {
			first = soonest
		}
		l.far.Share, l.far.Rounds, l.far.Over, l.far.SavedS = share, round, share >= 1, first.Sub(soonest).Seconds()
		a.lookMu.Unlock()
		if share >= 1 {
			return nil
		}
	}
	return ctx.Err()
}

// betterThan reports whether a way leaves less, is ready sooner, or takes less of the machines.
func (w Way) betterThan(other Way) bool {
	if len(w.Runs) == 0 || len(other.Runs) == 0 {
		return len(w.Runs) > len(other.Runs)
	}
	return cmp.Or(cmp.Compare(len(w.Left), len(other.Left)), cmp.Compare(w.Late, other.Late), w.Ends.Compare(other.Ends), cmp.Compare(w.Minutes, other.Minutes)) < 0
}

// found is a way by machines, as it was shown.
func (a *Room) found(w WhatIf, machines []studio.Machine, seconds int) (Way, error) {
	if seconds <= 0 {
		w.steps, w.seed = whatIfSteps, 1
		return w.way("", machines), nil
	}
	a.lookMu.Lock()
	defer a.lookMu.Unlock()
	if l := a.looking[w.key(min(seconds, MostSeconds))]; l != nil {
		for _, way := range l.ways {
			if way.Owned && slices.EqualFunc(way.Machines, machines, func(a, b studio.Machine) bool { return a.ID == b.ID }) {
				return way, nil
			}
		}
	}
	return Way{}, change.Refuse("What was found is not there any more: other pieces wait now, or the program was started again. Look again.")
}
