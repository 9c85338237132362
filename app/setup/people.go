package setup

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"golang.org/x/crypto/argon2"

	"sakuji/app/change"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// People returns everybody.
func (a *Room) People(ctx context.Context) (people []studio.Person, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		people, err = tx.People()
		return err
	})
	return people, err
}

// Person returns one by id.
func (a *Room) Person(ctx context.Context, id int64) (p studio.Person, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		p, err = tx.Person(id)
		return err
	})
	return p, err
}

// MinPassword is the least length of a password that is set. Source: OWASP ASVS 4.0.3, 2.1.1.
const MinPassword = 12

// hashing is what a hash of a password costs whoever makes it.
type hashing struct {
	passes, memoryKB uint32
	threads          uint8
}

// asDear is what Argon2id costs here. Source: RFC 9106, section 4, second recommended option.
var asDear = hashing{passes: 3, memoryKB: 64 * 1024, threads: 4}

// cost is what it costs in this process.
var cost = asDear

const hashBytes = 32

// HashCheaply has passwords hashed at next to no cost from then on: tests, which sign in all the time, ask for it before they
// begin. A hash that is there is checked at the cost that it names.
func HashCheaply() { cost = hashing{passes: 1, memoryKB: 8, threads: 1} }

// HashPassword returns an argon2id hash with its salt and parameters.
func HashPassword(password string) string { return hashed(password, cost) }

func hashed(password string, c hashing) string {
	salt := make([]byte, 16)
	rand.Read(salt) //nolint:errcheck // never fails since Go 1.24
	key := argon2.IDKey([]byte(password), salt, c.passes, c.memoryKB, c.threads, hashBytes)
	return fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=%d$%s$%s", c.memoryKB, c.passes, c.threads,
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
func (a *Room) SignIn(ctx context.Context, name, password string) (p studio.Person, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		p, err = tx.PersonNamed(strings.TrimSpace(name))
		return err
	})
	hash := p.PasswordHash
	if err != nil || hash == "" {
		hash = nobody()
	}
	fits := passwordFits(password, hash)
	if err != nil && !change.NotFound(err) {
		return p, err
	}
	if err != nil || !fits || p.PasswordHash == "" {
		return studio.Person{}, errNoPair
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
	Crafts   []route.Craft
	Days     []int  // of the week, Sunday 0; none: those of the studio
	From, To string // HH:MM; empty: the studio’s hours
}

// FirstOwner makes the first person, while there is none.
func (a *Room) FirstOwner(ctx context.Context, f PersonForm) (p studio.Person, err error) {
	f.Role, f.Active = studio.Owner, true
	if f.Password == "" {
		return p, change.Refuse("Choose a password of at least %d characters.", MinPassword)
	}
	err = a.Do(ctx, change.Actor{Name: f.Name}, func(d change.Change) error {
		people, err := d.People()
		if err != nil {
			return err
		}
		if len(people) > 0 {
			return change.Refuse("The studio already has an owner. Sign in.")
		}
		return savePerson(d, &p, f)
	})
	return p, err
}

// SavePerson adds a person (id 0) or changes one.
func (a *Room) SavePerson(ctx context.Context, who change.Actor, id int64, f PersonForm) (p studio.Person, err error) {
	err = a.Do(ctx, who, func(d change.Change) error {
		if id != 0 {
			if p, err = d.Person(id); err != nil {
				return err
			}
		}
		return savePerson(d, &p, f)
	})
	return p, err
}

