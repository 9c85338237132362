package plan

import (
	"context"
	"crypto/rand"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// Feeds are the calendars of the plan that somebody may see and end: their own, and for an owner everybody's.
type Feeds struct {
	Shop      studio.Shop
	People    []studio.Person
	Calendars []studio.Calendar
}

// Whose says whose plan a calendar shows.
func (f Feeds) Whose(c studio.Calendar) string {
	if m, ok := f.Shop.Machine(c.MachineID); ok && c.MachineID != 0 {
		return m.Name
	}
	if name := f.Person(c.PersonID); name != "" {
		return name
	}
	return "the whole studio"
}

// Person is somebody's name.
func (f Feeds) Person(id int64) string {
	if at := slices.IndexFunc(f.People, func(p studio.Person) bool { return p.ID == id }); at >= 0 {
		return f.People[at].Name
	}
	return ""
}

// mostCalendars is how many somebody has at most. Source: from memory.
const mostCalendars = 20

// Feeds loads them.
func (a *Room) Feeds(ctx context.Context, who studio.Person) (f Feeds, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if f.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		if f.People, err = tx.People(); err != nil {
			return err
		}
		f.Calendars, err = tx.Calendars(map[bool]int64{true: 0, false: who.ID}[who.Role == studio.Owner])
		return err
	})
	return f, err
}

// AddCalendar makes a calendar of a person's plan, a machine's, or of neither the studio's, at an address of its own.
func (a *Room) AddCalendar(ctx context.Context, who change.Actor, personID, machineID int64) error {
	return a.Do(ctx, who, func(c change.Change) error {
		of := "the studio"
		if personID != 0 {
			p, err := c.Person(personID)
			if err != nil {
				return err
			}
			of = p.Name
		}
		if machineID != 0 {
			m, err := setup.Machine(c.Tx, machineID)
			if err != nil {
				return err
			}
			of = m.Name
		}
		mine, err := c.Calendars(who.ID)
		if err != nil {
			return err
		}
		if len(mine) >= mostCalendars {
			return change.Refuse("That would be more than %d calendars of yours. End one first.", mostCalendars)
		}
		if err := c.AddCalendar(&studio.Calendar{Secret: rand.Text(), PersonID: personID, MachineID: machineID, ByID: who.ID, Made: c.Now}); err != nil {
			return err
		}
		return c.Note("calendar made", change.About{}, "of %s", of)
	})
}

// EndCalendar ends a calendar that somebody has made; an owner ends everybody's.
func (a *Room) EndCalendar(ctx context.Context, who studio.Person, id int64) error {
	return a.Do(ctx, change.ActorOf(who), func(c change.Change) error {
		all, err := c.Calendars(0)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(all, func(x studio.Calendar) bool { return x.ID == id })
		if at < 0 || all[at].ByID != who.ID && who.Role != studio.Owner {
			return store.ErrNotFound
		}
		if err := c.DropCalendar(id); err != nil {
			return err
		}
		return c.Note("calendar ended", change.About{}, "%s", all[at].Masked())
	})
}

// Feed is the plan for who has the secret of a calendar's address, and whose that is. It ends when its maker's work here
// does.
func (a *Room) Feed(ctx context.Context, secret string, upTo time.Duration) (s Sheet, c studio.Calendar, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if c, err = tx.Calendar(secret); err != nil {
			return err
		}
		p, err := tx.Person(c.ByID)
		if err == nil && !p.Active {
			err = store.ErrNotFound
		}
		return err
	})
	if err != nil {
		return s, c, err
	}
	s, err = a.Plan(ctx, upTo)
	return s, c, err
}
