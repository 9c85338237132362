package papers

import (
	"fmt"
	"sakuji/app/delivery"
	"sakuji/core/route"
)

// Packed writes the pieces of a delivery, item by item.
func (p *Paper) Packed(v delivery.DeliverySheet, box string, picture Stills) {
	for _, line := range v.Packed {
		var still []byte
		if len(line.Item.Parts) > 0 {
			still = picture(line.Item.Parts[0].Model.SHA)
		}
		p.Pictured(still, 20, fmt.Sprintf("%s%d × %s", box, len(line.Pieces), line.Item.Title), route.TierName(line.Item.Tier), line.Contents()...)
	}
}
