package kit

import (
	"fmt"
	"net/http"
	"sakuji/app/change"
	"sakuji/app/orders"
	"sakuji/core/finish"
	"sakuji/studio"
	"strconv"
	"strings"
)

// ItemForm reads what can be chosen of an item and its parts.
func ItemForm(r *http.Request) (orders.ItemForm, error) {
	f := FormOf(r)
	if err := r.ParseForm(); err != nil {
		return orders.ItemForm{}, &change.Refusal{Text: "The form did not arrive whole."}
	}
	form := orders.ItemForm{Making: itemOptionsOf(f), Title: f.Text("title"), Tier: f.Text("tier"), Copies: f.Whole("copies", "Copies"), Scale: f.Number("scale", "Scale") / 100, Parts: map[int64]orders.PartForm{}}
	for key := range r.PostForm {
		id, err := strconv.ParseInt(strings.TrimPrefix(key, "process-"), 10, 64)
		if err != nil || !strings.HasPrefix(key, "process-") {
			continue
		}
		n := func(field string) string { return fmt.Sprintf("%s-%d", field, id) }
		form.Parts[id] = orders.PartForm{Process: f.Text(n("process")), MaterialID: f.ID(n("material")), Copies: f.Whole(n("copies"), "Copies of the part"),
			WallMM: f.Given(n("wall"), "Wall"), MachineID: f.ID(n("machine")), CutInto: f.Counted(n("cut"), "Printed in pieces")}
	}
	return form, f.Err
}

// itemOptionsOf reads what is asked of an item beside its parts; nil when the form does not
// tell, as the short form does not.
func itemOptionsOf(f *Form) *studio.ItemOptions {
	if !f.Checked("with_options") {
		return nil
	}
	return &studio.ItemOptions{
		FinishRoute: f.Text("finish_route"), DetailFactor: f.Given("detail", "Detail"), DetailWhy: f.Text("detail_why"), PersonID: f.ID("person"),
		Apart: f.Checked("apart"), SeamMM: 10 * f.Given("seam", "Seam"), Cast: f.Checked("cast"), Option: f.Checked("option"), Weapon: f.Text("weapon"),
		Features: finish.Features{Eyes: f.Counted("eyes", "Eyes"), Faces: f.Counted("faces", "Faces"), Letters: f.Counted("letters", "Letters"), Small: f.Counted("small", "Small things"),
			Colours: f.Counted("colours", "Colours"), MaskMM: 10 * f.Given("mask", "Edge to mask"), Weather: f.Checked("weather"), FitHours: f.Given("fit", "Fitting out")},
	}
}

// finishRouteName is the studio’s finish route for an item.
func finishRouteName(h studio.Shop, it studio.PricedItem) string {
	if len(it.Parts) == 0 {
		return ""
	}
	s, _ := finish.RouteOf(h.Studio.Defaults.FinishRoute(it.Parts[0].Process, it.Tier))
	return s.Name
}
