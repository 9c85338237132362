package orders

import (
	"fmt"
	"net/http"

	"sakuji/studio"
	"sakuji/web/kit"
)

func (s *Room) clients(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Orders.Clients(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	orders, err := s.App.Orders.Orders(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	type row struct {
		studio.Client
		Open, All int
	}
	var rows []row
	for _, c := range list {
		rw := row{Client: c}
		for _, o := range orders {
			if o.ClientID == c.ID {
				rw.All++
				if o.Open() {
					rw.Open++
				}
			}
		}
		rows = append(rows, rw)
	}
	s.Show(w, r, "clients", kit.Page{Title: "Clients", Sheet: "Clients", Active: "/clients", D: rows, Keys: kit.Keys("↑ ↓", "move", "N", "new client", "F", "find")})
}

func (s *Room) client(w http.ResponseWriter, r *http.Request) {
	c, orders, err := s.App.Orders.Client(r.Context(), kit.PathID(r, "id"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "client", kit.Page{Title: c.Name, Sheet: "Client", Active: "/clients", D: map[string]any{"C": c, "Orders": orders}, Keys: kit.Keys("F", "find")})
}

func (s *Room) saveClient(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name     string `form:"name" validate:"max=200"`
		Email    string `form:"email"`
		Phone    string `form:"phone"`
		Address  string `form:"address"`
		Note     string `form:"note"`
		MayShow  bool   `form:"may_show"`
		MayShare bool   `form:"may_share"`
	}](r)
	var c studio.Client
	if err == nil {
		c, err = s.App.Orders.SaveClient(r.Context(), kit.Owner(r), studio.Client{ID: kit.PathID(r, "id"), Name: f.Name, Email: f.Email, Phone: f.Phone, Address: f.Address, Note: f.Note, MayShow: f.MayShow, MayShare: f.MayShare})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/clients/%d", c.ID), c.Name+" is saved.")
}
