package app

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"net/mail"
	"net/url"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/argon2"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// Empty reports whether nobody belongs to the studio yet.
func (a *App) Empty(ctx context.Context) (empty bool, err error) {
	people, err := a.People(ctx)
	return len(people) == 0, err
}

// People returns everybody.
func (a *App) People(ctx context.Context) (people []studio.Person, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		people, err = tx.People()
		return err
	})
	return people, err
}

// Person returns one by id.
func (a *App) Person(ctx context.Context, id int64) (p studio.Person, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		p, err = tx.Person(id)
		return err
	})
	return p, err
}

// MinPassword is the least length of a password. Source: NIST SP 800-63B, 5.1.1.1.
const MinPassword = 8

// Argon2id parameters. Source: RFC 9106, section 4, second recommended option.
const (
	argonTime, argonMemoryKB, argonThreads, argonKey = 3, 64 * 1024, 4, 32
)

// HashPassword returns an argon2id hash with its salt and parameters.
func HashPassword(password string) string {
	salt := make([]byte, 16)
	rand.Read(salt) //nolint:errcheck // never fails since Go 1.24
	key := argon2.IDKey([]byte(password), salt, argonTime, argonMemoryKB, argonThreads, argonKey)
	return fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=%d$%s$%s", argonMemoryKB, argonTime, argonThreads,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key))
}

func passwordFits(password, hash string) bool {
	var memory, time uint32
	var threads uint8
	fields := strings.Split(hash, "$")
	if len(fields) != 6 {
		return false
	}
	if _, err := fmt.Sscanf(fields[3], "m=%d,t=%d,p=%d", &memory, &time, &threads); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(fields[4])
	want, err2 := base64.RawStdEncoding.DecodeString(fields[5])
	if err1 != nil || err2 != nil || len(want) == 0 {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, time, memory, threads, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// nobody is checked when a name is not known, so that it takes as long.
var nobody = sync.OnceValue(func() string { return HashPassword("nobody signs in with this") })

// SignIn returns the person of a name or initials and a password.
func (a *App) SignIn(ctx context.Context, name, password string) (p studio.Person, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		p, err = tx.PersonNamed(strings.TrimSpace(name))
		return err
	})
	hash := p.PasswordHash
	if err != nil || hash == "" {
		hash = nobody()
	}
	fits := passwordFits(password, hash)
	if err != nil && !NotFound(err) {
		return p, err
	}
	if err != nil || !fits || p.PasswordHash == "" {
		return studio.Person{}, refuse("That name and password do not belong together.")
	}
	return p, nil
}

// PersonForm is what can be said about a person.
type PersonForm struct {
	Name     string
	Initials string
	Role     string
	Password string // empty: unchanged
	Active   bool
	Wage     string // an amount an hour; empty: as the rate book has it
}

// FirstOwner makes the first person, while there is none.
func (a *App) FirstOwner(ctx context.Context, f PersonForm) (p studio.Person, err error) {
	f.Role, f.Active = studio.Owner, true
	if f.Password == "" {
		return p, refuse("Choose a password of at least %d characters.", MinPassword)
	}
	err = a.do(ctx, Actor{Name: f.Name}, func(d Change) error {
		people, err := d.People()
		if err != nil {
			return err
		}
		if len(people) > 0 {
			return refuse("The studio already has an owner. Sign in.")
		}
		return d.savePerson(&p, f)
	})
	return p, err
}

// SavePerson adds a person (id 0) or changes one.
func (a *App) SavePerson(ctx context.Context, hand Actor, id int64, f PersonForm) (p studio.Person, err error) {
	err = a.do(ctx, hand, func(d Change) error {
		if id != 0 {
			if p, err = d.Person(id); err != nil {
				return err
			}
		}
		return d.savePerson(&p, f)
	})
	return p, err
}

