package store

import (
	"time"

	"sakuji/core/rates"
	"sakuji/studio"
)

const studioColumns = `name, address, email, tax_number, currency, tax_percent, time_zone, public_url, first_order, defaults`

// Studio returns the studio; ErrNotFound until it is set up.
func (t *Tx) Studio() (studio.Studio, error) {
	return one[studio.Studio](t, `SELECT `+studioColumns+` FROM studio`)
}

// SaveStudio sets the studio up or changes it.
func (t *Tx) SaveStudio(s studio.Studio) error {
	return t.put("studio", `id`, studioColumns, &struct {
		ID int64
		studio.Studio
	}{1, s})
}

// OwnRates returns the newest of the studio's own rates, by key, and its version.
func (t *Tx) OwnRates() (own map[rates.Key]float64, version int, err error) {
	r, err := found(one[RateVersion](t, `SELECT version, own FROM rate_book ORDER BY version DESC LIMIT 1`))
	if r.Own == nil {
		r.Own = map[rates.Key]float64{}
	}
	return r.Own, r.Version, err
}

// SaveRates adds a version of the studio's own rates.
func (t *Tx) SaveRates(version int, own map[rates.Key]float64, now time.Time, who string) error {
	_, err := t.add("rate_book", `version, at_ms, own, who`, &RateVersion{version, now, who, own})
	return err
}

// RateVersion is the studio's own rates as they once were.
type RateVersion struct {
	Version int
	At      time.Time
	Who     string
	Own     map[rates.Key]float64
}

// RateVersions returns all versions of the studio's own rates, oldest first.
func (t *Tx) RateVersions() ([]RateVersion, error) {
	return rows[RateVersion](t, `SELECT * FROM rate_book ORDER BY version`)
}

const personColumns = `name, initials, role, password_hash, letters_off, active, wage_minor, crafts, days, from_min, to_min`

// People returns everybody, in order of name.
func (t *Tx) People() ([]studio.Person, error) {
	return rows[studio.Person](t, `SELECT * FROM people ORDER BY name, id`)
}

// Person returns one by id.
func (t *Tx) Person(id int64) (studio.Person, error) {
	return one[studio.Person](t, `SELECT * FROM people WHERE id = ?`, id)
}

// PersonNamed returns an active person by name or initials, whatever the case.
func (t *Tx) PersonNamed(name string) (studio.Person, error) {
	return one[studio.Person](t, `SELECT * FROM people
		WHERE active = 1 AND (folded(name) = ?1 OR folded(initials) = ?1) ORDER BY folded(name) = ?1 DESC LIMIT 1`, studio.Folded(name))
}

// SavePerson adds a person without an id, or changes one.
func (t *Tx) SavePerson(p *studio.Person) error { return t.save("people", &p.ID, p, personColumns, "") }

const gearColumns = `name, process, figures, active`

// Machines returns all machines, in order of process and name.
func (t *Tx) Machines() ([]studio.Machine, error) {
	return rows[studio.Machine](t, `SELECT * FROM machines ORDER BY process DESC, id`)
}

// SaveMachine adds a machine without an id, or changes one.
func (t *Tx) SaveMachine(m *studio.Machine) error {
	return t.save("machines", &m.ID, m, gearColumns, "")
}

// SaveReach writes where a machine answers, and what of its bed is kept free.
func (t *Tx) SaveReach(m studio.Machine) error {
	return t.save("machines", &m.ID, &m, `link, keep_out, takes, quiet_from_min, quiet_to_min`, "")
}

// Materials returns all materials, in order of process and age.
func (t *Tx) Materials() ([]studio.Material, error) {
	return rows[studio.Material](t, `SELECT * FROM materials ORDER BY process DESC, id`)
}

// SaveMaterial adds a material without an id, or changes one.
func (t *Tx) SaveMaterial(m *studio.Material) error {
	return t.save("materials", &m.ID, m, gearColumns, "")
}