func savePerson(d change.Change, p *studio.Person, f PersonForm) error {
	f.Name, f.Initials = strings.TrimSpace(f.Name), strings.ToUpper(strings.TrimSpace(f.Initials))
	if f.Initials == "" {
		f.Initials = studio.Initials(f.Name)
	}
	switch {
	case f.Name == "":
		return change.Refuse("A person needs a name.")
	case len([]rune(f.Initials)) > 3:
		return change.Refuse("Initials are three letters at most: they are stamped on pieces.")
	case !studio.OneOf(f.Role, studio.Owner, studio.Bench):
		return change.Refuse("A person is an owner or works at the bench.")
	case f.Password != "" && len([]rune(f.Password)) < MinPassword:
		return change.Refuse("A password has at least %d characters.", MinPassword)
	case p.ID == 0 && f.Role == studio.Owner && f.Password == "":
		return change.Refuse("An owner needs a password.")
	}
	people, err := d.People()
	if err != nil {
		return err
	}
	owners := 0
	for _, q := range people {
		if q.ID != p.ID && q.Initials == f.Initials {
			return change.Refuse("%s already stamps with %s. Choose other initials.", q.Name, f.Initials)
		}
		if q.ID != p.ID && q.Active && q.Role == studio.Owner {
			owners++
		}
	}
	if p.ID != 0 && p.Role == studio.Owner && owners == 0 && (f.Role != studio.Owner || !f.Active) {
		return change.Refuse("%s is the only owner: name another before this one leaves.", p.Name)
	}
	isNew := p.ID == 0
	p.Name, p.Initials, p.Role, p.Active = f.Name, f.Initials, f.Role, f.Active
	if f.Password != "" {
		p.PasswordHash = HashPassword(f.Password)
	}
	if err := works(d, p, f); err != nil {
		return err
	}
	if err := d.SavePerson(p); err != nil {
		return err
	}
	if d.Who.ID == 0 && isNew {
		d.Who = change.ActorOf(*p)
	}
	if isNew {
		return d.Note("person added", change.About{}, "%s (%s), %s", p.Name, p.Initials, p.Role)
	}
	return d.Note("person changed", change.About{}, "%s (%s), %s", p.Name, p.Initials, p.Role)
}

// works sets what a person does, when, and for what wage.
func works(d change.Change, p *studio.Person, f PersonForm) (err error) {
	p.Crafts = nil
	for _, c := range route.Crafts() {
		if slices.Contains(f.Crafts, c) {
			p.Crafts = append(p.Crafts, c)
		}
	}
	if len(p.Crafts) == len(route.Crafts()) { // and whatever is added to them
		p.Crafts = nil
	}
	if *p, err = p.WorksWhen(f.Days, f.From, f.To); err != nil {
		return change.Refused(err)
	}
	if p.WageMinor = 0; strings.TrimSpace(f.Wage) != "" {
		s, err := d.Studio()
		if err != nil && !change.NotFound(err) {
			return err
		}
		if p.WageMinor, err = studio.ParseMoney(f.Wage, s.Currency); err != nil || p.WageMinor < 0 {
			return change.RefuseField("wage", "Wage: %q is not an amount for an hour.", f.Wage)
		}
	}
	return nil
}

// OwnPassword sets somebody's own new password, for who knows the one they have.
func (a *Room) OwnPassword(ctx context.Context, who change.Actor, now, next string) (p studio.Person, err error) {
	if len([]rune(next)) < MinPassword {
		return p, change.RefuseField("next", "A password has at least %d characters.", MinPassword)
	}
	if p, err = a.Person(ctx, who.ID); err != nil {
		return p, err
	}
	if !passwordFits(now, p.PasswordHash) {
		return p, errNotTheirs
	}
	hash := HashPassword(next) // it takes a while: before anybody waits for it
	err = a.Do(ctx, who, func(d change.Change) error {
		if p, err = d.Person(who.ID); err != nil {
			return err
		}
		p.PasswordHash = hash
		return errors.Join(d.SavePerson(&p), d.Note("password set", change.About{}, "%s, by themselves", p.Name))
	})
	return p, err
}

var (
	errNoPair    = change.Refuse("That name and password do not belong together.")
	errNotTheirs = change.RefuseField("now", "That is not the password you have.")
)

// WrongPassword reports whether somebody was refused for a password that is not theirs.
func WrongPassword(err error) bool { return errors.Is(err, errNoPair) || errors.Is(err, errNotTheirs) }

// SetPassword sets a new password by name, for the passwd command.
func (a *Room) SetPassword(ctx context.Context, name, password string) error {
	if len([]rune(password)) < MinPassword {
		return change.Refuse("A password has at least %d characters.", MinPassword)
	}
	return a.Do(ctx, change.Actor{Name: "console"}, func(d change.Change) error {
		p, err := d.PersonNamed(name)
		if change.NotFound(err) {
			return change.Refuse("Nobody here is called %q.", name)
		}
		if err != nil {
			return err
		}
		p.PasswordHash = HashPassword(password)
		if err := d.SavePerson(&p); err != nil {
			return err
		}
		return d.Note("password set", change.About{}, "for %s", p.Name)
	})
}

// SetLetters switches a person's single-letter keys on or off.
func (a *Room) SetLetters(ctx context.Context, who change.Actor, off bool) error {
	return a.Do(ctx, who, func(d change.Change) error {
		p, err := d.Person(who.ID)
		if err != nil {
			return err
		}
		p.LettersOff = off
		return d.Tx.SavePerson(&p)
	})
}
