package delivery

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"

	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/papers"
)

// labels are a label for each piece of an order: picture, code, name, to cut apart.
func (s *Room) labels(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := papers.New(v.Shop.Studio, "Labels", "Order "+v.Order.Number, v.Now).Blank()
	find, known := s.Stills(r), map[string][]byte{}
	for _, line := range v.Packed {
		for _, piece := range line.Pieces {
			sha := ""
			for _, part := range line.Item.Parts {
				if part.ID == piece.PartID {
					sha = part.Model.SHA
				}
			}
			if _, ok := known[sha]; !ok {
				known[sha] = find(sha)
			}
			small := []string{piece.Name + ", " + route.TierName(line.Item.Tier)}
			if inside := codes(piece.PartsOf(v.Pieces)); inside != "" {
				small = append(small, "made of "+inside)
			}
			p.Scanned(known[sha], v.Shop.Studio.ScanOf(piece.Code), 26, piece.Code, small...)
			p.Rule()
		}
	}
	s.SendPDF(w, r, p, "labels-"+v.Order.Number+".pdf")
}

// assembly is how an order's items go together: for the bench, and for whoever gets a kit.
func (s *Room) assembly(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := papers.New(v.Shop.Studio, "How it goes together", "Order "+v.Order.Number, v.Now).Headed()
	p.Row("Printed "+p.Day(v.Now)+"; it holds for the order as it stands on that day.", 9, fontstyle.Normal)
	drawn := false
	for _, it := range v.Items {
		parts := it.Exploded()
		if len(parts) == 0 {
			continue
		}
		drawn = true
		p.Head(it.Title)
		if err := p.Exploded(parts, func(part studio.Part) string { return codesOf(part, v.Pieces) }); err != nil {
			s.Fail(w, r, err)
			return
		}
		p.Lines(goesInside(it.Item))
	}
	if !drawn {
		p.Row("Nothing on this order is made of several parts.", 11, fontstyle.Normal)
	}
	s.SendPDF(w, r, p, "assembly-"+v.Order.Number+".pdf")
}

// codesOf are the labels of a part's pieces.
func codesOf(part studio.Part, pieces []studio.Piece) string {
	return codes(slices.DeleteFunc(slices.Clone(pieces), func(p studio.Piece) bool { return p.PartID != part.ID || p.Kind == studio.KindAssembly }))
}

// codes are the labels of pieces, as many as one reads at a glance.
func codes(pieces []studio.Piece) string {
	const most = 5
	var list []string
	for _, p := range pieces {
		if p.Live() {
			list = append(list, p.Code)
		}
	}
	if n := len(list) - most; n > 0 {
		list = append(list[:most], fmt.Sprintf("and %d more", n))
	}
	return strings.Join(list, ", ")
}

// goesInside says what is put in before an item is closed.
func goesInside(it studio.Item) (lines []string) {
	for _, e := range it.Extras {
		if e.Inside {
			lines = append(lines, "Before it is closed: "+e.What+". Count it: nothing may be left over.")
		}
	}
	return lines
}

func (s *Room) packingList(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := papers.New(v.Shop.Studio, "Packing list", "Order "+v.Order.Number, v.Now).Headed()
	p.Row(v.Order.Title, 12, fontstyle.Normal)
	p.Address(v.Client)
	p.Packed(v, "[  ]  ", s.Stills(r))
	p.Rule()
	n := 0
	for _, line := range v.Packed {
		n += len(line.Pieces)
	}
	p.Row(studio.Say(n, "piece")+" in all. Count them into the parcel.", 10, fontstyle.Normal)
	s.SendPDF(w, r, p, "packing-list-"+v.Order.Number+".pdf")
}

func (s *Room) deliveryNote(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Delivery.Delivery(r.Context(), chi.URLParam(r, "no"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	on := v.Order.Delivered
	if on.IsZero() {
		on = v.Now
	}
	p := papers.New(v.Shop.Studio, "Delivery note", "Order "+v.Order.Number, on).Headed()
	p.Two(v.Order.Title, p.Day(on), 12, fontstyle.Normal)
	p.Address(v.Client)
	p.Packed(v, "", s.Stills(r))
	p.Rule()
	p.Head("Care")
	p.Lines(append(v.Care(), "Paint scratches."))
	p.Gap(14)
	p.Row("Received: ______________________________", 10, fontstyle.Normal)
	s.SendPDF(w, r, p, "delivery-note-"+v.Order.Number+".pdf")
}
