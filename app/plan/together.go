package plan

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/route"
	"sakuji/studio"
)

// Together is what would be done better in one session: one setting up, one mixing, one cleaning of the gun
// for all that needs the same.
type Together struct {
	Doing    string
	How      string // with what
	Names    []string
	Pieces   int
	Person   studio.Person
	At       time.Time
	SavesMin float64
	Keys     []string
}

// Of what is looked for: for how far ahead, how little is not worth telling, how many are told.
const (
	togetherDays  = 3
	togetherLeast = 4.0 // minutes saved
	togetherMost  = 3
)

// mostTried is how many of them are planned to see whether anybody would be late by it.
const mostTried = 6

// Sessions that would save setting up: what takes the same coat from the same pot, on the same day, and is
// planned apart. Each is planned before it is told; what makes an order late is not.
func (a *Room) Together(ctx context.Context, upTo time.Duration) (out []Together, err error) {
	s, err := a.Plan(ctx, upTo)
	if err != nil {
		return nil, err
	}
	for k, t := range s.apart() {
		if k >= mostTried || len(out) >= togetherMost {
			break
		}
		trial, err := a.Try(ctx, Move{Keys: t.Keys, PersonID: t.Person.ID, At: t.At}, upTo)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(trial.Orders, func(d Difference) bool { return d.Worse }) {
			t.At = trial.From
			out = append(out, t)
		}
	}
	return out, nil
}

// apart finds them, what saves most first.
func (s Sheet) apart() (out []Together) {
	type pot struct {
		day  string
		kind route.StageKind
		how  string
	}
	zone := s.Shop.Studio.Zone()
	pots := map[pot][]Task{}
	var order []pot
	for _, t := range s.Tasks {
		if s.Shop.SetUpMin(t.Stage) == 0 || t.From.Sub(s.Now) > togetherDays*24*time.Hour || t.Moved {
			continue
		}
		k := pot{t.From.In(zone).Format(time.DateOnly), t.Stage, howOf(t)}
		if pots[k] == nil {
			order = append(order, k)
		}
		pots[k] = append(pots[k], t)
	}
	for _, k := range order {
		list := pots[k]
		sessions := sessionsOf(list, time.Duration(s.Shop.Book.V("mix.lasts")*float64(time.Hour)))
		if sessions < 2 {
			continue
		}
		last := list[len(list)-1]
		t := Together{Doing: last.Doing, How: k.how, At: last.From, SavesMin: float64(sessions-1) * s.Shop.SetUpMin(k.kind)}
		t.Person, _ = s.person(last.PersonID)
		for _, x := range list {
			t.Pieces, t.Keys = t.Pieces+x.Pieces, append(t.Keys, x.Key)
			if name, _, _ := strings.Cut(x.Piece.Name, ", "); !slices.Contains(t.Names, name) {
				t.Names = append(t.Names, name)
			}
		}
		if t.SavesMin >= togetherLeast {
			out = append(out, t)
		}
	}
	slices.SortStableFunc(out, func(a, b Together) int { return cmp.Compare(b.SavesMin, a.SavesMin) })
	return out
}

// howOf is with what a task’s stage is done.
func howOf(t Task) string {
	for _, x := range t.Piece.Stages {
		if x.Kind == t.Stage && x.Mark == route.Todo {
			return x.How
		}
	}
	return ""
}

// sessionsOf counts how often tasks in the order of time are set up for: by other hands, or when what was mixed
// is good no more.
func sessionsOf(list []Task, lasts time.Duration) (n int) {
	for k, t := range list {
		if k == 0 || t.PersonID != list[k-1].PersonID || t.From.Sub(list[k-1].To) > lasts {
			n++
		}
	}
	return n
}

// Title says what it is.
func (t Together) Title() string {
	return fmt.Sprintf("%s these %d pieces together: %s", studio.UpperFirst(t.Doing), t.Pieces, strings.Join(t.Names, ", "))
}
