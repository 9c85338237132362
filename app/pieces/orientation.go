package pieces

import (
	"context"
	"fmt"
	"math"

	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/core/rates"
	"sakuji/studio"
)

// ChooseOrientation decides how a model stands in a process; orientationID 0 puts it back
// as its file stands. Parts of open orders follow, and their pieces that wait. It says how
// many parts it was.
func (a *Room) ChooseOrientation(ctx context.Context, who change.Actor, modelID int64, processName string, orientationID int64) (parts int, err error) {
	err = a.Do(ctx, who, func(c change.Change) error {
		m, err := c.Model(modelID)
		if err != nil {
			return err
		}
		how := "as in its file"
		if orientationID != 0 {
			s, err := c.Orientation(orientationID)
			if err != nil {
				return err
			}
			if s.ModelID != modelID || s.Process != processName {
				return change.Refuse("That orientation is of another model.")
			}
			how = fmt.Sprintf("%s mm high", rates.Number(math.Round(10*s.Facts.HeightMM)/10))
		}
		if err := c.Tx.ChooseOrientation(modelID, processName, orientationID); err != nil {
			return err
		}
		list, err := c.PartsOf(modelID, processName, studio.OpenOrders()...)
		if err != nil {
			return err
		}
		for _, p := range list {
			if err := c.OrientPart(p.ID, orientationID); err != nil {
				return err
			}
			if err := orders.Follow(c, p.OrderID, studio.Part{ID: p.ID, ModelID: modelID, OrientationID: orientationID}); err != nil {
				return err
			}
		}
		parts = len(list)
		return c.Note("orientation chosen", change.About{}, "%s in %s stands %s", m.Name, processName, how)
	})
	return parts, err
}
