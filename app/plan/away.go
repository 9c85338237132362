package plan

import (
	"context"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// Away is when people and machines are not there, and what is said of the weather.
type Away struct {
	Shop     studio.Shop
	Now      time.Time
	People   []studio.Person
	Absences []studio.Absence
	Fine     []studio.FineDay
}

// Away loads it, from today on.
func (a *Room) Away(ctx context.Context) (out Away, err error) {
	out.Now = a.Clock.Now()
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if out.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		if out.People, err = tx.People(); err != nil {
			return err
		}
		if out.Absences, err = tx.Absences(out.Now); err != nil {
			return err
		}
		out.Fine, err = tx.FineDays(out.Now.In(out.Shop.Studio.Zone()).Format(time.DateOnly))
		return err
	})
	return out, err
}

// Usual is from when until when it is taken to be fine outside.
func (a Away) Usual() [2]string {
	clock := func(key rates.Key) string {
		h := a.Shop.Book.V(key)
		return time.Date(0, 1, 1, 0, int(60*h), 0, 0, time.UTC).Format("15:04")
	}
	return [2]string{clock("outside.from"), clock("outside.to")}
}

// Whose names who an absence is of.
func (a Away) Whose(x studio.Absence) string {
	for _, p := range a.People {
		if p.ID == x.PersonID {
			return p.Name
		}
	}
	if m, ok := a.Shop.Machine(x.MachineID); ok && x.MachineID != 0 {
		return m.Name
	}
	return "Everybody"
}

// AddAbsence notes when a person, a machine or everybody is away.
func (a *Room) AddAbsence(ctx context.Context, who change.Actor, x studio.Absence) error {
	x.Why = strings.TrimSpace(x.Why)
	switch {
	case !x.To.After(x.From):
		return change.RefuseField("to", "Until: it ends before it begins.")
	case x.To.Sub(x.From) > studio.MostAbsenceDays*24*time.Hour:
		return change.RefuseField("to", "Until: %d days at the most.", studio.MostAbsenceDays)
	case x.To.Before(a.Clock.Now()):
		return change.RefuseField("to", "Until: that is past.")
	case len([]rune(x.Why)) > 100:
		return change.RefuseField("why", "Why: 100 letters at the most.")
	}
	return a.Do(ctx, who, func(d change.Change) error {
		name := "everybody"
		if x.PersonID != 0 {
			p, err := d.Person(x.PersonID)
			if err != nil {
				return err
			}
			name = p.Name
		}
		if x.MachineID != 0 {
			m, err := setup.Machine(d.Tx, x.MachineID)
			if err != nil {
				return err
			}
			name = m.Name
		}
		if err := d.AddAbsence(&x); err != nil {
			return err
		}
		return d.Note("absence noted", change.About{}, "%s%s", name, studio.Dash(x.Why))
	})
}

// DropAbsence takes one back.
func (a *Room) DropAbsence(ctx context.Context, who change.Actor, id int64) error {
	return a.Do(ctx, who, func(d change.Change) error {
		if err := d.DropAbsence(id); err != nil {
			return err
		}
		return d.Note("absence taken back", change.About{}, "")
	})
}

// SayWeather says of a day from when until when it may be sprayed outside; neither: not at all.
func (a *Room) SayWeather(ctx context.Context, who change.Actor, day time.Time, from, to string) error {
	f, err := studio.FineOn(day, from, to)
	if err != nil {
		return change.Refused(err)
	}
	return a.Do(ctx, who, func(d change.Change) error {
		if err := d.SaveFineDay(f); err != nil {
			return err
		}
		told := "not outside"
		if !f.Never() {
			told = "outside from " + f.From() + " to " + f.To()
		}
		return d.Note("weather said", change.About{}, "%s: %s", f.Day, told)
	})
}
