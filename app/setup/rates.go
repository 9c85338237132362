package setup

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// RateHistory lists every change of the studio's own rates, newest first.
func (a *Room) RateHistory(ctx context.Context) (out []RateChange, err error) {
	var versions []store.RateVersion
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		versions, err = tx.RateVersions()
		return err
	})
	book := rates.Starting()
	before := book
	for _, v := range versions {
		now := book.With(v.Own)
		for i, e := range now.Rates {
			if was := before.Rates[i]; was.Value != e.Value {
				out = append(out, RateChange{At: v.At, Who: v.Who, Version: v.Version, Label: e.Label, Unit: e.Unit, Before: was.Value, After: e.Value})
			}
		}
		before = now
	}
	slices.Reverse(out)
	return out, err
}

// Export is the studio's whole rate book: its rates, machines and materials.
func Export(h studio.Shop) rates.Book {
	b := h.Book
	b.Machines, b.Materials, b.TaxPercent, b.FinishRoutes = nil, nil, h.Studio.TaxPercent, h.Studio.Defaults.FinishRoutes
	for _, m := range h.Machines {
		if m.Active {
			b.Machines = append(b.Machines, rates.Template{Name: m.Name, Process: m.Process, Figures: m.Figures})
		}
	}
	for _, m := range h.Materials {
		if m.Active {
			b.Materials = append(b.Materials, rates.Template{Name: m.Name, Process: m.Process, Figures: m.Figures})
		}
	}
	return b
}

// ImportRates takes rates from a file as Export or ExportCSV writes it: all of it or nothing.
func (a *Room) ImportRates(ctx context.Context, who change.Actor, data []byte) (n int, err error) {
	values, err := rates.ReadValues(data)
	if err != nil {
		return 0, change.Refuse("The file was not taken: %s. Nothing was changed.", err)
	}
	if len(values) == 0 {
		return 0, change.Refuse("There is no rate in the file. Nothing was changed.")
	}
	return len(values), a.SaveRates(ctx, who, values)
}

// RateChange is one figure's change in the rate book's history.
type RateChange struct {
	At            time.Time
	Who           string
	Version       int
	Label, Unit   string
	Before, After float64
}

// SaveRates sets the studio's own rates; a value equal to the starting book's is
// not kept as its own. Quotes already sent stay as they are.
func (a *Room) SaveRates(ctx context.Context, who change.Actor, values map[rates.Key]float64) error {
	return a.Do(ctx, who, func(d change.Change) error {
		own, version, err := d.OwnRates()
		if err != nil {
			return err
		}
		book := rates.Starting()
		var changed []string
		for key, v := range values {
			if err := book.Check(key, v); err != nil {
				return change.Refused(err)
			}
			before := book.With(own).Get(key)
			if before.Value == v {
				continue
			}
			changed = append(changed, fmt.Sprintf("%s %s → %s %s", before.Label, rates.Number(before.Value), rates.Number(v), before.Unit))
			if own[key] = v; book.V(key) == v {
				delete(own, key)
			}
		}
		if len(changed) == 0 {
			return nil
		}
		if err := d.Tx.SaveRates(version+1, own, d.Now, d.Who.Name); err != nil {
			return err
		}
		return d.Note("rates changed", change.About{}, "%s", strings.Join(changed, "; "))
	})
}
