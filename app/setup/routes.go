package setup

import (
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/studio"
)

// mostOwnRoutes is how many finish routes of its own a studio keeps.
const mostOwnRoutes = 40

// SaveRoute keeps a finish route of the studio's own, under its name: one that was there is changed.
// What was sent stays as it is; prices and pieces that are made from now on follow.
func (a *Room) SaveRoute(ctx context.Context, who change.Actor, r rates.FinishRoute) error {
	if r.Name = strings.TrimSpace(r.Name); r.Name == "" || utf8.RuneCountInString(r.Name) > 60 {
		return change.RefuseField("name", "A finish route needs a name of 60 letters at most.")
	}
	r.Key = finish.OwnRoute + r.Name
	r.Steps = slices.DeleteFunc(r.Steps, func(l string) bool { return strings.TrimSpace(l) == "" })
	if _, err := finish.Read(r); err != nil {
		return change.RefuseField("steps", "%s. Nothing was changed.", studio.UpperFirst(err.Error()))
	}
	return a.onDefaults(ctx, who, func(ways *studio.Defaults) (string, error) {
		at := slices.IndexFunc(ways.Routes, func(o rates.FinishRoute) bool { return o.Key == r.Key })
		switch {
		case at >= 0:
			ways.Routes = slices.Clone(ways.Routes)
			ways.Routes[at] = r
			return "finish route changed: " + r.Name, nil
		case len(ways.Routes) >= mostOwnRoutes:
			return "", change.Refuse("A studio keeps %d finish routes of its own at most.", mostOwnRoutes)
		}
		ways.Routes = append(slices.Clone(ways.Routes), r)
		return "finish route added: " + r.Name, nil
	})
}

// DropRoute takes a finish route of the studio's own away; what was to be smoothed so goes by the
// usual one.
func (a *Room) DropRoute(ctx context.Context, who change.Actor, key string) error {
	return a.onDefaults(ctx, who, func(ways *studio.Defaults) (string, error) {
		at := slices.IndexFunc(ways.Routes, func(o rates.FinishRoute) bool { return o.Key == key })
		if at < 0 {
			return "", change.Refuse("It is gone already.")
		}
		ways.Routes = slices.Delete(slices.Clone(ways.Routes), at, at+1)
		return "finish route taken away: " + finish.RouteName(key), nil
	})
}

// onDefaults changes the studio's choices, and says in the logbook what.
func (a *Room) onDefaults(ctx context.Context, who change.Actor, f func(*studio.Defaults) (string, error)) error {
	return a.Do(ctx, who, func(d change.Change) error {
		s, err := d.Studio()
		if err != nil {
			return change.Refuse("Set the studio up first: its name and currency stand on every quote.")
		}
		said, err := f(&s.Defaults)
		if err != nil {
			return err
		}
		if err := d.Tx.SaveStudio(s); err != nil {
			return err
		}
		return d.Note("rates changed", change.About{}, "%s", said)
	})
}

// SaveSchools keeps what the studio has chosen where practitioners disagree. Pieces and prices made
// from now on follow.
func (a *Room) SaveSchools(ctx context.Context, who change.Actor, schools finish.Schools) error {
	return a.onDefaults(ctx, who, func(ways *studio.Defaults) (string, error) {
		ways.Schools = schools
		return "how we paint", nil
	})
}
