package store

import "sakuji/studio"

const clientColumns = `id, name, email, phone, address, note, may_show, may_share`

func scanClient(scan func(...any) error, c *studio.Client) error {
	return scan(&c.ID, &c.Name, &c.Email, &c.Phone, &c.Address, &c.Note, &c.MayShow, &c.MayShare)
}

// Clients returns all clients by name.
func (t *Tx) Clients() ([]studio.Client, error) {
	return rows(t, scanClient, `SELECT `+clientColumns+` FROM clients ORDER BY name, id`)
}

// Client returns one by id.
func (t *Tx) Client(id int64) (studio.Client, error) {
	return one(t, scanClient, `SELECT `+clientColumns+` FROM clients WHERE id = ?`, id)
}

// SaveClient adds a client without an id, or changes one.
func (t *Tx) SaveClient(c *studio.Client) (err error) {
	if c.ID == 0 {
		c.ID, err = t.insert(`INSERT INTO clients (name, email, phone, address, note, may_show, may_share) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			c.Name, c.Email, c.Phone, c.Address, c.Note, c.MayShow, c.MayShare)
		return err
	}
	return t.exec(`UPDATE clients SET name = ?, email = ?, phone = ?, address = ?, note = ?, may_show = ?, may_share = ? WHERE id = ?`,
		c.Name, c.Email, c.Phone, c.Address, c.Note, c.MayShow, c.MayShare, c.ID)
}
