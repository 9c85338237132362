// Package setup is what the studio is: its people and how they sign in, its name and
// currency, its machines, materials and rates. Load gives all of it as a Shop, which every
// estimate draws on.
package setup

import (
	"context"
	"math"
	"net/mail"
	"net/url"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/studio"
)

// Room is where the studio is set up.
type Room struct{ change.Base }

// New makes the room.
func New(base change.Base) *Room { return &Room{base} }

// Empty reports whether nobody belongs to the studio yet.
func (a *Room) Empty(ctx context.Context) (empty bool, err error) {
	people, err := a.People(ctx)
	return len(people) == 0, err
}

// SaveStudio sets the studio up or changes it.
func (a *Room) SaveStudio(ctx context.Context, who change.Actor, s studio.Studio) error {
	s.Name, s.Currency, s.PublicURL = strings.TrimSpace(s.Name), strings.ToUpper(strings.TrimSpace(s.Currency)), strings.TrimRight(strings.TrimSpace(s.PublicURL), "/")
	if s.Name == "" {
		return change.Refuse("The studio needs a name: it stands on every quote.")
	}
	if !studio.IsCurrency(s.Currency) {
		return change.Refuse("A currency is three letters, such as EUR.")
	}
	if s.FirstOrder == 0 {
		s.FirstOrder = 1
	}
	if s.FirstOrder < 1 || s.FirstOrder > 99_999_999 {
		return change.Refuse("Order numbers go on from 1 or more, eight digits at most.")
	}
	if !(s.TaxPercent >= 0 && s.TaxPercent <= 100) {
		return change.Refuse("Tax is between 0 and 100 %%.")
	}
	if _, err := time.LoadLocation(s.TimeZone); err != nil || s.TimeZone == "" {
		return change.Refuse("%q is not a time zone. Write it as Continent/City.", s.TimeZone)
	}
	if s.PublicURL != "" {
		if u, err := url.Parse(s.PublicURL); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			return change.Refuse("The public address begins with https:// or http://.")
		}
	}
	if s.Email != "" {
		if _, err := mail.ParseAddress(s.Email); err != nil {
			return change.Refuse("%q is not a mail address.", s.Email)
		}
	}
	return a.Do(ctx, who, func(d change.Change) error {
		was, err := d.Studio()
		if err != nil && !change.NotFound(err) {
			return err
		}
		s.Defaults = was.Defaults
		if err := d.Tx.SaveStudio(s); err != nil {
			return err
		}
		return d.Note("studio changed", change.About{}, "%s, %s, tax %s %%, %s", s.Name, s.Currency, rates.Number(s.TaxPercent), s.TimeZone)
	})
}

// SaveDefaults keeps the studio’s finish routes and its discount codes, one to a line: a code and
// its per cent.
func (a *Room) SaveDefaults(ctx context.Context, who change.Actor, ways studio.Defaults, codes string) error {
	for _, key := range ways.FinishRoutes {
		if finish.RouteName(key) == "" {
			return change.Refuse("There is no finish route %q.", key)
		}
	}
	ways.DiscountCodes = map[string]float64{}
	for i, l := range strings.Split(strings.TrimSpace(codes), "\n") {
		if l = strings.TrimSpace(l); l == "" {
			continue
		}
		words := strings.Fields(strings.TrimSuffix(l, "%"))
		off := math.NaN()
		if len(words) == 2 {
			off, _ = studio.ParseNumber(words[1])
		}
		if !(off > 0 && off <= 100) {
			return change.Refuse("Codes, line %d: %q is not a code and its per cent, such as GUILD 10. Nothing was changed.", i+1, l)
		}
		ways.DiscountCodes[strings.ToUpper(words[0])] = off
	}
	return a.Do(ctx, who, func(d change.Change) error {
		s, err := d.Studio()
		if err != nil {
			return change.Refuse("Set the studio up first: its name and currency stand on every quote.")
		}
		s.Defaults.FinishRoutes, s.Defaults.DiscountCodes = ways.FinishRoutes, ways.DiscountCodes
		if err := d.Tx.SaveStudio(s); err != nil {
			return err
		}
		return d.Note("rates changed", change.About{}, "our default finish routes and discount codes")
	})
}

// Devices is where the studio's devices answer; empty: nowhere.
type Devices struct {
	Scale, Sensor, Labels string
}

// SetDevices keeps where they answer.
func (a *Room) SetDevices(ctx context.Context, who change.Actor, at Devices) error {
	for field, link := range map[string]*string{"scale": &at.Scale, "sensor": &at.Sensor, "labels": &at.Labels} {
		*link = strings.TrimRight(strings.TrimSpace(*link), "/")
		if u, err := url.Parse(*link); *link != "" && (err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "") {
			return change.RefuseField(field, "It answers at http://…; %q is no address. Nothing was changed.", *link)
		}
	}
	return a.Do(ctx, who, func(d change.Change) error {
		s, err := d.Studio()
		if err != nil {
			return err
		}
		s.Defaults.Scale, s.Defaults.Sensor, s.Defaults.Labels = at.Scale, at.Sensor, at.Labels
		if err := d.SaveStudio(s); err != nil {
			return err
		}
		return d.Note("studio changed", change.About{}, "its scale answers at %q, its sensor at %q, its label printer at %q", at.Scale, at.Sensor, at.Labels)
	})
}
