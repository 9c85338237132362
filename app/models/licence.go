package models

import (
	"context"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/studio"
)

// LicenceForm is what is noted of a design's licence.
type LicenceForm struct {
	Name, Licence, Fee, Source, Terms, Rights string
	Until, Got                                time.Time
}

// SaveLicence notes a design's licence.
func (a *Room) SaveLicence(ctx context.Context, who change.Actor, modelID int64, f LicenceForm) error {
	return a.Do(ctx, who, func(d change.Change) error {
		m, err := d.Tx.Model(modelID)
		if err != nil {
			return err
		}
		design, err := d.Design(m.DesignID)
		if err != nil {
			return err
		}
		st, err := d.Studio()
		if err != nil {
			return err
		}
		if !studio.OneOf(f.Licence, studio.Licences()...) {
			return change.Refuse("Choose one of the licences.")
		}
		design.Licence, design.Source, design.Terms, design.Rights, design.Until, design.Got = f.Licence, f.Source, f.Terms, f.Rights, f.Until, f.Got
		if name := strings.TrimSpace(f.Name); name != "" {
			design.Name = name
		}
		design.FeeMinor = 0
		if f.Fee != "" {
			fee, err := studio.ParseMoney(f.Fee, st.Currency)
			if err != nil || fee < 0 {
				return change.RefuseField("fee", "The fee: %q is not an amount.", f.Fee)
			}
			design.FeeMinor = fee
		}
		if f.Licence == studio.LicenceSubscription && f.Until.IsZero() {
			return change.Refuse("Say until when the subscription runs.")
		}
		if err := d.SaveDesign(design); err != nil {
			return err
		}
		return d.Note("licence noted", change.About{}, "%s: %s", design.Name, studio.LicenceName(design.Licence))
	})
}
