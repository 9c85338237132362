package studio

import "time"

// Calendar is the plan for whoever has its address: a person's, a machine's, or of neither the whole studio's. Who made it
// ends it.
type Calendar struct {
	ID        int64
	Secret    string
	PersonID  int64
	MachineID int64
	ByID      int64
	Made      time.Time
}

// Masked is its secret as a list shows it: enough to know it by, too little to use it.
func (c Calendar) Masked() string { return c.Secret[:min(4, len(c.Secret))] + "…" }
