package models

import (
	"sakuji/app/change"
	"sakuji/core/solid"
	"sakuji/store"
)

// Fragile are the weakest places of a model at a size; none where nobody has looked.
func Fragile(tx *store.Tx, modelID int64, scale float64) (list []solid.Fragile, err error) {
	analysis, err := tx.Analysis(modelID)
	if change.NotFound(err) {
		return nil, nil
	}
	for _, f := range analysis.Fragile[:min(len(analysis.Fragile), 3)] {
		list = append(list, f.Scaled(scale))
	}
	return list, err
}
