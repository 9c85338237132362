package today

import (
	"context"
	"strings"

	"sakuji/store"
)

// Find looks for a few letters.
func (a *Room) Find(ctx context.Context, letters string) (found []store.Found, err error) {
	if strings.TrimSpace(letters) == "" {
		return nil, nil
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		found, err = tx.Find(letters)
		return err
	})
	return found, err
}
