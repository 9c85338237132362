package store

import "sakuji/studio"

const clientColumns = `name, email, phone, address, note, may_show, may_share`

// Clients returns all clients by name.
func (t *Tx) Clients() ([]studio.Client, error) {
	return rows[studio.Client](t, `SELECT id, `+clientColumns+` FROM clients ORDER BY name, id`)
}

// Client returns one by id.
func (t *Tx) Client(id int64) (studio.Client, error) {
	return one[studio.Client](t, `SELECT id, `+clientColumns+` FROM clients WHERE id = ?`, id)
}

// SaveClient adds a client without an id, or changes one.
func (t *Tx) SaveClient(c *studio.Client) error {
	return t.save("clients", &c.ID, c, clientColumns, "")
}
