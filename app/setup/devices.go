package setup

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"

	"sakuji/app/change"
	"sakuji/store"
)

// devicesKept is at how many devices of somebody's it is remembered that they have signed in there. Source: from memory.
const devicesKept = 20

// Visitor is who stands at the door: the person whose name was given, if there is one, and whether the device is one that
// they have signed in at before.
type Visitor struct {
	PersonID int64  // 0: there is nobody of that name
	Device   string // what is kept of the device; empty: it is none of theirs
}

func deviceHash(token string) string {
	sum := sha256.Sum256([]byte("device " + token))
	return hex.EncodeToString(sum[:])
}

// Visitor looks who gives a name, at a device that carries a token, or none.
func (a *Room) Visitor(ctx context.Context, name, token string) (v Visitor, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		p, err := tx.PersonNamed(name)
		if change.NotFound(err) {
			return nil
		}
		if err != nil || token == "" {
			v.PersonID = p.ID
			return err
		}
		owner, err := tx.DeviceOf(deviceHash(token))
		if v.PersonID = p.ID; owner == p.ID {
			v.Device = deviceHash(token)
		}
		return err
	})
	return v, err
}

// KnowDevice remembers that somebody has signed in at a device, and gives what it is to carry.
func (a *Room) KnowDevice(ctx context.Context, personID int64) (token string, err error) {
	token = rand.Text()
	return token, a.Store.Write(ctx, func(tx *store.Tx) error {
		return tx.KeepDevice(deviceHash(token), personID, a.Clock.Now(), devicesKept)
	})
}