func (d Change) savePerson(p *studio.Person, f PersonForm) error {
	f.Name, f.Initials = strings.TrimSpace(f.Name), strings.ToUpper(strings.TrimSpace(f.Initials))
	if f.Initials == "" {
		f.Initials = studio.Initials(f.Name)
	}
	switch {
	case f.Name == "":
		return refuse("A person needs a name.")
	case len([]rune(f.Initials)) > 3:
		return refuse("Initials are three letters at most: they are stamped on pieces.")
	case !studio.OneOf(f.Role, studio.Owner, studio.Bench):
		return refuse("A person is an owner or works at the bench.")
	case f.Password != "" && len([]rune(f.Password)) < MinPassword:
		return refuse("A password has at least %d characters.", MinPassword)
	case p.ID == 0 && f.Role == studio.Owner && f.Password == "":
		return refuse("An owner needs a password.")
	}
	people, err := d.People()
	if err != nil {
		return err
	}
	owners := 0
	for _, q := range people {
		if q.ID != p.ID && q.Initials == f.Initials {
			return refuse("%s already stamps with %s. Choose other initials.", q.Name, f.Initials)
		}
		if q.ID != p.ID && q.Active && q.Role == studio.Owner {
			owners++
		}
	}
	if p.ID != 0 && p.Role == studio.Owner && owners == 0 && (f.Role != studio.Owner || !f.Active) {
		return refuse("%s is the only owner: name another before this one leaves.", p.Name)
	}
	isNew := p.ID == 0
	p.Name, p.Initials, p.Role, p.Active = f.Name, f.Initials, f.Role, f.Active
	if f.Password != "" {
		p.PasswordHash = HashPassword(f.Password)
	}
	if p.WageMinor = 0; strings.TrimSpace(f.Wage) != "" {
		s, err := d.Studio()
		if err != nil && !NotFound(err) {
			return err
		}
		if p.WageMinor, err = studio.ParseMoney(f.Wage, s.Currency); err != nil || p.WageMinor < 0 {
			return refuse("Wage: %q is not an amount for an hour.", f.Wage)
		}
	}
	if err := d.SavePerson(p); err != nil {
		return err
	}
	if d.Who.ID == 0 && isNew {
		d.Who = ActorOf(*p)
	}
	if isNew {
		return d.Note("person added", About{}, "%s (%s), %s", p.Name, p.Initials, p.Role)
	}
	return d.Note("person changed", About{}, "%s (%s), %s", p.Name, p.Initials, p.Role)
}

// SetPassword sets a new password by name, for the passwd command.
func (a *App) SetPassword(ctx context.Context, name, password string) error {
	if len([]rune(password)) < MinPassword {
		return refuse("A password has at least %d characters.", MinPassword)
	}
	return a.do(ctx, Actor{Name: "console"}, func(d Change) error {
		p, err := d.PersonNamed(name)
		if NotFound(err) {
			return refuse("Nobody here is called %q.", name)
		}
		if err != nil {
			return err
		}
		p.PasswordHash = HashPassword(password)
		if err := d.SavePerson(&p); err != nil {
			return err
		}
		return d.Note("password set", About{}, "for %s", p.Name)
	})
}

// SetLetters switches a person's single-letter keys on or off.
func (a *App) SetLetters(ctx context.Context, hand Actor, off bool) error {
	return a.do(ctx, hand, func(d Change) error {
		p, err := d.Person(hand.ID)
		if err != nil {
			return err
		}
		p.LettersOff = off
		return d.Tx.SavePerson(&p)
	})
}

// SaveStudio sets the studio up or changes it.
func (a *App) SaveStudio(ctx context.Context, hand Actor, s studio.Studio) error {
	s.Name, s.Currency, s.PublicURL = strings.TrimSpace(s.Name), strings.ToUpper(strings.TrimSpace(s.Currency)), strings.TrimRight(strings.TrimSpace(s.PublicURL), "/")
	if s.Name == "" {
		return refuse("The studio needs a name: it stands on every quote.")
	}
	if !studio.IsCurrency(s.Currency) {
		return refuse("A currency is three letters, such as EUR.")
	}
	if s.FirstOrder == 0 {
		s.FirstOrder = 1
	}
	if s.FirstOrder < 1 || s.FirstOrder > 99_999_999 {
		return refuse("Order numbers go on from 1 or more, eight digits at most.")
	}
	if !(s.TaxPercent >= 0 && s.TaxPercent <= 100) {
		return refuse("Tax is between 0 and 100 %%.")
	}
	if _, err := time.LoadLocation(s.TimeZone); err != nil || s.TimeZone == "" {
		return refuse("%q is not a time zone. Write it as Continent/City.", s.TimeZone)
	}
	if s.PublicURL != "" {
		if u, err := url.Parse(s.PublicURL); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			return refuse("The public address begins with https:// or http://.")
		}
	}
	if s.Email != "" {
		if _, err := mail.ParseAddress(s.Email); err != nil {
			return refuse("%q is not a mail address.", s.Email)
		}
	}
	return a.do(ctx, hand, func(d Change) error {
		was, err := d.Studio()
		if err != nil && !NotFound(err) {
			return err
		}
		s.Defaults = was.Defaults
		if err := d.Tx.SaveStudio(s); err != nil {
			return err
		}
		return d.Note("studio changed", About{}, "%s, %s, tax %s %%, %s", s.Name, s.Currency, rates.Number(s.TaxPercent), s.TimeZone)
	})
}

// GearForm is what can be said about a machine or a material.
type GearForm struct {
	Name    string
	Process string
	Active  bool
	Figures map[string]float64
	From    string // the starting machine or material to take figures from
}

