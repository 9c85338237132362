// Package schedule answers when work can be done. This first version knows the
// longest chain: what one piece still has before it, machine, hands and waits one
// after the other, can be shortened by nobody.
package schedule

import "time"

// Chain is what lies between a piece and its delivery.
type Chain struct {
	MachineMin float64
	HandsMin   float64
	WaitMin    float64
}

// Minutes is the whole length of the chain.
func (c Chain) Minutes() float64 { return c.MachineMin + c.HandsMin + c.WaitMin }

// Earliest is when a chain begun now can end.
func (c Chain) Earliest(now time.Time) time.Time {
	return now.Add(time.Duration(c.Minutes() * float64(time.Minute)))
}

// Longest returns the index of the longest chain, −1 of none.
func Longest(chains []Chain) int {
	at := -1
	for i, c := range chains {
		if at < 0 || c.Minutes() > chains[at].Minutes() {
			at = i
		}
	}
	return at
}
