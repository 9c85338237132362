package store

import (
	"errors"
	"time"

	"sakuji/studio"
)

// Studio returns the studio; ErrNotFound until it is set up.
func (t *Tx) Studio() (studio.Studio, error) {
	return one(t, func(scan func(...any) error, s *studio.Studio) error {
		return scan(&s.Name, &s.Address, &s.Email, &s.TaxNumber, &s.Currency, &s.TaxPercent, &s.TimeZone, &s.PublicURL, &s.FirstOrder, packed{&s.Defaults})
	}, `SELECT name, address, email, tax_number, currency, tax_percent, time_zone, public_url, first_order, defaults FROM studio`)
}

// SaveStudio sets the studio up or changes it.
func (t *Tx) SaveStudio(s studio.Studio) error {
	return t.exec(`INSERT INTO studio (id, name, address, email, tax_number, currency, tax_percent, time_zone, public_url, first_order, defaults)
		VALUES (1, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET name = excluded.name, address = excluded.address, email = excluded.email,
			tax_number = excluded.tax_number, currency = excluded.currency, tax_percent = excluded.tax_percent,
			time_zone = excluded.time_zone, public_url = excluded.public_url, first_order = excluded.first_order, defaults = excluded.defaults`,
		s.Name, s.Address, s.Email, s.TaxNumber, s.Currency, s.TaxPercent, s.TimeZone, s.PublicURL, s.FirstOrder, packed{s.Defaults})
}

// OwnRates returns the newest of the studio's own rates, by key, and its version.
func (t *Tx) OwnRates() (own map[string]float64, version int, err error) {
	type row struct {
		own     map[string]float64
		version int
	}
	r, err := one(t, func(scan func(...any) error, r *row) error { return scan(&r.version, packed{&r.own}) },
		`SELECT version, own FROM rate_book ORDER BY version DESC LIMIT 1`)
	if errors.Is(err, ErrNotFound) {
		return map[string]float64{}, 0, nil
	}
	return r.own, r.version, err
}

// SaveRates adds a version of the studio's own rates.
func (t *Tx) SaveRates(version int, own map[string]float64, now time.Time, who string) error {
	return t.exec(`INSERT INTO rate_book (version, at_ms, own, who) VALUES (?, ?, ?, ?)`, version, at(&now), packed{own}, who)
}

// RateVersion is the studio's own rates as they once were.
type RateVersion struct {
	Version int
	At      time.Time
	Who     string
	Own     map[string]float64
}

// RateVersions returns all versions of the studio's own rates, oldest first.
func (t *Tx) RateVersions() ([]RateVersion, error) {
	return rows(t, func(scan func(...any) error, v *RateVersion) error {
		return scan(&v.Version, at(&v.At), &v.Who, packed{&v.Own})
	}, `SELECT version, at_ms, who, own FROM rate_book ORDER BY version`)
}

const personColumns = `id, name, initials, role, password_hash, letters_off, active, wage_minor`

func scanPerson(scan func(...any) error, p *studio.Person) error {
	return scan(&p.ID, &p.Name, &p.Initials, &p.Role, &p.PasswordHash, &p.LettersOff, &p.Active, &p.WageMinor)
}

// People returns everybody, in order of name.
func (t *Tx) People() ([]studio.Person, error) {
	return rows(t, scanPerson, `SELECT `+personColumns+` FROM people ORDER BY name, id`)
}

// Person returns one by id.
func (t *Tx) Person(id int64) (studio.Person, error) {
	return one(t, scanPerson, `SELECT `+personColumns+` FROM people WHERE id = ?`, id)
}

// PersonNamed returns an active person by name or initials, whatever the case.
func (t *Tx) PersonNamed(name string) (studio.Person, error) {
	return one(t, scanPerson, `SELECT `+personColumns+` FROM people
		WHERE active = 1 AND (folded(name) = ?1 OR folded(initials) = ?1) ORDER BY folded(name) = ?1 DESC LIMIT 1`, studio.Folded(name))
}

// SavePerson adds a person without an id, or changes one.
func (t *Tx) SavePerson(p *studio.Person) (err error) {
	if p.ID == 0 {
		p.ID, err = t.insert(`INSERT INTO people (name, initials, role, password_hash, letters_off, active, wage_minor) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			p.Name, p.Initials, p.Role, p.PasswordHash, p.LettersOff, p.Active, p.WageMinor)
		return err
	}
	return t.exec(`UPDATE people SET name = ?, initials = ?, role = ?, password_hash = ?, letters_off = ?, active = ?, wage_minor = ? WHERE id = ?`,
		p.Name, p.Initials, p.Role, p.PasswordHash, p.LettersOff, p.Active, p.WageMinor, p.ID)
}

// Machines returns all machines, in order of process and name.
func (t *Tx) Machines() ([]studio.Machine, error) {
	return rows(t, func(scan func(...any) error, m *studio.Machine) error {
		return scan(&m.ID, &m.Name, &m.Process, packed{&m.Figures}, &m.Active)
	}, `SELECT id, name, process, figures, active FROM machines ORDER BY process DESC, id`)
}

// SaveMachine adds a machine without an id, or changes one.
func (t *Tx) SaveMachine(m *studio.Machine) (err error) {
	m.ID, err = t.saveKind("machines", m.ID, m.Name, m.Process, packed{m.Figures}, m.Active)
	return err
}

// Materials returns all materials, in order of process and age.
func (t *Tx) Materials() ([]studio.Material, error) {
	return rows(t, func(scan func(...any) error, m *studio.Material) error {
		return scan(&m.ID, &m.Name, &m.Process, packed{&m.Figures}, &m.Active)
	}, `SELECT id, name, process, figures, active FROM materials ORDER BY process DESC, id`)
}

// SaveMaterial adds a material without an id, or changes one.
func (t *Tx) SaveMaterial(m *studio.Material) (err error) {
	m.ID, err = t.saveKind("materials", m.ID, m.Name, m.Process, packed{m.Figures}, m.Active)
	return err
}

func (t *Tx) saveKind(table string, id int64, name, process string, figures packed, active bool) (int64, error) {
	if id == 0 {
		return t.insert(`INSERT INTO `+table+` (name, process, figures, active) VALUES (?, ?, ?, ?)`, name, process, figures, active)
	}
	return id, t.exec(`UPDATE `+table+` SET name = ?, process = ?, figures = ?, active = ? WHERE id = ?`, name, process, figures, active, id)
}