// start returns the figures a new machine or material begins with: those of the
// kind named, else of the first of the process.
func start(kinds []rates.Template, f GearForm) (rates.Set, string) {
	for _, k := range kinds {
		if k.Name == f.From || f.From == "" && k.Process == f.Process {
			return k.Figures, k.Process
		}
	}
	return nil, f.Process
}

// over lays a form's values over figures; what differs is the studio's own.
func over(base rates.Set, values map[string]float64) (rates.Set, error) {
	out := base.Filled(nil)
	for key, v := range values {
		f, known := out[key]
		if !known || f.Value == v {
			continue
		}
		if !rates.Sane(v) {
			return nil, refuse("%s: %g %s is hard to believe.", studio.UpperFirst(f.Label), v, f.Unit)
		}
		f.Value, f.Source = v, rates.Ours
		out[key] = f
	}
	for _, key := range []string{"layer", "width", "depth", "height", "line", "density"} {
		if f, has := out[key]; has && f.Value <= 0 {
			return nil, refuse("%s: more than 0 %s.", studio.UpperFirst(f.Label), f.Unit)
		}
	}
	return out, nil
}

// SaveMachine adds a machine (id 0) or changes one.
func (a *App) SaveMachine(ctx context.Context, hand Actor, id int64, f GearForm) (m studio.Machine, err error) {
	err = a.do(ctx, hand, func(d Change) error {
		machines, err := d.Machines()
		if err != nil {
			return err
		}
		g, err := fitted(machines, rates.Starting().Machines, id, f, "machine")
		if err != nil {
			return err
		}
		m = studio.Machine(g)
		if err := d.Tx.SaveMachine(&m); err != nil {
			return err
		}
		return d.Note("machine saved", About{}, "%s, %s", m.Name, m.Process)
	})
	return m, err
}

// SaveMaterial adds a material (id 0) or changes one.
func (a *App) SaveMaterial(ctx context.Context, hand Actor, id int64, f GearForm) (m studio.Material, err error) {
	err = a.do(ctx, hand, func(d Change) error {
		materials, err := d.Materials()
		if err != nil {
			return err
		}
		g, err := fitted(materials, rates.Starting().Materials, id, f, "material")
		if err != nil {
			return err
		}
		m = studio.Material(g)
		if err := d.Tx.SaveMaterial(&m); err != nil {
			return err
		}
		return d.Note("material saved", About{}, "%s, %s", m.Name, m.Process)
	})
	return m, err
}

// fitted lays a form over the gear of an id, or over what a new one starts from.
func fitted[T studio.Machine | studio.Material](there []T, starts []rates.Template, id int64, f GearForm, what string) (g studio.Gear, err error) {
	f.Name = strings.TrimSpace(f.Name)
	for _, t := range there {
		if other := studio.Gear(t); other.ID == id {
			g = other
		} else if strings.EqualFold(other.Name, f.Name) {
			return g, refuse("Another %s is already called %s.", what, other.Name)
		}
	}
	if id != 0 && g.ID == 0 {
		return g, store.ErrNotFound
	}
	if g.ID == 0 {
		g.Figures, g.Process = start(starts, f)
	}
	g.Name, g.Active = f.Name, f.Active
	if err := kindOK(g.Name, g.Process, what); err != nil {
		return g, err
	}
	g.Figures, err = over(g.Figures, f.Figures)
	return g, err
}

func kindOK(name, processName, what string) error {
	if name == "" {
		return refuse("A %s needs a name.", what)
	}
	if !studio.OneOf(processName, process.Resin, process.Filament) {
		return refuse("A %s is for resin or for filament.", what)
	}
	return nil
}

// SaveRates sets the studio's own rates; a value equal to the starting book's is
// not kept as its own. Quotes already sent stay as they are.
func (a *App) SaveRates(ctx context.Context, hand Actor, values map[string]float64) error {
	return a.do(ctx, hand, func(d Change) error {
		own, version, err := d.OwnRates()
		if err != nil {
			return err
		}
		book := rates.Starting()
		var changed []string
		for key, v := range values {
			if err := book.Check(key, v); err != nil {
				return refused(err)
			}
			before := book.With(own).Get(key)
			if before.Value == v {
				continue
			}
			changed = append(changed, fmt.Sprintf("%s %s → %s %s", before.Label, rates.Number(before.Value), rates.Number(v), before.Unit))
			if own[key] = v; book.V(key) == v {
				delete(own, key)
			}
		}
		if len(changed) == 0 {
			return nil
		}
		if err := d.Tx.SaveRates(version+1, own, d.Now, d.Who.Name); err != nil {
			return err
		}
		return d.Note("rates changed", About{}, "%s", strings.Join(changed, "; "))
	})
}
